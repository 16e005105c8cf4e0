package sqlite

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/civil"
)

// ErrNotKept says that a file does not know any more, or did not know yet, what was known on a day.
var ErrNotKept = errors.New("what was known then was not kept")

// remembered are the tables that figures rest on, under the numbers by which the file keeps what their rows were. A
// number is never given to another table. Those that others are narrowed by come first, installs come last.
var remembered = []struct {
	number int
	table  string
}{
	{1, "setting"}, {2, "rate"},
	{3, "product"}, {4, "title"}, {5, "publisher"}, {6, "suite"},
	{7, "decision"}, {8, "name_rule"}, {9, "left_out"}, {10, "recognition"},
	{11, "entitlement"}, {12, "txn"}, {13, "assignment"},
	{14, "policy"}, {15, "device_group"}, {16, "group_pick"}, {17, "metering"},
	{18, "device"}, {19, "device_was"}, {20, "person"}, {21, "person_move"},
	{22, "source"}, {23, "scan"}, {24, "fact_scan"}, {25, "hardware"}, {26, "device_file"},
	{27, "pool"}, {28, "pool_was"}, {29, "pool_event"},
	{30, "use_name"}, {31, "use_session"}, {32, "use_day"}, {33, "use_seen"}, {34, "last_use"},
	{35, "process_event"}, {37, "way"},
	{40, "person_record"}, {41, "own_value"}, {38, "entitlement_change"}, {39, "catalogue_change"},
	{36, "install"},
}

// column is a column of a table as SQLite describes it.
type column struct {
	Name, Type string
	Default    *string `db:"dflt_value"`
	Key        int     `db:"pk"` // its place in the key, from 1; 0 where it is none of it
}

// columnsOf returns the columns whose values are remembered, and those of the key in its order. Hashes are not: they
// say nothing that the other columns do not.
func columnsOf(tx *Tx, table string) (kept, keys []column, err error) {
	list, err := Select[column](tx, "SELECT name, type, dflt_value, pk FROM pragma_table_info(?)", table)
	if err != nil {
		return nil, nil, err
	}
	for _, c := range list {
		if c.Type != "BLOB" {
			kept = append(kept, c)
		}
		if c.Key > 0 {
			keys = append(keys, c)
		}
	}
	slices.SortFunc(keys, func(a, b column) int { return a.Key - b.Key })
	if len(keys) == 0 {
		return nil, nil, fmt.Errorf("table %s has no key to remember its rows by", table)
	}
	return kept, keys, nil
}

// remember makes the triggers that keep what rows were, of the tables that held something at the last mark, where one
// has none or has other columns now. What comes into the others until the next mark need not be noted row by row: a
// first import is as fast as without.
func remember(tx *Tx) error {
	type trigger struct{ Name, SQL string }
	list, err := Select[trigger](tx, "SELECT name, sql FROM sqlite_schema WHERE type = 'trigger'")
	if err != nil {
		return err
	}
	has := map[string]string{}
	for _, t := range list {
		has[t.Name] = t.SQL
	}
	held, err := Select[int](
		tx,
		"SELECT value FROM json_each(?) WHERE EXISTS (SELECT 1 FROM mark) AND value NOT IN "+
			"(SELECT tbl FROM blank WHERE mark = (SELECT max(id) FROM mark))",
		numbersOfRemembered(),
	)
	if err != nil {
		return err
	}
	for _, r := range remembered {
		kept, keys, err := columnsOf(tx, r.table)
		if err != nil {
			return err
		}
		for name, text := range triggersOf(r.number, r.table, kept, keys) {
			if !slices.Contains(held, r.number) {
				text = ""
			}
			if has[name] == text {
				continue
			}
			if _, err := tx.Exec("DROP TRIGGER IF EXISTS " + name); err != nil {
				return err
			}
			if text == "" {
				continue
			}
			if _, err := tx.Exec(text); err != nil {
				return fmt.Errorf("remembering %s: %w", r.table, err)
			}
		}
	}
	return nil
}

