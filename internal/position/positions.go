package position

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/edits"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

	"github.com/shopspring/decimal"
)

// ProductPosition is the position of one product, opened into both sides.
type ProductPosition struct {
	ProductID int64
	Publisher string
	Product   string
	AsOf      string
	Words     string
	Metrics   []MetricPosition
	Folded    int64
	Excluded  []Excluded
	Hosting   []HostingSplit // empty where all are on the own sites and need a right of the house
	Revision  int64          // of the order of its metrics
}

// Excluded counts installs of the product that do not count, by reason.
type Excluded struct {
	Reason string
	Count  int64
}

// MetricPosition is one position with its lines and its demand in groups.
type MetricPosition struct {
	Metric   string
	Counted  bool
	Owned    int64
	Needed   int64
	Covered  int64
	Short    int64
	Surplus  int64
	Low      int64
	High     int64
	Free     int64 // covered without a right of its own
	Outside  int64 // devices that have it and that this metric does not count
	Pack     int64 // what it is bought in
	Buy      int64 // packs that would cover what is short
	Terms    []string
	Disagree []string // terms that its lines disagree on; the strictest counts
	Exposure string
	Spare    string
	Currency string
	Proof    ProofView
	Lines    []LineView
	Groups   []GroupView
	Doubt    []DoubtView
}

// ProofView shows that an allocation is the best: no allocation covers more than Bound, at list price, and this one
// covers Covered.
type ProofView struct {
	Covered string
	Bound   string
	Best    bool
	Looked  int // parts of the search where a right can serve several units; 0 where prices alone show it
}

// LineView is an entitlement in a position.
type LineView struct {
	Code      string
	Terms     string
	Effective int64
	Used      int64
	Spare     int64
	Why       string
	Unmatched int64
	Consumed  int64 // used up by upgrades
	Contract  string
	Worth     string // what one more right of it would cover, at list price; empty for nothing
}

// GroupView is demand that is covered by one line for one reason, or not covered for one reason.
type GroupView struct {
	Key    string
	Line   string // empty where nothing covers it
	Reason string
	Count  int
}

// DoubtView is how many devices of a kind the figure knows how much of.
type DoubtView struct {
	Kind  evidence.DeviceKind
	Fresh int64
	Stale int64
	Never int64
}

// UnitView is one unit of demand with what it came to.
type UnitView struct {
	Device     string // device_id
	DeviceName string
	User       string // user_id
	UserName   string
	Unit       string
	Count      int64             // licences of it that this line speaks of
	Whole      int64             // licences that it needs altogether
	Free       bool              // covered without a right of its own
	With       string            // device_id of the device whose right serves it
	Calc       []demand.CalcStep // how the count came about
	Guests     []GuestView
	From       int64 // of a session, in seconds since 1970
	To         int64
	Needs      string
	Line       string
	Reason     string
	Why        string
	Fresh      bool
	LastSeen   int64
	Records    []int64
}

// GuestView is a virtual machine that makes demand on a host.
type GuestView struct {
	Device string
	Name   string
	Cores  int64
}

// productSnapshot loads one product and computes its positions as of a day.
func (svc *Service) productSnapshot(
	tx *sqlite.Tx,
	product int64,
	asOf civil.Day,
	now int64,
) (*snapshot.Snapshot, *snapshot.ProductFacts, []position.Position, error) {
	load := func() (*snapshot.Snapshot, error) { return svc.Snapshots.Load(tx, asOf, now, []int64{product}) }
	if asOf == svc.Snapshots.Today() && now >= svc.Clock.Now().Unix() && !tx.Previewed() {
		load = func() (*snapshot.Snapshot, error) { return svc.Snapshots.LoadToday(tx, []int64{product}) }
	}
	e, err := load()
	if err != nil {
		return nil, nil, nil, err
	}
	f := e.Products[product]
	if f == nil {
		return nil, nil, nil, sqlite.ErrNotFound
	}
	yesterday, err := snapshot.Ways(tx, product)
	if err != nil {
		return nil, nil, nil, err
	}
	return e, f, e.Compute(f, yesterday[product]), nil
}

// ofProduct computes the positions of one product as of a day, by what was known at the end of another, where 0 is
// today in both, and lets fn read them in that state.
func (svc *Service) ofProduct(
	ctx context.Context,
	product int64,
	asOf, known civil.Day,
	fn func(tx *sqlite.Tx, e *snapshot.Snapshot, f *snapshot.ProductFacts, positions []position.Position) error,
) error {
	mark, now, err := svc.markAt(ctx, svc.Snapshots.DayOr(known))
	if err != nil {
		return err
	}
	return svc.at(ctx, mark, []int64{product}, func(tx *sqlite.Tx) error {
		e, f, positions, err := svc.productSnapshot(tx, product, svc.Snapshots.DayOr(asOf), now)
		if err != nil {
			return err
		}
		return fn(tx, e, f, positions)
	})
}

