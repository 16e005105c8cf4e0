package api

import (
	"bytes"
	"context"
	"ensomet/internal/entitlements"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/people"
	"net/http"
	"strconv"
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
	handle(s, people.Look, get("line", "/api/entitlements/{code}"), func(ctx context.Context, _ who, in *ByCode) (*body[entitlements.LineDetail], error) {
		l, err := s.app.Entitlements.Line(ctx, in.Code)
		return &body[entitlements.LineDetail]{l}, err
	})
	handle(s, people.Look, post("checkLine", "/api/lines/check"), func(ctx context.Context, _ who, in *struct {
		Body struct {
			Values map[string]string `json:"values"`
			Old    string            `json:"old"`
		}
	}) (*body[[]entitlements.LineCheck], error) {
		c, err := s.app.Entitlements.CheckLine(ctx, in.Body.Values, in.Body.Old)
		return &body[[]entitlements.LineCheck]{c}, err
	})
	handle(s, people.Work, post("editLine", "/api/lines/edit"), func(ctx context.Context, me who, in *body[entitlements.LineEdit]) (*body[Done], error) {
		return done(s.app.Entitlements.EditLine(ctx, in.Body, me.Name))
	})
	handle(s, people.Work, post("trade", "/api/transactions"), func(ctx context.Context, me who, in *body[map[string]string]) (*body[Done], error) {
		return done(s.app.Entitlements.Trade(ctx, in.Body, me.Name))
	})
	handle(s, people.Work, post("withdrawLine", "/api/entitlements/{code}/withdraw"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Why string `json:"why"`
		}
	}) (*body[Done], error) {
		return done(s.app.Entitlements.WithdrawLine(ctx, in.Code, in.Body.Why, me.Name))
	})
	handle(s, people.Work, post("noteLine", "/api/entitlements/{code}/notes"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Text string `json:"text"`
		}
	}) (*body[Done], error) {
		return done(s.app.Entitlements.NoteLine(ctx, in.Code, in.Body.Text, me.Name))
	})
	handle(s, people.Run, post("addKey", "/api/entitlements/{code}/keys"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Key  string `json:"key"`
			Note string `json:"note"`
		}
	}) (*body[Done], error) {
		return done(s.app.Entitlements.AddKey(ctx, in.Code, in.Body.Key, in.Body.Note, me.Name))
	})
	handle(s, people.Run, post("showKey", "/api/keys/{id}/show"), func(ctx context.Context, me who, in *ByID) (*body[struct {
		Key string `json:"key"`
	}], error) {
		out := &body[struct {
			Key string `json:"key"`
		}]{}
		var err error
		out.Body.Key, err = s.app.Entitlements.ShowKey(ctx, in.ID, me.Name)
		return out, err
	})
	handle(s, people.Run, post("dropKey", "/api/keys/{id}/drop"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.Entitlements.DropKey(ctx, in.ID, me.Name))
	})
	handle(s, people.Work, post("dropProof", "/api/proofs/{id}/drop"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.Entitlements.DropProof(ctx, in.ID, me.Name))
	})
	s.router.Post("/api/entitlements/{code}/proofs", s.addProof)
	s.router.Get("/api/proofs/{id}", s.proof)
	handle(s, people.Look, get("contracts", "/api/contracts"), func(ctx context.Context, _ who, _ *none) (*body[[]entitlements.ContractView], error) {
		c, err := s.app.Entitlements.Contracts(ctx)
		return &body[[]entitlements.ContractView]{c}, err
	})
	handle(s, people.Work, post("putContract", "/api/contracts"), func(ctx context.Context, me who, in *body[entitlementsdb.Contract]) (*body[Done], error) {
		return done(s.app.Entitlements.PutContract(ctx, in.Body, me.Name))
	})
	handle(s, people.Look, get("renewals", "/api/renewals"), func(ctx context.Context, _ who, in *struct {
		Days int `query:"days" default:"365" minimum:"1" maximum:"3700"`
	}) (*body[[]entitlements.Renewal], error) {
		r, err := s.app.Entitlements.Renewals(ctx, 0, in.Days)
		return &body[[]entitlements.Renewal]{r}, err
	})
	s.router.Get("/api/renewals.ics", func(w http.ResponseWriter, r *http.Request) {
		days, err := strconv.Atoi(r.URL.Query().Get("days"))
		if err != nil {
			days = 365
		}
		s.give(w, r, "renewals.ics", "text/calendar; charset=utf-8", func(b *bytes.Buffer) error { return s.app.Entitlements.WriteCalendar(r.Context(), b, days) })
	})
	s.router.Get("/api/licences.cdx.json", func(w http.ResponseWriter, r *http.Request) {
		s.give(w, r, "licences.cdx.json", "application/vnd.cyclonedx+json", func(b *bytes.Buffer) error { return s.app.Reports.WriteLicences(r.Context(), b) })
	})
	handle(s, people.Look, get("spend", "/api/spend"), func(ctx context.Context, _ who, _ *none) (*body[entitlements.Spend], error) {
		r, err := s.app.Entitlements.Spend(ctx)
		return &body[entitlements.Spend]{r}, err
	})
}

