package evidence

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

func TestWhatIsAChange(t *testing.T) {
	const a, b = 1, 2 // sources
	first := map[int64]int64{a: 10, b: 15}
	for _, c := range []struct {
		name string
		seen []Seen
		want []string
	}{
		{"there from the first scan on", []Seen{{a, 1, "draft", "1", 10, Forever}}, nil},
		{"installed", []Seen{{a, 1, "draft", "1", 20, Forever}}, []string{"20 installed draft  1"}},
		{"removed", []Seen{{a, 1, "draft", "1", 10, 30}}, []string{"30 removed draft 1 "}},
		{"upgraded", []Seen{{a, 1, "draft", "1", 10, 30},
			{a, 2, "draft", "2", 30, Forever}}, []string{"30 upgraded draft 1 2"}},
		{"removed and later back", []Seen{{a, 1, "draft", "1", 10, 30},
			{a, 1, "draft", "1", 40, Forever}}, []string{"30 removed draft 1 ", "40 installed draft  1"}},
		{"a second source sees the same", []Seen{{a, 1, "draft", "1", 10, Forever},
			{b, 3, "draft", "1", 20, Forever}}, nil},
		{"a second source still sees it", []Seen{{a, 1, "draft", "1", 10, 30}, {b, 3, "draft", "1", 15, Forever}},
			nil},
		{"both stop seeing it", []Seen{{a, 1, "draft", "1", 10, 30},
			{b, 3, "draft", "1", 15, 40}}, []string{"40 removed draft 1 "}},
		{"the same at two places", []Seen{{a, 1, "draft", "1", 20, Forever},
			{a, 1, "draft", "1", 20, Forever}}, []string{"20 installed draft  1"}},
		{"one more version beside", []Seen{{a, 1, "draft", "1", 10, Forever},
			{a, 2, "draft", "2", 20, Forever}}, []string{"20 installed draft  2"}},
	} {
		var got []string
		for _, ch := range Changes(c.seen, first) {
			got = append(got, fmt.Sprintf("%d %s %s %s %s", ch.At, ch.Kind, ch.Key, ch.From, ch.To))
		}
		if !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: %q", c.name, got)
		}
	}
}

// Of one source the changes are just the differences between consecutive scans, found here by comparing the scans
// themselves; and the order of the intervals does not matter.
func TestChangesAgainstComparingScans(t *testing.T) {
	for seed := uint64(1); seed <= 500; seed++ {
		r := rand.New(rand.NewPCG(seed, 11))
		var scans []Scan
		var content []map[[2]int64]bool // key, version
		for i := range 2 + r.IntN(6) {
			s, c := Scan{At: int64(10 + 10*i)}, map[[2]int64]bool{}
			for key := range int64(4) {
				if v := int64(r.IntN(4)); v > 0 {
					s.Items = append(s.Items, Item{Record: 10*key + v})
					c[[2]int64{key, v}] = true
				}
			}
			scans, content = append(scans, s), append(content, c)
		}
		want := map[string]int{}
		for i := 1; i < len(scans); i++ {
			for key := range int64(4) {
				var before, after int64
				for v := range int64(4) {
					if content[i-1][[2]int64{key, v}] {
						before = v
					}
					if content[i][[2]int64{key, v}] {
						after = v
					}
				}
				switch {
				case before == after:
				case before == 0:
					want[fmt.Sprintf("%d %s %d  %d", scans[i].At, Installed, key, after)]++
				case after == 0:
					want[fmt.Sprintf("%d %s %d %d ", scans[i].At, Removed, key, before)]++
				default:
					want[fmt.Sprintf("%d %s %d %d %d", scans[i].At, Upgraded, key, before, after)]++
				}
			}
		}
		r.Shuffle(len(scans), func(i, j int) { scans[i], scans[j] = scans[j], scans[i] })
		var known []Interval
		var times []int64
		for _, s := range scans {
			known, times = Merge(known, times, []Scan{s})
		}
		var seen []Seen
		for _, iv := range known {
			seen = append(
				seen,
				Seen{
					Source:  1,
					Record:  iv.Record,
					Key:     fmt.Sprint(iv.Record / 10),
					Version: fmt.Sprint(iv.Record % 10),
					Since:   iv.Since,
					Until:   iv.Until,
				},
			)
		}
		changes := Changes(seen, map[int64]int64{1: times[0]})
		got := map[string]int{}
		for _, c := range changes {
			got[fmt.Sprintf("%d %s %s %s %s", c.At, c.Kind, c.Key, c.From, c.To)]++
		}
		for k := range want {
			if got[k] != want[k] {
				t.Fatalf("seed %d: %s %d times, want %d (%v)", seed, k, got[k], want[k], got)
			}
		}
		if len(got) != len(want) {
			t.Fatalf("seed %d: %v, want %v", seed, got, want)
		}
		r.Shuffle(len(seen), func(i, j int) { seen[i], seen[j] = seen[j], seen[i] })
		if again := Changes(seen, map[int64]int64{1: times[0]}); !reflect.DeepEqual(again, changes) {
			t.Fatalf("seed %d: the order of what was seen matters", seed)
		}
	}
}

