package api

import (
	"bytes"
	"context"
	"fmt"
	"log"
	"net/http"
	"strconv"

	"ensomet/internal/app"
	"ensomet/internal/core/civil"
	"ensomet/internal/store"

	"github.com/danielgtaylor/huma/v2"
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

// renewed answers after a change that touches positions, and lets them be renewed.
func (s *Server) renewed(ctx context.Context, err error) (*body[Done], error) {
	if err != nil {
		return nil, err
	}
	s.app.RefreshSoon(ctx)
	return &body[Done]{Done{Count: 1}}, nil
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
		return s.renewed(ctx, s.app.EditLine(ctx, in.Body, me.Name))
	})
	handle(s, app.Work, post("trade", "/api/transactions"), func(ctx context.Context, me who, in *body[map[string]string]) (*body[Done], error) {
		return s.renewed(ctx, s.app.Trade(ctx, in.Body, me.Name))
	})
	handle(s, app.Work, post("withdrawLine", "/api/entitlements/{code}/withdraw"), func(ctx context.Context, me who, in *struct {
		ByCode
		Body struct {
			Why string `json:"why"`
		}
	}) (*body[Done], error) {
		return s.renewed(ctx, s.app.WithdrawLine(ctx, in.Code, in.Body.Why, me.Name))
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

// give answers with a file that is written whole before anything is sent.
func (s *Server) give(w http.ResponseWriter, r *http.Request, name, kind string, write func(*bytes.Buffer) error) {
	if _, err := s.need(r.Context(), app.Look); err != nil {
		problem(w, err)
		return
	}
	var b bytes.Buffer
	if err := write(&b); err != nil {
		problem(w, fail(err))
		return
	}
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	w.Header().Set("Content-Type", kind)
	if _, err := w.Write(b.Bytes()); err != nil {
		log.Printf("an answer could not be written: %v", err)
	}
}

// addProof takes a file as proof of a line.
func (s *Server) addProof(w http.ResponseWriter, r *http.Request) {
	me, err := s.need(r.Context(), app.Work)
	if err != nil {
		problem(w, err)
		return
	}
	f, _, err := spool(w, r, app.MaxProof+1)
	if err != nil {
		problem(w, fail(err))
		return
	}
	defer f.Close()
	if _, err := f.Seek(0, 0); err != nil {
		problem(w, fail(err))
		return
	}
	if err := s.app.AddProof(r.Context(), r.PathValue("code"), r.URL.Query().Get("name"), f, me.Name); err != nil {
		problem(w, fail(err))
		return
	}
	answer(w, Done{Count: 1})
}

// proof gives a file as it was attached. It is never shown within the program's own pages.
func (s *Server) proof(w http.ResponseWriter, r *http.Request) {
	if _, err := s.need(r.Context(), app.Look); err != nil {
		problem(w, err)
		return
	}
	id, err := strconv.ParseInt(r.PathValue("id"), 10, 64)
	if err != nil {
		problem(w, huma.Error400BadRequest("this is no number of a file"))
		return
	}
	p, content, err := s.app.Proof(r.Context(), id)
	if err != nil {
		problem(w, fail(err))
		return
	}
	s.give(w, r, p.Name, "application/octet-stream", func(b *bytes.Buffer) error {
		_, err := b.Write(content)
		return err
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
		s.app.RefreshSoon(ctx)
		return out, nil
	})
	handle(s, app.Work, post("handBack", "/api/seats/hand-back"), func(ctx context.Context, me who, in *struct {
		Body struct {
			IDs  []int64 `json:"ids" minItems:"1"`
			Give bool    `json:"give" doc:"each goes to whoever waits first"`
		}
	}) (*body[app.HandedBack], error) {
		h, err := s.app.HandBack(ctx, in.Body.IDs, in.Body.Give, me.Name)
		if err == nil {
			s.app.RefreshSoon(ctx)
		}
		return &body[app.HandedBack]{h}, err
	})
	handle(s, app.Work, post("moveSeat", "/api/seats/{id}/move"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			User string `json:"user"`
		}
	}) (*body[Done], error) {
		return s.renewed(ctx, s.app.MoveSeat(ctx, in.ID, in.Body.User, me.Name))
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
		if err == nil {
			s.app.RefreshSoon(ctx)
		}
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
		if err == nil && !in.Body.Dry {
			s.app.RefreshSoon(ctx)
		}
		return &body[app.Started]{st}, err
	})
}

