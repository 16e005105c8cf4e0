// Package rest is what the routes of every station are made with: sessions and roles, operations that are described,
// lists, files, tokens, and errors that people can read.
package rest

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"ensomet/internal/clock"
	"ensomet/internal/core/access"
	"ensomet/internal/sqlite"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
)

// contentPolicy lets the page load its own files alone: no inline script, nothing from elsewhere. Component styles
// are written into the page at run time.
const contentPolicy = "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' " +
	"data:; font-src 'self'; connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

// Server answers over HTTP.
type Server struct {
	DB       *sqlite.DB
	Clock    clock.Clock
	Sessions *scs.SessionManager
	API      huma.API
	Router   chi.Router
	Site     Site

	guards Guards
	wrong  Tally

	repeats repeats
}

// Guards know who may come in.
type Guards struct {
	Sessions Sessions
	Accounts Accounts
	Tokens   Tokens
}

// Sessions keeps browsers that are signed in.
type Sessions interface {
	scs.Store
	// Touch notes that something was heard of a session.
	Touch(ctx context.Context, token string) error
}

// Accounts finds an account by its number. One that is not there (any more) is sqlite.ErrNotFound.
type Accounts interface {
	ByNumber(ctx context.Context, id int64) (Account, error)
}

// Tokens finds the source of a token.
type Tokens interface {
	Sender(ctx context.Context, secret, from string) (access.Sender, error)
}

// SessionLife is how long a browser stays signed in at most, however much it does.
const SessionLife = 12 * time.Hour

// New makes a server without routes.
func New(db *sqlite.DB, clock clock.Clock, site Site, guards Guards) *Server {
	s := &Server{DB: db, Clock: clock, Sessions: scs.New(), Router: chi.NewRouter(), Site: site, guards: guards}
	s.wrong.Most = BadPerMinute
	s.repeats = repeats{db: db, now: time.Now, known: map[string]*answered{}}
	s.Sessions.Store = guards.Sessions
	s.Sessions.Lifetime = SessionLife
	s.Sessions.Cookie.Name = "ensomet"
	s.Sessions.Cookie.HttpOnly = true
	s.Sessions.Cookie.SameSite = http.SameSiteLaxMode
	if site.secure() { // the browser then sends it over https alone, to this host alone
		s.Sessions.Cookie.Name, s.Sessions.Cookie.Secure = "__Host-ensomet", true
	}
	s.Sessions.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, err error) { Problem(w, Fail(err)) }
	crossOrigin := http.NewCrossOriginProtection()
	crossOrigin.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		Problem(w, huma.Error403Forbidden("This came from a page of another site, and was not done."))
	}))

	r := s.Router
	r.Use(
		patient(BodyPatience),
		middleware.Recoverer,
		s.headers,
		s.fromProxies,
		s.ownHost,
		crossOrigin.Handler,
		middleware.Compress(5),
		s.Sessions.LoadAndSave,
		s.who,
		s.repeats.once(s.Account),
	)
	huma.DefaultArrayNullable = false // every list is sent as a list, empty or not
	config := huma.DefaultConfig("Ensomet", "0.1")
	config.DocsPath, config.SchemasPath = "", ""
	config.CreateHooks = nil
	s.API = humachi.New(r, config)
	return s
}

// Description returns the OpenAPI 3.1 description of the API as JSON.
func (s *Server) Description() ([]byte, error) { return s.API.OpenAPI().MarshalJSON() }

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.Router.ServeHTTP(w, r) }

func (s *Server) headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", contentPolicy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		if s.Site.secure() {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		if strings.HasPrefix(r.URL.Path, "/api/") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	})
}

// Body is the body of a request or of an answer.
type Body[T any] struct{ Body T }

// Need refuses a request whose account may not do what it asks.
func (s *Server) Need(ctx context.Context, role access.Role) (Account, error) {
	me := s.Account(ctx)
	if me.ID == 0 {
		return me, huma.Error401Unauthorized("Sign in first.")
	}
	if !me.Role.May(role) {
		return me, huma.Error403Forbidden(
			"The role “" + string(me.Role) + "” may look but not change this. Ask somebody with the role “" + string(
				role,
			) + "”.",
		)
	}
	return me, nil
}

// needs lets pass who has a role.
func (s *Server) needs(role access.Role) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		_, err := s.Need(ctx.Context(), role)
		var refused huma.StatusError
		if errors.As(err, &refused) {
			if err := huma.WriteErr(s.API, ctx, refused.GetStatus(), refused.Error()); err != nil {
				slog.Warn("an answer could not be written", "error", err)
			}
			return
		}
		next(ctx)
	}
}

// Handler answers a request of an account.
type Handler[I, O any] func(ctx context.Context, me Account, in *I) (O, error)

// Handle registers an operation that needs a role, and answers with what fn returns as the body. The role is asked
// before anything else is looked at.
func Handle[I, O any](s *Server, role access.Role, op huma.Operation, fn Handler[I, O]) {
	op.Middlewares = append(op.Middlewares, s.needs(role))
	huma.Register(s.API, op, func(ctx context.Context, in *I) (*Body[O], error) {
		out, err := fn(ctx, s.Account(ctx), in)
		if err != nil {
			return nil, Fail(err)
		}
		return &Body[O]{out}, nil
	})
}
