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
	Lapse     MeasureKind = "lapse"       // a line ends
)

// MeasureKinds lists all measures.
var MeasureKinds = []MeasureKind{Remove, Reclaim, Move, Buy, UpgradeTo, Reversion, Metric, Right, Maintain, Lapse}

// Measure is one thing to be tried. Which of the fields count depends on its kind. Quantity is in the line's own
// units (packs where it counts packs); Price is for one of them.
type Measure struct {
	Kind     MeasureKind
	Devices  []int64 // remove, version
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
	Until    civil.Day // maintenance
	Price    decimal.NullDecimal
	Currency string
}

// Apply returns the input as it would be once a measure was taken. An error says why it cannot be. The input itself
// stays as it is.
func Apply(in Input, m Measure, at int) (Input, error) {
	switch m.Kind {
	case Remove:
		return remove(in, m)
	case Reclaim:
		return reclaim(in, m)
	case Reversion:
		return reversion(in, m)
	}
	in.Lines = slices.Clone(in.Lines)
	k := slices.IndexFunc(in.Lines, func(l entitle.Line) bool { return l.Code == m.Line })
	if k < 0 && (m.Kind != Buy || m.Line != "") {
		if !slices.Contains(MeasureKinds, m.Kind) {
			return in, refuse.Errorf("%q is nothing that can be tried", m.Kind)
		}
		return in, refuse.Errorf("there is no entitlement %q of this product", m.Line)
	}
	var err error
	code := fmt.Sprintf("measure-%d", at+1)
	switch m.Kind {
	case Move:
		err = split(&in.Lines, k, m.Quantity, in.AsOf,
			func(l *entitle.Line) { l.Code, l.ScopeUnit, l.ScopeCountry = code, m.Unit, m.Country })
	case UpgradeTo:
		err = upgrade(&in, m, k, code)
	case Buy:
		err = buy(&in, m, k, code)
	default:
		err = change(&in.Lines[k], m, in.AsOf)
	}
	return in, err
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

// reversion brings the installs on devices to another version.
func reversion(in Input, m Measure) (Input, error) {
	in.Holdings = slices.Clone(in.Holdings)
	changed := false
	for i := range in.Holdings {
		h := &in.Holdings[i]
		if !slices.Contains(m.Devices, h.Device) {
			continue
		}
		var needs []demand.Priced
		for _, n := range h.Set.Needs {
			n.Version, n.Released = m.Version, 0
			needs = append(needs, demand.Priced{Need: n, Value: h.Set.Value})
		}
		h.Set, h.Editions, changed = in.Sets.Of(needs), nil, true
	}
	if !changed {
		return in, refuse.Errorf("none of these devices has it")
	}
	return in, nil
}

// upgrade adds a line that upgrades rights of line k.
func upgrade(in *Input, m Measure, k int, code string) error {
	if m.Quantity < 1 {
		return refuse.Errorf("say how many rights are upgraded")
	}
	up := in.Lines[k].Restated(m.Quantity * max(1, in.Lines[k].PackSize))
	up.Code, up.Kind, up.Base = code, entitle.Upgrade, m.Line
	up.Version, up.Edition, up.EditionRank = m.Version, m.Edition, m.Rank
	up.PackSize = 1
	up.Start, up.Purchased, up.End = in.AsOf, in.AsOf, 0
	in.Lines = append(in.Lines, up)
	return nil
}

// buy adds a line like line k, or a new one where k is below 0.
func buy(in *Input, m Measure, k int, code string) error {
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
		l = in.Lines[k].Restated(m.Quantity)
	}
	if l.Metric == "" {
		return refuse.Errorf("say what the bought rights are counted by")
	}
	l.Code, l.Quantity, l.Start, l.Purchased, l.End = code, m.Quantity, in.AsOf, in.AsOf, 0
	if l.Kind == entitle.Upgrade {
		l.Kind, l.Base = entitle.Perpetual, ""
	}
	in.Lines = append(in.Lines, l)
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
