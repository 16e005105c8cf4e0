// Package samehttp has the routes of what may be one machine under several names.
package samehttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/evidence/same"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
)

// Register registers the routes.
func Register(s *rest.Server, svc *same.Service) {
	rest.Handle(s, access.Viewer, rest.Get("samePairs", "/api/same"),
		rest.Plain(svc.Pairs, rest.One(toSameList)))
	rest.Handle(s, access.Viewer, rest.Get("sameActs", "/api/same/acts"),
		rest.Plain(svc.Acts, rest.All(toSameAct)))
	rest.Handle(s, access.Viewer, rest.Get("deviceNames", "/api/devices/{code}/names"),
		func(ctx context.Context, _ rest.Account, in *rest.ByCode) (DeviceNames, error) {
			return rest.One(toDeviceNames)(svc.Names(ctx, in.Code))
		})
	rest.Handle(s, access.Editor, rest.Post("previewSame", "/api/same/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[SameDraft]) (SameEffect, error) {
			return rest.One(toSameEffect)(svc.Preview(ctx, fromSameDraft(in.Body)))
		})
	rest.Handle(s, access.Editor, rest.Post("decideSame", "/api/same"),
		func(ctx context.Context, me rest.Account, in *rest.Body[SameDraft]) (SameEffect, error) {
			return rest.One(toSameEffect)(svc.Decide(ctx, fromSameDraft(in.Body), me.Name))
		})
	rest.Handle(s, access.Editor, rest.Post("takeBackSame", "/api/same/acts/{id}/take-back"),
		rest.OnID(svc.TakeBack))
	rest.Handle(s, access.Viewer, rest.Get("joinRules", "/api/same/rules"),
		rest.Plain(svc.JoinRules, rest.One(toJoinRules)))
	rest.Handle(s, access.Editor,
		huma.Operation{OperationID: "setJoinRules", Method: http.MethodPut, Path: "/api/same/rules"},
		func(ctx context.Context, me rest.Account, in *rest.Body[JoinRules]) (JoinRules, error) {
			if err := svc.SetJoinRules(ctx, fromJoinRules(in.Body), me.Name); err != nil {
				return JoinRules{}, err
			}
			return rest.One(toJoinRules)(svc.JoinRules(ctx))
		})
}