// balance has how positions come about, how they change, and what could be done about them.
func (s *Server) balance() {
	days := func(from, to string) (a, b civil.Day, err error) {
		if a, err = civil.Parse(from); err == nil {
			b, err = civil.Parse(to)
		}
		return a, b, err
	}
	handle(s, app.Look, get("parts", "/api/products/{id}/parts"), func(ctx context.Context, _ who, in *struct {
		ByID
		By   string `query:"by" enum:"unit,country,contract" default:"unit"`
		AsOf string `query:"asOf"`
	}) (*body[[]app.PartsOfMetric], error) {
		day, err := civil.Parse(in.AsOf)
		if err != nil {
			return nil, err
		}
		p, err := s.app.Parts(ctx, in.ID, in.By, day)
		return &body[[]app.PartsOfMetric]{p}, err
	})
	handle(s, app.Look, get("prove", "/api/products/{id}/proof"), func(ctx context.Context, _ who, in *ByID) (*body[[]app.ProofRun], error) {
		p, err := s.app.Prove(ctx, in.ID)
		return &body[[]app.ProofRun]{p}, err
	})
	handle(s, app.Work, post("metricOrder", "/api/products/{id}/metric-order"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			Order []string `json:"order"`
		}
	}) (*body[Done], error) {
		return s.renewed(ctx, s.app.SetMetricOrder(ctx, in.ID, in.Body.Order, me.Name))
	})
	handle(s, app.Look, get("productSteps", "/api/products/{id}/steps"), func(ctx context.Context, _ who, in *struct {
		ByID
		From string `query:"from" required:"true"`
		To   string `query:"to"`
	}) (*body[app.ProductSteps], error) {
		from, to, err := days(in.From, in.To)
		if err != nil {
			return nil, err
		}
		p, err := s.app.ProductSteps(ctx, in.ID, from, to)
		return &body[app.ProductSteps]{p}, err
	})
	handle(s, app.Look, get("allSteps", "/api/steps"), func(ctx context.Context, _ who, in *struct {
		From string `query:"from" required:"true"`
		To   string `query:"to"`
	}) (*body[app.AllSteps], error) {
		from, to, err := days(in.From, in.To)
		if err != nil {
			return nil, err
		}
		p, err := s.app.AllSteps(ctx, from, to)
		return &body[app.AllSteps]{p}, err
	})
	handle(s, app.Look, get("baskets", "/api/baskets"), func(ctx context.Context, _ who, _ *none) (*body[[]app.Basket], error) {
		b, err := s.app.Baskets(ctx)
		return &body[[]app.Basket]{b}, err
	})
	handle(s, app.Look, post("tryBasket", "/api/baskets/try"), func(ctx context.Context, _ who, in *struct {
		Body struct {
			Measures []app.BasketMeasure `json:"measures"`
		}
	}) (*body[app.Tried], error) {
		t, err := s.app.TryBasket(ctx, in.Body.Measures)
		return &body[app.Tried]{t}, err
	})
	handle(s, app.Work, post("saveBasket", "/api/baskets"), func(ctx context.Context, me who, in *body[app.Basket]) (*body[app.Basket], error) {
		b, err := s.app.SaveBasket(ctx, in.Body, me.Name)
		return &body[app.Basket]{b}, err
	})
	handle(s, app.Work, post("dropBasket", "/api/baskets/{id}/drop"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.DropBasket(ctx, in.ID, me.Name))
	})
	handle(s, app.Work, post("doBasket", "/api/baskets/{id}/do"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			Version int64 `json:"version"`
		}
	}) (*body[app.BasketDone], error) {
		d, err := s.app.DoBasket(ctx, in.ID, in.Body.Version, me.Name)
		if err == nil {
			s.app.RefreshSoon(ctx)
		}
		return &body[app.BasketDone]{d}, err
	})
	handle(s, app.Look, get("purchaseRequests", "/api/purchase-requests"), func(ctx context.Context, _ who, _ *none) (*body[[]store.PurchaseRequest], error) {
		r, err := s.app.PurchaseRequests(ctx)
		return &body[[]store.PurchaseRequest]{r}, err
	})
	handle(s, app.Work, post("endPurchaseRequest", "/api/purchase-requests/{id}/end"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			How string `json:"how" enum:"bought,dropped"`
		}
	}) (*body[Done], error) {
		return done(s.app.EndPurchaseRequest(ctx, in.ID, in.Body.How, me.Name))
	})
	handle(s, app.Look, get("statements", "/api/statements"), func(ctx context.Context, _ who, _ *none) (*body[[]store.StoredStatement], error) {
		l, err := s.app.Statements(ctx)
		return &body[[]store.StoredStatement]{l}, err
	})
	handle(s, app.Look, get("statement", "/api/statements/{id}"), func(ctx context.Context, _ who, in *struct {
		ByID
		Today bool `query:"today"`
	}) (*body[app.StatementView], error) {
		v, err := s.app.Statement(ctx, in.ID, in.Today)
		return &body[app.StatementView]{v}, err
	})
	handle(s, app.Work, post("makeStatement", "/api/statements"), func(ctx context.Context, me who, in *struct {
		Body struct {
			AsOf     string  `json:"asOf"`
			Products []int64 `json:"products"`
			HandedTo string  `json:"handedTo"`
			Note     string  `json:"note"`
		}
	}) (*body[struct {
		ID int64 `json:"id"`
	}], error) {
		day, err := civil.Parse(in.Body.AsOf)
		if err != nil {
			return nil, err
		}
		out := &body[struct {
			ID int64 `json:"id"`
		}]{}
		out.Body.ID, err = s.app.MakeStatement(ctx, day, in.Body.Products, in.Body.HandedTo, in.Body.Note, me.Name)
		return out, err
	})
}
