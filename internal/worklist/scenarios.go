package worklist

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/position"
	"ensomet/internal/core/reclaim"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"
)

// Scenario is measures that are tried together.
type Scenario struct {
	ID        int64
	Name      string
	Note      string
	Measures  []snapshot.Measure
	Author    string
	At        int64
	ChangedAt int64
	Revision  int64 // that was seen; a save on an older one is refused
	DoneAt    int64
	DoneBy    string
}

func scenarioOf(b worklistdb.StoredScenario) (Scenario, error) {
	out := Scenario{
		ID:        b.ID,
		Name:      b.Name,
		Note:      b.Note,
		Measures:  []snapshot.Measure{},
		Author:    b.Author,
		At:        b.At,
		ChangedAt: b.ChangedAt,
		DoneAt:    b.DoneAt,
		DoneBy:    b.DoneBy,
	}
	return out, json.Unmarshal([]byte(b.Measures), &out.Measures)
}

// scenarioFields are what a person changes of a scenario.
type scenarioFields struct {
	Name, Note string
	Measures   []snapshot.Measure
}

// keepScenario keeps that a scenario changes, or that it ends, where is is nil.
func keepScenario(tx *sqlite.Tx, s *worklistdb.StoredScenario, seen int64, is *Scenario, who string,
	at time.Time) error {
	was, err := scenarioOf(*s)
	if err != nil {
		return err
	}
	c := edits.Change{
		Thing: edits.Of(edits.Scenario, s.ID),
		Seen:  seen,
		Who:   who,
		At:    at,
		Was:   scenarioFields{was.Name, was.Note, was.Measures},
	}
	if is == nil {
		return edits.End(tx, c)
	}
	c.Is = scenarioFields{is.Name, is.Note, is.Measures}
	_, err = edits.Save(tx, c)
	return err
}

// Scenarios lists the scenarios.
func (svc *Service) Scenarios(ctx context.Context) ([]Scenario, error) {
	out := []Scenario{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.Scenarios(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Scenario)
		if err != nil {
			return err
		}
		for _, b := range list {
			one, err := scenarioOf(b)
			if err != nil {
				return err
			}
			one.Revision = revisions[sqlite.Itoa(b.ID)]
			out = append(out, one)
		}
		return nil
	})
	return out, err
}

// SaveScenario keeps a scenario; one without number is new.
func (svc *Service) SaveScenario(ctx context.Context, b Scenario, who string) (Scenario, error) {
	if b.Name = strings.TrimSpace(b.Name); b.Name == "" {
		return b, refuse.New("give the scenario a name, so that others find it")
	}
	measures, err := json.Marshal(b.Measures)
	if err != nil {
		return b, err
	}
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		s := worklistdb.StoredScenario{
			ID:        b.ID,
			Name:      b.Name,
			Note:      b.Note,
			Measures:  string(measures),
			Author:    who,
			At:        now.Unix(),
			ChangedAt: now.Unix(),
		}
		if b.ID != 0 {
			old, err := worklistdb.Scenario(tx, b.ID)
			if err != nil {
				return err
			}
			if old.DoneAt != 0 {
				return refuse.New("this scenario has been done: make a new one")
			}
			if err := keepScenario(tx, &old, b.Revision, &b, who, now); err != nil {
				return err
			}
		}
		id, err := worklistdb.PutScenario(tx, s)
		if err != nil {
			return err
		}
		if s, err = worklistdb.Scenario(tx, id); err != nil {
			return err
		}
		if b, err = scenarioOf(s); err != nil {
			return err
		}
		if b.Revision, err = edits.Revision(tx, edits.Of(edits.Scenario, id)); err != nil {
			return err
		}
		return tx.Note(now, who, "kept a scenario of measures", b.Name, fmt.Sprintf("%d measures", len(b.Measures)))
	})
	return b, err
}

// DropScenario puts a scenario away.
func (svc *Service) DropScenario(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		b, err := worklistdb.Scenario(tx, id)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		if err := keepScenario(tx, &b, revision, nil, who, now); err != nil {
			return err
		}
		if err := worklistdb.DropScenario(tx, id, now.Unix()); err != nil {
			return err
		}
		return tx.Note(now, who, "dropped a scenario of measures", b.Name, "")
	})
}

// ScenarioDone says what a scenario was turned into.
type ScenarioDone struct {
	Cases    int
	Seats    int      // seats that were handed back
	Requests int      // purchase requests
	Left     []string // measures that somebody has to do elsewhere, such as changing a contract
}

