package app

import (
	"fmt"
	"strconv"
	"strings"
	"sync"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// knowledge is what records are recognised by.
type knowledge struct {
	catalogue *recognise.Catalogue
	decisions []store.Decided
	rules     []store.NameRule
	limit     float64 // from which a score alone decides, 0 is never
	today     civil.Day
}

// madeOnce keeps the catalogue of one state of the file, since making it takes long and it changes seldom.
type madeOnce struct {
	sync.Mutex
	state     string
	catalogue *recognise.Catalogue
}

// catalogueOf makes the catalogue, or returns the one that was made of the same state. What is made within a transaction that may yet be rolled back is not kept.
func (a *App) catalogueOf(tx *store.Tx) (*recognise.Catalogue, error) {
	state, err := tx.Setting(catalogueChanges)
	if err != nil {
		return nil, err
	}
	a.made.Lock()
	defer a.made.Unlock()
	if a.made.catalogue != nil && a.made.state == state {
		return a.made.catalogue, nil
	}
	var from recognise.Source
	if from.Products, err = tx.Products(); err != nil {
		return nil, err
	}
	if from.Publishers, err = tx.Houses(); err != nil {
		return nil, err
	}
	if from.Suites, err = tx.Suites(); err != nil {
		return nil, err
	}
	c := recognise.NewCatalogue(from)
	if tx.ReadOnly() {
		a.made.state, a.made.catalogue = state, c
	}
	return c, nil
}

// know loads what records are recognised by.
func (a *App) know(tx *store.Tx) (*knowledge, error) {
	k := &knowledge{today: a.Today()}
	var err error
	if k.catalogue, err = a.catalogueOf(tx); err != nil {
		return nil, err
	}
	if k.decisions, err = tx.Decisions(); err != nil {
		return nil, err
	}
	if k.rules, err = tx.NameRules(); err != nil {
		return nil, err
	}
	text, err := tx.Setting(scoreLimit)
	if err != nil {
		return nil, err
	}
	k.limit, _ = strconv.ParseFloat(text, 64) // empty is never
	return k, nil
}

// scoreLimit is the setting of the score from which a first proposal decides by itself.
const scoreLimit = "score_limit"

// recogniser makes a recogniser of what holds today: decisions and rules that wait for a second person do not.
func (k *knowledge) recogniser() *recognise.Recogniser {
	var decisions []recognise.Decision
	for _, d := range k.decisions {
		if d.State == "holds" {
			decisions = append(decisions, d.Decision)
		}
	}
	return recognise.New(k.catalogue, decisions).WithRules(k.holding()).WithLimit(k.limit)
}

// holding are the rules in force.
func (k *knowledge) holding() []recognise.Rule {
	var out []recognise.Rule
	for i := range k.rules {
		if k.rules[i].Holds(k.today) {
			out = append(out, k.rules[i].Rule)
		}
	}
	return out
}

// state names what recognition rests on besides decisions, which are applied when they are taken: the catalogue and the rules in force.
func (k *knowledge) state(catalogue string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s form %s limit %g", catalogue, recognise.KeyForm, k.limit)
	for _, r := range k.holding() {
		fmt.Fprintf(&b, " %d", r.ID)
	}
	return b.String()
}
