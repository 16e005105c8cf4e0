package position

import (
	"cmp"
	"reflect"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"

	"github.com/shopspring/decimal"
)

// Cause is why a position changed between two days.
type Cause string

// The causes, in the order in which they are taken one after the other.
const (
	DevicesOut    Cause = "devices out of service"
	InstallsGone  Cause = "installs gone"
	Folded        Cause = "folded under a suite"
	LeftOut       Cause = "left out of the count"
	RecogniseLost Cause = "recognised as something else"
	Changed       Cause = "versions, units or users changed"
	DevicesIn     Cause = "devices came into service"
	Appeared      Cause = "installs appeared"
	Unfolded      Cause = "no longer folded under a suite"
	BackIn        Cause = "back in the count"
	Recognised    Cause = "recognised as this"
	UseChanged    Cause = "use and seats changed"
	Expired       Cause = "rights expired"
	Retired       Cause = "rights retired"
	Transferred   Cause = "rights transferred"
	Upgraded      Cause = "rights upgraded"
	Bought        Cause = "rights bought or begun"
	LinesChanged  Cause = "rules or metric changed"
	Rest          Cause = "rates, prices, hardware and age of evidence"
)

// Causes lists all causes in their order.
var Causes = []Cause{
	DevicesOut,
	InstallsGone,
	Folded,
	LeftOut,
	RecogniseLost,
	Changed,
	DevicesIn,
	Appeared,
	Unfolded,
	BackIn,
	Recognised,
	UseChanged,
	Expired,
	Retired,
	Transferred,
	Upgraded,
	Bought,
	LinesChanged,
	Rest,
}

// learnt are the words for causes where both states are of one day, by what was known of it at two times: what each
// came from was not on that day itself, but was entered, told or decided between the times.
var learnt = map[Cause]string{
	DevicesOut:    "devices told to be out of service",
	InstallsGone:  "evidence came that installs were not there",
	Folded:        "folded under a suite since",
	LeftOut:       "left out of the count since",
	RecogniseLost: "recognised as something else since",
	Changed:       "versions, units or users told since",
	DevicesIn:     "devices told to be in service",
	Appeared:      "evidence of installs came since",
	Unfolded:      "no longer folded under a suite since",
	BackIn:        "back in the count since",
	Recognised:    "recognised as this since",
	UseChanged:    "use and seats told since",
	LinesChanged:  "lines and bookings entered since",
	Rest:          "prices, rates, hardware and settings entered since",
}

// Learnt is a cause in words, where what moved the figure was only learnt after the day that it is of.
func (c Cause) Learnt() string { return cmp.Or(learnt[c], string(c)) }

// Figures are the figures of a position, or how much they changed.
type Figures struct{ Owned, Needed, Covered, Short, Surplus, Free, Low, High, Exposure int64 }

// Figures returns the figures of a position.
func (p *Position) Figures() Figures {
	return Figures{p.Owned, p.Needed, p.Covered, p.Short, p.Surplus, p.Free, p.Low, p.High, p.Exposure}
}

// Plus adds figures one by one.
func (f Figures) Plus(g Figures) Figures {
	return Figures{
		f.Owned + g.Owned,
		f.Needed + g.Needed,
		f.Covered + g.Covered,
		f.Short + g.Short,
		f.Surplus + g.Surplus,
		f.Free + g.Free,
		f.Low + g.Low,
		f.High + g.High,
		f.Exposure + g.Exposure,
	}
}

// Minus takes figures away one by one.
func (f Figures) Minus(g Figures) Figures {
	return f.Plus(Figures{-g.Owned, -g.Needed, -g.Covered, -g.Short, -g.Surplus, -g.Free, -g.Low, -g.High,
		-g.Exposure})
}

// Step is what one cause changed, by metric, with the devices or lines that it is made of.
type Step struct {
	Cause   Cause
	By      map[entitle.Metric]Figures
	Devices []int64
	Users   []int64
	Lines   []string
}

// Why says why a product's holding on a device went, came or is another.
type Why func(device int64) Cause

