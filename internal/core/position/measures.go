package position

import (
	"fmt"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/refuse"

	"github.com/shopspring/decimal"
)

// MeasureKind is something that could be done about a position.
type MeasureKind string

// The measures.
const (
	Remove    MeasureKind = "remove"      // the product from devices
	Reclaim   MeasureKind = "reclaim"     // seats from users
	Move      MeasureKind = "move"        // rights of a line to another unit or country
	Buy       MeasureKind = "buy"         // rights like those of a line, or new ones
	UpgradeTo MeasureKind = "upgrade"     // rights of a line to another version or edition
	Reversion MeasureKind = "version"     // the installs on devices to another version
	Metric    MeasureKind = "metric"      // of a line
	Right     MeasureKind = "right"       // added to a line
	Maintain  MeasureKind = "maintenance" // of a line, up to a day
	Capacity  MeasureKind = "capacity"    // of a line: full, or sub
	Lapse     MeasureKind = "lapse"       // a line ends
	Pin       MeasureKind = "pin"         // virtual machines to their hosts
	Host      MeasureKind = "host"        // virtual machines move to another host
	LeaveOut  MeasureKind = "leave_out"   // the product on devices, out of the count with a reason
)

// MeasureKinds lists all measures.
var MeasureKinds = []MeasureKind{Remove, Reclaim, Move, Buy, UpgradeTo, Reversion, Metric, Right, Maintain, Capacity,
	Lapse, Pin, Host, LeaveOut}

// OfLines reports whether a measure changes rights alone: nothing of what is found on machines, or of who uses it.
func (k MeasureKind) OfLines() bool {
	switch k {
	case Move, Buy, UpgradeTo, Metric, Right, Maintain, Capacity, Lapse:
		return true
	}
	return false
}

// Measure is one thing to be tried. Which of the fields count depends on its kind. Quantity is in the line's own
// units (packs where it counts packs); Price is for one of them.
type Measure struct {
	Kind     MeasureKind
	Devices  []int64 // remove, version, pin, host, leave_out
	Users    []int64 // reclaim
	Line     string  // the line that is moved, bought like, upgraded, changed or let lapse
	Quantity int64
	Unit     string // move: the scope it goes to
	Country  string
	Version  string // upgrade, version, buy
	Edition  string // upgrade, buy
	Rank     int    // of the edition
	Metric   entitle.Metric
	Right    entitle.Right
	Capacity string    // full, sub
	Host     int64     // the machine that virtual ones move to
	Reason   string    // leave_out
	Until    civil.Day // maintenance
	Price    decimal.NullDecimal
	Currency string
}

// Apply returns the input as it would be once a measure was taken that removes, takes seats back, or changes lines. An
// error says why it cannot be. The input itself stays as it is. What a removal changes beyond the product, and what
// only the machines or the use know, is tried from the installs on, by snapshot.Trial.
func Apply(in Input, m Measure, at int) (Input, error) {
	switch m.Kind {
	case Remove:
		return remove(in, m)
	case Reclaim:
		return reclaim(in, m)
	}
	var err error
	in.Lines, err = ApplyToLines(in.Lines, m, in.AsOf, at)
	return in, err
}

// ApplyToLines returns the lines of a product as they would be on a day once a measure was taken; at is its place among
// the measures, from which a new line has its code. An error says why it cannot be. The lines given stay as they are.
func ApplyToLines(lines []entitle.Line, m Measure, asOf civil.Day, at int) ([]entitle.Line, error) {
	lines = slices.Clone(lines)
	k := slices.IndexFunc(lines, func(l entitle.Line) bool { return l.Code == m.Line })
	if !m.Kind.OfLines() {
		return lines, refuse.Errorf("%q is nothing that can be tried", m.Kind)
	}
	if k < 0 && (m.Kind != Buy || m.Line != "") {
		return lines, refuse.Errorf("there is no entitlement %q of this product", m.Line)
	}
	code := fmt.Sprintf("measure-%d", at+1)
	switch m.Kind {
	case Move:
		return lines, split(&lines, k, m.Quantity, asOf,
			func(l *entitle.Line) { l.Code, l.ScopeUnit, l.ScopeCountry = code, m.Unit, m.Country })
	case UpgradeTo:
		return lines, upgrade(&lines, m, k, asOf, code)
	case Buy:
		return lines, buy(&lines, m, k, asOf, code)
	}
	return lines, change(&lines[k], m, asOf)
}

