package rest

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"net/http"
	"sync"
	"time"

	"ensomet/internal/sqlite"

	"github.com/danielgtaylor/huma/v2"
)

// RequestKey is the header by which a request may be known: one that comes again under the same key, from the same
// account and with the same words, is not done twice but answered as the first one was. (The name is that of the
// draft of the IETF working group HTTPAPI, "The Idempotency-Key HTTP Header Field"; from memory.)
const RequestKey = "Idempotency-Key"

const (
	longestKey    = 200      // bytes of a key
	longestKeyed  = 1 << 20  // bytes of a body that is known by a key; files are not
	longestAnswer = 64 << 10 // bytes of an answer that is kept to be given again
	mostAnswers   = 500      // answers that are kept
	// AnswerKept is how long an answer is kept to be given again. It may hold a secret that nothing else keeps, so it
	// is never written to the file. After that a repeated request is told that it was done.
	AnswerKept = 10 * time.Minute
)

// repeats knows the requests of the last minutes by their keys.
type repeats struct {
	db  *sqlite.DB
	now func() time.Time

	mu    sync.Mutex
	known map[string]*answered
}

// answered is a request under way (until ready is closed), and its answer after.
type answered struct {
	ready  chan struct{}
	at     time.Time
	status int    // 0 where there is none to be given again
	kind   string // its Content-Type
	body   []byte
}

// once answers a request with a key once.
func (p *repeats) once(account func(context.Context) Account) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			given, me := r.Header.Get(RequestKey), account(r.Context())
			if given == "" || me.ID == 0 || r.Method != http.MethodPost && r.Method != http.MethodPut ||
				r.ContentLength < 0 || r.ContentLength > longestKeyed {
				next.ServeHTTP(w, r)
				return
			}
			if len(given) > longestKey {
				Problem(w, huma.Error400BadRequest(fmt.Sprintf("The key of a request has %d characters at most.",
					longestKey)))
				return
			}
			body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, longestKeyed))
			if err != nil {
				Problem(w, Fail(err))
				return
			}
			// whoever reads it sets a deadline for the line, which ends when all is read: a request that takes longer
			// to be done than to be read would be taken for one whose sender has gone
			r.Body = &patientBody{
				ReadCloser: io.NopCloser(bytes.NewReader(body)),
				line:       http.NewResponseController(w),
				wait:       BodyPatience,
			}
			key := keyOf(me.ID, r, given, body)
			for {
				mine, before := p.begin(key)
				if before == nil {
					p.first(w, r, key, mine, next)
					return
				}
				select {
				case <-before.ready:
				case <-r.Context().Done():
					return
				}
				if before.status != 0 {
					w.Header().Set("Content-Type", before.kind)
					w.WriteHeader(before.status)
					_, _ = w.Write(before.body) // whoever asked may have gone
					return
				}
				// the one before changed nothing: this one may
			}
		})
	}
}

// keyOf is the key under which a request is known: of its account, what it asks, and its own key.
func keyOf(account int64, r *http.Request, given string, body []byte) string {
	h := sha256.New()
	fmt.Fprintf(h, "%d %s %s %q\n", account, r.Method, r.URL.RequestURI(), given)
	h.Write(body)
	return hex.EncodeToString(h.Sum(nil))
}

// begin notes that a request is under way, or finds the one of that key that was before.
func (p *repeats) begin(key string) (mine, before *answered) {
	p.mu.Lock()
	defer p.mu.Unlock()
	now := p.now()
	if a := p.known[key]; a != nil && (!done(a) || now.Sub(a.at) <= AnswerKept) {
		return nil, a
	}
	if len(p.known) >= mostAnswers {
		for k, a := range p.known { // what is old goes; where nothing is, whatever is answered
			if done(a) && (now.Sub(a.at) > AnswerKept || len(p.known) >= mostAnswers) {
				delete(p.known, k)
			}
		}
	}
	mine = &answered{ready: make(chan struct{}), at: now}
	p.known[key] = mine
	return mine, nil
}

func done(a *answered) bool {
	select {
	case <-a.ready:
		return true
	default:
		return false
	}
}

// first does a request. Its answer is kept where it changed something.
func (p *repeats) first(w http.ResponseWriter, r *http.Request, key string, mine *answered, next http.Handler) {
	o := &sqlite.Once{Key: key, At: p.now().Unix()}
	kept := &keeping{ResponseWriter: w, status: http.StatusOK}
	defer func() { // also where the handler panics
		if o.Done() && kept.status < http.StatusBadRequest && !kept.large {
			mine.status, mine.kind, mine.body = kept.status, w.Header().Get("Content-Type"), kept.body.Bytes()
		} else {
			p.mu.Lock()
			delete(p.known, key)
			p.mu.Unlock()
		}
		close(mine.ready)
	}()
	next.ServeHTTP(kept, r.WithContext(sqlite.WithOnce(r.Context(), o)))
	if o.Done() && kept.status >= http.StatusBadRequest { // it was refused half-way: it may be asked again
		ctx := context.WithoutCancel(r.Context())
		if err := p.db.Forget(ctx, o); err != nil {
			_ = fault(err)
		}
	}
}

// keeping writes an answer, and keeps it.
type keeping struct {
	http.ResponseWriter
	status int
	body   bytes.Buffer
	large  bool
}

func (k *keeping) WriteHeader(status int) {
	k.status = status
	k.ResponseWriter.WriteHeader(status)
}

func (k *keeping) Write(b []byte) (int, error) {
	if k.large = k.large || k.body.Len()+len(b) > longestAnswer; !k.large {
		k.body.Write(b)
	}
	return k.ResponseWriter.Write(b)
}

// Unwrap lets http.ResponseController find what it needs.
func (k *keeping) Unwrap() http.ResponseWriter { return k.ResponseWriter }
