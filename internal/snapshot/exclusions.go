package snapshot

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// exclusions is what is left out of the count: by hand, and by rules.
type exclusions struct {
	byHand map[DevicePair]string
	Rules  []recognise.Rule
	On     [][]int8 // by rule and place of a device: 0 not asked yet, 1 fits, 2 does not
}

// Load reads what is left out as of a day.
func (l *exclusions) Load(tx *sqlite.Tx, asOf civil.Day) error {
	list, err := Exclusions(tx)
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
		if r := &rules[i]; r.Outcome.LeavesOut() && r.Holds(asOf) {
			l.Rules = append(l.Rules, r.Rule)
		}
	}
	return nil
}

// matchExclusions finds for each record the rules that may leave its installs out.
func (e *Snapshot) matchExclusions(tx *sqlite.Tx, how loading) error {
	e.Exclusions.On = make([][]int8, len(e.Exclusions.Rules))
	for i := range e.Exclusions.On {
		e.Exclusions.On[i] = make([]int8, len(e.Devices))
	}
	if len(e.Exclusions.Rules) == 0 {
		return nil
	}
	var records []stored.RawRecord
	var err error
	switch {
	case how.devices != nil:
		records, err = stored.RecordsOn(tx, how.devices)
	case how.only != nil:
		records, err = stored.RecordsAs(tx, how.only)
	default:
		records, err = stored.AllRecords(tx, false)
	}
	if err != nil {
		return err
	}
	for i := range records {
		id := records[i].ID
		if id >= int64(len(e.Recs)) || e.Recs[id].Product == nil {
			continue
		}
		r := &e.Recs[id]
		r.leave = e.Exclusions.Fitting(&records[i].Record, r.Product.Id)
	}
	return nil
}

// Fitting lists the rules whose condition on records a record fits.
func (l *exclusions) Fitting(r *recognise.Record, product int64) []int32 {
	var out []int32
	facts := recognise.FactsOf(r, "", product)
	for i := range l.Rules {
		if l.Rules[i].Records.Holds(facts) {
			out = append(out, int32(i))
		}
	}
	return out
}

// Left says that installs make no demand, and why: somebody left them out of the count, or their right comes with the
// place they run in.
type Left struct {
	Included bool
	Why      string // of what is included: of the rule that says so, empty where the evidence does
}

// Is reports whether they are left.
func (l Left) Is() bool { return l.Included || l.Why != "" }

// Words say it to people.
func (l Left) Words() string {
	switch {
	case l.Included && l.Why != "":
		return IncludedWords + ": " + l.Why
	case l.Included:
		return IncludedWords
	case l.Why != "":
		return "left out: " + l.Why
	}
	return ""
}

// IncludedWords say why an install makes no demand whose right comes with the place.
const IncludedWords = "covered by the place it runs in"

// OwnSite is how a device is hosted of which nothing else is said.
const OwnSite = "own site"

// WhyExcluded says why a product on a device makes no demand. rules are those that its record fits.
func (e *Snapshot) WhyExcluded(at int, product int64, rules []int32) Left {
	if why := e.Exclusions.byHand[DevicePair{e.Devices[at].ID, product}]; why != "" {
		return Left{Why: why}
	}
	for _, i := range rules {
		known := &e.Exclusions.On[i][at]
		if *known == 0 {
			*known = 2
			if e.Exclusions.Rules[i].Devices.Holds(e.Conditions.Of(&e.Devices[at])) {
				*known = 1
			}
		}
		if *known == 1 {
			r := &e.Exclusions.Rules[i]
			return Left{Included: r.Outcome == recognise.IsIncluded, Why: r.Reason}
		}
	}
	return Left{}
}

func (f *ProductFacts) leaveOut(left Left, device int64) {
	f.leftOut++
	if f.LeftOutBy == nil {
		f.LeftOutBy = map[string]int64{}
	}
	f.LeftOutBy[left.Words()]++
	if left.Included {
		if f.IncludedOn == nil {
			f.IncludedOn = map[int64]bool{}
		}
		f.IncludedOn[device] = true
	}
}
