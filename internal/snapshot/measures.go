package snapshot

import (
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/position"
	"ensomet/internal/core/refuse"

	"github.com/shopspring/decimal"
)

func SumShort(ps []position.Position) (n int64) {
	for i := range ps {
		n += ps[i].Short
	}
	return n
}

func SumSurplus(ps []position.Position) (n int64) {
	for i := range ps {
		n += ps[i].Surplus
	}
	return n
}

// Measure turns words into numbers.
func (e *Snapshot) Measure(f *ProductFacts, m *Measure) (position.Measure, error) {
	out := position.Measure{
		Kind:     position.MeasureKind(m.Kind),
		Line:     m.Line,
		Quantity: m.Quantity,
		Unit:     m.Unit,
		Country:  m.Country,
		Version:  m.Version,
		Edition:  m.Edition,
		Metric:   entitle.Metric(m.Metric),
		Right:    entitle.Right(m.Right),
		Currency: m.Currency,
		Capacity: m.Capacity,
		Reason:   strings.TrimSpace(m.Reason),
	}
	out.Rank = rankOf(f.Product, m.Edition)
	if m.Edition == "" && m.Line != "" {
		for i := range f.Lines {
			if l := &f.Lines[i]; l.Code == m.Line {
				out.Edition, out.Rank = l.Edition, l.EditionRank
			}
		}
	}
	for _, code := range m.Devices {
		id, known := e.deviceOf[code]
		if !known {
			return out, refuse.Errorf("there is no device %q", code)
		}
		out.Devices = append(out.Devices, id)
	}
	if m.Host != "" {
		id, known := e.deviceOf[m.Host]
		if !known {
			return out, refuse.Errorf("there is no device %q", m.Host)
		}
		out.Host = id
	}
	for _, code := range m.Users {
		i, known := e.personAt[code]
		if !known {
			return out, refuse.Errorf("there is no user %q", code)
		}
		out.Users = append(out.Users, e.persons[i].ID)
	}
	if out.Metric != "" && !slices.Contains(entitle.Metrics, out.Metric) {
		return out, refuse.Errorf("%q is no metric", m.Metric)
	}
	if out.Right != "" && !slices.Contains(entitle.Rights, out.Right) {
		return out, refuse.Errorf("%q is no right", m.Right)
	}
	var err error
	if out.Until, err = civil.Parse(m.Until); err != nil {
		return out, refuse.Errorf("%q is not a day: write it as 2026-12-31", m.Until)
	}
	if m.Price != "" {
		d, err := decimal.NewFromString(m.Price)
		if err != nil || d.IsNegative() {
			return out, refuse.Errorf("%q is not a price", m.Price)
		}
		out.Price = decimal.NewNullDecimal(d)
	}
	return out, nil
}

// CostOf is what a measure costs once, and what it saves at the next renewal. Without a price of its own, what is
// bought like a line costs what that line did, else the list price.
func (e *Snapshot) CostOf(f *ProductFacts, m *position.Measure) (cost, saves decimal.Decimal, currency string) {
	var line *entitle.Line
	for i := range f.Lines {
		if f.Lines[i].Code == m.Line {
			line = &f.Lines[i]
		}
	}
	currency = f.Currency
	if m.Currency != "" {
		currency = m.Currency
	}
	times := func(price decimal.Decimal, n int64) decimal.Decimal { return price.Mul(decimal.NewFromInt(n)) }
	switch m.Kind {
	case position.Buy, position.UpgradeTo, position.Maintain:
		quantity := m.Quantity
		if m.Kind == position.Maintain && quantity == 0 && line != nil {
			quantity = line.Booked(e.AsOf)
		}
		switch {
		case m.Price.Valid:
			return times(m.Price.Decimal, quantity), decimal.Zero, currency
		case m.Kind == position.Buy && line != nil && line.UnitPrice.Valid:
			return times(line.UnitPrice.Decimal, quantity), decimal.Zero, line.Currency
		case m.Kind == position.Buy:
			value := int64(0)
			for i := range f.Product.Titles {
				if t := &f.Product.Titles[i]; t.Edition == m.Edition || m.Edition == "" {
					value = max(value, e.price(f, t))
				}
			}
			pack := int64(1)
			if line != nil {
				pack = max(1, line.PackSize)
			}
			return times(decimal.New(value, -4), quantity*pack), decimal.Zero, f.Currency
		}
	case position.Lapse:
		if line != nil && line.UnitPrice.Valid {
			return decimal.Zero, times(line.UnitPrice.Decimal, line.Booked(e.AsOf)), line.Currency
		}
	}
	return decimal.Zero, decimal.Zero, currency
}

