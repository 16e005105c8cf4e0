// Package titleshttp has the routes of what names mean, and the catalogue.
package titleshttp

import (
	"context"

	"ensomet/internal/core/access"
	"ensomet/internal/core/civil"
	"ensomet/internal/rest"
	"ensomet/internal/snapshot"
	"ensomet/internal/titles"
	"ensomet/internal/titles/titlesdb"
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
	s.decisions()
	s.lists()
	s.queue()
	s.rules()
	s.details()
}

func (s *routes) catalogue() {
	changed := func(ctx context.Context, dry bool, e titles.CatalogueEffect,
		err error) (*rest.Body[titles.CatalogueEffect], error) {
		return &rest.Body[titles.CatalogueEffect]{Body: e}, err
	}
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("editTitle", "/api/catalogue/titles"),
		func(ctx context.Context, me rest.Account,
			in *rest.Body[titles.TitleEdit]) (*rest.Body[titles.CatalogueEffect],
			error) {
			e, err := s.Catalogue.EditTitle(ctx, in.Body, me.Name)
			return changed(ctx, in.Body.Dry, e, err)
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("editProduct", "/api/catalogue/products"),
		func(ctx context.Context, me rest.Account,
			in *rest.Body[titles.ProductEdit]) (*rest.Body[titles.CatalogueEffect],
			error) {
			e, err := s.Catalogue.EditProduct(ctx, in.Body, me.Name)
			return changed(ctx, in.Body.Dry, e, err)
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("editPublisher", "/api/catalogue/publishers"),
		func(ctx context.Context, me rest.Account,
			in *rest.Body[titles.PublisherEdit]) (*rest.Body[titles.CatalogueEffect], error) {
			e, err := s.Catalogue.EditPublisher(ctx, in.Body, me.Name)
			return changed(ctx, in.Body.Dry, e, err)
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("takeOffer", "/api/catalogue/offers/take"),
		func(ctx context.Context, me rest.Account,
			in *rest.Body[titles.OfferTaking]) (*rest.Body[titles.CatalogueEffect],
			error) {
			e, err := s.Catalogue.TakeOffer(ctx, in.Body, me.Name)
			return changed(ctx, in.Body.Dry, e, err)
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("updates", "/api/catalogue/updates"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[titles.Updates], error) {
			u, err := s.Catalogue.Updates(ctx)
			return &rest.Body[titles.Updates]{Body: u}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("offer", "/api/catalogue/offers/{id}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			ID     int64  `path:"id"`
			Sort   string `query:"sort" enum:"new,changed,conflict,"`
			Search string `query:"q"`
			After  int    `query:"after" minimum:"0"`
			Limit  int    `query:"limit" default:"200" minimum:"1" maximum:"2000"`
		}) (*rest.Body[titles.OfferView], error) {
			o, err := s.Catalogue.Offer(
				ctx,
				titles.OfferQuery{ID: in.ID, Sort: in.Sort, Search: in.Search, After: in.After, Limit: in.Limit},
			)
			return &rest.Body[titles.OfferView]{Body: o}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("closeOffer", "/api/catalogue/offers/{id}/close"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Catalogue.CloseOffer(ctx, in.ID, me.Name)
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("offerStarter", "/api/catalogue/starter"),
		func(ctx context.Context, me rest.Account, _ *struct{}) (*rest.Body[rest.Made], error) {
			id, err := s.Catalogue.OfferStarter(ctx, me.Name)
			return &rest.Body[rest.Made]{Body: rest.Made{ID: id}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("setTags", "/api/products/{id}/tags"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				Tags []string `json:"tags" maxItems:"50"`
			}
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Catalogue.SetTags(ctx, in.ID, in.Body.Tags,
				me.Name)
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("tags", "/api/tags"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[[]titles.TagCount], error) {
			list, err := s.Catalogue.Tags(ctx)
			return &rest.Body[[]titles.TagCount]{Body: list}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("watch", "/api/products/{id}/watch"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				On bool `json:"on"`
			}
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Catalogue.Watch(ctx, in.ID, in.Body.On, me.Name)
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("addRemark", "/api/products/{id}/remarks"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				Device string `json:"device" doc:"device_id, for a remark about one install"`
				Text   string `json:"text" maxLength:"4000"`
			}
		}) (*rest.Body[rest.Made], error) {
			id, err := s.Catalogue.AddRemark(ctx, in.ID, in.Body.Device, in.Body.Text, me.Name)
			return &rest.Body[rest.Made]{Body: rest.Made{ID: id}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("dropRemark", "/api/remarks/{id}/drop"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Catalogue.DropRemark(ctx, in.ID, me.Name)
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("versions", "/api/products/{id}/versions"),
		func(ctx context.Context, _ rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[[]titles.VersionView], error) {
			list, err := s.Catalogue.Versions(ctx, in.ID)
			return &rest.Body[[]titles.VersionView]{Body: list}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("lifeCycle", "/api/life-cycle"),
		func(ctx context.Context, _ rest.Account, in *struct {
			On     string `query:"on" doc:"YYYY-MM-DD; empty is today"`
			Months int    `query:"months" default:"18" minimum:"1" maximum:"120"`
		}) (*rest.Body[titles.LifeCycle], error) {
			day, err := civil.Parse(in.On)
			if err != nil {
				return nil, err
			}
			l, err := s.Catalogue.LifeCycle(ctx, day, in.Months)
			return &rest.Body[titles.LifeCycle]{Body: l}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("putPlan", "/api/plans"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.PlanDraft]) (*rest.Body[rest.Made], error) {
			id, err := s.Catalogue.PutPlan(ctx, in.Body, me.Name)
			return &rest.Body[rest.Made]{Body: rest.Made{ID: id}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("endPlan", "/api/plans/{id}/end"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID   int64 `path:"id"`
			Body struct {
				Why string `json:"why" minLength:"1"`
			}
		}) (*rest.Body[rest.Done], error) {
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, s.Catalogue.EndPlan(ctx, in.ID, in.Body.Why,
				me.Name)
		},
	)
	s.Router.Post("/api/catalogue/offers", s.offerFile)
	s.Router.Get("/api/catalogue.{format}", s.catalogueFile)
}

func (s *routes) decisions() {
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("previewDecision", "/api/names/preview"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.NameDecision]) (*rest.Body[titles.Effect],
			error) {
			e, err := s.Titles.PreviewDecision(ctx, in.Body, me.Name)
			return &rest.Body[titles.Effect]{Body: e}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("decide", "/api/names/decide"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.NameDecision]) (*rest.Body[titles.Effect],
			error) {
			e, err := s.Titles.Decide(ctx, in.Body, me.Name)
			return &rest.Body[titles.Effect]{Body: e}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("withdraw", "/api/names/withdraw"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Key string `json:"key"`
		}]) (*rest.Body[rest.Done], error) {
			err := s.Titles.Withdraw(ctx, in.Body.Key, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("addTitle", "/api/titles"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.NewTitle]) (*rest.Body[struct {
			Product int64 `json:"product"`
		}], error) {
			id, err := s.Titles.AddTitle(ctx, in.Body, me.Name)
			out := &rest.Body[struct {
				Product int64 `json:"product"`
			}]{}
			out.Body.Product = id
			return out, err
		},
	)
}

func (s *routes) lists() {
	rest.List(s.Server, "names", rest.Of(snapshot.NameList))
	rest.List(s.Server, "products", rest.Of(snapshot.ProductList))
	rest.List(s.Server, "publishers", rest.Of(titlesdb.PublisherList))
	rest.List(s.Server, "releases", s.Catalogue.Releases)
}

// queue registers names that wait, and what people do with them.
func (s *routes) queue() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("queue", "/api/names/queue"),
		func(ctx context.Context, me rest.Account, _ *struct{}) (*rest.Body[titles.Queue], error) {
			q, err := s.Titles.Queue(ctx, me.Name)
			return &rest.Body[titles.Queue]{Body: q}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("undo", "/api/names/undo"),
		func(ctx context.Context, me rest.Account, _ *struct{}) (*rest.Body[titles.Undone], error) {
			u, err := s.Titles.Undo(ctx, me.Name)
			return &rest.Body[titles.Undone]{Body: u}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("setAside", "/api/names/later"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Keys []string `json:"keys" minItems:"1" maxItems:"500"`
			Days int      `json:"days" minimum:"1" maximum:"400"`
		}]) (*rest.Body[rest.Done], error) {
			_, err := s.Titles.SetAside(ctx, in.Body.Keys, in.Body.Days, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: len(in.Body.Keys)}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("naming", "/api/names/settings"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[titles.NamingSettings], error) {
			n, err := s.Titles.Naming(ctx)
			return &rest.Body[titles.NamingSettings]{Body: n}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Run,
		rest.Post("setNaming", "/api/names/settings"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.NamingSettings]) (*rest.Body[rest.Done],
			error) {
			err := s.Titles.SetNaming(ctx, in.Body, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("unsigned", "/api/unsigned"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[[]titles.Unsigned], error) {
			list, err := s.Titles.Unsigned(ctx)
			return &rest.Body[[]titles.Unsigned]{Body: list}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("sign", "/api/unsigned/sign"),
		func(ctx context.Context, me rest.Account, in *rest.Body[struct {
			Kind   string `json:"kind" enum:"name,rule,leave_out"`
			ID     int64  `json:"id"`
			Agreed bool   `json:"agreed"`
		}]) (*rest.Body[rest.Done], error) {
			err := s.Titles.Sign(ctx, in.Body.Kind, in.Body.ID, in.Body.Agreed, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, err
		},
	)
}

// rules registers rules for names, suites, and what is left out.
func (s *routes) rules() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("nameRules", "/api/name-rules"),
		func(ctx context.Context, _ rest.Account, _ *struct{}) (*rest.Body[[]titles.RuleView], error) {
			list, err := s.Titles.NameRules(ctx)
			return &rest.Body[[]titles.RuleView]{Body: list}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("previewRule", "/api/name-rules/preview"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.RuleDraft]) (*rest.Body[titles.Effect],
			error) {
			e, err := s.Titles.PreviewRule(ctx, in.Body, me.Name)
			return &rest.Body[titles.Effect]{Body: e}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("putRule", "/api/name-rules"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.RuleDraft]) (*rest.Body[titles.Effect],
			error) {
			e, err := s.Titles.PutRule(ctx, in.Body, me.Name)
			return &rest.Body[titles.Effect]{Body: e}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("changeRule", "/api/name-rules/change"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.RuleChange]) (*rest.Body[rest.Done], error) {
			err := s.Titles.ChangeRule(ctx, in.Body, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("putSuite", "/api/suites"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.SuiteDraft]) (*rest.Body[rest.Made], error) {
			id, err := s.Catalogue.PutSuite(ctx, in.Body, me.Name)
			return &rest.Body[rest.Made]{Body: rest.Made{ID: id}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("dropSuite", "/api/suites/{id}/drop"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[rest.Done], error) {
			err := s.Catalogue.DropSuite(ctx, in.ID, me.Name)
			return &rest.Body[rest.Done]{Body: rest.Done{Count: 1}}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("previewLeaving", "/api/left-out/preview"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.ExclusionDraft]) (*rest.Body[titles.Effect],
			error) {
			e, err := s.Titles.PreviewExclusion(ctx, in.Body, me.Name)
			return &rest.Body[titles.Effect]{Body: e}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Work,
		rest.Post("leave", "/api/left-out"),
		func(ctx context.Context, me rest.Account, in *rest.Body[titles.ExclusionDraft]) (*rest.Body[titles.Effect],
			error) {
			e, err := s.Titles.Exclude(ctx, in.Body, me.Name)
			return &rest.Body[titles.Effect]{Body: e}, err
		},
	)
}

func (s *routes) details() {
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("name", "/api/names/one"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Key string `query:"key"`
		}) (*rest.Body[titles.NameView], error) {
			n, err := s.Titles.Name(ctx, in.Key)
			return &rest.Body[titles.NameView]{Body: n}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("record", "/api/records/{id}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			ID     int64 `path:"id"`
			Device int64 `query:"device"`
		}) (*rest.Body[titles.RecordTrace], error) {
			r, err := s.Titles.Record(ctx, in.ID, in.Device)
			return &rest.Body[titles.RecordTrace]{Body: r}, err
		},
	)
	rest.Handle(
		s.Server,
		access.Look,
		rest.Get("product", "/api/products/{id}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			ID int64 `path:"id"`
		}) (*rest.Body[titles.ProductView], error) {
			p, err := s.Catalogue.Product(ctx, in.ID)
			return &rest.Body[titles.ProductView]{Body: p}, err
		},
	)
}