func numbersOfRemembered() string {
	var out []string
	for _, r := range remembered {
		out = append(out, fmt.Sprint(r.number))
	}
	return "[" + strings.Join(out, ",") + "]"
}

// triggersOf are the statements that make the triggers of a table, by their names. Of each row the first that happens
// to it after a mark is kept, so the mark has what it was then.
func triggersOf(number int, table string, kept, keys []column) map[string]string {
	of := func(row string) (key, image string) {
		var k, i []string
		for _, c := range keys {
			if c.Type == "INTEGER" {
				k = append(k, row+"."+c.Name)
			} else {
				k = append(k, "json_quote("+row+"."+c.Name+")")
			}
		}
		for _, c := range kept {
			i = append(i, "'"+c.Name+"', "+row+"."+c.Name)
		}
		return "'[' || " + strings.Join(k, " || ',' || ") + " || ']'", "json_object(" + strings.Join(i, ", ") + ")"
	}
	var differs []string
	for _, c := range kept {
		if c.Key == 0 {
			differs = append(differs, "OLD."+c.Name+" IS NOT NEW."+c.Name)
		}
	}
	out := map[string]string{}
	write := func(what, name, when, key, image string) {
		name = "past_" + table + "_" + name
		out[name] = fmt.Sprintf("CREATE TRIGGER %s AFTER %s ON %s%s BEGIN INSERT INTO past(tbl, mark, key, "+
			"image) VALUES (%d, (SELECT max(id) FROM mark), %s, %s) ON CONFLICT DO NOTHING; END", name, what, table,
			when, number, key, image)
	}
	was, image := of("OLD")
	is, _ := of("NEW")
	write("INSERT", "came", "", is, "NULL")
	write("DELETE", "went", "", was, image)
	if len(differs) > 0 {
		write("UPDATE", "changed", " WHEN "+strings.Join(differs, " OR "), was, image)
	}
	return out
}

// Days lets a mark be set before the first writing of each day, by a clock.
func (db *DB) Days(today func() civil.Day, now func() time.Time) {
	db.mu.Lock()
	defer db.mu.Unlock()
	db.today, db.now = today, now
}

// newDay sets a mark where a day has begun since the last one.
func (db *DB) newDay(tx *Tx) error {
	db.mu.Lock()
	today, now, marked := db.today, db.now, db.marked
	db.mu.Unlock()
	if today == nil || today() <= marked {
		return nil
	}
	day := today()
	last, err := Select[civil.Day](tx, "SELECT coalesce(max(day), 0) FROM mark")
	if err != nil {
		return err
	}
	if last[0] < day {
		if _, err := setMark(tx, day, now()); err != nil {
			return err
		}
	}
	tx.Committed = append(tx.Committed, func() {
		db.mu.Lock()
		db.marked = max(db.marked, day)
		db.mu.Unlock()
	})
	return nil
}

// Mark sets a mark now, to which the file can be read back, and returns its number.
func (tx *Tx) Mark(now time.Time) (int64, error) { return setMark(tx, 0, now) }

func setMark(tx *Tx, day civil.Day, now time.Time) (int64, error) {
	id, err := tx.Insert("INSERT INTO mark(day, at) VALUES (?, ?)", day, now.Unix())
	if err != nil {
		return 0, err
	}
	for _, r := range remembered {
		if _, err := tx.Exec("INSERT INTO blank(mark, tbl) SELECT ?, ? WHERE NOT EXISTS (SELECT 1 FROM "+r.table+
			")", id, r.number); err != nil {
			return 0, err
		}
	}
	return id, remember(tx)
}

// MarkAfter finds the mark at which the file was as it was at the end of a day: that of the next day on which anything
// was written. It is 0 where nothing was written since. ErrNotKept is returned for days before the first mark.
func (tx *Tx) MarkAfter(day civil.Day) (int64, error) {
	type marks struct {
		First civil.Day
		ID    int64
	}
	list, err := Select[marks](
		tx,
		"SELECT coalesce(min(day), 0) AS first, coalesce((SELECT min(id) FROM mark WHERE "+
			"day > ?1), 0) AS id FROM mark WHERE day > 0",
		day,
	)
	if err != nil {
		return 0, err
	}
	if m := list[0]; m.First == 0 || day < m.First-1 {
		return 0, ErrNotKept
	}
	return list[0].ID, nil
}

