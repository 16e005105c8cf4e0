package api

import (
	"context"
	"net/http"

	"ensomet/internal/app"
	"ensomet/internal/core/civil"
	"ensomet/internal/store"

	"github.com/danielgtaylor/huma/v2"
)

func get(id, path string) huma.Operation {
	return huma.Operation{OperationID: id, Method: http.MethodGet, Path: path}
}

func (s *Server) views() {
	handle(s, app.Look, get("status", "/api/status"), func(ctx context.Context, _ who, _ *struct{}) (*body[app.RefreshStatus], error) {
		return &body[app.RefreshStatus]{s.app.Status()}, nil
	})
	handle(s, app.Look, get("course", "/api/course"), func(ctx context.Context, _ who, _ *struct{}) (*body[app.CourseView], error) {
		c, err := s.app.Course(ctx)
		return &body[app.CourseView]{c}, err
	})
	handle(s, app.Look, get("find", "/api/find"), func(ctx context.Context, _ who, in *struct {
		Text string `query:"q" minLength:"1"`
	}) (*body[[]store.Hit], error) {
		hits, err := s.app.Find(ctx, in.Text)
		return &body[[]store.Hit]{hits}, err
	})
	handle(s, app.Look, get("device", "/api/devices/{code}"), func(ctx context.Context, _ who, in *struct {
		Code string `path:"code"`
	}) (*body[app.DeviceView], error) {
		d, err := s.app.Device(ctx, in.Code)
		return &body[app.DeviceView]{d}, err
	})
	handle(s, app.Look, get("name", "/api/names/one"), func(ctx context.Context, _ who, in *struct {
		Key string `query:"key"`
	}) (*body[app.NameView], error) {
		n, err := s.app.Name(ctx, in.Key)
		return &body[app.NameView]{n}, err
	})
	handle(s, app.Look, get("record", "/api/records/{id}"), func(ctx context.Context, _ who, in *struct {
		ID     int64 `path:"id"`
		Device int64 `query:"device"`
	}) (*body[app.RecordTrace], error) {
		r, err := s.app.Record(ctx, in.ID, in.Device)
		return &body[app.RecordTrace]{r}, err
	})
	handle(s, app.Look, get("product", "/api/products/{id}"), func(ctx context.Context, _ who, in *struct {
		ID int64 `path:"id"`
	}) (*body[app.ProductView], error) {
		p, err := s.app.Product(ctx, in.ID)
		return &body[app.ProductView]{p}, err
	})
	handle(s, app.Look, get("position", "/api/products/{id}/position"), func(ctx context.Context, _ who, in *struct {
		ID   int64  `path:"id"`
		AsOf string `query:"asOf"`
	}) (*body[app.ProductPosition], error) {
		day, err := civil.Parse(in.AsOf)
		if err != nil {
			return nil, err
		}
		p, err := s.app.ProductPosition(ctx, in.ID, day)
		return &body[app.ProductPosition]{p}, err
	})
	handle(s, app.Look, get("units", "/api/products/{id}/units"), func(ctx context.Context, _ who, in *struct {
		ID    int64  `path:"id"`
		Group string `query:"group"`
		AsOf  string `query:"asOf"`
		Limit int    `query:"limit" default:"500" minimum:"1" maximum:"100000"`
	}) (*body[[]app.UnitView], error) {
		day, err := civil.Parse(in.AsOf)
		if err != nil {
			return nil, err
		}
		u, err := s.app.Units(ctx, in.ID, in.Group, day, in.Limit)
		return &body[[]app.UnitView]{u}, err
	})
	handle(s, app.Look, get("case", "/api/cases/{id}"), func(ctx context.Context, _ who, in *struct {
		ID int64 `path:"id"`
	}) (*body[app.CaseView], error) {
		c, err := s.app.Case(ctx, in.ID)
		return &body[app.CaseView]{c}, err
	})
	handle(s, app.Look, get("policies", "/api/policies"), func(ctx context.Context, _ who, _ *struct{}) (*body[app.PolicyList], error) {
		p, err := s.app.Policies(ctx)
		return &body[app.PolicyList]{p}, err
	})
	handle(s, app.Look, get("rules", "/api/rules"), func(ctx context.Context, _ who, _ *struct{}) (*body[app.Rules], error) {
		r, err := s.app.Rules(ctx)
		return &body[app.Rules]{r}, err
	})
	handle(s, app.Look, get("importKinds", "/api/import-kinds"), func(context.Context, who, *none) (*body[[]string], error) {
		return &body[[]string]{app.ImportKinds()}, nil
	})
	handle(s, app.Look, get("imports", "/api/imports"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]app.ImportView], error) {
		p, err := s.app.Imports(ctx)
		return &body[[]app.ImportView]{p}, err
	})
}
