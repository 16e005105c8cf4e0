package sqlite

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
)

// ListQuery asks for a page of a list. Filters map a column to the value it must have; a value that begins with * is
// a part it must contain, one with | any of several, one that begins with > a number to exceed, and one that ends in
// /* a path with all below it. Limit 0 is no limit.
type ListQuery struct {
	Search     string
	Filters    map[string]string
	Sort       string
	Descending bool
	Cursor     string
	Limit      int
	CountTo    int      // so many rows at most are counted where nothing is split, 0 for all
	Split      string   // a column whose values are counted
	Own        []string // fields of the house's own that are read besides
}

// Page is a page of a list. Next is empty on the last one. Total counts all rows that fit; Stale and Never those of
// them that rest on devices whose evidence is stale or that were never scanned, where the list knows. More says that
// there are more than Total, of which nobody has counted the rest, nor how many are stale.
type Page[T any] struct {
	Rows                []T
	Next                string
	Total, Stale, Never int
	More                bool
	Parts               []Part
	Own                 [][]string // by row, the fields of the house's own that were asked for
}

// Part counts the rows that have one value in the column by which a list is split.
type Part struct {
	Value               string
	Count, Stale, Never int
}

// MaxParts is how many values a split shows; the rest is gathered under "…".
const MaxParts = 12

// Column is one column of a list: its name outside, which the row's field has as its tag column, and its SQL. One of an
// order alone is in no row. One of money holds a decimal as text, and is found as a number.
type Column struct {
	Name   string
	SQL    string
	Search bool
	order  bool
	money  bool
	beside bool
}

// Plain is a column that a search does not look at.
func Plain(name, sql string) Column { return Column{Name: name, SQL: sql} }

// Searched is a column that a search looks at.
func Searched(name, sql string) Column { return Column{Name: name, SQL: sql, Search: true} }

// Amount is a column of amounts, which are decimals written as text.
func Amount(name, sql string) Column { return Column{Name: name, SQL: sql, money: true} }

// OrderOnly is a number that rows are put in order by, and do not show.
func OrderOnly(name, sql string) Column { return Column{Name: name, SQL: sql, order: true} }

// Beside is a value that rows have for forms, such as a revision; no list is put in order by it, nor filtered.
func Beside(name, sql string) Column { return Column{Name: name, SQL: sql, beside: true} }

// fields are the places of a row's fields by the names of their columns.
func fields[T any]() map[string]int {
	out := map[string]int{}
	t := reflect.TypeFor[T]()
	for i := range t.NumField() {
		out[t.Field(i).Tag.Get("column")] = i
	}
	return out
}

// TenThousandths is a decimal that is kept as text in whole ten-thousandths, in SQL, so that sums of it are exact.
func TenThousandths(column string) string {
	return "CAST(round(CAST(" + column + " AS REAL) * 10000) AS INTEGER)"
}

// List is a table that is filtered, sorted and paged in the database. Key is unique, one column or several, and ends
// every order, in the direction of the order. Leads says by name of a joined table how the list is read when it is
// sorted by a column of that one: the same rows, from that table on, so that its index serves.
type List[T any] struct {
	From, Key string
	Leads     map[string]Lead
	Where     string
	Sort      string
	Columns   []Column
	// what a column is sorted by, where that is not what it shows
	Orders  map[string]string
	Special map[string]func(value string) (string, []any) // filters that are no columns
	// Own is the value of a field of the house's own, as SQL; nil where the list has none.
	Own func(field string) string
	// Fill makes what completes a row that has been read, where the database does not know all of it; nil is nothing.
	Fill func(tx *Tx) (func(row *T), error)
	// Finds is where the rows of a search stand, for a list of which few tables have the words; nil is to be looked for
	// row by row.
	Finds *Finds
	// Kept reads the counts of all rows by the values of one column, which are kept; it goes before counting where
	// nothing but that column narrows the list down.
	Kept Kept
	// In runs what reads the list in another state than that of the file; nil is the file as it is.
	In func(ctx context.Context, fn func(tx *Tx) error) error
}

// Finds finds the rows of a list that may fit a search without looking at every row: Table is the one whose rows the
// list has, as Alias in its From, and Key its primary key. Places must find every row that a searched column has.
type Finds struct {
	Table, Alias string
	Key          []string
	Places       []Find
}

