package app

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// leaving is what is left out of the count: by hand, and by rules.
type leaving struct {
	byHand map[devicePair]string
	rules  []recognise.Rule
	on     [][]int8 // by rule and place of a device: 0 not asked yet, 1 fits, 2 does not
}

// load reads what is left out as of a day.
func (l *leaving) load(tx *store.Tx, asOf civil.Day) error {
	list, err := tx.LeftOuts()
	if err != nil {
		return err
	}
	l.byHand = map[devicePair]string{}
	for _, v := range list {
		if v.State == "holds" {
			l.byHand[devicePair{v.Device, v.Product}] = v.Reason
		}
	}
	rules, err := tx.NameRules()
	if err != nil {
		return err
	}
	for i := range rules {
		if r := &rules[i]; r.Outcome == recognise.IsLeftOut && r.Holds(asOf) {
			l.rules = append(l.rules, r.Rule)
		}
	}
	return nil
}

// matchLeaving finds for each record the rules that may leave its installs out.
func (e *estate) matchLeaving(tx *store.Tx) error {
	e.leaving.on = make([][]int8, len(e.leaving.rules))
	for i := range e.leaving.on {
		e.leaving.on[i] = make([]int8, len(e.devices))
	}
	if len(e.leaving.rules) == 0 {
		return nil
	}
	records, err := tx.AllRecords(false)
	if err != nil {
		return err
	}
	for i := range records {
		id := records[i].ID
		if id >= int64(len(e.recs)) || e.recs[id].product == nil {
			continue
		}
		r := &e.recs[id]
		r.leave = e.leaving.fitting(&records[i].Record, r.product.id)
	}
	return nil
}

// fitting lists the rules whose condition on records a record fits.
func (l *leaving) fitting(r *recognise.Record, product int64) []int32 {
	var out []int32
	facts := recognise.FactsOf(r, "", product)
	for i := range l.rules {
		if l.rules[i].Records.Holds(facts) {
			out = append(out, int32(i))
		}
	}
	return out
}

// whyLeftOut says why a product on a device is left out of the count, or is empty. rules are those that its record fits.
func (e *estate) whyLeftOut(at int, product int64, rules []int32) string {
	if why := e.leaving.byHand[devicePair{e.devices[at].ID, product}]; why != "" {
		return why
	}
	for _, i := range rules {
		known := &e.leaving.on[i][at]
		if *known == 0 {
			*known = 2
			if e.leaving.rules[i].Devices.Holds(e.conditions.of(&e.devices[at])) {
				*known = 1
			}
		}
		if *known == 1 {
			return e.leaving.rules[i].Reason
		}
	}
	return ""
}

func (f *productFacts) leaveOut(why string) {
	f.leftOut++
	if f.leftOutBy == nil {
		f.leftOutBy = map[string]int64{}
	}
	f.leftOutBy[why]++
}
