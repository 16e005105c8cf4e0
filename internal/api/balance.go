package api

import (
	"context"
	"ensomet/internal/people"
	"ensomet/internal/position"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"

	"ensomet/internal/core/civil"
)

// balance has how positions come about, how they change, and what could be done about them.
func (s *Server) balance() {
	days := func(from, to string) (a, b civil.Day, err error) {
		if a, err = civil.Parse(from); err == nil {
			b, err = civil.Parse(to)
		}
		return a, b, err
	}
	handle(s, people.Look, get("parts", "/api/products/{id}/parts"), func(ctx context.Context, _ who, in *struct {
		ByID
		By   string `query:"by" enum:"unit,country,contract" default:"unit"`
		AsOf string `query:"asOf"`
	}) (*body[[]position.PartsOfMetric], error) {
		day, err := civil.Parse(in.AsOf)
		if err != nil {
			return nil, err
		}
		p, err := s.app.Position.Parts(ctx, in.ID, in.By, day)
		return &body[[]position.PartsOfMetric]{p}, err
	})
	handle(s, people.Look, get("prove", "/api/products/{id}/proof"), func(ctx context.Context, _ who, in *ByID) (*body[[]position.ProofRun], error) {
		p, err := s.app.Position.Prove(ctx, in.ID)
		return &body[[]position.ProofRun]{p}, err
	})
	handle(s, people.Work, post("metricOrder", "/api/products/{id}/metric-order"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			Order []string `json:"order"`
		}
	}) (*body[Done], error) {
		return done(s.app.Position.SetMetricOrder(ctx, in.ID, in.Body.Order, me.Name))
	})
	handle(s, people.Look, get("productSteps", "/api/products/{id}/steps"), func(ctx context.Context, _ who, in *struct {
		ByID
		From string `query:"from" required:"true"`
		To   string `query:"to"`
	}) (*body[position.ProductSteps], error) {
		from, to, err := days(in.From, in.To)
		if err != nil {
			return nil, err
		}
		p, err := s.app.Position.ProductSteps(ctx, in.ID, from, to)
		return &body[position.ProductSteps]{p}, err
	})
	handle(s, people.Look, get("allSteps", "/api/steps"), func(ctx context.Context, _ who, in *struct {
		From  string `query:"from" required:"true"`
		To    string `query:"to"`
		Watch string `query:"watch" maxLength:"60" doc:"a key of your own, under which you can ask how far it is"`
	}) (*body[position.AllSteps], error) {
		from, to, err := days(in.From, in.To)
		if err != nil {
			return nil, err
		}
		ctx, end := s.app.Progress.Follow(ctx, in.Watch)
		defer end()
		p, err := s.app.Position.AllSteps(ctx, from, to)
		return &body[position.AllSteps]{p}, err
	})
	handle(s, people.Look, get("howFar", "/api/how-far/{key}"), func(_ context.Context, _ who, in *struct {
		Key string `path:"key" maxLength:"60"`
	}) (*body[Said], error) {
		return &body[Said]{Said{s.app.Progress.HowFar(in.Key)}}, nil
	})
	handle(s, people.Look, get("baskets", "/api/baskets"), func(ctx context.Context, _ who, _ *none) (*body[[]worklist.Basket], error) {
		b, err := s.app.Worklist.Baskets(ctx)
		return &body[[]worklist.Basket]{b}, err
	})
	handle(s, people.Look, post("tryBasket", "/api/baskets/try"), func(ctx context.Context, _ who, in *struct {
		Body struct {
			Measures []snapshot.BasketMeasure `json:"measures"`
		}
	}) (*body[position.Tried], error) {
		t, err := s.app.Position.TryBasket(ctx, in.Body.Measures)
		return &body[position.Tried]{t}, err
	})
	handle(s, people.Work, post("saveBasket", "/api/baskets"), func(ctx context.Context, me who, in *body[worklist.Basket]) (*body[worklist.Basket], error) {
		b, err := s.app.Worklist.SaveBasket(ctx, in.Body, me.Name)
		return &body[worklist.Basket]{b}, err
	})
	handle(s, people.Work, post("dropBasket", "/api/baskets/{id}/drop"), func(ctx context.Context, me who, in *ByID) (*body[Done], error) {
		return done(s.app.Worklist.DropBasket(ctx, in.ID, me.Name))
	})
	handle(s, people.Work, post("doBasket", "/api/baskets/{id}/do"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			Version int64 `json:"version"`
		}
	}) (*body[worklist.BasketDone], error) {
		d, err := s.app.Worklist.DoBasket(ctx, in.ID, in.Body.Version, me.Name)
		return &body[worklist.BasketDone]{d}, err
	})
	handle(s, people.Look, get("purchaseRequests", "/api/purchase-requests"), func(ctx context.Context, _ who, _ *none) (*body[[]worklistdb.PurchaseRequest], error) {
		r, err := s.app.Worklist.PurchaseRequests(ctx)
		return &body[[]worklistdb.PurchaseRequest]{r}, err
	})
	handle(s, people.Work, post("endPurchaseRequest", "/api/purchase-requests/{id}/end"), func(ctx context.Context, me who, in *struct {
		ByID
		Body struct {
			How string `json:"how" enum:"bought,dropped"`
		}
	}) (*body[Done], error) {
		return done(s.app.Worklist.EndPurchaseRequest(ctx, in.ID, in.Body.How, me.Name))
	})
	handle(s, people.Look, get("statements", "/api/statements"), func(ctx context.Context, _ who, _ *none) (*body[[]positiondb.StoredStatement], error) {
		l, err := s.app.Position.Statements(ctx)
		return &body[[]positiondb.StoredStatement]{l}, err
	})
	handle(s, people.Look, get("statement", "/api/statements/{id}"), func(ctx context.Context, _ who, in *struct {
		ByID
		Today bool `query:"today"`
	}) (*body[position.StatementView], error) {
		v, err := s.app.Position.Statement(ctx, in.ID, in.Today)
		return &body[position.StatementView]{v}, err
	})
	handle(s, people.Work, post("makeStatement", "/api/statements"), func(ctx context.Context, me who, in *struct {
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
		out.Body.ID, err = s.app.Position.MakeStatement(ctx, day, in.Body.Products, in.Body.HandedTo, in.Body.Note, me.Name)
		return out, err
	})
}

// Said is how far some work is, in words.
type Said struct {
	Words string `json:"words"`
}
