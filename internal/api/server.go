// Package api is the HTTP side: routes, handlers, sign-in. It knows the use cases and not storage's tables.
package api

import (
	"context"
	"ensomet/internal/people"
	"ensomet/internal/people/peopledb"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"errors"
	"io/fs"
	"log"
	"net"
	"net/http"
	"path"
	"strings"
	"time"

	"ensomet/internal/formats"
	"ensomet/web"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"
)

// Mover moves a demo's clock on and lets its stand-in fleet report.
type Mover interface {
	MoveOn(ctx context.Context, a *program.Program, days int) (int, error)
	// Post lists the letters that have left and ask their readers something, the newest first.
	Post() []DemoLetter
}

// DemoLetter is a letter in the demo's mail box, as the user who got it sees it.
type DemoLetter struct {
	At      int64  `json:"at"`
	To      string `json:"to"`
	Subject string `json:"subject"`
	Body    string `json:"body"`
	Answer  string `json:"answer" doc:"the address of the page for the answer"`
}

// Server answers over HTTP.
type Server struct {
	app      *program.Program
	mover    Mover // nil outside a demo
	sessions *scs.SessionManager
	api      huma.API
	router   chi.Router
	wrong    wrongTokens
}

// contentPolicy lets the page load its own files alone: no inline script, nothing from elsewhere. Component styles are written into the page at run time.
const contentPolicy = "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

// New makes a server. mover is nil outside a demo.
func New(a *program.Program, mover Mover) *Server {
	s := &Server{app: a, mover: mover, sessions: scs.New(), router: chi.NewRouter()}
	s.sessions.Store = peopledb.WebSessions{DB: a.DB}
	s.sessions.Lifetime = 14 * time.Hour
	s.sessions.Cookie.Name = "ensomet"
	s.sessions.Cookie.HttpOnly = true
	s.sessions.Cookie.SameSite = http.SameSiteLaxMode

	r := s.router
	r.Use(middleware.Recoverer, headers, http.NewCrossOriginProtection().Handler, middleware.Compress(5), withBase, s.sessions.LoadAndSave)
	huma.DefaultArrayNullable = false // every list is sent as a list, empty or not
	config := huma.DefaultConfig("Ensomet", "0.1")
	config.DocsPath, config.SchemasPath = "", ""
	config.CreateHooks = nil
	s.api = humachi.New(r, config)
	s.signIn()
	s.lists()
	s.views()
	s.rights()
	s.seats()
	s.balance()
	s.worklist()
	s.use()
	s.changes()
	s.files()
	s.collecting()
	s.sourcesAndSchedules()
	r.NotFound(s.static)
	return s
}

// Description returns the OpenAPI 3.1 description of the API as JSON.
func (s *Server) Description() ([]byte, error) { return s.api.OpenAPI().MarshalJSON() }

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.router.ServeHTTP(w, r) }

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

// static serves the front end; every other path is one of its pages.
func (s *Server) static(w http.ResponseWriter, r *http.Request) {
	if strings.HasPrefix(r.URL.Path, "/api/") {
		http.Error(w, "there is no such address in the API", http.StatusNotFound)
		return
	}
	dist, err := fs.Sub(web.Files, "dist")
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
	if name == "" || !fs.ValidPath(name) {
		name = "index.html"
	}
	if f, err := fs.Stat(dist, name); err != nil || f.IsDir() {
		name = "index.html"
	}
	if strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	if _, err := fs.Stat(dist, name); err != nil {
		http.Error(w, "this program was built without its pages: run make build", http.StatusNotFound)
		return
	}
	http.ServeFileFS(w, r, dist, name)
}

// who is the signed-in account of a request.
type who struct {
	Name string
	Role people.Role
}

func (s *Server) who(ctx context.Context) who {
	return who{s.sessions.GetString(ctx, "name"), people.Role(s.sessions.GetString(ctx, "role"))}
}

// need refuses a request whose account may not do what it asks.
func (s *Server) need(ctx context.Context, role people.Role) (who, error) {
	me := s.who(ctx)
	if me.Name == "" {
		return me, huma.Error401Unauthorized("Sign in first.")
	}
	if !me.Role.May(role) {
		return me, huma.Error403Forbidden("The role “" + string(me.Role) + "” may look but not change this. Ask somebody with the role “" + string(role) + "”.")
	}
	return me, nil
}

