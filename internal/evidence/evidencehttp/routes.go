// Package evidencehttp has the routes of what sources sent, and what comes in.
package evidencehttp

import (
	"context"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/evidence"
	"ensomet/internal/rest"
	"ensomet/internal/wire"

	"github.com/danielgtaylor/huma/v2"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Evidence   *evidence.Service
	Collecting *evidence.Collecting
	Sources    *evidence.Sources
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
	s.sourceLife()
	s.files()
	s.lists()
	s.recordFields()
	s.details()
	s.collecting()
}

func (s *routes) asides() {
	rest.Handle(s.Server, access.Editor, rest.Post("bookEntitlement", "/api/entitlements"),
		func(ctx context.Context, me rest.Account, in *rest.Body[map[string]string]) (ImportResult, error) {
			return rest.One(toImportResult)(s.Evidence.Book(ctx, "entitlements", in.Body, me.Name))
		})
	rest.Handle(s.Server, access.Editor,
		huma.Operation{OperationID: "setRules", Method: http.MethodPut, Path: "/api/rules"},
		func(ctx context.Context, me rest.Account, in *rest.Body[Rules]) (Rules, error) {
			err := s.Evidence.SetRules(ctx, fromRules(in.Body), me.Name)
			return toRules(fromRules(in.Body)), err
		})
	rest.Handle(s.Server, access.Admin, rest.Post("mend", "/api/asides/{id}/mend"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				Content string `json:"content"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Evidence.Mend(ctx, in.ID, in.Body.Content, me.Name))
		})
	rest.Handle(s.Server, access.Admin, rest.Post("drop", "/api/asides/{id}/drop"), rest.OnID(s.Evidence.Drop))
	rest.Handle(s.Server, access.Admin, rest.Post("retry", "/api/asides/retry"),
		func(ctx context.Context, me rest.Account, _ *rest.None) (rest.Done, error) {
			return rest.CountOr(s.Evidence.Retry(ctx, me.Name))
		})
}

// tokens registers who may send.
func (s *routes) tokens() {
	rest.Handle(s.Server, access.Admin, rest.Get("tokens", "/api/tokens"),
		rest.Plain(s.Collecting.Tokens, rest.All(toTokenView)))
	rest.Handle(s.Server, access.Admin, rest.Post("addToken", "/api/tokens"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Source  string `json:"source"`
			FindsBy string `json:"findsBy" enum:"id,name"`
		}]) (NewToken, error) {
			secret, id, err := s.Collecting.NewToken(ctx, in.Body.Source, in.Body.FindsBy, me.Name)
			return NewToken{id, secret}, err
		})
	rest.Handle(s.Server, access.Admin, rest.Post("revokeToken", "/api/tokens/{id}/revoke"),
		rest.OnID(s.Collecting.RevokeToken))
}

// scans registers plans for scans, and the scans that are asked for.
func (s *routes) scans() {
	rest.Handle(s.Server, access.Viewer, rest.Get("schedules", "/api/schedules"),
		rest.Plain(s.Collecting.Schedules, rest.All(toScheduleView)))
	rest.Handle(s.Server, access.Editor, rest.Post("saveSchedule", "/api/schedules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[ScheduleDraft]) (rest.Made, error) {
			id, err := s.Collecting.SaveSchedule(ctx, fromScheduleDraft(in.Body), me.Name)
			if err == nil {
				_, err = s.Collecting.Plan(ctx)
			}
			return rest.Made{ID: id}, err
		})
	rest.Handle(s.Server, access.Editor, rest.Post("dropSchedule", "/api/schedules/{id}/drop"),
		rest.OnRevision(s.Collecting.DropSchedule))
	rest.Handle(s.Server, access.Editor, rest.Post("askScans", "/api/scan-orders"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Devices []string `json:"devices" minItems:"1" maxItems:"5000"`
		}]) (rest.Done, error) {
			return rest.CountOr(s.Collecting.AskScans(ctx, in.Body.Devices, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("orderAct", "/api/scan-orders/act"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[struct {
			IDs []int64 `json:"ids" minItems:"1"`
			Act string  `json:"act" enum:"again,call off"`
		}]) (rest.Done, error) {
			return rest.CountOr(s.Collecting.OrderAct(ctx, in.Body.IDs, in.Body.Act))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("orderCounts", "/api/scan-orders/counts"),
		rest.Plain(s.Collecting.OrderCounts, rest.All(toOrderCount)))
}

// groups registers groups of devices.
func (s *routes) groups() {
	rest.Handle(s.Server, access.Viewer, rest.Get("groups", "/api/groups"),
		rest.Plain(s.Evidence.DeviceGroups, rest.All(toDeviceGroupView)))
	rest.Handle(s.Server, access.Viewer, rest.Get("conditionFields", "/api/groups/fields"),
		rest.Plain(s.Evidence.ConditionFields, rest.One(toConditionFields)))
	rest.Handle(s.Server, access.Viewer, rest.Post("previewGroup", "/api/groups/preview"),
		func(ctx context.Context, _ rest.Account,
			in *rest.Body[GroupDraft]) (GroupPreview, error) {
			return rest.One(toGroupPreview)(s.Evidence.PreviewGroup(ctx, fromGroupDraft(in.Body)))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("saveGroup", "/api/groups"),
		func(ctx context.Context, me rest.Account, in *rest.Body[GroupDraft]) (rest.Made, error) {
			return rest.MadeOr(s.Evidence.SaveGroup(ctx, fromGroupDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("dropGroup", "/api/groups/{id}/drop"),
		rest.OnRevision(s.Evidence.DropGroup))
}

// changes registers what changed between scans, and which of it is quiet or sent.
func (s *routes) changes() {
	rest.Handle(s.Server, access.Viewer, rest.Get("changeRules", "/api/change-rules"),
		rest.Plain(s.Evidence.ChangeRules, rest.All(toChangeRuleView)))
	rest.Handle(s.Server, access.Viewer, rest.Post("previewChangeRule", "/api/change-rules/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[ChangeRuleDraft]) (rest.Done, error) {
			return rest.CountOr(s.Evidence.PreviewChangeRule(ctx, fromChangeRuleDraft(in.Body)))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("putChangeRule", "/api/change-rules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[ChangeRuleDraft]) (rest.Done, error) {
			return rest.CountOr(s.Evidence.PutChangeRule(ctx, fromChangeRuleDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("endChangeRule", "/api/change-rules/{id}/end"),
		rest.OnRevision(s.Evidence.EndChangeRule))
	rest.Handle(s.Server, access.Viewer, rest.Get("changesByDay", "/api/changes/by-day"),
		func(ctx context.Context, _ rest.Account, in *rest.ListInput) ([]ChangeTally, error) {
			q, err := in.Query()
			if err != nil {
				return nil, err
			}
			return rest.All(toChangeTally)(s.Evidence.ChangesByDay(ctx, q))
		})
}

// sources registers what sources say, device by device and name by name.
func (s *routes) sources() {
	rest.Handle(s.Server, access.Viewer, rest.Get("deviceEvidence", "/api/devices/{code}/evidence"),
		func(ctx context.Context, _ rest.Account, in *rest.ByCode) (DeviceEvidence, error) {
			return rest.One(toDeviceEvidence)(s.Evidence.DeviceEvidence(ctx, in.Code))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("deviceFiles", "/api/devices/{code}/files"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Code   string `path:"code"`
			Record int64  `query:"record"`
		}) ([]DeviceFileRow, error) {
			return rest.All(toDeviceFileRow)(s.Evidence.DeviceFiles(ctx, in.Code, in.Record))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("compare", "/api/compare"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Left  string `query:"left" required:"true"`
			Right string `query:"right" required:"true"`
		}) (Comparison, error) {
			return rest.One(toComparison)(s.Evidence.Compare(ctx, in.Left, in.Right))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("findFiles", "/api/file-search"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Name string `query:"name" required:"true"`
		}) (FileSearch, error) {
			return rest.One(toFileSearch)(s.Evidence.FindFiles(ctx, in.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("drill", "/api/drill"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Publisher string `query:"publisher"`
			Product   int64  `query:"product"`
			Version   string `query:"version"`
			Down      bool   `query:"down" doc:"list the devices that have the version, which may be empty"`
		}) (Drill, error) {
			return rest.One(toDrill)(s.Evidence.Drill(ctx, in.Publisher, in.Product, in.Version, in.Down))
		})
}

// sourceLife registers what the house says of its sources.
func (s *routes) sourceLife() {
	rest.Handle(s.Server, access.Viewer, rest.Get("evidenceSources", "/api/sources"),
		rest.Plain(s.Sources.Sources, rest.All(toSourceView)))
	rest.Handle(s.Server, access.Editor, rest.Post("previewSource", "/api/sources/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[SourceDraft]) (SourceEffect, error) {
			return rest.One(toSourceEffect)(s.Sources.Preview(ctx, fromSourceDraft(in.Body)))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("saveSource", "/api/sources"),
		func(ctx context.Context, me rest.Account, in *rest.Body[SourceDraft]) (rest.Done, error) {
			return rest.DoneOr(s.Sources.Save(ctx, fromSourceDraft(in.Body), me.Name))
		})
}

func (s *routes) files() {
	s.Router.Post("/api/import/{kind}", s.importFile)
	s.Router.Post("/api/files/look", s.lookAtFile)
	s.Router.Get("/api/devices/{code}/software.{format}", s.deviceSoftware)
}

func (s *routes) lists() {
	rest.List(s.Server, "devices", rest.Of(evidence.DeviceList), wire.ToDeviceRow)
	rest.List(s.Server, "asides", rest.Of(evidence.AsideList), toAsideRow)
	rest.List(s.Server, "changes", rest.Of(evidence.ChangeList), toChangeRow)
	rest.List(s.Server, "scan-orders", rest.Of(evidence.OrderList), toOrderRow)
	rest.List(s.Server, "deliveries", rest.Of(evidence.DeliveryList), toDelivery)
	rest.List(s.Server, "moves", rest.Of(evidence.MoveList), toMoveRow)
}

func (s *routes) recordFields() {
	rest.Handle(s.Server, access.Viewer, rest.Get("recordFields", "/api/name-rules/fields"),
		func(context.Context, rest.Account, *rest.None) (ConditionFields, error) {
			return rest.One(toConditionFields)(s.Evidence.RecordFields(), nil)
		})
}

func (s *routes) details() {
	rest.Handle(s.Server, access.Viewer, rest.Get("device", "/api/devices/{code}"),
		func(ctx context.Context, _ rest.Account, in *rest.ByCode) (DeviceView, error) {
			return rest.One(toDeviceView)(s.Evidence.Device(ctx, in.Code))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("rules", "/api/rules"),
		rest.Plain(s.Evidence.Rules, rest.One(toRules)))
	rest.Handle(s.Server, access.Viewer, rest.Get("history", "/api/history"),
		rest.Plain(s.Evidence.History, rest.One(toHistoryKept)))
	rest.Handle(s.Server, access.Viewer, rest.Get("historyEffect", "/api/history/effect"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Days int `query:"days" minimum:"0" maximum:"36500" doc:"how many days back are kept, 0 for ever"`
		}) (HistoryEffect, error) {
			return rest.One(toHistoryEffect)(s.Evidence.HistoryEffect(ctx, in.Days))
		})
	rest.Handle(s.Server, access.Admin,
		huma.Operation{OperationID: "keepHistory", Method: http.MethodPut, Path: "/api/history"},
		func(ctx context.Context, me rest.Account, in *rest.Body[HistoryDraft]) (HistoryKept, error) {
			if err := s.Evidence.KeepHistory(ctx, fromHistoryDraft(in.Body), me.Name); err != nil {
				return HistoryKept{}, err
			}
			return rest.One(toHistoryKept)(s.Evidence.History(ctx))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("brokenImports", "/api/imports/broken"),
		rest.Plain(s.Evidence.BrokenImports, rest.All(toBegunImport)))
	rest.Handle(s.Server, access.Admin, rest.Post("forgetBrokenImport", "/api/imports/broken/{id}/forget"),
		rest.OnID(s.Evidence.ForgetBrokenImport))
	rest.Handle(s.Server, access.Viewer, rest.Get("importKinds", "/api/import-kinds"),
		func(context.Context, rest.Account, *rest.None) ([]string, error) {
			return evidence.ImportKinds(), nil
		})
}
