package api

import (
	"context"
	"encoding/json"
	"ensomet/internal/evidence"
	"ensomet/internal/people"
	"ensomet/internal/position"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// baseKey is where a request's own address is kept: mail to users names it.
type baseKey struct{}

// withBase keeps the address under which the program was reached.
func withBase(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		scheme := "http://"
		if r.TLS != nil {
			scheme = "https://"
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), baseKey{}, scheme+r.Host)))
	})
}

func baseOf(ctx context.Context) string {
	base, _ := ctx.Value(baseKey{}).(string)
	return base
}

// worklist has cases, what is done with them, and the money that they come to.
func (s *Server) worklist() {
	handle(s, people.Work, post("caseAct", "/api/cases/act"), func(ctx context.Context, me who, in *body[worklist.CaseAction]) (*body[worklist.CaseDone], error) {
		in.Body.Base = baseOf(ctx)
		done, err := s.app.Worklist.CaseAct(ctx, in.Body, me.Name)
		return &body[worklist.CaseDone]{done}, err
	})
	handle(s, people.Look, get("caseCounts", "/api/cases/counts"), func(ctx context.Context, _ who, _ *none) (*body[[]worklist.CaseCount], error) {
		c, err := s.app.Worklist.CaseCounts(ctx)
		return &body[[]worklist.CaseCount]{c}, err
	})
	handle(s, people.Look, get("caseGroups", "/api/cases/groups"), func(ctx context.Context, _ who, _ *none) (*body[[]worklistdb.CaseGroup], error) {
		g, err := s.app.Worklist.CaseGroups(ctx)
		return &body[[]worklistdb.CaseGroup]{g}, err
	})
	handle(s, people.Look, get("caseRules", "/api/case-rules"), func(ctx context.Context, _ who, _ *none) (*body[worklist.CaseRules], error) {
		r, err := s.app.Worklist.CaseRules(ctx)
		return &body[worklist.CaseRules]{r}, err
	})
	handle(s, people.Run, huma.Operation{OperationID: "setCaseRules", Method: http.MethodPut, Path: "/api/case-rules"}, func(ctx context.Context, me who, in *body[worklist.CaseRules]) (*body[worklist.CaseRules], error) {
		return in, s.app.Worklist.SetCaseRules(ctx, in.Body, me.Name)
	})
	handle(s, people.Look, get("waves", "/api/waves"), func(ctx context.Context, _ who, _ *none) (*body[[]worklist.WaveView], error) {
		w, err := s.app.Worklist.Waves(ctx)
		return &body[[]worklist.WaveView]{w}, err
	})
	handle(s, people.Work, post("steerWave", "/api/waves/{id}/steer"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			To string `json:"to" enum:"pause,go on,call off"`
		}
	}) (*body[Done], error) {
		return done(s.app.Worklist.SteerWave(ctx, in.ID, in.Body.To, me.Name))
	})
	handle(s, people.Look, get("ledgerSums", "/api/ledger"), func(ctx context.Context, _ who, _ *none) (*body[[]worklist.LedgerSum], error) {
		l, err := s.app.Worklist.LedgerSums(ctx)
		return &body[[]worklist.LedgerSum]{l}, err
	})
	handle(s, people.Look, get("waysOut", "/api/products/{id}/ways-out"), func(ctx context.Context, _ who, in *ByID) (*body[[]position.WayOut], error) {
		removals, err := s.app.Worklist.OpenRemovals(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		w, err := s.app.Position.WaysOut(ctx, in.ID, removals)
		return &body[[]position.WayOut]{w}, err
	})
	s.stances()
	s.reclaim()
	s.router.Post("/api/deployment/outcome", s.withToken(s.takeOutcome))
	s.answers()
}

// takeOutcome takes what the deployment tool says of an order. Only a token of a source named deployment may.
func (s *Server) takeOutcome(w http.ResponseWriter, r *http.Request, from evidence.Sender) {
	if from.Source != "deployment" {
		problem(w, huma.Error403Forbidden("Only a token of the source “deployment” may say what became of orders."))
		return
	}
	var o worklist.Outcome
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&o); err != nil {
		problem(w, huma.Error400BadRequest("The outcome is no JSON that can be read: "+err.Error()))
		return
	}
	if err := s.app.Worklist.TakeOutcome(r.Context(), o, "deployment"); err != nil {
		problem(w, fail(err))
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write([]byte("{}\n"))
}

func (s *Server) stances() {
	type draft struct {
		worklist.PolicyDraft
		End int64 `json:"end,omitempty" doc:"in a preview: the number of a policy that would end, instead of setting one"`
	}
	handle(s, people.Work, post("addPolicy", "/api/policies"), func(ctx context.Context, me who, in *body[worklist.PolicyDraft]) (*body[Done], error) {
		return done(s.app.Worklist.SetPolicy(ctx, in.Body, me.Name))
	})
	handle(s, people.Work, post("previewPolicy", "/api/policies/preview"), func(ctx context.Context, _ who, in *body[draft]) (*body[worklist.PolicyEffect], error) {
		e, err := s.app.Worklist.PreviewPolicy(ctx, in.Body.PolicyDraft, in.Body.End)
		return &body[worklist.PolicyEffect]{e}, err
	})
	handle(s, people.Work, post("endPolicy", "/api/policies/{id}/end"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.Worklist.EndPolicy(ctx, in.ID, me.Name))
	})
	handle(s, people.Look, get("stance", "/api/products/{id}/stance"), func(ctx context.Context, _ who, in *struct {
		ByID
		Device string `query:"device" required:"true" doc:"device_id"`
	}) (*body[worklist.StanceView], error) {
		v, err := s.app.Worklist.Stance(ctx, in.ID, in.Device)
		return &body[worklist.StanceView]{v}, err
	})
}

func (s *Server) reclaim() {
	handle(s, people.Look, get("reclaimRules", "/api/reclaim-rules"), func(ctx context.Context, _ who, _ *none) (*body[[]worklist.ReclaimView], error) {
		l, err := s.app.Worklist.ReclaimRules(ctx)
		return &body[[]worklist.ReclaimView]{l}, err
	})
	handle(s, people.Work, post("previewReclaim", "/api/reclaim-rules/preview"), func(ctx context.Context, _ who, in *body[struct {
		worklist.ReclaimDraft
		End int64 `json:"end,omitempty" doc:"the number of a rule that would end, instead of setting one"`
	}]) (*body[worklist.ReclaimEffect], error) {
		e, err := s.app.Worklist.PreviewReclaim(ctx, in.Body.ReclaimDraft, in.Body.End)
		return &body[worklist.ReclaimEffect]{e}, err
	})
	handle(s, people.Work, post("putReclaimRule", "/api/reclaim-rules"), func(ctx context.Context, me who, in *body[worklist.ReclaimDraft]) (*body[Done], error) {
		return done(s.app.Worklist.PutReclaimRule(ctx, in.Body, me.Name))
	})
	handle(s, people.Work, post("endReclaimRule", "/api/reclaim-rules/{id}/end"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.Worklist.EndReclaimRule(ctx, in.ID, me.Name))
	})
}
