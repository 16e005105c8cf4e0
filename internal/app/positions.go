package app

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
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
	Exposure string      `json:"exposure"`
	Spare    string      `json:"spare"`
	Currency string      `json:"currency"`
	Lines    []LineView  `json:"lines"`
	Groups   []GroupView `json:"groups"`
	Doubt    []DoubtView `json:"doubt"`
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
	Device     string  `json:"device"` // device_id
	DeviceName string  `json:"deviceName"`
	User       string  `json:"user"` // user_id
	UserName   string  `json:"userName"`
	Unit       string  `json:"unit"`
	Needs      string  `json:"needs"`
	Line       string  `json:"line"`
	Reason     string  `json:"reason"`
	Why        string  `json:"why"`
	Fresh      bool    `json:"fresh"`
	LastSeen   int64   `json:"lastSeen"`
	Records    []int64 `json:"records"`
}

// productEstate loads one product and computes its positions as of a day.
func (a *App) productEstate(tx *store.Tx, product int64, asOf civil.Day) (*estate, *productFacts, []position.Position, error) {
	e, err := loadEstate(tx, asOf, a.Clock.Now().Unix(), []int64{product})
	if err != nil {
		return nil, nil, nil, err
	}
	f := e.products[product]
	if f == nil {
		return nil, nil, nil, store.ErrNotFound
	}
	if _, err := e.loadUse(tx); err != nil {
		return nil, nil, nil, err
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
		return fmt.Sprintf("%d owned by %s, whose demand is not computed", m.Owned, metric)
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
		Lines: []LineView{}, Groups: []GroupView{}, Doubt: []DoubtView{}}
	for _, l := range p.Lines {
		why := l.Effect.Why
		m.Lines = append(m.Lines, LineView{l.Line.Code, terms(l.Line), l.Effect.Quantity, l.Used, l.Spare, why, l.Effect.Unmatched})
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
		m.Groups[k].Count++
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

// Units returns the units of one group of a product's position, or of all groups where key is empty, up to limit (0 is all).
func (a *App) Units(ctx context.Context, product int64, key string, asOf civil.Day, limit int) ([]UnitView, error) {
	out := []UnitView{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		e, f, positions, err := a.productEstate(tx, product, a.dayOr(asOf))
		if err != nil {
			return err
		}
		out = e.unitViews(f, positions, key, limit)
		return nil
	})
	return out, err
}

func (e *estate) unitViews(f *productFacts, positions []position.Position, key string, limit int) []UnitView {
	out := []UnitView{}
	holding := map[int64]int{}
	for i, h := range f.holdings {
		holding[h.Device] = i
	}
	person := map[int64]*store.PersonFacts{}
	for i := range e.persons {
		person[e.persons[i].ID] = &e.persons[i]
	}
	for i := range positions {
		p := &positions[i]
		for j := range p.Units {
			u := &p.Units[j]
			k, line, reason := group(p, u)
			if key != "" && k != key {
				continue
			}
			v := UnitView{Unit: u.Place.Unit, Line: line, Reason: reason, Why: u.Why, Fresh: u.Fresh, Needs: needsWords(u), Records: []int64{}}
			if d, ok := e.deviceAt[u.Device]; ok {
				v.Device, v.DeviceName, v.LastSeen = e.devices[d].Code, e.devices[d].Name, e.devices[d].LastScan
			}
			if x := person[u.User]; x != nil {
				v.User, v.UserName = x.Code, x.Name
			}
			if h, ok := holding[u.Device]; ok {
				v.Records = f.units[h].records
			}
			out = append(out, v)
			if limit > 0 && len(out) == limit {
				return out
			}
		}
	}
	return out
}

func needsWords(u *position.UnitResult) string {
	var out []string
	for _, n := range u.Set.Needs {
		if s := strings.TrimSpace(n.Edition + " " + n.Version); s != "" {
			out = append(out, s)
		}
	}
	return strings.Join(out, ", ")
}

// FindProducts returns the products whose name, or publisher and name, is exactly text after cleaning; it serves the command line.
func (a *App) FindProducts(ctx context.Context, text string) ([]int64, error) {
	var out []int64
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		keys, err := tx.ProductKeys()
		if err != nil {
			return err
		}
		suffix := store.ProductKey("", text)
		for key, id := range keys {
			if strings.HasSuffix(key, suffix) || strings.ReplaceAll(key, "|", " ") == strings.TrimPrefix(suffix, "|") {
				out = append(out, id)
			}
		}
		slices.Sort(out)
		return nil
	})
	return out, err
}

