package titles

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
)

// NameDecision is what a person says of raw names: a product, perhaps in one edition, or that they are not software
// that counts (Product 0).
type NameDecision struct {
	Keys      []string
	Revisions []int64 // of the names, as they were seen; none is that nobody looked at them
	Product   int64
	Edition   string
	Note      string
}

// Effect is what a decision would change, or has changed. Waits says that a second person must sign it off before it
// counts.
type Effect struct {
	Names    int
	Records  int
	Installs int64
	LastYear int64 // installs that it touches or would have touched at any time in the last year
	Moves    []snapshot.PositionChange
	Waits    bool
	Batch    int64
}

// PreviewDecision says what a decision would change, and changes nothing.
func (svc *Service) PreviewDecision(ctx context.Context, d NameDecision, who string) (Effect, error) {
	var out Effect
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = svc.decide(tx, d, who, false, svc.Snapshots.FiguresAndExcluded)
		return err
	})
	return out, err
}

// Decide keeps a decision on one or more names and recognises their records anew. It holds for every later import
// until it is taken back. Where decisions of its kind need a second person, it waits, and what held before goes on
// holding. What moves is worked out beside the others' work: the writer is held for what is written alone.
func (svc *Service) Decide(ctx context.Context, d NameDecision, who string) (Effect, error) {
	var out Effect
	do := func(tx *sqlite.Tx, figures figuresOf) error {
		waits, err := svc.needsSign(tx, kindOf(d.Product))
		if err != nil {
			return err
		}
		moves := out.Moves
		out, err = svc.decide(tx, d, who, waits, figures)
		if figures == nil && !out.Waits {
			out.Moves = moves
		}
		return err
	}
	err := svc.besideTheWriter(ctx, do, func(tx *sqlite.Tx) error {
		for _, key := range d.Keys {
			if err := tx.Note(svc.Clock.Now(), who, "decided a name", key,
				fmt.Sprintf("product %d %s", d.Product, d.Edition)); err != nil {
				return err
			}
		}
		return renewal.MarkProducts(tx) // recognition marks the products
	})
	return out, err
}

func kindOf(product int64) string {
	if product == 0 {
		return signNothing
	}
	return signTitle
}

// decide keeps the decision and says what moved by the figures. With waits it is kept for a second person, and nothing
// moves yet.
func (svc *Service) decide(tx *sqlite.Tx, d NameDecision, who string, waits bool, figures figuresOf) (Effect, error) {
	out := Effect{Names: len(d.Keys), Moves: []snapshot.PositionChange{}, Waits: waits}
	var records []stored.RawRecord
	first := map[string]int64{}
	products := []int64{}
	if d.Product != 0 {
		products = append(products, d.Product)
	}
	for _, key := range d.Keys {
		list, err := stored.RecordsOfKey(tx, key)
		if err != nil {
			return out, err
		}
		if len(list) == 0 {
			return out, refuse.Errorf("no record has the name %q", key)
		}
		first[key] = list[0].ID
		records = append(records, list...)
		touched, err := titlesdb.ProductsOfKey(tx, key)
		if err != nil {
			return out, err
		}
		products = append(products, touched...)
	}
	slices.Sort(products)
	products = slices.Compact(products)
	out.Records = len(records)
	var err error
	if out.Installs, out.LastYear, err = titlesdb.InstallsOfRecords(tx, ids(records),
		svc.Clock.Now().Unix()-365*24*3600); err != nil {
		return out, err
	}
	before, _, err := figures.of(tx, products)
	if err != nil {
		return out, err
	}
	now := svc.Clock.Now().Unix()
	if out.Batch, err = titlesdb.NewBatch(tx, now, who, fmt.Sprintf("decided %d names", len(d.Keys))); err != nil {
		return out, err
	}
	state := "holds"
	if waits {
		state = "waiting"
	}
	if err := svc.keepNames(tx, d.Keys, d.Revisions, who, func() error {
		for _, key := range d.Keys {
			if _, err := titlesdb.Decide(tx,
				snapshot.Decided{
					Decision: recognise.Decision{Key: key, Product: d.Product, Edition: d.Edition},
					Record:   first[key],
					State:    state,
					Batch:    out.Batch,
					Author:   who,
					At:       now,
					Note:     d.Note,
				}); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		return out, err
	}
	if waits {
		return out, svc.Restate(tx, d.Keys)
	}
	if err := svc.Snapshots.LayRecognitions(tx, products, ids(records)); err != nil {
		return out, err
	}
	if err := svc.recogniseKeys(tx, d.Keys); err != nil {
		return out, err
	}
	after, _, err := figures.of(tx, products)
	if err != nil {
		return out, err
	}
	out.Moves = snapshot.Moves(before, after)
	return out, nil
}

func ids(records []stored.RawRecord) []int64 {
	out := make([]int64, len(records))
	for i := range records {
		out[i] = records[i].ID
	}
	return out
}

// recogniseKeys recognises the records of some keys anew, and brings the list of names up to date with it.
func (svc *Service) recogniseKeys(tx *sqlite.Tx, keys []string) error {
	k, err := svc.Snapshots.Knowledge(tx)
	if err != nil {
		return err
	}
	w := k.Recogniser().Worker()
	for _, key := range keys {
		records, err := stored.RecordsOfKey(tx, key)
		if err != nil {
			return err
		}
		if err := putRecognitions(tx, w, records); err != nil {
			return err
		}
	}
	return svc.Restate(tx, keys)
}

// Restate writes the states of names at once, so that the queue need not wait for the figures.
func (svc *Service) Restate(tx *sqlite.Tx, keys []string) error {
	k, err := svc.Snapshots.Knowledge(tx)
	if err != nil {
		return err
	}
	later, err := titlesdb.Later(tx)
	if err != nil {
		return err
	}
	if err := titlesdb.MarkNames(tx, keys); err != nil {
		return err
	}
	states := states(k, later)
	for _, key := range keys {
		if err := titlesdb.SetNameState(tx, key, states[key]); err != nil {
			return err
		}
	}
	return nil
}

// states are those of names that recognition alone does not tell: waiting for a second person, or set aside.
func states(k *snapshot.Knowledge, later map[string]civil.Day) map[string]string {
	out := map[string]string{}
	for key, until := range later {
		if k.Today < until {
			out[key] = "later"
		}
	}
	for _, d := range k.Decisions {
		if d.State == "waiting" {
			out[d.Key] = "waiting"
		}
	}
	return out
}

// Withdraw takes the decisions about a name back.
func (svc *Service) Withdraw(ctx context.Context, key string, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if err := svc.keepNames(tx, []string{key}, []int64{revision}, who, func() error {
			return titlesdb.WithdrawDecision(tx, key, now.Unix(), who)
		}); err != nil {
			return err
		}
		if err := svc.recogniseKeys(tx, []string{key}); err != nil {
			return err
		}
		if err := tx.Note(now, who, "withdrew a decision", key, ""); err != nil {
			return err
		}
		return renewal.MarkProducts(tx) // recognition marks the products
	})
}

