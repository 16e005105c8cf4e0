package rest

import (
	"context"
	"fmt"
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
// contain, one with | any of several, one that begins with > a number to exceed, and one that ends in /* a path with
// all below it.
type ListInput struct {
	Search     string   `query:"q"`
	Filter     []string `query:"f,explode"`
	Sort       string   `query:"sort"`
	Descending bool     `query:"desc"`
	Cursor     string   `query:"cursor"`
	Limit      int      `query:"limit" default:"100" minimum:"1" maximum:"1000"`
	Split      string   `query:"split" doc:"a column whose values are counted"`
}

func (in *ListInput) Query() (sqlite.ListQuery, error) {
	q := sqlite.ListQuery{
		Search:     in.Search,
		Filters:    map[string]string{},
		Sort:       in.Sort,
		Descending: in.Descending,
		Cursor:     in.Cursor,
		Limit:      in.Limit,
		Split:      in.Split,
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

// pager reads a page of a list.
type Pager[T any] func(ctx context.Context, q sqlite.ListQuery) (sqlite.Page[T], error)

func List[T any](s *Server, name string, read Pager[T]) {
	Handle(
		s,
		access.Look,
		huma.Operation{OperationID: name, Method: http.MethodGet, Path: "/api/" + name},
		func(ctx context.Context, _ Who, in *ListInput) (*Body[sqlite.Page[T]], error) {
			q, err := in.Query()
			if err != nil {
				return nil, err
			}
			page, err := read(ctx, q)
			return &Body[sqlite.Page[T]]{page}, err
		},
	)
	s.Router.Get("/api/"+name+".{format}", func(w http.ResponseWriter, r *http.Request) {
		s.exportList(
			w,
			r,
			name,
			func(q sqlite.ListQuery, start func([]string) error, write func([]string) error) error {
				page, err := read(r.Context(), q)
				if err != nil {
					return err
				}
				return writeRows(page.Rows, start, write)
			},
		)
	})
}

// writeRows writes rows as a table whose columns are the rows' JSON names: days and times as ISO 8601 has them, in
// UTC, and nothing where there was None. A field of seconds since 1970 says so by its tag unit.
func writeRows[T any](rows []T, start func([]string) error, write func([]string) error) error {
	t := reflect.TypeFor[T]()
	var columns []string
	for i := range t.NumField() {
		columns = append(columns, t.Field(i).Tag.Get("json"))
	}
	if err := start(columns); err != nil {
		return err
	}
	for _, row := range rows {
		v := reflect.ValueOf(row)
		values := make([]string, len(columns))
		for i := range columns {
			values[i] = fmt.Sprint(v.Field(i).Interface())
			switch x := v.Field(i).Interface().(type) {
			case civil.Day:
				values[i] = x.String()
			case int64:
				if t.Field(i).Tag.Get("unit") == "unix" {
					values[i] = isoTime(x)
				}
			}
		}
		if err := write(values); err != nil {
			return err
		}
	}
	return nil
}

func isoTime(unix int64) string {
	if unix == 0 {
		return ""
	}
	return time.Unix(unix, 0).UTC().Format(time.RFC3339)
}

func (s *Server) exportList(
	w http.ResponseWriter,
	r *http.Request,
	name string,
	read func(q sqlite.ListQuery, start func([]string) error, write func([]string) error) error,
) {
	if _, err := s.Need(r.Context(), access.Look); err != nil {
		Problem(w, err)
		return
	}
	v := r.URL.Query()
	in := ListInput{Search: v.Get("q"), Filter: v["f"], Sort: v.Get("sort"), Descending: v.Get("desc") == "true"}
	q, err := in.Query()
	if err != nil {
		Problem(w, Fail(err))
		return
	}
	format := chi.URLParam(r, "format")
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+"."+format))
	w.Header().
		Set("Content-Type",
			map[string]string{"csv": "text/csv; charset=utf-8", "json": "application/json",
				"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}[format])
	var out formats.Writer
	err = read(q, func(columns []string) (err error) {
		out, err = formats.NewWriter(w, format, columns)
		return err
	}, func(row []string) error { return out.Write(row) })
	if err == nil && out != nil {
		err = out.Close()
	}
	if err != nil {
		w.Header().Del("Content-Disposition")
		Problem(w, Fail(err))
	}
}

func View[T any](s *Server, read func(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[T], error)) Pager[T] {
	return func(ctx context.Context, q sqlite.ListQuery) (page sqlite.Page[T], err error) {
		err = s.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			page, err = read(tx, q)
			return err
		})
		return page, err
	}
}
