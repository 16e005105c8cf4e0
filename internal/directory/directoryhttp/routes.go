// Package directoryhttp has the routes of the people of the house.
package directoryhttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/directory"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
)

type byKey struct {
	Code string `path:"code" doc:"the user_id, or the name that evidence has"`
}

// Register registers the routes of people.
func Register(s *rest.Server, svc *directory.Service, reader *directory.Reader) {
	directories(s, reader)
	rest.List(s, "people", rest.Of(directory.List), toPersonRow)
	rest.Handle(s, access.Viewer, rest.Get("person", "/api/people/{code}"),
		func(ctx context.Context, _ rest.Account, in *byKey) (Person, error) {
			return rest.One(toPerson)(svc.Person(ctx, in.Code))
		})
	rest.Handle(s, access.Editor,
		huma.Operation{OperationID: "markAccount", Method: http.MethodPut, Path: "/api/people/{code}/mark"},
		func(ctx context.Context, me rest.Account, in *struct {
			Code string `path:"code"`
			Body AccountMark
		}) (Person, error) {
			if err := svc.SetMark(ctx, in.Code, fromAccountMark(in.Body), me.Name); err != nil {
				return Person{}, err
			}
			return rest.One(toPerson)(svc.Person(ctx, in.Code))
		})
	rest.Handle(s, access.Viewer, rest.Get("alikePeople", "/api/alike"), rest.Plain(svc.Alike, rest.One(toAlike)))
	rest.Handle(
		s,
		access.Viewer,
		rest.Get("alikeActs", "/api/alike/acts"),
		rest.Plain(svc.Acts, rest.All(toAlikeAct)),
	)
	rest.Handle(s, access.Editor, rest.Post("previewAlike", "/api/alike/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[AlikeDraft]) (AlikeEffect, error) {
			return rest.One(toAlikeEffect)(svc.Preview(ctx, fromAlikeDraft(in.Body)))
		})
	rest.Handle(s, access.Editor, rest.Post("decideAlike", "/api/alike"),
		func(ctx context.Context, me rest.Account, in *rest.Body[AlikeDraft]) (AlikeEffect, error) {
			return rest.One(toAlikeEffect)(svc.Decide(ctx, fromAlikeDraft(in.Body), me.Name))
		})
	rest.Handle(
		s,
		access.Editor,
		rest.Post("takeBackAlike", "/api/alike/acts/{id}/take-back"),
		rest.OnID(svc.TakeBack),
	)
	rest.Handle(
		s,
		access.Viewer,
		rest.Get("alikeRules", "/api/alike/rules"),
		rest.Plain(svc.Rules, rest.One(toAlikeRules)),
	)
	rest.Handle(s, access.Editor,
		huma.Operation{OperationID: "setAlikeRules", Method: http.MethodPut, Path: "/api/alike/rules"},
		func(ctx context.Context, me rest.Account, in *rest.Body[AlikeRules]) (AlikeRules, error) {
			if err := svc.SetRules(ctx, fromAlikeRules(in.Body), me.Name); err != nil {
				return AlikeRules{}, err
			}
			return rest.One(toAlikeRules)(svc.Rules(ctx))
		})
}
