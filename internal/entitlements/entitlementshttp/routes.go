// Package entitlementshttp has the routes of what was bought, and who holds it.
package entitlementshttp

import (
	"context"
	"io"
	"net/http"
	"strconv"

	"ensomet/internal/core/access"
	"ensomet/internal/entitlements"
	"ensomet/internal/own"
	"ensomet/internal/rest"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Entitlements *entitlements.Service
	Spending     *entitlements.Spending
	Keys         *entitlements.Keys
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
	rest.List(s.Server, "entitlements", s.Entitlements.Entitlements, toEntitlementRow)
	rest.List(s.Server, "keys", rest.Of(entitlements.KeyList), toKeyRow)
}

// papers registers notes, keys and proofs of lines.
func (s *routes) papers() {
	rest.Handle(s.Server, access.Editor, rest.Post("noteLine", "/api/entitlements/{code}/notes"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByCode
			Body struct {
				Text string `json:"text"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Entitlements.NoteLine(ctx, in.Code, in.Body.Text, me.Name))
		})
	rest.Handle(s.Server, access.Admin, rest.Post("addKey", "/api/entitlements/{code}/keys"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByCode
			Body struct {
				Key  string `json:"key"`
				Note string `json:"note"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Keys.AddKey(ctx, in.Code, in.Body.Key, in.Body.Note, me.Name))
		})
	rest.Handle(s.Server, access.Admin, rest.Post("showKey", "/api/keys/{id}/show"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (ShownKey, error) {
			key, err := s.Keys.ShowKey(ctx, in.ID, me.Name)
			return ShownKey{key}, err
		})
	rest.Handle(
		s.Server,
		access.Admin,
		rest.Post("dropKey", "/api/keys/{id}/drop"),
		rest.OnID(s.Keys.DropKey),
	)
	rest.Handle(s.Server, access.Editor, rest.Post("dropProof", "/api/proofs/{id}/drop"),
		rest.OnID(s.Entitlements.DropProof))
	s.Router.Post("/api/entitlements/{code}/proofs", s.addProof)
	s.Router.Get("/api/proofs/{id}", s.proof)
}

// contracts registers contracts, what ends, and what was spent.
func (s *routes) contracts() {
	rest.Handle(s.Server, access.Viewer, rest.Get("contracts", "/api/contracts"),
		rest.Plain(s.Entitlements.Contracts, rest.All(toContractView)))
	rest.Handle(s.Server, access.Editor, rest.Post("putContract", "/api/contracts"),
		func(ctx context.Context, me rest.Account, in *rest.Body[Contract]) (rest.Done, error) {
			return rest.DoneOr(s.Entitlements.PutContract(ctx, fromContract(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("renewals", "/api/renewals"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Days int `query:"days" default:"365" minimum:"1" maximum:"3700"`
		}) ([]Renewal, error) {
			return rest.All(toRenewal)(s.Entitlements.Renewals(ctx, 0, in.Days))
		})
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
			func(b io.Writer) error { return s.Entitlements.WriteCalendar(r.Context(), b, days) },
		)
	})
	rest.Handle(s.Server, access.Viewer, rest.Get("spend", "/api/spend"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Kind  string `query:"ownOf" enum:"line,title,contract" required:"false"`
			Field string `query:"own" doc:"a field of the house's own of these, by which it is split besides"`
		}) (Spend, error) {
			return rest.One(
				toSpend,
			)(
				s.Spending.Spend(ctx, entitlements.OwnBy{Kind: own.Kind(in.Kind), Field: in.Field}),
			)
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("spendByUse", "/api/spend/by-use"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Unit     string `query:"unit" doc:"with all below it; empty is the house"`
			Products bool   `query:"products" doc:"a row for each product"`
			Product  int64  `query:"product" doc:"this one alone"`
			Spread   bool   `query:"spread" doc:"share what nobody uses among who uses the line"`
		}) (SpendByUse, error) {
			return rest.One(toSpendByUse)(s.Spending.ByUse(ctx, entitlements.UseAsked{
				Unit:      in.Unit,
				ByProduct: in.Products,
				Spread:    in.Spread,
				Product:   in.Product,
			}))
		})
}

