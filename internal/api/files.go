package api

import (
	"encoding/json"
	"net/http"
	"strconv"

	"ensomet/internal/app"
	"ensomet/internal/formats"
)

// maxUpload is the largest file that is taken over HTTP; larger ones go through the command line.
const maxUpload = 4 << 30

// files registers what takes and gives whole files: they are streamed and so stand beside the described operations.
func (s *Server) files() {
	s.router.Post("/api/import/{kind}", func(w http.ResponseWriter, r *http.Request) {
		me, err := s.need(r.Context(), app.Run)
		if err != nil {
			problem(w, err)
			return
		}
		kind, err := formats.KindByName(r.PathValue("kind"))
		if err != nil {
			problem(w, fail(err))
			return
		}
		req := app.ImportRequest{Kind: kind, File: r.URL.Query().Get("file"), In: http.MaxBytesReader(w, r.Body, maxUpload), DryRun: r.URL.Query().Get("dry") == "true", Author: me.Name}
		res, err := s.app.ImportWatched(r.Context(), req)
		if err != nil {
			problem(w, fail(err))
			return
		}
		if !req.DryRun && res.Added+res.Changed+res.Gone > 0 {
			s.app.RefreshSoon(r.Context())
		}
		w.Header().Set("Content-Type", "application/json")
		json.NewEncoder(w).Encode(res)
	})
	s.router.Get("/api/products/{id}/units.csv", func(w http.ResponseWriter, r *http.Request) {
		if _, err := s.need(r.Context(), app.Look); err != nil {
			problem(w, err)
			return
		}
		id, err := strconv.ParseInt(r.PathValue("id"), 10, 64)
		if err != nil {
			problem(w, fail(err))
			return
		}
		w.Header().Set("Content-Type", "text/csv; charset=utf-8")
		w.Header().Set("Content-Disposition", `attachment; filename="demand.csv"`)
		out, err := formats.NewWriter(w, "csv", app.ExplainColumns)
		if err == nil {
			err = s.app.Explain(r.Context(), id, 0, out.Write)
		}
		if err == nil {
			err = out.Close()
		}
		if err != nil {
			problem(w, fail(err))
		}
	})
}
