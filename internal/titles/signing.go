package titles

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
)

// The kinds of decision that may need a second person.
const (
	signTitle     = "title"     // a name is a title
	signNothing   = "nothing"   // a name is not software that counts
	signExclusion = "leave_out" // installs are left out of the count
	signRule      = "rule"
)

// NamingSettings are how decisions about names are taken.
type NamingSettings struct {
	// kinds of decision that a second person signs off before they count: title, nothing, leave_out, rule
	SignOff  []string
	Limit    float64 // score from which a first proposal decides by itself; 0 is never
	Revision int64   // that was seen; a save on an older one is refused
}

func signOff(tx *sqlite.Tx) ([]string, error) {
	text, err := tx.Setting("sign_off")
	if err != nil || text == "" {
		return []string{}, err
	}
	var list []string
	return list, json.Unmarshal([]byte(text), &list)
}

func (svc *Service) needsSign(tx *sqlite.Tx, kind string) (bool, error) {
	list, err := signOff(tx)
	return slices.Contains(list, kind), err
}

// Naming returns how decisions about names are taken.
func (svc *Service) Naming(ctx context.Context) (out NamingSettings, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = loadNaming(tx)
		return err
	})
	return out, err
}

func loadNaming(tx *sqlite.Tx) (out NamingSettings, err error) {
	if out.SignOff, err = signOff(tx); err != nil {
		return out, err
	}
	text, err := tx.Setting(snapshot.ScoreLimit)
	if err != nil {
		return out, err
	}
	out.Limit, _ = strconv.ParseFloat(text, 64) // empty is never
	out.Revision, err = edits.Revision(tx, edits.Thing{Kind: edits.Naming})
	return out, err
}

// SetNaming changes how decisions about names are taken. What was decided before stays.
func (svc *Service) SetNaming(ctx context.Context, n NamingSettings, who string) error {
	for _, kind := range n.SignOff {
		if !slices.Contains([]string{signTitle, signNothing, signExclusion, signRule}, kind) {
			return refuse.Errorf("there is no kind of decision %q; there are title, nothing, leave_out and rule", kind)
		}
	}
	text, err := json.Marshal(n.SignOff)
	if err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		was, err := loadNaming(tx)
		if err != nil {
			return err
		}
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.Naming},
			Seen:  n.Revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   was,
			Is:    n,
		}); err != nil {
			return err
		}
		limit := ""
		if n.Limit > 0 {
			limit = strconv.FormatFloat(n.Limit, 'g', -1, 64)
		}
		if err := errors.Join(tx.SetSetting("sign_off", string(text)),
			tx.SetSetting(snapshot.ScoreLimit, limit)); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "set how names are decided", "",
			fmt.Sprintf("signed off: %s, limit %s", text, limit)); err != nil {
			return err
		}
		return renewal.Mark(tx, false)
	})
}

// Unsigned is something that waits for a second person.
type Unsigned struct {
	Kind     string // name, rule, leave_out
	ID       int64
	Revision int64 // of a rule
	What     string
	Means    string
	Note     string
	Author   string
	At       int64
	Key      string
}

// Unsigned lists what waits for a second person, oldest first.
func (svc *Service) Unsigned(ctx context.Context) (out []Unsigned, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = svc.unsigned(tx)
		return err
	})
	return out, err
}

func (svc *Service) unsigned(tx *sqlite.Tx) ([]Unsigned, error) {
	out := []Unsigned{}
	err := func() error {
		k, err := svc.Snapshots.Knowledge(tx)
		if err != nil {
			return err
		}
		name := func(product int64, edition string) string {
			if p := k.Catalogue.Product(product); p != nil {
				return p.Publisher + " " + p.Name + " " + edition
			}
			return "not software that counts"
		}
		for _, d := range k.Decisions {
			if d.State != "waiting" {
				continue
			}
			what := d.Key
			r, err := stored.RecordOf(tx, d.Record)
			if err == nil {
				what = r.Publisher + " " + r.Name
			} else if !errors.Is(err, sqlite.ErrNotFound) {
				return err
			}
			out = append(out,
				Unsigned{"name", d.ID, 0, what, name(d.Product, d.Edition), d.Note, d.Author, d.At, d.Key})
		}
		for i := range k.Rules {
			if r := &k.Rules[i]; r.State == "waiting" {
				revision, err := edits.Revision(tx, edits.Of(edits.NameRule, r.ID))
				if err != nil {
					return err
				}
				out = append(out,
					Unsigned{"rule", r.ID, revision, r.Name, svc.ruleWords(k, r), r.Reason, r.Author, r.At, ""})
			}
		}
		list, err := snapshot.Exclusions(tx)
		if err != nil {
			return err
		}
		for _, l := range list {
			if l.State != "waiting" {
				continue
			}
			d, err := snapshot.OneDevice(tx, l.Device, svc.Clock.Now().Unix())
			if err != nil {
				return err
			}
			out = append(
				out,
				Unsigned{
					"leave_out",
					l.ID,
					0,
					name(l.Product, "") + " on " + d.Name,
					"left out of the count",
					l.Reason,
					l.Author,
					l.At,
					"",
				},
			)
		}
		slices.SortStableFunc(out, func(a, b Unsigned) int { return int(a.At - b.At) })
		return nil
	}()
	return out, err
}

// Sign signs off what waits for a second person, or refuses it. Nobody signs what is his own, nor a rule in another
// revision than the one that he saw; a decision that changes is another one, with a number of its own.
func (svc *Service) Sign(ctx context.Context, kind string, id, revision int64, agreed bool, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		list, err := svc.unsigned(tx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(u Unsigned) bool { return u.Kind == kind && u.ID == id })
		if i < 0 {
			return sqlite.ErrNotFound
		}
		if list[i].Author == who && agreed {
			return refuse.New("a second person signs off, not the one who decided: ask somebody else")
		}
		now := svc.Clock.Now()
		word := "signed off"
		if !agreed {
			word = "refused"
		}
		if err := tx.Note(now, who, word, list[i].What, list[i].Means); err != nil {
			return err
		}
		switch kind {
		case "name":
			keys := []string{list[i].Key}
			if err := svc.keepNames(tx, keys, nil, who, func() error {
				_, err := titlesdb.SignDecision(tx, id, now.Unix(), who, agreed)
				return err
			}); err != nil {
				return err
			}
			if err := svc.recogniseKeys(tx, keys); err != nil {
				return err
			}
		case "rule":
			if err := svc.signRule(tx, id, revision, agreed, who); err != nil {
				return err
			}
		default:
			if err := titlesdb.SignExclusion(tx, id, now.Unix(), who, agreed); err != nil {
				return err
			}
		}
		return renewal.Mark(tx, false)
	})
}

// signRule makes a waiting rule hold, or ends it. Whoever has it in a form is told.
func (svc *Service) signRule(tx *sqlite.Tx, id, revision int64, agreed bool, who string) error {
	if !agreed {
		return errors.Join(svc.keepRule(tx, id, revision, who, nil),
			titlesdb.EndRule(tx, id, svc.Clock.Now().Unix(), who))
	}
	is, err := ruleNow(tx, id)
	if err != nil {
		return err
	}
	return errors.Join(svc.keepRule(tx, id, revision, who, is),
		titlesdb.SignRule(tx, id, svc.Clock.Now().Unix(), who))
}