// Find is a column of the table, and the query of its values of which one of Columns has a word.
type Find struct {
	Column, Keys string
	Columns      []string
}

// mostFound is how many rows are put in order once they are found. More of them are read in the order.
const mostFound = 10_000

// found is From after the keys of the rows that may have the first word of a search.
func (l *List[T]) found(search string) string {
	f := l.Finds
	var places, equal []string
	for _, p := range f.Places {
		places = append(places, "SELECT "+strings.Join(f.Key, ", ")+" FROM "+f.Table+" WHERE "+p.Column+" IN ("+
			p.Keys+" WHERE "+strings.Join(p.Columns, " LIKE ? ESCAPE '\\' OR ")+" LIKE ? ESCAPE '\\')")
	}
	for _, k := range f.Key {
		equal = append(equal, f.Alias+"."+k+" = found."+k)
	}
	first, rest, _ := strings.Cut(inOrder(l.From), " CROSS JOIN ")
	return "(SELECT DISTINCT " + strings.Join(f.Key, ", ") + " FROM (" + strings.Join(places, " UNION ALL ") +
		")) found CROSS JOIN " + first + " ON " + strings.Join(equal, " AND ") + " CROSS JOIN " + rest
}

func (l *List[T]) foundArgs(search string) (args []any) {
	like := "%" + EscapeLike(strings.Fields(search)[0]) + "%"
	for _, p := range l.Finds.Places {
		for range p.Columns {
			args = append(args, like)
		}
	}
	return args
}

// countFound counts the rows that a search finds, and says whether they are many.
func (l *List[T]) countFound(tx *Tx, q ListQuery, found, base, where string, args []any, out *Page[T]) (bool, error) {
	some := q
	some.CountTo = cmp.Or(q.CountTo, mostFound)
	if err := l.counted(tx, some, " FROM "+found+" WHERE "+where, append(l.foundArgs(q.Search), args...),
		out); err != nil || !out.More || q.CountTo > 0 {
		return out.More, err
	}
	out.More = false
	return true, l.counted(tx, q, base, args, out)
}

// Kept are counts that are kept of a list.
type Kept struct {
	Column string
	Read   func(tx *Tx) ([]Part, error) // the largest first, then by their values
}

// kept are the parts that a query asks for, where they are kept.
func (l *List[T]) kept(tx *Tx, q ListQuery) (parts []Part, known bool, err error) {
	only, narrowed := q.Filters[l.Kept.Column]
	if l.Kept.Read == nil || l.In != nil || tx.Previewed() { // what is kept is of the file as it is
		return nil, false, nil
	}
	if q.Search != "" || q.Split != "" && q.Split != l.Kept.Column || len(q.Filters) > 1 ||
		len(q.Filters) == 1 && !narrowed {
		return nil, false, nil
	}
	all, err := l.Kept.Read(tx)
	if err != nil || !narrowed {
		return all, true, err
	}
	for value := range strings.SplitSeq(only, "|") {
		i := slices.IndexFunc(all, func(p Part) bool { return p.Value == value })
		if i < 0 || slices.ContainsFunc(parts, func(p Part) bool { return p.Value == value }) {
			return nil, false, nil // it is no value, but says how values are
		}
		parts = append(parts, all[i])
	}
	slices.SortFunc(parts, func(a, b Part) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Value, b.Value))
	})
	return parts, true, nil
}

// counted counts the rows that fit, and where the query asks for it splits their count.
func (l *List[T]) counted(tx *Tx, q ListQuery, base string, args []any, out *Page[T]) error {
	parts, known, err := l.kept(tx, q)
	if err != nil {
		return err
	}
	if known {
		for _, p := range parts {
			out.Total, out.Stale, out.Never = out.Total+p.Count, out.Stale+p.Stale, out.Never+p.Never
		}
		if q.Split != "" {
			out.Parts = append(out.Parts, parts...)
		}
		return nil
	}
	text := l.counting(base)
	if q.CountTo > 0 && q.Split == "" {
		text = l.countingTo(base, q.CountTo+1)
	}
	if err := tx.QueryRowContext(tx.Ctx, text, args...).Scan(&out.Total, &out.Stale, &out.Never); err != nil {
		return err
	}
	if q.Split == "" {
		if q.CountTo > 0 && out.Total > q.CountTo {
			out.Total, out.Stale, out.Never, out.More = q.CountTo, 0, 0, true
		}
		return nil
	}
	parts, err = l.parts(tx, q.Split, base, args)
	out.Parts = append(out.Parts, parts...)
	return err
}

