package entitlementshttp

import (
	"io"
	"net/http"
	"strconv"

	"ensomet/internal/core/access"
	"ensomet/internal/entitlements"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
)

// addProof takes a file as proof of a line.
func (s *routes) addProof(w http.ResponseWriter, r *http.Request) {
	me, err := s.Need(r.Context(), access.Editor)
	if err != nil {
		rest.Problem(w, err)
		return
	}
	f, _, err := rest.Spool(w, r, entitlements.MaxProof+1)
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	defer f.Close()
	if _, err := f.Seek(0, 0); err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	if err := s.Entitlements.AddProof(r.Context(), r.PathValue("code"), r.URL.Query().Get("name"), f,
		me.Name); err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	rest.Answer(w, rest.Done{Count: 1})
}

// proof gives a file as it was attached. It is never shown within the program's own pages.
func (s *routes) proof(w http.ResponseWriter, r *http.Request) {
	if _, err := s.Need(r.Context(), access.Viewer); err != nil {
		rest.Problem(w, err)
		return
	}
	id, err := strconv.ParseInt(r.PathValue("id"), 10, 64)
	if err != nil {
		rest.Problem(w, huma.Error400BadRequest("this is no number of a file"))
		return
	}
	p, content, err := s.Entitlements.Proof(r.Context(), id)
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	s.Give(w, r, p.Name, "application/octet-stream", func(b io.Writer) error {
		_, err := b.Write(content)
		return err
	})
}
