package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// NameDecision is what a person says of a raw name: a product, perhaps in one edition, or that it is not software that counts (Product 0).
type NameDecision struct {
	Key     string `json:"key"`
	Product int64  `json:"product"`
	Edition string `json:"edition"`
	Note    string `json:"note"`
}

// Move is how one position would change. Before and After are surplus less shortfall.
type Move struct {
	Product      string `json:"product"`
	Metric       string `json:"metric"`
	NeededBefore int64  `json:"neededBefore"`
	NeededAfter  int64  `json:"neededAfter"`
	Before       int64  `json:"before"`
	After        int64  `json:"after"`
}

// Effect is what a decision would change, or has changed.
type Effect struct {
	Records  int    `json:"records"`
	Installs int64  `json:"installs"`
	Moves    []Move `json:"moves"`
}

// PreviewDecision says what a decision would change, and changes nothing.
func (a *App) PreviewDecision(ctx context.Context, d NameDecision, who string) (Effect, error) {
	var out Effect
	err := a.DB.Rehearse(ctx, func(tx *store.Tx) (err error) {
		out, err = a.decideAndCompare(tx, d, who)
		return err
	})
	return out, err
}

// Decide keeps a decision and recognises the records it holds for anew. It holds for every later import until it is withdrawn.
func (a *App) Decide(ctx context.Context, d NameDecision, who string) (Effect, error) {
	var out Effect
	err := a.DB.Update(ctx, func(tx *store.Tx) (err error) {
		if out, err = a.decideAndCompare(tx, d, who); err != nil {
			return err
		}
		if err := tx.Note(a.Clock.Now(), who, "decided a name", d.Key, fmt.Sprintf("product %d %s", d.Product, d.Edition)); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
	return out, err
}

// Withdraw takes a decision back.
func (a *App) Withdraw(ctx context.Context, key, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		if err := tx.WithdrawDecision(key, now.Unix(), who); err != nil {
			return err
		}
		if err := a.recogniseKey(tx, key); err != nil {
			return err
		}
		if err := tx.Note(now, who, "withdrew a decision", key, ""); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}

func (a *App) decideAndCompare(tx *store.Tx, d NameDecision, who string) (Effect, error) {
	out := Effect{Moves: []Move{}}
	records, err := tx.RecordsOfKey(d.Key)
	if err != nil {
		return out, err
	}
	if len(records) == 0 {
		return out, fmt.Errorf("no record has the name %q", d.Key)
	}
	out.Records = len(records)
	touched, err := tx.ProductsOfKey(d.Key)
	if err != nil {
		return out, err
	}
	if d.Product != 0 && !slices.Contains(touched, d.Product) {
		touched = append(touched, d.Product)
	}
	if out.Installs, err = tx.InstallsOfKey(d.Key); err != nil {
		return out, err
	}
	before, err := a.positionsOf(tx, touched)
	if err != nil {
		return out, err
	}
	if _, err := tx.Decide(store.Decided{Decision: recognise.Decision{Key: d.Key, Product: d.Product, Edition: d.Edition}, Author: who, At: a.Clock.Now().Unix(), Note: d.Note}); err != nil {
		return out, err
	}
	if err := a.recogniseKey(tx, d.Key); err != nil {
		return out, err
	}
	after, err := a.positionsOf(tx, touched)
	if err != nil {
		return out, err
	}
	out.Moves = moves(before, after)
	return out, nil
}

// recogniseKey recognises the records of one key anew.
func (a *App) recogniseKey(tx *store.Tx, key string) error {
	records, err := tx.RecordsOfKey(key)
	if err != nil {
		return err
	}
	return recogniseInto(tx, records)
}

type productMetric struct {
	product int64
	metric  string
}

type namedFigure struct {
	store.Figure
	name string
}

// positionsOf computes the positions of some products within a transaction.
func (a *App) positionsOf(tx *store.Tx, products []int64) (map[productMetric]namedFigure, error) {
	out := map[productMetric]namedFigure{}
	if len(products) == 0 {
		return out, nil
	}
	e, err := loadEstate(tx, a.Today(), a.Clock.Now().Unix(), products)
	if err != nil {
		return nil, err
	}
	if _, err := e.loadUse(tx); err != nil {
		return nil, err
	}
	for _, id := range products {
		f := e.products[id]
		if f == nil {
			continue
		}
		for _, p := range e.compute(f, nil) {
			out[productMetric{id, string(p.Metric)}] = namedFigure{e.figure(f, &p), f.product.Name}
		}
	}
	return out, nil
}

func moves(before, after map[productMetric]namedFigure) []Move {
	out := []Move{}
	keys := map[productMetric]string{}
	for k, v := range before {
		keys[k] = v.name
	}
	for k, v := range after {
		keys[k] = v.name
	}
	for k, name := range keys {
		b, c := before[k], after[k]
		if b.Needed != c.Needed || b.Short != c.Short || b.Surplus != c.Surplus {
			out = append(out, Move{name, k.metric, b.Needed, c.Needed, b.Surplus - b.Short, c.Surplus - c.Short})
		}
	}
	slices.SortFunc(out, func(x, y Move) int { return strings.Compare(x.Product+x.Metric, y.Product+y.Metric) })
	return out
}

// NameView is one raw name with everything that a decision about it needs.
type NameView struct {
	Key       string                `json:"key"`
	Records   []RecordView          `json:"records"`
	Proposals []ProposalView        `json:"proposals"`
	Trace     []recognise.TraceStep `json:"trace"`
	Decision  *DecisionView         `json:"decision"`
}

// RecordView is a raw record as its source wrote it.
type RecordView struct {
	ID           int64  `json:"id"`
	Publisher    string `json:"publisher"`
	Name         string `json:"name"`
	Version      string `json:"version"`
	Edition      string `json:"edition"`
	Architecture string `json:"architecture"`
	Language     string `json:"language"`
	FileName     string `json:"fileName"`
	Identifiers  string `json:"identifiers"`
}

// ProposalView is a product that a name may mean.
type ProposalView struct {
	Product   int64    `json:"product"`
	Publisher string   `json:"publisher"`
	Name      string   `json:"name"`
	Edition   string   `json:"edition"`
	Score     float64  `json:"score"`
	Shared    []string `json:"shared"`
	Missing   []string `json:"missing"`
}

// DecisionView is a decision with its author and time.
type DecisionView struct {
	Product int64  `json:"product"`
	Name    string `json:"name"`
	Edition string `json:"edition"`
	Author  string `json:"author"`
	At      int64  `json:"at"`
	Note    string `json:"note"`
}

func recordView(r store.StoredRecord) RecordView {
	return RecordView{r.ID, r.Publisher, r.Name, r.Version, r.Edition, r.Architecture, r.Language, r.FileName, strings.TrimSpace(r.TagID + " " + r.PURL + " " + r.CPE)}
}

// recogniser loads the catalogue and the decisions.
func recogniser(tx *store.Tx) (*recognise.Recogniser, *recognise.Catalogue, []store.Decided, error) {
	products, err := tx.Products()
	if err != nil {
		return nil, nil, nil, err
	}
	decisions, err := tx.Decisions()
	if err != nil {
		return nil, nil, nil, err
	}
	var plain []recognise.Decision
	for _, d := range decisions {
		plain = append(plain, d.Decision)
	}
	c := recognise.NewCatalogue(products, nil)
	return recognise.New(c, plain), c, decisions, nil
}

// Name returns a raw name with its records, its trace, proposals and the decision that holds.
func (a *App) Name(ctx context.Context, key string) (NameView, error) {
	out := NameView{Key: key, Records: []RecordView{}, Proposals: []ProposalView{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		records, err := tx.RecordsOfKey(key)
		if err != nil {
			return err
		}
		if len(records) == 0 {
			return store.ErrNotFound
		}
		for _, r := range records {
			out.Records = append(out.Records, recordView(r))
		}
		g, c, decisions, err := recogniser(tx)
		if err != nil {
			return err
		}
		_, out.Trace = g.Trace(records[0].Record)
		for _, p := range g.Propose(records[0].Record, 5) {
			pr := c.Product(p.Product)
			out.Proposals = append(out.Proposals, ProposalView{p.Product, pr.Publisher, pr.Name, p.Edition, p.Score, p.Shared, p.Missing})
		}
		for _, d := range decisions {
			if d.Key != key {
				continue
			}
			out.Decision = &DecisionView{Product: d.Product, Edition: d.Edition, Author: d.Author, At: d.At, Note: d.Note}
			if p := c.Product(d.Product); p != nil {
				out.Decision.Name = p.Publisher + " " + p.Name
			}
		}
		return nil
	})
	return out, err
}

// RecordTrace is a record with the trace of its recognition and where it was seen.
type RecordTrace struct {
	Record   RecordView            `json:"record"`
	Trace    []recognise.TraceStep `json:"trace"`
	Title    string                `json:"title"`
	WhyNot   string                `json:"whyNot"`
	Key      string                `json:"key"`
	Installs []store.SightingRow   `json:"installs"`
}

// Record returns a raw record, how it was recognised, and on which device it was seen when; device 0 is every device.
func (a *App) Record(ctx context.Context, id, device int64) (RecordTrace, error) {
	var out RecordTrace
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		r, err := tx.Record(id)
		if err != nil {
			return err
		}
		g, c, _, err := recogniser(tx)
		if err != nil {
			return err
		}
		res, steps := g.Trace(r.Record)
		_, apart := g.Decide(r.Record)
		out = RecordTrace{Record: recordView(r), Trace: steps, WhyNot: res.WhyNot(), Key: apart.Key()}
		if p := c.Product(res.Product); p != nil {
			out.Title = strings.Join(strings.Fields(p.Publisher+" "+p.Name+" "+res.Edition+" "+res.TitleVersion), " ")
		}
		out.Installs, err = tx.Sightings(id, device, 200)
		return err
	})
	return out, err
}

