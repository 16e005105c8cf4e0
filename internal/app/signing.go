package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"ensomet/internal/store"
)

// The kinds of decision that may need a second person.
const (
	signTitle    = "title"     // a name is a title
	signNothing  = "nothing"   // a name is not software that counts
	signLeaveOut = "leave_out" // installs are left out of the count
	signRule     = "rule"
)

// NamingSettings are how decisions about names are taken.
type NamingSettings struct {
	SignOff []string `json:"signOff" doc:"kinds of decision that a second person signs off before they count: title, nothing, leave_out, rule"`
	Limit   float64  `json:"limit" minimum:"0" maximum:"1" doc:"score from which a first proposal decides by itself; 0 is never"`
}

func signOff(tx *store.Tx) ([]string, error) {
	text, err := tx.Setting("sign_off")
	if err != nil || text == "" {
		return []string{}, err
	}
	var list []string
	return list, json.Unmarshal([]byte(text), &list)
}

func (a *App) needsSign(tx *store.Tx, kind string) (bool, error) {
	list, err := signOff(tx)
	return slices.Contains(list, kind), err
}

// Naming returns how decisions about names are taken.
func (a *App) Naming(ctx context.Context) (out NamingSettings, err error) {
	err = a.DB.View(ctx, func(tx *store.Tx) error {
		if out.SignOff, err = signOff(tx); err != nil {
			return err
		}
		text, err := tx.Setting(scoreLimit)
		out.Limit, _ = strconv.ParseFloat(text, 64) // empty is never
		return err
	})
	return out, err
}

// SetNaming changes how decisions about names are taken. What was decided before stays.
func (a *App) SetNaming(ctx context.Context, n NamingSettings, who string) error {
	for _, kind := range n.SignOff {
		if !slices.Contains([]string{signTitle, signNothing, signLeaveOut, signRule}, kind) {
			return fmt.Errorf("there is no kind of decision %q; there are title, nothing, leave_out and rule", kind)
		}
	}
	text, err := json.Marshal(n.SignOff)
	if err != nil {
		return err
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		limit := ""
		if n.Limit > 0 {
			limit = strconv.FormatFloat(n.Limit, 'g', -1, 64)
		}
		if err := errors.Join(tx.SetSetting("sign_off", string(text)), tx.SetSetting(scoreLimit, limit)); err != nil {
			return err
		}
		if err := tx.Note(a.Clock.Now(), who, "set how names are decided", "", fmt.Sprintf("signed off: %s, limit %s", text, limit)); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}

// Unsigned is something that waits for a second person.
type Unsigned struct {
	Kind   string `json:"kind" enum:"name,rule,leave_out"`
	ID     int64  `json:"id"`
	What   string `json:"what"`
	Means  string `json:"means"`
	Note   string `json:"note"`
	Author string `json:"author"`
	At     int64  `json:"at"`
	Key    string `json:"key"`
}

// Unsigned lists what waits for a second person, oldest first.
func (a *App) Unsigned(ctx context.Context) ([]Unsigned, error) {
	out := []Unsigned{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		k, err := a.know(tx)
		if err != nil {
			return err
		}
		name := func(product int64, edition string) string {
			if p := k.catalogue.Product(product); p != nil {
				return p.Publisher + " " + p.Name + " " + edition
			}
			return "not software that counts"
		}
		for _, d := range k.decisions {
			if d.State != "waiting" {
				continue
			}
			what := d.Key
			if r, err := tx.Record(d.Record); err == nil {
				what = r.Publisher + " " + r.Name
			}
			out = append(out, Unsigned{"name", d.ID, what, name(d.Product, d.Edition), d.Note, d.Author, d.At, d.Key})
		}
		for i := range k.rules {
			if r := &k.rules[i]; r.State == "waiting" {
				out = append(out, Unsigned{"rule", r.ID, r.Name, a.ruleWords(k, r), r.Reason, r.Author, r.At, ""})
			}
		}
		list, err := tx.LeftOuts()
		if err != nil {
			return err
		}
		for _, l := range list {
			if l.State != "waiting" {
				continue
			}
			d, err := tx.OneDevice(l.Device, a.Clock.Now().Unix())
			if err != nil {
				return err
			}
			out = append(out, Unsigned{"leave_out", l.ID, name(l.Product, "") + " on " + d.Name, "left out of the count", l.Reason, l.Author, l.At, ""})
		}
		slices.SortStableFunc(out, func(a, b Unsigned) int { return int(a.At - b.At) })
		return nil
	})
	return out, err
}

// Sign signs off what waits for a second person, or refuses it. Nobody signs what is his own.
func (a *App) Sign(ctx context.Context, kind string, id int64, agreed bool, who string) error {
	list, err := a.Unsigned(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(u Unsigned) bool { return u.Kind == kind && u.ID == id })
	if i < 0 {
		return store.ErrNotFound
	}
	if list[i].Author == who && agreed {
		return errors.New("a second person signs off, not the one who decided: ask somebody else")
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		word := "signed off"
		if !agreed {
			word = "refused"
		}
		if err := tx.Note(now, who, word, list[i].What, list[i].Means); err != nil {
			return err
		}
		switch kind {
		case "name":
			d, err := tx.SignDecision(id, now.Unix(), who, agreed)
			if err != nil {
				return err
			}
			if err := a.recogniseKeys(tx, []string{d.Key}); err != nil {
				return err
			}
		case "rule":
			var err error
			if agreed {
				err = tx.SignRule(id, now.Unix(), who)
			} else {
				err = tx.EndRule(id, now.Unix(), who)
			}
			if err != nil {
				return err
			}
		default:
			if err := tx.SignLeftOut(id, now.Unix(), who, agreed); err != nil {
				return err
			}
		}
		return markDirty(tx, false)
	})
}
