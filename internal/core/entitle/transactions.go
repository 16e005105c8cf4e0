package entitle

import (
	"cmp"
	"slices"

	"ensomet/internal/core/civil"

	"github.com/shopspring/decimal"
)

// Transaction is something that happened to a line on a day: it changes how much there is of it, or how long.
type Transaction struct {
	ID       int64
	Type     string // buy, renew, true_up, transfer_in, transfer_out, retire
	On       civil.Day
	Quantity int64     // in packs, where the line counts packs; below 0 it is a counter-entry, which undoes another
	End      civil.Day // of a renewal: the last day of the new term
	Price    decimal.NullDecimal
	Currency string
	Order    string
	Note     string
	Request  string // the purchase case that it fulfils
	Nth      int64  // 2 for the second of two that are the same otherwise; 0 is 1
}

// TransactionTypes maps each type of transaction to the sign of its effect on the quantity. A renewal keeps the
// quantity.
var TransactionTypes = map[string]int64{
	"buy":          1,
	"renew":        0,
	"true_up":      1,
	"transfer_in":  1,
	"transfer_out": -1,
	"retire":       -1,
}

// Renew is the type of a renewal.
const Renew = "renew"

// Alike reports whether two transactions say the same of a line: whoever books the second one should be asked.
func (t *Transaction) Alike(o *Transaction) bool {
	return t.Type == o.Type && t.On == o.On && t.Quantity == o.Quantity && t.End == o.End && t.Order == o.Order
}

// Counter is the counter-entry that undoes t from its own day on.
func (t *Transaction) Counter() Transaction {
	c := *t
	c.ID, c.Nth, c.Quantity = 0, 0, -t.Quantity
	return c
}

// BoughtOn is the day on which a line's own quantity counts from; unknown is always.
func (l *Line) BoughtOn() civil.Day { return cmp.Or(l.Purchased, l.Start) }

// OwnPurchase reports whether a line's own quantity is its first purchase. It is not where a buy on or before the day
// of its purchase stands in its place.
func (l *Line) OwnPurchase() bool {
	first := l.BoughtOn()
	var instead int64
	for i := range l.Transactions {
		if t := &l.Transactions[i]; t.Type == "buy" && first.Known() && t.On <= first {
			instead += t.Quantity
		}
	}
	return instead <= 0
}

// Booked is how much there is of a line by its own purchase and its transactions up to a day, whatever the term; in
// packs, where it counts packs.
func (l *Line) Booked(day civil.Day) int64 {
	return max(l.sum(day), 0)
}

func (l *Line) sum(day civil.Day) int64 {
	var q int64
	if l.OwnPurchase() && l.BoughtOn() <= day { // an unknown day is 0
		q = l.Quantity
	}
	for i := range l.Transactions {
		if t := &l.Transactions[i]; t.On <= day {
			q += TransactionTypes[t.Type] * t.Quantity
		}
	}
	return q
}

// Overdrawn finds the first day on which more would have left a line than was in it, and how much more.
func (l *Line) Overdrawn() (on civil.Day, by int64) {
	for i := range l.Transactions {
		d := l.Transactions[i].On
		if n := l.sum(d); n < 0 && (by == 0 || d < on) {
			on, by = d, -n
		}
	}
	return on, by
}

// gross is what is booked of a line, in units of the metric.
func (l *Line) gross(day civil.Day) int64 { return l.Booked(day) * max(1, l.PackSize) }

// stretch is some days, both ends included.
type stretch struct{ from, to civil.Day }

// renewed lists the terms that renewals gave, each from the day of its renewal on. A counter-entry ends one of them on
// the day before.
func (l *Line) renewed() []stretch {
	var out []stretch
	for i := range l.Transactions {
		t := &l.Transactions[i]
		if t.Type != Renew || !t.End.Known() || t.Quantity < 0 {
			continue
		}
		// of renewals that are alike, as many are undone as there are counter-entries, in the order of their days
		before, undone := 0, []civil.Day{}
		for k := range l.Transactions {
			o := &l.Transactions[k]
			switch {
			case o.Type != Renew || o.End != t.End:
			case o.Quantity == t.Quantity && (o.On < t.On || o.On == t.On && k < i):
				before++
			case o.Quantity == -t.Quantity && o.Quantity < 0:
				undone = append(undone, o.On)
			}
		}
		slices.Sort(undone)
		to := t.End
		if before < len(undone) {
			to = min(to, undone[before]-1)
		}
		if to >= t.On {
			out = append(out, stretch{t.On, to})
		}
	}
	return out
}

// LastDay is the last day on which a line is in force by what is booked of it, renewals included; unknown is without
// an end.
func (l *Line) LastDay() civil.Day {
	out := l.End
	if out.Known() {
		for _, r := range l.renewed() {
			out = max(out, r.to)
		}
	}
	return out
}

// InTerm reports whether day lies within the line's term or one that a renewal gave, both ends included. An unknown
// start or end does not limit it.
func (l *Line) InTerm(day civil.Day) bool {
	if f := l.from(); f.Known() && day < f {
		return false
	}
	return !l.End.Known() || day <= l.End || within(day, l.renewed())
}

