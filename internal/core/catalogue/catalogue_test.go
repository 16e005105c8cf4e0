package catalogue

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

func TestCompare(t *testing.T) {
	key := Key{Publisher: "Tvedrun Verk", Product: "Kaldmast"}
	cases := []struct {
		name              string
		ours, base, says  Says
		field, want, sort string // want is what the difference would make of the value; no field is no difference
	}{
		{
			"nobody has touched it",
			Says{"category": "tides"},
			nil,
			Says{"category": "tide work"},
			"category",
			"tide work",
			"changed",
		},
		{"the file has what is here", Says{"category": "tides"}, nil, Says{"category": "tides"}, "", "", ""},
		{"an empty cell says nothing", Says{"category": "tides"}, nil, Says{"category": ""}, "", "", ""},
		{
			"somebody changed it and the file is as before",
			Says{"category": "ours"},
			Says{"category": "tides"},
			Says{"category": "tides"},
			"",
			"",
			"",
		},
		{
			"somebody changed it and the file says something new",
			Says{"category": "ours"},
			Says{"category": "tides"},
			Says{"category": "tide work"},
			"category",
			"tide work",
			"conflict",
		},
		{
			"the file came to what somebody had said",
			Says{"category": "ours"},
			Says{"category": "tides"},
			Says{"category": "ours"},
			"",
			"",
			"",
		},
		{
			"somebody made it unknown",
			Says{},
			Says{"released": "2024-01-01"},
			Says{"released": "2024-02-01"},
			"released",
			"2024-02-01",
			"conflict",
		},
		{
			"aliases of both sides stay",
			Says{Aliases: "A|Own"},
			Says{Aliases: "A"},
			Says{Aliases: "A|B"},
			Aliases,
			"A|Own|B",
			"changed",
		},
		{
			"an alias that the file drops goes",
			Says{Aliases: "A|Own"},
			Says{Aliases: "A"},
			Says{Aliases: "B"},
			Aliases,
			"Own|B",
			"changed",
		},
		{
			"an alias that was dropped here does not come back",
			Says{Aliases: "B"},
			Says{Aliases: "A|B"},
			Says{Aliases: "A|B|C"},
			Aliases,
			"B|C",
			"changed",
		},
		{
			"only the order of aliases differs",
			Says{Aliases: "A|B"},
			Says{Aliases: "A|B"},
			Says{Aliases: "B|A"},
			"",
			"",
			"",
		},
	}
	for _, c := range cases {
		got := Compare(&Known{ID: 1, Key: key, Says: c.ours, Base: c.base}, key, c.says)
		switch {
		case c.field == "" && len(got) > 0:
			t.Errorf("%s: %+v", c.name, got)
		case c.field != "" &&
			(len(got) != 1 || got[0].Field != c.field || got[0].Theirs != c.want || string(got[0].Sort) != c.sort):
			t.Errorf("%s: %+v", c.name, got)
		}
	}
	if got := Compare(nil, key, Says{"category": "tides"}); len(got) != 1 || got[0].Sort != New {
		t.Errorf("a title that is not there: %+v", got)
	}
	if (Key{Publisher: "TVEDRUN  Verk", Product: "kaldmast"}).ID() != key.ID() {
		t.Error("keys differ in how they are written")
	}
}

func randomSays(r *rand.Rand) Says {
	out := Says{}
	for _, f := range []string{"category", "released", "list_price"} {
		if r.IntN(3) > 0 {
			out[f] = fmt.Sprint(r.IntN(3))
		}
	}
	set := ""
	for _, w := range []string{"A", "B", "C"} {
		if r.IntN(2) > 0 {
			set = mergeSets(set, set+"|"+w, set)
		}
	}
	if set != "" {
		out[Aliases] = set
	}
	return out
}

// A year of files and edits in any order: what a person said last stays until a person takes something else, whatever
// files say.
func TestWhatPeopleSaidStays(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 11))
	for round := range 600 {
		key := Key{Publisher: "P", Product: "X"}
		k, _, _ := Merge(nil, key, randomSays(r), func(*Difference) Choice { return Take })
		said := Says{}
		for range 12 {
			if r.IntN(3) == 0 {
				f := []string{"category", "released", "list_price"}[r.IntN(3)]
				v := fmt.Sprint(r.IntN(3), " ours")
				k, _ = Edit(k, Says{f: v})
				said[f] = v
			} else {
				k, _, _ = Merge(k, key, randomSays(r), Usual)
			}
			for f, v := range said {
				if k.Says[f] != v {
					t.Fatalf("round %d: %s was said to be %q and is %q", round, f, v, k.Says[f])
				}
				if !slices.Contains(k.Touched(), f) {
					t.Fatalf("round %d: nobody can see that %s was changed here", round, f)
				}
			}
		}
	}
}

// Taking a file twice, or in parts, comes to the same as taking it at once; what was kept is asked once only.
func TestTakingInParts(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 11))
	key := Key{Publisher: "P", Product: "X"}
	all := func(*Difference) Choice { return Take }
	for round := range 600 {
		k := &Known{ID: 7, Key: key, Says: randomSays(r)}
		if r.IntN(2) == 0 {
			k.Base = randomSays(r)
		}
		before := *k
		before.Says = maps.Clone(k.Says)
		file := randomSays(r)

		once, _, _ := Merge(k, key, file, all)
		if !reflect.DeepEqual(before.Says, k.Says) {
			t.Fatalf("round %d: merging changed what it was given", round)
		}
		if again := Compare(once, key, file); len(again) > 0 {
			t.Fatalf("round %d: taken whole, and yet %+v", round, again)
		}
		first, _, _ := Merge(k, key, file, func(*Difference) Choice { return Choice(r.IntN(2)) })
		second, _, _ := Merge(first, key, file, all)
		if !reflect.DeepEqual(second.Says, once.Says) {
			t.Fatalf("round %d: in parts %v, at once %v", round, second.Says, once.Says)
		}
		kept, changed, _ := Merge(k, key, file, func(*Difference) Choice { return Keep })
		if changed || !reflect.DeepEqual(kept.Says, k.Says) {
			t.Fatalf("round %d: kept, and changed to %v", round, kept.Says)
		}
		if again := Compare(kept, key, file); len(again) > 0 {
			t.Fatalf("round %d: kept, and asked again: %+v", round, again)
		}
		waiting, changed, _ := Merge(k, key, file, func(*Difference) Choice { return Later })
		if n := len(Compare(k, key, file)); changed || len(Compare(waiting, key, file)) != n {
			t.Fatalf("round %d: left for later and not found again", round)
		}
	}
}

func FuzzMergeSets(f *testing.F) {
	f.Add("A|B", "B|C", "A")
	f.Add("", "||", " |A")
	f.Fuzz(func(t *testing.T, ours, theirs, base string) {
		once := mergeSets(ours, theirs, base)
		if again := mergeSets(once, theirs, theirs); again != once {
			t.Fatalf("%q, then %q", once, again)
		}
	})
}
