package rest

import (
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"ensomet/internal/core/access"
	"ensomet/internal/formats"

	"github.com/danielgtaylor/huma/v2"
)

// The limits of what one source may send: bytes of one scan as it comes, and wrong tokens of one address a minute.
const (
	MaxScanBody  = 4 << 20
	MaxUnpacked  = 32 << 20 // of a body that comes packed, once it is unpacked
	BadPerMinute = 60
)

// WithToken lets a request through that shows a token in use.
func (s *Server) WithToken(next func(w http.ResponseWriter, r *http.Request, from access.Sender)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		secret, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
		if !ok {
			w.Header().Set("WWW-Authenticate", "Bearer")
			Problem(w, huma.Error401Unauthorized("Show a token: Authorization: Bearer TOKEN."))
			return
		}
		address, err := ByAddress(r)
		if err != nil {
			address = ""
		}
		from, err := s.guards.Tokens.Sender(r.Context(), strings.TrimSpace(secret), address)
		if errors.Is(err, access.ErrToken) {
			if !s.wrong.Take(address) {
				w.Header().Set("Retry-After", "60")
				Problem(w, huma.NewError(http.StatusTooManyRequests,
					"This token is not known here, and too many wrong ones came from this address: wait a minute."))
				return
			}
			w.Header().Set("WWW-Authenticate", "Bearer")
			Problem(
				w,
				huma.Error401Unauthorized(
					"This token is not known here, or was revoked. Ask for a new one and give it to the collector; "+
						"what it holds is kept until then.",
				),
			)
			return
		}
		if err != nil {
			Problem(w, Fail(err))
			return
		}
		next(w, r, from)
	}
}

// Counted counts the bytes that pass.
type Counted struct {
	io.Reader
	N int64
}

func (c *Counted) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.N += int64(n)
	return n, err
}

// ReadBody reads a request's body, packed or not, within the limits.
func ReadBody(w http.ResponseWriter, r *http.Request) (io.Reader, *Counted, error) {
	raw := &Counted{Reader: http.MaxBytesReader(w, r.Body, MaxScanBody)}
	switch strings.ToLower(r.Header.Get("Content-Encoding")) {
	case "", "identity":
		return raw, raw, nil
	case "gzip":
		z, err := gzip.NewReader(raw)
		if err != nil {
			return nil, raw, &formats.FileError{Reason: "the body is not gzip, though its header says so"}
		}
		return http.MaxBytesReader(w, io.NopCloser(z), MaxUnpacked), raw, nil
	}
	return nil, raw, huma.NewError(http.StatusUnsupportedMediaType, "Send the body as it is, or packed with gzip.")
}

// Request decodes a small request of a collector.
func Request[T any](w http.ResponseWriter, r *http.Request) (T, error) {
	var v T
	in, _, err := ReadBody(w, r)
	if err != nil {
		return v, err
	}
	var large *http.MaxBytesError
	if err := json.NewDecoder(in).Decode(&v); errors.As(err, &large) {
		return v, huma.NewError(http.StatusRequestEntityTooLarge,
			fmt.Sprintf("The request is larger than %d MB.", large.Limit>>20))
	} else if err != nil {
		return v, huma.Error422UnprocessableEntity("The request cannot be read: " + err.Error())
	}
	return v, nil
}
