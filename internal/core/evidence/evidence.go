// Package evidence keeps what sources reported as intervals, and says how old it is.
package evidence

import (
	"cmp"
	"slices"
)

// Forever marks an interval that has not ended.
const Forever int64 = 1<<63 - 1

// Item is one raw software record at one place of a device, by the numbers that storage gave them.
type Item struct {
	Record int64
	Place  int64
}

func compareItems(a, b Item) int {
	return cmp.Or(cmp.Compare(a.Record, b.Record), cmp.Compare(a.Place, b.Place))
}

// Interval says that an item was reported by every scan of one source on one device at a time t with Since <= t <
// Until. Times are seconds since 1970. Until is the time of the first scan without the item, or Forever.
type Interval struct {
	Item
	Since, Until int64
}

// Scan is a source's complete report on one device at one time. Reports with the same time are parts of one scan.
type Scan struct {
	At    int64
	Items []Item
}

// Merge adds scans to what is known of one device from one source. known are the intervals so far and times the times
// of the scans they rest on; both may be in any order. It returns all intervals after the merge, ordered by item and
// start, and all scan times in order.
//
// The result depends only on the set of all scans, not on the order in which they arrive, nor on whether one arrives
// twice: a late scan splits or lengthens intervals as if it had come in time.
func Merge(known []Interval, times []int64, scans []Scan) ([]Interval, []int64) {
	all := slices.Clone(times)
	for _, s := range scans {
		all = append(all, s.At)
	}
	slices.Sort(all)
	all = slices.Compact(all)

	type seen struct {
		Item
		at int // index into all
	}
	var facts []seen
	wasKnown := make([]bool, len(all))
	for _, t := range times {
		i, _ := slices.BinarySearch(all, t)
		wasKnown[i] = true
	}
	for _, iv := range known {
		from, _ := slices.BinarySearch(all, iv.Since)
		for i := from; i < len(all) && all[i] < iv.Until; i++ {
			if wasKnown[i] {
				facts = append(facts, seen{iv.Item, i})
			}
		}
	}
	for _, s := range scans {
		at, _ := slices.BinarySearch(all, s.At)
		for _, it := range s.Items {
			facts = append(facts, seen{it, at})
		}
	}
	slices.SortFunc(facts,
		func(a, b seen) int { return cmp.Or(compareItems(a.Item, b.Item), cmp.Compare(a.at, b.at)) })

	var out []Interval
	for i := 0; i < len(facts); {
		first := facts[i]
		last := first.at
		for i++; i < len(facts) && facts[i].Item == first.Item && facts[i].at <= last+1; i++ {
			last = facts[i].at
		}
		until := Forever
		if last+1 < len(all) {
			until = all[last+1]
		}
		out = append(out, Interval{first.Item, all[first.at], until})
	}
	return out, all
}

// Continue is Merge where every scan is newer than all that are known: open are the intervals that have not ended, and
// newest is the time of the newest scan that they rest on, 0 where there is none. What ended before stays as it is, so
// that a scan costs as much after years as on the first day. It returns what becomes of open, and what begins.
func Continue(open []Interval, newest int64, scans []Scan) []Interval {
	times := make([]int64, 0, len(open)+1)
	for _, iv := range open {
		times = append(times, iv.Since)
	}
	if newest != 0 {
		times = append(times, newest)
	}
	slices.Sort(times)
	out, _ := Merge(open, slices.Compact(times), scans)
	return out
}

// Newer reports whether every scan is newer than a time.
func Newer(scans []Scan, than int64) bool {
	return !slices.ContainsFunc(scans, func(s Scan) bool { return s.At <= than })
}
