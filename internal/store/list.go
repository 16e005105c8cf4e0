package store

import (
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// ListQuery asks for a page of a list. Filters map a column to the value it must have; a value that begins with * is a part it must contain. Limit 0 is no limit.
type ListQuery struct {
	Search     string
	Filters    map[string]string
	Sort       string
	Descending bool
	Cursor     string
	Limit      int
}

// Page is a page of a list. Next is empty on the last one. Total counts all rows that fit.
type Page[T any] struct {
	Rows  []T    `json:"rows"`
	Next  string `json:"next"`
	Total int    `json:"total"`
}

// column is one column of a list: its name outside, its SQL, and where its value goes.
type column[T any] struct {
	name   string
	sql    string
	into   func(*T) any
	search bool
}

// list is a table that is filtered, sorted and paged in the database. key is unique and ends every order.
type list[T any] struct {
	from, key string
	where     string
	sort      string
	columns   []column[T]
}

// ErrQuery says that a list was asked for in a way it has not.
type ErrQuery struct{ Reason string }

func (e *ErrQuery) Error() string { return e.Reason }

func (l *list[T]) column(name string) (*column[T], error) {
	for i := range l.columns {
		if l.columns[i].name == name {
			return &l.columns[i], nil
		}
	}
	return nil, &ErrQuery{fmt.Sprintf("this list has no column %q", name)}
}

// page reads one page. The cursor holds the last row's value in the sort column and its key, so that a page costs the same wherever it lies.
func (l *list[T]) page(tx *Tx, q ListQuery) (Page[T], error) {
	var out Page[T]
	where, args := []string{"1 = 1"}, []any{}
	if l.where != "" {
		where = append(where, l.where)
	}
	names := make([]string, 0, len(q.Filters))
	for name := range q.Filters {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		c, err := l.column(name)
		if err != nil {
			return out, err
		}
		v := q.Filters[name]
		switch {
		case strings.HasPrefix(v, "*"):
			where, args = append(where, c.sql+" LIKE ? ESCAPE '\\'"), append(args, "%"+escapeLike(v[1:])+"%")
		case strings.HasSuffix(v, "/*"):
			where, args = append(where, "("+c.sql+" = ? OR "+c.sql+" LIKE ? ESCAPE '\\')"), append(args, strings.TrimSuffix(v, "/*"), escapeLike(strings.TrimSuffix(v, "*"))+"%")
		case strings.Contains(v, "|"):
			parts := strings.Split(v, "|")
			where = append(where, "CAST("+c.sql+" AS TEXT) IN ("+strings.TrimSuffix(strings.Repeat("?,", len(parts)), ",")+")")
			for _, p := range parts {
				args = append(args, p)
			}
		case strings.HasPrefix(v, ">"):
			where, args = append(where, c.sql+" > CAST(? AS REAL)"), append(args, v[1:])
		default:
			where, args = append(where, "CAST("+c.sql+" AS TEXT) = ?"), append(args, v)
		}
	}
	for _, word := range strings.Fields(q.Search) {
		var any []string
		for _, c := range l.columns {
			if c.search {
				any = append(any, c.sql+" LIKE ? ESCAPE '\\'")
				args = append(args, "%"+escapeLike(word)+"%")
			}
		}
		where = append(where, "("+strings.Join(any, " OR ")+")")
	}
	base := " FROM " + l.from + " WHERE " + strings.Join(where, " AND ")
	if err := tx.QueryRowContext(tx.ctx, "SELECT count(*)"+base, args...).Scan(&out.Total); err != nil {
		return out, err
	}
	sortBy, descending := q.Sort, q.Descending
	if sortBy == "" {
		sortBy = strings.TrimPrefix(l.sort, "-")
		descending = strings.HasPrefix(l.sort, "-")
	}
	sc, err := l.column(sortBy)
	if err != nil {
		return out, err
	}
	dir, cmp := "ASC", ">"
	if descending {
		dir, cmp = "DESC", "<"
	}
	if q.Cursor != "" {
		last, err := readCursor(q.Cursor)
		if err != nil {
			return out, err
		}
		base += fmt.Sprintf(" AND ((%s) %s ? OR ((%s) = ? AND %s > ?))", sc.sql, cmp, sc.sql, l.key)
		args = append(args, last[0], last[0], last[1])
	}
	var cols []string
	for _, c := range l.columns {
		cols = append(cols, c.sql)
	}
	text := "SELECT " + strings.Join(cols, ", ") + ", " + sc.sql + ", " + l.key + base + " ORDER BY (" + sc.sql + ") " + dir + ", " + l.key
	if q.Limit > 0 {
		text += fmt.Sprintf(" LIMIT %d", q.Limit+1)
	}
	var cursors [][2]any
	out.Rows, err = query(tx, func(r *sql.Rows, v *T) error {
		var cur [2]any
		into := make([]any, 0, len(l.columns)+2)
		for _, c := range l.columns {
			into = append(into, c.into(v))
		}
		err := r.Scan(append(into, &cur[0], &cur[1])...)
		cursors = append(cursors, cur)
		return err
	}, text, args...)
	if err != nil {
		return out, err
	}
	if q.Limit > 0 && len(out.Rows) > q.Limit {
		out.Rows = out.Rows[:q.Limit]
		out.Next = writeCursor(cursors[q.Limit-1])
	}
	if out.Rows == nil {
		out.Rows = []T{}
	}
	return out, nil
}

func escapeLike(s string) string {
	return strings.NewReplacer("\\", "\\\\", "%", "\\%", "_", "\\_").Replace(s)
}

func writeCursor(c [2]any) string {
	for i, v := range c {
		if b, ok := v.([]byte); ok {
			c[i] = string(b)
		}
	}
	b, _ := json.Marshal(c)
	return base64.RawURLEncoding.EncodeToString(b)
}

func readCursor(s string) ([2]any, error) {
	var c [2]any
	b, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil {
		d := json.NewDecoder(strings.NewReader(string(b)))
		d.UseNumber()
		err = d.Decode(&c)
	}
	if err != nil {
		return c, &ErrQuery{"this page mark is not one of ours: begin again at the top of the list"}
	}
	for i, v := range c {
		if n, ok := v.(json.Number); ok {
			if whole, err := n.Int64(); err == nil {
				c[i] = whole
			} else if f, err := n.Float64(); err == nil {
				c[i] = f
			}
		}
	}
	return c, nil
}
