package sqlite

import (
	"strings"
)

// Replace makes a table hold these rows and no others, and writes only what differs from what it holds: a table with
// many indexes costs what changed. The first keys of the columns are the table's key; columns that are not named keep
// what they hold. row returns the values of one row in the order of the columns.
func (tx *Tx) Replace(table string, keys int, columns []string, n int, row func(i int) []any) error {
	const stage = "temp.replacing"
	list := strings.Join(columns, ", ")
	key := strings.Join(columns[:keys], ", ")
	rest := columns[keys:]
	if _, err := tx.Tx.ExecContext(tx.Ctx,
		"CREATE TEMP TABLE replacing ("+list+", PRIMARY KEY ("+key+")) WITHOUT ROWID"); err != nil {
		return err
	}
	b, err := tx.Bulk(len(columns), "INSERT INTO "+stage+"("+list+")", "")
	if err != nil {
		return err
	}
	for i := range n {
		if err := b.Add(row(i)...); err != nil {
			return err
		}
	}
	if err := b.Flush(); err != nil {
		return err
	}
	gone := make([]string, keys)
	for i, c := range columns[:keys] {
		gone[i] = "r." + c + " = " + table + "." + c
	}
	set, old, now := make([]string, len(rest)), make([]string, len(rest)), make([]string, len(rest))
	for i, c := range rest {
		set[i], old[i], now[i] = c+" = excluded."+c, table+"."+c, "excluded."+c
	}
	for _, text := range []string{
		"DELETE FROM " + table + " WHERE NOT EXISTS (SELECT 1 FROM " + stage + " r WHERE " +
			strings.Join(gone, " AND ") + ")",
		"INSERT INTO " + table + "(" + list + ") SELECT " + list + " FROM " + stage + " WHERE true ON CONFLICT(" + key +
			") DO UPDATE SET " + strings.Join(set, ", ") + " WHERE (" + strings.Join(old, ", ") + ") <> (" +
			strings.Join(now, ", ") + ")",
		"DROP TABLE " + stage,
	} {
		if _, err := tx.Exec(text); err != nil {
			return err
		}
	}
	return nil
}
