package api

import (
	"context"
	"ensomet/internal/people"
	"ensomet/internal/use"
	"ensomet/internal/use/usedb"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// OfPool names a pool, and how many days up to today are looked at.
type OfPool struct {
	ByID
	Days  int    `query:"days" default:"90" minimum:"1" maximum:"800"`
	Watch string `query:"watch" maxLength:"60" doc:"a key of your own, under which you can ask how far it is"`
}

// WatchDraft says who is to be told by mail of what is to be looked at in a pool.
type WatchDraft struct {
	Pool    int64  `json:"pool" doc:"0 is every pool"`
	Address string `json:"address" minLength:"1" maxLength:"200"`
}

// use has what is metered, use over time, and pools.
func (s *Server) use() {
	handle(s, people.Look, get("metering", "/api/metering"), func(ctx context.Context, _ who, _ *none) (*body[use.Metered], error) {
		m, err := s.app.Use.Metering(ctx)
		return &body[use.Metered]{m}, err
	})
	handle(s, people.Work, post("meter", "/api/metering"), func(ctx context.Context, me who, in *body[use.MeteringDraft]) (*body[Done], error) {
		return done(s.app.Use.Meter(ctx, in.Body, me.Name))
	})
	handle(s, people.Work, post("previewMeter", "/api/metering/preview"), func(ctx context.Context, _ who, in *body[struct {
		use.MeteringDraft
		End int64 `json:"end,omitempty" doc:"a choice whose end is looked at instead"`
	}]) (*body[use.MeteringEffect], error) {
		v, err := s.app.Use.PreviewMeter(ctx, in.Body.MeteringDraft, in.Body.End)
		return &body[use.MeteringEffect]{v}, err
	})
	handle(s, people.Work, post("endMeter", "/api/metering/{id}/end"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.Use.EndMeter(ctx, in.ID, me.Name))
	})
	handle(s, people.Run, huma.Operation{OperationID: "keepUse", Method: http.MethodPut, Path: "/api/metering/kept"}, func(ctx context.Context, me who, in *body[use.UseKept]) (*body[use.UseKept], error) {
		return in, s.app.Use.KeepUse(ctx, in.Body, me.Name)
	})
	handle(s, people.Look, get("useOver", "/api/products/{id}/use"), func(ctx context.Context, _ who, in *struct {
		ByID
		Months int `query:"months" default:"12" minimum:"1" maximum:"60"`
	}) (*body[use.UseView], error) {
		v, err := s.app.Use.UseOver(ctx, in.ID, in.Months)
		return &body[use.UseView]{v}, err
	})
	handle(s, people.Look, get("pool", "/api/pools/{id}"), func(ctx context.Context, _ who, in *OfPool) (*body[use.PoolView], error) {
		ctx, end := s.app.Progress.Follow(ctx, in.Watch)
		defer end()
		v, err := s.app.Use.Pool(ctx, in.ID, in.Days)
		return &body[use.PoolView]{v}, err
	})
	handle(s, people.Look, get("poolDays", "/api/pools/{id}/days"), func(ctx context.Context, _ who, in *OfPool) (*body[[]use.PoolDayView], error) {
		v, err := s.app.Use.PoolDays(ctx, in.ID, in.Days)
		return &body[[]use.PoolDayView]{v}, err
	})
	handle(s, people.Look, get("poolSizing", "/api/pools/{id}/sizing"), func(ctx context.Context, _ who, in *struct {
		OfPool
		Target     float64 `query:"target" default:"0.01" minimum:"0" maximum:"1"`
		DenialCost float64 `query:"denialCost" default:"0" minimum:"0"`
	}) (*body[use.PoolSizing], error) {
		ctx, end := s.app.Progress.Follow(ctx, in.Watch)
		defer end()
		v, err := s.app.Use.PoolSizing(ctx, in.ID, in.Days, in.Target, in.DenialCost)
		return &body[use.PoolSizing]{v}, err
	})
	handle(s, people.Work, post("complain", "/api/pools/{id}/complaints"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			User string `json:"user"`
			Text string `json:"text" maxLength:"500"`
		}
	}) (*body[Done], error) {
		return done(s.app.Use.Complain(ctx, in.ID, in.Body.User, in.Body.Text, me.Name))
	})
	handle(s, people.Work, post("sizePool", "/api/pools/{id}/size"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			Size   int64  `json:"size" minimum:"0"`
			Reason string `json:"reason" minLength:"1" maxLength:"500"`
			Basis  string `json:"basis" maxLength:"1000"`
		}
	}) (*body[Done], error) {
		return done(s.app.Use.SizePool(ctx, in.ID, in.Body.Size, in.Body.Reason, in.Body.Basis, me.Name))
	})
	handle(s, people.Look, get("poolWatches", "/api/pool-watches"), func(ctx context.Context, _ who, _ *none) (*body[[]usedb.PoolWatch], error) {
		list, err := s.app.Use.PoolWatches(ctx)
		return &body[[]usedb.PoolWatch]{list}, err
	})
	handle(s, people.Work, post("watchPool", "/api/pool-watches"), func(ctx context.Context, me who, in *body[WatchDraft]) (*body[Done], error) {
		return done(s.app.Use.WatchPool(ctx, in.Body.Pool, in.Body.Address, me.Name))
	})
	handle(s, people.Work, post("endPoolWatch", "/api/pool-watches/{id}/end"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.Use.EndPoolWatch(ctx, in.ID, me.Name))
	})
}
