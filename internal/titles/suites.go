package titles

import (
	"context"
	"fmt"
	"slices"

	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// SuiteDraft says what a suite contains and how one knows that it is on a device: by a record of its own, or also by
// some of its parts.
type SuiteDraft struct {
	ID       int64 // 0 is a new one
	Product  int64
	Edition  string // empty is any
	Version  string // what the suite's version begins with, empty is any
	Need     int    // so many of its parts on a device are enough; 0 asks for a record of the suite itself
	Parts    []recognise.SuitePart
	Revision int64 // that was seen; a save on an older one is refused
}

// PutSuite adds the definition of a suite or changes one. Every position that it touches follows.
func (svc *Catalogue) PutSuite(ctx context.Context, d SuiteDraft, who string) (int64, error) {
	s := recognise.Suite{
		ID:      d.ID,
		Product: d.Product,
		Edition: d.Edition,
		Version: d.Version,
		Need:    d.Need,
		Parts:   d.Parts,
	}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		if c.Product(d.Product) == nil {
			return refuse.New("the catalogue has no such suite")
		}
		for _, p := range d.Parts {
			switch {
			case c.Product(p.Product) == nil:
				return refuse.New("the catalogue has no such part")
			case p.Product == d.Product:
				return refuse.New("a suite is no part of itself")
			}
		}
		if d.Need > len(d.Parts) {
			return refuse.Errorf(
				"the suite has %d parts, so that %d of them can never be on a device",
				len(d.Parts),
				d.Need,
			)
		}
		if err := svc.keepSuiteEdit(tx, d, who); err != nil {
			return err
		}
		if err := titlesdb.PutSuite(tx, &s, who, svc.Clock.Now().Unix()); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "defined a suite", c.Product(d.Product).Name,
			fmt.Sprintf("%d parts, %d needed", len(d.Parts), d.Need)); err != nil {
			return err
		}
		return renewal.Mark(tx, true)
	})
	return s.ID, err
}

// keepSuiteEdit keeps that a suite is changed. Of a new one there is nothing to keep.
func (svc *Catalogue) keepSuiteEdit(tx *sqlite.Tx, d SuiteDraft, who string) error {
	if d.ID == 0 {
		return nil
	}
	list, err := snapshot.Suites(tx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(s recognise.Suite) bool { return s.ID == d.ID })
	if i < 0 {
		return sqlite.ErrNotFound
	}
	_, err = edits.Save(tx, edits.Change{
		Thing: edits.Of(edits.Suite, d.ID),
		Seen:  d.Revision,
		Who:   who,
		At:    svc.Clock.Now(),
		Was:   draftOfSuite(&list[i]),
		Is:    d,
	})
	return err
}

// draftOfSuite is a suite as somebody would want it who changes nothing.
func draftOfSuite(s *recognise.Suite) SuiteDraft {
	return SuiteDraft{
		ID:      s.ID,
		Product: s.Product,
		Edition: s.Edition,
		Version: s.Version,
		Need:    s.Need,
		Parts:   s.Parts,
	}
}

// DropSuite takes the definition of a suite away.
func (svc *Catalogue) DropSuite(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		list, err := snapshot.Suites(tx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(s recognise.Suite) bool { return s.ID == id })
		if i < 0 {
			return sqlite.ErrNotFound
		}
		if err := edits.End(tx, edits.Change{
			Thing: edits.Of(edits.Suite, id),
			Seen:  revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   draftOfSuite(&list[i]),
		}); err != nil {
			return err
		}
		if err := titlesdb.DropSuite(tx, id); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "dropped a suite", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return renewal.Mark(tx, true)
	})
}

// SuiteView is the definition of a suite with the names of its parts.
type SuiteView struct {
	SuiteDraft
	Names []string // of the parts, in their order
}

func suitesOf(tx *sqlite.Tx, c *recognise.Catalogue, product int64) ([]SuiteView, error) {
	out := []SuiteView{}
	list, err := snapshot.Suites(tx)
	if err != nil {
		return nil, err
	}
	revisions, err := edits.Revisions(tx, edits.Suite)
	for _, s := range list {
		if s.Product != product {
			continue
		}
		v := SuiteView{SuiteDraft: draftOfSuite(&s), Names: []string{}}
		v.Revision = revisions[sqlite.Itoa(s.ID)]
		for _, p := range s.Parts {
			name := fmt.Sprintf("title %d", p.Product)
			if q := c.Product(p.Product); q != nil {
				name = q.Name
			}
			v.Names = append(v.Names, name)
		}
		out = append(out, v)
	}
	return out, err
}
