package evidence

import (
	"math/rand/v2"
	"slices"
	"testing"
)

func TestSystemsOf(t *testing.T) {
	facts := func(name, version string) Facts { return Facts{"os_name": name, "os_version": version, "cores": "4"} }
	cases := []struct {
		name    string
		reports []FactsAt
		want    []SystemAt
	}{
		{"nothing", nil, nil},
		{"none is named", []FactsAt{{1, Facts{"cores": "4"}, 10, Forever}}, nil},
		{"a version alone says nothing", []FactsAt{{1, Facts{"os_version": "4"}, 10, Forever}}, nil},
		{"more cores change nothing", []FactsAt{
			{
				1,
				facts("Varde", "11"),
				10,
				20,
			}, {1, Facts{"os_name": "Varde", "os_version": "11", "cores": "8"}, 20, Forever},
		}, []SystemAt{{System{"Varde", "11"}, 10, Forever}}},
		{
			"raised, in any order",
			[]FactsAt{{1, facts("Varde", "12"), 20, Forever}, {1, facts("Varde", "11"), 10, 20}},
			[]SystemAt{{System{"Varde", "11"}, 10, 20}, {System{"Varde", "12"}, 20, Forever}},
		},
		{"set up anew and back", []FactsAt{
			{
				1,
				facts("Varde", "11"),
				10,
				20,
			}, {1, facts("Lyng", ""), 20, 30}, {1, facts("Varde", "11"), 30, Forever},
		}, []SystemAt{
			{System{"Varde", "11"}, 10, 20}, {System{"Lyng", ""}, 20, 30}, {System{"Varde", "11"}, 30, Forever},
		}},
		{"a scan that could not see it leaves it there", []FactsAt{
			{
				1,
				facts("Varde", "11"),
				10,
				20,
			}, {1, Facts{"cores": "4"}, 20, 30}, {1, facts("Varde", "12"), 30, Forever},
		}, []SystemAt{{System{"Varde", "11"}, 10, 30}, {System{"Varde", "12"}, 30, Forever}}},
	}
	for _, c := range cases {
		if got := SystemsOf(c.reports); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, not %v", c.name, got, c.want)
		}
	}
}

// What lists and scans said one after the other, in any order of the scans' arrival, comes to what a plain walk over
// the time line says: the newest list's word, before any scan has its own.
func TestListedSystemAgainstAWalk(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 15))
	names := []System{{}, {"Varde", "11"}, {"Varde", "12"}, {"Lyng", ""}}
	for round := range 20_000 {
		type said struct {
			System
			at int64
		}
		var lists []said
		var known []SystemAt
		first, at := Forever, int64(0)
		for range 1 + rng.IntN(6) {
			if rng.IntN(3) == 0 { // a scan comes, of any time
				first = min(first, rng.Int64N(60))
			} else { // a list, at times of the same moment as the one before
				at += rng.Int64N(12)
				lists = append(lists, said{names[rng.IntN(len(names))], at})
			}
			if len(lists) > 0 {
				last := lists[len(lists)-1]
				known = ListedSystem(known, last.System, last.at, first)
				known = ListedSystem(known, last.System, last.at, first) // once more changes nothing
			}
		}
		for now := range int64(70) {
			want := System{}
			for _, l := range lists {
				if l.at <= now && now < first {
					want = l.System
				}
			}
			got := System{}
			n := 0
			for _, k := range known {
				if k.Since <= now && now < k.Until {
					got = k.System
					n++
				}
			}
			if got != want || n > 1 {
				t.Fatalf(
					"round %d: at %d it is %v, not %v: %v after lists %v, first scan %d",
					round,
					now,
					got,
					want,
					known,
					lists,
					first,
				)
			}
		}
		for i, k := range known {
			if k.Since >= k.Until || i > 0 && k.Since == known[i-1].Until && k.System == known[i-1].System {
				t.Fatalf("round %d: %v is not as short as it may be", round, known)
			}
		}
	}
}
