// Package evidencehttp has the routes of what sources sent, and what comes in.
package evidencehttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/intake"
	"ensomet/internal/rest"
	"ensomet/internal/snapshot"

	"github.com/danielgtaylor/huma/v2"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Evidence   *evidence.Service
	Collecting *evidence.Collecting
}

type routes struct {
	*rest.Server
	Stations
}

// Register registers the routes of what sources sent, and what comes in.
func Register(server *rest.Server, stations Stations) {
	s := &routes{server, stations}
	s.asides()
	s.tokens()
	s.scans()
	s.groups()
	s.changes()
	s.sources()
	s.files()
	s.lists()
	s.recordFields()
	s.details()
	s.collecting()
}

func (s *routes) asides() {
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("bookEntitlement", "/api/entitlements"),
		func(ctx context.Context, me rest.Account, in *rest.Body[map[string]string]) (*rest.Body[intake.ImportResult],
			error) {
			res, err := s.Evidence.Book(ctx, "entitlements", in.Body, me.Name)
			return &rest.Body[intake.ImportResult]{Body: res}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		huma.Operation{OperationID: "setRules", Method: http.MethodPut, Path: "/api/rules"},
		func(ctx context.Context, me rest.Account, in *rest.Body[evidence.Rules]) (*rest.Body[evidence.Rules], error) {
			err := s.Evidence.SetRules(ctx, in.Body, me.Name)
			return &rest.Body[evidence.Rules]{Body: in.Body}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("mend", "/api/asides/{id}/mend"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				Content string `json:"content"`
			}
		}) (*rest.Body[rest.Done], error) {
			err := s.Evidence.Mend(ctx, in.ID, in.Body.Content, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("drop", "/api/asides/{id}/drop"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Evidence.Drop(ctx, in.ID, me.Name)
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("retry", "/api/asides/retry"),
		func(ctx context.Context, me rest.Account, _ *struct{}) (*rest.Body[rest.Done], error) {
			n, err := s.Evidence.Retry(ctx, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: n}}, err
		},
	)
}

// tokens registers who may send.
func (s *routes) tokens() {
	rest.Handle(
		s.Server,
		access.Run,
		rest.Get("tokens", "/api/tokens"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[[]evidence.TokenView], error) {
			t, err := s.Collecting.Tokens(ctx)
			return &rest.Body[[]evidence.TokenView]{Body: t}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("addToken", "/api/tokens"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Source  string `json:"source"`
			FindsBy string `json:"findsBy" enum:"id,name"`
		}]) (*rest.Body[NewToken], error) {
			secret, id, err := s.Collecting.NewToken(ctx, in.Body.Source, in.Body.FindsBy, me.Name)
			return &rest.Body[NewToken]{Body: NewToken{id, secret}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("revokeToken", "/api/tokens/{id}/revoke"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Collecting.RevokeToken(ctx, in.ID, me.Name)
		},
	)
}

// scans registers plans for scans, and the scans that are asked for.
func (s *routes) scans() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("schedules", "/api/schedules"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[[]evidence.ScheduleView], error) {
			l, err := s.Collecting.Schedules(ctx)
			return &rest.Body[[]evidence.ScheduleView]{Body: l}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("saveSchedule", "/api/schedules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[evidence.ScheduleDraft]) (*rest.Body[rest.Made],
			error) {
			id, err := s.Collecting.SaveSchedule(ctx, in.Body, me.Name)
			if err == nil {
				_, err = s.Collecting.Plan(ctx)
			}
			return &rest.Body[rest.Made]{Body: rest.Made{ID: id}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("dropSchedule", "/api/schedules/{id}/drop"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Collecting.DropSchedule(ctx, in.ID, me.Name)
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("askScans", "/api/scan-orders"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Devices []string `json:"devices" minItems:"1" maxItems:"5000"`
		}]) (*rest.Body[rest.Done], error) {
			n, err := s.Collecting.AskScans(ctx, in.Body.Devices, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: n}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("orderAct", "/api/scan-orders/act"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[struct {
			IDs []int64 `json:"ids" minItems:"1"`
			Act string  `json:"act" enum:"again,call off"`
		}]) (*rest.Body[rest.Done], error) {
			n, err := s.Collecting.OrderAct(ctx, in.Body.IDs, in.Body.Act)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: n}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("orderCounts", "/api/scan-orders/counts"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[[]evidencedb.OrderCount], error) {
			c, err := s.Collecting.OrderCounts(ctx)
			return &rest.Body[[]evidencedb.OrderCount]{Body: c}, err
		},
	)
}

// groups registers groups of devices.
func (s *routes) groups() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("groups", "/api/groups"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[[]evidence.DeviceGroupView], error) {
			g, err := s.Evidence.DeviceGroups(ctx)
			return &rest.Body[[]evidence.DeviceGroupView]{Body: g}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("conditionFields", "/api/groups/fields"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[evidence.ConditionFields], error) {
			f, err := s.Evidence.ConditionFields(ctx)
			return &rest.Body[evidence.ConditionFields]{Body: f}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Post("previewGroup", "/api/groups/preview"),
		func(ctx context.Context, _ rest.Account,
			in *rest.Body[evidence.GroupDraft]) (*rest.Body[evidence.GroupPreview],
			error) {
			p, err := s.Evidence.PreviewGroup(ctx, in.Body)
			return &rest.Body[evidence.GroupPreview]{Body: p}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("saveGroup", "/api/groups"),
		func(ctx context.Context, me rest.Account, in *rest.Body[evidence.GroupDraft]) (*rest.Body[rest.Made], error) {
			id, err := s.Evidence.SaveGroup(ctx, in.Body, me.Name)
			return &rest.Body[rest.Made]{Body: rest.Made{ID: id}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("dropGroup", "/api/groups/{id}/drop"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Evidence.DropGroup(ctx, in.ID, me.Name)
		},
	)
}

// changes registers what changed between scans, and which of it is quiet or sent.
func (s *routes) changes() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("changeRules", "/api/change-rules"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[[]evidence.ChangeRuleView], error) {
			l, err := s.Evidence.ChangeRules(ctx)
			return &rest.Body[[]evidence.ChangeRuleView]{Body: l}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Post("previewChangeRule", "/api/change-rules/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[evidence.ChangeRuleDraft]) (*rest.Body[rest.Done],
			error) {
			n, err := s.Evidence.PreviewChangeRule(ctx, in.Body)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: n}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("addChangeRule", "/api/change-rules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[evidence.ChangeRuleDraft]) (*rest.Body[rest.Done],
			error) {
			n, err := s.Evidence.AddChangeRule(ctx, in.Body, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: n}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("endChangeRule", "/api/change-rules/{id}/end"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Evidence.EndChangeRule(ctx, in.ID, me.Name)
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("changesByDay", "/api/changes/by-day"),
		func(ctx context.Context, _ rest.Account, in *rest.ListInput) (*rest.Body[[]evidencedb.ChangeTally], error) {
			q, err := in.Query()
			if err != nil {
				return nil, err
			}
			t, err := s.Evidence.ChangesByDay(ctx, q)
			return &rest.Body[[]evidencedb.ChangeTally]{Body: t}, err
		},
	)
}

// sources registers what sources say, device by device and name by name.
func (s *routes) sources() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("deviceEvidence", "/api/devices/{code}/evidence"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Code string `path:"code"`
		}) (*rest.Body[evidence.DeviceEvidence], error) {
			e, err := s.Evidence.DeviceEvidence(ctx, in.Code)
			return &rest.Body[evidence.DeviceEvidence]{Body: e}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("deviceFiles", "/api/devices/{code}/files"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Code   string `path:"code"`
			Record int64  `query:"record"`
		}) (*rest.Body[[]evidencedb.DeviceFileRow], error) {
			f, err := s.Evidence.DeviceFiles(ctx, in.Code, in.Record)
			return &rest.Body[[]evidencedb.DeviceFileRow]{Body: f}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("compare", "/api/compare"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Left  string `query:"left" required:"true"`
			Right string `query:"right" required:"true"`
		}) (*rest.Body[evidence.Comparison], error) {
			c, err := s.Evidence.Compare(ctx, in.Left, in.Right)
			return &rest.Body[evidence.Comparison]{Body: c}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("findFiles", "/api/file-search"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Name string `query:"name" required:"true"`
		}) (*rest.Body[evidence.FileSearch], error) {
			f, err := s.Evidence.FindFiles(ctx, in.Name)
			return &rest.Body[evidence.FileSearch]{Body: f}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("drill", "/api/drill"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Publisher string `query:"publisher"`
			Product   int64  `query:"product"`
			Version   string `query:"version"`
			Down      bool   `query:"down" doc:"list the devices that have the version, which may be empty"`
		}) (*rest.Body[evidence.Drill], error) {
			d, err := s.Evidence.Drill(ctx, in.Publisher, in.Product, in.Version, in.Down)
			return &rest.Body[evidence.Drill]{Body: d}, err
		},
	)
}

func (s *routes) files() {
	s.Router.Post("/api/import/{kind}", s.importFile)
	s.Router.Post("/api/files/look", s.lookAtFile)
	s.Router.Get("/api/devices/{code}/software.{format}", s.deviceSoftware)
}

func (s *routes) lists() {
	rest.List(s.Server, "devices", rest.Of(snapshot.DeviceList))
	rest.List(s.Server, "asides", rest.Of(evidencedb.AsideList))
	rest.List(s.Server, "changes", rest.Of(evidencedb.ChangeList))
	rest.List(s.Server, "scan-orders", rest.Of(evidencedb.OrderList))
	rest.List(s.Server, "deliveries", rest.Of(evidencedb.DeliveryList))
	rest.List(s.Server, "moves", rest.Of(evidencedb.MoveList))
}

func (s *routes) recordFields() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("recordFields", "/api/name-rules/fields"),
		func(context.Context, rest.Account, *struct{}) (*rest.Body[evidence.ConditionFields], error) {
			return &rest.Body[evidence.ConditionFields]{Body: s.Evidence.RecordFields()}, nil
		},
	)
}

func (s *routes) details() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("device", "/api/devices/{code}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Code string `path:"code"`
		}) (*rest.Body[evidence.DeviceView], error) {
			d, err := s.Evidence.Device(ctx, in.Code)
			return &rest.Body[evidence.DeviceView]{Body: d}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("rules", "/api/rules"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[evidence.Rules], error) {
			r, err := s.Evidence.Rules(ctx)
			return &rest.Body[evidence.Rules]{Body: r}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("importKinds", "/api/import-kinds"),
		func(context.Context, rest.Account, *rest.None) (*rest.Body[[]string], error) {
			return &rest.Body[[]string]{Body: evidence.ImportKinds()}, nil
		},
	)
}
