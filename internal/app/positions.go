package app

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
	"ensomet/internal/core/position"
	"ensomet/internal/formats"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// ProductPosition is the position of one product, opened into both sides.
type ProductPosition struct {
	ProductID int64            `json:"productId"`
	Publisher string           `json:"publisher"`
	Product   string           `json:"product"`
	AsOf      string           `json:"asOf"`
	Words     string           `json:"words"`
	Metrics   []MetricPosition `json:"metrics"`
	Folded    int64            `json:"folded"`
	Excluded  []Excluded       `json:"excluded"`
}

// Excluded counts installs of the product that do not count, by reason.
type Excluded struct {
	Reason string `json:"reason"`
	Count  int64  `json:"count"`
}

// MetricPosition is one position with its lines and its demand in groups.
type MetricPosition struct {
	Metric   string      `json:"metric"`
	Counted  bool        `json:"counted"`
	Owned    int64       `json:"owned"`
	Needed   int64       `json:"needed"`
	Covered  int64       `json:"covered"`
	Short    int64       `json:"short"`
	Surplus  int64       `json:"surplus"`
	Low      int64       `json:"low"`
	High     int64       `json:"high"`
	Free     int64       `json:"free" doc:"covered without a right of its own"`
	Outside  int64       `json:"outside" doc:"devices that have it and that this metric does not count"`
	Pack     int64       `json:"pack" doc:"what it is bought in"`
	Buy      int64       `json:"buy" doc:"packs that would cover what is short"`
	Terms    []string    `json:"terms"`
	Disagree []string    `json:"disagree" doc:"terms that its lines disagree on; the strictest counts"`
	Exposure string      `json:"exposure"`
	Spare    string      `json:"spare"`
	Currency string      `json:"currency"`
	Proof    ProofView   `json:"proof"`
	Lines    []LineView  `json:"lines"`
	Groups   []GroupView `json:"groups"`
	Doubt    []DoubtView `json:"doubt"`
}

// ProofView shows that an allocation is the best: no allocation covers more than Bound, at list price, and this one covers Covered.
type ProofView struct {
	Covered string `json:"covered"`
	Bound   string `json:"bound"`
	Best    bool   `json:"best"`
	Looked  int    `json:"looked" doc:"parts of the search where a right can serve several units; 0 where prices alone show it"`
}

// LineView is an entitlement in a position.
type LineView struct {
	Code      string `json:"code"`
	Terms     string `json:"terms"`
	Effective int64  `json:"effective"`
	Used      int64  `json:"used"`
	Spare     int64  `json:"spare"`
	Why       string `json:"why"`
	Unmatched int64  `json:"unmatched"`
	Consumed  int64  `json:"consumed" doc:"used up by upgrades"`
	Contract  string `json:"contract"`
	Worth     string `json:"worth" doc:"what one more right of it would cover, at list price; empty for nothing"`
}

// GroupView is demand that is covered by one line for one reason, or not covered for one reason.
type GroupView struct {
	Key    string `json:"key"`
	Line   string `json:"line"` // empty where nothing covers it
	Reason string `json:"reason"`
	Count  int    `json:"count"`
}

// DoubtView is how many devices of a kind the figure knows how much of.
type DoubtView struct {
	Kind  string `json:"kind"`
	Fresh int64  `json:"fresh"`
	Stale int64  `json:"stale"`
	Never int64  `json:"never"`
}

// UnitView is one unit of demand with what it came to.
type UnitView struct {
	Device     string        `json:"device"` // device_id
	DeviceName string        `json:"deviceName"`
	User       string        `json:"user"` // user_id
	UserName   string        `json:"userName"`
	Unit       string        `json:"unit"`
	Count      int64         `json:"count" doc:"licences of it that this line speaks of"`
	Whole      int64         `json:"whole" doc:"licences that it needs altogether"`
	Free       bool          `json:"free" doc:"covered without a right of its own"`
	With       string        `json:"with" doc:"device_id of the device whose right serves it"`
	Calc       []demand.Line `json:"calc" doc:"how the count came about"`
	Guests     []GuestView   `json:"guests"`
	From       int64         `json:"from" doc:"of a session, in seconds since 1970"`
	To         int64         `json:"to"`
	Needs      string        `json:"needs"`
	Line       string        `json:"line"`
	Reason     string        `json:"reason"`
	Why        string        `json:"why"`
	Fresh      bool          `json:"fresh"`
	LastSeen   int64         `json:"lastSeen"`
	Records    []int64       `json:"records"`
}

// GuestView is a virtual machine that makes demand on a host.
type GuestView struct {
	Device string `json:"device"`
	Name   string `json:"name"`
	Cores  int64  `json:"cores"`
}

// productEstate loads one product and computes its positions as of a day.
func (a *App) productEstate(tx *store.Tx, product int64, asOf civil.Day) (*estate, *productFacts, []position.Position, error) {
	e, err := a.loadEstate(tx, asOf, a.Clock.Now().Unix(), []int64{product})
	if err != nil {
		return nil, nil, nil, err
	}
	f := e.products[product]
	if f == nil {
		return nil, nil, nil, store.ErrNotFound
	}
	yesterday, err := tx.Ways(product)
	if err != nil {
		return nil, nil, nil, err
	}
	return e, f, e.compute(f, yesterday[product]), nil
}

func (a *App) dayOr(asOf civil.Day) civil.Day {
	if asOf.Known() {
		return asOf
	}
	return a.Today()
}

