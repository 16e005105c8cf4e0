package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// NameDecision is what a person says of raw names: a product, perhaps in one edition, or that they are not software that counts (Product 0).
type NameDecision struct {
	Keys    []string `json:"keys" minItems:"1" maxItems:"500"`
	Product int64    `json:"product"`
	Edition string   `json:"edition"`
	Note    string   `json:"note"`
}

// Effect is what a decision would change, or has changed. Waits says that a second person must sign it off before it counts.
type Effect struct {
	Names    int    `json:"names"`
	Records  int    `json:"records"`
	Installs int64  `json:"installs"`
	LastYear int64  `json:"lastYear" doc:"installs that it touches or would have touched at any time in the last year"`
	Moves    []Move `json:"moves"`
	Waits    bool   `json:"waits"`
	Batch    int64  `json:"batch"`
}

// PreviewDecision says what a decision would change, and changes nothing.
func (a *App) PreviewDecision(ctx context.Context, d NameDecision, who string) (Effect, error) {
	var out Effect
	err := a.DB.Rehearse(ctx, func(tx *store.Tx) (err error) {
		out, err = a.decideAndCompare(tx, d, who, false)
		return err
	})
	return out, err
}

// Decide keeps a decision on one or more names and recognises their records anew. It holds for every later import until it is taken back. Where decisions of its kind need a
// second person, it waits, and what held before goes on holding.
func (a *App) Decide(ctx context.Context, d NameDecision, who string) (Effect, error) {
	var out Effect
	err := a.DB.Update(ctx, func(tx *store.Tx) (err error) {
		waits, err := a.needsSign(tx, kindOf(d.Product))
		if err != nil {
			return err
		}
		if out, err = a.decideAndCompare(tx, d, who, waits); err != nil {
			return err
		}
		for _, key := range d.Keys {
			if err := tx.Note(a.Clock.Now(), who, "decided a name", key, fmt.Sprintf("product %d %s", d.Product, d.Edition)); err != nil {
				return err
			}
		}
		return markTouched(tx) // recognition marks the products
	})
	return out, err
}

func kindOf(product int64) string {
	if product == 0 {
		return signNothing
	}
	return signTitle
}

// decideAndCompare keeps the decision and says what moved. With waits it is kept for a second person, and nothing moves yet.
func (a *App) decideAndCompare(tx *store.Tx, d NameDecision, who string, waits bool) (Effect, error) {
	out := Effect{Names: len(d.Keys), Moves: []Move{}, Waits: waits}
	var records []store.StoredRecord
	first := map[string]int64{}
	products := []int64{}
	if d.Product != 0 {
		products = append(products, d.Product)
	}
	for _, key := range d.Keys {
		list, err := tx.RecordsOfKey(key)
		if err != nil {
			return out, err
		}
		if len(list) == 0 {
			return out, fmt.Errorf("no record has the name %q", key)
		}
		first[key] = list[0].ID
		records = append(records, list...)
		touched, err := tx.ProductsOfKey(key)
		if err != nil {
			return out, err
		}
		products = append(products, touched...)
	}
	slices.Sort(products)
	products = slices.Compact(products)
	out.Records = len(records)
	var err error
	if out.Installs, out.LastYear, err = tx.InstallsOfRecords(ids(records), a.Clock.Now().Unix()-365*24*3600); err != nil {
		return out, err
	}
	before, err := a.positionsOf(tx, products)
	if err != nil {
		return out, err
	}
	now := a.Clock.Now().Unix()
	if out.Batch, err = tx.NewBatch(now, who, fmt.Sprintf("decided %d names", len(d.Keys))); err != nil {
		return out, err
	}
	state := "holds"
	if waits {
		state = "waiting"
	}
	for _, key := range d.Keys {
		if _, err := tx.Decide(store.Decided{Decision: recognise.Decision{Key: key, Product: d.Product, Edition: d.Edition}, Record: first[key], State: state, Batch: out.Batch, Author: who, At: now, Note: d.Note}); err != nil {
			return out, err
		}
	}
	if waits {
		return out, a.restate(tx, d.Keys)
	}
	if err := a.recogniseKeys(tx, d.Keys); err != nil {
		return out, err
	}
	after, err := a.positionsOf(tx, products)
	if err != nil {
		return out, err
	}
	out.Moves = moves(before, after)
	return out, nil
}

func ids(records []store.StoredRecord) []int64 {
	out := make([]int64, len(records))
	for i := range records {
		out[i] = records[i].ID
	}
	return out
}

// recogniseKeys recognises the records of some keys anew, and brings the list of names up to date with it.
func (a *App) recogniseKeys(tx *store.Tx, keys []string) error {
	k, err := a.know(tx)
	if err != nil {
		return err
	}
	w := k.recogniser().Worker()
	for _, key := range keys {
		records, err := tx.RecordsOfKey(key)
		if err != nil {
			return err
		}
		if err := putRecognitions(tx, w, records); err != nil {
			return err
		}
	}
	return a.restate(tx, keys)
}

