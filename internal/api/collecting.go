package api

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/people"
	"errors"
	"fmt"
	"io"
	"log"
	"net/http"
	"strings"
	"sync"
	"time"

	"ensomet/internal/formats"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"
)

// The limits of what one source may send: bytes of one scan as it comes, and requests a minute by one token. A whole fleet may stand behind one token.
const (
	maxScanBody    = 4 << 20
	scansPerMinute = 30_000
	badPerMinute   = 60
)

// collecting registers what collectors talk to. A token stands for the source; there is no session.
func (s *Server) collecting() {
	bySender := func(r *http.Request) (string, error) { return r.Header.Get("Authorization"), nil }
	s.router.Group(func(r chi.Router) {
		r.Use(httprate.LimitBy(scansPerMinute, time.Minute, bySender, httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Retry-After", "60")
			problem(w, huma.NewError(http.StatusTooManyRequests, fmt.Sprintf("This token has sent more than %d requests within a minute: wait a minute and go on.", scansPerMinute)))
		})))
		r.Post("/api/scans", s.withToken(s.takeScan))
		r.Post("/api/collector/ask", s.withToken(s.giveTasks))
		r.Post("/api/collector/failed", s.withToken(s.taskFailed))
	})
}

// withToken lets a request through that shows a token in use.
func (s *Server) withToken(next func(w http.ResponseWriter, r *http.Request, from evidence.Sender)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		secret, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
		if !ok {
			w.Header().Set("WWW-Authenticate", "Bearer")
			problem(w, huma.Error401Unauthorized("Show a token: Authorization: Bearer TOKEN."))
			return
		}
		address, err := byAddress(r)
		if err != nil {
			address = ""
		}
		if !s.wrong.may(address, s.app.Clock.Now()) {
			w.Header().Set("Retry-After", "60")
			problem(w, huma.NewError(http.StatusTooManyRequests, "Too many wrong tokens came from this address: wait a minute."))
			return
		}
		from, err := s.app.Evidence.Sender(r.Context(), strings.TrimSpace(secret), address)
		if errors.Is(err, evidence.ErrToken) {
			s.wrong.note(address, s.app.Clock.Now())
			w.Header().Set("WWW-Authenticate", "Bearer")
			problem(w, huma.Error401Unauthorized("This token is not known here, or was revoked. Ask for a new one and give it to the collector; what it holds is kept until then."))
			return
		}
		if err != nil {
			problem(w, fail(err))
			return
		}
		next(w, r, from)
	}
}

// wrongTokens counts wrong tokens by address within a minute.
type wrongTokens struct {
	sync.Mutex
	minute int64
	count  map[string]int
}

func (t *wrongTokens) may(address string, now time.Time) bool {
	t.Lock()
	defer t.Unlock()
	return t.minute != now.Unix()/60 || t.count[address] < badPerMinute
}

func (t *wrongTokens) note(address string, now time.Time) {
	t.Lock()
	defer t.Unlock()
	if m := now.Unix() / 60; m != t.minute || t.count == nil {
		t.minute, t.count = m, map[string]int{}
	}
	t.count[address]++
}

// counted counts the bytes that pass.
type counted struct {
	io.Reader
	n int64
}

func (c *counted) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.n += int64(n)
	return n, err
}

// body reads a request's body, packed or not, within the limits.
func (s *Server) body(w http.ResponseWriter, r *http.Request) (io.Reader, *counted, error) {
	raw := &counted{Reader: http.MaxBytesReader(w, r.Body, maxScanBody)}
	switch strings.ToLower(r.Header.Get("Content-Encoding")) {
	case "", "identity":
		return raw, raw, nil
	case "gzip":
		z, err := gzip.NewReader(raw)
		if err != nil {
			return nil, raw, &formats.FileError{Reason: "the body is not gzip, though its header says so"}
		}
		return z, raw, nil
	}
	return nil, raw, huma.NewError(http.StatusUnsupportedMediaType, "Send the body as it is, or packed with gzip.")
}