// Steps splits the change from one position of a product to another into causes, which are taken one after the other:
// what each changes is the difference between the positions computed before and after it, so the steps add up
// exactly. Within the order an effect that two causes have only together goes to the later one. why is asked about
// each device whose holding differs.
func Steps(before, after Input, why Why) []Step {
	from, to := Compute(before), Compute(after)
	cur := before
	cur.AsOf, cur.Yesterday, cur.Hardware, cur.Order, cur.DefaultMetric = after.AsOf, nil, after.Hardware, after.Order,
		after.DefaultMetric
	lines := newLineChanges(before, after)
	cur.Lines = lines.upTo(nil)
	base := byMetric(Compute(cur))
	last := base
	causes := map[Cause][]int64{}
	was, is := holdingsByDevice(before.Holdings), holdingsByDevice(after.Holdings)
	for device := range was {
		if h, stays := is[device]; !stays || !alike(before.Holdings[was[device]], after.Holdings[h]) {
			causes[why(device)] = append(causes[why(device)], device)
		}
	}
	for device := range is {
		if _, known := was[device]; !known {
			causes[why(device)] = append(causes[why(device)], device)
		}
	}
	var out []Step
	var applied []Cause
	for _, cause := range Causes {
		s := Step{Cause: cause, Devices: causes[cause]}
		slices.Sort(s.Devices)
		switch cause {
		case UseChanged:
			s.Users = usersChanged(cur.Persons, after.Persons)
			cur.Persons, cur.Sessions, cur.Measured = after.Persons, after.Sessions, after.Measured
		case Expired, Retired, Transferred, Upgraded, Bought, LinesChanged:
			applied = append(applied, cause)
			cur.Lines, s.Lines = lines.upTo(applied), lines.of(cause)
		case Rest:
			cur = after
		}
		if len(s.Devices) > 0 {
			cur.Holdings = replace(cur.Holdings, after.Holdings, s.Devices)
		}
		if cause != Rest && len(s.Devices) == 0 && len(s.Lines) == 0 && cause != UseChanged {
			continue
		}
		now := byMetric(to)
		if cause != Rest {
			cur.Sessions = rehold(cur.Sessions, cur.Holdings)
			now = byMetric(Compute(cur))
		}
		s.By = difference(last, now)
		last = now
		if cause == Rest { // and what the day alone changed, before any cause
			for m, f := range difference(byMetric(from), base) {
				s.By[m] = s.By[m].Plus(f)
			}
		}
		for m, f := range s.By {
			if f == (Figures{}) {
				delete(s.By, m)
			}
		}
		if len(s.By) > 0 || len(s.Devices)+len(s.Lines) > 0 {
			out = append(out, s)
		}
	}
	return out
}

func byMetric(ps []Position) map[entitle.Metric]Figures {
	out := map[entitle.Metric]Figures{}
	for i := range ps {
		out[ps[i].Metric] = ps[i].Figures()
	}
	return out
}

func difference(a, b map[entitle.Metric]Figures) map[entitle.Metric]Figures {
	out := map[entitle.Metric]Figures{}
	for m := range a {
		out[m] = b[m].Minus(a[m])
	}
	for m := range b {
		out[m] = b[m].Minus(a[m])
	}
	return out
}

func holdingsByDevice(list []demand.Holding) map[int64]int {
	out := make(map[int64]int, len(list))
	for i := range list {
		out[list[i].Device] = i
	}
	return out
}

// alike reports whether two holdings ask for the same, whatever it is worth and however old its evidence is.
func alike(a, b demand.Holding) bool {
	return a.Kind == b.Kind && a.Environment == b.Environment && a.Portable == b.Portable && a.User == b.User &&
		a.Place == b.Place &&
		a.UserAt == b.UserAt &&
		slices.Equal(a.Set.Needs, b.Set.Needs)
}

// replace puts the holdings of some devices in the place of what they were.
func replace(list, from []demand.Holding, devices []int64) []demand.Holding {
	out := make([]demand.Holding, 0, len(list))
	for _, h := range list {
		if _, found := slices.BinarySearch(devices, h.Device); !found {
			out = append(out, h)
		}
	}
	for _, h := range from {
		if _, found := slices.BinarySearch(devices, h.Device); found {
			out = append(out, h)
		}
	}
	slices.SortFunc(out, func(a, b demand.Holding) int { return cmp.Compare(a.Device, b.Device) })
	return out
}

// rehold finds the holdings of sessions anew.
func rehold(list []demand.Session, holdings []demand.Holding) []demand.Session {
	at := holdingsByDevice(holdings)
	out := slices.Clone(list)
	for i := range out {
		out[i].Holding = -1
		if h, ok := at[out[i].Device]; ok {
			out[i].Holding = int32(h)
		}
	}
	return out
}