// View runs what reads the list in the state that it is of.
func (l *List[T]) View(ctx context.Context, db *DB, fn func(tx *Tx) error) error {
	if l.In != nil {
		return l.In(ctx, fn)
	}
	return db.View(ctx, fn)
}

// Lead is another way to read a list: its tables from one of them on, and the key said by that one.
type Lead struct{ From, Key string }

// InEUR is an amount in euros at the newest rate on the table, in SQL: amounts of several currencies are put in order
// by it, never shown. Without a rate it is the amount itself.
func InEUR(amount, currency string) string {
	return "CAST(" + amount + " AS REAL) / coalesce((SELECT CAST(r.per_eur AS REAL) FROM rate r WHERE r.currency = " +
		currency + " ORDER BY r.on_day DESC LIMIT 1), 1.0)"
}

// ErrQuery says that a list was asked for in a way it has not.
type ErrQuery struct{ Reason string }

func (e *ErrQuery) Error() string { return e.Reason }

func (l *List[T]) column(name string) (*Column, error) {
	for i := range l.Columns {
		if l.Columns[i].Name == name && !l.Columns[i].beside {
			return &l.Columns[i], nil
		}
	}
	if field, own := strings.CutPrefix(name, OwnColumn); own && l.Own != nil && field != "" &&
		!strings.ContainsAny(field, "\"\x00") {
		return &Column{Name: name, SQL: l.Own(field)}, nil
	}
	return nil, &ErrQuery{fmt.Sprintf("this list has no column %q", name)}
}

// OwnColumn stands before the name of a field of the house's own, by which a list that has them is filtered and split.
const OwnColumn = "own:"

// OwnIn is the value of a field of the house's own that a column has, as Custom wrote them.
func OwnIn(column string) func(field string) string {
	return func(field string) string {
		return "coalesce(CASE WHEN " + column + " <> '' THEN " + column + " ->> '" + JSONPath(field) + "' END, '')"
	}
}

// JSONPath is where a field without quotation marks stands in an object, between the marks of a text in SQL.
func JSONPath(field string) string { return strings.ReplaceAll(`$."`+field+`"`, "'", "''") }

// value reads what a filter asks for as a value of the column's own type, so that an index serves.
func (l *List[T]) value(c *Column, text string) (any, error) {
	kind := reflect.TypeFor[float64]()
	if strings.HasPrefix(c.Name, OwnColumn) {
		return text, nil
	}
	if place, shown := fields[T]()[c.Name]; shown && !c.money {
		kind = reflect.TypeFor[T]().Field(place).Type
	}
	refused := func(what string) error {
		return &ErrQuery{fmt.Sprintf("%s is %s: %q cannot be found in it", c.Name, what, text)}
	}
	switch {
	case kind == reflect.TypeFor[civil.Day]():
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			return n, nil
		}
		day, err := civil.Parse(text)
		if err != nil {
			return nil, refused("a day")
		}
		return int64(day), nil
	case kind.Kind() == reflect.Bool:
		yes, err := strconv.ParseBool(text)
		if err != nil {
			return nil, refused("yes or no")
		}
		return yes, nil
	case kind.Kind() == reflect.Int64 || kind.Kind() == reflect.Float64:
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			return n, nil
		}
		n, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return nil, refused("a number")
		}
		return n, nil
	}
	return text, nil
}

// numeric reports whether a column has numbers.
func (l *List[T]) numeric(c *Column) bool {
	if strings.HasPrefix(c.Name, OwnColumn) {
		return false
	}
	place, shown := fields[T]()[c.Name]
	if !shown || c.money {
		return true
	}
	kind := reflect.TypeFor[T]().Field(place).Type.Kind()
	return kind == reflect.Int64 || kind == reflect.Float64
}

// numbers reads a span of numbers, such as 3..5, which has both its ends.
func numbers(text string) (first, last float64, ok bool) {
	from, to, cut := strings.Cut(text, "..")
	first, err1 := strconv.ParseFloat(from, 64)
	last, err2 := strconv.ParseFloat(to, 64)
	return first, last, cut && err1 == nil && err2 == nil
}

