// Package usage turns sessions into days of use, and days of use into classes that never take "not measured" for "not
// used".
package usage

import (
	"slices"
	"time"

	"ensomet/internal/core/civil"
)

// DayUse is the part of a session that falls on one day.
type DayUse struct {
	Day     civil.Day
	Seconds int64
}

// Days splits [start, end) at the midnights of loc. A day of 23 or 25 hours has that many. An empty session still
// counts as use on its day.
func Days(start, end time.Time, loc *time.Location) []DayUse {
	var out []DayUse
	start, end = start.In(loc), end.In(loc)
	for {
		day := civil.Of(start)
		next := (day + 1).Start(loc)
		if !end.After(next) {
			return append(out, DayUse{day, max(0, int64(end.Sub(start)/time.Second))})
		}
		out = append(out, DayUse{day, int64(next.Sub(start) / time.Second)})
		start = next
	}
}

// Class says how much a title is used on a device in a window.
type Class string

// The classes.
const (
	NotMeasured Class = "not measured"
	NeverUsed   Class = "never used"
	Unused      Class = "unused"
	Light       Class = "light"
	Regular     Class = "regular"
)

// Classes lists all classes from the least use to the most.
var Classes = []Class{NeverUsed, Unused, Light, Regular, NotMeasured}

// Window is the question: the days up to and including AsOf, and the least share of them that must be measured.
type Window struct {
	AsOf       civil.Day
	Days       int
	LeastShare float64
}

// LastUse is what a scan said of a title's last use: used on UsedOn and, up to SeenOn, not after it.
type LastUse struct{ UsedOn, SeenOn civil.Day }

// Facts is what is known of one title on one device. Metered has the days on which the device was metered for the
// title, in order and apart.
type Facts struct {
	Metered  []Span
	UseDays  []civil.Day // days with sessions
	LastUses []LastUse
}

// Finding is the class with what it rests on: the days used and the days measured in the window, and the last use on
// record.
type Finding struct {
	Class          Class
	Used, Measured int
	Last           civil.Day
}

// Classify applies the window. Measured days are those metered and those that a last-use date reported later speaks
// for. Light is said on metered days alone, at most one day of use in every 14 (common practice): a last-use date
// gives one day and hides the ones before it.
func Classify(f Facts, w Window) Finding {
	first := w.AsOf - civil.Day(w.Days) + 1
	within := func(d civil.Day) bool { return d >= first && d <= w.AsOf }
	metered := f.metered(first, w.AsOf)
	measured := metered
	var used []civil.Day
	out := Finding{}
	see := func(d civil.Day) {
		if d > w.AsOf || !d.Known() {
			return
		}
		out.Last = max(out.Last, d)
		if within(d) {
			used = append(used, d)
		}
	}
	for _, d := range f.UseDays {
		see(d)
	}
	for _, l := range f.LastUses {
		see(l.UsedOn)
		if seen := min(l.SeenOn, w.AsOf); seen >= first {
			measured = max(measured, int(seen-first)+1+metered-f.metered(first, seen))
		}
	}
	slices.Sort(used)
	out.Used, out.Measured = len(slices.Compact(used)), measured
	least := w.LeastShare * float64(w.Days)
	switch {
	case float64(measured) < least:
		out.Class = NotMeasured
	case out.Used == 0 && !out.Last.Known():
		out.Class = NeverUsed
	case out.Used == 0:
		out.Class = Unused
	case float64(metered) >= least && out.Used*14 <= metered:
		out.Class = Light
	default:
		out.Class = Regular
	}
	return out
}

// metered counts the metered days from one day to another, both included.
func (f *Facts) metered(from, to civil.Day) int {
	n := 0
	for _, s := range f.Metered {
		n += max(0, int(min(s.To, to)-max(s.From, from))+1)
	}
	return n
}

// Until is what speaks of the days up to a day. A last use after it says nothing of those before it.
func (f Facts) Until(day civil.Day) Facts {
	f.UseDays = slices.DeleteFunc(slices.Clone(f.UseDays), func(d civil.Day) bool { return d > day })
	f.LastUses = slices.DeleteFunc(slices.Clone(f.LastUses), func(l LastUse) bool { return l.UsedOn > day })
	return f
}
