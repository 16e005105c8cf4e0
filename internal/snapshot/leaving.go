package snapshot

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// leaving is what is left out of the count: by hand, and by rules.
type leaving struct {
	byHand map[DevicePair]string
	Rules  []recognise.Rule
	On     [][]int8 // by rule and place of a device: 0 not asked yet, 1 fits, 2 does not
}

// Load reads what is left out as of a day.
func (l *leaving) Load(tx *sqlite.Tx, asOf civil.Day) error {
	list, err := LeftOuts(tx)
	if err != nil {
		return err
	}
	l.byHand = map[DevicePair]string{}
	for _, v := range list {
		if v.State == "holds" {
			l.byHand[DevicePair{v.Device, v.Product}] = v.Reason
		}
	}
	rules, err := NameRules(tx)
	if err != nil {
		return err
	}
	for i := range rules {
		if r := &rules[i]; r.Outcome == recognise.IsLeftOut && r.Holds(asOf) {
			l.Rules = append(l.Rules, r.Rule)
		}
	}
	return nil
}

// matchLeaving finds for each record the rules that may leave its installs out.
func (e *Snapshot) matchLeaving(tx *sqlite.Tx, only []int64) error {
	e.Leaving.On = make([][]int8, len(e.Leaving.Rules))
	for i := range e.Leaving.On {
		e.Leaving.On[i] = make([]int8, len(e.Devices))
	}
	if len(e.Leaving.Rules) == 0 {
		return nil
	}
	read := func() ([]StoredRecord, error) { return AllRecords(tx, false) }
	if only != nil {
		read = func() ([]StoredRecord, error) { return RecordsOf(tx, only) }
	}
	records, err := read()
	if err != nil {
		return err
	}
	for i := range records {
		id := records[i].ID
		if id >= int64(len(e.Recs)) || e.Recs[id].Product == nil {
			continue
		}
		r := &e.Recs[id]
		r.leave = e.Leaving.Fitting(&records[i].Record, r.Product.Id)
	}
	return nil
}

// Fitting lists the rules whose condition on records a record fits.
func (l *leaving) Fitting(r *recognise.Record, product int64) []int32 {
	var out []int32
	facts := recognise.FactsOf(r, "", product)
	for i := range l.Rules {
		if l.Rules[i].Records.Holds(facts) {
			out = append(out, int32(i))
		}
	}
	return out
}

// WhyLeftOut says why a product on a device is left out of the count, or is empty. rules are those that its record
// fits.
func (e *Snapshot) WhyLeftOut(at int, product int64, rules []int32) string {
	if why := e.Leaving.byHand[DevicePair{e.Devices[at].ID, product}]; why != "" {
		return why
	}
	for _, i := range rules {
		known := &e.Leaving.On[i][at]
		if *known == 0 {
			*known = 2
			if e.Leaving.Rules[i].Devices.Holds(e.Conditions.Of(&e.Devices[at])) {
				*known = 1
			}
		}
		if *known == 1 {
			return e.Leaving.Rules[i].Reason
		}
	}
	return ""
}

func (f *ProductFacts) leaveOut(why string) {
	f.leftOut++
	if f.LeftOutBy == nil {
		f.LeftOutBy = map[string]int64{}
	}
	f.LeftOutBy[why]++
}
