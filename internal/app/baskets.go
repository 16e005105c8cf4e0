package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/position"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// BasketMeasure is one measure of a basket, in the words of people: codes instead of numbers. Which fields count depends on its kind.
type BasketMeasure struct {
	Kind     string   `json:"kind" enum:"remove,reclaim,move,buy,upgrade,version,metric,right,maintenance,lapse"`
	Product  int64    `json:"product"`
	Devices  []string `json:"devices,omitempty" doc:"device_id"`
	Users    []string `json:"users,omitempty" doc:"user_id"`
	Line     string   `json:"line,omitempty" doc:"entitlement_id"`
	Quantity int64    `json:"quantity,omitempty"`
	Unit     string   `json:"unit,omitempty"`
	Country  string   `json:"country,omitempty"`
	Version  string   `json:"version,omitempty"`
	Edition  string   `json:"edition,omitempty"`
	Metric   string   `json:"metric,omitempty"`
	Right    string   `json:"right,omitempty"`
	Until    string   `json:"until,omitempty"`
	Price    string   `json:"price,omitempty" doc:"of one; empty is the price of the line, else the list price"`
	Currency string   `json:"currency,omitempty"`
}

// Basket is measures that are tried together.
type Basket struct {
	ID        int64           `json:"id"`
	Name      string          `json:"name"`
	Note      string          `json:"note"`
	Measures  []BasketMeasure `json:"measures"`
	Author    string          `json:"author"`
	At        int64           `json:"at"`
	ChangedAt int64           `json:"changedAt"`
	Version   int64           `json:"version" doc:"the version that is being changed; another one's changes are not overwritten"`
	DoneAt    int64           `json:"doneAt"`
	DoneBy    string          `json:"doneBy"`
}

// TriedFigures are a position's figures before or after.
type TriedFigures struct {
	Owned    int64  `json:"owned"`
	Needed   int64  `json:"needed"`
	Covered  int64  `json:"covered"`
	Short    int64  `json:"short"`
	Surplus  int64  `json:"surplus"`
	Low      int64  `json:"low"`
	High     int64  `json:"high"`
	Exposure string `json:"exposure"`
}

// TriedPosition is a position before and after all measures.
type TriedPosition struct {
	ProductID int64        `json:"productId"`
	Publisher string       `json:"publisher"`
	Product   string       `json:"product"`
	Metric    string       `json:"metric"`
	Currency  string       `json:"currency"`
	Before    TriedFigures `json:"before"`
	After     TriedFigures `json:"after"`
}

// TriedMeasure is what one measure does after those before it.
type TriedMeasure struct {
	Words    string `json:"words"`
	Error    string `json:"error" doc:"why it cannot be; then it is passed over"`
	Cost     string `json:"cost"`
	Saves    string `json:"saves" doc:"what is no longer paid at the next renewal"`
	Currency string `json:"currency"`
	Short    int64  `json:"short" doc:"by how much the shortfall changes"`
	Surplus  int64  `json:"surplus"`
}

// Tried is what a basket would do. Money is in euros; amounts without a rate are left out and counted.
type Tried struct {
	Positions      []TriedPosition `json:"positions"`
	Measures       []TriedMeasure  `json:"measures"`
	ExposureBefore string          `json:"exposureBefore"`
	ExposureAfter  string          `json:"exposureAfter"`
	Cost           string          `json:"cost"`
	Saves          string          `json:"saves"`
	Without        int             `json:"without"`
}

func tried(p *position.Position) TriedFigures {
	return TriedFigures{p.Owned, p.Needed, p.Covered, p.Short, p.Surplus, p.Low, p.High, decimal.New(p.Exposure, -4).String()}
}

