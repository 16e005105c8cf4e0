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
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("baskets", "/api/baskets"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]worklist.Basket], error) {
			b, err := s.Worklist.Baskets(ctx)
			return &rest.Body[[]worklist.Basket]{Body: b}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("saveBasket", "/api/baskets"),
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.Basket]) (*rest.Body[worklist.Basket],
			error) {
			b, err := s.Worklist.SaveBasket(ctx, in.Body, me.Name)
			return &rest.Body[worklist.Basket]{Body: b}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("dropBasket", "/api/baskets/{id}/drop"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Worklist.DropBasket(ctx, in.ID, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("doBasket", "/api/baskets/{id}/do"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				Version int64 `json:"version"`
			}
		}) (*rest.Body[worklist.BasketDone], error) {
			d, err := s.Worklist.DoBasket(ctx, in.ID, in.Body.Version, me.Name)
			return &rest.Body[worklist.BasketDone]{Body: d}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("purchaseRequests", "/api/purchase-requests"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]worklistdb.PurchaseRequest], error) {
			r, err := s.Worklist.PurchaseRequests(ctx)
			return &rest.Body[[]worklistdb.PurchaseRequest]{Body: r}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("endPurchaseRequest", "/api/purchase-requests/{id}/end"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				How string `json:"how" enum:"bought,dropped"`
			}
		}) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Worklist.EndPurchaseRequest(ctx, in.ID, in.Body.How, me.Name))
		},
	)
}

func (s *routes) mail() {
	rest.Handle(s.Server, access.Work, rest.Post("mailAgain", "/api/mail/{id}/again"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Outbox.TryAgain(ctx, in.ID, me.Name))
		})
}

func (s *routes) lists() {
	rest.List(s.Server, "cases", rest.Of(snapshot.CaseList))
	rest.List(s.Server, "savings", rest.Of(worklistdb.SavingList))
	rest.List(s.Server, "potential", rest.Of(worklistdb.PotentialList))
	rest.List(s.Server, "mail", rest.Of(outbox.MailList))
}

func (s *routes) details() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("case", "/api/cases/{id}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[worklist.CaseView], error) {
			c, err := s.Worklist.Case(ctx, in.ID)
			return &rest.Body[worklist.CaseView]{Body: c}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("policies", "/api/policies"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[worklist.PolicyList], error) {
			p, err := s.Worklist.Policies(ctx)
			return &rest.Body[worklist.PolicyList]{Body: p}, err
		},
	)
}

func (s *routes) cases() {
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("caseAct", "/api/cases/act"),
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.CaseAction]) (*rest.Body[worklist.CaseDone],
			error) {
			in.Body.Base = rest.BaseOf(ctx)
			done, err := s.Worklist.CaseAct(ctx, in.Body, me.Name)
			return &rest.Body[worklist.CaseDone]{Body: done}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("caseCounts", "/api/cases/counts"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]worklist.CaseCount], error) {
			c, err := s.Worklist.CaseCounts(ctx)
			return &rest.Body[[]worklist.CaseCount]{Body: c}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("caseGroups", "/api/cases/groups"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]worklistdb.CaseGroup], error) {
			g, err := s.Worklist.CaseGroups(ctx)
			return &rest.Body[[]worklistdb.CaseGroup]{Body: g}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("caseRules", "/api/case-rules"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[worklist.CaseRules], error) {
			r, err := s.Worklist.CaseRules(ctx)
			return &rest.Body[worklist.CaseRules]{Body: r}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		huma.Operation{OperationID: "setCaseRules", Method: http.MethodPut, Path: "/api/case-rules"},
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.CaseRules]) (*rest.Body[worklist.CaseRules],
			error) {
			return in, s.Worklist.SetCaseRules(ctx, in.Body, me.Name)
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("waves", "/api/waves"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]worklist.WaveView], error) {
			w, err := s.Orders.Waves(ctx)
			return &rest.Body[[]worklist.WaveView]{Body: w}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("steerWave", "/api/waves/{id}/steer"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				To string `json:"to" enum:"pause,go on,call off"`
			}
		}) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Orders.SteerWave(ctx, in.ID, in.Body.To, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("ledgerSums", "/api/ledger"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]worklist.LedgerSum], error) {
			l, err := s.Worklist.LedgerSums(ctx)
			return &rest.Body[[]worklist.LedgerSum]{Body: l}, err
		},
	)
	s.Router.Post("/api/deployment/outcome", s.WithToken(s.takeOutcome))
}

func (s *routes) stances() {
	type draft struct {
		worklist.PolicyDraft
		End int64 `json:"end,omitempty" doc:"in a preview: the number of a policy that would end, instead of setting one"`
	}
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("addPolicy", "/api/policies"),
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.PolicyDraft]) (*rest.Body[rest.Done],
			error) {
			return rest.DoneOr(s.Worklist.SetPolicy(ctx, in.Body, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("previewPolicy", "/api/policies/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[draft]) (*rest.Body[worklist.PolicyEffect], error) {
			e, err := s.Worklist.PreviewPolicy(ctx, in.Body.PolicyDraft, in.Body.End)
			return &rest.Body[worklist.PolicyEffect]{Body: e}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("endPolicy", "/api/policies/{id}/end"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Worklist.EndPolicy(ctx, in.ID, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("stance", "/api/products/{id}/stance"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			Device string `query:"device" required:"true" doc:"device_id"`
		}) (*rest.Body[worklist.StanceView], error) {
			v, err := s.Worklist.Stance(ctx, in.ID, in.Device)
			return &rest.Body[worklist.StanceView]{Body: v}, err
		},
	)
}

func (s *routes) reclaim() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("reclaimRules", "/api/reclaim-rules"),
		func(ctx context.Context, _ rest.Account, _ *rest.None) (*rest.Body[[]worklist.ReclaimView], error) {
			l, err := s.Worklist.ReclaimRules(ctx)
			return &rest.Body[[]worklist.ReclaimView]{Body: l}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("previewReclaim", "/api/reclaim-rules/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[struct {
			worklist.ReclaimDraft
			End int64 `json:"end,omitempty" doc:"the number of a rule that would end, instead of setting one"`
		}]) (*rest.Body[worklist.ReclaimEffect], error) {
			e, err := s.Worklist.PreviewReclaim(ctx, in.Body.ReclaimDraft, in.Body.End)
			return &rest.Body[worklist.ReclaimEffect]{Body: e}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("putReclaimRule", "/api/reclaim-rules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[worklist.ReclaimDraft]) (*rest.Body[rest.Done],
			error) {
			return rest.DoneOr(s.Worklist.PutReclaimRule(ctx, in.Body, me.Name))
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("endReclaimRule", "/api/reclaim-rules/{id}/end"),
		func(ctx context.Context, me rest.Account, in *rest.ByID) (*rest.Body[rest.Done], error) {
			return rest.DoneOr(s.Worklist.EndReclaimRule(ctx, in.ID, me.Name))
		},
	)
}
