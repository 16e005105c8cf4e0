package program

import (
	"context"
	"fmt"
	"testing"

	"ensomet/internal/sqlite"
)

// The pages of a title say the same whether only the devices that have it were read, or all of them: over a random
// sequence of changes, after each of which nothing is kept of the devices that were read before.
func TestPagesOfATitleReadWhatItNeeds(t *testing.T) {
	ctx := context.Background()
	c := newChanging(t, 11)
	prog := c.prog
	load := func(fn func(tx *sqlite.Tx) error) {
		t.Helper()
		if err := prog.DB.View(ctx, fn); err != nil {
			t.Fatal(err)
		}
	}
	parts, units := 0, 0
	for n := range 60 {
		what := c.change(n)
		if what == "" {
			continue
		}
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		var ids []int64
		load(func(tx *sqlite.Tx) (err error) {
			ids, err = sqlite.Select[int64](tx, "SELECT id FROM product ORDER BY id")
			return err
		})
		pages := func() (out []string) {
			for _, id := range ids {
				p, err := prog.Position.ProductPosition(ctx, id, 0, 0)
				if err != nil {
					t.Fatal(err)
				}
				list, err := prog.Position.Units(ctx, id, "", 0, 0, 0)
				if err != nil {
					t.Fatal(err)
				}
				units += len(list)
				of, err := prog.Position.Parts(ctx, id, "unit", 0, 0)
				if err != nil {
					t.Fatal(err)
				}
				out = append(out, fmt.Sprintf("%+v\n%+v\n%+v", p, list, of))
			}
			return out
		}
		load(func(tx *sqlite.Tx) error {
			for _, id := range ids {
				e, err := prog.Snapshots.LoadToday(tx, []int64{id})
				if err != nil {
					return err
				}
				if e.Lacks("nobody has this device_id") {
					parts++
				}
			}
			return nil
		})
		few := pages()
		load(func(tx *sqlite.Tx) error { // keeps what is known of all devices
			_, err := prog.Snapshots.Load(tx, prog.Snapshots.Today(), prog.Clock.Now().Unix(), nil)
			return err
		})
		load(func(tx *sqlite.Tx) error {
			e, err := prog.Snapshots.LoadToday(tx, ids[:1])
			if err == nil && e.Lacks("nobody has this device_id") {
				t.Error("what is kept of all devices is not used")
			}
			return err
		})
		for i, page := range pages() {
			if page != few[i] {
				t.Fatalf("change %d, %s, product %d:\n%s\nwith all devices read:\n%s", n, what, ids[i], few[i], page)
			}
		}
	}
	if parts < 30 || units < 200 {
		t.Errorf("%d times only a part was read, %d units", parts, units)
	}
}
