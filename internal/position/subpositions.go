package position

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/position"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/splits"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

	"github.com/shopspring/decimal"
)

// PartView is the part of a position that belongs to a unit, a country or a contract.
type PartView struct {
	Name     string // empty is everyone's, or no contract
	Owned    int64  // rights used there, and spare ones that are kept for it
	Used     int64
	Needed   int64
	Covered  int64
	Short    int64
	Surplus  int64
	Exposure string
}

// TransferView proposes to move spare rights to where something is short.
type TransferView struct {
	Line     string
	From     string
	Unit     string
	Country  string
	Quantity int64
	Worth    string // list price of what it covers
}

// PartsOfMetric are the parts of one metric.
type PartsOfMetric struct {
	Metric    string
	Currency  string
	Parts     []PartView
	Transfers []TransferView
}

// Parts splits the position of a product by unit, country or contract, or by what is said of the devices that demand
// stands on (splits.By), as ProductPosition has it. What is said of devices is as it is now.
func (svc *Service) Parts(ctx context.Context, product int64, by string, asOf, known civil.Day) ([]PartsOfMetric,
	error) {
	out := []PartsOfMetric{}
	byDevice := !slices.Contains(byScope, by)
	if byDevice {
		if err := splits.Check(by); err != nil {
			return out, err
		}
	}
	err := svc.ofProduct(ctx, product, asOf, known, func(tx *sqlite.Tx, _ *snapshot.Snapshot,
		f *snapshot.ProductFacts, positions []position.Position) error {
		labels, err := labelsOf(tx, by, product)
		if err != nil {
			return err
		}
		for i := range positions {
			p := &positions[i]
			m := PartsOfMetric{
				Metric:    string(p.Metric),
				Currency:  f.Currency,
				Parts:     []PartView{},
				Transfers: []TransferView{},
			}
			for _, s := range partsOf(p, by, labels) {
				m.Parts = append(
					m.Parts,
					PartView{
						s.Name,
						s.Owned,
						s.Used,
						s.Needed,
						s.Covered,
						s.Short,
						s.Surplus,
						decimal.New(s.Exposure, -4).String(),
					},
				)
			}
			for _, t := range p.Transfers() {
				v := TransferView{Line: t.Line, Unit: t.Unit, Country: t.Country, Quantity: t.Quantity}
				for k := range p.Lines {
					if l := p.Lines[k].Line; l.Code == t.Line {
						v.From = l.ScopeUnit + l.ScopeCountry
					}
				}
				if p.Short > 0 {
					v.Worth = decimal.New(p.Exposure/p.Short*t.Quantity, -4).String()
				}
				m.Transfers = append(m.Transfers, v)
			}
			out = append(out, m)
		}
		return nil
	})
	return out, err
}

// byScope are the splits by which rights are limited, too.
var byScope = []string{"unit", "country", "contract"}

// labelsOf says what devices fall to; nothing where a position is split by scope.
func labelsOf(tx *sqlite.Tx, by string, product int64) (map[int64]string, error) {
	if slices.Contains(byScope, by) {
		return nil, nil
	}
	return splits.Labels(tx, by, product)
}

func partsOf(p *position.Position, by string, labels map[int64]string) []position.Sub {
	if slices.Contains(byScope, by) {
		return p.By(by)
	}
	return p.ByDevice(func(device int64) string { return labels[device] })
}

// ProofRun is what doing an allocation again, by another way, found.
type ProofRun struct {
	Metric  string
	Allowed bool // no right is given out twice, and none where it may not be
	Best    bool // no allocation covers more
	Covered string
	Bound   string
	Same    bool     // the stored figures are those that come out
	Lines   []string // what one more right of each line would cover
}