// TryBasket works out what measures would do together, in their order. Nothing is changed.
func (a *App) TryBasket(ctx context.Context, measures []BasketMeasure) (Tried, error) {
	out := Tried{Positions: []TriedPosition{}, Measures: []TriedMeasure{}}
	var products []int64
	for _, m := range measures {
		products = append(products, m.Product)
	}
	if products = compact(products); len(products) == 0 {
		out.ExposureBefore, out.ExposureAfter, out.Cost, out.Saves = "0", "0", "0", "0"
		return out, nil
	}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), products)
		if err != nil {
			return err
		}
		inputs, now := map[int64]position.Input{}, map[int64][]position.Position{}
		var before, after, cost, saves decimal.Decimal
		euros := func(d decimal.Decimal, currency string) decimal.Decimal {
			if d.IsZero() {
				return d
			}
			c, err := e.rates.Convert(d, currency, money.Base, e.asOf)
			if err != nil {
				out.Without++
				return decimal.Zero
			}
			return c
		}
		first := map[int64][]position.Position{}
		for _, id := range products {
			f := e.products[id]
			if f == nil {
				return store.ErrNotFound
			}
			yesterday, err := tx.Ways(id)
			if err != nil {
				return err
			}
			inputs[id] = e.input(f, yesterday[id])
			now[id] = position.Compute(inputs[id])
			first[id] = now[id]
		}
		for i := range measures {
			m := &measures[i]
			f := e.products[m.Product]
			t := TriedMeasure{Words: measureWords(m, f.product.Name)}
			core, err := e.measure(f, m)
			if err == nil {
				var next position.Input
				if next, err = position.Apply(inputs[m.Product], core, i); err == nil {
					c, s, currency := e.costOf(f, &core)
					t.Cost, t.Saves, t.Currency = c.String(), s.String(), currency
					cost, saves = cost.Add(euros(c, currency)), saves.Add(euros(s, currency))
					ps := position.Compute(next)
					t.Short, t.Surplus = sumShort(ps)-sumShort(now[m.Product]), sumSurplus(ps)-sumSurplus(now[m.Product])
					inputs[m.Product], now[m.Product] = next, ps
				}
			}
			if err != nil {
				t.Error = err.Error()
			}
			out.Measures = append(out.Measures, t)
		}
		for _, id := range products {
			f := e.products[id]
			by := map[entitle.Metric]*TriedPosition{}
			at := func(m entitle.Metric) *TriedPosition {
				if by[m] == nil {
					zero := TriedFigures{Exposure: "0"}
					by[m] = &TriedPosition{ProductID: id, Publisher: f.product.Publisher, Product: f.product.Name, Metric: string(m), Currency: f.currency, Before: zero, After: zero}
				}
				return by[m]
			}
			for i := range first[id] {
				p := &first[id][i]
				at(p.Metric).Before = tried(p)
				before = before.Add(euros(decimal.New(p.Exposure, -4), f.currency))
			}
			for i := range now[id] {
				p := &now[id][i]
				at(p.Metric).After = tried(p)
				after = after.Add(euros(decimal.New(p.Exposure, -4), f.currency))
			}
			for _, m := range entitle.Metrics {
				if by[m] != nil {
					out.Positions = append(out.Positions, *by[m])
				}
			}
		}
		out.ExposureBefore, out.ExposureAfter, out.Cost, out.Saves = before.Round(2).String(), after.Round(2).String(), cost.Round(2).String(), saves.Round(2).String()
		return nil
	})
	return out, err
}

func sumShort(ps []position.Position) (n int64) {
	for i := range ps {
		n += ps[i].Short
	}
	return n
}

func sumSurplus(ps []position.Position) (n int64) {
	for i := range ps {
		n += ps[i].Surplus
	}
	return n
}

// measure turns words into numbers.
func (e *estate) measure(f *productFacts, m *BasketMeasure) (position.Measure, error) {
	out := position.Measure{Kind: position.MeasureKind(m.Kind), Line: m.Line, Quantity: m.Quantity, Unit: m.Unit, Country: m.Country, Version: m.Version, Edition: m.Edition, Metric: entitle.Metric(m.Metric), Right: entitle.Right(m.Right), Currency: m.Currency}
	out.Rank = rankOf(f.product, m.Edition)
	if m.Edition == "" && m.Line != "" {
		for i := range f.lines {
			if l := &f.lines[i]; l.Code == m.Line {
				out.Edition, out.Rank = l.Edition, l.EditionRank
			}
		}
	}
	for _, code := range m.Devices {
		i := slices.IndexFunc(e.devices, func(d store.DeviceFacts) bool { return d.Code == code })
		if i < 0 {
			return out, fmt.Errorf("there is no device %q", code)
		}
		out.Devices = append(out.Devices, e.devices[i].ID)
	}
	for _, code := range m.Users {
		i, known := e.personAt[code]
		if !known {
			return out, fmt.Errorf("there is no user %q", code)
		}
		out.Users = append(out.Users, e.persons[i].ID)
	}
	if out.Metric != "" && !slices.Contains(entitle.Metrics, out.Metric) {
		return out, fmt.Errorf("%q is no metric", m.Metric)
	}
	if out.Right != "" && !slices.Contains(entitle.Rights, out.Right) {
		return out, fmt.Errorf("%q is no right", m.Right)
	}
	var err error
	if out.Until, err = civil.Parse(m.Until); err != nil {
		return out, err
	}
	if m.Price != "" {
		d, err := decimal.NewFromString(m.Price)
		if err != nil || d.IsNegative() {
			return out, fmt.Errorf("%q is not a price", m.Price)
		}
		out.Price = decimal.NewNullDecimal(d)
	}
	return out, nil
}

