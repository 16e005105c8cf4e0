package sqlite

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// What a table holds after each of many replacements is what was given, whatever it held before; columns that are not
// named stay; and rows that are the same are not written.
func TestReplaceWritesWhatDiffers(t *testing.T) {
	db, err := Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	must := func(fn func(tx *Tx) error) {
		t.Helper()
		if err := db.Update(t.Context(), fn); err != nil {
			t.Fatal(err)
		}
	}
	must(func(tx *Tx) error {
		for _, text := range []string{
			"CREATE TABLE held (a INTEGER, b TEXT, n INTEGER, t TEXT, own INTEGER DEFAULT 0, PRIMARY KEY (a, b))",
			"CREATE TABLE written (a INTEGER)",
			"CREATE TRIGGER w1 AFTER INSERT ON held BEGIN INSERT INTO written VALUES (new.a); END",
			"CREATE TRIGGER w2 AFTER UPDATE OF n, t ON held BEGIN INSERT INTO written VALUES (new.a); END",
			"CREATE TRIGGER w3 AFTER DELETE ON held BEGIN INSERT INTO written VALUES (old.a); END",
		} {
			if _, err := tx.Exec(text); err != nil {
				return err
			}
		}
		return nil
	})
	r := rand.New(rand.NewPCG(9, 1))
	type key struct {
		a int
		b string
	}
	type value struct {
		n int
		t string
	}
	before := map[key]value{}
	own := map[key]int{}
	for round := range 40 {
		now := map[key]value{}
		for k, v := range before { // most stay, some go, some change
			switch r.IntN(6) {
			case 0:
			case 1:
				now[k] = value{v.n + 1, v.t}
			default:
				now[k] = v
			}
		}
		for range r.IntN(4) {
			now[key{r.IntN(9), string(rune('a' + r.IntN(3)))}] = value{r.IntN(5), fmt.Sprint(r.IntN(5))}
		}
		differ := 0
		for k, v := range now {
			if old, was := before[k]; !was || old != v {
				differ++
			}
		}
		for k := range before {
			if _, is := now[k]; !is {
				differ++
				delete(own, k)
			}
		}
		var rows [][]any
		for k, v := range now {
			rows = append(rows, []any{k.a, k.b, v.n, v.t})
		}
		must(func(tx *Tx) error {
			if _, err := tx.Exec("DELETE FROM written"); err != nil {
				return err
			}
			return tx.Replace("held", 2, []string{"a", "b", "n", "t"}, len(rows), func(i int) []any { return rows[i] })
		})
		must(func(tx *Tx) error {
			var written int
			if err := tx.QueryRow("SELECT count(*) FROM written").Scan(&written); err != nil {
				return err
			}
			if written != differ {
				t.Errorf("round %d: %d rows differ and %d are written", round, differ, written)
			}
			got := map[key]value{}
			kept, err := Query(tx, func(rows *sql.Rows, o *int) error {
				var k key
				var v value
				err := rows.Scan(&k.a, &k.b, &v.n, &v.t, o)
				got[k] = v
				if *o != own[k] {
					t.Errorf("round %d: %v has %d of its own, had %d", round, k, *o, own[k])
				}
				return err
			}, "SELECT a, b, n, t, own FROM held")
			if fmt.Sprint(got) != fmt.Sprint(now) || len(kept) != len(now) {
				t.Errorf("round %d: holds %v, given %v", round, got, now)
			}
			for k := range now {
				if r.IntN(3) == 0 {
					own[k] = round + 1
					if err := tx.One("UPDATE held SET own = ? WHERE a = ? AND b = ?", own[k], k.a, k.b); err != nil {
						return err
					}
				}
			}
			return err
		})
		before = now
	}
}

// Rows that are gone are found by their key: what is replaced is not compared with everything.
func TestReplaceFindsByKey(t *testing.T) {
	db, err := Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.Update(t.Context(), func(tx *Tx) error {
		for table, keys := range map[string][]string{
			"device_fact": {"device_id"},
			"idle_fact":   {"device_id", "product_id"},
			"name_fact":   {"key"},
		} {
			r := replacing{table: table, keys: keys}
			if err := r.prepare(tx); err != nil {
				return err
			}
			plan, err := tx.plan(r.gone(), nil)
			if err != nil {
				return err
			}
			if !slices.ContainsFunc(plan, func(step string) bool { return strings.HasPrefix(step, "SEARCH r ") }) {
				t.Errorf("%s: %q", table, plan)
			}
			if _, err := tx.Exec("DROP TABLE " + stage); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
}