// condition turns what a filter asks of a column into SQL.
func (l *List[T]) condition(c *Column, v string) (string, []any, error) {
	found := c.SQL
	if c.money {
		found = "CAST(" + c.SQL + " AS REAL)"
	}
	switch {
	case strings.HasPrefix(v, "*"):
		return c.SQL + " LIKE ? ESCAPE '\\'", []any{"%" + EscapeLike(v[1:]) + "%"}, nil
	case strings.HasSuffix(v, "/*"):
		path := strings.TrimSuffix(v, "/*") // what is below a path lies between "path/" and "path0"
		text := "(" + c.SQL + " = ? OR " + c.SQL + " > ? AND " + c.SQL + " < ?)"
		return text, []any{path, path + "/", path + "0"}, nil
	case strings.HasPrefix(v, ">"):
		n, err := strconv.ParseFloat(v[1:], 64)
		if err != nil {
			return "", nil, &ErrQuery{fmt.Sprintf("%q is no number that %s could exceed", v[1:], c.Name)}
		}
		return found + " > ?", []any{n}, nil
	}
	if first, last, span := numbers(v); span && l.numeric(c) {
		return found + " BETWEEN ? AND ?", []any{first, last}, nil
	}
	parts, args := strings.Split(v, "|"), []any{}
	for _, part := range parts {
		arg, err := l.value(c, part)
		if err != nil {
			return "", nil, err
		}
		args = append(args, arg)
	}
	if len(parts) == 1 {
		return found + " = ?", args, nil
	}
	return found + " IN (" + strings.TrimSuffix(strings.Repeat("?,", len(parts)), ",") + ")", args, nil
}