// costOf is what a measure costs once, and what it saves at the next renewal. Without a price of its own, what is bought like a line costs what that line did, else the list price.
func (e *estate) costOf(f *productFacts, m *position.Measure) (cost, saves decimal.Decimal, currency string) {
	var line *entitle.Line
	for i := range f.lines {
		if f.lines[i].Code == m.Line {
			line = &f.lines[i]
		}
	}
	currency = f.currency
	if m.Currency != "" {
		currency = m.Currency
	}
	times := func(price decimal.Decimal, n int64) decimal.Decimal { return price.Mul(decimal.NewFromInt(n)) }
	switch m.Kind {
	case position.Buy, position.UpgradeTo, position.Maintain:
		quantity := m.Quantity
		if m.Kind == position.Maintain && quantity == 0 && line != nil {
			quantity = line.Quantity
		}
		switch {
		case m.Price.Valid:
			return times(m.Price.Decimal, quantity), decimal.Zero, currency
		case m.Kind == position.Buy && line != nil && line.UnitPrice.Valid:
			return times(line.UnitPrice.Decimal, quantity), decimal.Zero, line.Currency
		case m.Kind == position.Buy:
			value := int64(0)
			for i := range f.product.Titles {
				if t := &f.product.Titles[i]; t.Edition == m.Edition || m.Edition == "" {
					value = max(value, e.price(f, t))
				}
			}
			pack := int64(1)
			if line != nil {
				pack = max(1, line.PackSize)
			}
			return times(decimal.New(value, -4), quantity*pack), decimal.Zero, f.currency
		}
	case position.Lapse:
		if line != nil && line.UnitPrice.Valid {
			return decimal.Zero, times(line.UnitPrice.Decimal, line.Quantity), line.Currency
		}
	}
	return decimal.Zero, decimal.Zero, currency
}

func measureWords(m *BasketMeasure, product string) string {
	n := func(k int, one string) string {
		if k == 1 {
			return "1 " + one
		}
		return fmt.Sprintf("%d %ss", k, one)
	}
	scope := strings.TrimSpace(m.Unit + " " + m.Country)
	switch position.MeasureKind(m.Kind) {
	case position.Remove:
		return fmt.Sprintf("remove %s from %s", product, n(len(m.Devices), "device"))
	case position.Reclaim:
		return fmt.Sprintf("take back %s of %s", n(len(m.Users), "seat"), product)
	case position.Move:
		return fmt.Sprintf("move %d of %s to %s", m.Quantity, m.Line, scope)
	case position.Buy:
		if m.Line != "" {
			return fmt.Sprintf("buy %d %s like %s", m.Quantity, product, m.Line)
		}
		return strings.TrimSpace(fmt.Sprintf("buy %d %s %s by %s", m.Quantity, product, strings.TrimSpace(m.Edition+" "+m.Version), strings.ReplaceAll(m.Metric, "_", " ")))
	case position.UpgradeTo:
		return fmt.Sprintf("upgrade %d of %s to %s", m.Quantity, m.Line, strings.TrimSpace(m.Edition+" "+m.Version))
	case position.Reversion:
		return fmt.Sprintf("put version %s of %s on %s", m.Version, product, n(len(m.Devices), "device"))
	case position.Metric:
		return fmt.Sprintf("count %s by %s", m.Line, strings.ReplaceAll(m.Metric, "_", " "))
	case position.Right:
		return fmt.Sprintf("give %s the right to %s", m.Line, strings.ReplaceAll(m.Right, "_", " "))
	case position.Maintain:
		return fmt.Sprintf("keep maintenance of %s up to %s", m.Line, m.Until)
	case position.Lapse:
		return fmt.Sprintf("let %s lapse", m.Line)
	}
	return m.Kind
}

