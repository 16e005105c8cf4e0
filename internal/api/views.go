package api

import (
	"context"
	"ensomet/internal/evidence"
	"ensomet/internal/people"
	"ensomet/internal/position"
	"ensomet/internal/renewal"
	"ensomet/internal/reports"
	"ensomet/internal/reports/reportsdb"
	"ensomet/internal/titles"
	"ensomet/internal/worklist"
	"net/http"

	"ensomet/internal/core/civil"

	"github.com/danielgtaylor/huma/v2"
)

func get(id, path string) huma.Operation {
	return huma.Operation{OperationID: id, Method: http.MethodGet, Path: path}
}

func (s *Server) views() {
	handle(s, people.Look, get("status", "/api/status"), func(ctx context.Context, _ who, _ *struct{}) (*body[renewal.RefreshStatus], error) {
		return &body[renewal.RefreshStatus]{s.app.Renewal.Status()}, nil
	})
	handle(s, people.Look, get("course", "/api/course"), func(ctx context.Context, _ who, _ *struct{}) (*body[reports.CourseView], error) {
		c, err := s.app.Reports.Course(ctx)
		return &body[reports.CourseView]{c}, err
	})
	handle(s, people.Look, get("find", "/api/find"), func(ctx context.Context, _ who, in *struct {
		Text string `query:"q" minLength:"1"`
	}) (*body[[]reportsdb.Hit], error) {
		hits, err := s.app.Reports.Find(ctx, in.Text)
		return &body[[]reportsdb.Hit]{hits}, err
	})
	handle(s, people.Look, get("device", "/api/devices/{code}"), func(ctx context.Context, _ who, in *struct {
		Code string `path:"code"`
	}) (*body[evidence.DeviceView], error) {
		d, err := s.app.Evidence.Device(ctx, in.Code)
		return &body[evidence.DeviceView]{d}, err
	})
	handle(s, people.Look, get("name", "/api/names/one"), func(ctx context.Context, _ who, in *struct {
		Key string `query:"key"`
	}) (*body[titles.NameView], error) {
		n, err := s.app.Titles.Name(ctx, in.Key)
		return &body[titles.NameView]{n}, err
	})
	handle(s, people.Look, get("record", "/api/records/{id}"), func(ctx context.Context, _ who, in *struct {
		ID     int64 `path:"id"`
		Device int64 `query:"device"`
	}) (*body[titles.RecordTrace], error) {
		r, err := s.app.Titles.Record(ctx, in.ID, in.Device)
		return &body[titles.RecordTrace]{r}, err
	})
	handle(s, people.Look, get("product", "/api/products/{id}"), func(ctx context.Context, _ who, in *struct {
		ID int64 `path:"id"`
	}) (*body[titles.ProductView], error) {
		p, err := s.app.Titles.Product(ctx, in.ID)
		return &body[titles.ProductView]{p}, err
	})
	handle(s, people.Look, get("position", "/api/products/{id}/position"), func(ctx context.Context, _ who, in *struct {
		ID   int64  `path:"id"`
		AsOf string `query:"asOf"`
	}) (*body[position.ProductPosition], error) {
		day, err := civil.Parse(in.AsOf)
		if err != nil {
			return nil, err
		}
		p, err := s.app.Position.ProductPosition(ctx, in.ID, day)
		return &body[position.ProductPosition]{p}, err
	})
	handle(s, people.Look, get("units", "/api/products/{id}/units"), func(ctx context.Context, _ who, in *struct {
		ID    int64  `path:"id"`
		Group string `query:"group"`
		AsOf  string `query:"asOf"`
		Limit int    `query:"limit" default:"500" minimum:"1" maximum:"100000"`
	}) (*body[[]position.UnitView], error) {
		day, err := civil.Parse(in.AsOf)
		if err != nil {
			return nil, err
		}
		u, err := s.app.Position.Units(ctx, in.ID, in.Group, day, in.Limit)
		return &body[[]position.UnitView]{u}, err
	})
	handle(s, people.Look, get("case", "/api/cases/{id}"), func(ctx context.Context, _ who, in *struct {
		ID int64 `path:"id"`
	}) (*body[worklist.CaseView], error) {
		c, err := s.app.Worklist.Case(ctx, in.ID)
		return &body[worklist.CaseView]{c}, err
	})
	handle(s, people.Look, get("policies", "/api/policies"), func(ctx context.Context, _ who, _ *struct{}) (*body[worklist.PolicyList], error) {
		p, err := s.app.Worklist.Policies(ctx)
		return &body[worklist.PolicyList]{p}, err
	})
	handle(s, people.Look, get("rules", "/api/rules"), func(ctx context.Context, _ who, _ *struct{}) (*body[evidence.Rules], error) {
		r, err := s.app.Evidence.Rules(ctx)
		return &body[evidence.Rules]{r}, err
	})
	handle(s, people.Look, get("importKinds", "/api/import-kinds"), func(context.Context, who, *none) (*body[[]string], error) {
		return &body[[]string]{evidence.ImportKinds()}, nil
	})
	handle(s, people.Look, get("imports", "/api/imports"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]reports.ImportView], error) {
		p, err := s.app.Reports.Imports(ctx)
		return &body[[]reports.ImportView]{p}, err
	})
}
