package position

import (
	"maps"
	"slices"

	"ensomet/internal/core/money"
)

// Millionths of a right are what shares of it are counted in.
const Millionths = 1_000_000

// UsedBy is how much of each line the organisational units of who needs it use, in millionths of a right, by the
// line's code and the unit; what a line covers without taking a right of it is not in it, and no unit is "". Demand
// that the same lines may cover for the same reasons is alike to the allocation, which of it stands on which line is
// chance: so each unit takes part in the lines of a class by what is covered of it there. The shares of a line add up
// to what is used of it.
func (p *Position) UsedBy() map[string]map[string]int64 {
	type part struct {
		lines map[int]int64
		units map[string]int64
	}
	classes := map[int]*part{}
	alone := 0
	for i := range p.Units {
		u := &p.Units[i]
		if u.Line < 0 || u.Free {
			continue
		}
		class := u.class
		if class == 0 { // a unit that is like no other
			alone--
			class = alone
		}
		c := classes[class]
		if c == nil {
			c = &part{map[int]int64{}, map[string]int64{}}
			classes[class] = c
		}
		c.lines[u.Line] += u.Part
		c.units[u.Place.Unit] += u.Part
	}
	out := map[string]map[string]int64{}
	for _, class := range slices.Sorted(maps.Keys(classes)) {
		c := classes[class]
		names := slices.Sorted(maps.Keys(c.units))
		weights := make([]int64, len(names))
		for i, name := range names {
			weights[i] = c.units[name]
		}
		for line, used := range c.lines {
			code := p.Lines[line].Line.Code
			if out[code] == nil {
				out[code] = map[string]int64{}
			}
			for i, share := range money.Apportion(used*Millionths, weights) {
				out[code][names[i]] += share
			}
		}
	}
	return out
}
