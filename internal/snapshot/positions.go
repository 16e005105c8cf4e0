package snapshot

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/position"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// Positions is the positions that follow from a snapshot, with the allocations behind them.
type Positions struct {
	Snapshot *Snapshot
	Figures  []Figure
	Ways     map[int64][]position.Way
	Amounts  map[int64][]int64
}

func NewPositions(e *Snapshot) *Positions {
	return &Positions{Snapshot: e, Ways: map[int64][]position.Way{}, Amounts: map[int64][]int64{}}
}

// Of is the positions of some products, in order, alone.
func (d *Positions) Of(products []int64) *Positions {
	out := NewPositions(d.Snapshot)
	for _, f := range d.Figures {
		if _, is := slices.BinarySearch(products, f.Product); is {
			out.Figures = append(out.Figures, f)
		}
	}
	for _, id := range products {
		if ways := d.Ways[id]; ways != nil {
			out.Ways[id], out.Amounts[id] = ways, d.Amounts[id]
		}
	}
	return out
}

// ComputeAll works out every position, until ctx ends. It returns how much of each product is short, and which line
// covers each device.
func (d *Positions) ComputeAll(
	ctx context.Context,
	yesterday map[int64]map[position.Way]int64,
) (open map[int64]int64, lines map[DevicePair]*position.LineResult, err error) {
	return d.compute(ctx, yesterday, func(*ProductFacts) bool { return true })
}

func (d *Positions) compute(
	ctx context.Context,
	yesterday map[int64]map[position.Way]int64,
	wanted func(*ProductFacts) bool,
) (open map[int64]int64, lines map[DevicePair]*position.LineResult, err error) {
	e := d.Snapshot
	open, lines = map[int64]int64{}, map[DevicePair]*position.LineResult{}
	for _, f := range e.Ordered() {
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		if !wanted(f) {
			continue
		}
		positions := e.Compute(f, yesterday[f.Id])
		for i := range positions {
			p := &positions[i]
			d.Figures = append(d.Figures, e.Figure(f, p))
			open[f.Id] += p.Short
			d.keepWays(f.Id, p)
			for _, u := range p.Units {
				if u.Line >= 0 && u.Device != 0 {
					lines[DevicePair{u.Device, f.Id}] = &p.Lines[u.Line]
				}
			}
		}
	}
	return open, lines, nil
}

// ComputeSome is ComputeAll of some products.
func (d *Positions) ComputeSome(
	ctx context.Context,
	tx *sqlite.Tx,
	products []int64,
) (open map[int64]int64, lines map[DevicePair]*position.LineResult, err error) {
	yesterday := map[int64]map[position.Way]int64{}
	for _, id := range products {
		ways, err := Ways(tx, id)
		if err != nil {
			return nil, nil, err
		}
		yesterday[id] = ways[id]
	}
	return d.compute(ctx, yesterday, func(f *ProductFacts) bool {
		_, is := slices.BinarySearch(products, f.Id)
		return is
	})
}

// keepWays gathers an allocation in a fixed order.
func (d *Positions) keepWays(product int64, p *position.Position) {
	var list []position.Way
	for w := range p.Ways {
		list = append(list, w)
	}
	slices.SortFunc(
		list,
		func(a, b position.Way) int { return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Class, b.Class)) },
	)
	for _, w := range list {
		d.Ways[product] = append(d.Ways[product], w)
		d.Amounts[product] = append(d.Amounts[product], p.Ways[w])
	}
}

// Compute works the positions of some products out; nil is all.
func (svc *Loader) Compute(tx *sqlite.Tx, products []int64) (*Positions, error) {
	e, err := svc.Load(tx, svc.Today(), svc.Clock.Now().Unix(), products)
	if err != nil {
		return nil, err
	}
	d := NewPositions(e)
	for _, f := range e.Ordered() {
		if products != nil && !slices.Contains(products, f.Id) {
			continue
		}
		yesterday, err := Ways(tx, f.Id)
		if err != nil {
			return nil, err
		}
		for _, p := range e.Compute(f, yesterday[f.Id]) {
			d.Figures = append(d.Figures, e.Figure(f, &p))
			d.keepWays(f.Id, &p)
		}
	}
	return d, nil
}

func (svc *Loader) DayOr(asOf civil.Day) civil.Day {
	if asOf.Known() {
		return asOf
	}
	return svc.Today()
}

// Terms says a line in words.
func Terms(l *entitle.Line) string {
	parts := []string{string(l.Kind)}
	if l.Edition != "" {
		parts = append(parts, l.Edition)
	}
	if l.Version != "" {
		parts = append(parts, "version "+l.Version)
	}
	for _, r := range l.Rights {
		parts = append(parts, strings.ReplaceAll(string(r), "_", " "))
	}
	if l.VersionsCounted == entitle.Each {
		parts = append(parts, "each version on a device counts")
	}
	if d := l.MaintainedUntil(); d.Known() {
		parts = append(parts, "maintenance to "+d.String())
	}
	if d := l.LastDay(); d.Known() {
		parts = append(parts, "ends "+d.String())
	}
	if s := strings.TrimSpace(l.ScopeUnit + " " + l.ScopeCountry); s != "" {
		parts = append(parts, "for "+s)
	}
	return strings.Join(parts, ", ")
}

// Figures are figures of a position, or by how much they changed.
type Figures struct {
	Owned    int64
	Needed   int64
	Covered  int64
	Short    int64
	Surplus  int64
	Low      int64
	High     int64
	Exposure string
}

func FiguresOf(f position.Figures) Figures {
	return Figures{
		f.Owned,
		f.Needed,
		f.Covered,
		f.Short,
		f.Surplus,
		f.Low,
		f.High,
		decimal.New(f.Exposure, -4).String(),
	}
}

// MostTouched is for how many products positions are worked out ahead of all others.
const MostTouched = 500