func within(day civil.Day, list []stretch) bool {
	return slices.ContainsFunc(list, func(s stretch) bool { return day >= s.from && day <= s.to })
}

// endedOn is the last day before day on which the line was in force.
func (l *Line) endedOn(day civil.Day) civil.Day {
	out := l.End
	for _, r := range l.renewed() {
		if r.to < day {
			out = max(out, r.to)
		}
	}
	return out
}

// maintenanceRenewed are the renewals that carry the maintenance on: all of them, unless the line has an end of its own
// on another day, which is then what they carry on.
func (l *Line) maintenanceRenewed() []stretch {
	if l.End.Known() && l.End != l.MaintenanceEnd {
		return nil
	}
	return l.renewed()
}

// MaintainedUntil is the last day of the maintenance of a line by what is booked of it, renewals included; unknown is
// none.
func (l *Line) MaintainedUntil() civil.Day {
	out := l.MaintenanceEnd
	if out.Known() {
		for _, r := range l.maintenanceRenewed() {
			out = max(out, r.to)
		}
	}
	return out
}

// Maintained reports whether a line was under maintenance on a day, so that a release of that day is covered.
func (l *Line) Maintained(day civil.Day) bool {
	return l.MaintenanceEnd.Known() && day >= l.from() &&
		(day <= l.MaintenanceEnd || within(day, l.maintenanceRenewed()))
}

// Restated is a line of another quantity with the same terms and no transactions: what is booked of it already is in
// its own quantity and its own days.
func (l *Line) Restated(quantity int64) Line {
	out := *l
	out.End, out.MaintenanceEnd = l.LastDay(), l.MaintainedUntil()
	out.Quantity, out.Transactions = quantity, nil
	return out
}

// Leaving is how many can leave a line on a day, in packs where it counts packs: what counts then, and on every later
// day by what is booked already. What upgrades use up cannot leave. lines are all lines of the product.
func Leaving(lines []Line, code string, day civil.Day) int64 {
	days := []civil.Day{day}
	var line *Line
	for i := range lines {
		l := &lines[i]
		if l.Code == code {
			line = l
		}
		days = append(days, l.Start, l.Purchased)
		for k := range l.Transactions {
			days = append(days, l.Transactions[k].On)
		}
	}
	if line == nil {
		return 0
	}
	least := int64(-1)
	for _, d := range days {
		if d != day && (d < day || !line.InTerm(d)) {
			continue
		}
		if n := Effective(lines, d)[code].Quantity; least < 0 || n < least {
			least = n
		}
	}
	return least / max(1, line.PackSize)
}

// Payment is what was paid for a line on a day.
type Payment struct {
	On       civil.Day
	Quantity int64 // below 0 where a counter-entry takes it back
	Price    decimal.Decimal
	Currency string
}

// Payments lists what was paid for a line: its own purchase, and what was bought, trued up and renewed later. What has
// no price of its own costs the line's; what has none there either is left out, as is what was not paid for because
// another line gave it.
func (l *Line) Payments() []Payment {
	var out []Payment
	if l.OwnPurchase() && l.UnitPrice.Valid {
		out = append(out, Payment{l.BoughtOn(), l.Quantity, l.UnitPrice.Decimal, l.Currency})
	}
	for i := range l.Transactions {
		t := &l.Transactions[i]
		if t.Type != "buy" && t.Type != "true_up" && t.Type != Renew {
			continue
		}
		p := Payment{On: t.On, Quantity: t.Quantity, Currency: cmp.Or(t.Currency, l.Currency)}
		switch {
		case t.Price.Valid:
			p.Price = t.Price.Decimal
		case l.UnitPrice.Valid:
			p.Price, p.Currency = l.UnitPrice.Decimal, l.Currency
		default:
			continue
		}
		out = append(out, p)
	}
	return out
}

// Recurs is what keeping a line costs each time that it is renewed, in its own currency: a subscription and maintenance
// at their price, a perpetual right what the newest renewal of its maintenance cost. What was bought for ever does not
// recur. It reports whether that is known.
func (l *Line) Recurs(day civil.Day) (amount decimal.Decimal, currency string, known bool) {
	booked := decimal.NewFromInt(l.Booked(day))
	if l.Kind == Subscription || l.Kind == Maintenance || l.Kind == Trial {
		return l.UnitPrice.Decimal.Mul(booked), l.Currency, l.UnitPrice.Valid
	}
	var newest *Transaction
	for i := range l.Transactions {
		t := &l.Transactions[i]
		if t.Type == Renew && t.Quantity > 0 && t.Price.Valid && t.On <= day && (newest == nil || t.On >= newest.On) {
			newest = t
		}
	}
	if newest == nil {
		return decimal.Zero, l.Currency, false
	}
	return newest.Price.Decimal.Mul(decimal.NewFromInt(newest.Quantity)), cmp.Or(newest.Currency, l.Currency), true
}
