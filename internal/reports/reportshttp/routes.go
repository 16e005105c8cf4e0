// Package reportshttp has the routes of what looks over all stations.
package reportshttp

import (
	"cmp"
	"context"
	"io"
	"net/http"
	"strconv"

	"ensomet/internal/core/access"
	"ensomet/internal/formats"
	"ensomet/internal/progress"
	"ensomet/internal/renewal"
	"ensomet/internal/reports"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Progress *progress.Board
	Renewal  *renewal.Loop
	Reports  *reports.Service
}

type routes struct {
	*rest.Server
	Stations
}

// Register registers the routes of what looks over all stations.
func Register(server *rest.Server, stations Stations) {
	s := &routes{server, stations}
	s.howFar()
	s.licences()
	s.overview()
	s.splits()
}

func (s *routes) splits() {
	rest.Handle(s.Server, access.Viewer, rest.Get("split", "/api/splits/{of}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Of        string `path:"of" enum:"installs,titles,use,cases"`
			By        string `query:"by" default:"kind" doc:"a fact of devices, source, or own:NAME"`
			Publisher string `query:"publisher" doc:"only titles of this publisher"`
			Product   int64  `query:"product" doc:"only this title"`
		}) (Split, error) {
			return rest.One(
				toSplit,
			)(
				s.Reports.Split(ctx, reports.SplitAsked{Of: in.Of, By: in.By, Publisher: in.Publisher,
					Product: in.Product}),
			)
		})
	s.Router.Get("/api/splits/{of}.{format}", func(w http.ResponseWriter, r *http.Request) {
		of, format, q := r.PathValue("of"), r.PathValue("format"), r.URL.Query()
		product, err := strconv.ParseInt(cmp.Or(q.Get("product"), "0"), 10, 64)
		if err != nil {
			rest.Problem(w, huma.Error400BadRequest("The title is said by its number."))
			return
		}
		s.Give(w, r, of+"-split."+format, rest.TableTypes[format], func(file io.Writer) error {
			split, err := s.Reports.Split(r.Context(), reports.SplitAsked{Of: of, By: cmp.Or(q.Get("by"), "kind"),
				Publisher: q.Get("publisher"), Product: product})
			if err != nil {
				return err
			}
			out, err := formats.NewWriter(file, format, split.Columns())
			if err != nil {
				return err
			}
			for i := range split.Rows {
				if err := out.Write(split.Rows[i].Line()); err != nil {
					return err
				}
			}
			return out.Close()
		})
	})
}

func (s *routes) howFar() {
	rest.Handle(s.Server, access.Viewer, rest.Get("howFar", "/api/how-far/{key}"),
		func(_ context.Context, _ rest.Account, in *struct {
			Key string `path:"key" maxLength:"60"`
		}) (rest.Said, error) {
			return rest.Said{Words: s.Progress.HowFar(in.Key)}, nil
		})
}

func (s *routes) licences() {
	s.Router.Get("/api/licences.cdx.json", func(w http.ResponseWriter, r *http.Request) {
		s.Give(
			w,
			r,
			"licences.cdx.json",
			"application/vnd.cyclonedx+json",
			func(b io.Writer) error { return s.Reports.WriteLicences(r.Context(), b) },
		)
	})
}

func (s *routes) overview() {
	rest.Handle(s.Server, access.Viewer, rest.Get("status", "/api/status"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (RefreshStatus, error) {
			return rest.One(toRefreshStatus)(s.Renewal.Status(), nil)
		})
	rest.Tell(s.Server, access.Viewer, rest.Get("news", "/api/news"),
		func() RefreshStatus { return toRefreshStatus(s.Renewal.Status()) })
	rest.Handle(s.Server, access.Viewer, rest.Get("overview", "/api/overview"),
		rest.Plain(s.Reports.Overview, rest.One(toOverview)))
	rest.Handle(s.Server, access.Viewer, rest.Get("find", "/api/find"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Text string `query:"q" minLength:"1"`
		}) ([]Hit, error) {
			return rest.All(toHit)(s.Reports.Find(ctx, in.Text))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("imports", "/api/imports"),
		rest.Plain(s.Reports.Imports, rest.All(toImportView)))
}