// KnownSince is the first day of which the file knows what was known at its end; 0 where there is none yet.
func (tx *Tx) KnownSince() (civil.Day, error) {
	list, err := Select[civil.Day](tx, "SELECT coalesce(min(day) - 1, 0) FROM mark WHERE day > 0")
	if err != nil {
		return 0, err
	}
	return list[0], nil
}

// Forget forgets what rows of a table were, where SQL over past's key and image says so: what is deleted because it may
// not be kept any longer is not kept there either. Whatever is asked for as it was known then is without it.
func (tx *Tx) Forget(table, where string, args ...any) error {
	if tx.Previewed() {
		return nil // nothing of it is looked at there
	}
	for _, r := range remembered {
		if r.table == table {
			_, err := tx.Exec("DELETE FROM past WHERE tbl = "+Itoa(int64(r.number))+
				" AND mark IN (SELECT id FROM mark) AND "+where, args...)
			return err
		}
	}
	return fmt.Errorf("what table %s was is not remembered", table)
}

// ForgetJust is Forget of what was noted since the latest mark of the rows whose key begins with a number: of what was
// deleted just now.
func (tx *Tx) ForgetJust(table string, first int64, where string, args ...any) error {
	if tx.Previewed() {
		return nil
	}
	for _, r := range remembered {
		if r.table == table {
			n := Itoa(first)
			_, err := tx.Exec("DELETE FROM past WHERE tbl = "+Itoa(int64(r.number))+" AND mark = (SELECT max(id) FROM "+
				"mark) AND key >= '["+n+",' AND key < '["+n+"-' AND "+where, args...)
			return err
		}
	}
	return fmt.Errorf("what table %s was is not remembered", table)
}

// KeepsMark reports whether the file still knows what it was at a mark.
func (tx *Tx) KeepsMark(mark int64) (kept bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM mark WHERE id = ?)", mark).Scan(&kept)
	return kept, err
}

// ForgetMarks takes back the marks before that of a day, or the first after it: the file does not know any more what
// was known on the days before.
func (tx *Tx) ForgetMarks(day civil.Day) error {
	const before = " < (SELECT min(id) FROM mark WHERE day >= ?)"
	if _, err := tx.Exec("DELETE FROM blank WHERE mark"+before, day); err != nil {
		return err
	}
	_, err := tx.Exec("DELETE FROM mark WHERE id"+before, day)
	return err
}

// ForgetUnmarked deletes some of what rows were at marks that were taken back, and says how many. None is all.
func (tx *Tx) ForgetUnmarked(most int) (gone int64, err error) {
	for _, r := range remembered {
		n, err := tx.Touched("DELETE FROM past WHERE tbl = ?1 AND (mark, key) IN (SELECT mark, key FROM past "+
			"WHERE tbl = ?1 AND mark < (SELECT min(id) FROM mark) LIMIT ?2)", r.number, most)
		if gone += n; err != nil || gone > 0 {
			return gone, err
		}
	}
	return 0, nil
}

// ChangedSince lists the first columns of the keys of a table's rows that changed since a mark.
func (tx *Tx) ChangedSince(table string, mark int64) ([]int64, error) {
	for _, r := range remembered {
		if r.table != table {
			continue
		}
		_, keys, err := columnsOf(tx, table)
		if err != nil {
			return nil, err
		}
		return Select[int64](
			tx,
			"SELECT json_extract(key, '$[0]') FROM past WHERE tbl = ?1 AND mark >= ?2 UNION SELECT "+
				keys[0].Name+" FROM "+table+" WHERE EXISTS (SELECT 1 FROM blank WHERE tbl = ?1 AND mark >= ?2)",
			r.number,
			mark,
		)
	}
	return nil, fmt.Errorf("what table %s was is not remembered", table)
}