// ProductPosition computes the position of one product as of a day and opens it into both sides, by what was known at
// the end of another day; 0 is today in both.
func (svc *Service) ProductPosition(ctx context.Context, product int64, asOf, known civil.Day) (ProductPosition,
	error) {
	var out ProductPosition
	err := svc.ofProduct(ctx, product, asOf, known, func(tx *sqlite.Tx, e *snapshot.Snapshot,
		f *snapshot.ProductFacts, positions []position.Position) (err error) {
		out = ProductPosition{
			ProductID: f.Id,
			Publisher: f.Product.Publisher,
			Product:   f.Product.Name,
			AsOf:      e.AsOf.String(),
			Metrics:   []MetricPosition{},
			Folded:    f.Folded,
			Excluded:  []Excluded{},
		}
		if out.Revision, err = edits.Revision(tx, edits.Of(edits.Order, product)); err != nil {
			return err
		}
		if f.Folded > 0 {
			out.Excluded = append(out.Excluded, Excluded{"part of a suite on the same device", f.Folded})
		}
		out.Hosting = byHosting(e, f)
		for _, why := range slices.Sorted(maps.Keys(f.LeftOutBy)) {
			out.Excluded = append(out.Excluded, Excluded{why, f.LeftOutBy[why]})
		}
		reasons, err := positiondb.WhyNotOf(tx, product)
		if err != nil {
			return err
		}
		for _, r := range reasons {
			out.Excluded = append(out.Excluded, Excluded{r.Reason, r.Count})
		}
		var words []string
		for i := range positions {
			m := metricView(e, f, &positions[i])
			out.Metrics = append(out.Metrics, m)
			words = append(words, m.words())
		}
		out.Words = strings.Join(words, "; ")
		return nil
	})
	return out, err
}

func (m *MetricPosition) words() string {
	metric := strings.ReplaceAll(m.Metric, "_", " ")
	switch {
	case !m.Counted:
		return fmt.Sprintf("%d owned by %s, whose use is not measured", m.Owned, metric)
	case m.Short > 0:
		return fmt.Sprintf("by %s %d needed, %d owned, %d short", metric, m.Needed, m.Owned, m.Short)
	case m.Surplus > 0:
		return fmt.Sprintf("by %s %d needed, %d owned, %d spare", metric, m.Needed, m.Owned, m.Surplus)
	}
	return fmt.Sprintf("by %s %d needed, %d owned, even", metric, m.Needed, m.Owned)
}

func metricView(e *snapshot.Snapshot, f *snapshot.ProductFacts, p *position.Position) MetricPosition {
	fig := e.Figure(f, p)
	m := MetricPosition{
		Metric:   fig.Metric,
		Counted:  p.Counted,
		Owned:    p.Owned,
		Needed:   p.Needed,
		Covered:  p.Covered,
		Short:    p.Short,
		Surplus:  p.Surplus,
		Low:      p.Low,
		High:     p.High,
		Exposure: fig.Exposure,
		Spare:    fig.SpareValue,
		Currency: fig.Currency,
		Free:     p.Free,
		Outside:  p.Outside,
		Pack:     p.Terms.Pack,
		Buy:      demand.Packs(p.Short, p.Terms.Pack),
		Terms:    termsWords(p),
		Disagree: p.Terms.Disagree,
		Lines:    []LineView{},
		Groups:   []GroupView{},
		Doubt:    []DoubtView{},
		Proof: ProofView{
			Covered: decimal.New(p.Proof.Covered, -4).String(),
			Bound:   decimal.New(p.Proof.Bound, -4).String(),
			Best:    p.Proof.Best,
			Looked:  p.Proof.Looked,
		},
	}
	if m.Disagree == nil {
		m.Disagree = []string{}
	}
	for _, l := range p.Lines {
		why := l.Effect.Why
		worth := ""
		if l.Worth > 1 {
			worth = decimal.New(l.Worth, -4).String()
		}
		m.Lines = append(
			m.Lines,
			LineView{
				l.Line.Code,
				snapshot.Terms(l.Line),
				l.Effect.Quantity,
				l.Used,
				l.Spare,
				why,
				l.Effect.Unmatched,
				l.Effect.Consumed,
				l.Line.Contract,
				worth,
			},
		)
	}
	at := map[string]int{}
	for i := range p.Units {
		key, line, reason := group(p, &p.Units[i])
		k, known := at[key]
		if !known {
			k = len(m.Groups)
			at[key] = k
			m.Groups = append(m.Groups, GroupView{Key: key, Line: line, Reason: reason})
		}
		m.Groups[k].Count += int(p.Units[i].Part)
	}
	slices.SortFunc(m.Groups, func(a, b GroupView) int {
		return cmp.Or(
			cmp.Compare(min(1, len(a.Line)), min(1, len(b.Line))),
			cmp.Compare(b.Count, a.Count),
			cmp.Compare(a.Key, b.Key),
		)
	})
	for _, kind := range evidence.DeviceKinds {
		if fl := e.Fleet[kind]; fl.Stale+fl.Never > 0 {
			m.Doubt = append(m.Doubt, DoubtView{kind, fl.Fresh, fl.Stale, fl.Never})
		}
	}
	return m
}

