package api

import (
	"context"
	"ensomet/internal/evidence"
	"ensomet/internal/intake"
	"ensomet/internal/people"
	"ensomet/internal/titles"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

func post(id, path string) huma.Operation {
	return huma.Operation{OperationID: id, Method: http.MethodPost, Path: path}
}

// Done says how much was done.
type Done struct {
	Count int `json:"count"`
}

func (s *Server) changes() {
	handle(s, people.Work, post("previewDecision", "/api/names/preview"), func(ctx context.Context, me who, in *body[titles.NameDecision]) (*body[titles.Effect], error) {
		e, err := s.app.Titles.PreviewDecision(ctx, in.Body, me.Name)
		return &body[titles.Effect]{e}, err
	})
	handle(s, people.Work, post("decide", "/api/names/decide"), func(ctx context.Context, me who, in *body[titles.NameDecision]) (*body[titles.Effect], error) {
		e, err := s.app.Titles.Decide(ctx, in.Body, me.Name)
		return &body[titles.Effect]{e}, err
	})
	handle(s, people.Work, post("withdraw", "/api/names/withdraw"), func(ctx context.Context, me who, in *body[struct {
		Key string `json:"key"`
	}]) (*body[Done], error) {
		err := s.app.Titles.Withdraw(ctx, in.Body.Key, me.Name)
		return &body[Done]{Done{1}}, err
	})
	s.naming()
	s.catalogue()
	handle(s, people.Work, post("addTitle", "/api/titles"), func(ctx context.Context, me who, in *body[titles.NewTitle]) (*body[struct {
		Product int64 `json:"product"`
	}], error) {
		id, err := s.app.Titles.AddTitle(ctx, in.Body, me.Name)
		out := &body[struct {
			Product int64 `json:"product"`
		}]{}
		out.Body.Product = id
		return out, err
	})
	handle(s, people.Work, post("bookEntitlement", "/api/entitlements"), func(ctx context.Context, me who, in *body[map[string]string]) (*body[intake.ImportResult], error) {
		res, err := s.app.Evidence.Book(ctx, "entitlements", in.Body, me.Name)
		return &body[intake.ImportResult]{res}, err
	})
	handle(s, people.Work, huma.Operation{OperationID: "setRules", Method: http.MethodPut, Path: "/api/rules"}, func(ctx context.Context, me who, in *body[evidence.Rules]) (*body[evidence.Rules], error) {
		err := s.app.Evidence.SetRules(ctx, in.Body, me.Name)
		return &body[evidence.Rules]{in.Body}, err
	})
	handle(s, people.Run, post("mend", "/api/asides/{id}/mend"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			Content string `json:"content"`
		}
	}) (*body[Done], error) {
		err := s.app.Evidence.Mend(ctx, in.ID, in.Body.Content, me.Name)
		return &body[Done]{Done{1}}, err
	})
	handle(s, people.Run, post("drop", "/api/asides/{id}/drop"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Evidence.Drop(ctx, in.ID, me.Name)
	})
	handle(s, people.Run, post("retry", "/api/asides/retry"), func(ctx context.Context, me who, _ *struct{}) (*body[Done], error) {
		n, err := s.app.Evidence.Retry(ctx, me.Name)
		return &body[Done]{Done{n}}, err
	})
	handle(s, people.Work, get("demoLetters", "/api/demo/letters"), func(context.Context, who, *none) (*body[[]DemoLetter], error) {
		out := []DemoLetter{}
		if s.mover != nil {
			out = append(out, s.mover.Post()...)
		}
		return &body[[]DemoLetter]{out}, nil
	})
	handle(s, people.Work, post("moveOn", "/api/demo/move-on"), func(ctx context.Context, me who, in *body[struct {
		Days int `json:"days"`
	}]) (*body[Done], error) {
		if s.mover == nil {
			return nil, huma.Error404NotFound("The clock can be moved on in a demo alone.")
		}
		n, err := s.mover.MoveOn(ctx, s.app, in.Body.Days)
		return &body[Done]{Done{n}}, err
	})
}