// AsKnown runs fn on the file as it was at a mark; 0 is now. It is a preview of what would be there if everything that
// was written since had not been: of tables that changed since it reads copies, so it costs what these have in rows.
// narrow may, by LayRows, say which rows of large tables matter, once the small tables are as they were; nil is all.
func (db *DB) AsKnown(ctx context.Context, mark int64, narrow func(tx *Tx) error, fn func(tx *Tx) error) error {
	return db.Preview(ctx, func(tx *Tx) error {
		if mark == 0 {
			return fn(tx)
		}
		for _, r := range remembered {
			if r.table == "install" && narrow != nil {
				if err := narrow(tx); err != nil {
					return err
				}
			}
			if err := tx.back(mark, r.number, r.table); err != nil {
				return fmt.Errorf("%s as it was: %w", r.table, err)
			}
		}
		return fn(tx)
	})
}

// back lays over a table what it was at a mark.
func (tx *Tx) back(mark int64, number int, table string) error {
	type changes struct {
		Blank int64 // the first mark since at which the table held nothing
		Any   bool
	}
	list, err := Select[changes](
		tx,
		`SELECT coalesce((SELECT min(mark) FROM blank WHERE tbl = ?1 AND mark >= ?2), 0)
		AS blank, EXISTS (SELECT 1 FROM past WHERE tbl = ?1 AND mark >= ?2) AS any`,
		number,
		mark,
	)
	if err != nil {
		return err
	}
	c := list[0]
	if c.Blank == 0 && !c.Any {
		return nil
	}
	until := int64(1) << 62
	if c.Blank != 0 {
		until = c.Blank
		tx.over.whole[table] = true
		if err := tx.lay(table, "0"); err != nil {
			return err
		}
	} else if !tx.over.whole[table] && tx.over.parts[table] == nil {
		tx.over.whole[table] = true
		if err := tx.lay(table, "1"); err != nil {
			return err
		}
	}
	if !c.Any {
		return nil
	}
	kept, keys, err := columnsOf(tx, table)
	if err != nil {
		return err
	}
	var key, names, values, picked []string
	for i, k := range keys {
		key = append(key, k.Name)
		picked = append(picked, fmt.Sprintf("json_extract(key, '$[%d]')", i))
	}
	for _, c := range kept {
		value := "image ->> '$." + c.Name + "'"
		if c.Default != nil { // a column that came later
			value = "CASE WHEN json_type(image, '$." + c.Name + "') IS NULL THEN " + *c.Default + " ELSE " + value +
				" END"
		}
		names, values = append(names, c.Name), append(values, value)
	}
	all, err := Select[column](tx, "SELECT name, type, dflt_value, pk FROM pragma_table_info(?)", table)
	if err != nil {
		return err
	}
	for _, c := range all {
		if c.Type == "BLOB" {
			names, values = append(names, c.Name), append(values, "x''")
		}
	}
	for _, text := range []string{
		"CREATE TEMP TABLE IF NOT EXISTS undone (key TEXT, image TEXT, mark INTEGER)",
		"DELETE FROM temp.undone",
		fmt.Sprintf("INSERT INTO temp.undone SELECT key, image, min(mark) FROM main.past WHERE tbl = %d AND mark >= "+
			"%d AND mark < %d GROUP BY key", number, mark, until),
		"DELETE FROM temp." + table + " WHERE (" + strings.Join(key, ", ") + ") IN (SELECT " +
			strings.Join(picked, ", ") + " FROM temp.undone)",
		"INSERT INTO temp." + table + "(" + strings.Join(names, ", ") + ") SELECT " + strings.Join(values, ", ") +
			" FROM temp.undone WHERE image IS NOT NULL",
	} {
		if _, err := tx.Tx.ExecContext(tx.Ctx, text); err != nil {
			return err
		}
	}
	return nil
}
