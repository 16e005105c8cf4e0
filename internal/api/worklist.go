package api

import (
	"context"
	"encoding/json"
	"net/http"

	"ensomet/internal/app"
	"ensomet/internal/store"

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
	handle(s, app.Work, post("caseAct", "/api/cases/act"), func(ctx context.Context, me who, in *body[app.CaseDeed]) (*body[app.CaseDone], error) {
		in.Body.Base = baseOf(ctx)
		done, err := s.app.CaseAct(ctx, in.Body, me.Name)
		return &body[app.CaseDone]{done}, err
	})
	handle(s, app.Look, get("caseCounts", "/api/cases/counts"), func(ctx context.Context, _ who, _ *none) (*body[[]app.CaseCount], error) {
		c, err := s.app.CaseCounts(ctx)
		return &body[[]app.CaseCount]{c}, err
	})
	handle(s, app.Look, get("caseGroups", "/api/cases/groups"), func(ctx context.Context, _ who, _ *none) (*body[[]store.CaseGroup], error) {
		g, err := s.app.CaseGroups(ctx)
		return &body[[]store.CaseGroup]{g}, err
	})
	handle(s, app.Look, get("caseRules", "/api/case-rules"), func(ctx context.Context, _ who, _ *none) (*body[app.CaseRules], error) {
		r, err := s.app.CaseRules(ctx)
		return &body[app.CaseRules]{r}, err
	})
	handle(s, app.Run, huma.Operation{OperationID: "setCaseRules", Method: http.MethodPut, Path: "/api/case-rules"}, func(ctx context.Context, me who, in *body[app.CaseRules]) (*body[app.CaseRules], error) {
		return in, s.app.SetCaseRules(ctx, in.Body, me.Name)
	})
	handle(s, app.Look, get("waves", "/api/waves"), func(ctx context.Context, _ who, _ *none) (*body[[]app.WaveView], error) {
		w, err := s.app.Waves(ctx)
		return &body[[]app.WaveView]{w}, err
	})
	handle(s, app.Work, post("steerWave", "/api/waves/{id}/steer"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			To string `json:"to" enum:"pause,go on,call off"`
		}
	}) (*body[Done], error) {
		return done(s.app.SteerWave(ctx, in.ID, in.Body.To, me.Name))
	})
	handle(s, app.Look, get("ledgerSums", "/api/ledger"), func(ctx context.Context, _ who, _ *none) (*body[[]app.LedgerSum], error) {
		l, err := s.app.LedgerSums(ctx)
		return &body[[]app.LedgerSum]{l}, err
	})
	handle(s, app.Look, get("waysOut", "/api/products/{id}/ways-out"), func(ctx context.Context, _ who, in *ByID) (*body[[]app.WayOut], error) {
		removals, err := s.app.OpenRemovals(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		w, err := s.app.WaysOut(ctx, in.ID, removals)
		return &body[[]app.WayOut]{w}, err
	})
	s.stances()
	s.reclaim()
	s.router.Post("/api/deployment/outcome", s.withToken(s.takeOutcome))
	s.answers()
}

// takeOutcome takes what the deployment tool says of an order. Only a token of a source named deployment may.
func (s *Server) takeOutcome(w http.ResponseWriter, r *http.Request, from app.Sender) {
	if from.Source != "deployment" {
		problem(w, huma.Error403Forbidden("Only a token of the source “deployment” may say what became of orders."))
		return
	}
	var o app.Outcome
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&o); err != nil {
		problem(w, huma.Error400BadRequest("The outcome is no JSON that can be read: "+err.Error()))
		return
	}
	if err := s.app.TakeOutcome(r.Context(), o, "deployment"); err != nil {
		problem(w, fail(err))
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write([]byte("{}\n"))
}

func (s *Server) stances() {
	type draft struct {
		app.PolicyDraft
		End int64 `json:"end,omitempty" doc:"in a preview: the number of a policy that would end, instead of setting one"`
	}
	handle(s, app.Work, post("addPolicy", "/api/policies"), func(ctx context.Context, me who, in *body[app.PolicyDraft]) (*body[Done], error) {
		return done(s.app.SetPolicy(ctx, in.Body, me.Name))
	})
	handle(s, app.Work, post("previewPolicy", "/api/policies/preview"), func(ctx context.Context, _ who, in *body[draft]) (*body[app.PolicyEffect], error) {
		e, err := s.app.PreviewPolicy(ctx, in.Body.PolicyDraft, in.Body.End)
		return &body[app.PolicyEffect]{e}, err
	})
	handle(s, app.Work, post("endPolicy", "/api/policies/{id}/end"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.EndPolicy(ctx, in.ID, me.Name))
	})
	handle(s, app.Look, get("stance", "/api/products/{id}/stance"), func(ctx context.Context, _ who, in *struct {
		ByID
		Device string `query:"device" required:"true" doc:"device_id"`
	}) (*body[app.StanceView], error) {
		v, err := s.app.Stance(ctx, in.ID, in.Device)
		return &body[app.StanceView]{v}, err
	})
}

func (s *Server) reclaim() {
	handle(s, app.Look, get("reclaimRules", "/api/reclaim-rules"), func(ctx context.Context, _ who, _ *none) (*body[[]app.ReclaimView], error) {
		l, err := s.app.ReclaimRules(ctx)
		return &body[[]app.ReclaimView]{l}, err
	})
	handle(s, app.Work, post("previewReclaim", "/api/reclaim-rules/preview"), func(ctx context.Context, _ who, in *body[struct {
		app.ReclaimDraft
		End int64 `json:"end,omitempty" doc:"the number of a rule that would end, instead of setting one"`
	}]) (*body[app.ReclaimEffect], error) {
		e, err := s.app.PreviewReclaim(ctx, in.Body.ReclaimDraft, in.Body.End)
		return &body[app.ReclaimEffect]{e}, err
	})
	handle(s, app.Work, post("putReclaimRule", "/api/reclaim-rules"), func(ctx context.Context, me who, in *body[app.ReclaimDraft]) (*body[Done], error) {
		return done(s.app.PutReclaimRule(ctx, in.Body, me.Name))
	})
	handle(s, app.Work, post("endReclaimRule", "/api/reclaim-rules/{id}/end"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.EndReclaimRule(ctx, in.ID, me.Name))
	})
}