// Whatever arrives changes nothing of what happened before its first scan, and what happens from then on rests on
// programs alone that came or went then, as far as they were seen then: by this what is kept of changes goes.
func TestOnlyChangesFromThenOnAreOthers(t *testing.T) {
	for seed := uint64(1); seed <= 600; seed++ {
		r := rand.New(rand.NewPCG(seed, 37))
		known, times := map[int64][]Interval{}, map[int64][]int64{}
		history := func() (seen []Seen, first map[int64]int64) {
			first = map[int64]int64{}
			for source, list := range known {
				first[source] = times[source][0]
				for _, iv := range list {
					seen = append(seen, Seen{source, iv.Record, fmt.Sprint(iv.Record / 10), fmt.Sprint(iv.Record % 10),
						iv.Since, iv.Until})
				}
			}
			return seen, first
		}
		var kept []Change
		for range 2 + r.IntN(10) {
			source, s := int64(1+r.IntN(2)), Scan{At: int64(10 + 10*r.IntN(12))}
			for key := range int64(3) {
				for range r.IntN(3) {
					s.Items = append(s.Items, Item{Record: 10*key + int64(r.IntN(3)), Place: int64(r.IntN(2))})
				}
			}
			known[source], times[source] = Merge(known[source], times[source], []Scan{s})
			seen, first := history()
			moved := map[string]bool{}
			for _, iv := range seen {
				if iv.Since >= s.At || iv.Until >= s.At && iv.Until != Forever {
					moved[iv.Key] = true
				}
			}
			some := slices.DeleteFunc(slices.Clone(seen), func(iv Seen) bool {
				return !moved[iv.Key] || iv.Until < s.At
			})
			kept = slices.DeleteFunc(kept, func(c Change) bool { return c.At >= s.At })
			for _, c := range Changes(some, first) {
				if c.At >= s.At {
					kept = append(kept, c)
				}
			}
			if all := Changes(seen, first); len(all)+len(kept) > 0 && !reflect.DeepEqual(kept, all) {
				t.Fatalf("seed %d, scan of %d at %d:\n%v, want\n%v", seed, source, s.At, kept, all)
			}
		}
	}
}

// Parts: scans that cover some parts, in any order, end as if each part were a list of its own.
func TestPartialScansDoNotDependOnOrder(t *testing.T) {
	parts := []string{"packages", "tags", "desktop"}
	for seed := uint64(1); seed <= 200; seed++ {
		r := rand.New(rand.NewPCG(seed, 13))
		type scan struct {
			at    int64
			cover []string // "" is all
			items map[string][]Item
		}
		var scans []scan
		for i := range 2 + r.IntN(6) {
			s := scan{at: int64(10 + i), items: map[string][]Item{}}
			if r.IntN(2) == 0 {
				s.cover = []string{""}
			} else {
				s.cover = []string{parts[r.IntN(3)]}
			}
			for _, p := range parts {
				if s.cover[0] == "" || s.cover[0] == p {
					for rec := range int64(3) {
						if r.IntN(2) == 0 {
							s.items[p] = append(s.items[p], Item{Record: rec})
						}
					}
				}
			}
			scans = append(scans, s)
		}
		run := func() map[string][]Interval {
			out := map[string][]Interval{}
			var covers []cover
			for _, s := range scans {
				for _, p := range parts {
					var fresh []Scan
					if s.cover[0] == "" || s.cover[0] == p {
						fresh = []Scan{{s.at, s.items[p]}}
					}
					out[p], _ = Merge(out[p], timesOf(p, covers), fresh)
				}
				covers = append(covers, cover{s.at, s.cover[0]})
			}
			return out
		}
		want := run()
		for range 4 {
			r.Shuffle(len(scans), func(i, j int) { scans[i], scans[j] = scans[j], scans[i] })
			if got := run(); !reflect.DeepEqual(got, want) {
				t.Fatalf("seed %d: %v, want %v", seed, got, want)
			}
		}
	}
}