func basketOf(b store.StoredBasket) (Basket, error) {
	out := Basket{ID: b.ID, Name: b.Name, Note: b.Note, Measures: []BasketMeasure{}, Author: b.Author, At: b.At, ChangedAt: b.ChangedAt, Version: b.Version, DoneAt: b.DoneAt, DoneBy: b.DoneBy}
	return out, json.Unmarshal([]byte(b.Measures), &out.Measures)
}

// Baskets lists the baskets.
func (a *App) Baskets(ctx context.Context) ([]Basket, error) {
	out := []Basket{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, err := tx.Baskets()
		if err != nil {
			return err
		}
		for _, b := range list {
			one, err := basketOf(b)
			if err != nil {
				return err
			}
			out = append(out, one)
		}
		return nil
	})
	return out, err
}

// ErrChangedMeanwhile says that somebody else changed what is being saved.
var ErrChangedMeanwhile = errors.New("somebody else changed it meanwhile: look at what it is now, then do it again")

// SaveBasket keeps a basket; one without number is new.
func (a *App) SaveBasket(ctx context.Context, b Basket, who string) (Basket, error) {
	if b.Name = strings.TrimSpace(b.Name); b.Name == "" {
		return b, errors.New("give the basket a name, so that others find it")
	}
	measures, err := json.Marshal(b.Measures)
	if err != nil {
		return b, err
	}
	err = a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		s := store.StoredBasket{ID: b.ID, Name: b.Name, Note: b.Note, Measures: string(measures), Author: who, At: now.Unix(), ChangedAt: now.Unix(), Version: b.Version}
		if b.ID != 0 {
			old, err := tx.Basket(b.ID)
			if err != nil {
				return err
			}
			if old.DoneAt != 0 {
				return errors.New("this basket has been done: make a new one")
			}
		}
		id, fits, err := tx.PutBasket(s)
		if err != nil {
			return err
		}
		if !fits {
			return ErrChangedMeanwhile
		}
		if s, err = tx.Basket(id); err != nil {
			return err
		}
		if b, err = basketOf(s); err != nil {
			return err
		}
		return tx.Note(now, who, "kept a basket of measures", b.Name, fmt.Sprintf("%d measures", len(b.Measures)))
	})
	return b, err
}

// DropBasket puts a basket away.
func (a *App) DropBasket(ctx context.Context, id int64, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		b, err := tx.Basket(id)
		if err != nil {
			return err
		}
		now := a.Clock.Now()
		if err := tx.DropBasket(id, now.Unix()); err != nil {
			return err
		}
		return tx.Note(now, who, "dropped a basket of measures", b.Name, "")
	})
}

// BasketDone says what a basket was turned into.
type BasketDone struct {
	Cases    int      `json:"cases"`
	Seats    int      `json:"seats" doc:"seats that were handed back"`
	Requests int      `json:"requests" doc:"purchase requests"`
	Left     []string `json:"left" doc:"measures that somebody has to do elsewhere, such as changing a contract"`
}

