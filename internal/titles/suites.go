package titles

import (
	"context"
	"fmt"

	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// SuiteDraft says what a suite contains and how one knows that it is on a device: by a record of its own, or also by
// some of its parts.
type SuiteDraft struct {
	ID      int64 // 0 is a new one
	Product int64
	Edition string // empty is any
	Version string // what the suite's version begins with, empty is any
	Need    int    // so many of its parts on a device are enough; 0 asks for a record of the suite itself
	Parts   []recognise.SuitePart
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

// DropSuite takes the definition of a suite away.
func (svc *Catalogue) DropSuite(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
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
	for _, s := range list {
		if s.Product != product {
			continue
		}
		v := SuiteView{
			SuiteDraft: SuiteDraft{s.ID, s.Product, s.Edition, s.Version, s.Need, s.Parts},
			Names:      []string{},
		}
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