// lines registers lines and their transactions.
func (s *routes) lines() {
	rest.Handle(s.Server, access.Viewer, rest.Get("line", "/api/entitlements/{code}"),
		func(ctx context.Context, _ rest.Account, in *rest.ByCode) (LineDetail, error) {
			return rest.One(toLineDetail)(s.Entitlements.Line(ctx, in.Code))
		})
	rest.Handle(s.Server, access.Viewer, rest.Post("checkLine", "/api/lines/check"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Body struct {
				Values map[string]string `json:"values"`
				Old    string            `json:"old"`
			}
		}) ([]LineCheck, error) {
			return rest.All(toLineCheck)(s.Entitlements.CheckLine(ctx, in.Body.Values, in.Body.Old))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("editLine", "/api/lines/edit"),
		func(ctx context.Context, me rest.Account, in *rest.Body[LineEdit]) (rest.Done, error) {
			return rest.DoneOr(s.Entitlements.EditLine(ctx, fromLineEdit(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("trade", "/api/transactions"),
		func(ctx context.Context, me rest.Account, in *rest.Body[TransactionDraft]) (rest.Done, error) {
			_, err := s.Entitlements.Trade(ctx, fromTransactionDraft(in.Body), me.Name)
			return rest.DoneOr(err)
		})
	rest.Handle(s.Server, access.Viewer, rest.Post("tryTrade", "/api/transactions/try"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[TransactionDraft]) (TradeEffect, error) {
			return rest.One(toTradeEffect)(s.Entitlements.TryTrade(ctx, fromTransactionDraft(in.Body)))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("tryUndoTransaction", "/api/transactions/{id}/undo"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) (TradeEffect, error) {
			return rest.One(toTradeEffect)(s.Entitlements.TryUndo(ctx, in.ID))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("undoTransaction", "/api/transactions/{id}/undo"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				How string `json:"how" enum:"take back,counter-entry" doc:"which of the two was seen and is meant"`
				Why string `json:"why"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Entitlements.UndoTransaction(ctx, in.ID, in.Body.How, in.Body.Why, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("withdrawLine", "/api/entitlements/{code}/withdraw"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByCode
			Body struct {
				Why      string `json:"why"`
				Revision int64  `json:"revision" minimum:"0" doc:"of the line, as it was seen"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Entitlements.WithdrawLine(ctx, in.Code, in.Body.Revision, in.Body.Why, me.Name))
		})
}

// waiting registers who waits for a seat.
func (s *routes) waiting() {
	rest.Handle(s.Server, access.Viewer, rest.Get("waiting", "/api/waiting"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Product int64 `query:"product"`
		}) ([]WaitRow, error) {
			return rest.All(toWaitRow)(s.Entitlements.Waiting(ctx, in.Product))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("wait", "/api/waiting"),
		func(ctx context.Context, me rest.Account, in *struct {
			Body struct {
				Product int64  `json:"product"`
				User    string `json:"user"`
				Note    string `json:"note"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Entitlements.Wait(ctx, in.Body.Product, in.Body.User, in.Body.Note, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("endWait", "/api/waiting/{id}/end"),
		rest.OnID(s.Entitlements.EndWait))
	rest.Handle(s.Server, access.Editor, rest.Post("giveWaiting", "/api/products/{id}/give-seats"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (HandedBack, error) {
			return rest.One(toHandedBack)(s.Entitlements.GiveWaiting(ctx, in.ID, me.Name))
		})
}

// held registers what people hold, and what somebody new gets.
func (s *routes) held() {
	rest.Handle(s.Server, access.Viewer, rest.Get("held", "/api/people/{code}/held"),
		func(ctx context.Context, _ rest.Account, in *rest.ByCode) (Held, error) {
			return rest.One(toHeld)(s.Entitlements.Held(ctx, in.Code))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("mailHeld", "/api/people/{code}/held/mail"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByCode
			Body struct {
				Address string `json:"address"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Entitlements.MailHeld(ctx, in.Code, in.Body.Address, me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("starterSets", "/api/starter-sets"),
		rest.Plain(s.Entitlements.StarterSets, rest.All(toStarterSet)))
	rest.Handle(s.Server, access.Editor, rest.Post("putStarterSet", "/api/starter-sets"),
		func(ctx context.Context, me rest.Account, in *rest.Body[StarterSet]) (rest.Done, error) {
			_, err := s.Entitlements.PutStarterSet(ctx, fromStarterSet(in.Body), me.Name)
			return rest.DoneOr(err)
		})
	rest.Handle(s.Server, access.Editor, rest.Post("start", "/api/starter-sets/{id}/give"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				User string `json:"user"`
				Wait bool   `json:"wait"`
				Dry  bool   `json:"dry"`
			}
		}) (Started, error) {
			return rest.One(toStarted)(
				s.Entitlements.Start(ctx, in.ID, in.Body.User, in.Body.Wait, in.Body.Dry, me.Name))
		})
}

// seats registers who holds which seat.
func (s *routes) seats() {
	rest.List(s.Server, "seats", s.Entitlements.Seats, toSeatRow)
	rest.Handle(s.Server, access.Viewer, rest.Get("freeSeats", "/api/products/{id}/seats"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) ([]FreeSeats, error) {
			return rest.All(toFreeSeats)(s.Entitlements.SeatsOf(ctx, in.ID))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("assignSeat", "/api/seats/assign"),
		func(ctx context.Context, me rest.Account, in *rest.Body[SeatDraft]) (SeatOf, error) {
			line, err := s.Entitlements.Assign(ctx, fromSeatDraft(in.Body), me.Name)
			return SeatOf{line}, err
		})
	rest.Handle(s.Server, access.Editor, rest.Post("handBack", "/api/seats/hand-back"),
		func(ctx context.Context, me rest.Account, in *struct {
			Body struct {
				IDs  []int64 `json:"ids" minItems:"1"`
				Give bool    `json:"give" doc:"each goes to whoever waits first"`
			}
		}) (HandedBack, error) {
			return rest.One(toHandedBack)(s.Entitlements.HandBack(ctx, in.Body.IDs, in.Body.Give, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("moveSeat", "/api/seats/{id}/move"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				User string `json:"user"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Entitlements.MoveSeat(ctx, in.ID, in.Body.User, me.Name))
		})
}

// ShownKey is a licence key in clear.
type ShownKey struct {
	Key string `json:"key"`
}

// SeatOf says of which line a seat was given.
type SeatOf struct {
	Line string `json:"line"`
}
