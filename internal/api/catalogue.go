package api

import (
	"bytes"
	"context"
	"fmt"
	"net/http"

	"ensomet/internal/app"
	"ensomet/internal/core/civil"

	"github.com/go-chi/chi/v5"
)

// catalogue has what people do with titles and publishers: changing them, taking newer ones, tags, remarks, and plans about releases.
func (s *Server) catalogue() {
	changed := func(ctx context.Context, dry bool, e app.CatalogueEffect, err error) (*body[app.CatalogueEffect], error) {
		return &body[app.CatalogueEffect]{e}, err
	}
	handle(s, app.Work, post("editTitle", "/api/catalogue/titles"), func(ctx context.Context, me who, in *body[app.TitleEdit]) (*body[app.CatalogueEffect], error) {
		e, err := s.app.EditTitle(ctx, in.Body, me.Name)
		return changed(ctx, in.Body.Dry, e, err)
	})
	handle(s, app.Work, post("editProduct", "/api/catalogue/products"), func(ctx context.Context, me who, in *body[app.ProductEdit]) (*body[app.CatalogueEffect], error) {
		e, err := s.app.EditProduct(ctx, in.Body, me.Name)
		return changed(ctx, in.Body.Dry, e, err)
	})
	handle(s, app.Work, post("editPublisher", "/api/catalogue/publishers"), func(ctx context.Context, me who, in *body[app.PublisherEdit]) (*body[app.CatalogueEffect], error) {
		e, err := s.app.EditPublisher(ctx, in.Body, me.Name)
		return changed(ctx, in.Body.Dry, e, err)
	})
	handle(s, app.Work, post("takeOffer", "/api/catalogue/offers/take"), func(ctx context.Context, me who, in *body[app.OfferTaking]) (*body[app.CatalogueEffect], error) {
		e, err := s.app.TakeOffer(ctx, in.Body, me.Name)
		return changed(ctx, in.Body.Dry, e, err)
	})
	handle(s, app.Look, get("updates", "/api/catalogue/updates"), func(ctx context.Context, _ who, _ *struct{}) (*body[app.Updates], error) {
		u, err := s.app.Updates(ctx)
		return &body[app.Updates]{u}, err
	})
	handle(s, app.Look, get("offer", "/api/catalogue/offers/{id}"), func(ctx context.Context, _ who, in *struct {
		ID     int64  `path:"id"`
		Sort   string `query:"sort" enum:"new,changed,conflict,"`
		Search string `query:"q"`
		After  int    `query:"after" minimum:"0"`
		Limit  int    `query:"limit" default:"200" minimum:"1" maximum:"2000"`
	}) (*body[app.OfferView], error) {
		o, err := s.app.Offer(ctx, app.OfferQuery{ID: in.ID, Sort: in.Sort, Search: in.Search, After: in.After, Limit: in.Limit})
		return &body[app.OfferView]{o}, err
	})
	handle(s, app.Work, post("closeOffer", "/api/catalogue/offers/{id}/close"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.CloseOffer(ctx, in.ID, me.Name)
	})
	handle(s, app.Work, post("offerStarter", "/api/catalogue/starter"), func(ctx context.Context, me who, _ *struct{}) (*body[Made], error) {
		id, err := s.app.OfferStarter(ctx, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, app.Work, post("setTags", "/api/products/{id}/tags"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			Tags []string `json:"tags" maxItems:"50"`
		}
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.SetTags(ctx, in.ID, in.Body.Tags, me.Name)
	})
	handle(s, app.Look, get("tags", "/api/tags"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]app.TagCount], error) {
		list, err := s.app.Tags(ctx)
		return &body[[]app.TagCount]{list}, err
	})
	handle(s, app.Work, post("watch", "/api/products/{id}/watch"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			On bool `json:"on"`
		}
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Watch(ctx, in.ID, in.Body.On, me.Name)
	})
	handle(s, app.Work, post("addRemark", "/api/products/{id}/remarks"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			Device string `json:"device" doc:"device_id, for a remark about one install"`
			Text   string `json:"text" maxLength:"4000"`
		}
	}) (*body[Made], error) {
		id, err := s.app.AddRemark(ctx, in.ID, in.Body.Device, in.Body.Text, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, app.Work, post("dropRemark", "/api/remarks/{id}/drop"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.DropRemark(ctx, in.ID, me.Name)
	})
	handle(s, app.Look, get("versions", "/api/products/{id}/versions"), func(ctx context.Context, _ who, in *struct {
		ID int64 `path:"id"`
	}) (*body[[]app.VersionView], error) {
		list, err := s.app.Versions(ctx, in.ID)
		return &body[[]app.VersionView]{list}, err
	})
	handle(s, app.Look, get("lifeCycle", "/api/life-cycle"), func(ctx context.Context, _ who, in *struct {
		On     string `query:"on" doc:"YYYY-MM-DD; empty is today"`
		Months int    `query:"months" default:"18" minimum:"1" maximum:"120"`
	}) (*body[app.LifeCycle], error) {
		day, err := civil.Parse(in.On)
		if err != nil {
			return nil, err
		}
		l, err := s.app.LifeCycle(ctx, day, in.Months)
		return &body[app.LifeCycle]{l}, err
	})
	handle(s, app.Work, post("putPlan", "/api/plans"), func(ctx context.Context, me who, in *body[app.PlanDraft]) (*body[Made], error) {
		id, err := s.app.PutPlan(ctx, in.Body, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, app.Work, post("endPlan", "/api/plans/{id}/end"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			Why string `json:"why" minLength:"1"`
		}
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.EndPlan(ctx, in.ID, in.Body.Why, me.Name)
	})
	s.router.Post("/api/catalogue/offers", s.offerFile)
	s.router.Get("/api/catalogue.{format}", s.catalogueFile)
}

// offerFile takes a newer catalogue to look its differences through.
func (s *Server) offerFile(w http.ResponseWriter, r *http.Request) {
	me, err := s.need(r.Context(), app.Work)
	if err != nil {
		problem(w, err)
		return
	}
	f, size, err := spool(w, r, maxLook)
	if err != nil {
		problem(w, fail(err))
		return
	}
	defer f.Close()
	id, err := s.app.OfferCatalogue(r.Context(), f, size, r.URL.Query().Get("file"), me.Name)
	if err != nil {
		problem(w, fail(err))
		return
	}
	answer(w, Made{id})
}

// catalogueFile gives the whole catalogue: csv and xlsx the titles, json and cyclonedx besides.
func (s *Server) catalogueFile(w http.ResponseWriter, r *http.Request) {
	if _, err := s.need(r.Context(), app.Look); err != nil {
		problem(w, err)
		return
	}
	format := chi.URLParam(r, "format")
	kind, known := map[string][2]string{"csv": {"text/csv; charset=utf-8", "titles.csv"}, "xlsx": {"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "titles.xlsx"},
		"json": {"application/json", "catalogue.json"}, "cyclonedx": {"application/vnd.cyclonedx+json", "catalogue.cdx.json"}}[format]
	if !known {
		http.NotFound(w, r)
		return
	}
	var b bytes.Buffer
	if err := s.app.WriteCatalogue(r.Context(), format, &b); err != nil {
		problem(w, fail(err))
		return
	}
	w.Header().Set("Content-Type", kind[0])
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", kind[1]))
	_, _ = b.WriteTo(w) // a reader that went away
}