func MeasureWords(m *Measure, product string) string {
	n := func(k int, one string) string {
		if k == 1 {
			return "1 " + one
		}
		return fmt.Sprintf("%d %ss", k, one)
	}
	scope := strings.TrimSpace(m.Unit + " " + m.Country)
	switch position.MeasureKind(m.Kind) {
	case position.Remove:
		return fmt.Sprintf("remove %s from %s", product, n(len(m.Devices), "device"))
	case position.Reclaim:
		return fmt.Sprintf("take back %s of %s", n(len(m.Users), "seat"), product)
	case position.Move:
		if scope == "" {
			return fmt.Sprintf("let %d of %s count everywhere", m.Quantity, m.Line)
		}
		return fmt.Sprintf("move %d of %s to %s", m.Quantity, m.Line, scope)
	case position.Buy:
		if m.Line != "" {
			return fmt.Sprintf("buy %d %s like %s", m.Quantity, product, m.Line)
		}
		return strings.TrimSpace(
			fmt.Sprintf(
				"buy %d %s %s by %s",
				m.Quantity,
				product,
				strings.TrimSpace(m.Edition+" "+m.Version),
				strings.ReplaceAll(m.Metric, "_", " "),
			),
		)
	case position.UpgradeTo:
		return fmt.Sprintf("upgrade %d of %s to %s", m.Quantity, m.Line, strings.TrimSpace(m.Edition+" "+m.Version))
	case position.Reversion:
		return fmt.Sprintf("put version %s of %s on %s", m.Version, product, n(len(m.Devices), "device"))
	case position.Metric:
		return fmt.Sprintf("count %s by %s", m.Line, strings.ReplaceAll(m.Metric, "_", " "))
	case position.Right:
		return fmt.Sprintf("give %s the right to %s", m.Line, strings.ReplaceAll(m.Right, "_", " "))
	case position.Maintain:
		return fmt.Sprintf("keep maintenance of %s up to %s", m.Line, m.Until)
	case position.Capacity:
		if m.Capacity == "sub" {
			return fmt.Sprintf("count %s by the virtual cores alone (sub-capacity)", m.Line)
		}
		return fmt.Sprintf("count %s by whole hosts (full capacity)", m.Line)
	case position.Lapse:
		return fmt.Sprintf("let %s lapse", m.Line)
	case position.Pin:
		if len(m.Devices) == 1 {
			return "pin 1 virtual machine to its host"
		}
		return fmt.Sprintf("pin %s to their hosts", n(len(m.Devices), "virtual machine"))
	case position.Host:
		return fmt.Sprintf("move %s to the host %s", n(len(m.Devices), "virtual machine"), m.Host)
	case position.LeaveOut:
		return fmt.Sprintf("leave %s on %s out of the count: %s", product, n(len(m.Devices), "device"), m.Reason)
	}
	return m.Kind
}

// Measure is one measure of a scenario, in the words of people: codes instead of numbers. Which fields count
// depends on its kind.
type Measure struct {
	Kind     string   `json:"kind"` // one of position.MeasureKinds
	Product  int64    `json:"product"`
	Devices  []string `json:"devices,omitempty"` // device_id
	Users    []string `json:"users,omitempty"`   // user_id
	Line     string   `json:"line,omitempty"`    // entitlement_id
	Quantity int64    `json:"quantity,omitempty"`
	Unit     string   `json:"unit,omitempty"`
	Country  string   `json:"country,omitempty"`
	Version  string   `json:"version,omitempty"`
	Edition  string   `json:"edition,omitempty"`
	Metric   string   `json:"metric,omitempty"`
	Right    string   `json:"right,omitempty"`
	Until    string   `json:"until,omitempty"`
	Capacity string   `json:"capacity,omitempty"` // full, sub
	Host     string   `json:"host,omitempty"`     // device_id of the host that virtual machines move to
	Reason   string   `json:"reason,omitempty"`
	Price    string   `json:"price,omitempty"` // of one; empty is the price of the line, else the list price
	Currency string   `json:"currency,omitempty"`
}
