package api

import (
	"bytes"
	"context"
	"ensomet/internal/people"
	"ensomet/internal/titles"
	"fmt"
	"net/http"

	"ensomet/internal/core/civil"

	"github.com/go-chi/chi/v5"
)

// catalogue has what people do with titles and publishers: changing them, taking newer ones, tags, remarks, and plans about releases.
func (s *Server) catalogue() {
	changed := func(ctx context.Context, dry bool, e titles.CatalogueEffect, err error) (*body[titles.CatalogueEffect], error) {
		return &body[titles.CatalogueEffect]{e}, err
	}
	handle(s, people.Work, post("editTitle", "/api/catalogue/titles"), func(ctx context.Context, me who, in *body[titles.TitleEdit]) (*body[titles.CatalogueEffect], error) {
		e, err := s.app.Titles.EditTitle(ctx, in.Body, me.Name)
		return changed(ctx, in.Body.Dry, e, err)
	})
	handle(s, people.Work, post("editProduct", "/api/catalogue/products"), func(ctx context.Context, me who, in *body[titles.ProductEdit]) (*body[titles.CatalogueEffect], error) {
		e, err := s.app.Titles.EditProduct(ctx, in.Body, me.Name)
		return changed(ctx, in.Body.Dry, e, err)
	})
	handle(s, people.Work, post("editPublisher", "/api/catalogue/publishers"), func(ctx context.Context, me who, in *body[titles.PublisherEdit]) (*body[titles.CatalogueEffect], error) {
		e, err := s.app.Titles.EditPublisher(ctx, in.Body, me.Name)
		return changed(ctx, in.Body.Dry, e, err)
	})
	handle(s, people.Work, post("takeOffer", "/api/catalogue/offers/take"), func(ctx context.Context, me who, in *body[titles.OfferTaking]) (*body[titles.CatalogueEffect], error) {
		e, err := s.app.Titles.TakeOffer(ctx, in.Body, me.Name)
		return changed(ctx, in.Body.Dry, e, err)
	})
	handle(s, people.Look, get("updates", "/api/catalogue/updates"), func(ctx context.Context, _ who, _ *struct{}) (*body[titles.Updates], error) {
		u, err := s.app.Titles.Updates(ctx)
		return &body[titles.Updates]{u}, err
	})
	handle(s, people.Look, get("offer", "/api/catalogue/offers/{id}"), func(ctx context.Context, _ who, in *struct {
		ID     int64  `path:"id"`
		Sort   string `query:"sort" enum:"new,changed,conflict,"`
		Search string `query:"q"`
		After  int    `query:"after" minimum:"0"`
		Limit  int    `query:"limit" default:"200" minimum:"1" maximum:"2000"`
	}) (*body[titles.OfferView], error) {
		o, err := s.app.Titles.Offer(ctx, titles.OfferQuery{ID: in.ID, Sort: in.Sort, Search: in.Search, After: in.After, Limit: in.Limit})
		return &body[titles.OfferView]{o}, err
	})
	handle(s, people.Work, post("closeOffer", "/api/catalogue/offers/{id}/close"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Titles.CloseOffer(ctx, in.ID, me.Name)
	})
	handle(s, people.Work, post("offerStarter", "/api/catalogue/starter"), func(ctx context.Context, me who, _ *struct{}) (*body[Made], error) {
		id, err := s.app.Titles.OfferStarter(ctx, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, people.Work, post("setTags", "/api/products/{id}/tags"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			Tags []string `json:"tags" maxItems:"50"`
		}
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Titles.SetTags(ctx, in.ID, in.Body.Tags, me.Name)
	})
	handle(s, people.Look, get("tags", "/api/tags"), func(ctx context.Context, _ who, _ *struct{}) (*body[[]titles.TagCount], error) {
		list, err := s.app.Titles.Tags(ctx)
		return &body[[]titles.TagCount]{list}, err
	})
	handle(s, people.Work, post("watch", "/api/products/{id}/watch"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			On bool `json:"on"`
		}
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Titles.Watch(ctx, in.ID, in.Body.On, me.Name)
	})
	handle(s, people.Work, post("addRemark", "/api/products/{id}/remarks"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			Device string `json:"device" doc:"device_id, for a remark about one install"`
			Text   string `json:"text" maxLength:"4000"`
		}
	}) (*body[Made], error) {
		id, err := s.app.Titles.AddRemark(ctx, in.ID, in.Body.Device, in.Body.Text, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, people.Work, post("dropRemark", "/api/remarks/{id}/drop"), func(ctx context.Context, me who, in *struct {
		ID int64 `path:"id"`
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Titles.DropRemark(ctx, in.ID, me.Name)
	})
	handle(s, people.Look, get("versions", "/api/products/{id}/versions"), func(ctx context.Context, _ who, in *struct {
		ID int64 `path:"id"`
	}) (*body[[]titles.VersionView], error) {
		list, err := s.app.Titles.Versions(ctx, in.ID)
		return &body[[]titles.VersionView]{list}, err
	})
	handle(s, people.Look, get("lifeCycle", "/api/life-cycle"), func(ctx context.Context, _ who, in *struct {
		On     string `query:"on" doc:"YYYY-MM-DD; empty is today"`
		Months int    `query:"months" default:"18" minimum:"1" maximum:"120"`
	}) (*body[titles.LifeCycle], error) {
		day, err := civil.Parse(in.On)
		if err != nil {
			return nil, err
		}
		l, err := s.app.Titles.LifeCycle(ctx, day, in.Months)
		return &body[titles.LifeCycle]{l}, err
	})
	handle(s, people.Work, post("putPlan", "/api/plans"), func(ctx context.Context, me who, in *body[titles.PlanDraft]) (*body[Made], error) {
		id, err := s.app.Titles.PutPlan(ctx, in.Body, me.Name)
		return &body[Made]{Made{id}}, err
	})
	handle(s, people.Work, post("endPlan", "/api/plans/{id}/end"), func(ctx context.Context, me who, in *struct {
		ID   int64 `path:"id"`
		Body struct {
			Why string `json:"why" minLength:"1"`
		}
	}) (*body[Done], error) {
		return &body[Done]{Done{1}}, s.app.Titles.EndPlan(ctx, in.ID, in.Body.Why, me.Name)
	})
	s.router.Post("/api/catalogue/offers", s.offerFile)
	s.router.Get("/api/catalogue.{format}", s.catalogueFile)
}

// offerFile takes a newer catalogue to look its differences through.
func (s *Server) offerFile(w http.ResponseWriter, r *http.Request) {
	me, err := s.need(r.Context(), people.Work)
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
	id, err := s.app.Titles.OfferCatalogue(r.Context(), f, size, r.URL.Query().Get("file"), me.Name)
	if err != nil {
		problem(w, fail(err))
		return
	}
	answer(w, Made{id})
}

// catalogueFile gives the whole catalogue: csv and xlsx the titles, json and cyclonedx besides.
func (s *Server) catalogueFile(w http.ResponseWriter, r *http.Request) {
	if _, err := s.need(r.Context(), people.Look); err != nil {
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
	if err := s.app.Titles.WriteCatalogue(r.Context(), format, &b); err != nil {
		problem(w, fail(err))
		return
	}
	w.Header().Set("Content-Type", kind[0])
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", kind[1]))
	_, _ = b.WriteTo(w) // a reader that went away
}