func usersChanged(a, b []demand.Person) []int64 {
	type person struct {
		user int64
		why  string
	}
	n := map[person]int{}
	for _, p := range a {
		n[person{p.User, p.Why}]--
	}
	for _, p := range b {
		n[person{p.User, p.Why}]++
	}
	var out []int64
	for p, k := range n {
		if k != 0 && p.user != 0 {
			out = append(out, p.user)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// lineChanges has the lines of two days, and what of each line changes between them because of what.
type lineChanges struct {
	before, after []entitle.Line
	from, to      civil.Day
}

const never = civil.Day(1 << 30)

func newLineChanges(before, after Input) *lineChanges {
	l := &lineChanges{
		from:   before.AsOf,
		to:     after.AsOf,
		before: slices.Clone(before.Lines),
		after:  slices.Clone(after.Lines),
	}
	byCode := func(a, b entitle.Line) int { return cmp.Compare(a.Code, b.Code) }
	slices.SortFunc(l.before, byCode)
	slices.SortFunc(l.after, byCode)
	return l
}

// transactionCause is what a transaction changes.
func transactionCause(kind string) Cause {
	switch kind {
	case "transfer_in", "transfer_out":
		return Transferred
	case "retire":
		return Retired
	}
	return Bought
}

// began is the cause under which a line's own start counts.
func began(l *entitle.Line) Cause {
	if l.Kind == entitle.Upgrade {
		return Upgraded
	}
	return Bought
}

// upTo gives the lines as they are on the later day where some causes have come about, and the rest of what lies
// between the days has not.
func (c *lineChanges) upTo(causes []Cause) []entitle.Line {
	has := func(x Cause) bool { return slices.Contains(causes, x) }
	list := c.before
	if has(LinesChanged) {
		list = c.after
	}
	out := make([]entitle.Line, 0, len(list))
	for _, l := range list {
		lapses := c.lapses(&l)
		if !l.OwnPurchase() { // and stays so, whichever of its purchases is not there yet
			l.Quantity = 0
		}
		from := cmp.Or(l.Start, l.Purchased)
		if from > c.from && from <= c.to && !has(began(&l)) {
			l.Start, l.Purchased = never, never
		}
		if p := l.Purchased; p > c.from && p <= c.to && !has(began(&l)) {
			l.Purchased = never
		}
		if l.End.Known() && l.End < c.to && (l.End >= c.from || lapses) && (!lapses || !has(Expired)) {
			l.End = 0
		}
		if len(l.Transactions) > 0 {
			l.Transactions = slices.Clone(l.Transactions)
			for i := range l.Transactions {
				if t := &l.Transactions[i]; t.On > c.from && t.On <= c.to && !has(transactionCause(t.Type)) {
					t.On = never
				}
			}
		}
		out = append(out, l)
	}
	return out
}

// lapses reports whether the term of a line, with its renewals, ended between the days.
func (c *lineChanges) lapses(l *entitle.Line) bool {
	last := l.LastDay()
	return last.Known() && last < c.to && !l.InTerm(c.to) && (last >= c.from || l.InTerm(c.from))
}

// of lists the lines that a cause touches.
func (c *lineChanges) of(cause Cause) []string {
	var out []string
	within := func(d civil.Day) bool { return d > c.from && d <= c.to }
	for i := range c.after {
		l := &c.after[i]
		hit := false
		switch cause {
		case Expired:
			hit = c.lapses(l)
		case LinesChanged:
			k, known := slices.BinarySearchFunc(
				c.before,
				l.Code,
				func(x entitle.Line, code string) int { return cmp.Compare(x.Code, code) },
			)
			hit = !known || !same(&c.before[k], l)
		default:
			hit = began(l) == cause &&
				(within(cmp.Or(l.Start, l.Purchased)) || within(l.Purchased))
			for _, t := range l.Transactions {
				hit = hit || transactionCause(t.Type) == cause && within(t.On)
			}
		}
		if hit {
			out = append(out, l.Code)
		}
	}
	if cause == LinesChanged {
		for i := range c.before {
			if _, known := slices.BinarySearchFunc(c.after, c.before[i].Code,
				func(x entitle.Line, code string) int { return cmp.Compare(x.Code, code) }); !known {
				out = append(out, c.before[i].Code)
			}
		}
	}
	return out
}

// same reports whether two states of a line give the same rights: all of it but what it cost, where it is written, and
// which transactions made the quantity.
func same(a, b *entitle.Line) bool {
	terms := func(l entitle.Line) entitle.Line {
		l.ID, l.Product, l.Code, l.Contract, l.Order, l.Currency = 0, 0, "", "", "", ""
		l.Purchased, l.UnitPrice, l.Transactions = 0, decimal.NullDecimal{}, nil
		l.Rights = slices.Clip(l.Rights)
		if len(l.Rights) == 0 {
			l.Rights = nil
		}
		return l
	}
	return reflect.DeepEqual(terms(*a), terms(*b)) && len(a.Transactions) == len(b.Transactions)
}