// Prove works the position of a product out again from its evidence, checks the allocation without trusting how it
// was found, and compares the stored figures.
func (svc *Service) Prove(ctx context.Context, product int64) ([]ProofRun, error) {
	out := []ProofRun{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, f, _, err := svc.productSnapshot(tx, product, svc.Snapshots.Today(), svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		ways, err := snapshot.Ways(tx, product)
		if err != nil {
			return err
		}
		in := e.Input(f, ways[product])
		in.Verify = true
		stored, err := snapshot.StoredFigures(tx)
		if err != nil {
			return err
		}
		for _, p := range position.Compute(in) {
			r := ProofRun{
				Metric:  string(p.Metric),
				Allowed: p.Verified || !p.Counted,
				Best:    p.Proof.Best || !p.Counted,
				Covered: decimal.New(p.Proof.Covered, -4).String(),
				Bound:   decimal.New(p.Proof.Bound, -4).String(),
				Lines:   []string{},
			}
			now := e.Figure(f, &p)
			for _, s := range stored {
				if s.Product == product && s.Metric == r.Metric {
					r.Same = s.Same(now)
				}
			}
			for _, l := range p.Lines {
				if l.Worth > 1 {
					r.Lines = append(
						r.Lines,
						fmt.Sprintf(
							"one more of %s would cover %s %s",
							l.Line.Code,
							decimal.New(l.Worth, -4),
							f.Currency,
						),
					)
				}
			}
			out = append(out, r)
		}
		return nil
	})
	return out, err
}

// metricOrder is the order of a product's metrics as people change it.
type metricOrder struct{ Order []entitle.Metric }

// SetMetricOrder says in which order the metrics of a product cover; none is the usual one. seen is the revision of
// the order that was seen.
func (svc *Service) SetMetricOrder(ctx context.Context, product, seen int64, order []string, who string) error {
	var metrics []entitle.Metric
	for _, m := range order {
		if !slices.Contains(entitle.Metrics, entitle.Metric(m)) {
			return refuse.Errorf("%q is no metric", m)
		}
		if slices.Contains(metrics, entitle.Metric(m)) {
			return refuse.New("name each metric once")
		}
		metrics = append(metrics, entitle.Metric(m))
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		orders, err := stored.MetricOrders(tx)
		if err != nil {
			return err
		}
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Of(edits.Order, product),
			Seen:  seen,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   metricOrder{orders[product]},
			Is:    metricOrder{metrics},
		}); err != nil {
			return err
		}
		if err := positiondb.SetMetricOrder(tx, product, metrics); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "set the order of metrics", fmt.Sprint("product ", product),
			fmt.Sprint(order)); err != nil {
			return err
		}
		return renewal.MarkProducts(tx, product)
	})
}

// PositionsBy writes the lines of position.csv as of a day, each position followed by its parts, as Parts has them:
// scope says which.
func (svc *Service) PositionsBy(ctx context.Context, asOf civil.Day, by string, write func([]string) error) error {
	asOf = svc.Snapshots.DayOr(asOf)
	if !slices.Contains(byScope, by) {
		if err := splits.Check(by); err != nil {
			return err
		}
	}
	return svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, err := svc.Snapshots.Load(tx, asOf, svc.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		ways, err := snapshot.Ways(tx, 0)
		if err != nil {
			return err
		}
		n := func(v int64) string { return strconv.FormatInt(v, 10) }
		list := e.Ordered()
		slices.SortFunc(list, func(x, y *snapshot.ProductFacts) int {
			return cmp.Or(
				cmp.Compare(x.Product.Publisher, y.Product.Publisher),
				cmp.Compare(x.Product.Name, y.Product.Name),
			)
		})
		var labels map[int64]string
		for i, f := range list {
			if i == 0 || by == splits.BySource { // other labels are the same for all products
				if labels, err = labelsOf(tx, by, f.Id); err != nil {
					return err
				}
			}
			for _, p := range e.Compute(f, ways[f.Id]) {
				fig := e.Figure(f, &p)
				row := []string{
					f.Product.Publisher,
					f.Product.Name,
					fig.Metric,
					"",
					n(p.Owned),
					n(p.Needed),
					n(p.Covered),
					n(p.Short),
					n(p.Surplus),
					n(p.Low),
					n(p.High),
					fig.Exposure,
					fig.Currency,
					asOf.String(),
				}
				if !p.Counted {
					for i := 5; i < 12; i++ {
						row[i] = ""
					}
				}
				if err := write(row); err != nil {
					return err
				}
				if !p.Counted {
					continue
				}
				for _, s := range partsOf(&p, by, labels) {
					if err := write([]string{f.Product.Publisher, f.Product.Name, fig.Metric, cmp.Or(s.Name, "(none)"),
						n(s.Owned), n(s.Needed), n(s.Covered), n(s.Short), n(s.Surplus), "", "",
						decimal.New(s.Exposure, -4).String(), fig.Currency, asOf.String()}); err != nil {
						return err
					}
				}
			}
		}
		return nil
	})
}