// Conditions turns filters and search into SQL.
func (l *List[T]) Conditions(q ListQuery) (string, []any, error) {
	where, args := []string{"1 = 1"}, []any{}
	if l.Where != "" {
		where = append(where, l.Where)
	}
	for _, name := range slices.Sorted(maps.Keys(q.Filters)) {
		v := q.Filters[name]
		var text string
		var more []any
		c, err := l.column(name)
		if err == nil {
			text, more, err = l.condition(c, v)
		} else if special := l.Special[name]; special != nil {
			text, more = special(v)
			err = nil
		}
		if err != nil {
			return "", nil, err
		}
		where, args = append(where, text), append(args, more...)
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
	At                  []any
	Total, Stale, Never int
	More                bool `json:",omitempty"`
	Many                bool `json:",omitempty"`
}

// order is what rows are put in order by: a column, and what tells rows apart that are alike in it; and the tables to
// read, where nothing narrows them down. SQLite does not reckon with a page's end, so that it is told where to begin:
// at the table whose index has the order. Many says that so many rows fit a search that the next are found soon.
func (l *List[T]) order(q ListQuery, many bool) (terms []string, descending bool, from string, err error) {
	by, descending := q.Sort, q.Descending
	if by == "" {
		by = strings.TrimPrefix(l.Sort, "-")
		descending = strings.HasPrefix(l.Sort, "-")
	}
	c, err := l.column(by)
	if err != nil {
		return nil, false, "", err
	}
	first := c.SQL
	if other := l.Orders[by]; other != "" {
		first = other
	}
	lead := Lead{l.From, l.Key}
	if table, _, plain := strings.Cut(first, "."); plain && l.Leads[table].Key != "" {
		lead = l.Leads[table]
	}
	if terms = strings.Split(lead.Key, ", "); terms[0] != first {
		terms = append([]string{first}, terms...)
	}
	if !many && (len(q.Filters) > 0 || q.Search != "") {
		return terms, descending, l.From, nil
	}
	return terms, descending, inOrder(lead.From), nil
}

// inOrder keeps joined tables in the order in which they stand: a cross join is the same join, and is not moved.
func inOrder(from string) string {
	words := strings.Fields(from)
	for i, word := range words {
		if word == "JOIN" && words[i-1] != "LEFT" && words[i-1] != "CROSS" {
			words[i] = "CROSS JOIN"
		}
	}
	return strings.Join(words, " ")
}

// statement is the SQL of a page: the columns, what rows are put in order by, and the rows behind a mark, if any.
func (l *List[T]) statement(q ListQuery, found, where string, behind, many bool) (string, error) {
	terms, descending, from, err := l.order(q, many)
	if err != nil {
		return "", err
	}
	if found != "" {
		from = found
	}
	direction, follows := "", ">"
	if descending {
		direction, follows = " DESC", "<"
	}
	base := " FROM " + from + " WHERE " + where
	if behind {
		base += " AND (" + strings.Join(terms, ", ") + ") " + follows + " (" +
			strings.TrimSuffix(strings.Repeat("?, ", len(terms)), ", ") + ")"
	}
	var columns, order []string
	for _, c := range l.Columns {
		if !c.order {
			columns = append(columns, c.SQL)
		}
	}
	for _, field := range q.Own {
		c, err := l.column(OwnColumn + field)
		if err != nil {
			return "", err
		}
		columns = append(columns, c.SQL)
	}
	for _, term := range terms {
		columns = append(columns, term)
		// by its place: a column that is a mere number would be taken for one
		order = append(order, strconv.Itoa(len(columns))+direction)
	}
	text := "SELECT " + strings.Join(columns, ", ") + base + " ORDER BY " + strings.Join(order, ", ")
	if q.Limit > 0 {
		text += fmt.Sprintf(" LIMIT %d", q.Limit+1)
	}
	return text, nil
}

// Plan returns the steps by which SQLite would read a page, and those by which it would count the rows.
func (l *List[T]) Plan(tx *Tx, q ListQuery) (page, count []string, err error) {
	where, args, err := l.Conditions(q)
	if err != nil {
		return nil, nil, err
	}
	base := " FROM " + l.From + " WHERE " + where
	text, err := l.statement(q, "", where, false, false)
	if err != nil {
		return nil, nil, err
	}
	if page, err = tx.plan(text, args); err != nil {
		return nil, nil, err
	}
	count, err = tx.plan(l.counting(base), args)
	return page, count, err
}

func (tx *Tx) plan(text string, args []any) ([]string, error) {
	return Query(tx, func(r *sql.Rows, step *string) error {
		var id, parent, unused int
		return r.Scan(&id, &parent, &unused, step)
	}, "EXPLAIN QUERY PLAN "+text, args...)
}

// ColumnNames are the names of the columns by which rows are put in order and filtered.
func (l *List[T]) ColumnNames() []string {
	out := make([]string, 0, len(l.Columns))
	for _, c := range l.Columns {
		if !c.beside {
			out = append(out, c.Name)
		}
	}
	return out
}

// countingTo is the SQL that counts some rows, and how many of these are stale or never scanned.
func (l *List[T]) countingTo(base string, most int) string {
	age := "''"
	for _, c := range l.Columns {
		if c.Name == "age" {
			age = c.SQL
		}
	}
	return "SELECT count(*), coalesce(sum(age = 'stale'), 0), coalesce(sum(age = 'never'), 0) FROM (SELECT " + age +
		" AS age" + base + " LIMIT " + strconv.Itoa(most) + ")"
}

// counting is the SQL that counts the rows.
func (l *List[T]) counting(base string) string { return "SELECT count(*), " + l.ages() + base }

// Page reads one page. Rows are counted for the first page alone; those that follow say what it said.
func (l *List[T]) Page(tx *Tx, q ListQuery) (Page[T], error) {
	out := Page[T]{Parts: []Part{}, Rows: []T{}, Own: [][]string{}}
	where, args, err := l.Conditions(q)
	if err != nil {
		return out, err
	}
	base, found := " FROM "+l.From+" WHERE "+where, ""
	many := false // rows that a search finds
	if q.Search = strings.TrimSpace(q.Search); l.Finds != nil && q.Search != "" && q.Split == "" {
		found = l.found(q.Search)
	}
	var after []any
	switch {
	case q.Cursor != "":
		mark, err := readCursor(q.Cursor)
		if terms, _, _, wrong := l.order(q, false); err == nil && wrong == nil && len(terms) != len(mark.At) {
			err = errMark
		}
		if err != nil {
			return out, err
		}
		after, many = mark.At, mark.Many
		out.Total, out.Stale, out.Never, out.More = mark.Total, mark.Stale, mark.Never, mark.More
	case found != "":
		if many, err = l.countFound(tx, q, found, base, where, args, &out); err != nil {
			return out, err
		}
	default:
		if err := l.counted(tx, q, base, args, &out); err != nil {
			return out, err
		}
	}
	if many { // the next are soon found in the order
		found = ""
	}
	text, err := l.statement(q, found, where, q.Cursor != "", many)
	if err != nil {
		return out, err
	}
	if found != "" {
		args = append(l.foundArgs(q.Search), args...)
	}
	args = append(args, after...)
	var ends [][]any
	err = l.each(tx, text, args, func(row T, end []any) error {
		out.Rows, ends = append(out.Rows, row), append(ends, end[len(q.Own):])
		if len(q.Own) > 0 {
			out.Own = append(out.Own, ownOf(end[:len(q.Own)]))
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	if q.Limit > 0 && len(out.Rows) > q.Limit {
		out.Rows, out.Own = out.Rows[:q.Limit], out.Own[:min(q.Limit, len(out.Own))]
		out.Next = writeCursor(cursor{ends[q.Limit-1], out.Total, out.Stale, out.Never, out.More, many})
	}
	return out, nil
}

// Each walks the rows of a list, without holding more than one of them.
func (l *List[T]) Each(tx *Tx, q ListQuery, fn func(row T) error) error {
	return l.EachOwn(tx, q, func(row T, _ []string) error { return fn(row) })
}

// ownOf reads fields of the house's own, which are texts.
func ownOf(values []any) []string {
	out := make([]string, len(values))
	for i, v := range values {
		if b, ok := v.([]byte); ok {
			v = string(b)
		}
		out[i] = fmt.Sprint(v)
	}
	return out
}

// EachOwn walks the rows of a list with the fields of the house's own that were asked for.
func (l *List[T]) EachOwn(tx *Tx, q ListQuery, fn func(row T, own []string) error) error {
	where, args, err := l.Conditions(q)
	if err != nil {
		return err
	}
	text, err := l.statement(q, "", where, false, false)
	if err != nil {
		return err
	}
	return l.each(tx, text, args, func(row T, end []any) error { return fn(row, ownOf(end[:len(q.Own)])) })
}

func (l *List[T]) each(tx *Tx, text string, args []any, fn func(row T, end []any) error) error {
	fill := func(*T) {}
	if l.Fill != nil {
		var err error
		if fill, err = l.Fill(tx); err != nil {
			return err
		}
	}
	rows, err := tx.QueryContext(tx.Ctx, text, args...)
	if err != nil {
		return err
	}
	columns, err := rows.Columns()
	if err != nil {
		return errors.Join(err, rows.Close())
	}
	places := fields[T]()
	for _, c := range l.Columns {
		if _, known := places[c.Name]; !known && !c.order {
			return errors.Join(fmt.Errorf("the rows of the list have no field for %q", c.Name), rows.Close())
		}
	}
	return Each(rows, func() error {
		var row T
		v := reflect.ValueOf(&row).Elem()
		into := make([]any, 0, len(columns))
		for _, c := range l.Columns {
			if !c.order {
				into = append(into, v.Field(places[c.Name]).Addr().Interface())
			}
		}
		end := make([]any, len(columns)-len(into))
		for i := range end {
			into = append(into, &end[i])
		}
		if err := rows.Scan(into...); err != nil {
			return err
		}
		fill(&row)
		return fn(row, end)
	})
}

func EscapeLike(s string) string {
	return strings.NewReplacer("\\", "\\\\", "%", "\\%", "_", "\\_").Replace(s)
}

func writeCursor(c cursor) string {
	for i, v := range c.At {
		if b, ok := v.([]byte); ok {
			c.At[i] = string(b)
		}
	}
	b, _ := json.Marshal(c)
	return base64.RawURLEncoding.EncodeToString(b)
}

var errMark = &ErrQuery{"this page mark is not one of ours: begin again at the top of the list"}

func readCursor(s string) (cursor, error) {
	var c cursor
	b, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil {
		d := json.NewDecoder(strings.NewReader(string(b)))
		d.UseNumber()
		err = d.Decode(&c)
	}
	if err != nil {
		return c, errMark
	}
	for i, v := range c.At {
		switch v := v.(type) {
		case json.Number:
			if whole, err := v.Int64(); err == nil {
				c.At[i] = whole
			} else if f, err := v.Float64(); err == nil {
				c.At[i] = f
			}
		case map[string]any, []any:
			return c, errMark
		}
	}
	return c, nil
}
