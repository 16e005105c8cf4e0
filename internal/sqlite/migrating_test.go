package sqlite

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// landed are the kinds of files that landed, each as the text of the migrations that made it.
func landed(t testing.TB) [][]string {
	t.Helper()
	list, err := os.ReadFile("testdata/landed/kinds.txt")
	if err != nil {
		t.Fatal(err)
	}
	var out [][]string
	for line := range strings.Lines(string(list)) {
		if strings.HasPrefix(line, "#") {
			continue
		}
		var kind []string
		for _, name := range strings.Fields(line) {
			path := "testdata/landed/" + name + ".sql"
			if filepath.Ext(name) == "" {
				path = "migrations/" + name + ".sql"
			}
			text, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			up, _, _ := strings.Cut(string(text), "-- +goose Down")
			kind = append(kind, up)
		}
		out = append(out, kind)
	}
	return out
}

// ofKind makes a file of a kind, with something in it.
func ofKind(t testing.TB, kind []string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "old.db")
	db, err := sql.Open(driverName, dsn(path, writing))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	texts := append(slices.Clone(kind),
		"CREATE TABLE goose_db_version (id INTEGER PRIMARY KEY AUTOINCREMENT, version_id INTEGER NOT NULL, "+
			"is_applied "+
			"INTEGER NOT NULL, tstamp TIMESTAMP DEFAULT (datetime('now')))")
	for version := range len(kind) + 1 {
		texts = append(texts,
			fmt.Sprintf("INSERT INTO goose_db_version(version_id, is_applied) VALUES (%d, 1)", version))
	}
	texts = append(texts, `INSERT INTO device(code, name, kind, environment, org_unit, site, country, ip_address,
			directory_path, primary_user, os_name, os_version, processors, cores, virtual_cores, core_factor, host_id,
			cluster, pinned, portable, status, last_scan, custom, hash)
		VALUES ('D1', 'alpha', 'client', '', 'Shore', '', '', '', '', '', '', '', 0, 0, 0, '', 'H2', '', '', '', '', 0,
			'{}', x'00')`,
		"INSERT INTO use_name(id, file_name, product) VALUES (1, 'weft.exe', '')",
		"INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active) VALUES (1, 1, 'u1', "+
			"1000, "+
			"2000, 500)")
	for _, text := range texts {
		if _, err := db.Exec(text); err != nil {
			t.Fatal(err, text)
		}
	}
	var onHost int
	if err := db.QueryRow("SELECT count(*) FROM sqlite_master WHERE name = 'on_host'").Scan(&onHost); err != nil {
		t.Fatal(err)
	}
	if onHost > 0 {
		if _, err := db.Exec("INSERT INTO on_host VALUES (1, 100, 'H1'), (1, 200, ''), (1, 300, 'H2')"); err != nil {
			t.Fatal(err)
		}
	}
	return path
}

