// Package usehttp has the routes of who uses what, and pools.
package usehttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/progress"
	"ensomet/internal/rest"
	"ensomet/internal/use"

	"github.com/danielgtaylor/huma/v2"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Progress *progress.Board
	Use      *use.Service
}

type routes struct {
	*rest.Server
	Stations
}

// Register registers the routes of who uses what, and pools.
func Register(server *rest.Server, stations Stations) {
	s := &routes{server, stations}
	s.lists()
	s.pools()
	s.usage()
}

func (s *routes) lists() {
	rest.List(s.Server, "use", rest.Of(use.UseList), toUseRow)
	rest.List(s.Server, "pools", s.Use.Pools, toPoolRow)
}

// pools registers shared licences.
func (s *routes) pools() {
	rest.Handle(s.Server, access.Viewer, rest.Get("pool", "/api/pools/{id}"),
		func(ctx context.Context, _ rest.Account, in *OfPool) (PoolView, error) {
			ctx, end := s.Progress.Follow(ctx, in.Watch)
			defer end()
			return rest.One(toPoolView)(s.Use.Pool(ctx, in.ID, in.Days))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("poolDays", "/api/pools/{id}/days"),
		func(ctx context.Context, _ rest.Account, in *OfPool) ([]PoolDayView, error) {
			return rest.All(toPoolDayView)(s.Use.PoolDays(ctx, in.ID, in.Days))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("poolSizing", "/api/pools/{id}/sizing"),
		func(ctx context.Context, _ rest.Account, in *struct {
			OfPool
			Target     float64 `query:"target" default:"0.01" minimum:"0" maximum:"1"`
			DenialCost float64 `query:"denialCost" default:"0" minimum:"0"`
		}) (PoolSizing, error) {
			ctx, end := s.Progress.Follow(ctx, in.Watch)
			defer end()
			return rest.One(toPoolSizing)(s.Use.PoolSizing(ctx, in.ID, in.Days, in.Target, in.DenialCost))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("complain", "/api/pools/{id}/complaints"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				User string `json:"user"`
				Text string `json:"text" maxLength:"500"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Use.Complain(ctx, in.ID, in.Body.User, in.Body.Text, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("sizePool", "/api/pools/{id}/size"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				Size   int64  `json:"size" minimum:"0"`
				Reason string `json:"reason" minLength:"1" maxLength:"500"`
				Basis  string `json:"basis" maxLength:"1000"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Use.SizePool(ctx, in.ID, in.Body.Size, in.Body.Reason, in.Body.Basis, me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("poolWatches", "/api/pool-watches"),
		rest.Plain(s.Use.PoolWatches, rest.All(toPoolWatch)))
	rest.Handle(s.Server, access.Editor, rest.Post("watchPool", "/api/pool-watches"),
		func(ctx context.Context, me rest.Account, in *rest.Body[WatchDraft]) (rest.Done, error) {
			return rest.DoneOr(s.Use.WatchPool(ctx, in.Body.Pool, in.Body.Address, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("endPoolWatch", "/api/pool-watches/{id}/end"),
		rest.OnID(s.Use.EndPoolWatch))
}

// usage registers what is metered, and use over time.
func (s *routes) usage() {
	rest.Handle(s.Server, access.Viewer, rest.Get("metering", "/api/metering"),
		rest.Plain(s.Use.Metering, rest.One(toMetered)))
	rest.Handle(s.Server, access.Editor, rest.Post("meter", "/api/metering"),
		func(ctx context.Context, me rest.Account, in *rest.Body[MeteringDraft]) (rest.Done, error) {
			return rest.DoneOr(s.Use.Meter(ctx, fromMeteringDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("previewMeter", "/api/metering/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[struct {
			MeteringDraft
			End int64 `json:"end,omitempty" doc:"a choice whose end is looked at instead"`
		}]) (MeteringEffect, error) {
			return rest.One(toMeteringEffect)(
				s.Use.PreviewMeter(ctx, fromMeteringDraft(in.Body.MeteringDraft), in.Body.End))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("endMeter", "/api/metering/{id}/end"),
		rest.OnRevision(s.Use.EndMeter))
	rest.Handle(s.Server, access.Admin,
		huma.Operation{OperationID: "keepUse", Method: http.MethodPut, Path: "/api/metering/kept"},
		func(ctx context.Context, me rest.Account, in *rest.Body[UseKept]) (UseKept, error) {
			return toUseKept(fromUseKept(in.Body)), s.Use.KeepUse(ctx, fromUseKept(in.Body), me.Name)
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("useOver", "/api/products/{id}/use"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			Months int `query:"months" default:"12" minimum:"1" maximum:"60"`
		}) (UseView, error) {
			return rest.One(toUseView)(s.Use.UseOver(ctx, in.ID, in.Months))
		})
}
