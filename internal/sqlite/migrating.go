package sqlite

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"sync"

	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

//go:embed older/*.sql
var older embed.FS

// ErrNotOurs says that a file is none of this program, of a newer one, or one that was changed by somebody else.
type ErrNotOurs struct{ Reason string }

func (e *ErrNotOurs) Error() string { return e.Reason }

// goosed is the table in which a file keeps which migrations made it.
const goosed = "goose_db_version"

// migrate brings a file up to date, or refuses it in words before it is changed.
func (db *DB) migrate(ctx context.Context) error {
	p, err := provider(db.write)
	if err != nil {
		return err
	}
	tables, err := shapeOf(ctx, db.write)
	if err != nil {
		return notADatabase(err)
	}
	empty := len(tables) == 0
	if !empty && tables[goosed] == nil {
		return &ErrNotOurs{"it is a data file of another program: name one of Ensomet with --db, or a new one"}
	}
	at, target := int64(0), int64(0)
	if !empty {
		if at, target, err = p.GetVersions(ctx); err != nil {
			return err
		}
		if at > target {
			return &ErrNotOurs{fmt.Sprintf("it was written by a newer Ensomet (form %d, and this program knows %d): "+
				"open it with that one", at, target)}
		}
		if at == target && db.verified(ctx) == target {
			return nil
		}
		if err := db.mend(ctx, at, tables); err != nil {
			return err
		}
	}
	if _, err = p.Up(ctx); err != nil {
		return err
	}
	if target == 0 {
		if _, target, err = p.GetVersions(ctx); err != nil {
			return err
		}
	}
	return db.verify(ctx, target)
}

func provider(db *sql.DB) (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectSQLite3, db, files)
}

// notADatabase tells a file that is no data file at all from a fault.
func notADatabase(err error) error {
	if strings.Contains(err.Error(), "not a database") {
		return &ErrNotOurs{"it is no data file: name one of Ensomet with --db, or a new one"}
	}
	return err
}

// shape has the columns of each table, and the indexes with no columns.
type shape map[string][]string

func shapeOf(ctx context.Context, db *sql.DB) (shape, error) {
	rows, err := db.QueryContext(ctx, `SELECT m.name, coalesce(c.name, '') FROM sqlite_master m
		LEFT JOIN pragma_table_info(m.name) c ON m.type = 'table'
		WHERE m.type IN ('table', 'index') AND m.name NOT LIKE 'sqlite_%'`)
	if err != nil {
		return nil, err
	}
	out := shape{}
	err = Each(rows, func() error {
		var name, column string
		if err := rows.Scan(&name, &column); err != nil {
			return err
		}
		out[name] = append(out[name], column)
		return nil
	})
	return out, err
}

// has reports whether there is a table or an index, or a column of a table, written as table.column.
func (s shape) has(what string) bool {
	name, column, ok := strings.Cut(what, ".")
	return s[name] != nil && (!ok || slices.Contains(s[name], column))
}

// mended are the parts that files lack which were made while migrations were still edited after they had landed: from
// a version on, without what is named, the file gets them before it is migrated further. None is ever added: migrations
// are not edited any more.
var mended = []struct {
	from  int64
	lacks string
	file  string
}{
	{1, "import.header", "imports_as_they_came.sql"},
	{4, "release_fact", "facts_of_releases.sql"},
	{5, "device_was", "devices_as_they_were.sql"},
	{6, "hardware_until", "hardware_of_past_days.sql"},
	{6, "process_event", "use_by_days.sql"},
	{6, "pool.zone", "work_with_people.sql"},
	{6, "use_due.after", "use_rolled_up.sql"},
	{7, "pool_connection", "pool_connections.sql"},
}

// mend gives a file of an older kind what it lacks, in one transaction, and lets everything be computed anew.
func (db *DB) mend(ctx context.Context, at int64, has shape) error {
	return within(ctx, db.write, false, func(tx *Tx) error {
		any := false
		for _, m := range mended {
			if at < m.from || has.has(m.lacks) {
				continue
			}
			text, err := older.ReadFile("older/" + m.file)
			if err != nil {
				return err
			}
			if _, err := tx.Exec(string(text)); err != nil {
				return fmt.Errorf("it lacks %s, and that could not be mended: %w", m.lacks, err)
			}
			any = true
		}
		if !any {
			return nil
		}
		_, err := tx.Exec("INSERT INTO setting(key, value) VALUES ('changes', '1') ON CONFLICT(key) DO UPDATE SET " +
			"value = CAST(value AS INTEGER) + 1")
		return err
	})
}

// verified is the version for which a file was found to be whole, 0 where it was not looked at.
func (db *DB) verified(ctx context.Context) (version int64) {
	if err := db.write.QueryRowContext(ctx, "PRAGMA user_version").Scan(&version); err != nil {
		return 0
	}
	return version
}

// verify refuses a file that lacks something which a new one has, and notes that one was found to be whole.
func (db *DB) verify(ctx context.Context, version int64) error {
	has, err := shapeOf(ctx, db.write)
	if err != nil {
		return err
	}
	want, err := newShape()
	if err != nil {
		return err
	}
	var lacks []string
	for name, columns := range want {
		for _, c := range columns {
			what := strings.TrimSuffix(name+"."+c, ".")
			if !has.has(what) {
				lacks = append(lacks, what)
			}
		}
	}
	if len(lacks) > 0 {
		slices.Sort(lacks)
		return &ErrNotOurs{fmt.Sprintf("it was made by a version that never was given out, or changed by another "+
			"program: it lacks %s. Restore a copy from before", strings.Join(lacks[:min(len(lacks), 5)], ", "))}
	}
	_, err = db.write.ExecContext(ctx, fmt.Sprintf("PRAGMA user_version = %d", version))
	return err
}

// newShape is the shape of a file that is made anew. It is the same as long as the program runs.
var newShape = sync.OnceValues(func() (out shape, err error) {
	ctx := context.Background()
	db, err := sql.Open(driverName, ":memory:")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	db.SetMaxOpenConns(1)
	p, err := provider(db)
	if err != nil {
		return nil, err
	}
	if _, err := p.Up(ctx); err != nil {
		return nil, err
	}
	return shapeOf(ctx, db)
})
