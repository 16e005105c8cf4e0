// Package entitlementshttp has the routes of what was bought, and who holds it.
package entitlementshttp

import (
	"bytes"
	"context"
	"net/http"
	"strconv"

	"ensomet/internal/core/access"
	"ensomet/internal/entitlements"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/rest"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Entitlements *entitlements.Service
}

type routes struct {
	*rest.Server
	Stations
}

// Register registers the routes of what was bought, and who holds it.
func Register(server *rest.Server, stations Stations) {
	s := &routes{server, stations}
	s.lists()
	s.papers()
	s.contracts()
	s.lines()
	s.waiting()
	s.held()
	s.seats()
}

func (s *routes) lists() {
	rest.List(s.Server, "entitlements", s.Entitlements.Entitlements)
}

// papers registers notes, keys and proofs of lines.
func (s *routes) papers() {
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("noteLine", "/api/entitlements/{code}/notes"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByCode
			Body struct {
				Text string `json:"text"`
			}
		}) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.NoteLine(ctx, in.Code, in.Body.Text, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("addKey", "/api/entitlements/{code}/keys"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByCode
			Body struct {
				Key  string `json:"key"`
				Note string `json:"note"`
			}
		}) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.AddKey(ctx, in.Code, in.Body.Key, in.Body.Note, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("showKey", "/api/keys/{id}/show"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[struct {
			Key string `json:"key"`
		}], error) {
			out := &rest.Body[struct {
				Key string `json:"key"`
			}]{}
			var err error
			out.Body.Key, err = s.Entitlements.ShowKey(ctx, in.ID, me.Name)
			return out, err
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("dropKey", "/api/keys/{id}/drop"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.DropKey(ctx, in.ID, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("dropProof", "/api/proofs/{id}/drop"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.DropProof(ctx, in.ID, me.Name))
		},
	)
	s.Router.Post("/api/entitlements/{code}/proofs", s.addProof)
	s.Router.Get("/api/proofs/{id}", s.proof)
}

// contracts registers contracts, what ends, and what was spent.
func (s *routes) contracts() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("contracts", "/api/contracts"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]entitlements.ContractView], error) {
			c, err := s.Entitlements.Contracts(ctx)
			return &rest.Body[[]entitlements.ContractView]{Body: c}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("putContract", "/api/contracts"),
		func(ctx context.Context, me rest.Account, in *rest.Body[entitlementsdb.Contract]) (*rest.Body[rest.Done],
			error) {
			return rest.DoneOr(s.Entitlements.PutContract(ctx, in.Body, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("renewals", "/api/renewals"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Days int `query:"days" default:"365" minimum:"1" maximum:"3700"`
		}) (*rest.Body[[]entitlements.Renewal], error) {
			r, err := s.Entitlements.Renewals(ctx, 0, in.Days)
			return &rest.Body[[]entitlements.Renewal]{Body: r}, err
		},
	)
	s.Router.Get("/api/renewals.ics", func(w http.ResponseWriter, r *http.Request) {
		days, err := strconv.Atoi(r.URL.Query().Get("days"))
		if err != nil {
			days = 365
		}
		s.Give(
			w,
			r,
			"renewals.ics",
			"text/calendar; charset=utf-8",
			func(b *bytes.Buffer) error { return s.Entitlements.WriteCalendar(r.Context(), b, days) },
		)
	})
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("spend", "/api/spend"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[entitlements.Spend], error) {
			r, err := s.Entitlements.Spend(ctx)
			return &rest.Body[entitlements.Spend]{Body: r}, err
		},
	)
}

// lines registers lines and their transactions.
func (s *routes) lines() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("line", "/api/entitlements/{code}"),
		func(ctx context.Context, _ rest.Account, in *rest.ByCode) (*rest.Body[entitlements.LineDetail], error) {
			l, err := s.Entitlements.Line(ctx, in.Code)
			return &rest.Body[entitlements.LineDetail]{Body: l}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Post("checkLine", "/api/lines/check"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Body struct {
				Values map[string]string `json:"values"`
				Old    string            `json:"old"`
			}
		}) (*rest.Body[[]entitlements.LineCheck], error) {
			c, err := s.Entitlements.CheckLine(ctx, in.Body.Values, in.Body.Old)
			return &rest.Body[[]entitlements.LineCheck]{Body: c}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("editLine", "/api/lines/edit"),
		func(ctx context.Context, me rest.Account, in *rest.Body[entitlements.LineEdit]) (*rest.Body[rest.Done],
			error) {
			return rest.DoneOr(s.Entitlements.EditLine(ctx, in.Body, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("trade", "/api/transactions"),
		func(ctx context.Context, me rest.Account, in *rest.Body[map[string]string]) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.Trade(ctx, in.Body, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("withdrawLine", "/api/entitlements/{code}/withdraw"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByCode
			Body struct {
				Why string `json:"why"`
			}
		}) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.WithdrawLine(ctx, in.Code, in.Body.Why, me.Name))
		},
	)
}

