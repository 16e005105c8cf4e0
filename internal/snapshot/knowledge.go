package snapshot

import (
	"fmt"
	"strconv"
	"strings"
	"sync"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// Knowledge is what records are recognised by.
type Knowledge struct {
	Catalogue *recognise.Catalogue
	Decisions []Decided
	Rules     []NameRule
	limit     float64 // from which a score alone decides, 0 is never
	Today     civil.Day
}

// madeOnce keeps the catalogue of one state of the file, since making it takes long and it changes seldom.
type madeOnce struct {
	sync.Mutex
	state     string
	catalogue *recognise.Catalogue
}

// Catalogue makes the catalogue, or returns the one that was made of the same state. What is made within a
// transaction that may yet be rolled back is not kept.
func (svc *Loader) Catalogue(tx *sqlite.Tx) (*recognise.Catalogue, error) {
	state, err := tx.Setting(renewal.CatalogueChanges)
	if err != nil {
		return nil, err
	}
	svc.made.Lock()
	defer svc.made.Unlock()
	if svc.made.catalogue != nil && svc.made.state == state {
		return svc.made.catalogue, nil
	}
	var from recognise.Source
	if from.Products, err = stored.Products(tx); err != nil {
		return nil, err
	}
	if from.Publishers, err = Publishers(tx); err != nil {
		return nil, err
	}
	if from.Suites, err = Suites(tx); err != nil {
		return nil, err
	}
	c := recognise.NewCatalogue(from)
	if tx.ReadOnly() {
		svc.made.state, svc.made.catalogue = state, c
	}
	return c, nil
}

// Knowledge loads what records are recognised by.
func (svc *Loader) Knowledge(tx *sqlite.Tx) (*Knowledge, error) {
	k := &Knowledge{Today: svc.Today()}
	var err error
	if k.Catalogue, err = svc.Catalogue(tx); err != nil {
		return nil, err
	}
	if k.Decisions, err = Decisions(tx); err != nil {
		return nil, err
	}
	if k.Rules, err = NameRules(tx); err != nil {
		return nil, err
	}
	text, err := tx.Setting(ScoreLimit)
	if err != nil {
		return nil, err
	}
	k.limit, _ = strconv.ParseFloat(text, 64) // empty is never
	return k, nil
}

// ScoreLimit is the setting of the score from which a first proposal decides by itself.
const ScoreLimit = "score_limit"

// Recogniser makes a recogniser of what holds today: decisions and rules that wait for a second person do not.
func (k *Knowledge) Recogniser() *recognise.Recogniser {
	var decisions []recognise.Decision
	for _, d := range k.Decisions {
		if d.State == "holds" {
			decisions = append(decisions, d.Decision)
		}
	}
	return recognise.New(k.Catalogue, decisions).WithRules(k.holding()).WithLimit(k.limit)
}

// holding are the rules in force.
func (k *Knowledge) holding() []recognise.Rule {
	var out []recognise.Rule
	for i := range k.Rules {
		if k.Rules[i].Holds(k.Today) {
			out = append(out, k.Rules[i].Rule)
		}
	}
	return out
}

// State names what recognition rests on besides decisions, which are applied when they are taken: the catalogue and
// the rules in force.
func (k *Knowledge) State(catalogue string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s form %s limit %g", catalogue, recognise.KeyForm, k.limit)
	for _, r := range k.holding() {
		fmt.Fprintf(&b, " %d", r.ID)
	}
	return b.String()
}
