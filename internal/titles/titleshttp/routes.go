// Package titleshttp has the routes of what names mean, and the catalogue.
package titleshttp

import (
	"context"

	"ensomet/internal/core/access"
	"ensomet/internal/core/civil"
	"ensomet/internal/rest"
	"ensomet/internal/titles"
	"ensomet/internal/wire"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Titles    *titles.Service
	Catalogue *titles.Catalogue
}

type routes struct {
	*rest.Server
	Stations
}

// Register registers the routes of what names mean, and the catalogue.
func Register(server *rest.Server, stations Stations) {
	s := &routes{server, stations}
	s.catalogue()
	s.updates()
	s.marks()
	s.lifeCycle()
	s.decisions()
	s.lists()
	s.queue()
	s.rules()
	s.details()
}

// catalogue registers changes of the catalogue, and all of it as a file.
func (s *routes) catalogue() {
	rest.Handle(s.Server, access.Editor, rest.Post("editTitle", "/api/catalogue/titles"),
		func(ctx context.Context, me rest.Account,
			in *rest.Body[TitleEdit]) (CatalogueEffect, error) {
			return rest.One(toCatalogueEffect)(s.Catalogue.EditTitle(ctx, fromTitleEdit(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("editProduct", "/api/catalogue/products"),
		func(ctx context.Context, me rest.Account,
			in *rest.Body[ProductEdit]) (CatalogueEffect, error) {
			return rest.One(toCatalogueEffect)(s.Catalogue.EditProduct(ctx, fromProductEdit(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("editPublisher", "/api/catalogue/publishers"),
		func(ctx context.Context, me rest.Account,
			in *rest.Body[PublisherEdit]) (CatalogueEffect, error) {
			return rest.One(toCatalogueEffect)(s.Catalogue.EditPublisher(ctx, fromPublisherEdit(in.Body), me.Name))
		})
	s.Router.Get("/api/catalogue.{format}", s.catalogueFile)
}

// updates registers newer catalogues, which wait until somebody takes them.
func (s *routes) updates() {
	rest.Handle(s.Server, access.Editor, rest.Post("takeUpdate", "/api/catalogue/updates/take"),
		func(ctx context.Context, me rest.Account,
			in *rest.Body[UpdateTaking]) (CatalogueEffect, error) {
			return rest.One(toCatalogueEffect)(s.Catalogue.TakeUpdate(ctx, fromUpdateTaking(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("updates", "/api/catalogue/updates"),
		rest.Plain(s.Catalogue.Updates, rest.One(toUpdates)))
	rest.Handle(s.Server, access.Viewer, rest.Get("update", "/api/catalogue/updates/{id}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			ID     int64  `path:"id"`
			Sort   string `query:"sort" enum:"new,changed,conflict,"`
			Search string `query:"q"`
			After  int    `query:"after" minimum:"0"`
			Limit  int    `query:"limit" default:"200" minimum:"1" maximum:"2000"`
		}) (UpdateView, error) {
			return rest.One(toUpdateView)(s.Catalogue.Update(
				ctx,
				titles.UpdateQuery{ID: in.ID, Sort: in.Sort, Search: in.Search, After: in.After, Limit: in.Limit},
			))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("closeUpdate", "/api/catalogue/updates/{id}/close"),
		rest.OnID(s.Catalogue.CloseUpdate))
	rest.Handle(s.Server, access.Editor, rest.Post("addStarter", "/api/catalogue/starter"),
		func(ctx context.Context, me rest.Account, _ *rest.None) (rest.Made, error) {
			return rest.MadeOr(s.Catalogue.AddStarter(ctx, me.Name))
		})
	s.Router.Post("/api/catalogue/updates", s.updateFile)
}

// marks registers what people note about products: tags, remarks, and whether they watch them.
func (s *routes) marks() {
	rest.Handle(s.Server, access.Editor, rest.Post("setTags", "/api/products/{id}/tags"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				Tags     []string `json:"tags" maxItems:"50"`
				Revision int64    `json:"revision" doc:"of the tags that was seen; a save on an older one is refused"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Catalogue.SetTags(ctx, in.ID, in.Body.Revision, in.Body.Tags, me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("tags", "/api/tags"),
		rest.Plain(s.Catalogue.Tags, rest.All(toTagCount)))
	rest.Handle(s.Server, access.Editor, rest.Post("watch", "/api/products/{id}/watch"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				On bool `json:"on"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Catalogue.Watch(ctx, in.ID, in.Body.On, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("addRemark", "/api/products/{id}/remarks"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				Device string `json:"device" doc:"device_id, for a remark about one install"`
				Text   string `json:"text" maxLength:"4000"`
			}
		}) (rest.Made, error) {
			return rest.MadeOr(s.Catalogue.AddRemark(ctx, in.ID, in.Body.Device, in.Body.Text, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("dropRemark", "/api/remarks/{id}/drop"),
		rest.OnID(s.Catalogue.DropRemark))
}

// lifeCycle registers releases, when their support ends, and what is planned for them.
func (s *routes) lifeCycle() {
	rest.Handle(s.Server, access.Viewer, rest.Get("versions", "/api/products/{id}/versions"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) ([]VersionView, error) {
			return rest.All(toVersionView)(s.Catalogue.Versions(ctx, in.ID))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("lifeCycle", "/api/life-cycle"),
		func(ctx context.Context, _ rest.Account, in *struct {
			On     string `query:"on" doc:"YYYY-MM-DD; empty is today"`
			Months int    `query:"months" default:"18" minimum:"1" maximum:"120"`
		}) (LifeCycle, error) {
			day, err := civil.Parse(in.On)
			if err != nil {
				return LifeCycle{}, err
			}
			return rest.One(toLifeCycle)(s.Catalogue.LifeCycle(ctx, day, in.Months))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("putPlan", "/api/plans"),
		func(ctx context.Context, me rest.Account, in *rest.Body[PlanDraft]) (rest.Made, error) {
			return rest.MadeOr(s.Catalogue.PutPlan(ctx, fromPlanDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("endPlan", "/api/plans/{id}/end"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				Why string `json:"why" minLength:"1"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Catalogue.EndPlan(ctx, in.ID, in.Body.Why, me.Name))
		})
}

func (s *routes) decisions() {
	rest.Handle(s.Server, access.Editor, rest.Post("previewDecision", "/api/names/preview"),
		func(ctx context.Context, me rest.Account, in *rest.Body[NameDecision]) (Effect, error) {
			return rest.One(toEffect)(s.Titles.PreviewDecision(ctx, fromNameDecision(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("decide", "/api/names/decide"),
		func(ctx context.Context, me rest.Account, in *rest.Body[NameDecision]) (Effect, error) {
			return rest.One(toEffect)(s.Titles.Decide(ctx, fromNameDecision(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("withdraw", "/api/names/withdraw"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Key      string `json:"key"`
			Revision int64  `json:"revision" minimum:"0" doc:"of the name, as it was seen"`
		}]) (rest.Done, error) {
			return rest.DoneOr(s.Titles.Withdraw(ctx, in.Body.Key, in.Body.Revision, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("addTitle", "/api/titles"),
		func(ctx context.Context, me rest.Account, in *rest.Body[NewTitle]) (AddedTitle, error) {
			id, err := s.Titles.AddTitle(ctx, fromNewTitle(in.Body), me.Name)
			return AddedTitle{id}, err
		})
}

func (s *routes) lists() {
	rest.List(s.Server, "names", rest.Of(titles.NameList), wire.ToNameRow)
	rest.List(s.Server, "products", rest.Of(titles.ProductList), toProductRow)
	rest.List(s.Server, "publishers", rest.Of(titles.PublisherList), toPublisherRow)
	rest.List(s.Server, "releases", s.Catalogue.Releases, toReleaseRow)
}

// queue registers names that wait, and what people do with them.
func (s *routes) queue() {
	rest.Handle(s.Server, access.Viewer, rest.Get("queue", "/api/names/queue"),
		func(ctx context.Context, me rest.Account, _ *rest.None) (Queue, error) {
			return rest.One(toQueue)(s.Titles.Queue(ctx, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("undo", "/api/names/undo"),
		func(ctx context.Context, me rest.Account, _ *rest.None) (Undone, error) {
			return rest.One(toUndone)(s.Titles.Undo(ctx, me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("setAside", "/api/names/later"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Keys      []string `json:"keys" minItems:"1" maxItems:"500"`
			Revisions []int64  `json:"revisions" minItems:"1" maxItems:"500" doc:"of the names, as they were seen, in their order"`
			Days      int      `json:"days" minimum:"1" maximum:"400"`
		}]) (rest.Done, error) {
			_, err := s.Titles.SetAside(ctx, in.Body.Keys, in.Body.Revisions, in.Body.Days, me.Name)
			return rest.Done{Count: len(in.Body.Keys)}, err
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("naming", "/api/names/settings"),
		rest.Plain(s.Titles.Naming, rest.One(toNamingSettings)))
	rest.Handle(s.Server, access.Admin, rest.Post("setNaming", "/api/names/settings"),
		func(ctx context.Context, me rest.Account, in *rest.Body[NamingSettings]) (rest.Done, error) {
			return rest.DoneOr(s.Titles.SetNaming(ctx, fromNamingSettings(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("unsigned", "/api/unsigned"),
		rest.Plain(s.Titles.Unsigned, rest.All(toUnsigned)))
	rest.Handle(s.Server, access.Editor, rest.Post("sign", "/api/unsigned/sign"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Kind     string `json:"kind" enum:"name,rule,leave_out"`
			ID       int64  `json:"id"`
			Revision int64  `json:"revision" minimum:"0" doc:"of a rule, as it was seen"`
			Agreed   bool   `json:"agreed"`
		}]) (rest.Done, error) {
			return rest.DoneOr(
				s.Titles.Sign(ctx, in.Body.Kind, in.Body.ID, in.Body.Revision, in.Body.Agreed, me.Name))
		})
}

// rules registers rules for names, suites, and what is left out.
func (s *routes) rules() {
	rest.Handle(s.Server, access.Viewer, rest.Get("nameRules", "/api/name-rules"),
		rest.Plain(s.Titles.NameRules, rest.One(toRuleList)))
	rest.Handle(s.Server, access.Editor, rest.Post("previewRule", "/api/name-rules/preview"),
		func(ctx context.Context, me rest.Account, in *rest.Body[RuleDraft]) (Effect, error) {
			return rest.One(toEffect)(s.Titles.PreviewRule(ctx, fromRuleDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("putRule", "/api/name-rules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[RuleDraft]) (Effect, error) {
			return rest.One(toEffect)(s.Titles.PutRule(ctx, fromRuleDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("changeRule", "/api/name-rules/change"),
		func(ctx context.Context, me rest.Account, in *rest.Body[RuleChange]) (rest.Done, error) {
			return rest.DoneOr(s.Titles.ChangeRule(ctx, fromRuleChange(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("putSuite", "/api/suites"),
		func(ctx context.Context, me rest.Account, in *rest.Body[SuiteDraft]) (rest.Made, error) {
			return rest.MadeOr(s.Catalogue.PutSuite(ctx, fromSuiteDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("dropSuite", "/api/suites/{id}/drop"),
		rest.OnRevision(s.Catalogue.DropSuite))
	rest.Handle(s.Server, access.Editor, rest.Post("previewLeaving", "/api/left-out/preview"),
		func(ctx context.Context, me rest.Account, in *rest.Body[ExclusionDraft]) (Effect, error) {
			return rest.One(toEffect)(s.Titles.PreviewExclusion(ctx, fromExclusionDraft(in.Body), me.Name))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("leave", "/api/left-out"),
		func(ctx context.Context, me rest.Account, in *rest.Body[ExclusionDraft]) (Effect, error) {
			return rest.One(toEffect)(s.Titles.Exclude(ctx, fromExclusionDraft(in.Body), me.Name))
		})
}

func (s *routes) details() {
	rest.Handle(s.Server, access.Viewer, rest.Get("name", "/api/names/one"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Key string `query:"key"`
		}) (NameView, error) {
			return rest.One(toNameView)(s.Titles.Name(ctx, in.Key))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("record", "/api/records/{id}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			ID     int64 `path:"id"`
			Device int64 `query:"device"`
		}) (RecordTrace, error) {
			return rest.One(toRecordTrace)(s.Titles.Record(ctx, in.ID, in.Device))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("product", "/api/products/{id}"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) (ProductView, error) {
			return rest.One(toProductView)(s.Catalogue.Product(ctx, in.ID))
		})
}

// AddedTitle is the number of the product of a title that was added.
type AddedTitle struct {
	Product int64 `json:"product"`
}
