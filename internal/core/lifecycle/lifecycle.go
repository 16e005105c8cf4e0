// Package lifecycle tells in which phase of its support a release is on any day, and what ends when.
package lifecycle

import (
	"cmp"
	"slices"

	"ensomet/internal/core/civil"
)

// Dates are what is known of a release. Each end is the last day of its support; an unknown day is zero.
type Dates struct {
	Released, General, Extended, End civil.Day
}

// Phase is where a release stands in its life.
type Phase string

// The phases. A release of which no end is known is unknown, never supported.
const (
	Before   Phase = "before"   // not released yet
	General  Phase = "general"  // general support
	Extended Phase = "extended" // extended support
	Ended    Phase = "ended"
	Unknown  Phase = "unknown"
)

// Bounds are the last day of general support and the last day of any support; zero where no end is known.
//
// Where the end of general support alone is unknown, the earliest end that is known stands for it: until then there
// is some support at least. Where the end of life is unknown, the latest end that is known stands for it. An end of
// life before another end cuts that one short.
func (d Dates) Bounds() (general, last civil.Day) {
	known := slices.DeleteFunc([]civil.Day{d.General, d.Extended, d.End}, func(x civil.Day) bool { return !x.Known() })
	if len(known) == 0 {
		return 0, 0
	}
	last = d.End
	if !last.Known() {
		last = slices.Max(known)
	}
	general = d.General
	if !general.Known() {
		general = slices.Min(known)
	}
	return min(general, last), last
}

// Phase returns the phase on a day.
func (d Dates) Phase(on civil.Day) Phase {
	general, last := d.Bounds()
	switch {
	case d.Released.Known() && on < d.Released:
		return Before
	case !last.Known():
		return Unknown
	case on <= general:
		return General
	case on <= last:
		return Extended
	}
	return Ended
}

// Change is the last day of a phase.
type Change struct {
	On    civil.Day
	Phase Phase // the one that ends: General or Extended
}

// Changes lists the phases that end, in the order of their days.
func (d Dates) Changes() []Change {
	general, last := d.Bounds()
	switch {
	case !last.Known():
		return nil
	case general == last:
		return []Change{{last, General}}
	}
	return []Change{{general, General}, {last, Extended}}
}

// Fleet is a release with the devices that have it, on a day and one year before.
type Fleet struct {
	Dates
	Devices, YearBefore int64
}

// Year sums up what loses its last support in one calendar year.
type Year struct {
	Year       int
	Releases   int   // whose last support ends in the year
	Devices    int64 // that have one of them today, counted for each release
	YearBefore int64 // that had one of them a year ago
}

// Years sums releases up by the year in which their last support ends, in the order of the years.
func Years(list []Fleet) []Year {
	by := map[int]*Year{}
	for _, f := range list {
		_, last := f.Bounds()
		if !last.Known() {
			continue
		}
		y := last.Year()
		if by[y] == nil {
			by[y] = &Year{Year: y}
		}
		by[y].Releases++
		by[y].Devices += f.Devices
		by[y].YearBefore += f.YearBefore
	}
	out := make([]Year, 0, len(by))
	for _, y := range by {
		out = append(out, *y)
	}
	slices.SortFunc(out, func(a, b Year) int { return cmp.Compare(a.Year, b.Year) })
	return out
}

// Progress is how far a plan is, by evidence: of Then devices that had the release when the plan was made, Left have
// it now.
type Progress struct {
	Then, Left int64
	Due        civil.Day
}

// State says how a plan stands on a day: done where no device has the release any more, late where its day has
// passed, else open.
func (p Progress) State(on civil.Day) string {
	switch {
	case p.Left == 0:
		return "done"
	case p.Due.Known() && on > p.Due:
		return "late"
	}
	return "open"
}

// Share is how much is done, 0 to 1. Devices that came since count against it.
func (p Progress) Share() float64 {
	all := max(p.Then, p.Left)
	if all == 0 {
		return 1
	}
	return float64(all-p.Left) / float64(all)
}
