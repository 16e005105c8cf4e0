package api

import (
	"context"
	"ensomet/internal/evidence"
	"ensomet/internal/people"
	"ensomet/internal/titles"
)

// naming has what people do with names: undo, set aside, sign off, rules, and leaving installs out of the count.
func (s *Server) naming() {
	handle(s, people.Look, get("queue", "/api/names/queue"), func(ctx context.Context, me who, _ *struct{}) (*body[titles.Queue], error) {
		q, err := s.app.Titles.Queue(ctx, me.Name)
		return &body[titles.Queue]{q}, err
	})
	handle(s, people.Work, post("undo", "/api/names/undo"), func(ctx context.Context, me who, _ *struct{}) (*body[titles.Undone], error) {
		u, err := s.app.Titles.Undo(ctx, me.Name)
		return &body[titles.Undone]{u}, err
	})
	handle(s, people.Work, post("setAside", "/api/names/later"), func(ctx context.Context, me who, in *body[struct {
		Keys []string `json:"keys" minItems:"1" maxItems:"500"`
		Days int      `json:"days" minimum:"1" maximum:"400"`
	}]) (*body[Done], error) {
		_, err := s.app.Titles.SetAside(ctx, in.Body.Keys, in.Body.Days, me.Name)
		return &body[Done]{Done{len(in.Body.Keys)}}, err
	})
	handle(s, people.Look, get("naming", "/api/names/settings"), func(ctx context.Context, _ who, _ *struct{}) (*body[titles.NamingSettings], error) {
		n, err := s.app.Titles.Naming(ctx)
		return &body[titles.NamingSettings]{n}, err
	})
	handle(s, people.Run, post("setNaming", "/api/names/settings"), func(ctx context.Context, me who, in *body[titles.NamingSettings]) (*body[Done], error) {
		err := s.app.Titles.SetNaming(ctx, in.Body, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, people.Look, get("unsigned", "/api/unsigned"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]titles.Unsigned], error) {
		list, err := s.app.Titles.Unsigned(ctx)
		return &body[[]titles.Unsigned]{list}, err
	})
	handle(s, people.Work, post("sign", "/api/unsigned/sign"), func(ctx context.Context, me who, in *body[struct {
		Kind   string `json:"kind" enum:"name,rule,leave_out"`
		ID     int64  `json:"id"`
		Agreed bool   `json:"agreed"`
	}]) (*body[Done], error) {
		err := s.app.Titles.Sign(ctx, in.Body.Kind, in.Body.ID, in.Body.Agreed, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, people.Look, get("recordFields", "/api/name-rules/fields"), func(context.Context, who, *struct{}) (*body[evidence.ConditionFields], error) {
		return &body[evidence.ConditionFields]{s.app.Evidence.RecordFields()}, nil
	})
	handle(s, people.Look, get("nameRules", "/api/name-rules"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]titles.RuleView], error) {
		list, err := s.app.Titles.NameRules(ctx)
		return &body[[]titles.RuleView]{list}, err
	})
	handle(s, people.Work, post("previewRule", "/api/name-rules/preview"), func(ctx context.Context, me who, in *body[titles.RuleDraft]) (*body[titles.Effect], error) {
		e, err := s.app.Titles.PreviewRule(ctx, in.Body, me.Name)
		return &body[titles.Effect]{e}, err
	})
	handle(s, people.Work, post("putRule", "/api/name-rules"), func(ctx context.Context, me who, in *body[titles.RuleDraft]) (*body[titles.Effect], error) {
		e, err := s.app.Titles.PutRule(ctx, in.Body, me.Name)
		return &body[titles.Effect]{e}, err
	})
	handle(s, people.Work, post("changeRule", "/api/name-rules/change"), func(ctx context.Context, me who, in *body[titles.RuleChange]) (*body[Done], error) {
		err := s.app.Titles.ChangeRule(ctx, in.Body, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, people.Work, post("putSuite", "/api/suites"), func(ctx context.Context, me who, in *body[titles.SuiteDraft]) (*body[Made], error) {
		id, err := s.app.Titles.PutSuite(ctx, in.Body, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, people.Work, post("dropSuite", "/api/suites/{id}/drop"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		err := s.app.Titles.DropSuite(ctx, in.ID, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, people.Work, post("previewLeaving", "/api/left-out/preview"), func(ctx context.Context, me who, in *body[titles.Leaving]) (*body[titles.Effect], error) {
		e, err := s.app.Titles.PreviewLeaving(ctx, in.Body, me.Name)
		return &body[titles.Effect]{e}, err
	})
	handle(s, people.Work, post("leave", "/api/left-out"), func(ctx context.Context, me who, in *body[titles.Leaving]) (*body[titles.Effect], error) {
		e, err := s.app.Titles.Leave(ctx, in.Body, me.Name)
		return &body[titles.Effect]{e}, err
	})
}