// ExplainColumns are the columns of an explanation, a line for each unit of demand.
var ExplainColumns = strings.Fields("publisher product metric device_id user_id org_unit needs covered_by reason counted_because fresh last_seen")

// Explain writes a line for each unit of demand of a product: what covers it, or the nearest reason why nothing does.
func (a *App) Explain(ctx context.Context, product int64, asOf civil.Day, write func([]string) error) error {
	return a.DB.View(ctx, func(tx *store.Tx) error {
		e, f, positions, err := a.productEstate(tx, product, a.dayOr(asOf))
		if err != nil {
			return err
		}
		for i := range positions {
			for _, u := range e.unitViews(f, positions[i:i+1], "", 0) {
				fresh := "false"
				if u.Fresh {
					fresh = "true"
				}
				if err := write([]string{f.product.Publisher, f.product.Name, string(positions[i].Metric), u.Device, u.User, u.Unit, u.Needs, u.Line, u.Reason, u.Why, fresh, day(u.LastSeen)}); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Positions writes the lines of position.csv as of a day (unknown is today). Figures of today come from storage where they are up to date; others are computed.
func (a *App) Positions(ctx context.Context, asOf civil.Day, write func([]string) error) error {
	if !asOf.Known() || asOf == a.Today() {
		if dirty, err := a.Dirty(ctx); err != nil {
			return err
		} else if dirty {
			if err := a.Refresh(ctx); err != nil {
				return err
			}
		}
		asOf = a.Today()
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
	e, err := loadEstate(tx, asOf, a.Clock.Now().Unix(), nil)
	if err != nil {
		return nil, err
	}
	if _, err := e.loadUse(tx); err != nil {
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

// Check returns what is wrong with the file: SQLite's own complaints, and every stored figure that a full recomputation does not give.
func (a *App) Check(ctx context.Context) ([]string, error) {
	wrong, err := a.DB.Integrity(ctx)
	if err != nil {
		return nil, err
	}
	dirty, err := a.Dirty(ctx)
	if err != nil {
		return nil, err
	}
	if dirty {
		if err := a.Refresh(ctx); err != nil {
			return nil, err
		}
	}
	err = a.DB.View(ctx, func(tx *store.Tx) error {
		g, _, _, err := recogniser(tx)
		if err != nil {
			return err
		}
		stored, err := tx.Recognitions()
		if err != nil {
			return err
		}
		records, err := tx.AllRecords(false)
		if err != nil {
			return err
		}
		byRecord := make(map[int64]store.Recognition, len(stored))
		for _, n := range stored {
			byRecord[n.Record] = n
		}
		for i := range records {
			if got := recognition(g, &records[i]); byRecord[records[i].ID] != got {
				wrong = append(wrong, fmt.Sprintf("record %d is stored as another title than it is recognised as", records[i].ID))
			}
		}
		ways, err := tx.Ways(0)
		if err != nil {
			return err
		}
		figures, err := tx.Figures()
		if err != nil {
			return err
		}
		again, err := a.computeFigures(tx, a.Today(), ways)
		if err != nil {
			return err
		}
		wrong = append(wrong, differences(figures, again)...)
		return nil
	})
	return wrong, err
}

func differences(stored, again []store.Figure) []string {
	type id struct {
		product int64
		metric  string
	}
	var out []string
	known := map[id]store.Figure{}
	for _, f := range stored {
		known[id{f.Product, f.Metric}] = f
	}
	for _, f := range again {
		k := id{f.Product, f.Metric}
		s, ok := known[k]
		delete(known, k)
		if !ok || fmt.Sprint(plain(s)) != fmt.Sprint(plain(f)) {
			out = append(out, fmt.Sprintf("the stored position of product %d by %s is not what a full recomputation gives", f.Product, f.Metric))
		}
	}
	for k := range known {
		out = append(out, fmt.Sprintf("the stored position of product %d by %s does not exist in a full recomputation", k.product, k.metric))
	}
	return out
}

// plain brings amounts to one form for comparing.
func plain(f store.Figure) store.Figure {
	for _, s := range []*string{&f.Exposure, &f.SpareValue} {
		if d, err := decimal.NewFromString(*s); err == nil {
			*s = d.String()
		}
	}
	return f
}