// whole is everything that a file is made of: tables with their columns, indexes with their text.
func whole(t testing.TB, db *DB) []string {
	t.Helper()
	var out []string
	if err := db.View(context.Background(), func(tx *Tx) (err error) {
		out, err = Select[string](tx, `SELECT m.name || ' ' || coalesce(c.name || ' ' || c.type || ' ' || c."notnull"
			||
				' ' || coalesce(c.dflt_value, '') || ' ' || c.pk, m.sql, '')
			FROM sqlite_master m LEFT JOIN pragma_table_info(m.name) c ON m.type = 'table'
			WHERE m.name NOT LIKE 'sqlite_%' ORDER BY 1`)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	spaces := regexp.MustCompile(`\s+`)
	for i := range out {
		out[i] = spaces.ReplaceAllString(out[i], " ")
	}
	return out
}

// Every kind of file that ever landed opens, has the shape of a new one, and keeps what was in it; what rests on it is
// computed anew.
func TestFilesOfThePast(t *testing.T) {
	ctx := context.Background()
	fresh, err := Open(ctx, filepath.Join(t.TempDir(), "new.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer fresh.Close()
	want := whole(t, fresh)
	kinds := landed(t)
	if len(kinds) < 19 {
		t.Fatalf("%d kinds", len(kinds))
	}
	for i, kind := range kinds {
		path := ofKind(t, kind)
		for range 2 { // once more, when it is up to date
			db, err := Open(ctx, path)
			if err != nil {
				t.Errorf("kind %d: %v", i+1, err)
				break
			}
			got := whole(t, db)
			for _, line := range want {
				if !slices.Contains(got, line) {
					t.Errorf("kind %d lacks %s", i+1, line)
				}
			}
			for _, line := range got {
				if !slices.Contains(want, line) {
					t.Errorf("kind %d has %s", i+1, line)
				}
			}
			if err := db.View(ctx, func(tx *Tx) error { return kept(t, tx, i+1) }); err != nil {
				t.Errorf("kind %d: %v", i+1, err)
			}
			if err := db.Close(); err != nil {
				t.Error(err)
			}
		}
	}
}

func kept(t *testing.T, tx *Tx, kind int) error {
	t.Helper()
	for text, want := range map[string]int64{
		"SELECT count(*) FROM device WHERE code = 'D1' AND host_id = 'H2'":             1,
		"SELECT active FROM use_session":                                               500,
		"SELECT since FROM use_due WHERE device_id = 1 AND after = 0":                  1000,
		"SELECT count(*) FROM pragma_foreign_key_check":                                0,
		"SELECT CAST(value AS INTEGER) > 0 FROM setting WHERE key = 'changes'":         1,
		"SELECT count(*) FROM setting WHERE key = 'computed_changes' AND value <> '0'": 0,
	} {
		var got int64
		if err := tx.QueryRow(text).Scan(&got); err != nil && kind >= 16 && strings.Contains(text, "use_due") {
			continue // made by its own migration, before anything was in it
		} else if err != nil {
			return fmt.Errorf("%s: %w", text, err)
		} else if got != want {
			t.Errorf("kind %d: %s: %d, want %d", kind, text, got, want)
		}
	}
	if kind == 9 { // it knew past hosts in another form
		was, err := Select[string](tx,
			"SELECT until || ' ' || host_id || ' ' || org_unit FROM device_was ORDER BY until")
		if err != nil || !slices.Equal(was, []string{"200 H1 Shore", "300  Shore"}) {
			t.Errorf("past hosts: %q, %v", was, err)
		}
	}
	return nil
}

// A file of a newer program, of another program, one that somebody changed and one that is no data file are refused in
// words, and stay as they are.
func TestFilesThatAreRefused(t *testing.T) {
	ctx := context.Background()
	made := func(text string) string {
		path := filepath.Join(t.TempDir(), "x.db")
		db, err := Open(ctx, path)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.write.Exec(text); err != nil {
			t.Fatal(err)
		}
		if err := db.Close(); err != nil {
			t.Fatal(err)
		}
		return path
	}
	other := filepath.Join(t.TempDir(), "other.db")
	db, err := sql.Open(driverName, dsn(other, writing))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec("CREATE TABLE recipe (name TEXT)"); err != nil {
		t.Fatal(err)
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	text := filepath.Join(t.TempDir(), "text.db")
	if err := os.WriteFile(text, bytes.Repeat([]byte("no data file at all\n"), 300), 0o600); err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]string{
		made("INSERT INTO goose_db_version(version_id, is_applied) VALUES (9999, 1)"): "newer Ensomet",
		made("DROP TABLE saving; PRAGMA user_version = 0"):                            "lacks saving",
		made("ALTER TABLE device DROP COLUMN stated; PRAGMA user_version = 0"):        "device.stated",
		other: "another program",
		text:  "no data file",
	} {
		before, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		_, err = Open(ctx, path)
		var refused *ErrNotOurs
		if !errors.As(err, &refused) || !strings.Contains(err.Error(), want) {
			t.Errorf("want %q: %v", want, err)
		}
		after, err := os.ReadFile(path)
		if err != nil || !bytes.Equal(before, after) {
			t.Errorf("%q was changed, %v", want, err)
		}
	}
}

// Migrations that landed never change, and a new one is written down with its sum.
func TestMigrationsStay(t *testing.T) {
	list, err := os.ReadFile("testdata/landed/sums.txt")
	if err != nil {
		t.Fatal(err)
	}
	files, err := filepath.Glob("migrations/*.sql")
	if err != nil {
		t.Fatal(err)
	}
	sums := map[string]string{}
	for line := range strings.Lines(string(list)) {
		if fields := strings.Fields(line); len(fields) == 2 {
			sums[fields[1]] = fields[0]
		}
	}
	if len(sums) != len(files) {
		t.Errorf("%d migrations have sums, and there are %d", len(sums), len(files))
	}
	for _, path := range files {
		text, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		name := filepath.Base(path)
		if got := fmt.Sprintf("%x", sha256.Sum256(text)); sums[name] == "" {
			t.Errorf("%s is new: add the line  %s  %s", name, got, name)
		} else if sums[name] != got {
			t.Errorf("%s has landed and was changed since: put it back, and write a new migration", name)
		}
	}
}
