package api

import (
	"context"

	"ensomet/internal/app"
	"ensomet/internal/core/civil"
	"ensomet/internal/store"
)

// balance has how positions come about, how they change, and what could be done about them.
func (s *Server) balance() {
	days := func(from, to string) (a, b civil.Day, err error) {
		if a, err = civil.Parse(from); err == nil {
			b, err = civil.Parse(to)
		}
		return a, b, err
	}
	handle(s, app.Look, get("parts", "/api/products/{id}/parts"), func(ctx context.Context, _ who, in *struct {
		ByID
		By   string `query:"by" enum:"unit,country,contract" default:"unit"`
		AsOf string `query:"asOf"`
	}) (*body[[]app.PartsOfMetric], error) {
		day, err := civil.Parse(in.AsOf)
		if err != nil {
			return nil, err
		}
		p, err := s.app.Parts(ctx, in.ID, in.By, day)
		return &body[[]app.PartsOfMetric]{p}, err
	})
	handle(s, app.Look, get("prove", "/api/products/{id}/proof"), func(ctx context.Context, _ who, in *ByID) (*body[[]app.ProofRun], error) {
		p, err := s.app.Prove(ctx, in.ID)
		return &body[[]app.ProofRun]{p}, err
	})
	handle(s, app.Work, post("metricOrder", "/api/products/{id}/metric-order"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			Order []string `json:"order"`
		}
	}) (*body[Done], error) {
		return done(s.app.SetMetricOrder(ctx, in.ID, in.Body.Order, me.Name))
	})
	handle(s, app.Look, get("productSteps", "/api/products/{id}/steps"), func(ctx context.Context, _ who, in *struct {
		ByID
		From string `query:"from" required:"true"`
		To   string `query:"to"`
	}) (*body[app.ProductSteps], error) {
		from, to, err := days(in.From, in.To)
		if err != nil {
			return nil, err
		}
		p, err := s.app.ProductSteps(ctx, in.ID, from, to)
		return &body[app.ProductSteps]{p}, err
	})
	handle(s, app.Look, get("allSteps", "/api/steps"), func(ctx context.Context, _ who, in *struct {
		From  string `query:"from" required:"true"`
		To    string `query:"to"`
		Watch string `query:"watch" maxLength:"60" doc:"a key of your own, under which you can ask how far it is"`
	}) (*body[app.AllSteps], error) {
		from, to, err := days(in.From, in.To)
		if err != nil {
			return nil, err
		}
		ctx, end := s.app.Progress.Follow(ctx, in.Watch)
		defer end()
		p, err := s.app.AllSteps(ctx, from, to)
		return &body[app.AllSteps]{p}, err
	})
	handle(s, app.Look, get("howFar", "/api/how-far/{key}"), func(_ context.Context, _ who, in *struct {
		Key string `path:"key" maxLength:"60"`
	}) (*body[Said], error) {
		return &body[Said]{Said{s.app.Progress.HowFar(in.Key)}}, nil
	})
	handle(s, app.Look, get("baskets", "/api/baskets"), func(ctx context.Context, _ who, _ *none) (*body[[]app.Basket], error) {
		b, err := s.app.Baskets(ctx)
		return &body[[]app.Basket]{b}, err
	})
	handle(s, app.Look, post("tryBasket", "/api/baskets/try"), func(ctx context.Context, _ who, in *struct {
		Body struct {
			Measures []app.BasketMeasure `json:"measures"`
		}
	}) (*body[app.Tried], error) {
		t, err := s.app.TryBasket(ctx, in.Body.Measures)
		return &body[app.Tried]{t}, err
	})
	handle(s, app.Work, post("saveBasket", "/api/baskets"), func(ctx context.Context, me who, in *body[app.Basket]) (*body[app.Basket], error) {
		b, err := s.app.SaveBasket(ctx, in.Body, me.Name)
		return &body[app.Basket]{b}, err
	})
	handle(s, app.Work, post("dropBasket", "/api/baskets/{id}/drop"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.DropBasket(ctx, in.ID, me.Name))
	})
	handle(s, app.Work, post("doBasket", "/api/baskets/{id}/do"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			Version int64 `json:"version"`
		}
	}) (*body[app.BasketDone], error) {
		d, err := s.app.DoBasket(ctx, in.ID, in.Body.Version, me.Name)
		return &body[app.BasketDone]{d}, err
	})
	handle(s, app.Look, get("purchaseRequests", "/api/purchase-requests"), func(ctx context.Context, _ who, _ *none) (*body[[]store.PurchaseRequest], error) {
		r, err := s.app.PurchaseRequests(ctx)
		return &body[[]store.PurchaseRequest]{r}, err
	})
	handle(s, app.Work, post("endPurchaseRequest", "/api/purchase-requests/{id}/end"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			How string `json:"how" enum:"bought,dropped"`
		}
	}) (*body[Done], error) {
		return done(s.app.EndPurchaseRequest(ctx, in.ID, in.Body.How, me.Name))
	})
	handle(s, app.Look, get("statements", "/api/statements"), func(ctx context.Context, _ who, _ *none) (*body[[]store.StoredStatement], error) {
		l, err := s.app.Statements(ctx)
		return &body[[]store.StoredStatement]{l}, err
	})
	handle(s, app.Look, get("statement", "/api/statements/{id}"), func(ctx context.Context, _ who, in *struct {
		ByID
		Today bool `query:"today"`
	}) (*body[app.StatementView], error) {
		v, err := s.app.Statement(ctx, in.ID, in.Today)
		return &body[app.StatementView]{v}, err
	})
	handle(s, app.Work, post("makeStatement", "/api/statements"), func(ctx context.Context, me who, in *struct {
		Body struct {
			AsOf     string  `json:"asOf"`
			Products []int64 `json:"products"`
			HandedTo string  `json:"handedTo"`
			Note     string  `json:"note"`
		}
	}) (*body[struct {
		ID int64 `json:"id"`
	}], error) {
		day, err := civil.Parse(in.Body.AsOf)
		if err != nil {
			return nil, err
		}
		out := &body[struct {
			ID int64 `json:"id"`
		}]{}
		out.Body.ID, err = s.app.MakeStatement(ctx, day, in.Body.Products, in.Body.HandedTo, in.Body.Note, me.Name)
		return out, err
	})
}

// Said is how far some work is, in words.
type Said struct {
	Words string `json:"words"`
}