// Undone says what was undone.
type Undone struct {
	What  string
	Names int
}

// Undo takes back the newest thing that somebody did in the queue: what it decided is withdrawn, and what it took the
// place of holds again.
func (svc *Service) Undo(ctx context.Context, who string) (Undone, error) {
	var out Undone
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		b, err := titlesdb.LastBatch(tx, who)
		if errors.Is(err, sqlite.ErrNotFound) {
			return refuse.New("there is nothing of yours left to undo")
		}
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		keys, err := titlesdb.KeysOfBatch(tx, b.ID)
		if err != nil {
			return err
		}
		if err := svc.keepNames(tx, keys, nil, who,
			func() error { return titlesdb.UndoBatch(tx, b.ID, now.Unix(), who) }); err != nil {
			return err
		}
		if err := svc.recogniseKeys(tx, keys); err != nil {
			return err
		}
		out = Undone{b.What, len(keys)}
		if err := tx.Note(now, who, "undid", b.What, strings.Join(keys, ", ")); err != nil {
			return err
		}
		return renewal.MarkProducts(tx) // recognition marks the products
	})
	return out, err
}

// SetAside puts names at the end of the queue until a day. revisions are those of the names, as they were seen.
func (svc *Service) SetAside(
	ctx context.Context,
	keys []string,
	revisions []int64,
	days int,
	who string,
) (int64, error) {
	var batch int64
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		now := svc.Clock.Now()
		if batch, err = titlesdb.NewBatch(tx, now.Unix(), who,
			fmt.Sprintf("set %d names aside", len(keys))); err != nil {
			return err
		}
		if err := svc.keepNames(tx, keys, revisions, who, func() error {
			for _, key := range keys {
				records, err := stored.RecordsOfKey(tx, key)
				if err != nil {
					return err
				}
				if len(records) == 0 {
					return refuse.Errorf("no record has the name %q", key)
				}
				if err := titlesdb.PutLater(tx, key, records[0].ID, svc.Snapshots.Today()+civil.Day(days), who,
					now.Unix(), batch); err != nil {
					return err
				}
			}
			return nil
		}); err != nil {
			return err
		}
		return svc.Restate(tx, keys)
	})
	return batch, err
}

// Queue says how much is left to decide and how fast that shrinks.
type Queue struct {
	Names       int64 // that nobody has recognised
	Installs    int64
	AllInstalls int64
	Later       int64 // set aside until a day
	Waiting     int64 // for a second person
	Week        int64 // names decided in the last seven days
	Days        []titlesdb.QueueDay
	Undo        *titlesdb.Batch // what undoing would take back
}

// Queue returns the state of the queue of names.
func (svc *Service) Queue(ctx context.Context, who string) (Queue, error) {
	out := Queue{Days: []titlesdb.QueueDay{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		c, err := titlesdb.CountNames(tx)
		if err != nil {
			return err
		}
		out.Names, out.Installs, out.AllInstalls, out.Later, out.Waiting = c.Open, c.OpenInstalls, c.Installs,
			c.Later, c.Waiting
		if out.Week, err = titlesdb.DecidedSince(tx, svc.Clock.Now().Unix()-7*24*3600); err != nil {
			return err
		}
		days, err := titlesdb.QueueDays(tx, svc.Snapshots.Today()-90)
		if days != nil {
			out.Days = days
		}
		if err != nil {
			return err
		}
		b, err := titlesdb.LastBatch(tx, who)
		if err == nil {
			out.Undo = &b
		} else if errors.Is(err, sqlite.ErrNotFound) {
			err = nil
		}
		return err
	})
	return out, err
}
