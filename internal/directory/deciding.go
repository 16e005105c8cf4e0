package directory

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/directory/directorydb"
	"ensomet/internal/edits"
	"ensomet/internal/persons"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Draft is what somebody decides: that the names of each pair are one person, or that they are not; or that some of the
// names of a person are somebody else.
type Draft struct {
	Pairs    [][]string // of keys
	Together bool
	Person   string   // whose names are parted from him
	Names    []string // what goes
	Reason   string
}

// Effect is what a decision does.
type Effect struct {
	Before int64 // people
	After  int64
	Acts   []int64 // by which it can be taken back
	Person string  // whom it is about, afterwards
	Moves  []snapshot.PositionChange
}

// Decide takes a decision.
func (svc *Service) Decide(ctx context.Context, d Draft, who string) (Effect, error) {
	var out Effect
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		if out, err = svc.decide(tx, svc.Persons, d, who); err != nil {
			return err
		}
		what := "names are one person"
		if !d.Together {
			what = "names are two people"
		}
		var about []string
		for _, p := range d.Pairs {
			about = append(about, strings.Join(p, " and "))
		}
		if d.Person != "" {
			about = append(about, d.Person)
		}
		return tx.Note(svc.Clock.Now(), who, what, strings.Join(about, ", "), d.Reason)
	})
	out.Moves = []snapshot.PositionChange{}
	return out, err
}

// Preview says what a decision would do.
func (svc *Service) Preview(ctx context.Context, d Draft) (Effect, error) {
	var out Effect
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		if strings.TrimSpace(d.Reason) == "" {
			d.Reason = "to see what it would do"
		}
		products, err := directorydb.ProductsOf(tx, append(slices.Concat(d.Pairs...), d.Person))
		if err != nil {
			return err
		}
		before, err := svc.Snapshots.FiguresAround(tx, products)
		if err != nil {
			return err
		}
		room := svc.Persons
		if len(d.Names) == 0 { // figures read names as who they count as: that devices follow makes no difference
			room = &persons.Room{}
		}
		if out, err = svc.decide(tx, room, d, ""); err != nil {
			return err
		}
		after, err := svc.Snapshots.FiguresAround(tx, products)
		out.Moves = snapshot.Moves(before, after)
		return err
	})
	if out.Moves == nil {
		out.Moves = []snapshot.PositionChange{}
	}
	return out, err
}

func (svc *Service) decide(tx *sqlite.Tx, room *persons.Room, d Draft, who string) (out Effect, err error) {
	said := persons.Who{Name: who, Reason: d.Reason, At: svc.Clock.Now().Unix()}
	count := func(n *int64) error {
		return tx.QueryRowContext(tx.Ctx, "SELECT count(DISTINCT counts_as) FROM person_record WHERE counts_as <> '' "+
			"AND nobody = 0").
			Scan(n)
	}
	if err := count(&out.Before); err != nil {
		return out, err
	}
	for _, p := range d.Pairs {
		var act int64
		if d.Together {
			act, out.Person, err = room.Join(tx, p, said)
		} else {
			act, err = room.Apart(tx, p, said)
		}
		if err != nil {
			return out, err
		}
		out.Acts = append(out.Acts, act)
	}
	if d.Person != "" {
		var act int64
		if act, out.Person, err = room.Part(tx, d.Person, d.Names, said); err != nil {
			return out, err
		}
		out.Acts = append(out.Acts, act)
	}
	if out.Acts = append([]int64{}, out.Acts...); len(out.Acts) == 0 {
		return out, refuse.New("name the people that are meant")
	}
	out.After, err = directorydb.People(tx)
	return out, err
}

// TakeBack takes a decision back.
func (svc *Service) TakeBack(ctx context.Context, act int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if err := svc.Persons.TakeBack(tx, act, persons.Who{Name: who, At: now.Unix()}); err != nil {
			return err
		}
		return tx.Note(now, who, "took back which names are one person", fmt.Sprintf("decision %d", act), "")
	})
}

// MarkDraft is what somebody says of an account by hand.
type MarkDraft struct {
	Mark     persons.Mark
	Revision int64 // that was seen; a save on an older one is refused
}

// SetMark says of a person's names that one person uses them, that nobody in particular does, or neither.
func (svc *Service) SetMark(ctx context.Context, key string, d MarkDraft, who string) error {
	if !slices.Contains([]persons.Mark{persons.Unmarked, persons.Somebody, persons.Nobody}, d.Mark) {
		return refuse.Errorf("an account is of a person or of nobody, not %q", d.Mark)
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		rec, err := persons.Find(tx, key)
		if err != nil {
			return err
		}
		was := struct{ Mark persons.Mark }{rec.Marked}
		if _, err := edits.Save(tx, edits.Change{Thing: markThing(rec.CountsAs), Seen: d.Revision, Who: who,
			At: svc.Clock.Now(), Was: was, Is: struct{ Mark persons.Mark }{d.Mark}}); err != nil {
			return err
		}
		if err := svc.Persons.SetMark(tx, rec.CountsAs, d.Mark); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "said who is behind an account", rec.CountsAs, string(d.Mark))
	})
}

// Rules is which names count as one person without anybody.
type Rules struct {
	Names    bool  // those that are alike, where nothing speaks against it and nobody else is like them
	Revision int64 // that was seen; a save on an older one is refused
}

var rulesThing = edits.Thing{Kind: edits.JoiningNames}

// Rules returns which names count as one person without anybody.
func (svc *Service) Rules(ctx context.Context) (out Rules, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		out, err = rules(tx)
		return err
	})
	return out, err
}

func rules(tx *sqlite.Tx) (out Rules, err error) {
	names, err := tx.Setting(persons.JoinsNames)
	if err != nil {
		return out, err
	}
	out.Names = names == "true"
	out.Revision, err = edits.Revision(tx, rulesThing)
	return out, err
}

// SetRules says which names count as one person without anybody, and settles all names by it.
func (svc *Service) SetRules(ctx context.Context, r Rules, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		was, err := rules(tx)
		if err != nil {
			return err
		}
		if err := tx.SetSetting(persons.JoinsNames, fmt.Sprint(r.Names)); err != nil {
			return err
		}
		if _, err := edits.Save(tx, edits.Change{Thing: rulesThing, Seen: r.Revision, Who: who, At: svc.Clock.Now(),
			Was: was, Is: r}); err != nil {
			return err
		}
		if err := svc.Persons.Again(tx); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "said which names count as one person", "", fmt.Sprint(r.Names))
	})
}
