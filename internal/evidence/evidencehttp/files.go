package evidencehttp

import (
	"encoding/json"
	"io"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/evidence"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// importFile takes in a file, or says what it would do. The kind is scan or directory for files whose form says what
// they are.
func (s *routes) importFile(w http.ResponseWriter, r *http.Request) {
	me, err := s.Need(r.Context(), access.Admin)
	if err != nil {
		rest.Problem(w, err)
		return
	}
	v := r.URL.Query()
	req := intake.ImportRequest{
		File:   v.Get("file"),
		Device: v.Get("device"),
		DryRun: v.Get("dry") == "true",
		Author: me.Name,
	}
	if name := r.PathValue("kind"); name != "scan" && name != "directory" {
		if req.Kind, err = formats.KindByName(name); err != nil {
			rest.Problem(w, rest.Fail(err))
			return
		}
	}
	if text := v.Get("mapping"); text != "" {
		req.Mapping = &formats.Mapping{}
		if err := json.Unmarshal([]byte(text), req.Mapping); err != nil {
			rest.Problem(w, huma.Error400BadRequest("The mapping cannot be read: "+err.Error()))
			return
		}
	}
	f, size, err := rest.Spool(w, r, rest.MaxUpload)
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	defer f.Close()
	res, err := s.Evidence.ImportWatched(r.Context(), f, size, req)
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	rest.Answer(w, toImportResult(res))
}

func (s *routes) lookAtFile(w http.ResponseWriter, r *http.Request) {
	if _, err := s.Need(r.Context(), access.Admin); err != nil {
		rest.Problem(w, err)
		return
	}
	f, size, err := rest.Spool(w, r, rest.MaxLook)
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	defer f.Close()
	look, err := s.Evidence.LookAt(r.Context(), f, size, r.URL.Query().Get("kind"))
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	rest.Answer(w, toFileLook(look))
}

// deviceSoftware gives a device's software as an open document.
func (s *routes) deviceSoftware(w http.ResponseWriter, r *http.Request) {
	code, format := chi.URLParam(r, "code"), chi.URLParam(r, "format")
	as := evidence.SoftwareFormats[format]
	s.Give(w, r, code+"."+as.Ending, as.Type, func(file io.Writer) error {
		return s.Evidence.WriteSoftware(r.Context(), code, format, file)
	})
}
