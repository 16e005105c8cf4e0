package reports

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"ensomet/internal/core/refuse"
	"ensomet/internal/splits"
	"ensomet/internal/sqlite"
)

// SplitAsked is what of a split is asked for.
type SplitAsked struct {
	Of        string // installs, titles, use or cases
	By        string
	Publisher string
	Product   int64
}

// SplitRow is what falls to one value. Parts are in step with the parts of the split.
type SplitRow struct {
	Value                 string // empty: it is not known by what
	Count                 int64
	Devices, Stale, Never int64
	Parts                 []int64
}

// Split is a count split by what is said of devices.
type Split struct {
	Rows   []SplitRow
	Parts  []string // the kinds of what is counted: classes of use, kinds of cases; none of installs and titles
	Total  SplitRow
	Estate int64 // devices that are known
	By     []string
}

// mostValues is how many values a split has.
const mostValues = 5000

// Split splits a count. A thing falls to one value, so that counts add up to the total; of titles, which may be on
// devices of several values, the total has each once. Devices are counted once in each row and in the total.
func (svc *Service) Split(ctx context.Context, asked SplitAsked) (Split, error) {
	out := Split{Rows: []SplitRow{}, Parts: []string{}, Total: SplitRow{Parts: []int64{}}, By: []string{}}
	of := map[string]func(*sqlite.Tx, string, splits.Narrow) ([]splits.Row, error){"installs": splits.Installs,
		"titles": splits.Titles, "use": splits.Use, "cases": splits.Cases}[asked.Of]
	if of == nil {
		return out, refuse.Errorf("%q cannot be split: there are installs, titles, use and cases", asked.Of)
	}
	if err := splits.Check(asked.By); err != nil {
		return out, err
	}
	narrow := splits.Narrow{Publisher: asked.Publisher, Product: asked.Product}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		own, err := splits.OwnOfDevices(tx)
		if err != nil {
			return err
		}
		out.By = slices.Clone(splits.By)
		for _, name := range own {
			out.By = append(out.By, sqlite.OwnColumn+name)
		}
		if out.Estate, err = splits.Estate(tx); err != nil {
			return err
		}
		rows, err := of(tx, asked.By, narrow)
		if err != nil {
			return err
		}
		all, err := of(tx, splits.Whole, narrow)
		if err != nil {
			return err
		}
		out.gather(rows, all)
		return nil
	})
	return out, err
}

// gather puts parts of values into rows, the largest first.
func (s *Split) gather(rows, all []splits.Row) {
	parts := map[string]bool{}
	for _, r := range all {
		if r.Part != "" {
			parts[r.Part] = true
		}
	}
	s.Parts = append(s.Parts, slices.Sorted(maps.Keys(parts))...)
	put := func(into *SplitRow, r splits.Row) {
		if len(into.Parts) == 0 {
			into.Parts = make([]int64, len(s.Parts))
		}
		if r.Part == "" { // of the whole row: devices of several parts are one
			into.Count, into.Devices, into.Stale, into.Never = r.Count, r.Devices, r.Stale, r.Never
			return
		}
		into.Parts[slices.Index(s.Parts, r.Part)] = r.Count
	}
	at := map[string]int{}
	for _, r := range rows {
		k, known := at[r.Value]
		if !known {
			k = len(s.Rows)
			at[r.Value] = k
			s.Rows = append(s.Rows, SplitRow{Value: r.Value})
		}
		put(&s.Rows[k], r)
	}
	for _, r := range all {
		put(&s.Total, r)
	}
	slices.SortFunc(s.Rows, func(a, b SplitRow) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Value, b.Value))
	})
	if len(s.Rows) > mostValues {
		s.Rows = s.Rows[:mostValues]
	}
}

// Columns are the columns of a split as a file, a line for each value.
func (s *Split) Columns() []string {
	return slices.Concat([]string{"value", "count"}, s.Parts, []string{"devices", "stale", "never_scanned"})
}

// Line is a row as a file has it.
func (r *SplitRow) Line() []string {
	out := []string{r.Value, sqlite.Itoa(r.Count)}
	for _, n := range r.Parts {
		out = append(out, sqlite.Itoa(n))
	}
	return append(out, sqlite.Itoa(r.Devices), sqlite.Itoa(r.Stale), sqlite.Itoa(r.Never))
}
