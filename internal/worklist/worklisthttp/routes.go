// Package worklisthttp has the routes of what is to be done.
package worklisthttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/outbox"
	"ensomet/internal/rest"
	"ensomet/internal/snapshot"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"

	"github.com/danielgtaylor/huma/v2"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Worklist *worklist.Service
	Orders   *worklist.Orders
	Outbox   *outbox.Service
}

type routes struct {
	*rest.Server
	Stations
}

// Register registers the routes of what is to be done.
func Register(server *rest.Server, stations Stations) {
	s := &routes{server, stations}
	s.baskets()
	s.lists()
	s.mail()
	s.details()
	s.cases()
	s.stances()
	s.reclaim()
	s.answers()
}

func (s *routes) baskets() {
	rest.Handle(s.Server, access.Look, rest.Get("baskets", "/api/baskets"), rest.Plain(s.Worklist.Baskets))
	rest.Handle(s.Server, access.Work, rest.Post("saveBasket", "/api/baskets"),
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.Basket]) (worklist.Basket, error) {
			return s.Worklist.SaveBasket(ctx, in.Body, me.Name)
		})
	rest.Handle(s.Server, access.Work, rest.Post("dropBasket", "/api/baskets/{id}/drop"),
		rest.OnID(s.Worklist.DropBasket))
	rest.Handle(s.Server, access.Work, rest.Post("doBasket", "/api/baskets/{id}/do"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				Version int64 `json:"version"`
			}
		}) (worklist.BasketDone, error) {
			return s.Worklist.DoBasket(ctx, in.ID, in.Body.Version, me.Name)
		})
	rest.Handle(s.Server, access.Look, rest.Get("purchaseRequests", "/api/purchase-requests"),
		rest.Plain(s.Worklist.PurchaseRequests))
	rest.Handle(s.Server, access.Work, rest.Post("endPurchaseRequest", "/api/purchase-requests/{id}/end"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				How string `json:"how" enum:"bought,dropped"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Worklist.EndPurchaseRequest(ctx, in.ID, in.Body.How, me.Name))
		})
}

func (s *routes) mail() {
	rest.Handle(s.Server, access.Work, rest.Post("mailAgain", "/api/mail/{id}/again"),
		rest.OnID(s.Outbox.TryAgain))
}

func (s *routes) lists() {
	rest.List(s.Server, "cases", rest.Of(snapshot.CaseList))
	rest.List(s.Server, "savings", rest.Of(worklistdb.SavingList))
	rest.List(s.Server, "potential", rest.Of(worklistdb.PotentialList))
	rest.List(s.Server, "mail", rest.Of(outbox.MailList))
}

func (s *routes) details() {
	rest.Handle(s.Server, access.Look, rest.Get("case", "/api/cases/{id}"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) (worklist.CaseView, error) {
			return s.Worklist.Case(ctx, in.ID)
		})
	rest.Handle(s.Server, access.Look, rest.Get("policies", "/api/policies"), rest.Plain(s.Worklist.Policies))
}

func (s *routes) cases() {
	rest.Handle(s.Server, access.Work, rest.Post("caseAct", "/api/cases/act"),
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.CaseAction]) (worklist.CaseDone, error) {
			in.Body.Base = rest.BaseOf(ctx)
			return s.Worklist.CaseAct(ctx, in.Body, me.Name)
		})
	rest.Handle(s.Server, access.Look, rest.Get("caseCounts", "/api/cases/counts"),
		rest.Plain(s.Worklist.CaseCounts))
	rest.Handle(s.Server, access.Look, rest.Get("caseGroups", "/api/cases/groups"),
		rest.Plain(s.Worklist.CaseGroups))
	rest.Handle(s.Server, access.Look, rest.Get("caseRules", "/api/case-rules"), rest.Plain(s.Worklist.CaseRules))
	rest.Handle(s.Server, access.Run, huma.Operation{OperationID: "setCaseRules", Method: http.MethodPut, Path: "/api/case-rules"},
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.CaseRules]) (worklist.CaseRules, error) {
			return in.Body, s.Worklist.SetCaseRules(ctx, in.Body, me.Name)
		})
	rest.Handle(s.Server, access.Look, rest.Get("waves", "/api/waves"), rest.Plain(s.Orders.Waves))
	rest.Handle(s.Server, access.Work, rest.Post("steerWave", "/api/waves/{id}/steer"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				To string `json:"to" enum:"pause,go on,call off"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Orders.SteerWave(ctx, in.ID, in.Body.To, me.Name))
		})
	rest.Handle(s.Server, access.Look, rest.Get("ledgerSums", "/api/ledger"), rest.Plain(s.Worklist.LedgerSums))
	s.Router.Post("/api/deployment/outcome", s.WithToken(s.takeOutcome))
}

func (s *routes) stances() {
	type draft struct {
		worklist.PolicyDraft
		End int64 `json:"end,omitempty" doc:"in a preview: the number of a policy that would end, instead of setting one"`
	}
	rest.Handle(s.Server, access.Work, rest.Post("addPolicy", "/api/policies"),
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.PolicyDraft]) (rest.Done, error) {
			return rest.DoneOr(s.Worklist.SetPolicy(ctx, in.Body, me.Name))
		})
	rest.Handle(s.Server, access.Work, rest.Post("previewPolicy", "/api/policies/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[draft]) (worklist.PolicyEffect, error) {
			return s.Worklist.PreviewPolicy(ctx, in.Body.PolicyDraft, in.Body.End)
		})
	rest.Handle(s.Server, access.Work, rest.Post("endPolicy", "/api/policies/{id}/end"),
		rest.OnID(s.Worklist.EndPolicy))
	rest.Handle(s.Server, access.Look, rest.Get("stance", "/api/products/{id}/stance"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			Device string `query:"device" required:"true" doc:"device_id"`
		}) (worklist.StanceView, error) {
			return s.Worklist.Stance(ctx, in.ID, in.Device)
		})
}

func (s *routes) reclaim() {
	rest.Handle(s.Server, access.Look, rest.Get("reclaimRules", "/api/reclaim-rules"),
		rest.Plain(s.Worklist.ReclaimRules))
	rest.Handle(s.Server, access.Work, rest.Post("previewReclaim", "/api/reclaim-rules/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[struct {
			worklist.ReclaimDraft
			End int64 `json:"end,omitempty" doc:"the number of a rule that would end, instead of setting one"`
		}]) (worklist.ReclaimEffect, error) {
			return s.Worklist.PreviewReclaim(ctx, in.Body.ReclaimDraft, in.Body.End)
		})
	rest.Handle(s.Server, access.Work, rest.Post("putReclaimRule", "/api/reclaim-rules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.ReclaimDraft]) (rest.Done, error) {
			return rest.DoneOr(s.Worklist.PutReclaimRule(ctx, in.Body, me.Name))
		})
	rest.Handle(s.Server, access.Work, rest.Post("endReclaimRule", "/api/reclaim-rules/{id}/end"),
		rest.OnID(s.Worklist.EndReclaimRule))
}