// restate writes the states of names at once, so that the queue need not wait for the figures.
func (a *App) restate(tx *store.Tx, keys []string) error {
	k, err := a.know(tx)
	if err != nil {
		return err
	}
	later, err := tx.Later()
	if err != nil {
		return err
	}
	a.status.Lock()
	a.status.decided = append(a.status.decided, keys...)
	a.status.Unlock()
	states := k.states(later)
	for _, key := range keys {
		if err := tx.SetNameState(key, states[key]); err != nil {
			return err
		}
	}
	return nil
}

// states are those of names that recognition alone does not tell: waiting for a second person, or set aside.
func (k *knowledge) states(later map[string]civil.Day) map[string]string {
	out := map[string]string{}
	for key, until := range later {
		if k.today < until {
			out[key] = "later"
		}
	}
	for _, d := range k.decisions {
		if d.State == "waiting" {
			out[d.Key] = "waiting"
		}
	}
	return out
}

// Withdraw takes the decisions about a name back.
func (a *App) Withdraw(ctx context.Context, key, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		if err := tx.WithdrawDecision(key, now.Unix(), who); err != nil {
			return err
		}
		if err := a.recogniseKeys(tx, []string{key}); err != nil {
			return err
		}
		if err := tx.Note(now, who, "withdrew a decision", key, ""); err != nil {
			return err
		}
		return markTouched(tx) // recognition marks the products
	})
}

// Undone says what was undone.
type Undone struct {
	What  string `json:"what"`
	Names int    `json:"names"`
}

// Undo takes back the newest thing that somebody did in the queue: what it decided is withdrawn, and what it took the place of holds again.
func (a *App) Undo(ctx context.Context, who string) (Undone, error) {
	var out Undone
	err := a.DB.Update(ctx, func(tx *store.Tx) error {
		b, err := tx.LastBatch(who)
		if errors.Is(err, store.ErrNotFound) {
			return errors.New("there is nothing of yours left to undo")
		}
		if err != nil {
			return err
		}
		now := a.Clock.Now()
		keys, err := tx.UndoBatch(b.ID, now.Unix(), who)
		if err != nil {
			return err
		}
		if err := a.recogniseKeys(tx, keys); err != nil {
			return err
		}
		out = Undone{b.What, len(keys)}
		if err := tx.Note(now, who, "undid", b.What, strings.Join(keys, ", ")); err != nil {
			return err
		}
		return markTouched(tx) // recognition marks the products
	})
	return out, err
}

// SetAside puts names at the end of the queue until a day.
func (a *App) SetAside(ctx context.Context, keys []string, days int, who string) (int64, error) {
	var batch int64
	err := a.DB.Update(ctx, func(tx *store.Tx) (err error) {
		now := a.Clock.Now()
		if batch, err = tx.NewBatch(now.Unix(), who, fmt.Sprintf("set %d names aside", len(keys))); err != nil {
			return err
		}
		for _, key := range keys {
			records, err := tx.RecordsOfKey(key)
			if err != nil {
				return err
			}
			if len(records) == 0 {
				return fmt.Errorf("no record has the name %q", key)
			}
			if err := tx.PutLater(key, records[0].ID, a.Today()+civil.Day(days), who, now.Unix(), batch); err != nil {
				return err
			}
		}
		return a.restate(tx, keys)
	})
	return batch, err
}

// Queue says how much is left to decide and how fast that shrinks.
type Queue struct {
	Names       int64            `json:"names" doc:"that nobody has recognised"`
	Installs    int64            `json:"installs"`
	AllInstalls int64            `json:"allInstalls"`
	Later       int64            `json:"later" doc:"set aside until a day"`
	Waiting     int64            `json:"waiting" doc:"for a second person"`
	Week        int64            `json:"week" doc:"names decided in the last seven days"`
	Days        []store.QueueDay `json:"days"`
	Undo        *store.Batch     `json:"undo,omitempty" doc:"what undoing would take back"`
}

// Queue returns the state of the queue of names.
func (a *App) Queue(ctx context.Context, who string) (Queue, error) {
	out := Queue{Days: []store.QueueDay{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		c, err := tx.CountNames()
		if err != nil {
			return err
		}
		out.Names, out.Installs, out.AllInstalls, out.Later, out.Waiting = c.Open, c.OpenInstalls, c.Installs, c.Later, c.Waiting
		if out.Week, err = tx.DecidedSince(a.Clock.Now().Unix() - 7*24*3600); err != nil {
			return err
		}
		days, err := tx.QueueDays(a.Today() - 90)
		if days != nil {
			out.Days = days
		}
		if err != nil {
			return err
		}
		b, err := tx.LastBatch(who)
		if err == nil {
			out.Undo = &b
		} else if errors.Is(err, store.ErrNotFound) {
			err = nil
		}
		return err
	})
	return out, err
}
