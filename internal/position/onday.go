package position

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/facts"
	"ensomet/internal/lists"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// onDays keeps the figures of the days that were asked for last: each page of a list asks for them anew.
type onDays struct {
	sync.Mutex
	kept []figuresOn
}

type figuresOn struct {
	state   string
	figures []snapshot.Figure
}

// mostDays is how many days are kept.
const mostDays = 4

// PositionsOn lists every position: of today, or of the day that the filter on names, as it is known now or, by the
// filter known, as it was known at the end of a day.
func (svc *Service) PositionsOn(q *sqlite.ListQuery) (*sqlite.List[lists.PositionRow], error) {
	l := lists.PositionList()
	take := func(filter string) (day civil.Day, err error) {
		if text, asked := q.Filters[filter]; asked {
			delete(q.Filters, filter)
			if day, err = civil.Parse(text); err == nil && !day.Known() {
				err = refuse.Errorf("%q is no day: write it as 2026-01-31", text)
			}
		}
		return day, err
	}
	on, err := take("on")
	if err != nil {
		return nil, err
	}
	known, err := take("known")
	if err != nil {
		return nil, err
	}
	today := svc.Snapshots.Today()
	if on > today {
		return nil, refuse.Errorf("%s has not come yet", on)
	}
	if !on.Known() {
		on = today
	}
	if !known.Known() {
		known = today
	}
	if on < today || known < today {
		l.In = func(ctx context.Context, fn func(tx *sqlite.Tx) error) error {
			figures, err := svc.FiguresOn(ctx, on, known)
			if err != nil {
				return err
			}
			return svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
				if err := facts.PutFigures(tx, nil, figures, nil, nil); err != nil {
					return err
				}
				return fn(tx)
			})
		}
	}
	return l, nil
}

// FiguresOn works out all positions of a day by what was known on another.
func (svc *Service) FiguresOn(ctx context.Context, on, known civil.Day) ([]snapshot.Figure, error) {
	mark, now, err := svc.markAt(ctx, known)
	if err != nil {
		return nil, err
	}
	var change string
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		change, err = tx.Setting(renewal.Changes)
		return err
	}); err != nil {
		return nil, err
	}
	if mark != 0 {
		change = "" // what was known then does not change any more
	}
	state := fmt.Sprint(on, " ", mark, " ", change, " ", svc.Snapshots.Today())
	svc.onDays.Lock()
	at := slices.IndexFunc(svc.onDays.kept, func(k figuresOn) bool { return k.state == state })
	var figures []snapshot.Figure
	if at >= 0 {
		figures = svc.onDays.kept[at].figures
	}
	svc.onDays.Unlock()
	if at >= 0 {
		return figures, nil
	}
	err = svc.at(ctx, mark, nil, func(tx *sqlite.Tx) error {
		e, err := svc.Snapshots.Load(tx, on, now, nil)
		if err != nil {
			return err
		}
		for _, f := range e.Ordered() {
			if err := ctx.Err(); err != nil {
				return err
			}
			for _, p := range e.Compute(f, nil) {
				figures = append(figures, e.Figure(f, &p))
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	svc.onDays.Lock()
	defer svc.onDays.Unlock()
	svc.onDays.kept = append(svc.onDays.kept, figuresOn{state, figures})
	if n := len(svc.onDays.kept); n > mostDays {
		svc.onDays.kept = slices.Delete(svc.onDays.kept, 0, n-mostDays)
	}
	return figures, nil
}
