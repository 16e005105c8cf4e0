// Package worklisthttp has the routes of what is to be done.
package worklisthttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/outbox"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
	"ensomet/internal/worklist"

	"github.com/danielgtaylor/huma/v2"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Worklist *worklist.Service
	Orders   *worklist.Orders
	Requests *worklist.Requests
	Standing *worklist.Standing
	Outbox   *outbox.Service
}

type routes struct {
	*rest.Server
	Stations
}

// Register registers the routes of what is to be done.
func Register(server *rest.Server, stations Stations) {
	s := &routes{server, stations}
	s.scenarios()
	s.lists()
	s.mail()
	s.details()
	s.cases()
	s.stances()
	s.reclaim()
	s.standing()
	s.answers()
}

func (s *routes) scenarios() {
	rest.Handle(s.Server, access.Viewer, rest.Get("scenarios", "/api/scenarios"),
		rest.Plain(s.Worklist.Scenarios, rest.All(toScenario)))
	rest.Handle(s.Server, access.Editor, rest.Post("saveScenario", "/api/scenarios"),
		func(ctx context.Context, me rest.Account, in *rest.Body[Scenario]) (Scenario, error) {
			return rest.One(toScenario)(s.Worklist.SaveScenario(ctx, fromScenario(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("dropScenario", "/api/scenarios/{id}/drop"),
		rest.OnRevision(s.Worklist.DropScenario))
	rest.Handle(s.Server, access.Editor, rest.Post("doScenario", "/api/scenarios/{id}/do"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				Revision int64 `json:"revision" minimum:"0"`
			}
		}) (ScenarioDone, error) {
			return rest.One(toScenarioDone)(s.Worklist.DoScenario(ctx, in.ID, in.Body.Revision, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("ask", "/api/requests"),
		func(ctx context.Context, me rest.Account, in *rest.Body[Wanted]) (ScenarioDone, error) {
			return rest.One(toScenarioDone)(s.Requests.Ask(ctx, fromWanted(in.Body), me.Name))
		})
}

func (s *routes) mail() {
	rest.Handle(s.Server, access.Editor, rest.Post("mailAgain", "/api/mail/{id}/again"),
		rest.OnID(s.Outbox.TryAgain))
}

func (s *routes) lists() {
	rest.List(s.Server, "cases", rest.Of(worklist.CaseList), wire.ToCaseRow)
	rest.List(s.Server, "savings", rest.Of(worklist.SavingList), toSavingRow)
	rest.List(s.Server, "potential", rest.Of(worklist.PotentialList), toSavingRow)
	rest.List(s.Server, "mail", rest.Of(worklist.MailList), toMail)
}

func (s *routes) details() {
	rest.Handle(s.Server, access.Viewer, rest.Get("case", "/api/cases/{id}"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) (CaseView, error) {
			return rest.One(toCaseView)(s.Worklist.Case(ctx, in.ID))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("policies", "/api/policies"),
		rest.Plain(s.Worklist.Policies, rest.One(toPolicyList)))
}

func (s *routes) cases() {
	rest.Handle(s.Server, access.Editor, rest.Post("caseAct", "/api/cases/act"),
		func(ctx context.Context, me rest.Account, in *rest.Body[CaseAction]) (CaseDone, error) {
			return rest.One(toCaseDone)(s.Worklist.CaseAct(ctx, fromCaseAction(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("caseCounts", "/api/cases/counts"),
		rest.Plain(s.Worklist.CaseCounts, rest.All(toCaseCount)))
	rest.Handle(s.Server, access.Viewer, rest.Get("caseGroups", "/api/cases/groups"),
		rest.Plain(s.Worklist.CaseGroups, rest.All(toCaseGroup)))
	rest.Handle(s.Server, access.Viewer, rest.Get("caseRules", "/api/case-rules"),
		rest.Plain(s.Worklist.CaseRules, rest.One(toCaseRules)))
	rest.Handle(s.Server, access.Admin,
		huma.Operation{OperationID: "setCaseRules", Method: http.MethodPut, Path: "/api/case-rules"},
		func(ctx context.Context, me rest.Account, in *rest.Body[CaseRules]) (CaseRules, error) {
			return toCaseRules(fromCaseRules(in.Body)), s.Worklist.SetCaseRules(ctx, fromCaseRules(in.Body), me.Name)
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("waves", "/api/waves"),
		rest.Plain(s.Orders.Waves, rest.All(toWaveView)))
	rest.Handle(s.Server, access.Editor, rest.Post("steerWave", "/api/waves/{id}/steer"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				To string `json:"to" enum:"pause,go on,call off"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Orders.SteerWave(ctx, in.ID, in.Body.To, me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("ledger", "/api/ledger"),
		rest.Plain(s.Worklist.Ledger, rest.One(toLedger)))
	s.Router.Post("/api/deployment/outcome", s.WithToken(s.takeOutcome))
}

func (s *routes) stances() {
	type draft struct {
		PolicyDraft
		End int64 `json:"end,omitempty" doc:"in a preview: the number of a policy that would end, instead of setting one"`
	}
	rest.Handle(s.Server, access.Editor, rest.Post("addPolicy", "/api/policies"),
		func(ctx context.Context, me rest.Account, in *rest.Body[PolicyDraft]) (rest.Done, error) {
			return rest.DoneOr(s.Worklist.SetPolicy(ctx, fromPolicyDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("previewPolicy", "/api/policies/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[draft]) (PolicyEffect, error) {
			return rest.One(toPolicyEffect)(
				s.Worklist.PreviewPolicy(ctx, fromPolicyDraft(in.Body.PolicyDraft), in.Body.End))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("endPolicy", "/api/policies/{id}/end"),
		rest.OnRevision(s.Worklist.EndPolicy))
	rest.Handle(s.Server, access.Viewer, rest.Get("stance", "/api/products/{id}/stance"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			Device string `query:"device" required:"true" doc:"device_id"`
		}) (StanceView, error) {
			return rest.One(toStanceView)(s.Worklist.Stance(ctx, in.ID, in.Device))
		})
}

func (s *routes) reclaim() {
	rest.Handle(s.Server, access.Viewer, rest.Get("reclaimRules", "/api/reclaim-rules"),
		rest.Plain(s.Worklist.ReclaimRules, rest.All(toReclaimView)))
	rest.Handle(s.Server, access.Editor, rest.Post("previewReclaim", "/api/reclaim-rules/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[struct {
			ReclaimDraft
			End int64 `json:"end,omitempty" doc:"the number of a rule that would end, instead of setting one"`
		}]) (ReclaimEffect, error) {
			return rest.One(toReclaimEffect)(
				s.Worklist.PreviewReclaim(ctx, fromReclaimDraft(in.Body.ReclaimDraft), in.Body.End))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("putReclaimRule", "/api/reclaim-rules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[ReclaimDraft]) (rest.Done, error) {
			return rest.DoneOr(s.Worklist.PutReclaimRule(ctx, fromReclaimDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("endReclaimRule", "/api/reclaim-rules/{id}/end"),
		rest.OnRevision(s.Worklist.EndReclaimRule))
}

func (s *routes) standing() {
	rest.Handle(s.Server, access.Viewer, rest.Get("standing", "/api/standing"),
		rest.Plain(s.Standing.Decisions, rest.One(toStandingList)))
	rest.Handle(s.Server, access.Editor, rest.Post("previewStanding", "/api/standing/preview"),
		func(ctx context.Context, me rest.Account, in *rest.Body[StandingDraft]) (StandingEffect, error) {
			return rest.One(toStandingEffect)(s.Standing.PreviewStanding(ctx, fromStandingDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("setStanding", "/api/standing"),
		func(ctx context.Context, me rest.Account, in *rest.Body[StandingDraft]) (rest.Done, error) {
			return rest.DoneOr(s.Standing.SetStanding(ctx, fromStandingDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("steerStanding", "/api/standing/{id}/steer"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				Revision int64  `json:"revision" minimum:"0" doc:"that was seen; an older one is refused"`
				To       string `json:"to" enum:"pause,go on,approve,end"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Standing.SteerStanding(ctx, in.ID, in.Body.Revision, in.Body.To, me.Name))
		})
}
