package sqlite

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"testing"
)

type numbered struct{ ID, N int64 }

// The rows of a list are counted for its first page; the pages that follow say what the first said, and cost no
// counting.
func TestRowsAreCountedOnce(t *testing.T) {
	db, err := Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	add := func(from, to int) {
		t.Helper()
		if err := db.Update(t.Context(), func(tx *Tx) error {
			if _, err := tx.Exec("CREATE TABLE IF NOT EXISTS few (id INTEGER PRIMARY KEY, n INTEGER)"); err != nil {
				return err
			}
			for i := from; i < to; i++ {
				if _, err := tx.Exec("INSERT INTO few(id, n) VALUES (?, ?)", i, i%3); err != nil {
					return err
				}
			}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	list := List[numbered]{From: "few f", Key: "f.id", Sort: "n", Columns: []Column[numbered]{
		Plain("id", "f.id", func(r *numbered) any { return &r.ID }),
		Plain("n", "f.n", func(r *numbered) any { return &r.N }),
	}}
	page := func(cursor string) (p Page[numbered]) {
		t.Helper()
		if err := db.View(t.Context(), func(tx *Tx) (err error) {
			p, err = list.Page(tx, ListQuery{Cursor: cursor, Limit: 4})
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return p
	}
	add(1, 11)
	first := page("")
	if first.Total != 10 || len(first.Rows) != 4 || first.Next == "" {
		t.Fatalf("%+v", first)
	}
	add(11, 31) // a recount would see them
	seen := map[string]bool{}
	for p := first; ; p = page(p.Next) {
		if p.Total != 10 {
			t.Errorf("a page that follows counts %d", p.Total)
		}
		for _, r := range p.Rows {
			if key := fmt.Sprint(r.ID); seen[key] {
				t.Errorf("row %s comes twice", key)
			} else {
				seen[key] = true
			}
		}
		if p.Next == "" {
			break
		}
	}
	if again := page(""); again.Total != 30 {
		t.Errorf("from the top %d rows are counted", again.Total)
	}
	for _, bad := range []string{"x", "W10", "eyJWYWx1ZSI6"} {
		err := db.View(t.Context(), func(tx *Tx) error {
			_, err := list.Page(tx, ListQuery{Cursor: bad, Limit: 4})
			return err
		})
		var query *ErrQuery
		if !errors.As(err, &query) {
			t.Errorf("the page mark %q: %v", bad, err)
		}
	}
}
