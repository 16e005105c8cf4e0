package position

import (
	"cmp"
	"slices"
	"sort"

	"ensomet/internal/core/entitle"
)

// mostTried is how many removals are tried one by one where a metric counts machines or places, of which one removal
// may end many units of a shortfall, or none.
const mostTried = 100

// Avoid says by how much each of some removals, and seats that are taken back, lessens the exposure of a product, in
// ten-thousandths of its currency; 0 where it ends no part of a shortfall. Each is counted beside those that were
// counted before it, so that no unit of a shortfall is avoided twice: what they avoid adds up to what all that count do
// together. Where more could than there is shortfall, the first ones do.
func Avoid(in Input, list []Measure) []int64 {
	out := make([]int64, len(list))
	before := Compute(in)
	if exposureOf(before) == 0 {
		return out
	}
	a := avoiding{in: in, list: list, out: out, single: true, last: exposureOf(before), short: shortOf(before)}
	for i := range before {
		switch before[i].Metric {
		case entitle.Device, entitle.Installation, entitle.VirtualMachine, entitle.NamedUser:
		default:
			a.single = false
		}
	}
	for _, group := range a.groups(before) {
		if a.last == 0 {
			break
		}
		a.try(group)
	}
	return out
}

// avoiding is how far it is known what removals avoid.
type avoiding struct {
	in          Input
	list        []Measure
	out         []int64
	single      bool  // each removal ends one unit of demand at most
	counted     []int // those that avoid something
	last, short int64 // what is left of the exposure and the shortfall once these are done
}

// groups puts removals together that are of one line: those of what nothing covers first, then by the codes of lines.
// What makes no demand, or needs no right of its own, avoids nothing.
func (a *avoiding) groups(before []Position) [][]int {
	line := map[int64]string{}
	counts := map[int64]bool{}
	for i := range before {
		p := &before[i]
		for k := range p.Units {
			u := &p.Units[k]
			if u.Free {
				continue
			}
			for _, h := range u.Holdings {
				device := a.in.Holdings[h].Device
				counts[device] = true
				if line[device] = ""; u.Line >= 0 {
					line[device] = p.Lines[u.Line].Line.Code
				}
			}
		}
	}
	byLine := map[string][]int{}
	for i := range a.list {
		m := &a.list[i]
		key := "\x00seats" // after what nothing covers, before the codes of lines
		if m.Kind == Remove {
			if !slices.ContainsFunc(m.Devices, func(d int64) bool { return counts[d] }) {
				continue
			}
			key = line[m.Devices[0]]
		}
		byLine[key] = append(byLine[key], i)
	}
	keys := make([]string, 0, len(byLine))
	for key := range byLine {
		keys = append(keys, key)
	}
	slices.SortFunc(keys, cmp.Compare[string])
	out := make([][]int, len(keys))
	for i, key := range keys {
		out[i] = byLine[key]
	}
	return out
}

// after is the exposure and the shortfall once more removals are done.
func (a *avoiding) after(more []int) (exposure, short int64) {
	var remove, seats Measure
	remove.Kind, seats.Kind = Remove, Reclaim
	for _, i := range append(slices.Clone(a.counted), more...) {
		remove.Devices = append(remove.Devices, a.list[i].Devices...)
		seats.Users = append(seats.Users, a.list[i].Users...)
	}
	in := a.in
	for _, m := range []Measure{remove, seats} {
		if len(m.Devices)+len(m.Users) > 0 {
			in, _ = Apply(in, m, 0) // refuses nothing but what names nothing
		}
	}
	ps := Compute(in)
	return exposureOf(ps), shortOf(ps)
}

// try counts those of a group that avoid something.
func (a *avoiding) try(group []int) {
	least, _ := a.after(group)
	if least >= a.last {
		return
	}
	// the shortest beginning that avoids as much as all of them
	n := 1 + sort.Search(len(group)-1, func(i int) bool {
		exposure, _ := a.after(group[:i+1])
		return exposure <= least
	})
	exposure, short := a.after(group[:n])
	if a.single && a.short-short == int64(n) { // each ends one unit
		each, rest := (a.last-exposure)/int64(n), (a.last-exposure)%int64(n)
		for k, i := range group[:n] {
			if a.out[i] = each; int64(k) < rest {
				a.out[i]++
			}
		}
		a.counted, a.last, a.short = append(a.counted, group[:n]...), exposure, short
		return
	}
	for _, i := range group[:min(n, mostTried)] {
		exposure, short := a.after([]int{i})
		if exposure < a.last {
			a.out[i] = a.last - exposure
			a.counted, a.last, a.short = append(a.counted, i), exposure, short
		}
	}
}

func exposureOf(ps []Position) (n int64) {
	for i := range ps {
		n += ps[i].Exposure
	}
	return n
}

func shortOf(ps []Position) (n int64) {
	for i := range ps {
		n += ps[i].Short
	}
	return n
}
