package api

import (
	"context"
	"encoding/json"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/outbox"
	"ensomet/internal/people"
	"ensomet/internal/program"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
	"ensomet/internal/use/usedb"
	"ensomet/internal/worklist/worklistdb"
	"fmt"
	"net/http"
	"reflect"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// listInput is how every list is asked for. Filter is column=value; a value that begins with * is a part it must contain, one with | any of several, one that begins with > a number to exceed, and one that ends in /* a path with all below
// it.
type listInput struct {
	Search     string   `query:"q"`
	Filter     []string `query:"f,explode"`
	Sort       string   `query:"sort"`
	Descending bool     `query:"desc"`
	Cursor     string   `query:"cursor"`
	Limit      int      `query:"limit" default:"100" minimum:"1" maximum:"1000"`
	Split      string   `query:"split" doc:"a column whose values are counted"`
}

func (in *listInput) query() (sqlite.ListQuery, error) {
	q := sqlite.ListQuery{Search: in.Search, Filters: map[string]string{}, Sort: in.Sort, Descending: in.Descending, Cursor: in.Cursor, Limit: in.Limit, Split: in.Split}
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
type pager[T any] func(ctx context.Context, q sqlite.ListQuery) (sqlite.Page[T], error)

func registerList[T any](s *Server, name string, read pager[T]) {
	handle(s, people.Look, huma.Operation{OperationID: name, Method: http.MethodGet, Path: "/api/" + name}, func(ctx context.Context, _ who, in *listInput) (*body[sqlite.Page[T]], error) {
		q, err := in.query()
		if err != nil {
			return nil, err
		}
		page, err := read(ctx, q)
		return &body[sqlite.Page[T]]{page}, err
	})
	s.router.Get("/api/"+name+".{format}", func(w http.ResponseWriter, r *http.Request) {
		s.exportList(w, r, name, func(q sqlite.ListQuery, start func([]string) error, write func([]string) error) error {
			page, err := read(r.Context(), q)
			if err != nil {
				return err
			}
			return writeRows(page.Rows, start, write)
		})
	})
}

// writeRows writes rows as a table whose columns are the rows' JSON names: days and times as ISO 8601 has them, in UTC, and nothing where there was none. A field of seconds since 1970 says so by its tag unit.
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

func (s *Server) exportList(w http.ResponseWriter, r *http.Request, name string, read func(q sqlite.ListQuery, start func([]string) error, write func([]string) error) error) {
	if _, err := s.need(r.Context(), people.Look); err != nil {
		problem(w, err)
		return
	}
	v := r.URL.Query()
	in := listInput{Search: v.Get("q"), Filter: v["f"], Sort: v.Get("sort"), Descending: v.Get("desc") == "true"}
	q, err := in.query()
	if err != nil {
		problem(w, fail(err))
		return
	}
	format := chi.URLParam(r, "format")
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+"."+format))
	w.Header().Set("Content-Type", map[string]string{"csv": "text/csv; charset=utf-8", "json": "application/json", "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}[format])
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
		problem(w, fail(err))
	}
}

// problem answers with RFC 9457 problem details.
func problem(w http.ResponseWriter, err error) {
	status := http.StatusInternalServerError
	if e, ok := err.(huma.StatusError); ok {
		status = e.GetStatus()
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(err)
}

func view[T any](a *program.Program, read func(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[T], error)) pager[T] {
	return func(ctx context.Context, q sqlite.ListQuery) (page sqlite.Page[T], err error) {
		err = a.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			page, err = read(tx, q)
			return err
		})
		return page, err
	}
}

func (s *Server) lists() {
	registerList(s, "devices", view(s.app, snapshot.DevicePage))
	registerList(s, "names", view(s.app, snapshot.NamePage))
	registerList(s, "products", view(s.app, snapshot.ProductPage))
	registerList(s, "publishers", view(s.app, titlesdb.PublisherPage))
	registerList(s, "releases", s.app.Titles.Releases)
	registerList(s, "positions", view(s.app, snapshot.PositionPage))
	registerList(s, "entitlements", s.app.Entitlements.Entitlements)
	registerList(s, "cases", view(s.app, snapshot.CasePage))
	registerList(s, "use", view(s.app, usedb.UsePage))
	registerList(s, "pools", s.app.Use.Pools)
	registerList(s, "savings", view(s.app, worklistdb.SavingPage))
	registerList(s, "potential", view(s.app, worklistdb.PotentialPage))
	registerList(s, "asides", view(s.app, evidencedb.AsidePage))
	registerList(s, "changes", view(s.app, evidencedb.ChangePage))
	registerList(s, "scan-orders", view(s.app, evidencedb.OrderPage))
	registerList(s, "deliveries", view(s.app, evidencedb.DeliveryPage))
	registerList(s, "moves", view(s.app, evidencedb.MovePage))
	registerList(s, "mail", view(s.app, outbox.MailPage))
}