// remove takes the product off devices, with what is used there.
func remove(in Input, m Measure) (Input, error) {
	if len(m.Devices) == 0 {
		return in, refuse.Errorf("say from which devices it is removed")
	}
	in.Holdings = slices.DeleteFunc(
		slices.Clone(in.Holdings),
		func(h demand.Holding) bool { return slices.Contains(m.Devices, h.Device) },
	)
	in.Sessions = slices.DeleteFunc(
		slices.Clone(in.Sessions),
		func(s demand.Session) bool { return slices.Contains(m.Devices, s.Device) },
	)
	in.Sessions = rehold(in.Sessions, in.Holdings)
	return in, nil
}

// reclaim takes seats back from users.
func reclaim(in Input, m Measure) (Input, error) {
	if len(m.Users) == 0 {
		return in, refuse.Errorf("say whose seats are taken back")
	}
	in.Persons = slices.DeleteFunc(
		slices.Clone(in.Persons),
		func(p demand.Person) bool { return p.Why == "assigned" && slices.Contains(m.Users, p.User) },
	)
	return in, nil
}

// upgrade adds a line that upgrades rights of line k.
func upgrade(lines *[]entitle.Line, m Measure, k int, asOf civil.Day, code string) error {
	if m.Quantity < 1 {
		return refuse.Errorf("say how many rights are upgraded")
	}
	from := &(*lines)[k]
	up := from.Restated(m.Quantity * max(1, from.PackSize))
	up.ID = 0
	up.Code, up.Kind, up.Base = code, entitle.Upgrade, m.Line
	up.Version, up.Edition, up.EditionRank = m.Version, m.Edition, m.Rank
	up.PackSize = 1
	up.Start, up.Purchased, up.End = asOf, asOf, 0
	*lines = append(*lines, up)
	return nil
}

// buy adds a line like line k, or a new one where k is below 0.
func buy(lines *[]entitle.Line, m Measure, k int, asOf civil.Day, code string) error {
	if m.Quantity < 1 {
		return refuse.Errorf("say how many are bought")
	}
	l := entitle.Line{
		Metric:       m.Metric,
		Kind:         entitle.Perpetual,
		Edition:      m.Edition,
		EditionRank:  m.Rank,
		Version:      m.Version,
		ScopeUnit:    m.Unit,
		ScopeCountry: m.Country,
	}
	if k >= 0 {
		l = (*lines)[k].Restated(m.Quantity)
		l.ID = 0
	}
	if l.Metric == "" {
		return refuse.Errorf("say what the bought rights are counted by")
	}
	l.Code, l.Quantity, l.Start, l.Purchased, l.End = code, m.Quantity, asOf, asOf, 0
	if l.Kind == entitle.Upgrade {
		l.Kind, l.Base = entitle.Perpetual, ""
	}
	*lines = append(*lines, l)
	return nil
}

// change changes the terms of a line.
func change(l *entitle.Line, m Measure, asOf civil.Day) error {
	switch m.Kind {
	case Metric:
		if m.Quantity > 0 {
			*l = l.Restated(m.Quantity)
		}
		l.Metric = m.Metric
	case Right:
		if l.Has(m.Right) {
			return refuse.Errorf("%s has this right already", l.Code)
		}
		l.Rights = append(slices.Clone(l.Rights), m.Right)
	case Maintain:
		l.MaintenanceEnd = m.Until
	case Capacity:
		if m.Capacity != "full" && m.Capacity != "sub" {
			return refuse.Errorf("a capacity is full or sub, not %q", m.Capacity)
		}
		l.Capacity = m.Capacity
	case Lapse:
		*l = l.Restated(l.Booked(asOf))
		l.End = asOf - 1
	default:
		return refuse.Errorf("%q is nothing that can be tried", m.Kind)
	}
	return nil
}

// split takes quantity of a line for a line of its own.
func split(lines *[]entitle.Line, k int, quantity int64, on civil.Day, change func(*entitle.Line)) error {
	from := &(*lines)[k]
	effect := entitle.Effective(*lines, on)[from.Code]
	if held := effect.Quantity / max(1, from.PackSize); quantity < 1 || quantity > held {
		return refuse.Errorf("%s has %d to move, not %d", from.Code, held, quantity)
	}
	to := from.Restated(quantity)
	to.ID = 0
	to.Kind, to.Base = entitle.Perpetual, ""
	if from.Kind == entitle.Subscription || from.Kind == entitle.Trial {
		to.Kind = from.Kind
	}
	change(&to)
	from.Transactions = append(slices.Clone(from.Transactions),
		entitle.Transaction{Type: "transfer_out", On: on, Quantity: quantity})
	*lines = append(*lines, to)
	return nil
}