// ProductPosition computes the position of one product as of a day (unknown is today) and opens it into both sides.
func (a *App) ProductPosition(ctx context.Context, product int64, asOf civil.Day) (ProductPosition, error) {
	var out ProductPosition
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		e, f, positions, err := a.productEstate(tx, product, a.dayOr(asOf))
		if err != nil {
			return err
		}
		out = ProductPosition{ProductID: f.id, Publisher: f.product.Publisher, Product: f.product.Name, AsOf: e.asOf.String(), Metrics: []MetricPosition{}, Folded: f.folded, Excluded: []Excluded{}}
		if f.folded > 0 {
			out.Excluded = append(out.Excluded, Excluded{"part of a suite on the same device", f.folded})
		}
		for _, why := range slices.Sorted(maps.Keys(f.leftOutBy)) {
			out.Excluded = append(out.Excluded, Excluded{"left out: " + why, f.leftOutBy[why]})
		}
		reasons, err := tx.WhyNotOf(product)
		if err != nil {
			return err
		}
		for _, r := range reasons {
			out.Excluded = append(out.Excluded, Excluded{r.Reason, r.Count})
		}
		var words []string
		for i := range positions {
			m := e.metricView(f, &positions[i])
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

func (e *estate) metricView(f *productFacts, p *position.Position) MetricPosition {
	fig := e.figure(f, p)
	m := MetricPosition{Metric: fig.Metric, Counted: p.Counted, Owned: p.Owned, Needed: p.Needed, Covered: p.Covered, Short: p.Short, Surplus: p.Surplus, Low: p.Low, High: p.High, Exposure: fig.Exposure, Spare: fig.SpareValue, Currency: fig.Currency,
		Free: p.Free, Outside: p.Outside, Pack: p.Terms.Pack, Buy: demand.Packs(p.Short, p.Terms.Pack), Terms: termsWords(p), Disagree: p.Terms.Disagree, Lines: []LineView{}, Groups: []GroupView{}, Doubt: []DoubtView{},
		Proof: ProofView{Covered: decimal.New(p.Proof.Covered, -4).String(), Bound: decimal.New(p.Proof.Bound, -4).String(), Best: p.Proof.Best, Looked: p.Proof.Looked}}
	if m.Disagree == nil {
		m.Disagree = []string{}
	}
	for _, l := range p.Lines {
		why := l.Effect.Why
		worth := ""
		if l.Worth > 1 {
			worth = decimal.New(l.Worth, -4).String()
		}
		m.Lines = append(m.Lines, LineView{l.Line.Code, terms(l.Line), l.Effect.Quantity, l.Used, l.Spare, why, l.Effect.Unmatched, l.Effect.Consumed, l.Line.Contract, worth})
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
		return cmp.Or(cmp.Compare(min(1, len(a.Line)), min(1, len(b.Line))), cmp.Compare(b.Count, a.Count), cmp.Compare(a.Key, b.Key))
	})
	for _, kind := range formats.DeviceKinds {
		if fl := e.fleet[kind]; fl.Stale+fl.Never > 0 {
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
	}
	return string(p.Metric) + ":" + line + ":" + reason, line, reason
}

// terms says a line in words.
func terms(l *entitle.Line) string {
	parts := []string{string(l.Kind)}
	if l.Edition != "" {
		parts = append(parts, l.Edition)
	}
	if l.Version != "" {
		parts = append(parts, "version "+l.Version)
	}
	for _, r := range l.Rights {
		parts = append(parts, strings.ReplaceAll(string(r), "_", " "))
	}
	if l.MaintenanceEnd.Known() {
		parts = append(parts, "maintenance to "+l.MaintenanceEnd.String())
	}
	if l.End.Known() {
		parts = append(parts, "ends "+l.End.String())
	}
	if s := strings.TrimSpace(l.ScopeUnit + " " + l.ScopeCountry); s != "" {
		parts = append(parts, "for "+s)
	}
	return strings.Join(parts, ", ")
}

// Positions writes the lines of position.csv as of a day (unknown is today). Figures of today come from storage where they are up to date; others are computed.
func (a *App) Positions(ctx context.Context, asOf civil.Day, write func([]string) error) error {
	asOf = a.dayOr(asOf)
	if dirty, err := a.Dirty(ctx); err != nil {
		return err
	} else if dirty { // records that came in since are not recognised yet
		if err := a.Refresh(ctx); err != nil {
			return err
		}
	}
	return a.DB.View(ctx, func(tx *store.Tx) error {
		figures, names, err := a.figures(tx, asOf)
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
func (a *App) figures(tx *store.Tx, asOf civil.Day) ([]store.Figure, map[int64][2]string, error) {
	names := map[int64][2]string{}
	var figures []store.Figure
	products, err := tx.Products()
	if err != nil {
		return nil, nil, err
	}
	for _, p := range products {
		names[p.ID] = [2]string{p.Publisher, p.Name}
	}
	if asOf == a.Today() {
		figures, err = tx.Figures()
	} else {
		figures, err = a.computeFigures(tx, asOf, nil)
	}
	slices.SortFunc(figures, func(x, y store.Figure) int {
		return cmp.Or(cmp.Compare(names[x.Product][0], names[y.Product][0]), cmp.Compare(names[x.Product][1], names[y.Product][1]), cmp.Compare(x.Metric, y.Metric))
	})
	return figures, names, err
}

// computeFigures computes every figure of a day from the start.
func (a *App) computeFigures(tx *store.Tx, asOf civil.Day, yesterday map[int64]map[position.Way]int64) ([]store.Figure, error) {
	e, err := a.loadEstate(tx, asOf, a.Clock.Now().Unix(), nil)
	if err != nil {
		return nil, err
	}
	var out []store.Figure
	for _, f := range e.ordered() {
		for _, p := range e.compute(f, yesterday[f.id]) {
			out = append(out, e.figure(f, &p))
		}
	}
	return out, nil
}
