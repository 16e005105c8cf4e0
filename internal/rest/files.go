package rest

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"

	"ensomet/internal/core/access"

	"github.com/danielgtaylor/huma/v2"
)

func Answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	if err := json.NewEncoder(w).Encode(v); err != nil {
		slog.Warn("an answer could not be written", "error", err)
	}
}

// maxUpload is the largest file that is taken over HTTP; larger ones go through the command line.
const MaxUpload = 4 << 30

// Spool keeps an upload in a file of its own until it has come whole, so that nothing waits for a slow sender.
func Spool(w http.ResponseWriter, r *http.Request, most int64) (*os.File, int64, error) {
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

// maxLook is how much of a file is looked at to tell what it is.
const MaxLook = 64 << 20

// Problem answers with RFC 9457 problem details.
func Problem(w http.ResponseWriter, err error) {
	var told huma.StatusError
	if !errors.As(err, &told) {
		errors.As(Fail(err), &told)
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(told.GetStatus())
	if err := json.NewEncoder(w).Encode(told); err != nil {
		slog.Warn("an answer could not be written", "error", err)
	}
}

// Give answers with a file. It is written beside the data first, and then sent: so a slow line holds no reader of the
// data, and what fails is told before anything has left.
func (s *Server) Give(w http.ResponseWriter, r *http.Request, name, kind string, write func(io.Writer) error) {
	if _, err := s.Need(r.Context(), access.Viewer); err != nil {
		Problem(w, err)
		return
	}
	file, err := os.CreateTemp("", "ensomet-file-*")
	if err != nil {
		Problem(w, Fail(err))
		return
	}
	defer os.Remove(file.Name())
	defer file.Close()
	if err = write(file); err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		Problem(w, Fail(err))
		return
	}
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	w.Header().Set("Content-Type", kind)
	if _, err := io.Copy(w, file); err != nil { // whoever asked has gone, or the rest cannot be read
		slog.Warn("a file broke off", "file", name, "error", err)
		panic(http.ErrAbortHandler)
	}
}

// TableTypes are the content types of the formats of tables.
var TableTypes = map[string]string{
	"csv":  "text/csv; charset=utf-8",
	"json": "application/json",
	"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}
