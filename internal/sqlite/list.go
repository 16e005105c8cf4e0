package sqlite

import (
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// ListQuery asks for a page of a list. Filters map a column to the value it must have; a value that begins with * is
// a part it must contain. Limit 0 is no limit.
type ListQuery struct {
	Search     string
	Filters    map[string]string
	Sort       string
	Descending bool
	Cursor     string
	Limit      int
	Split      string // a column whose values are counted
}

// Page is a page of a list. Next is empty on the last one. Total counts all rows that fit; Stale and Never those of
// them that rest on devices whose evidence is stale or that were never scanned, where the list knows.
type Page[T any] struct {
	Rows  []T    `json:"rows"`
	Next  string `json:"next"`
	Total int    `json:"total"`
	Stale int    `json:"stale"`
	Never int    `json:"never"`
	Parts []Part `json:"parts"`
}

// Part counts the rows that have one value in the column by which a list is split.
type Part struct {
	Value string `json:"value"`
	Count int    `json:"count"`
	Stale int    `json:"stale"`
	Never int    `json:"never"`
}

// MaxParts is how many values a split shows; the rest is gathered under "…".
const MaxParts = 12

// Column is one column of a list: its name outside, its SQL, and where its value goes.
type Column[T any] struct {
	Name   string
	SQL    string
	Into   func(*T) any
	Search bool
}

// Plain is a column that a search does not look at.
func Plain[T any](name, sql string, into func(*T) any) Column[T] {
	return Column[T]{Name: name, SQL: sql, Into: into}
}

// Searched is a column that a search looks at.
func Searched[T any](name, sql string, into func(*T) any) Column[T] {
	return Column[T]{Name: name, SQL: sql, Into: into, Search: true}
}

// List is a table that is filtered, sorted and paged in the database. key is unique and ends every order.
type List[T any] struct {
	From, Key string
	Where     string
	Sort      string
	Columns   []Column[T]
	// what a column is sorted by, where that is not what it shows
	Orders  map[string]string
	Special map[string]func(value string) (string, []any) // filters that are no columns
}

// InEUR is an amount in euros at the newest rate on the table, in SQL: amounts of several currencies are put in order
// by it, never shown. Without a rate it is the amount itself.
func InEUR(amount, currency string) string {
	return "CAST(" + amount + " AS REAL) / coalesce((SELECT CAST(r.per_eur AS REAL) FROM rate r WHERE r.currency = " +
		currency + " ORDER BY r.on_day DESC LIMIT 1), 1.0)"
}

// ErrQuery says that a list was asked for in a way it has not.
type ErrQuery struct{ Reason string }

func (e *ErrQuery) Error() string { return e.Reason }

func (l *List[T]) column(name string) (*Column[T], error) {
	for i := range l.Columns {
		if l.Columns[i].Name == name {
			return &l.Columns[i], nil
		}
	}
	return nil, &ErrQuery{fmt.Sprintf("this list has no column %q", name)}
}

// Conditions turns filters and search into SQL.
func (l *List[T]) Conditions(q ListQuery) (string, []any, error) {
	where, args := []string{"1 = 1"}, []any{}
	if l.Where != "" {
		where = append(where, l.Where)
	}
	names := make([]string, 0, len(q.Filters))
	for name := range q.Filters {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		v := q.Filters[name]
		c, err := l.column(name)
		if err != nil {
			special := l.Special[name]
			if special == nil {
				return "", nil, err
			}
			text, more := special(v)
			where, args = append(where, text), append(args, more...)
			continue
		}
		switch {
		case strings.HasPrefix(v, "*"):
			where, args = append(where, c.SQL+" LIKE ? ESCAPE '\\'"), append(args, "%"+EscapeLike(v[1:])+"%")
		case strings.HasSuffix(v, "/*"):
			where, args = append(where, "("+c.SQL+" = ? OR "+c.SQL+" LIKE ? ESCAPE '\\')"), append(
				args,
				strings.TrimSuffix(v, "/*"),
				EscapeLike(strings.TrimSuffix(v, "*"))+"%",
			)
		case strings.Contains(v, "|"):
			parts := strings.Split(v, "|")
			where = append(
				where,
				"CAST("+c.SQL+" AS TEXT) IN ("+strings.TrimSuffix(strings.Repeat("?,", len(parts)), ",")+")",
			)
			for _, p := range parts {
				args = append(args, p)
			}
		case strings.HasPrefix(v, ">"):
			where, args = append(where, c.SQL+" > CAST(? AS REAL)"), append(args, v[1:])
		default:
			if _, err := strconv.ParseFloat(v, 64); err == nil { // 150 is 150.0
				where, args = append(
					where,
					"(CAST("+c.SQL+" AS TEXT) = ? OR typeof("+c.SQL+") = 'real' AND "+c.SQL+" = CAST(? AS REAL))",
				), append(args, v, v)
				continue
			}
			where, args = append(where, "CAST("+c.SQL+" AS TEXT) = ?"), append(args, v)
		}
	}
	for _, word := range strings.Fields(q.Search) {
		var any []string
		for _, c := range l.Columns {
			if c.Search {
				any = append(any, c.SQL+" LIKE ? ESCAPE '\\'")
				args = append(args, "%"+EscapeLike(word)+"%")
			}
		}
		where = append(where, "("+strings.Join(any, " OR ")+")")
	}
	return strings.Join(where, " AND "), args, nil
}

// ages are the sums of stale and never scanned rows, where the list has a column of age.
func (l *List[T]) ages() string {
	for _, c := range l.Columns {
		if c.Name == "age" {
			return "coalesce(sum(" + c.SQL + " = 'stale'), 0), coalesce(sum(" + c.SQL + " = 'never'), 0)"
		}
	}
	return "0, 0"
}

// parts counts the rows by the values of a column, the largest part first.
func (l *List[T]) parts(tx *Tx, by, base string, args []any) ([]Part, error) {
	c, err := l.column(by)
	if err != nil {
		return nil, err
	}
	all, err := Query(
		tx,
		func(r *sql.Rows, p *Part) error { return r.Scan(&p.Value, &p.Count, &p.Stale, &p.Never) },
		"SELECT CAST("+c.SQL+" AS TEXT), count(*), "+l.ages()+base+" GROUP BY 1 ORDER BY 2 DESC, 1",
		args...)
	if err != nil || len(all) <= MaxParts {
		return all, err
	}
	rest := Part{Value: "…"}
	for _, p := range all[MaxParts-1:] {
		rest.Count, rest.Stale, rest.Never = rest.Count+p.Count, rest.Stale+p.Stale, rest.Never+p.Never
	}
	return append(all[:MaxParts-1:MaxParts-1], rest), nil
}

// cursor marks where a page ends: the last row's value in the sort column and its key, so that a page costs the same
// wherever it lies, and what was counted for the first page, so that nothing is counted again.
type cursor struct {
	Value, Key          any
	Total, Stale, Never int
}

// Page reads one page. Rows are counted for the first page alone; those that follow say what it said.
func (l *List[T]) Page(tx *Tx, q ListQuery) (Page[T], error) {
	out := Page[T]{Parts: []Part{}}
	where, args, err := l.Conditions(q)
	if err != nil {
		return out, err
	}
	base := " FROM " + l.From + " WHERE " + where
	var after cursor
	if q.Cursor == "" {
		if err := tx.QueryRowContext(tx.Ctx, "SELECT count(*), "+l.ages()+base, args...).Scan(&out.Total, &out.Stale,
			&out.Never); err != nil {
			return out, err
		}
	} else if after, err = readCursor(q.Cursor); err != nil {
		return out, err
	} else {
		out.Total, out.Stale, out.Never = after.Total, after.Stale, after.Never
	}
	if q.Split != "" && q.Cursor == "" {
		parts, err := l.parts(tx, q.Split, base, args)
		if err != nil {
			return out, err
		}
		out.Parts = append(out.Parts, parts...)
	}
	sortBy, descending := q.Sort, q.Descending
	if sortBy == "" {
		sortBy = strings.TrimPrefix(l.Sort, "-")
		descending = strings.HasPrefix(l.Sort, "-")
	}
	sc, err := l.column(sortBy)
	if err != nil {
		return out, err
	}
	order := sc.SQL
	if other := l.Orders[sortBy]; other != "" {
		order = other
	}
	dir, cmp := "ASC", ">"
	if descending {
		dir, cmp = "DESC", "<"
	}
	if q.Cursor != "" {
		base += fmt.Sprintf(" AND ((%s) %s ? OR ((%s) = ? AND %s > ?))", order, cmp, order, l.Key)
		args = append(args, after.Value, after.Value, after.Key)
	}
	var cols []string
	for _, c := range l.Columns {
		cols = append(cols, c.SQL)
	}
	// by their places: a column that is a mere number would be taken for one
	text := "SELECT " + strings.Join(cols, ", ") + ", " + order + ", " + l.Key + base + fmt.Sprintf(
		" ORDER BY %d %s, %d",
		len(cols)+1,
		dir,
		len(cols)+2,
	)
	if q.Limit > 0 {
		text += fmt.Sprintf(" LIMIT %d", q.Limit+1)
	}
	var ends []cursor
	out.Rows, err = Query(tx, func(r *sql.Rows, v *T) error {
		end := cursor{Total: out.Total, Stale: out.Stale, Never: out.Never}
		into := make([]any, 0, len(l.Columns)+2)
		for _, c := range l.Columns {
			into = append(into, c.Into(v))
		}
		err := r.Scan(append(into, &end.Value, &end.Key)...)
		ends = append(ends, end)
		return err
	}, text, args...)
	if err != nil {
		return out, err
	}
	if q.Limit > 0 && len(out.Rows) > q.Limit {
		out.Rows = out.Rows[:q.Limit]
		out.Next = writeCursor(ends[q.Limit-1])
	}
	if out.Rows == nil {
		out.Rows = []T{}
	}
	return out, nil
}

func EscapeLike(s string) string {
	return strings.NewReplacer("\\", "\\\\", "%", "\\%", "_", "\\_").Replace(s)
}

func writeCursor(c cursor) string {
	for _, v := range []*any{&c.Value, &c.Key} {
		if b, ok := (*v).([]byte); ok {
			*v = string(b)
		}
	}
	b, _ := json.Marshal(c)
	return base64.RawURLEncoding.EncodeToString(b)
}

func readCursor(s string) (cursor, error) {
	var c cursor
	b, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil {
		d := json.NewDecoder(strings.NewReader(string(b)))
		d.UseNumber()
		err = d.Decode(&c)
	}
	if err != nil {
		return c, &ErrQuery{"this page mark is not one of ours: begin again at the top of the list"}
	}
	for _, v := range []*any{&c.Value, &c.Key} {
		if n, ok := (*v).(json.Number); ok {
			if whole, err := n.Int64(); err == nil {
				*v = whole
			} else if f, err := n.Float64(); err == nil {
				*v = f
			}
		}
	}
	return c, nil
}
