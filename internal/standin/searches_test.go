package standin

import (
	"reflect"
	"testing"

	"ensomet/internal/sqlite"
	"ensomet/internal/use"
	"ensomet/internal/use/usedb"
)

// A search that goes by the tables whose rows are few finds what looking at every row finds, in the same order, however
// many rows there are: those that are put in order once they are found, and those that are read in the order.
func TestSearchesFindWhatEveryRowSays(t *testing.T) {
	prog, _, _ := demo(t)
	found, few, many := 0, 0, 0
	if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) error {
		plain := use.UseList()
		plain.Finds = nil
		for _, search := range []string{"a", "  er a", "ström", "'", "%", "_", "no such word", "1"} {
			for _, sort := range []string{"last", "device", "product"} {
				for _, filters := range []map[string]string{{}, {"class": "unused"}} {
					q := sqlite.ListQuery{Search: search, Sort: sort, Filters: filters, Limit: 40}
					want, err := plain.Page(tx, q)
					if err != nil {
						return err
					}
					second := sqlite.ListQuery{}
					for _, to := range []int{0, 5, 10_000} {
						q.CountTo, q.Cursor = to, ""
						got, err := use.UseList().Page(tx, q)
						if err != nil {
							return err
						}
						if got.More != (to > 0 && want.Total > to) || !got.More && (got.Total != want.Total ||
							got.Stale != want.Stale || got.Never != want.Never) || got.More && got.Total != to {
							t.Errorf("%q by %s, %v, to %d: counted %d of %d, more %v", search, sort, filters, to,
								got.Total, want.Total, got.More)
						}
						if !reflect.DeepEqual(rows(got), rows(want)) {
							t.Errorf("%q by %s, %v, to %d: other rows", search, sort, filters, to)
						}
						if found += len(got.Rows); got.More {
							many++
						} else if len(got.Rows) > 0 {
							few++
						}
						if want.Next == "" {
							continue
						}
						second, q.Cursor = q, want.Next
						next, err := plain.Page(tx, q)
						if err != nil {
							return err
						}
						second.Cursor = got.Next
						behind, err := use.UseList().Page(tx, second)
						if err != nil {
							return err
						}
						if !reflect.DeepEqual(rows(next), rows(behind)) || behind.More != got.More ||
							behind.Total != got.Total {
							t.Errorf("%q by %s, %v, to %d: another second page", search, sort, filters, to)
						}
					}
				}
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	if found < 1000 || few < 20 || many < 15 {
		t.Errorf("%d rows were found, %d times few and %d times many", found, few, many)
	}
}

func rows(p sqlite.Page[usedb.UseRow]) []usedb.UseRow { return append([]usedb.UseRow{}, p.Rows...) }