// waiting registers who waits for a seat.
func (s *routes) waiting() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("waiting", "/api/waiting"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Product int64 `query:"product"`
		}) (*rest.Body[[]entitlementsdb.WaitRow], error) {
			w, err := s.Entitlements.Waiting(ctx, in.Product)
			return &rest.Body[[]entitlementsdb.WaitRow]{Body: w}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("wait", "/api/waiting"),
		func(ctx context.Context, me rest.Account, in *struct {
			Body struct {
				Product int64  `json:"product"`
				User    string `json:"user"`
				Note    string `json:"note"`
			}
		}) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.Wait(ctx, in.Body.Product, in.Body.User, in.Body.Note, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("endWait", "/api/waiting/{id}/end"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.EndWait(ctx, in.ID, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("giveWaiting", "/api/products/{id}/give-seats"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[entitlements.HandedBack], error) {
			h, err := s.Entitlements.GiveWaiting(ctx, in.ID, me.Name)
			return &rest.Body[entitlements.HandedBack]{Body: h}, err
		},
	)
}

// held registers what people hold, and what somebody new gets.
func (s *routes) held() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("held", "/api/people/{code}/held"),
		func(ctx context.Context, _ rest.Account, in *rest.ByCode) (*rest.Body[entitlements.Held], error) {
			h, err := s.Entitlements.Held(ctx, in.Code)
			return &rest.Body[entitlements.Held]{Body: h}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("mailHeld", "/api/people/{code}/held/mail"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByCode
			Body struct {
				Address string `json:"address"`
			}
		}) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.MailHeld(ctx, in.Code, in.Body.Address, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("starterSets", "/api/starter-sets"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]entitlementsdb.StarterSet], error) {
			l, err := s.Entitlements.StarterSets(ctx)
			return &rest.Body[[]entitlementsdb.StarterSet]{Body: l}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("putStarterSet", "/api/starter-sets"),
		func(ctx context.Context, me rest.Account, in *rest.Body[entitlementsdb.StarterSet]) (*rest.Body[rest.Done],
			error) {
			_, err := s.Entitlements.PutStarterSet(ctx, in.Body, me.Name)
			return rest.DoneOr(err)
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("start", "/api/starter-sets/{id}/give"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				User string `json:"user"`
				Wait bool   `json:"wait"`
				Dry  bool   `json:"dry"`
			}
		}) (*rest.Body[entitlements.Started], error) {
			st, err := s.Entitlements.Start(ctx, in.ID, in.Body.User, in.Body.Wait, in.Body.Dry, me.Name)
			return &rest.Body[entitlements.Started]{Body: st}, err
		},
	)
}

// seats registers who holds which seat.
func (s *routes) seats() {
	rest.List(s.Server, "seats", s.Entitlements.Seats)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("freeSeats", "/api/products/{id}/seats"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) (*rest.Body[[]entitlements.FreeSeats], error) {
			f, err := s.Entitlements.SeatsOf(ctx, in.ID)
			return &rest.Body[[]entitlements.FreeSeats]{Body: f}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("assignSeat", "/api/seats/assign"),
		func(ctx context.Context, me rest.Account, in *rest.Body[entitlements.SeatDraft]) (*rest.Body[struct {
			Line string `json:"line"`
		}], error) {
			out := &rest.Body[struct {
				Line string `json:"line"`
			}]{}
			var err error
			if out.Body.Line, err = s.Entitlements.Assign(ctx, in.Body, me.Name); err != nil {
				return nil, err
			}
			return out, nil
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("handBack", "/api/seats/hand-back"),
		func(ctx context.Context, me rest.Account, in *struct {
			Body struct {
				IDs  []int64 `json:"ids" minItems:"1"`
				Give bool    `json:"give" doc:"each goes to whoever waits first"`
			}
		}) (*rest.Body[entitlements.HandedBack], error) {
			h, err := s.Entitlements.HandBack(ctx, in.Body.IDs, in.Body.Give, me.Name)
			return &rest.Body[entitlements.HandedBack]{Body: h}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("moveSeat", "/api/seats/{id}/move"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				User string `json:"user"`
			}
		}) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Entitlements.MoveSeat(ctx, in.ID, in.Body.User, me.Name))
		},
	)
}