// termsWords says the terms of a metric by processor or core.
func termsWords(p *position.Position) []string {
	out := []string{}
	if p.Metric != entitle.Core && p.Metric != entitle.Processor {
		return out
	}
	if t := p.Terms; p.Metric == entitle.Core {
		if t.PerProcessor > 0 {
			out = append(out, fmt.Sprintf("at least %d cores for a processor", t.PerProcessor))
		}
		if t.PerServer > 0 {
			out = append(out, fmt.Sprintf("at least %d cores for a server", t.PerServer))
		}
	}
	if p.Terms.Sub {
		return append(out, "sub-capacity: virtual cores count, up to those of the host")
	}
	return append(out, "full capacity: all of each host")
}

// group is the group that a unit belongs to: its line and reason, or its gap.
func group(p *position.Position, u *position.UnitResult) (key, line, reason string) {
	if u.Line >= 0 {
		line, reason = p.Lines[u.Line].Line.Code, u.Reason.String()
	} else {
		reason = u.Gap.String()
		if e := editionsOf(u); u.Gap.OfEdition() && e != "" {
			reason += ": " + e
		}
	}
	return string(p.Metric) + ":" + line + ":" + reason, line, reason
}

// editionsOf names the editions that a unit needs.
func editionsOf(u *position.UnitResult) string {
	var out []string
	for _, n := range u.Set.Needs {
		if n.Edition != "" && !slices.Contains(out, n.Edition) {
			out = append(out, n.Edition)
		}
	}
	return strings.Join(out, ", ")
}

// Positions writes the lines of position.csv as of a day (unknown is today). Figures of today come from storage where
// they are up to date; others are computed.
func (svc *Service) Positions(ctx context.Context, asOf civil.Day, write func([]string) error) error {
	asOf = svc.Snapshots.DayOr(asOf)
	if err := svc.Renewal.Current(ctx); err != nil { // records that came in since are not recognised yet
		return err
	}
	return svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		figures, names, err := svc.figures(tx, asOf)
		if err != nil {
			return err
		}
		for _, f := range figures {
			n := names[f.Product]
			row := []string{n[0], n[1], f.Metric, "", strconv.FormatInt(f.Owned, 10)}
			for _, v := range []int64{f.Needed, f.Covered, f.Short, f.Surplus, f.Low, f.High} {
				text := strconv.FormatInt(v, 10)
				if !f.Counted {
					text = ""
				}
				row = append(row, text)
			}
			exposure, currency := f.Exposure, f.Currency
			if !f.Counted {
				exposure = ""
			}
			if err := write(append(row, exposure, currency, asOf.String())); err != nil {
				return err
			}
		}
		return nil
	})
}

// figures reads today's figures or computes another day's, ordered by publisher, product and metric.
func (svc *Service) figures(tx *sqlite.Tx, asOf civil.Day) ([]snapshot.Figure, map[int64][2]string, error) {
	names := map[int64][2]string{}
	var figures []snapshot.Figure
	products, err := stored.Products(tx)
	if err != nil {
		return nil, nil, err
	}
	for _, p := range products {
		names[p.ID] = [2]string{p.Publisher, p.Name}
	}
	if asOf == svc.Snapshots.Today() {
		figures, err = snapshot.StoredFigures(tx)
	} else {
		figures, err = svc.ComputeFigures(tx, asOf, nil)
	}
	slices.SortFunc(figures, func(x, y snapshot.Figure) int {
		return cmp.Or(
			cmp.Compare(names[x.Product][0], names[y.Product][0]),
			cmp.Compare(names[x.Product][1], names[y.Product][1]),
			cmp.Compare(x.Metric, y.Metric),
		)
	})
	return figures, names, err
}

// ComputeFigures computes every figure of a day from the start.
func (svc *Service) ComputeFigures(
	tx *sqlite.Tx,
	asOf civil.Day,
	yesterday map[int64]map[position.Way]int64,
) ([]snapshot.Figure, error) {
	e, err := svc.Snapshots.Load(tx, asOf, svc.Clock.Now().Unix(), nil)
	if err != nil {
		return nil, err
	}
	var out []snapshot.Figure
	for _, f := range e.Ordered() {
		for _, p := range e.Compute(f, yesterday[f.Id]) {
			out = append(out, e.Figure(f, &p))
		}
	}
	return out, nil
}
