package titles

import (
	"context"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// figuresOf reads the figures of products, and how many of their installs are left out; nil is that nobody asks what
// moves.
type figuresOf func(*sqlite.Tx, []int64) (map[snapshot.ProductMetric]snapshot.NamedFigure, int64, error)

func (read figuresOf) of(tx *sqlite.Tx, products []int64) (
	out map[snapshot.ProductMetric]snapshot.NamedFigure, left int64, err error,
) {
	if read == nil {
		return nil, 0, nil
	}
	return read(tx, products)
}

// besideTheWriter does something twice: in a preview, with the figures that say what it moves, then for good without
// them, and what else belongs to it. What a large house takes seconds to work out holds nobody up.
func (svc *Service) besideTheWriter(
	ctx context.Context,
	do func(tx *sqlite.Tx, figures figuresOf) error,
	keep func(tx *sqlite.Tx) error,
) error {
	if err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		return do(tx, svc.Snapshots.FiguresAndExcluded)
	}); err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := do(tx, nil); err != nil {
			return err
		}
		return keep(tx)
	})
}
