// Package api puts the routes of all stations together, with the pages beside them.
package api

import (
	"context"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/directory/directoryhttp"
	"ensomet/internal/entitlements/entitlementshttp"
	"ensomet/internal/evidence/byhand/byhandhttp"
	"ensomet/internal/evidence/evidencehttp"
	"ensomet/internal/evidence/same/samehttp"
	"ensomet/internal/own/ownhttp"
	"ensomet/internal/people"
	"ensomet/internal/people/peopledb"
	"ensomet/internal/people/peoplehttp"
	"ensomet/internal/places/placeshttp"
	"ensomet/internal/position/positionhttp"
	"ensomet/internal/program"
	"ensomet/internal/reports/reportshttp"
	"ensomet/internal/rest"
	"ensomet/internal/titles/titleshttp"
	"ensomet/internal/use/usehttp"
	"ensomet/internal/worklist/worklisthttp"
	"ensomet/web"

	"github.com/danielgtaylor/huma/v2"
)

// Mover moves a demo's clock on and lets its stand-in fleet report.
type Mover interface {
	MoveOn(ctx context.Context, prog *program.Program, days int) (int, error)
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
	*rest.Server
	program *program.Program
	mover   Mover // nil outside a demo
}

// New makes a server that is reached by numbers and as localhost. mover is nil outside a demo.
func New(p *program.Program, mover Mover) *Server { return At(rest.Site{}, p, mover) }

// At makes a server that is reached at a site.
func At(site rest.Site, p *program.Program, mover Mover) *Server {
	s := &Server{
		rest.New(p.DB, p.Clock, site, rest.Guards{
			Sessions: peopledb.WebSessions{DB: p.DB, Idle: p.People.SessionIdle(), Now: time.Now},
			Accounts: accounts{p.People},
			Tokens:   p.Collecting,
		}),
		p,
		mover,
	}
	peoplehttp.Register(s.Server, p.People, p.Demo)
	evidencehttp.Register(s.Server, evidencehttp.Stations{Evidence: p.Evidence, Collecting: p.Collecting,
		Sources: p.Sources})
	directoryhttp.Register(s.Server, p.Directory, p.Directories)
	byhandhttp.Register(s.Server, p.ByHand)
	samehttp.Register(s.Server, p.Same)
	ownhttp.Register(s.Server, p.Own)
	placeshttp.Register(s.Server, p.Places)
	titleshttp.Register(s.Server, titleshttp.Stations{Titles: p.Titles, Catalogue: p.Catalogue})
	entitlementshttp.Register(
		s.Server,
		entitlementshttp.Stations{Entitlements: p.Entitlements, Spending: p.Spending, Keys: p.Keys},
	)
	usehttp.Register(s.Server, usehttp.Stations{Use: p.Use, Progress: p.Progress})
	positionhttp.Register(
		s.Server,
		positionhttp.Stations{Position: p.Position, Progress: p.Progress, Worklist: p.Worklist},
	)
	worklisthttp.Register(s.Server, worklisthttp.Stations{
		Worklist: p.Worklist,
		Orders:   p.Orders,
		Requests: p.Requests,
		Standing: p.Standing,
		Outbox:   p.Outbox,
	})
	reportshttp.Register(
		s.Server,
		reportshttp.Stations{Reports: p.Reports, Progress: p.Progress, Renewal: p.Renewal},
	)
	s.demo()
	s.Router.NotFound(static)
	return s
}

// accounts are the accounts of people as routes know them.
type accounts struct{ *people.Service }

// ByNumber finds an account.
func (a accounts) ByNumber(ctx context.Context, id int64) (rest.Account, error) {
	acc, err := a.Service.ByNumber(ctx, id)
	return rest.Account{ID: acc.ID, Name: acc.Name, Role: access.Role(acc.Role)}, err
}

// demo registers what a demo alone can do.
func (s *Server) demo() {
	rest.Handle(s.Server, access.Editor, rest.Get("demoLetters", "/api/demo/letters"),
		func(context.Context, rest.Account, *rest.None) ([]DemoLetter, error) {
			out := []DemoLetter{}
			if s.mover != nil {
				out = append(out, s.mover.Post()...)
			}
			return out, nil
		})
	rest.Handle(s.Server, access.Editor, rest.Post("moveOn", "/api/demo/move-on"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[struct {
			Days int `json:"days"`
		}]) (rest.Done, error) {
			if s.mover == nil {
				return rest.Done{}, huma.Error404NotFound("The clock can be moved on in a demo alone.")
			}
			return rest.CountOr(s.mover.MoveOn(ctx, s.program, in.Body.Days))
		})
}

// static serves the front end; every other path is one of its pages.
func static(w http.ResponseWriter, r *http.Request) {
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
