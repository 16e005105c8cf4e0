// Package peoplehttp has the routes of signing in.
package peoplehttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/people"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
)

type routes struct {
	*rest.Server
	People *people.Service
	Demo   bool
}

// Register registers the routes of signing in. In a demo one may enter without an account.
func Register(server *rest.Server, accounts *people.Service, demo bool) {
	s := &routes{server, accounts, demo}
	s.signIn()
	s.signInDemo()
	s.openings()
}

// Opening is somebody else who has a thing open.
type Opening struct {
	Who    string `json:"who"`
	Typing bool   `json:"typing"`
	Since  int64  `json:"since"`
}

// openings registers who has what open.
func (s *routes) openings() {
	rest.Handle(s.Server, access.Viewer, rest.Post("open", "/api/open"),
		func(_ context.Context, me rest.Account, in *rest.Body[struct {
			Page   string `json:"page" minLength:"1" maxLength:"80" doc:"a name of the page that has it open, its own"`
			Thing  string `json:"thing" maxLength:"200" doc:"what is open, such as group:7; empty is nothing any more"`
			Typing bool   `json:"typing" doc:"something is being typed there"`
		}]) ([]Opening, error) {
			return rest.Each(s.People.Openings.Open(me.ID, me.Name, in.Body.Page, in.Body.Thing, in.Body.Typing),
				func(v people.Opening) Opening { return Opening(v) }), nil
		})
}

// Me says who is signed in.
type Me struct {
	Name string `json:"name"`
	Role string `json:"role" enum:"look,work,run,"`
	Demo bool   `json:"demo"`
	Now  int64  `json:"now"`
}

func (s *routes) me(name, role string) Me { return Me{name, role, s.Demo, s.Clock.Now().Unix()} }

// Entered answers who has just signed in.
type Entered struct {
	SetCookie string `header:"Set-Cookie"`
	Body      Me
}

func (s *routes) signIn() {
	huma.Register(
		s.API,
		huma.Operation{OperationID: "me", Method: http.MethodGet, Path: "/api/me"},
		func(ctx context.Context, _ *struct{}) (*rest.Body[Me], error) {
			me := s.Account(ctx)
			return &rest.Body[Me]{Body: s.me(me.Name, string(me.Role))}, nil
		},
	)
	door := newDoor(s.People, s.Sessions.Cookie.Secure)
	huma.Register(
		s.API,
		huma.Operation{
			OperationID:  "signIn",
			Method:       http.MethodPost,
			Path:         "/api/sign-in",
			MaxBodyBytes: 16 << 10,
			Middlewares:  huma.Middlewares{withAddress},
		},
		func(ctx context.Context, in *struct {
			Known string `cookie:"ensomet-known"`
			Body  struct {
				Name     string `json:"name" maxLength:"200"`
				Password string `json:"password" maxLength:"1000"`
			}
		}) (*Entered, error) {
			address, _ := ctx.Value(addressKey{}).(string)
			acc, err := door.let(ctx, signingIn{in.Body.Name, in.Body.Password, address, in.Known})
			if err != nil {
				return nil, err
			}
			cookie, err := door.remember(ctx, acc.Name)
			if err == nil {
				err = s.Enter(ctx, acc.ID, people.Entered(acc))
			}
			if err != nil {
				return nil, rest.Fail(err)
			}
			return &Entered{cookie, s.me(acc.Name, acc.Role)}, nil
		})
	huma.Register(
		s.API,
		huma.Operation{OperationID: "signOut", Method: http.MethodPost, Path: "/api/sign-out"},
		func(ctx context.Context, _ *struct{}) (*rest.Body[Me], error) {
			if err := s.Sessions.Destroy(ctx); err != nil {
				return nil, rest.Fail(err)
			}
			return &rest.Body[Me]{Body: s.me("", "")}, nil
		})
}

// addressKey is where the address of who signs in is kept.
type addressKey struct{}

func withAddress(ctx huma.Context, next func(huma.Context)) {
	r, _ := humachi.Unwrap(ctx)
	address, err := rest.ByAddress(r)
	if err != nil {
		address = r.RemoteAddr // as good as none: it is counted by itself
	}
	next(huma.WithValue(ctx, addressKey{}, address))
}

func (s *routes) signInDemo() {
	huma.Register(
		s.API,
		huma.Operation{OperationID: "signInDemo", Method: http.MethodPost, Path: "/api/sign-in/demo"},
		func(ctx context.Context, in *struct {
			Body struct {
				Role string `json:"role" enum:"look,work,run"`
			}
		}) (*rest.Body[Me], error) {
			if !s.Demo {
				return nil, huma.Error404NotFound("This is no demo: sign in with a name and a password.")
			}
			acc, err := s.People.DemoAccount(ctx, access.Role(in.Body.Role))
			if err == nil {
				err = s.Enter(ctx, acc.ID, people.Entered(acc))
			}
			if err != nil {
				return nil, rest.Fail(err)
			}
			return &rest.Body[Me]{Body: s.me(acc.Name, acc.Role)}, nil
		})
}
