package api

import (
	"context"

	"ensomet/internal/app"
)

// naming has what people do with names: undo, set aside, sign off, rules, and leaving installs out of the count.
func (s *Server) naming() {
	handle(s, app.Look, get("queue", "/api/names/queue"), func(ctx context.Context, me who, _ *struct{}) (*body[app.Queue], error) {
		q, err := s.app.Queue(ctx, me.Name)
		return &body[app.Queue]{q}, err
	})
	handle(s, app.Work, post("undo", "/api/names/undo"), func(ctx context.Context, me who, _ *struct{}) (*body[app.Undone], error) {
		u, err := s.app.Undo(ctx, me.Name)
		return &body[app.Undone]{u}, err
	})
	handle(s, app.Work, post("setAside", "/api/names/later"), func(ctx context.Context, me who, in *body[struct {
		Keys []string `json:"keys" minItems:"1" maxItems:"500"`
		Days int      `json:"days" minimum:"1" maximum:"400"`
	}]) (*body[Done], error) {
		_, err := s.app.SetAside(ctx, in.Body.Keys, in.Body.Days, me.Name)
		return &body[Done]{Done{len(in.Body.Keys)}}, err
	})
	handle(s, app.Look, get("naming", "/api/names/settings"), func(ctx context.Context, _ who, _ *struct{}) (*body[app.NamingSettings], error) {
		n, err := s.app.Naming(ctx)
		return &body[app.NamingSettings]{n}, err
	})
	handle(s, app.Run, post("setNaming", "/api/names/settings"), func(ctx context.Context, me who, in *body[app.NamingSettings]) (*body[Done], error) {
		err := s.app.SetNaming(ctx, in.Body, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, app.Look, get("unsigned", "/api/unsigned"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]app.Unsigned], error) {
		list, err := s.app.Unsigned(ctx)
		return &body[[]app.Unsigned]{list}, err
	})
	handle(s, app.Work, post("sign", "/api/unsigned/sign"), func(ctx context.Context, me who, in *body[struct {
		Kind   string `json:"kind" enum:"name,rule,leave_out"`
		ID     int64  `json:"id"`
		Agreed bool   `json:"agreed"`
	}]) (*body[Done], error) {
		err := s.app.Sign(ctx, in.Body.Kind, in.Body.ID, in.Body.Agreed, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, app.Look, get("recordFields", "/api/name-rules/fields"), func(context.Context, who, *struct{}) (*body[app.ConditionFields], error) {
		return &body[app.ConditionFields]{s.app.RecordFields()}, nil
	})
	handle(s, app.Look, get("nameRules", "/api/name-rules"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]app.RuleView], error) {
		list, err := s.app.NameRules(ctx)
		return &body[[]app.RuleView]{list}, err
	})
	handle(s, app.Work, post("previewRule", "/api/name-rules/preview"), func(ctx context.Context, me who, in *body[app.RuleDraft]) (*body[app.Effect], error) {
		e, err := s.app.PreviewRule(ctx, in.Body, me.Name)
		return &body[app.Effect]{e}, err
	})
	handle(s, app.Work, post("putRule", "/api/name-rules"), func(ctx context.Context, me who, in *body[app.RuleDraft]) (*body[app.Effect], error) {
		e, err := s.app.PutRule(ctx, in.Body, me.Name)
		return &body[app.Effect]{e}, err
	})
	handle(s, app.Work, post("changeRule", "/api/name-rules/change"), func(ctx context.Context, me who, in *body[app.RuleChange]) (*body[Done], error) {
		err := s.app.ChangeRule(ctx, in.Body, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, app.Work, post("putSuite", "/api/suites"), func(ctx context.Context, me who, in *body[app.SuiteDraft]) (*body[Made], error) {
		id, err := s.app.PutSuite(ctx, in.Body, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, app.Work, post("dropSuite", "/api/suites/{id}/drop"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		err := s.app.DropSuite(ctx, in.ID, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, app.Work, post("previewLeaving", "/api/left-out/preview"), func(ctx context.Context, me who, in *body[app.Leaving]) (*body[app.Effect], error) {
		e, err := s.app.PreviewLeaving(ctx, in.Body, me.Name)
		return &body[app.Effect]{e}, err
	})
	handle(s, app.Work, post("leave", "/api/left-out"), func(ctx context.Context, me who, in *body[app.Leaving]) (*body[app.Effect], error) {
		e, err := s.app.Leave(ctx, in.Body, me.Name)
		return &body[app.Effect]{e}, err
	})
}
