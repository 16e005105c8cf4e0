package titleshttp

import (
	"bytes"
	"fmt"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/rest"

	"github.com/go-chi/chi/v5"
)

// offerFile takes a newer catalogue to look its differences through.
func (s *routes) offerFile(w http.ResponseWriter, r *http.Request) {
	me, err := s.Need(r.Context(), access.Work)
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
	id, err := s.Catalogue.OfferCatalogue(r.Context(), f, size, r.URL.Query().Get("file"), me.Name)
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	rest.Answer(w, rest.Made{ID: id})
}

// catalogueFile gives the whole catalogue: csv and xlsx the titles, json and cyclonedx besides.
func (s *routes) catalogueFile(w http.ResponseWriter, r *http.Request) {
	if _, err := s.Need(r.Context(), access.Look); err != nil {
		rest.Problem(w, err)
		return
	}
	format := chi.URLParam(r, "format")
	kind, known := map[string][2]string{"csv": {"text/csv; charset=utf-8", "titles.csv"},
		"xlsx":      {"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "titles.xlsx"},
		"json":      {"application/json", "catalogue.json"},
		"cyclonedx": {"application/vnd.cyclonedx+json", "catalogue.cdx.json"}}[format]
	if !known {
		http.NotFound(w, r)
		return
	}
	var b bytes.Buffer
	if err := s.Catalogue.WriteCatalogue(r.Context(), format, &b); err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	w.Header().Set("Content-Type", kind[0])
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", kind[1]))
	_, _ = b.WriteTo(w) // a reader that went away
}
