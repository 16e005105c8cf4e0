// Package rest is what the routes of every station are made with: sessions and roles, operations that are described,
// lists, files, tokens, and errors that people can read.
package rest

import (
	"context"
	"errors"
	"log/slog"
	"net"
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
	Tokens   Tokens
	Sessions *scs.SessionManager
	API      huma.API
	Router   chi.Router

	wrong wrongTokens
}

// Tokens finds the source of a token.
type Tokens interface {
	Sender(ctx context.Context, secret, from string) (access.Sender, error)
}

// New makes a server without routes. Signed-in browsers are kept in sessions.
func New(db *sqlite.DB, clock clock.Clock, sessions scs.Store, tokens Tokens) *Server {
	s := &Server{DB: db, Clock: clock, Tokens: tokens, Sessions: scs.New(), Router: chi.NewRouter()}
	s.Sessions.Store = sessions
	s.Sessions.Lifetime = 14 * time.Hour
	s.Sessions.Cookie.Name = "ensomet"
	s.Sessions.Cookie.HttpOnly = true
	s.Sessions.Cookie.SameSite = http.SameSiteLaxMode

	r := s.Router
	r.Use(
		patient(BodyPatience),
		middleware.Recoverer,
		headers,
		http.NewCrossOriginProtection().Handler,
		middleware.Compress(5),
		withBase,
		s.Sessions.LoadAndSave,
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

func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", contentPolicy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		if strings.HasPrefix(r.URL.Path, "/api/") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	})
}

// Body is the body of a request or of an answer.
type Body[T any] struct{ Body T }

// Account is the signed-in account of a request.
type Account struct {
	Name string
	Role access.Role
}

func (s *Server) Account(ctx context.Context) Account {
	return Account{s.Sessions.GetString(ctx, "name"), access.Role(s.Sessions.GetString(ctx, "role"))}
}

// Need refuses a request whose account may not do what it asks.
func (s *Server) Need(ctx context.Context, role access.Role) (Account, error) {
	me := s.Account(ctx)
	if me.Name == "" {
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

// Handler answers a request of an account.
type Handler[I, O any] func(ctx context.Context, me Account, in *I) (O, error)

// Handle registers an operation that needs a role, and answers with what fn returns as the body. The role is asked
// before anything else is looked at.
func Handle[I, O any](s *Server, role access.Role, op huma.Operation, fn Handler[I, O]) {
	op.Middlewares = append(op.Middlewares, func(ctx huma.Context, next func(huma.Context)) {
		_, err := s.Need(ctx.Context(), role)
		var refused huma.StatusError
		if errors.As(err, &refused) {
			if err := huma.WriteErr(s.API, ctx, refused.GetStatus(), refused.Error()); err != nil {
				slog.Warn("an answer could not be written", "error", err)
			}
			return
		}
		next(ctx)
	})
	huma.Register(s.API, op, func(ctx context.Context, in *I) (*Body[O], error) {
		out, err := fn(ctx, s.Account(ctx), in)
		if err != nil {
			return nil, Fail(err)
		}
		return &Body[O]{out}, nil
	})
}

// ByAddress limits by the address that the connection comes from: the program answers browsers itself, and trusts no
// header that a proxy might add.
func ByAddress(r *http.Request) (string, error) {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	return host, err
}