// DoBasket turns a basket into work: removals into cases that are agreed to, seats into seats handed back, and what costs money into purchase requests. The rest is said.
func (a *App) DoBasket(ctx context.Context, id, version int64, who string) (BasketDone, error) {
	done := BasketDone{Left: []string{}}
	err := a.DB.Update(ctx, func(tx *store.Tx) error {
		s, err := tx.Basket(id)
		if err != nil {
			return err
		}
		if s.DoneAt != 0 {
			return errors.New("this basket has been done already")
		}
		b, err := basketOf(s)
		if err != nil {
			return err
		}
		if len(b.Measures) == 0 {
			return errors.New("there is nothing in this basket")
		}
		var products []int64
		for _, m := range b.Measures {
			products = append(products, m.Product)
		}
		e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), compact(products))
		if err != nil {
			return err
		}
		now := a.Clock.Now().Unix()
		for i := range b.Measures {
			m := &b.Measures[i]
			f := e.products[m.Product]
			if f == nil {
				return store.ErrNotFound
			}
			core, err := e.measure(f, m)
			if err != nil {
				return fmt.Errorf("measure %d: %w", i+1, err)
			}
			words := measureWords(m, f.product.Name)
			switch core.Kind {
			case position.Remove:
				n, err := a.planRemovals(tx, e, f, core.Devices, b.Name, who, now)
				if err != nil {
					return err
				}
				done.Cases += n
			case position.Reclaim:
				n, err := tx.HandBackSeats(f.id, core.Users, a.Today()-1)
				if err != nil {
					return err
				}
				done.Seats += n
			case position.Buy, position.UpgradeTo, position.Maintain:
				cost, _, currency := e.costOf(f, &core)
				if err := tx.AddPurchaseRequest(store.PurchaseRequest{Basket: id, ProductID: f.id, What: words, Quantity: m.Quantity, Amount: cost.String(), Currency: currency, Author: who, At: now}); err != nil {
					return err
				}
				done.Requests++
			default:
				done.Left = append(done.Left, words)
			}
		}
		s.DoneAt, s.DoneBy, s.ChangedAt, s.Version = now, who, now, version
		if _, fits, err := tx.PutBasket(s); err != nil {
			return err
		} else if !fits {
			return ErrChangedMeanwhile
		}
		if err := tx.CountCases(); err != nil {
			return err
		}
		if err := tx.Note(a.Clock.Now(), who, "did a basket of measures", b.Name, fmt.Sprintf("%d cases, %d seats, %d requests", done.Cases, done.Seats, done.Requests)); err != nil {
			return err
		}
		return markTouched(tx, compact(products)...)
	})
	return done, err
}

// planRemovals makes a case, agreed to, for each device that has the product and no case about it that is still open.
func (a *App) planRemovals(tx *store.Tx, e *estate, f *productFacts, devices []int64, basket, who string, now int64) (int, error) {
	cases, err := tx.Cases()
	if err != nil {
		return 0, err
	}
	known := map[int64]*store.Case{}
	for i := range cases {
		if c := &cases[i]; c.Product == f.id && (!c.State.Ended() || known[c.Device] == nil && c.Kind == casework.Planned) {
			known[c.Device] = c
		}
	}
	n := 0
	for _, device := range devices {
		if f.holderAt(device) < 0 {
			continue
		}
		c := store.Case{Kind: casework.Planned, Device: device, Product: f.id, OpenedAt: now}
		from := ""
		if old := known[device]; old != nil {
			if old.State != casework.Open && !old.State.Ended() {
				continue // it is on its way
			}
			from, c = string(old.State), *old
		}
		c.State, c.ChangedAt, c.Currency, c.Amount = casework.Agreed, now, f.currency, "0"
		c.Worth, c.Proof = "reuse", []string{fmt.Sprintf("%s decided to remove it, in the basket “%s”.", who, basket), fmt.Sprintf("%s is on %s.", f.product.Name, e.devices[e.deviceAt[device]].Name)}
		id, err := tx.PutCase(c)
		if err != nil {
			return n, err
		}
		if c.ID != 0 {
			id = c.ID
		}
		if err := tx.AddStep(id, store.CaseStep{At: now, Who: who, From: from, To: string(casework.Agreed), Note: "basket “" + basket + "”"}); err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}

// holderAt is the place of a device's holding, -1 where it has none.
func (f *productFacts) holderAt(device int64) int {
	for i := range f.holdings {
		if f.holdings[i].Device == device {
			return i
		}
	}
	return -1
}

// PurchaseRequests lists what was asked to be bought.
func (a *App) PurchaseRequests(ctx context.Context) ([]store.PurchaseRequest, error) {
	out := []store.PurchaseRequest{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, err := tx.PurchaseRequests()
		out = append(out, list...)
		return err
	})
	return out, err
}

// EndPurchaseRequest says that a request was bought or dropped.
func (a *App) EndPurchaseRequest(ctx context.Context, id int64, how, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		if err := tx.EndPurchaseRequest(id, a.Clock.Now().Unix(), how); err != nil {
			return err
		}
		return tx.Note(a.Clock.Now(), who, how+" a purchase request", fmt.Sprint(id), "")
	})
}
