package rest

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"reflect"
	"strings"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// listInput is how every list is asked for. Filter is column=value; a value that begins with * is a part it must
// contain, one with | any of several, one that begins with > a number to exceed, two numbers with .. between
// them a span of numbers with both its ends, and one that ends in /* a path with all below it.
type ListInput struct {
	Search     string   `query:"q"`
	Filter     []string `query:"f,explode"`
	Sort       string   `query:"sort"`
	Descending bool     `query:"desc"`
	Cursor     string   `query:"cursor"`
	Limit      int      `query:"limit" default:"100" minimum:"1" maximum:"1000"`
	Count      string   `query:"count" enum:"some,all" default:"all" doc:"some counts ten thousand rows at most"`
	Split      string   `query:"split" doc:"a column whose values are counted"`
	Own        []string `query:"own,explode" doc:"fields of the house's own that are read besides"`
}

// countedAtOnce is how many rows are counted before a page is answered, where not all are asked for.
const countedAtOnce = 10_000

// mostOwn is how many fields of the house's own are read of a list at once.
const mostOwn = 20

func (in *ListInput) Query() (sqlite.ListQuery, error) {
	q := sqlite.ListQuery{
		Search:     in.Search,
		Filters:    map[string]string{},
		Sort:       in.Sort,
		Descending: in.Descending,
		Cursor:     in.Cursor,
		Limit:      in.Limit,
		Split:      in.Split,
		Own:        in.Own,
	}
	if in.Count == "some" {
		q.CountTo = countedAtOnce
	}
	if len(in.Own) > mostOwn {
		return q, &sqlite.ErrQuery{
			Reason: fmt.Sprintf("at most %d fields of the house's own are read at once", mostOwn),
		}
	}
	for _, f := range in.Filter {
		column, value, ok := strings.Cut(f, "=")
		if !ok {
			return q, &sqlite.ErrQuery{Reason: fmt.Sprintf("the filter %q is not written as column=value", f)}
		}
		q.Filters[column] = value
	}
	return q, nil
}

// Lister says which list a query is about. It may take out of the query what it answers itself.
type Lister[T any] func(q *sqlite.ListQuery) (*sqlite.List[T], error)

// Of is a list that is the same whatever is asked.
func Of[T any](list func() *sqlite.List[T]) Lister[T] {
	return func(*sqlite.ListQuery) (*sqlite.List[T], error) { return list(), nil }
}

// Page is a page of a list as it is sent. Next is empty on the last one. Total counts all rows that fit; Stale and
// Never those of them that rest on devices whose evidence is stale or that were never scanned, where the list knows.
// More says that there are more than Total, where only some were counted.
type Page[T any] struct {
	Rows  []T    `json:"rows"`
	Next  string `json:"next"`
	Total int    `json:"total"`
	Stale int    `json:"stale"`
	Never int    `json:"never"`
	More  bool   `json:"more,omitempty" doc:"there are more than total, and the rest was not counted"`
	Parts []Part `json:"parts"`
	// Own are values of fields of the house's own, row by row, in the order in which they were asked for.
	Own [][]string `json:"own"`
}

// Part counts the rows that have one value in the column by which a list is split.
type Part struct {
	Value string `json:"value"`
	Count int    `json:"count"`
	Stale int    `json:"stale"`
	Never int    `json:"never"`
}

// List makes the routes of a list: its pages, and all of it as a file. to makes of a row what is sent.
func List[R, T any](s *Server, name string, lister Lister[R], to func(R) T) {
	Handle(
		s,
		access.Viewer,
		huma.Operation{OperationID: name, Method: http.MethodGet, Path: "/api/" + name},
		func(ctx context.Context, _ Account, in *ListInput) (Page[T], error) {
			q, err := in.Query()
			if err != nil {
				return Page[T]{}, err
			}
			list, err := lister(&q)
			if err != nil {
				return Page[T]{}, err
			}
			var page sqlite.Page[R]
			err = list.View(ctx, s.DB, func(tx *sqlite.Tx) (err error) {
				page, err = list.Page(tx, q)
				return err
			})
			return Page[T]{
				Rows:  Each(page.Rows, to),
				Next:  page.Next,
				Total: page.Total,
				Stale: page.Stale,
				Never: page.Never,
				More:  page.More,
				Parts: Each(page.Parts, func(p sqlite.Part) Part { return Part(p) }),
				Own:   page.Own,
			}, err
		},
	)
	s.Router.Get("/api/"+name+".{format}", func(w http.ResponseWriter, r *http.Request) {
		s.exportList(w, r, name, rowColumns[T](), func(q sqlite.ListQuery, write func([]string) error) error {
			list, err := lister(&q)
			if err != nil {
				return err
			}
			return list.View(r.Context(), s.DB, func(tx *sqlite.Tx) error {
				return list.EachOwn(tx, q, func(row R, own []string) error {
					return write(append(rowValues(to(row)), own...))
				})
			})
		})
	})
}

// rowColumns are the names of a row's fields in JSON, but for those that no file has.
func rowColumns[T any]() []string {
	t := reflect.TypeFor[T]()
	out := make([]string, 0, t.NumField())
	for i := range t.NumField() {
		if tag := t.Field(i).Tag; tag.Get("file") != "-" {
			out = append(out, tag.Get("json"))
		}
	}
	return out
}

// rowValues are the fields of a row as files have them: days and times as ISO 8601 has them, in UTC, and nothing where
// there was none. A field of seconds since 1970 says so by its tag unit.
func rowValues[T any](row T) []string {
	v := reflect.ValueOf(row)
	out := make([]string, 0, v.NumField())
	for i := range v.NumField() {
		tag := v.Type().Field(i).Tag
		if tag.Get("file") == "-" {
			continue
		}
		text := fmt.Sprint(v.Field(i).Interface())
		switch x := v.Field(i).Interface().(type) {
		case civil.Day:
			text = x.String()
		case int64:
			if tag.Get("unit") == "unix" {
				text = isoTime(x)
			}
		}
		out = append(out, text)
	}
	return out
}

func isoTime(unix int64) string {
	if unix == 0 {
		return ""
	}
	return time.Unix(unix, 0).UTC().Format(time.RFC3339)
}

// exportList gives a list as a file, row by row.
func (s *Server) exportList(
	w http.ResponseWriter,
	r *http.Request,
	name string,
	columns []string,
	read func(q sqlite.ListQuery, write func([]string) error) error,
) {
	v, format := r.URL.Query(), chi.URLParam(r, "format")
	in := ListInput{Search: v.Get("q"), Filter: v["f"], Sort: v.Get("sort"), Descending: v.Get("desc") == "true",
		Own: v["own"]}
	s.Give(w, r, name+"."+format, TableTypes[format], func(file io.Writer) error {
		q, err := in.Query()
		if err != nil {
			return err
		}
		out, err := formats.NewWriter(file, format, append(columns, q.Own...))
		if err != nil {
			return err
		}
		return errors.Join(read(q, func(row []string) error { return out.Write(row) }), out.Close())
	})
}
