// Package peoplehttp has the routes of signing in.
package peoplehttp

import (
	"context"
	"errors"
	"net/http"
	"time"

	"ensomet/internal/people"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/httprate"
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
}

// Me says who is signed in.
type Me struct {
	Name string `json:"name"`
	Role string `json:"role" enum:"look,work,run,"`
	Demo bool   `json:"demo"`
	Now  int64  `json:"now"`
}

func (s *routes) me(ctx context.Context) *rest.Body[Me] {
	m := s.Account(ctx)
	return &rest.Body[Me]{Body: Me{m.Name, string(m.Role), s.Demo, s.Clock.Now().Unix()}}
}

func (s *routes) enter(ctx context.Context, name, role string) (*rest.Body[Me], error) {
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return nil, err
	}
	s.Sessions.Put(ctx, "name", name)
	s.Sessions.Put(ctx, "role", role)
	return s.me(ctx), nil
}

func (s *routes) signIn() {
	huma.Register(
		s.API,
		huma.Operation{OperationID: "me", Method: http.MethodGet, Path: "/api/me"},
		func(ctx context.Context, _ *struct{}) (*rest.Body[Me], error) { return s.me(ctx), nil },
	)
	limited := s.Router.With(httprate.LimitBy(20, time.Minute, rest.ByAddress))
	api := humachi.New(limited, func() huma.Config {
		c := huma.DefaultConfig("Ensomet", "0.1")
		c.DocsPath, c.OpenAPIPath, c.SchemasPath, c.CreateHooks = "", "", "", nil
		c.OpenAPI = s.API.OpenAPI()
		return c
	}())
	huma.Register(
		api,
		huma.Operation{OperationID: "signIn", Method: http.MethodPost, Path: "/api/sign-in"},
		func(ctx context.Context, in *struct {
			Body struct {
				Name     string `json:"name"`
				Password string `json:"password"`
			}
		}) (*rest.Body[Me], error) {
			acc, err := s.People.SignIn(ctx, in.Body.Name, in.Body.Password)
			if errors.Is(err, people.ErrSignIn) {
				return nil, huma.Error401Unauthorized(
					"No account has this name and password. Try again, or ask whoever runs Ensomet here for a new " +
						"one.",
				)
			}
			if err != nil {
				return nil, rest.Fail(err)
			}
			return s.enter(ctx, acc.Name, acc.Role)
		})
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
			return s.enter(
				ctx,
				map[string]string{"look": "Looker", "work": "Worker", "run": "Runner"}[in.Body.Role],
				in.Body.Role,
			)
		})
	huma.Register(
		s.API,
		huma.Operation{OperationID: "signOut", Method: http.MethodPost, Path: "/api/sign-out"},
		func(ctx context.Context, _ *struct{}) (*rest.Body[Me], error) {
			if err := s.Sessions.Destroy(ctx); err != nil {
				return nil, err
			}
			return &rest.Body[Me]{Body: Me{Demo: s.Demo, Now: s.Clock.Now().Unix()}}, nil
		})
}
