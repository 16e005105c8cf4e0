package sqlite

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"testing"

	"ensomet/internal/core/civil"
)

type numbered struct {
	ID int64 `column:"id"`
	N  int64 `column:"n"`
}

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
	list := List[numbered]{From: "few f", Key: "f.id", Sort: "n", Columns: []Column{
		Plain("id", "f.id"),
		Plain("n", "f.n"),
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

// A filter is a value of its column's own type: what is none is told, and what is one is found, however it is written.
func TestFiltersAreTyped(t *testing.T) {
	db, err := Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.Update(t.Context(), func(tx *Tx) error {
		if _, err := tx.Exec("CREATE TABLE typed (id INTEGER PRIMARY KEY, whole INTEGER, part REAL, yes INTEGER, " +
			"day INTEGER, path TEXT)"); err != nil {
			return err
		}
		for i, path := range []string{"Sea", "Sea/Eider", "Sea/Eider/Deck", "Sea/Eiderdown", "Sea0", "5"} {
			if _, err := tx.Exec("INSERT INTO typed VALUES (?, ?, ?, ?, ?, ?)", i, i, float64(i)+0.5*float64(i%2),
				i%2 == 0, 739000+i, path); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	type row struct {
		ID    int64     `column:"id"`
		Whole int64     `column:"whole"`
		Part  float64   `column:"part"`
		Yes   bool      `column:"yes"`
		Day   civil.Day `column:"day"`
		Path  string    `column:"path"`
		Seen  int64     `column:"seen"` // for forms alone
	}
	list := List[row]{From: "typed t", Key: "t.id", Sort: "id", Columns: []Column{
		Plain("id", "t.id"),
		Plain("whole", "t.whole"),
		Plain("part", "t.part"),
		Plain("yes", "t.yes"),
		Plain("day", "t.day"),
		Plain("path", "t.path"),
		Beside("seen", "7"),
	}}
	for _, c := range []struct {
		column, value string
		want          string // the rows, or "refused"
	}{
		{"whole", "3", "[3]"},
		{"whole", "3.0", "[3]"},
		{"whole", "3|5|9", "[3 5]"},
		{"whole", ">3", "[4 5]"},
		{"whole", "2..4", "[2 3 4]"},
		{"whole", "4..2", "[]"},
		{"whole", "2..x", "refused"},
		{"part", "1.5..3", "[1 2]"},
		{"path", "1..5", "[]"},
		{"seen", "7", "refused"},
		{"whole", "three", "refused"},
		{"whole", ">three", "refused"},
		{"whole", "3|three", "refused"},
		{"part", "1.5", "[1]"},
		{"part", "2", "[2]"},
		{"part", "x", "refused"},
		{"yes", "1", "[0 2 4]"},
		{"yes", "true", "[0 2 4]"},
		{"yes", "false", "[1 3 5]"},
		{"yes", "perhaps", "refused"},
		{"day", "739002", "[2]"},
		{"day", civil.Day(739002).String(), "[2]"},
		{"day", "soon", "refused"},
		{"path", "5", "[5]"},
		{"path", "Sea", "[0]"},
		{"path", "Sea/*", "[0 1 2 3]"},
		{"path", "Sea/Eider/*", "[1 2]"},
		{"path", "*eider", "[1 2 3]"},
		{"path", "Sea|5", "[0 5]"},
		{"nothing", "1", "refused"},
	} {
		var page Page[row]
		err := db.View(t.Context(), func(tx *Tx) (err error) {
			page, err = list.Page(tx, ListQuery{Filters: map[string]string{c.column: c.value}})
			return err
		})
		var got []int64
		for _, r := range page.Rows {
			if got = append(got, r.ID); r.Seen != 7 {
				t.Errorf("a row has not what stands beside: %+v", r)
			}
		}
		text := fmt.Sprint(got)
		var query *ErrQuery
		if errors.As(err, &query) {
			text = "refused"
		} else if err != nil {
			t.Error(err)
		}
		if text != c.want {
			t.Errorf("%s = %s: %s, want %s", c.column, c.value, text, c.want)
		}
	}
}