// seats has who holds what, and who waits.
func (s *Server) seats() {
	registerList(s, "seats", s.app.Entitlements.Seats)
	handle(s, people.Look, get("freeSeats", "/api/products/{id}/seats"), func(ctx context.Context, _ who, in *ByID) (*body[[]entitlements.FreeSeats], error) {
		f, err := s.app.Entitlements.SeatsOf(ctx, in.ID)
		return &body[[]entitlements.FreeSeats]{f}, err
	})
	handle(s, people.Work, post("assignSeat", "/api/seats/assign"), func(ctx context.Context, me who, in *body[entitlements.SeatDraft]) (*body[struct {
		Line string `json:"line"`
	}], error) {
		out := &body[struct {
			Line string `json:"line"`
		}]{}
		var err error
		if out.Body.Line, err = s.app.Entitlements.Assign(ctx, in.Body, me.Name); err != nil {
			return nil, err
		}
		return out, nil
	})
	handle(s, people.Work, post("handBack", "/api/seats/hand-back"), func(ctx context.Context, me who, in *struct {
		Body struct {
			IDs  []int64 `json:"ids" minItems:"1"`
			Give bool    `json:"give" doc:"each goes to whoever waits first"`
		}
	}) (*body[entitlements.HandedBack], error) {
		h, err := s.app.Entitlements.HandBack(ctx, in.Body.IDs, in.Body.Give, me.Name)
		return &body[entitlements.HandedBack]{h}, err
	})
	handle(s, people.Work, post("moveSeat", "/api/seats/{id}/move"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			User string `json:"user"`
		}
	}) (*body[Done], error) {
		return done(s.app.Entitlements.MoveSeat(ctx, in.ID, in.Body.User, me.Name))
	})
	handle(s, people.Look, get("waiting", "/api/waiting"), func(ctx context.Context, _ who, in *struct {
		Product int64 `query:"product"`
	}) (*body[[]entitlementsdb.WaitRow], error) {
		w, err := s.app.Entitlements.Waiting(ctx, in.Product)
		return &body[[]entitlementsdb.WaitRow]{w}, err
	})
	handle(s, people.Work, post("wait", "/api/waiting"), func(ctx context.Context, me who, in *struct {
		Body struct {
			Product int64  `json:"product"`
			User    string `json:"user"`
			Note    string `json:"note"`
		}
	}) (*body[Done], error) {
		return done(s.app.Entitlements.Wait(ctx, in.Body.Product, in.Body.User, in.Body.Note, me.Name))
	})
	handle(s, people.Work, post("endWait", "/api/waiting/{id}/end"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.Entitlements.EndWait(ctx, in.ID, me.Name))
	})
	handle(s, people.Work, post("giveWaiting", "/api/products/{id}/give-seats"), func(ctx context.Context, me who, in *ByID) (*body[entitlements.HandedBack], error) {
		h, err := s.app.Entitlements.GiveWaiting(ctx, in.ID, me.Name)
		return &body[entitlements.HandedBack]{h}, err
	})
	handle(s, people.Look, get("held", "/api/people/{code}/held"), func(ctx context.Context, _ who, in *ByCode) (*body[entitlements.Held], error) {
		h, err := s.app.Entitlements.Held(ctx, in.Code)
		return &body[entitlements.Held]{h}, err
	})
	handle(s, people.Work, post("mailHeld", "/api/people/{code}/held/mail"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Address string `json:"address"`
		}
	}) (*body[Done], error) {
		return done(s.app.Entitlements.MailHeld(ctx, in.Code, in.Body.Address, me.Name))
	})
	handle(s, people.Look, get("starterSets", "/api/starter-sets"), func(ctx context.Context, _ who, _ *none) (*body[[]entitlementsdb.StarterSet], error) {
		l, err := s.app.Entitlements.StarterSets(ctx)
		return &body[[]entitlementsdb.StarterSet]{l}, err
	})
	handle(s, people.Work, post("putStarterSet", "/api/starter-sets"), func(ctx context.Context, me who, in *body[entitlementsdb.StarterSet]) (*body[Done], error) {
		_, err := s.app.Entitlements.PutStarterSet(ctx, in.Body, me.Name)
		return done(err)
	})
	handle(s, people.Work, post("start", "/api/starter-sets/{id}/give"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			User string `json:"user"`
			Wait bool   `json:"wait"`
			Dry  bool   `json:"dry"`
		}
	}) (*body[entitlements.Started], error) {
		st, err := s.app.Entitlements.Start(ctx, in.ID, in.Body.User, in.Body.Wait, in.Body.Dry, me.Name)
		return &body[entitlements.Started]{st}, err
	})
}