// handle registers an operation that needs a role. The role is asked before anything else is looked at.
func handle[I, O any](s *Server, role people.Role, op huma.Operation, fn func(ctx context.Context, me who, in *I) (*O, error)) {
	op.Middlewares = append(op.Middlewares, func(ctx huma.Context, next func(huma.Context)) {
		_, err := s.need(ctx.Context(), role)
		var refused huma.StatusError
		if errors.As(err, &refused) {
			if err := huma.WriteErr(s.api, ctx, refused.GetStatus(), refused.Error()); err != nil {
				log.Printf("an answer could not be written: %v", err)
			}
			return
		}
		next(ctx)
	})
	huma.Register(s.api, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := fn(ctx, s.who(ctx), in)
		return out, fail(err)
	})
}

// fail turns an error into a problem that a person can read.
func fail(err error) error {
	var query *sqlite.ErrQuery
	var line *formats.LineError
	var file *formats.FileError
	var status huma.StatusError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &status):
		return err
	case errors.Is(err, sqlite.ErrNotFound):
		return huma.Error404NotFound("There is no such thing here (any more).")
	case errors.As(err, &query):
		return huma.Error400BadRequest(query.Reason)
	case errors.As(err, &line):
		return huma.Error422UnprocessableEntity(line.Reason)
	case errors.As(err, &file):
		return huma.Error422UnprocessableEntity(file.Reason)
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "Stopped; nothing was stored.")
	case sqlite.Fault(err):
		log.Printf("a request failed: %v", err)
		return huma.Error500InternalServerError("The data file could not be read or written. Nothing was changed; see the program's output, then try again.")
	}
	return huma.Error422UnprocessableEntity(err.Error())
}

// Me says who is signed in.
type Me struct {
	Name string `json:"name"`
	Role string `json:"role" enum:"look,work,run,"`
	Demo bool   `json:"demo"`
	Now  int64  `json:"now"`
}

type body[T any] struct{ Body T }

func (s *Server) me(ctx context.Context) *body[Me] {
	m := s.who(ctx)
	return &body[Me]{Me{m.Name, string(m.Role), s.app.Demo, s.app.Clock.Now().Unix()}}
}

func (s *Server) enter(ctx context.Context, name, role string) (*body[Me], error) {
	if err := s.sessions.RenewToken(ctx); err != nil {
		return nil, err
	}
	s.sessions.Put(ctx, "name", name)
	s.sessions.Put(ctx, "role", role)
	return s.me(ctx), nil
}

// byAddress limits by the address that the connection comes from: the program answers browsers itself, and trusts no header that a proxy might add.
func byAddress(r *http.Request) (string, error) {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	return host, err
}

func (s *Server) signIn() {
	huma.Register(s.api, huma.Operation{OperationID: "me", Method: http.MethodGet, Path: "/api/me"}, func(ctx context.Context, _ *struct{}) (*body[Me], error) { return s.me(ctx), nil })
	limited := s.router.With(httprate.LimitBy(20, time.Minute, byAddress))
	api := humachi.New(limited, func() huma.Config {
		c := huma.DefaultConfig("Ensomet", "0.1")
		c.DocsPath, c.OpenAPIPath, c.SchemasPath, c.CreateHooks = "", "", "", nil
		c.OpenAPI = s.api.OpenAPI()
		return c
	}())
	huma.Register(api, huma.Operation{OperationID: "signIn", Method: http.MethodPost, Path: "/api/sign-in"}, func(ctx context.Context, in *struct {
		Body struct {
			Name     string `json:"name"`
			Password string `json:"password"`
		}
	}) (*body[Me], error) {
		acc, err := s.app.People.SignIn(ctx, in.Body.Name, in.Body.Password)
		if errors.Is(err, people.ErrSignIn) {
			return nil, huma.Error401Unauthorized("No account has this name and password. Try again, or ask whoever runs Ensomet here for a new one.")
		}
		if err != nil {
			return nil, fail(err)
		}
		return s.enter(ctx, acc.Name, acc.Role)
	})
	huma.Register(s.api, huma.Operation{OperationID: "signInDemo", Method: http.MethodPost, Path: "/api/sign-in/demo"}, func(ctx context.Context, in *struct {
		Body struct {
			Role string `json:"role" enum:"look,work,run"`
		}
	}) (*body[Me], error) {
		if !s.app.Demo {
			return nil, huma.Error404NotFound("This is no demo: sign in with a name and a password.")
		}
		return s.enter(ctx, map[string]string{"look": "Looker", "work": "Worker", "run": "Runner"}[in.Body.Role], in.Body.Role)
	})
	huma.Register(s.api, huma.Operation{OperationID: "signOut", Method: http.MethodPost, Path: "/api/sign-out"}, func(ctx context.Context, _ *struct{}) (*body[Me], error) {
		if err := s.sessions.Destroy(ctx); err != nil {
			return nil, err
		}
		return &body[Me]{Me{Demo: s.app.Demo, Now: s.app.Clock.Now().Unix()}}, nil
	})
}
