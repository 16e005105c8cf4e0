package titleshttp

import (
	"io"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/rest"

	"github.com/go-chi/chi/v5"
)

// updateFile takes a newer catalogue to look its differences through.
func (s *routes) updateFile(w http.ResponseWriter, r *http.Request) {
	me, err := s.Need(r.Context(), access.Editor)
	if err != nil {
		rest.Problem(w, err)
		return
	}
	f, size, err := rest.Spool(w, r, rest.MaxLook)
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	defer f.Close()
	id, err := s.Catalogue.AddUpdate(r.Context(), f, size, r.URL.Query().Get("file"), me.Name)
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	rest.Answer(w, rest.Made{ID: id})
}

// catalogueFile gives the whole catalogue: csv and xlsx the titles, json and cyclonedx besides.
func (s *routes) catalogueFile(w http.ResponseWriter, r *http.Request) {
	format := chi.URLParam(r, "format")
	kind, known := map[string][2]string{"csv": {"text/csv; charset=utf-8", "titles.csv"},
		"xlsx":      {"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "titles.xlsx"},
		"json":      {"application/json", "catalogue.json"},
		"cyclonedx": {"application/vnd.cyclonedx+json", "catalogue.cdx.json"}}[format]
	if !known {
		http.NotFound(w, r)
		return
	}
	s.Give(w, r, kind[1], kind[0], func(file io.Writer) error {
		return s.Catalogue.WriteCatalogue(r.Context(), format, file)
	})
}