func TestHardwareChanges(t *testing.T) {
	reports := []FactsAt{
		{1, Facts{"cores": "4", "name": "hal-1"}, 10, 20}, {1, Facts{"cores": "8", "name": "hal-1"}, 20, 30},
		{1, Facts{"name": "hal-2"}, 30, 40}, {1, Facts{"cores": "8", "name": "hal-2"}, 40, Forever},
		{2, Facts{"cores": "6"}, 15, Forever},
	}
	var got []string
	for _, c := range HardwareChanges(reports) {
		got = append(got, fmt.Sprintf("%d %s %s>%s", c.At, c.Key, c.From, c.To))
	}
	if want := []string{"20 cores 4>8", "30 name hal-1>hal-2"}; !slices.Equal(got, want) {
		t.Errorf("got %q", got)
	}
}

func TestTheNewestReportHolds(t *testing.T) {
	stated := Facts{"cores": "4", "site": "Sea", "os_name": ""}
	reports := []FactsAt{{1, Facts{"cores": "8"}, 10, Forever},
		{2, Facts{"cores": "6", "os_name": "Varde"}, 20, Forever}, {2, Facts{"cores": "2"}, 5, 20}}
	for _, c := range []struct {
		seen  map[int64]int64
		cores string
	}{{map[int64]int64{1: 10, 2: 20}, "6"}, {map[int64]int64{1: 90, 2: 20}, "8"}} {
		got := Resolve(stated, reports, c.seen, nil)
		if got["cores"] != c.cores || got["site"] != "Sea" || got["os_name"] != "Varde" {
			t.Errorf("%v: %v", c.seen, got)
		}
	}
	// the source that is trusted most comes first, however old its report is
	if got := Resolve(stated, reports, map[int64]int64{1: 10, 2: 20}, map[int64]int{1: 2}); got["cores"] != "8" {
		t.Errorf("trusted alone: %v", got)
	}
	if got := Resolve(stated, reports, map[int64]int64{1: 90, 2: 20}, map[int64]int{1: 2, 2: 1}); got["cores"] != "6" {
		t.Errorf("trusted more: %v", got)
	}
}

func TestMainUser(t *testing.T) {
	const d = 86400
	for _, c := range []struct {
		name   string
		logons []Logon
		want   string
	}{
		{"nobody", nil, ""},
		{"most days, not most logons", []Logon{{"a", 1}, {"a", 2}, {"a", 3}, {"b", 4}, {"b", d + 1}}, "b"},
		{"the later of equals", []Logon{{"a", d}, {"b", 2 * d}}, "b"},
		{"before the window", []Logon{{"a", -5}, {"b", 7}}, "b"},
		{"equal in all", []Logon{{"b", 5}, {"a", 5}}, "a"},
	} {
		if got := MainUser(c.logons, 0); got != c.want {
			t.Errorf("%s: %q", c.name, got)
		}
	}
}

func TestLimits(t *testing.T) {
	l := Limits{"": {OfSoftware: 30, OfUse: 14}, "server": {OfSoftware: 7}}
	if l.Days("client", OfSoftware) != 30 || l.Days("server", OfSoftware) != 7 || l.Days("server", OfUse) != 14 {
		t.Error(l)
	}
}

// cover is what one scan of a source covers: a part of its list, or all of it where part is empty.
type cover struct {
	at   int64
	part string
}

// timesOf returns when a part was covered, in order. Storage asks the same of its tables.
func timesOf(part string, covers []cover) []int64 {
	var out []int64
	for _, c := range covers {
		if c.part == "" || c.part == part {
			out = append(out, c.at)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