// DoScenario turns a scenario into work: removals into cases that are agreed to, seats into seats handed back, and what
// costs money into purchase requests. The rest is said.
func (svc *Service) DoScenario(ctx context.Context, id, revision int64, who string) (ScenarioDone, error) {
	done := ScenarioDone{Left: []string{}}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		s, err := worklistdb.Scenario(tx, id)
		if err != nil {
			return err
		}
		if s.DoneAt != 0 {
			return refuse.New("this scenario has been done already")
		}
		b, err := scenarioOf(s)
		if err != nil {
			return err
		}
		if err := keepScenario(tx, &s, revision, &b, who, svc.Clock.Now()); err != nil {
			return err
		}
		if len(b.Measures) == 0 {
			return refuse.New("there is nothing in this scenario")
		}
		var products []int64
		for _, m := range b.Measures {
			products = append(products, m.Product)
		}
		e, err := svc.Snapshots.Load(tx, svc.Snapshots.Today(), svc.Clock.Now().Unix(), snapshot.Distinct(products))
		if err != nil {
			return err
		}
		now := svc.Clock.Now().Unix()
		for i := range b.Measures {
			m := &b.Measures[i]
			f := e.Products[m.Product]
			if f == nil {
				return sqlite.ErrNotFound
			}
			core, err := e.Measure(f, m)
			if err != nil {
				return fmt.Errorf("measure %d: %w", i+1, err)
			}
			w := doing{tx, e, f, b, who, now}
			if err := svc.doMeasure(w, m, &core, &done); err != nil {
				return err
			}
		}
		s.DoneAt, s.DoneBy, s.ChangedAt = now, who, now
		if _, err := worklistdb.PutScenario(tx, s); err != nil {
			return err
		}
		if err := worklistdb.CountCases(tx); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "did a scenario of measures", b.Name,
			fmt.Sprintf("%d cases, %d seats, %d requests", done.Cases, done.Seats, done.Requests)); err != nil {
			return err
		}
		return renewal.MarkProducts(tx, snapshot.Distinct(products)...)
	})
	return done, err
}

// doing is a scenario while it is done, at one of its products.
type doing struct {
	tx       *sqlite.Tx
	e        *snapshot.Snapshot
	f        *snapshot.ProductFacts
	scenario Scenario
	who      string
	now      int64
}

// doMeasure turns one measure into work, and counts it.
func (svc *Service) doMeasure(w doing, m *snapshot.Measure, core *position.Measure, done *ScenarioDone) error {
	words := snapshot.MeasureWords(m, w.f.Product.Name)
	switch core.Kind {
	case position.Remove:
		n, err := svc.planRemovals(w.tx, w.e, w.f, core.Devices, w.scenario.Name, w.who, w.now)
		done.Cases += n
		return err
	case position.Reclaim:
		n, err := svc.Entitlements.TakeBackSeats(w.tx, w.f.Id, core.Users)
		done.Seats += n
		return err
	case position.Buy, position.UpgradeTo, position.Maintain:
		cost, _, currency := w.e.CostOf(w.f, core)
		done.Requests++
		return worklistdb.AddPurchaseRequest(w.tx, worklistdb.PurchaseRequest{
			Scenario:  w.scenario.ID,
			ProductID: w.f.Id,
			What:      words,
			Quantity:  m.Quantity,
			Amount:    cost.String(),
			Currency:  currency,
			Author:    w.who,
			At:        w.now,
		})
	}
	done.Left = append(done.Left, words)
	return nil
}

// planRemovals makes a case, agreed to, for each device that has the product and no case about it that is still open.
func (svc *Service) planRemovals(
	tx *sqlite.Tx,
	e *snapshot.Snapshot,
	f *snapshot.ProductFacts,
	devices []int64,
	scenario, who string,
	now int64,
) (int, error) {
	cases, err := worklistdb.Cases(tx)
	if err != nil {
		return 0, err
	}
	known := map[int64]*casework.Case{}
	for i := range cases {
		if c := &cases[i]; c.Product == f.Id &&
			(!c.State.Ended() || known[c.Device] == nil && c.Kind == casework.Planned) {
			known[c.Device] = c
		}
	}
	n := 0
	for _, device := range devices {
		if holderAt(f, device) < 0 {
			continue
		}
		c := casework.Case{Kind: casework.Planned, Device: device, Product: f.Id}
		if old := known[device]; old != nil {
			c = *old
		}
		step, planned := c.Plan(
			casework.Finding{
				Worth:    string(reclaim.Reuse),
				Amount:   "0",
				Currency: f.Currency,
				Proof: []string{
					fmt.Sprintf("%s decided to remove it, in the scenario “%s”.", who, scenario),
					fmt.Sprintf("%s is on %s.", f.Product.Name, e.Devices[e.DeviceAt[device]].Name),
				},
			},
			casework.Deed{Who: who, At: now, Note: "scenario “" + scenario + "”"},
		)
		if !planned {
			continue // it is on its way
		}
		if err := worklistdb.Move(tx, &c, step); err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}

// holderAt is the place of a device's holding, -1 where it has none.
func holderAt(f *snapshot.ProductFacts, device int64) int {
	for i := range f.Holdings {
		if f.Holdings[i].Device == device {
			return i
		}
	}
	return -1
}

// PurchaseRequests lists what was asked to be bought.
func (svc *Service) PurchaseRequests(ctx context.Context) ([]worklistdb.PurchaseRequest, error) {
	out := []worklistdb.PurchaseRequest{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.PurchaseRequests(tx)
		out = append(out, list...)
		return err
	})
	return out, err
}

// EndPurchaseRequest says that a request was bought or dropped.
func (svc *Service) EndPurchaseRequest(ctx context.Context, id int64, how, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := worklistdb.EndPurchaseRequest(tx, id, svc.Clock.Now().Unix(), how); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, how+" a purchase request", fmt.Sprint(id), "")
	})
}