func (s *Server) takeScan(w http.ResponseWriter, r *http.Request, from evidence.Sender) {
	in, raw, err := s.body(w, r)
	var scan *formats.Scan
	if err == nil {
		scan, err = formats.ReadScan(in)
	}
	var taken evidence.Taken
	if err == nil {
		taken, err = s.app.Evidence.Deliver(r.Context(), from, scan, raw.n)
	}
	if err != nil {
		s.refuse(w, r, from, scan, raw.n, err)
		return
	}
	answer(w, taken)
}

// refuse answers for a scan that is not taken, and keeps on record why.
func (s *Server) refuse(w http.ResponseWriter, r *http.Request, from evidence.Sender, scan *formats.Scan, bytes int64, err error) {
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		err = huma.NewError(http.StatusRequestEntityTooLarge, fmt.Sprintf("The scan is larger than %d MB as it comes.", maxScanBody>>20))
	case errors.Is(err, gzip.ErrChecksum), errors.Is(err, gzip.ErrHeader), errors.Is(err, io.ErrUnexpectedEOF):
		err = huma.Error422UnprocessableEntity("The scan is cut off: send it again whole.")
	case errors.Is(err, evidence.ErrAmbiguous):
		err = huma.Error409Conflict(err.Error())
	}
	device := ""
	if scan != nil {
		device = scan.Device.ID
	}
	err = fail(err)
	if status, ok := err.(huma.StatusError); ok && status.GetStatus() < 500 && r.Context().Err() == nil {
		if err := s.app.Evidence.Refuse(r.Context(), from, device, bytes, status.Error()); err != nil {
			log.Printf("a refused scan could not be noted: %v", err)
		}
	}
	problem(w, err)
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	if err := json.NewEncoder(w).Encode(v); err != nil {
		log.Printf("an answer could not be written: %v", err)
	}
}

// request decodes a small request of a collector.
func request[T any](s *Server, w http.ResponseWriter, r *http.Request) (T, error) {
	var v T
	in, _, err := s.body(w, r)
	if err != nil {
		return v, err
	}
	if err := json.NewDecoder(in).Decode(&v); err != nil {
		return v, huma.Error422UnprocessableEntity("The request cannot be read: " + err.Error())
	}
	return v, nil
}

// maxAsked is how many devices a collector may ask for at once.
const maxAsked = 5_000

// Tasks answers a collector that asks what to do.
type Tasks struct {
	Orders []evidence.ScanTask `json:"orders"`
	Again  int                 `json:"again"` // seconds until it should ask again
}

func (s *Server) giveTasks(w http.ResponseWriter, r *http.Request, from evidence.Sender) {
	in, err := request[struct {
		Devices []string `json:"devices"`
	}](s, w, r)
	if err == nil && len(in.Devices) > maxAsked {
		err = huma.Error422UnprocessableEntity(fmt.Sprintf("Ask for at most %d devices at once.", maxAsked))
	}
	var tasks []evidence.ScanTask
	if err == nil {
		tasks, err = s.app.Evidence.Tasks(r.Context(), from, in.Devices)
	}
	if err != nil {
		problem(w, fail(err))
		return
	}
	answer(w, Tasks{tasks, 900})
}

func (s *Server) taskFailed(w http.ResponseWriter, r *http.Request, from evidence.Sender) {
	in, err := request[struct {
		Order  int64  `json:"order"`
		Reason string `json:"reason"`
		Detail string `json:"detail"`
	}](s, w, r)
	if err == nil {
		err = s.app.Evidence.TaskFailed(r.Context(), from, in.Order, in.Reason, in.Detail)
	}
	if errors.Is(err, evidence.ErrNoOrder) {
		err = huma.Error404NotFound("There is no such order for a scan.")
	}
	if err != nil {
		problem(w, fail(err))
		return
	}
	answer(w, Done{1})
}

