package evidence

import (
	"cmp"
	"slices"
)

// Why says why what a source said counts no more though its own last list has it.
type Why int

// The reasons.
const (
	Counts Why = iota
	// Renamed: the source has sent a newer list of the machine under another of its names.
	Renamed
	// Superseded: the source fell silent about the device, and another one with a complete list has been there since.
	Superseded
	// SourceRetired: the source is retired.
	SourceRetired
)

// Words say it to people.
func (w Why) Words() string {
	switch w {
	case Renamed:
		return "the source's newer list, under another name of the machine, has it no more"
	case Superseded:
		return "superseded: the source fell silent, and a newer complete list of another source is there"
	case SourceRetired:
		return "its source is retired"
	}
	return ""
}

// SourceLife is what the house says of a source. The zero value is one that nothing is said of: it covers everything
// and is in use.
type SourceLife struct {
	Name    string
	Covers  []Kind // empty is everything
	Trust   int    // 1 is believed first; 0 is not said
	Silent  int    // after how many days it is silent about a device; 0 is the house's limit of freshness
	Retired int64  // since when it is retired, in seconds since 1970; 0 is in use
}

// CoversSoftware reports whether what it does not list of the software of a device is not there.
func (l *SourceLife) CoversSoftware() bool {
	return len(l.Covers) == 0 || slices.Contains(l.Covers, OfSoftware)
}

// List is what one source said of the software of one device under one of its names: when it last said anything, and
// at which times it sent its whole list. Times are in seconds since 1970.
type List struct {
	Number int64 // its own
	Life   SourceLife
	First  int64
	Last   int64
	Whole  []int64 // in order
}

// Ending is from when on a list counts no more.
type Ending struct {
	At  int64
	Why Why
}

const secondsOfDay = 86400

// Endings says of each list of one device from when on it counts no more, by its number; lists that go on are left out.
// What lies ahead of now is said too: it comes unless the source speaks before. limit is the house's limit of
// freshness, in days.
//
// A list ends when its source is retired; when its source sends a whole list under another name of the machine; and
// when its source has been silent for longer than the limit, and another source has sent a whole list since.
func Endings(lists []List, limit int) map[int64]Ending {
	out := map[int64]Ending{}
	for i := range lists {
		l := &lists[i]
		var ends []Ending
		if l.Life.Retired > 0 {
			ends = append(ends, Ending{l.Life.Retired, SourceRetired})
		}
		days := l.Life.Silent
		if days == 0 {
			days = limit
		}
		for k := range lists {
			o := &lists[k]
			if k == i {
				continue
			}
			at, _ := slices.BinarySearch(o.Whole, l.Last+1)
			if at == len(o.Whole) {
				continue
			}
			next := o.Whole[at]
			switch {
			case o.Life.Name == l.Life.Name:
				ends = append(ends, Ending{next, Renamed})
			case o.Life.CoversSoftware() && l.Life.CoversSoftware():
				ends = append(ends, Ending{max(next, l.Last+int64(days)*secondsOfDay+1), Superseded})
			}
		}
		if len(ends) > 0 {
			out[l.Number] = slices.MinFunc(ends, func(a, b Ending) int {
				return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Why, b.Why))
			})
		}
	}
	return out
}
