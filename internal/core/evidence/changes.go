package evidence

import (
	"cmp"
	"math"
	"slices"
)

// ChangeKind is what happened to a device between two scans.
type ChangeKind string

// The kinds of changes.
const (
	Installed ChangeKind = "installed"
	Removed   ChangeKind = "removed"
	Upgraded  ChangeKind = "upgraded"
	Hardware  ChangeKind = "hardware"
)

// Seen is an install of one device in an interval, as one source saw it. Key is what makes two versions of a program
// the same.
type Seen struct {
	Source       int64
	Record       int64
	Key, Version string
	Since, Until int64
}

// Change is a difference between two scans of a device. From and To are versions, or values of a hardware fact, which
// Key then names. Record is the raw record that came, or that went.
type Change struct {
	At       int64
	Kind     ChangeKind
	Source   int64
	Record   int64
	Key      string
	From, To string
}

// Changes lists what was installed, removed or upgraded on one device. first gives the time of the first scan of each
// source: what that scan found was there before and is no change. What another source saw before and still sees is no
// change either: several sources of one install are one. The result depends only on what was seen, and is in the
// order of time.
func Changes(seen []Seen, first map[int64]int64) []Change {
	list := slices.Clone(seen)
	slices.SortFunc(list, func(a, b Seen) int {
		return cmp.Or(
			cmp.Compare(a.Key, b.Key),
			cmp.Compare(a.Version, b.Version),
			cmp.Compare(a.Since, b.Since),
			cmp.Compare(a.Source, b.Source),
			cmp.Compare(a.Record, b.Record),
			cmp.Compare(a.Until, b.Until),
		)
	})
	var out []Change
	for from := 0; from < len(list); {
		to := from + 1
		for to < len(list) && list[to].Key == list[from].Key {
			to++
		}
		out = append(out, changesOfKey(list[from:to], first)...)
		from = to
	}
	slices.SortStableFunc(out, func(a, b Change) int {
		return cmp.Or(
			cmp.Compare(a.At, b.At),
			cmp.Compare(a.Key, b.Key),
			cmp.Compare(a.Kind, b.Kind),
			cmp.Compare(a.From, b.From),
			cmp.Compare(a.To, b.To),
		)
	})
	return out
}

// changesOfKey finds the starts and ends of the versions of one program, and joins an end and a start that one scan
// saw together.
func changesOfKey(list []Seen, first map[int64]int64) []Change {
	type edge struct {
		at, source int64
	}
	came, went := map[edge][]Seen{}, map[edge][]Seen{}
	var order []edge
	note := func(m map[edge][]Seen, e edge, s Seen) {
		for _, other := range m[e] {
			if other.Version == s.Version { // the same at another place
				return
			}
		}
		if came[e] == nil && went[e] == nil {
			order = append(order, e)
		}
		m[e] = append(m[e], s)
	}
	for i, s := range list {
		if s.Since != first[s.Source] && !elsewhere(list, i, s.Since, true) {
			note(came, edge{s.Since, s.Source}, s)
		}
		if s.Until != Forever && !elsewhere(list, i, s.Until, false) {
			note(went, edge{s.Until, s.Source}, s)
		}
	}
	var out []Change
	for _, e := range order {
		in, gone := came[e], went[e]
		for i := range max(len(in), len(gone)) {
			c := Change{At: e.at, Source: e.source, Key: list[0].Key}
			switch {
			case i >= len(in):
				c.Kind, c.From, c.Record = Removed, gone[i].Version, gone[i].Record
			case i >= len(gone):
				c.Kind, c.To, c.Record = Installed, in[i].Version, in[i].Record
			default:
				c.Kind, c.From, c.To, c.Record = Upgraded, gone[i].Version, in[i].Version, in[i].Record
			}
			out = append(out, c)
		}
	}
	return out
}

// elsewhere reports whether the version of list[i] is seen by another interval at a time, so that its start or end
// there is none. Of two that start together, the first of the list is the start; of two that end together, the last
// is the end.
func elsewhere(list []Seen, i int, at int64, start bool) bool {
	for j, s := range list {
		if j == i || s.Version != list[i].Version {
			continue
		}
		if start && (s.Since < at && s.Until >= at || s.Since == at && j < i) {
			return true
		}
		if !start && (s.Since <= at && s.Until > at || s.Until == at && j > i) {
			return true
		}
	}
	return false
}

// Facts are the hardware facts that a scan reports, by name.
type Facts map[string]string

// FactsAt is what a source reported from one scan on until another.
type FactsAt struct {
	Source       int64
	Facts        Facts
	Since, Until int64
}

// HardwareChanges lists the facts that differ between one report of a source and the next. A fact that a report does
// not have is unknown and no change.
func HardwareChanges(reports []FactsAt) []Change {
	list := slices.Clone(reports)
	slices.SortFunc(list, func(a, b FactsAt) int {
		return cmp.Or(cmp.Compare(a.Source, b.Source), cmp.Compare(a.Since, b.Since))
	})
	var out []Change
	known := Facts{}
	for i, r := range list {
		if i == 0 || list[i-1].Source != r.Source {
			known = Facts{}
		}
		for _, name := range sortedKeys(r.Facts) {
			now := r.Facts[name]
			if before, had := known[name]; had && before != now {
				out = append(
					out,
					Change{At: r.Since, Kind: Hardware, Source: r.Source, Key: name, From: before, To: now},
				)
			}
			known[name] = now
		}
	}
	slices.SortStableFunc(
		out,
		func(a, b Change) int { return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Key, b.Key)) },
	)
	return out
}

func sortedKeys(f Facts) []string {
	out := make([]string, 0, len(f))
	for k := range f {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// Resolve says what holds of a device where a directory and several sources speak of it: of each fact the value of
// the newest report that has it, else what the directory states. Where sources are trusted differently, the newest of
// those that are trusted most counts: 1 comes before 2, and a source without a number comes last.
func Resolve(stated Facts, reports []FactsAt, seen map[int64]int64, trust map[int64]int) Facts {
	out := Facts{}
	for k, v := range stated {
		if v != "" {
			out[k] = v
		}
	}
	list := slices.Clone(reports)
	// the newest scan of a source that still says so is the age of what it says
	age := func(r FactsAt) int64 {
		if r.Until == Forever {
			return seen[r.Source]
		}
		return r.Since
	}
	rank := func(r FactsAt) int {
		if n := trust[r.Source]; n > 0 {
			return -n
		}
		return math.MinInt
	}
	slices.SortFunc(list, func(a, b FactsAt) int {
		return cmp.Or(
			cmp.Compare(rank(a), rank(b)),
			cmp.Compare(age(a), age(b)),
			cmp.Compare(a.Source, b.Source),
			cmp.Compare(a.Since, b.Since),
		)
	})
	for _, r := range list {
		for k, v := range r.Facts {
			if v != "" {
				out[k] = v
			}
		}
	}
	return out
}