// sourcesAndSchedules registers what people see and set of tokens, schedules, groups and changes.
func (s *Server) sourcesAndSchedules() {
	handle(s, people.Run, get("tokens", "/api/tokens"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]evidence.TokenView], error) {
		t, err := s.app.Evidence.Tokens(ctx)
		return &body[[]evidence.TokenView]{t}, err
	})
	handle(s, people.Run, post("addToken", "/api/tokens"), func(ctx context.Context, me who, in *body[struct {
		Source  string `json:"source"`
		FindsBy string `json:"findsBy" enum:"id,name"`
	}]) (*body[NewToken], error) {
		secret, id, err := s.app.Evidence.NewToken(ctx, in.Body.Source, in.Body.FindsBy, me.Name)
		return &body[NewToken]{NewToken{id, secret}}, err
	})
	handle(s, people.Run, post("revokeToken", "/api/tokens/{id}/revoke"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Evidence.RevokeToken(ctx, in.ID, me.Name)
	})
	handle(s, people.Look, get("schedules", "/api/schedules"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]evidence.ScheduleView], error) {
		l, err := s.app.Evidence.Schedules(ctx)
		return &body[[]evidence.ScheduleView]{l}, err
	})
	handle(s, people.Work, post("saveSchedule", "/api/schedules"), func(ctx context.Context, me who, in *body[evidence.ScheduleDraft]) (*body[Made], error) {
		id, err := s.app.Evidence.SaveSchedule(ctx, in.Body, me.Name)
		if err == nil {
			_, err = s.app.Evidence.Plan(ctx)
		}
		return &body[Made]{Made{id}}, err
	})
	handle(s, people.Work, post("dropSchedule", "/api/schedules/{id}/drop"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Evidence.DropSchedule(ctx, in.ID, me.Name)
	})
	handle(s, people.Work, post("askScans", "/api/scan-orders"), func(ctx context.Context, me who, in *body[struct {
		Devices []string `json:"devices" minItems:"1" maxItems:"5000"`
	}]) (*body[Done], error) {
		n, err := s.app.Evidence.AskScans(ctx, in.Body.Devices, me.Name)
		return &body[Done]{Done{n}}, err
	})
	handle(s, people.Work, post("orderAct", "/api/scan-orders/act"), func(ctx context.Context, _ who, in *body[struct {
		IDs []int64 `json:"ids" minItems:"1"`
		Act string  `json:"act" enum:"again,call off"`
	}]) (*body[Done], error) {
		n, err := s.app.Evidence.OrderAct(ctx, in.Body.IDs, in.Body.Act)
		return &body[Done]{Done{n}}, err
	})
	handle(s, people.Look, get("orderCounts", "/api/scan-orders/counts"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]evidencedb.OrderCount], error) {
		c, err := s.app.Evidence.OrderCounts(ctx)
		return &body[[]evidencedb.OrderCount]{c}, err
	})
	handle(s, people.Look, get("groups", "/api/groups"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]evidence.DeviceGroupView], error) {
		g, err := s.app.Evidence.DeviceGroups(ctx)
		return &body[[]evidence.DeviceGroupView]{g}, err
	})
	handle(s, people.Look, get("conditionFields", "/api/groups/fields"), func(ctx context.Context, _ who, _ *struct{}) (*body[evidence.ConditionFields], error) {
		f, err := s.app.Evidence.ConditionFields(ctx)
		return &body[evidence.ConditionFields]{f}, err
	})
	handle(s, people.Look, post("previewGroup", "/api/groups/preview"), func(ctx context.Context, _ who, in *body[evidence.GroupDraft]) (*body[evidence.GroupPreview], error) {
		p, err := s.app.Evidence.PreviewGroup(ctx, in.Body)
		return &body[evidence.GroupPreview]{p}, err
	})
	handle(s, people.Work, post("saveGroup", "/api/groups"), func(ctx context.Context, me who, in *body[evidence.GroupDraft]) (*body[Made], error) {
		id, err := s.app.Evidence.SaveGroup(ctx, in.Body, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, people.Work, post("dropGroup", "/api/groups/{id}/drop"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Evidence.DropGroup(ctx, in.ID, me.Name)
	})
	handle(s, people.Look, get("changeRules", "/api/change-rules"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]evidence.ChangeRuleView], error) {
		l, err := s.app.Evidence.ChangeRules(ctx)
		return &body[[]evidence.ChangeRuleView]{l}, err
	})
	handle(s, people.Look, post("previewChangeRule", "/api/change-rules/preview"), func(ctx context.Context, _ who, in *body[evidence.ChangeRuleDraft]) (*body[Done], error) {
		n, err := s.app.Evidence.PreviewChangeRule(ctx, in.Body)
		return &body[Done]{Done{n}}, err
	})
	handle(s, people.Work, post("addChangeRule", "/api/change-rules"), func(ctx context.Context, me who, in *body[evidence.ChangeRuleDraft]) (*body[Done], error) {
		n, err := s.app.Evidence.AddChangeRule(ctx, in.Body, me.Name)
		return &body[Done]{Done{n}}, err
	})
	handle(s, people.Work, post("endChangeRule", "/api/change-rules/{id}/end"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Evidence.EndChangeRule(ctx, in.ID, me.Name)
	})
	handle(s, people.Look, get("changesByDay", "/api/changes/by-day"), func(ctx context.Context, _ who, in *listInput) (*body[[]evidencedb.ChangeTally], error) {
		q, err := in.query()
		if err != nil {
			return nil, err
		}
		t, err := s.app.Evidence.ChangesByDay(ctx, q)
		return &body[[]evidencedb.ChangeTally]{t}, err
	})
	handle(s, people.Look, get("deviceEvidence", "/api/devices/{code}/evidence"), func(ctx context.Context, _ who, in *struct {
		Code string `path:"code"`
	}) (*body[evidence.DeviceEvidence], error) {
		e, err := s.app.Evidence.DeviceEvidence(ctx, in.Code)
		return &body[evidence.DeviceEvidence]{e}, err
	})
	handle(s, people.Look, get("deviceFiles", "/api/devices/{code}/files"), func(ctx context.Context, _ who, in *struct {
		Code   string `path:"code"`
		Record int64  `query:"record"`
	}) (*body[[]evidencedb.DeviceFileRow], error) {
		f, err := s.app.Evidence.DeviceFiles(ctx, in.Code, in.Record)
		return &body[[]evidencedb.DeviceFileRow]{f}, err
	})
	handle(s, people.Look, get("compare", "/api/compare"), func(ctx context.Context, _ who, in *struct {
		Left  string `query:"left" required:"true"`
		Right string `query:"right" required:"true"`
	}) (*body[evidence.Comparison], error) {
		c, err := s.app.Evidence.Compare(ctx, in.Left, in.Right)
		return &body[evidence.Comparison]{c}, err
	})
	handle(s, people.Look, get("findFiles", "/api/file-search"), func(ctx context.Context, _ who, in *struct {
		Name string `query:"name" required:"true"`
	}) (*body[evidence.FileSearch], error) {
		f, err := s.app.Evidence.FindFiles(ctx, in.Name)
		return &body[evidence.FileSearch]{f}, err
	})
	handle(s, people.Look, get("drill", "/api/drill"), func(ctx context.Context, _ who, in *struct {
		Publisher string `query:"publisher"`
		Product   int64  `query:"product"`
		Version   string `query:"version"`
		Down      bool   `query:"down" doc:"list the devices that have the version, which may be empty"`
	}) (*body[evidence.Drill], error) {
		d, err := s.app.Evidence.Drill(ctx, in.Publisher, in.Product, in.Version, in.Down)
		return &body[evidence.Drill]{d}, err
	})
}

// NewToken is a token with its secret, which is shown this once.
type NewToken struct {
	ID     int64  `json:"id"`
	Secret string `json:"secret"`
}

// Made is the number of what was made or changed.
type Made struct {
	ID int64 `json:"id"`
}
