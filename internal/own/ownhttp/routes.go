// Package ownhttp has the routes of the house's own fields.
package ownhttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/own"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
)

// OwnName is a field that things of a kind have.
type OwnName struct {
	Name   string   `json:"name"`
	Values []string `json:"values" doc:"the most common first; none where there are very many"`
}

func toOwnName(v own.Named) OwnName { return OwnName{Name: v.Name, Values: v.Values} }

// OwnField is a field of one thing.
type OwnField struct {
	Name   string `json:"name"`
	Value  string `json:"value"`
	Said   string `json:"said" doc:"what files say; empty for nothing"`
	Author string `json:"author" doc:"who said it by hand; empty where files alone say it"`
	Reason string `json:"reason"`
	At     int64  `json:"at" unit:"unix"`
}

func toOwnField(v own.Field) OwnField {
	return OwnField{Name: v.Name, Value: v.Value, Said: v.Said, Author: v.Author, Reason: v.Reason, At: v.At}
}

// OwnFieldsOf are the fields of one thing.
type OwnFieldsOf struct {
	Fields   []OwnField `json:"fields"`
	Revision int64      `json:"revision"`
}

func toOwnFieldsOf(v own.Fields) OwnFieldsOf {
	return OwnFieldsOf{Fields: rest.Each(v.Fields, toOwnField), Revision: v.Revision}
}

// OwnDraft is what somebody says of a field.
type OwnDraft struct {
	Field    string `json:"field"`
	Value    string `json:"value" doc:"empty: it has none, whatever files say"`
	Drop     bool   `json:"drop" doc:"what files say holds again"`
	Reason   string `json:"reason"`
	Revision int64  `json:"revision"`
}

// ByKind names a kind of things in the path.
type ByKind struct {
	Kind string `path:"of" enum:"person,title,line,contract"`
}

// ByThing names a thing in the path.
type ByThing struct {
	ByKind
	Thing string `path:"thing" doc:"a user_id, the number of a title, an entitlement_id, or the number of a contract"`
}

// Register registers the routes.
func Register(s *rest.Server, svc *own.Service) {
	rest.Handle(s, access.Viewer, rest.Get("ownNames", "/api/own-fields/{of}"),
		func(ctx context.Context, _ rest.Account, in *ByKind) ([]OwnName, error) {
			return rest.All(toOwnName)(svc.Names(ctx, own.Kind(in.Kind)))
		})
	rest.Handle(s, access.Viewer, rest.Get("ownFields", "/api/own-fields/{of}/{thing}"),
		func(ctx context.Context, _ rest.Account, in *ByThing) (OwnFieldsOf, error) {
			return rest.One(toOwnFieldsOf)(svc.Of(ctx, own.Kind(in.Kind), in.Thing))
		})
	rest.Handle(s, access.Editor,
		huma.Operation{OperationID: "sayOwnField", Method: http.MethodPut, Path: "/api/own-fields/{of}/{thing}"},
		func(ctx context.Context, me rest.Account, in *struct {
			ByThing
			Body OwnDraft
		}) (OwnFieldsOf, error) {
			return rest.One(toOwnFieldsOf)(svc.Say(ctx, own.Draft{Kind: own.Kind(in.Kind), Thing: in.Thing,
				Field: in.Body.Field, Value: in.Body.Value, Drop: in.Body.Drop, Reason: in.Body.Reason,
				Revision: in.Body.Revision}, me.Name))
		})
}
