package sqlite

import (
	"slices"
	"strings"
)

// Replace makes a table hold these rows and no others, and writes only what differs from what it holds: a table with
// many indexes costs what changed. Where most of a large table changes, its indexes are made anew at the end, which is
// faster than keeping them. The first keys of the columns are the table's key; columns that are not named keep what
// they hold. row returns the values of one row in the order of the columns.
func (tx *Tx) Replace(table string, keys int, columns []string, n int, row func(i int) []any) error {
	return tx.ReplaceWhere(table, "", nil, keys, columns, n, row)
}

// ReplaceWhere is Replace of the rows that a condition, with one argument, holds for; every row that is given must be
// one of them. An empty condition is all rows.
func (tx *Tx) ReplaceWhere(table, where string, arg any, keys int, columns []string, n int,
	row func(i int) []any) error {
	if empty, err := Select[bool](tx, "SELECT NOT EXISTS (SELECT 1 FROM "+table+")"); err != nil {
		return err
	} else if empty[0] {
		return tx.withoutIndexes(table, n > manyRows, func() error { return tx.insert(table, columns, n, row) })
	}
	r := replacing{table: table, list: strings.Join(columns, ", "), keys: columns[:keys], rest: columns[keys:]}
	if err := r.prepare(tx); err != nil {
		return err
	}
	if err := tx.insert(stage, columns, n, row); err != nil {
		return err
	}
	many := false
	if where == "" && n > manyRows && len(r.rest) > 0 { // of a part of the table nobody knows how large the rest is
		differ, err := Select[int](tx, "SELECT count(*) FROM "+stage+" r LEFT JOIN "+table+" t ON "+r.joined("t")+
			" WHERE ("+prefixed("t.", r.rest)+") IS NOT ("+prefixed("r.", r.rest)+")")
		if err != nil {
			return err
		}
		many = differ[0] > n/2
	}
	return tx.withoutIndexes(table, many, func() error {
		set := make([]string, len(r.rest))
		for i, c := range r.rest {
			set[i] = c + " = excluded." + c
		}
		update := " DO NOTHING"
		if len(r.rest) > 0 {
			update = "(" + strings.Join(r.keys, ", ") + ") DO UPDATE SET " + strings.Join(set, ", ") + " WHERE (" +
				prefixed(table+".", r.rest) + ") <> (" + prefixed("excluded.", r.rest) + ")"
		}
		gone, args := r.gone(), []any(nil)
		if where != "" {
			gone, args = gone+" AND "+where, []any{arg}
		}
		if _, err := tx.Exec(gone, args...); err != nil {
			return err
		}
		for _, text := range []string{
			"INSERT INTO " + table + "(" + r.list + ") SELECT " + r.list + " FROM " + stage +
				" WHERE true ON CONFLICT" + update,
			"DROP TABLE " + stage,
		} {
			if _, err := tx.Exec(text); err != nil {
				return err
			}
		}
		return nil
	})
}

const (
	stage    = "temp.replacing"
	manyRows = 1000
)

// replacing is the table whose rows are replaced.
type replacing struct {
	table, list string
	keys, rest  []string
}

// prepare makes the stage. Its columns have the types of the table's: keys of other types would be compared one by one.
func (r *replacing) prepare(tx *Tx) error {
	type column struct{ Name, Type string }
	list, err := Select[column](tx, "SELECT name, type FROM pragma_table_info(?)", r.table)
	if err != nil {
		return err
	}
	var columns []string
	for _, c := range list {
		if slices.Contains(r.keys, c.Name) || slices.Contains(r.rest, c.Name) {
			columns = append(columns, c.Name+" "+c.Type)
		}
	}
	_, err = tx.Tx.ExecContext(tx.Ctx, "CREATE TEMP TABLE replacing ("+strings.Join(columns, ", ")+", PRIMARY KEY ("+
		strings.Join(r.keys, ", ")+")) WITHOUT ROWID")
	return err
}

// gone is the SQL that deletes the rows of the table that are not on the stage.
func (r *replacing) gone() string {
	return "DELETE FROM " + r.table + " WHERE NOT EXISTS (SELECT 1 FROM " + stage + " r WHERE " + r.joined(r.table) +
		")"
}

// joined says that rows of the stage, called r, and of a table have the same key.
func (r *replacing) joined(table string) string {
	out := make([]string, len(r.keys))
	for i, c := range r.keys {
		out[i] = "r." + c + " = " + table + "." + c
	}
	return strings.Join(out, " AND ")
}

func prefixed(prefix string, columns []string) string {
	return prefix + strings.Join(columns, ", "+prefix)
}

func (tx *Tx) insert(table string, columns []string, n int, row func(i int) []any) error {
	b, err := tx.Bulk(len(columns), "INSERT INTO "+table+"("+strings.Join(columns, ", ")+")", "")
	if err != nil {
		return err
	}
	for i := range n {
		if err := b.Add(row(i)...); err != nil {
			return err
		}
	}
	return b.Flush()
}

// withoutIndexes takes the indexes of a table away while fn writes to it, where that is wanted.
func (tx *Tx) withoutIndexes(table string, wanted bool, fn func() error) error {
	if !wanted || tx.Previewed() {
		return fn()
	}
	type index struct{ Name, SQL string }
	list, err := Select[index](tx,
		"SELECT name, sql FROM sqlite_schema WHERE type = 'index' AND tbl_name = ? AND sql "+
			"IS NOT NULL", table)
	if err != nil {
		return err
	}
	for _, x := range list {
		if _, err := tx.Exec("DROP INDEX " + x.Name); err != nil {
			return err
		}
	}
	if err := fn(); err != nil {
		return err
	}
	for _, x := range list {
		if _, err := tx.Exec(x.SQL); err != nil {
			return err
		}
	}
	return nil
}
