package api

import (
	"bytes"
	"ensomet/internal/entitlements"
	"ensomet/internal/people"
	"fmt"
	"log"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
)

// give answers with a file that is written whole before anything is sent.
func (s *Server) give(w http.ResponseWriter, r *http.Request, name, kind string, write func(*bytes.Buffer) error) {
	if _, err := s.need(r.Context(), people.Look); err != nil {
		problem(w, err)
		return
	}
	var b bytes.Buffer
	if err := write(&b); err != nil {
		problem(w, fail(err))
		return
	}
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	w.Header().Set("Content-Type", kind)
	if _, err := w.Write(b.Bytes()); err != nil {
		log.Printf("an answer could not be written: %v", err)
	}
}

// addProof takes a file as proof of a line.
func (s *Server) addProof(w http.ResponseWriter, r *http.Request) {
	me, err := s.need(r.Context(), people.Work)
	if err != nil {
		problem(w, err)
		return
	}
	f, _, err := spool(w, r, entitlements.MaxProof+1)
	if err != nil {
		problem(w, fail(err))
		return
	}
	defer f.Close()
	if _, err := f.Seek(0, 0); err != nil {
		problem(w, fail(err))
		return
	}
	if err := s.app.Entitlements.AddProof(r.Context(), r.PathValue("code"), r.URL.Query().Get("name"), f, me.Name); err != nil {
		problem(w, fail(err))
		return
	}
	answer(w, Done{Count: 1})
}

// proof gives a file as it was attached. It is never shown within the program's own pages.
func (s *Server) proof(w http.ResponseWriter, r *http.Request) {
	if _, err := s.need(r.Context(), people.Look); err != nil {
		problem(w, err)
		return
	}
	id, err := strconv.ParseInt(r.PathValue("id"), 10, 64)
	if err != nil {
		problem(w, huma.Error400BadRequest("this is no number of a file"))
		return
	}
	p, content, err := s.app.Entitlements.Proof(r.Context(), id)
	if err != nil {
		problem(w, fail(err))
		return
	}
	s.give(w, r, p.Name, "application/octet-stream", func(b *bytes.Buffer) error {
		_, err := b.Write(content)
		return err
	})
}