// NewTitle adds a product with one line to the catalogue.
type NewTitle struct {
	Publisher string `json:"publisher" minLength:"1"`
	Product   string `json:"product" minLength:"1"`
	Category  string `json:"category"`
	Model     string `json:"model" enum:"commercial,free,open_source,trial,in_house"`
}

// AddTitle adds a title by hand and returns its product.
func (a *App) AddTitle(ctx context.Context, t NewTitle, who string) (int64, error) {
	var id int64
	err := a.DB.Update(ctx, func(tx *store.Tx) error {
		keys, err := tx.ProductKeys()
		if err != nil {
			return err
		}
		if keys[store.ProductKey(t.Publisher, t.Product)] != 0 {
			return errors.New("the catalogue has this product already: choose it")
		}
		if id, err = tx.AddProduct(t.Publisher, t.Product); err != nil {
			return err
		}
		u, err := tx.Titles()
		if err != nil {
			return err
		}
		if _, err := u.PutTitle(id, newTitle(t)); err != nil {
			return err
		}
		if err := tx.Note(a.Clock.Now(), who, "added a title", t.Publisher+" "+t.Product, t.Model); err != nil {
			return err
		}
		return markDirty(tx, true)
	})
	return id, err
}

func newTitle(t NewTitle) formats.Title {
	return formats.Title{Publisher: t.Publisher, Product: t.Product, Title: recognise.Title{Category: t.Category, Model: recognise.LicenceModel(t.Model)}}
}
