package api

import (
	"bytes"
	"context"
	"net/http"
	"strconv"

	"ensomet/internal/app"
	"ensomet/internal/store"
)

type none struct{}

// ByID names a thing by its number.
type ByID struct {
	ID int64 `path:"id"`
}

// ByCode names a thing by its code.
type ByCode struct {
	Code string `path:"code"`
}

func done(err error) (*body[Done], error) { return &body[Done]{Done{Count: 1}}, err }

// rights has what people do with entitlements, contracts, dates and money.
func (s *Server) rights() {
	handle(s, app.Look, get("line", "/api/entitlements/{code}"), func(ctx context.Context, _ who, in *ByCode) (*body[app.LineDetail], error) {
		l, err := s.app.Line(ctx, in.Code)
		return &body[app.LineDetail]{l}, err
	})
	handle(s, app.Look, post("checkLine", "/api/lines/check"), func(ctx context.Context, _ who, in *struct {
		Body struct {
			Values map[string]string `json:"values"`
			Old    string            `json:"old"`
		}
	}) (*body[[]app.LineCheck], error) {
		c, err := s.app.CheckLine(ctx, in.Body.Values, in.Body.Old)
		return &body[[]app.LineCheck]{c}, err
	})
	handle(s, app.Work, post("editLine", "/api/lines/edit"), func(ctx context.Context, me who, in *body[app.LineEdit]) (*body[Done], error) {
		return done(s.app.EditLine(ctx, in.Body, me.Name))
	})
	handle(s, app.Work, post("trade", "/api/transactions"), func(ctx context.Context, me who, in *body[map[string]string]) (*body[Done], error) {
		return done(s.app.Trade(ctx, in.Body, me.Name))
	})
	handle(s, app.Work, post("withdrawLine", "/api/entitlements/{code}/withdraw"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Why string `json:"why"`
		}
	}) (*body[Done], error) {
		return done(s.app.WithdrawLine(ctx, in.Code, in.Body.Why, me.Name))
	})
	handle(s, app.Work, post("noteLine", "/api/entitlements/{code}/notes"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Text string `json:"text"`
		}
	}) (*body[Done], error) {
		return done(s.app.NoteLine(ctx, in.Code, in.Body.Text, me.Name))
	})
	handle(s, app.Run, post("addKey", "/api/entitlements/{code}/keys"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Key  string `json:"key"`
			Note string `json:"note"`
		}
	}) (*body[Done], error) {
		return done(s.app.AddKey(ctx, in.Code, in.Body.Key, in.Body.Note, me.Name))
	})
	handle(s, app.Run, post("showKey", "/api/keys/{id}/show"), func(ctx context.Context, me who, in *ByID) (*body[struct {
		Key string `json:"key"`
	}], error) {
		out := &body[struct {
			Key string `json:"key"`
		}]{}
		var err error
		out.Body.Key, err = s.app.ShowKey(ctx, in.ID, me.Name)
		return out, err
	})
	handle(s, app.Run, post("dropKey", "/api/keys/{id}/drop"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.DropKey(ctx, in.ID, me.Name))
	})
	handle(s, app.Work, post("dropProof", "/api/proofs/{id}/drop"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.DropProof(ctx, in.ID, me.Name))
	})
	s.router.Post("/api/entitlements/{code}/proofs", s.addProof)
	s.router.Get("/api/proofs/{id}", s.proof)
	handle(s, app.Look, get("contracts", "/api/contracts"), func(ctx context.Context, _ who, _ *none) (*body[[]app.ContractView], error) {
		c, err := s.app.Contracts(ctx)
		return &body[[]app.ContractView]{c}, err
	})
	handle(s, app.Work, post("putContract", "/api/contracts"), func(ctx context.Context, me who, in *body[store.Contract]) (*body[Done], error) {
		return done(s.app.PutContract(ctx, in.Body, me.Name))
	})
	handle(s, app.Look, get("renewals", "/api/renewals"), func(ctx context.Context, _ who, in *struct {
		Days int `query:"days" default:"365" minimum:"1" maximum:"3700"`
	}) (*body[[]app.Renewal], error) {
		r, err := s.app.Renewals(ctx, 0, in.Days)
		return &body[[]app.Renewal]{r}, err
	})
	s.router.Get("/api/renewals.ics", func(w http.ResponseWriter, r *http.Request) {
		days, err := strconv.Atoi(r.URL.Query().Get("days"))
		if err != nil {
			days = 365
		}
		s.give(w, r, "renewals.ics", "text/calendar; charset=utf-8", func(b *bytes.Buffer) error { return s.app.WriteCalendar(r.Context(), b, days) })
	})
	s.router.Get("/api/licences.cdx.json", func(w http.ResponseWriter, r *http.Request) {
		s.give(w, r, "licences.cdx.json", "application/vnd.cyclonedx+json", func(b *bytes.Buffer) error { return s.app.WriteLicences(r.Context(), b) })
	})
	handle(s, app.Look, get("spend", "/api/spend"), func(ctx context.Context, _ who, _ *none) (*body[app.Spend], error) {
		r, err := s.app.Spend(ctx)
		return &body[app.Spend]{r}, err
	})
}

