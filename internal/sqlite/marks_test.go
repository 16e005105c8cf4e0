package sqlite

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/civil"
)

func opened(t *testing.T) *DB {
	t.Helper()
	db, err := Open(context.Background(), filepath.Join(t.TempDir(), "a.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = db.Close() })
	return db
}

// rows writes down all that a table holds but hashes, in the order of its key.
func rows(t *testing.T, tx *Tx, table string) []string {
	t.Helper()
	kept, keys, err := columnsOf(tx, table)
	if err != nil {
		t.Fatal(err)
	}
	quoted := func(list []column) string {
		var out []string
		for _, c := range list {
			out = append(out, "quote("+c.Name+")")
		}
		return strings.Join(out, " || ',' || ")
	}
	list, err := Select[string](tx, "SELECT "+quoted(kept)+" FROM "+table+" ORDER BY "+quoted(keys))
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// Whatever is written, changed and deleted in whatever order, the file is read at each mark as it was then: rows whose
// keys are numbers or several columns, and tables that were empty at a mark or are emptied.
func TestAsKnown(t *testing.T) {
	for seed := range uint64(20) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) { asKnown(t, rand.New(rand.NewPCG(seed, 1))) })
	}
}

func asKnown(t *testing.T, r *rand.Rand) {
	db := opened(t)
	ctx := context.Background()
	tables := []string{"rate", "install", "device_group", "recognition", "setting", "device_was"}
	exec := func(tx *Tx, text string, args ...any) {
		t.Helper()
		if _, err := tx.Exec(text, args...); err != nil {
			t.Fatal(text, err)
		}
	}
	texts := []string{"", "it's", "ünlü \"x\"", `{"a":[1,"b"]}`, "12", "null", "a\nb\x1fc"}
	text := func() string { return texts[r.IntN(len(texts))] }
	change := func(tx *Tx) {
		n := int64(r.IntN(6))
		switch r.IntN(13) {
		case 0, 1:
			exec(
				tx,
				"INSERT INTO rate(currency, on_day, per_eur) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET per_eur = "+
					"excluded.per_eur",
				text(),
				n,
				fmt.Sprint(r.IntN(3)),
			)
		case 2:
			exec(tx, "DELETE FROM rate WHERE on_day = ?", n)
		case 3, 4:
			var until any
			if r.IntN(2) == 0 {
				until = n + 1
			}
			exec(
				tx,
				"INSERT INTO install(device_id, source_id, record_id, place_id, since, until, install_date) VALUES "+
					"(?, 1, ?, 1, ?, ?, 0) ON CONFLICT DO UPDATE SET until = excluded.until",
				n,
				r.IntN(3),
				r.IntN(2),
				until,
			)
		case 5:
			exec(tx, "UPDATE install SET until = ? WHERE device_id = ?", n, n)
		case 6:
			exec(tx, "DELETE FROM install WHERE device_id = ?", n)
		case 7:
			exec(tx, "INSERT OR IGNORE INTO device_group(id, name, note, condition, by_hand, author, at) VALUES "+
				"(?, ?, ?, '{}', 0, '', 0)", n, fmt.Sprint(n), text())
		case 8:
			exec(tx, "UPDATE device_group SET note = ? WHERE id <= ?", text(), n)
		case 9:
			exec(tx, "DELETE FROM device_group WHERE id = ?", n)
		case 10:
			exec(
				tx,
				"INSERT INTO recognition(record_id, key, product_id, title_id, line_id, edition, edition_rank, "+
					"title_version, version, step, why_not, whole, not_software) "+
					"VALUES (?, ?, ?, 0, 0, '', 0, '', '', '', '', 1, 0) "+
					"ON CONFLICT DO UPDATE SET product_id = excluded.product_id",
				n,
				text(),
				r.IntN(3),
			)
		case 11:
			if err := tx.SetSetting("k"+fmt.Sprint(n), text()); err != nil {
				t.Fatal(err)
			}
		case 12:
			exec(tx, "DELETE FROM "+tables[r.IntN(len(tables))]) // all at once
		}
	}
	was := map[int64]map[string][]string{}
	for range 12 {
		err := db.Update(ctx, func(tx *Tx) error {
			for range r.IntN(8) {
				change(tx)
			}
			if r.IntN(2) == 0 {
				return nil
			}
			mark, err := tx.Mark(time.Unix(0, 0))
			was[mark] = map[string][]string{}
			for _, table := range tables {
				was[mark][table] = rows(t, tx, table)
			}
			for range r.IntN(4) { // the rest of the transaction comes after the mark
				change(tx)
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	for mark, want := range was {
		err := db.AsKnown(ctx, mark, nil, func(tx *Tx) error {
			for _, table := range tables {
				if got := rows(t, tx, table); !slices.Equal(got, want[table]) {
					t.Errorf("at mark %d, %s is %q, and was %q", mark, table, got, want[table])
				}
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}

// The first writing of a day sets a mark, nothing else does, and a day is found by the next on which anything was
// written.
func TestMarksOfDays(t *testing.T) {
	db := opened(t)
	ctx := context.Background()
	day := civil.Day(100)
	db.Days(func() civil.Day { return day }, func() time.Time { return time.Unix(int64(day)*86400, 0) })
	write := func(value string) {
		t.Helper()
		if err := db.Update(ctx, func(tx *Tx) error { return tx.SetSetting("k", value) }); err != nil {
			t.Fatal(err)
		}
	}
	write("of 100")
	write("of 100, later")
	day = 103
	write("of 103")
	day = 102 // a clock that is put back sets none
	write("of 103, put back")
	day = 104
	write("of 104")
	for known, want := range map[civil.Day]string{99: "", 100: "of 100, later", 101: "of 100, later",
		102: "of 100, later", 103: "of 103, put back", 104: "of 104", 200: "of 104"} {
		var mark int64
		if err := db.View(ctx, func(tx *Tx) (err error) {
			mark, err = tx.MarkAfter(known)
			return err
		}); err != nil {
			t.Fatal(known, err)
		}
		if err := db.AsKnown(ctx, mark, nil, func(tx *Tx) error {
			if got, err := tx.Setting("k"); err != nil || got != want {
				t.Errorf("known on %d: %q, want %q (%v)", known, got, want, err)
			}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	err := db.View(ctx, func(tx *Tx) error {
		if _, err := tx.MarkAfter(98); !errors.Is(err, ErrNotKept) {
			t.Errorf("what was known before the file was there: %v", err)
		}
		since, err := tx.KnownSince()
		if since != 99 {
			t.Errorf("known since %d, want 99", since)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// A column that a later version adds has its default in rows of before, and is remembered from then on.
func TestAsKnownWithANewColumn(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.db")
	ctx := context.Background()
	db, err := Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	var first, second int64
	do := func(fn func(tx *Tx) error) {
		t.Helper()
		if err := db.Update(ctx, fn); err != nil {
			t.Fatal(err)
		}
	}
	put := "INSERT INTO rate(currency, on_day, per_eur) VALUES ('SEK', 1, '11')"
	do(func(tx *Tx) error { _, err := tx.Exec(put); return err })
	do(func(tx *Tx) error { first, err = tx.Mark(time.Unix(0, 0)); return err })
	do(func(tx *Tx) error { _, err := tx.Exec("UPDATE rate SET per_eur = '12'"); return err })
	do(func(tx *Tx) error {
		_, err := tx.Exec("ALTER TABLE rate ADD COLUMN bank TEXT NOT NULL DEFAULT 'none'")
		return err
	})
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	if db, err = Open(ctx, path); err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	do(func(tx *Tx) error { second, err = tx.Mark(time.Unix(0, 0)); return err })
	do(func(tx *Tx) error { _, err := tx.Exec("UPDATE rate SET bank = 'other'"); return err })
	for mark, want := range map[int64]string{first: "'SEK',1,'11','none'", second: "'SEK',1,'12','none'"} {
		if err := db.AsKnown(ctx, mark, nil, func(tx *Tx) error {
			if got := rows(t, tx, "rate"); !slices.Equal(got, []string{want}) {
				t.Errorf("at %d: %q, want %q", mark, got, want)
			}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
	}
}

// Rows of few machines can be read as they were without a copy of the whole table.
func TestAsKnownInPart(t *testing.T) {
	db := opened(t)
	ctx := context.Background()
	put := "INSERT INTO install(device_id, source_id, record_id, place_id, since, until, install_date) VALUES " +
		"(?, 1, ?, 1, 5, NULL, 0)"
	var mark int64
	err := db.Update(ctx, func(tx *Tx) error {
		for device := range 10 {
			for record := range 3 {
				if _, err := tx.Exec(put, device, record); err != nil {
					return err
				}
			}
		}
		var err error
		if mark, err = tx.Mark(time.Unix(0, 0)); err != nil {
			return err
		}
		_, err = tx.Exec("DELETE FROM install WHERE device_id = 4")
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	err = db.AsKnown(
		ctx,
		mark,
		func(tx *Tx) error { return tx.LayRows("install", "record_id = ?", 2) },
		func(tx *Tx) error {
			n, err := Select[int64](tx, "SELECT count(*) FROM install WHERE record_id = 2")
			if n[0] != 10 {
				t.Errorf("%d machines had it, want 10", n[0])
			}
			return err
		},
	)
	if err != nil {
		t.Fatal(err)
	}
}

// Every table that the sources of figures read is remembered, or stands here with what it is instead. A new one has to
// be put either here or there.
func TestWhatFiguresReadIsRemembered(t *testing.T) {
	reasons := map[string]string{
		"record": "never changed", "place": "never changed", "file": "never changed", "fact_set": "never changed",
		"json_each": "no table",
		"position":  "derived", "device_fact": "derived", "product_fact": "derived", "idle_fact": "derived",
		"group_member": "derived", "fleet": "derived",
		"worklist_case": "shown beside figures", "remark": "shown beside figures", "tag": "shown beside figures",
		"watch": "shown beside figures", "release_plan": "shown beside figures", "import": "shown beside figures",
		"edit":      "revisions",
		"contract":  "fields of the house's own, not figures",
		"statement": "never changed", "account": "people who sign in",
		"reclaim_rule": "findings, not positions", "install_key": "findings, not positions",
		"found_key": "never changed", "past": "what is remembered itself", "mark": "of what is remembered",
		"joined_device": "names that lead to devices, not figures", "machine_record": "names, not figures",
	}
	for _, r := range remembered {
		if reasons[r.table] != "" {
			t.Errorf("%s is remembered, and is said not to be", r.table)
		}
		reasons[r.table] = "remembered"
	}
	read := regexp.MustCompile(`\b(?:FROM|JOIN)\s+([a-z_]+)\b`)
	named := regexp.MustCompile(`\b([a-z_]+) AS \(SELECT\b`) // by a statement itself
	seen := map[string]bool{}
	for _, pattern := range []string{
		"../snapshot/*.go", "../own/*.go", "../position/*.go", "../position/positiondb/*.go",
	} {
		files, err := filepath.Glob(pattern)
		if err != nil || len(files) == 0 {
			t.Fatal(pattern, err)
		}
		for _, name := range files {
			text, err := os.ReadFile(name)
			if err != nil {
				t.Fatal(err)
			}
			own := map[string]bool{}
			for _, m := range named.FindAllStringSubmatch(string(text), -1) {
				own[m[1]] = true
			}
			for _, m := range read.FindAllStringSubmatch(string(text), -1) {
				if own[m[1]] {
					continue
				}
				seen[m[1]] = true
				if reasons[m[1]] == "" && !strings.HasSuffix(name, "_test.go") {
					t.Errorf("%s reads %s: remember it, or say here why not", name, m[1])
				}
			}
		}
	}
	if !seen["install"] || !seen["entitlement"] || !seen["use_day"] {
		t.Error("the sources were not read")
	}
}

// What it costs to remember what came: rows that come into a table that was empty at the last mark, and into one that
// was not.
func BenchmarkRemembering(b *testing.B) {
	for name, held := range map[string]bool{"first": false, "later": true} {
		b.Run(name, func(b *testing.B) {
			db, err := Open(b.Context(), filepath.Join(b.TempDir(), "a.db"))
			if err != nil {
				b.Fatal(err)
			}
			defer db.Close()
			put := func(from, n int) error {
				return db.Update(b.Context(), func(tx *Tx) error {
					w, err := tx.Bulk(
						7,
						"INSERT INTO install(device_id, source_id, record_id, place_id, since, until, "+
							"install_date)",
						" ON CONFLICT DO UPDATE SET until = excluded.until",
					)
					for i := range n {
						err = errors.Join(err, w.Add((from+i)/100, 1, (from+i)%100, 1, 5, nil, 0))
					}
					return errors.Join(err, w.Flush())
				})
			}
			if err := put(0, 1); err != nil {
				b.Fatal(err)
			}
			if held {
				err := db.Update(b.Context(), func(tx *Tx) error {
					_, err := tx.Mark(time.Unix(0, 0))
					return err
				})
				if err != nil {
					b.Fatal(err)
				}
			}
			b.ResetTimer()
			if err := put(100, b.N); err != nil {
				b.Fatal(err)
			}
		})
	}
}
