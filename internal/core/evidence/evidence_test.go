package evidence

import (
	"cmp"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

func items(records ...int64) []Item {
	var out []Item
	for _, r := range records {
		out = append(out, Item{Record: r})
	}
	return out
}

func TestMergeInOrder(t *testing.T) {
	known, times := Merge(nil, nil, []Scan{{10, items(1, 2)}})
	known, times = Merge(known, times, []Scan{{20, items(2, 3)}})
	known, times = Merge(known, times, []Scan{{30, items(1, 2)}})
	want := []Interval{
		{Item{Record: 1}, 10, 20}, {Item{Record: 1}, 30, Forever},
		{Item{Record: 2}, 10, Forever},
		{Item{Record: 3}, 20, 30},
	}
	if !reflect.DeepEqual(known, want) || len(times) != 3 {
		t.Errorf("got %v, %v", known, times)
	}
}

func TestEmptyScanEndsEverything(t *testing.T) {
	known, times := Merge(nil, nil, []Scan{{10, items(1, 2)}})
	known, _ = Merge(known, times, []Scan{{20, nil}})
	for _, iv := range known {
		if iv.Until != 20 {
			t.Errorf("%v is still there after a scan that found nothing", iv)
		}
	}
}

// Any order of arrival, in any batches, with repeats, ends in the same intervals; and those say at each scan's time
// exactly what the scans said.
func TestMergeDoesNotDependOnOrder(t *testing.T) {
	for seed := uint64(1); seed <= 400; seed++ {
		r := rand.New(rand.NewPCG(seed, 7))
		var scans []Scan
		truth := map[int64]map[Item]bool{}
		for i := range 1 + r.IntN(8) {
			s := Scan{At: int64(10 * (1 + i))}
			truth[s.At] = map[Item]bool{}
			for rec := range int64(5) {
				if r.IntN(2) == 0 {
					it := Item{Record: rec, Place: int64(r.IntN(2))}
					s.Items = append(s.Items, it)
					truth[s.At][it] = true
				}
			}
			scans = append(scans, s)
		}
		inOrder, _ := Merge(nil, nil, scans)
		shuffled := append(append([]Scan(nil), scans...), scans[r.IntN(len(scans))])
		r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
		var known []Interval
		var times []int64
		for len(shuffled) > 0 {
			n := 1 + r.IntN(len(shuffled))
			known, times = Merge(known, times, shuffled[:n])
			shuffled = shuffled[n:]
		}
		if !reflect.DeepEqual(known, inOrder) {
			t.Fatalf("seed %d: in order %v, shuffled %v", seed, inOrder, known)
		}
		for at, want := range truth {
			got := map[Item]bool{}
			for _, iv := range known {
				if iv.Since <= at && at < iv.Until {
					got[iv.Item] = true
				}
			}
			if !reflect.DeepEqual(got, want) {
				t.Fatalf("seed %d at %d: got %v, scans said %v", seed, at, got, want)
			}
		}
	}
}

// Scans that come in time end as Merge of all ends, though only what has not ended is gone by.
func TestContinueIsMerge(t *testing.T) {
	for seed := uint64(1); seed <= 400; seed++ {
		r := rand.New(rand.NewPCG(seed, 36))
		var ended, open, known []Interval
		var times []int64
		newest, at := int64(0), int64(0)
		for range 1 + r.IntN(9) {
			var scans []Scan
			for range 1 + r.IntN(2) {
				at += 10
				s := Scan{At: at}
				for rec := range int64(5) {
					if r.IntN(3) > 0 {
						s.Items = append(s.Items, Item{Record: rec, Place: int64(r.IntN(2))})
					}
				}
				scans = append(scans, s)
			}
			if !Newer(scans, newest) || newest != 0 && Newer(append(scans, Scan{At: newest}), newest) {
				t.Fatal("scans are newer where they are not, or are not where they are")
			}
			known, times = Merge(known, times, scans)
			list := Continue(open, newest, scans)
			newest, open = at, nil
			for _, iv := range list {
				if iv.Until == Forever {
					open = append(open, iv)
				} else {
					ended = append(ended, iv)
				}
			}
			all := append(append([]Interval{}, ended...), open...)
			slices.SortFunc(all, func(a, b Interval) int {
				return cmp.Or(compareItems(a.Item, b.Item), cmp.Compare(a.Since, b.Since))
			})
			if len(all) > 0 && !reflect.DeepEqual(all, known) {
				t.Fatalf("seed %d at %d: %v, want %v", seed, at, all, known)
			}
		}
	}
}

func TestAgeOf(t *testing.T) {
	const day = 86400
	for _, c := range []struct {
		last, now int64
		want      Age
	}{{0, 100 * day, Never}, {70 * day, 100 * day, Fresh}, {70*day - 1, 100 * day, Stale},
		{101 * day, 100 * day, Fresh}} {
		if got := AgeOf(c.last, c.now, 30); got != c.want {
			t.Errorf("AgeOf(%d, %d) = %s, want %s", c.last, c.now, got, c.want)
		}
	}
}