// seats has who holds what, and who waits.
func (s *Server) seats() {
	registerList(s, "seats", s.app.Seats)
	handle(s, app.Look, get("freeSeats", "/api/products/{id}/seats"), func(ctx context.Context, _ who, in *ByID) (*body[[]app.FreeSeats], error) {
		f, err := s.app.SeatsOf(ctx, in.ID)
		return &body[[]app.FreeSeats]{f}, err
	})
	handle(s, app.Work, post("assignSeat", "/api/seats/assign"), func(ctx context.Context, me who, in *body[app.SeatDraft]) (*body[struct {
		Line string `json:"line"`
	}], error) {
		out := &body[struct {
			Line string `json:"line"`
		}]{}
		var err error
		if out.Body.Line, err = s.app.Assign(ctx, in.Body, me.Name); err != nil {
			return nil, err
		}
		return out, nil
	})
	handle(s, app.Work, post("handBack", "/api/seats/hand-back"), func(ctx context.Context, me who, in *struct {
		Body struct {
			IDs  []int64 `json:"ids" minItems:"1"`
			Give bool    `json:"give" doc:"each goes to whoever waits first"`
		}
	}) (*body[app.HandedBack], error) {
		h, err := s.app.HandBack(ctx, in.Body.IDs, in.Body.Give, me.Name)
		return &body[app.HandedBack]{h}, err
	})
	handle(s, app.Work, post("moveSeat", "/api/seats/{id}/move"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			User string `json:"user"`
		}
	}) (*body[Done], error) {
		return done(s.app.MoveSeat(ctx, in.ID, in.Body.User, me.Name))
	})
	handle(s, app.Look, get("waiting", "/api/waiting"), func(ctx context.Context, _ who, in *struct {
		Product int64 `query:"product"`
	}) (*body[[]store.WaitRow], error) {
		w, err := s.app.Waiting(ctx, in.Product)
		return &body[[]store.WaitRow]{w}, err
	})
	handle(s, app.Work, post("wait", "/api/waiting"), func(ctx context.Context, me who, in *struct {
		Body struct {
			Product int64  `json:"product"`
			User    string `json:"user"`
			Note    string `json:"note"`
		}
	}) (*body[Done], error) {
		return done(s.app.Wait(ctx, in.Body.Product, in.Body.User, in.Body.Note, me.Name))
	})
	handle(s, app.Work, post("endWait", "/api/waiting/{id}/end"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.EndWait(ctx, in.ID, me.Name))
	})
	handle(s, app.Work, post("giveWaiting", "/api/products/{id}/give-seats"), func(ctx context.Context, me who, in *ByID) (*body[app.HandedBack], error) {
		h, err := s.app.GiveWaiting(ctx, in.ID, me.Name)
		return &body[app.HandedBack]{h}, err
	})
	handle(s, app.Look, get("held", "/api/people/{code}/held"), func(ctx context.Context, _ who, in *ByCode) (*body[app.Held], error) {
		h, err := s.app.Held(ctx, in.Code)
		return &body[app.Held]{h}, err
	})
	handle(s, app.Work, post("mailHeld", "/api/people/{code}/held/mail"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Address string `json:"address"`
		}
	}) (*body[Done], error) {
		return done(s.app.MailHeld(ctx, in.Code, in.Body.Address, me.Name))
	})
	handle(s, app.Look, get("starterSets", "/api/starter-sets"), func(ctx context.Context, _ who, _ *none) (*body[[]store.StarterSet], error) {
		l, err := s.app.StarterSets(ctx)
		return &body[[]store.StarterSet]{l}, err
	})
	handle(s, app.Work, post("putStarterSet", "/api/starter-sets"), func(ctx context.Context, me who, in *body[store.StarterSet]) (*body[Done], error) {
		_, err := s.app.PutStarterSet(ctx, in.Body, me.Name)
		return done(err)
	})
	handle(s, app.Work, post("start", "/api/starter-sets/{id}/give"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			User string `json:"user"`
			Wait bool   `json:"wait"`
			Dry  bool   `json:"dry"`
		}
	}) (*body[app.Started], error) {
		st, err := s.app.Start(ctx, in.ID, in.Body.User, in.Body.Wait, in.Body.Dry, me.Name)
		return &body[app.Started]{st}, err
	})
}
