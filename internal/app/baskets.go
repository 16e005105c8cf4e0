package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/position"
	"ensomet/internal/store"
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
		e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), distinct(products))
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
				n, err := a.takeBackSeats(tx, f.id, core.Users)
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
		return markTouched(tx, distinct(products)...)
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
