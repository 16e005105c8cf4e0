// Package positionhttp has the routes of what is owned against what is needed.
package positionhttp

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strconv"

	"ensomet/internal/core/access"
	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/position"
	"ensomet/internal/progress"
	"ensomet/internal/rest"
	"ensomet/internal/wire"

	"github.com/danielgtaylor/huma/v2"
)

// Stations is what the routes of this station ask.
type Stations struct {
	Position *position.Service
	Progress *progress.Board
	Worklist Removals
}

// Removals lists what open cases about a product would take off devices.
type Removals interface {
	OpenRemovals(ctx context.Context, product int64) ([]casework.Removal, error)
}

type routes struct {
	*rest.Server
	Stations
}

// Register registers the routes of what is owned against what is needed.
func Register(server *rest.Server, stations Stations) {
	s := &routes{server, stations}
	s.statements()
	s.positions()
	s.units()
	s.lists()
	s.products()
	s.waysOut()
}

// statements registers positions as they were handed to somebody.
func (s *routes) statements() {
	rest.Handle(s.Server, access.Viewer, rest.Get("statements", "/api/statements"),
		rest.Plain(s.Position.Statements, rest.All(toStoredStatement)))
	rest.Handle(s.Server, access.Viewer, rest.Get("statement", "/api/statements/{id}"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			Today bool `query:"today"`
		}) (StatementView, error) {
			return rest.One(toStatementView)(s.Position.Statement(ctx, in.ID, in.Today))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("makeStatement", "/api/statements"),
		func(ctx context.Context, me rest.Account, in *struct {
			Body struct {
				AsOf      string  `json:"asOf"`
				Publisher string  `json:"publisher,omitempty" doc:"its products alone"`
				Contract  string  `json:"contract,omitempty" doc:"the products that it has lines of"`
				Unit      string  `json:"unit,omitempty" doc:"with all below it"`
				Products  []int64 `json:"products,omitempty"`
				HandedTo  string  `json:"handedTo"`
				Note      string  `json:"note"`
			}
		}) (rest.Made, error) {
			day, err := civil.Parse(in.Body.AsOf)
			if err != nil {
				return rest.Made{}, err
			}
			b := &in.Body
			scope := position.StatementScope{
				Publisher: b.Publisher,
				Contract:  b.Contract,
				Unit:      b.Unit,
				Products:  b.Products,
			}
			return rest.MadeOr(s.Position.MakeStatement(ctx, day, scope, b.HandedTo, b.Note, me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("checkStatement", "/api/statements/{id}/check"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			Watch string `query:"watch" maxLength:"60" doc:"a key of your own, under which you can ask how far it is"`
		}) (CheckedStatement, error) {
			ctx, end := s.Progress.Follow(ctx, in.Watch)
			defer end()
			return rest.One(toCheckedStatement)(s.Position.CheckStatement(ctx, in.ID))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("statementUnits", "/api/statements/{id}/units"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			Product int64  `query:"product"`
			Metric  string `query:"metric"`
		}) ([]StatementUnit, error) {
			return rest.All(toStatementUnit)(s.Position.StatementUnits(ctx, in.ID, in.Product, in.Metric))
		})
	s.Router.Get("/api/statements/{id}/units.csv", func(w http.ResponseWriter, r *http.Request) {
		id, err := strconv.ParseInt(r.PathValue("id"), 10, 64)
		if err != nil {
			rest.Problem(w, huma.Error404NotFound("There is no such statement."))
			return
		}
		s.Give(w, r, "statement.csv", rest.TableTypes["csv"], func(file io.Writer) error {
			out, err := formats.NewWriter(file, "csv", position.StatementColumns)
			if err != nil {
				return err
			}
			return errors.Join(s.Position.ExportStatement(r.Context(), id, out.Write), out.Close())
		})
	})
}

// positions registers how positions come about, how they change, and what could be done about them.
func (s *routes) positions() {
	days := func(from, to string) (a, b civil.Day, err error) {
		if a, err = civil.Parse(from); err == nil {
			b, err = civil.Parse(to)
		}
		return a, b, err
	}
	rest.Handle(s.Server, access.Viewer, rest.Get("parts", "/api/products/{id}/parts"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			By string `query:"by" default:"unit" doc:"unit, country, contract, or what is said of devices"`
			TwoDays
		}) ([]PartsOfMetric, error) {
			day, known, err := in.days()
			if err != nil {
				return nil, err
			}
			return rest.All(toPartsOfMetric)(s.Position.Parts(ctx, in.ID, in.By, day, known))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("charges", "/api/devices/{code}/charges"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByCode
			After int64 `query:"after" minimum:"0" doc:"charges of titles after this one: next of the answer before"`
		}) (MachineView, error) {
			return rest.One(toMachineView)(s.Position.Charges(ctx, in.Code, in.After))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("prove", "/api/products/{id}/proof"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) ([]ProofRun, error) {
			return rest.All(toProofRun)(s.Position.Prove(ctx, in.ID))
		})
	rest.Handle(s.Server, access.Editor, rest.Post("metricOrder", "/api/products/{id}/metric-order"),
		func(ctx context.Context, me rest.Account, in *struct {
			rest.ByID
			Body struct {
				Order    []string `json:"order"`
				Revision int64    `json:"revision" doc:"that was seen; a save on an older one is refused"`
			}
		}) (rest.Done, error) {
			return rest.DoneOr(s.Position.SetMetricOrder(ctx, in.ID, in.Body.Revision, in.Body.Order, me.Name))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("productSteps", "/api/products/{id}/steps"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			From  string `query:"from" required:"true"`
			To    string `query:"to"`
			Known string `query:"known" enum:"now,then" doc:"each day by what was known at its end, or now; empty is then where it was kept"`
		}) (ProductSteps, error) {
			from, to, err := days(in.From, in.To)
			if err != nil {
				return ProductSteps{}, err
			}
			return rest.One(toProductSteps)(s.Position.ProductSteps(ctx, in.ID, from, to, position.Known(in.Known)))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("allSteps", "/api/steps"),
		func(ctx context.Context, _ rest.Account, in *struct {
			From  string `query:"from" required:"true"`
			To    string `query:"to"`
			Known string `query:"known" enum:"now,then" doc:"each day by what was known at its end, or now; empty is then where it was kept"`
			Watch string `query:"watch" maxLength:"60" doc:"a key of your own, under which you can ask how far it is"`
		}) (AllSteps, error) {
			from, to, err := days(in.From, in.To)
			if err != nil {
				return AllSteps{}, err
			}
			ctx, end := s.Progress.Follow(ctx, in.Watch)
			defer end()
			return rest.One(toAllSteps)(s.Position.AllSteps(ctx, from, to, position.Known(in.Known)))
		})
	rest.Handle(s.Server, access.Viewer, rest.Post("tryScenario", "/api/scenarios/try"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Body struct {
				Measures []wire.Measure `json:"measures"`
			}
		}) (Tried, error) {
			return rest.One(toTried)(s.Position.TryScenario(ctx, rest.Each(in.Body.Measures, wire.FromMeasure)))
		})
}

func (s *routes) units() {
	s.Router.Get("/api/products/{id}/units.csv", func(w http.ResponseWriter, r *http.Request) {
		id, err := strconv.ParseInt(r.PathValue("id"), 10, 64)
		if err != nil {
			rest.Problem(w, huma.Error404NotFound("There is no such product."))
			return
		}
		s.Give(w, r, "demand.csv", rest.TableTypes["csv"], func(file io.Writer) error {
			out, err := formats.NewWriter(file, "csv", position.ExplainColumns)
			if err != nil {
				return err
			}
			return errors.Join(s.Position.Explain(r.Context(), id, 0, out.Write), out.Close())
		})
	})
}

func (s *routes) lists() {
	rest.List(s.Server, "positions", s.Position.PositionsOn, wire.ToPositionRow)
}

// TwoDays asks for the figures of a day by what was known at the end of another; empty is today.
type TwoDays struct {
	AsOf  string `query:"asOf"`
	Known string `query:"known" doc:"by what was known at the end of this day; empty is now"`
}

func (d *TwoDays) days() (asOf, known civil.Day, err error) {
	if asOf, err = civil.Parse(d.AsOf); err == nil {
		known, err = civil.Parse(d.Known)
	}
	return asOf, known, err
}

func (s *routes) products() {
	rest.Handle(s.Server, access.Viewer, rest.Get("position", "/api/products/{id}/position"),
		func(ctx context.Context, _ rest.Account, in *struct {
			rest.ByID
			TwoDays
		}) (ProductPosition, error) {
			day, known, err := in.days()
			if err != nil {
				return ProductPosition{}, err
			}
			return rest.One(toProductPosition)(s.Position.ProductPosition(ctx, in.ID, day, known))
		})
	rest.Handle(s.Server, access.Viewer, rest.Get("units", "/api/products/{id}/units"),
		func(ctx context.Context, _ rest.Account, in *struct {
			ID    int64  `path:"id"`
			Group string `query:"group"`
			Limit int    `query:"limit" default:"500" minimum:"1" maximum:"100000"`
			TwoDays
		}) ([]UnitView, error) {
			day, known, err := in.days()
			if err != nil {
				return nil, err
			}
			return rest.All(toUnitView)(s.Position.Units(ctx, in.ID, in.Group, day, known, in.Limit))
		})
}

func (s *routes) waysOut() {
	rest.Handle(s.Server, access.Viewer, rest.Get("waysOut", "/api/products/{id}/ways-out"),
		func(ctx context.Context, _ rest.Account, in *rest.ByID) ([]WayOut, error) {
			removals, err := s.Worklist.OpenRemovals(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			return rest.All(toWayOut)(s.Position.WaysOut(ctx, in.ID, removals))
		})
}
