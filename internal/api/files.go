package api

import (
	"bytes"
	"context"
	"encoding/json"
	"ensomet/internal/evidence"
	"ensomet/internal/intake"
	"ensomet/internal/people"
	"ensomet/internal/position"
	"errors"
	"fmt"
	"io"
	"log"
	"net/http"
	"os"
	"strconv"

	"ensomet/internal/formats"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// maxUpload is the largest file that is taken over HTTP; larger ones go through the command line.
const maxUpload = 4 << 30

// files registers what takes and gives whole files: they are streamed and so stand beside the described operations.
func (s *Server) files() {
	s.router.Post("/api/import/{kind}", s.importFile)
	s.router.Post("/api/files/look", s.lookAtFile)
	s.router.Get("/api/devices/{code}/software.{format}", s.deviceSoftware)
	s.router.Get("/api/products/{id}/units.csv", func(w http.ResponseWriter, r *http.Request) {
		if _, err := s.need(r.Context(), people.Look); err != nil {
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
		out, err := formats.NewWriter(w, "csv", position.ExplainColumns)
		if err == nil {
			err = s.app.Position.Explain(r.Context(), id, 0, out.Write)
		}
		if err == nil {
			err = out.Close()
		}
		if err != nil {
			problem(w, fail(err))
		}
	})
}

// spool keeps an upload in a file of its own until it has come whole, so that nothing waits for a slow sender.
func spool(w http.ResponseWriter, r *http.Request, most int64) (*os.File, int64, error) {
	f, err := os.CreateTemp("", "ensomet-upload-*")
	if err != nil {
		return nil, 0, err
	}
	if err := os.Remove(f.Name()); err != nil { // it goes when it is closed
		return nil, 0, errors.Join(err, f.Close())
	}
	n, err := io.Copy(f, http.MaxBytesReader(w, r.Body, most))
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		err = huma.NewError(http.StatusRequestEntityTooLarge, fmt.Sprintf("The file is larger than %d MB.", most>>20))
	case err != nil && r.Context().Err() != nil:
		err = context.Canceled
	case err != nil:
		err = huma.Error400BadRequest("The file did not come whole: send it again.")
	}
	if err != nil {
		return nil, 0, errors.Join(err, f.Close())
	}
	return f, n, nil
}

// importFile takes in a file, or says what it would do. The kind is scan or directory for files whose form says what they are.
func (s *Server) importFile(w http.ResponseWriter, r *http.Request) {
	me, err := s.need(r.Context(), people.Run)
	if err != nil {
		problem(w, err)
		return
	}
	v := r.URL.Query()
	req := intake.ImportRequest{File: v.Get("file"), Device: v.Get("device"), DryRun: v.Get("dry") == "true", Author: me.Name}
	if name := r.PathValue("kind"); name != "scan" && name != "directory" {
		if req.Kind, err = formats.KindByName(name); err != nil {
			problem(w, fail(err))
			return
		}
	}
	if text := v.Get("mapping"); text != "" {
		req.Mapping = &formats.Mapping{}
		if err := json.Unmarshal([]byte(text), req.Mapping); err != nil {
			problem(w, huma.Error400BadRequest("The mapping cannot be read: "+err.Error()))
			return
		}
	}
	f, size, err := spool(w, r, maxUpload)
	if err != nil {
		problem(w, fail(err))
		return
	}
	defer f.Close()
	res, err := s.app.Evidence.ImportWatched(r.Context(), f, size, req)
	if err != nil {
		problem(w, fail(err))
		return
	}
	answer(w, res)
}

// maxLook is how much of a file is looked at to tell what it is.
const maxLook = 64 << 20

func (s *Server) lookAtFile(w http.ResponseWriter, r *http.Request) {
	if _, err := s.need(r.Context(), people.Run); err != nil {
		problem(w, err)
		return
	}
	f, size, err := spool(w, r, maxLook)
	if err != nil {
		problem(w, fail(err))
		return
	}
	defer f.Close()
	look, err := s.app.Evidence.LookAt(r.Context(), f, size, r.URL.Query().Get("kind"))
	if err != nil {
		problem(w, fail(err))
		return
	}
	answer(w, look)
}

// deviceSoftware gives a device's software as an open document.
func (s *Server) deviceSoftware(w http.ResponseWriter, r *http.Request) {
	if _, err := s.need(r.Context(), people.Look); err != nil {
		problem(w, err)
		return
	}
	code, format := chi.URLParam(r, "code"), chi.URLParam(r, "format")
	var b bytes.Buffer
	if err := s.app.Evidence.WriteSoftware(r.Context(), code, format, &b); err != nil {
		problem(w, fail(err))
		return
	}
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", code+"."+evidence.SoftwareFormats[format].Ending))
	w.Header().Set("Content-Type", evidence.SoftwareFormats[format].Type)
	if _, err := w.Write(b.Bytes()); err != nil {
		log.Printf("an answer could not be written: %v", err)
	}
}
