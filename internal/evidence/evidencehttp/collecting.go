package evidencehttp

import (
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/arriving"
	"ensomet/internal/formats"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"
)

// scansPerMinute is how many requests one token may make a minute. A whole fleet may stand behind one.
const scansPerMinute = 30_000

// collecting registers what collectors talk to. A token stands for the source; there is no session.
func (s *routes) collecting() {
	bySender := func(r *http.Request) (string, error) { return r.Header.Get("Authorization"), nil }
	s.Router.Group(func(r chi.Router) {
		r.Use(
			httprate.LimitBy(
				scansPerMinute,
				time.Minute,
				bySender,
				httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) {
					w.Header().Set("Retry-After", "60")
					rest.Problem(
						w,
						huma.NewError(
							http.StatusTooManyRequests,
							fmt.Sprintf(
								"This token has sent more than %d requests within a minute: wait a minute and go on.",
								scansPerMinute,
							),
						),
					)
				}),
			),
		)
		r.Post("/api/scans", s.WithToken(s.takeScan))
		r.Post("/api/collector/ask", s.WithToken(s.giveTasks))
		r.Post("/api/collector/failed", s.WithToken(s.taskFailed))
	})
}

func (s *routes) takeScan(w http.ResponseWriter, r *http.Request, from access.Sender) {
	if s.Collecting.Busy() {
		w.Header().Set("Retry-After", "30")
		rest.Problem(w, huma.Error503ServiceUnavailable(
			"Many scans wait to be taken in at this moment: send this one again in half a minute."))
		return
	}
	in, raw, err := rest.ReadBody(w, r)
	var scan *formats.Scan
	if err == nil {
		scan, err = formats.ReadScan(in)
	}
	var taken arriving.Taken
	if err == nil {
		taken, err = s.Collecting.Deliver(r.Context(), from, scan, raw.N)
	}
	if err != nil {
		s.refuse(w, r, from, scan, raw.N, err)
		return
	}
	rest.Answer(w, toTaken(taken))
}

// refuse answers for a scan that is not taken, and keeps on record why.
func (s *routes) refuse(
	w http.ResponseWriter,
	r *http.Request,
	from access.Sender,
	scan *formats.Scan,
	bytes int64,
	err error,
) {
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		err = huma.NewError(http.StatusRequestEntityTooLarge,
			fmt.Sprintf("The scan is larger than %d MB.", large.Limit>>20))
	case errors.Is(err, gzip.ErrChecksum), errors.Is(err, gzip.ErrHeader), errors.Is(err, io.ErrUnexpectedEOF):
		err = huma.Error422UnprocessableEntity("The scan is cut off: send it again whole.")
	case errors.Is(err, arriving.ErrAmbiguous):
		err = huma.Error409Conflict(err.Error())
	}
	device := ""
	if scan != nil {
		device = scan.Device.ID
	}
	err = rest.Fail(err)
	if status, ok := err.(huma.StatusError); ok && status.GetStatus() < 500 && r.Context().Err() == nil {
		if err := s.Collecting.Refuse(r.Context(), from, device, bytes, status.Error()); err != nil {
			slog.Error("a refused scan could not be noted", "error", err)
		}
	}
	rest.Problem(w, err)
}

// maxAsked is how many devices a collector may ask for at once.
const maxAsked = 5_000

// Tasks answers a collector that asks what to do.
type Tasks struct {
	Orders []ScanTask `json:"orders"`
	Again  int        `json:"again"` // seconds until it should ask again
}

func (s *routes) giveTasks(w http.ResponseWriter, r *http.Request, from access.Sender) {
	in, err := rest.Request[struct {
		Devices []string `json:"devices"`
	}](w, r)
	if err == nil && len(in.Devices) > maxAsked {
		err = huma.Error422UnprocessableEntity(fmt.Sprintf("Ask for at most %d devices at once.", maxAsked))
	}
	var tasks []evidence.ScanTask
	if err == nil {
		tasks, err = s.Collecting.Tasks(r.Context(), from, in.Devices)
	}
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	rest.Answer(w, Tasks{rest.Each(tasks, toScanTask), 900})
}

func (s *routes) taskFailed(w http.ResponseWriter, r *http.Request, from access.Sender) {
	in, err := rest.Request[struct {
		Order  int64  `json:"order"`
		Reason string `json:"reason"`
		Detail string `json:"detail"`
	}](w, r)
	if err == nil {
		err = s.Collecting.TaskFailed(r.Context(), from, in.Order, in.Reason, in.Detail)
	}
	if errors.Is(err, evidence.ErrNoOrder) {
		err = huma.Error404NotFound("There is no such order for a scan.")
	}
	if err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	rest.Answer(w, rest.Done{Count: 1})
}

// NewToken is a token with its secret, which is shown this once.
type NewToken struct {
	ID     int64  `json:"id"`
	Secret string `json:"secret"`
}
