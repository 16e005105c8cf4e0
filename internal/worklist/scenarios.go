package worklist

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
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
	Requests int      // cases of what is to be bought or done elsewhere
	Left     []string // those that somebody has to do elsewhere, such as changing a contract
}

// DoScenario turns a scenario into work: removals into cases that are agreed to, seats into seats handed back, and what
// costs money, or is done elsewhere, into cases of what was asked for.
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
		by := asking{scenario: b.ID, name: b.Name, who: who}
		if err := svc.do(tx, b.Measures, by, &done); err != nil {
			return err
		}
		now := svc.Clock.Now().Unix()
		s.DoneAt, s.DoneBy, s.ChangedAt = now, who, now
		if _, err := worklistdb.PutScenario(tx, s); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "did a scenario of measures", b.Name, done.words())
	})
	return done, err
}
