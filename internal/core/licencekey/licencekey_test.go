package licencekey

import (
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
)

func TestFold(t *testing.T) {
	for key, want := range map[string]string{
		"kelp7-wrack-9dune-4tern-83gxy":   "KELP7WRACK9DUNE4TERN83GXY", // a form with five groups, invented signs
		"KELP7 WRACK 9DUNE 4TERN 83GXY":   "KELP7WRACK9DUNE4TERN83GXY",
		" kelp7wrack9dune4tern83gxy\r\n":  "KELP7WRACK9DUNE4TERN83GXY",
		"1234-5678-9012":                  "123456789012",
		"Ключ-1234-5678":                  "КЛЮЧ12345678",
		"":                                "",
		"n/a":                             "",
		"1234-567":                        "",
		"00000-00000-00000-00000":         "",
		"XXXXX-XXXXX-XXXXX-XXXXX-83GXY":   "",
		"*****-*****-*****-*****-83GXY":   "",
		"…83GXY":                          "",
		"AAAAA-BBBBB-AAAAA-BBBBB":         "",
		"BBBBB-BBBBB-BBBBB-BBBBB-3V66T-Q": "BBBBBBBBBBBBBBBBBBBB3V66TQ",
	} {
		if got := Fold(key); got != want {
			t.Errorf("%q: %q, want %q", key, got, want)
		}
		if got := Fold(Fold(key)); got != want {
			t.Errorf("%q folded twice: %q", key, got)
		}
	}
	if got := Hint("123456789012"); got != "89012" {
		t.Error(got)
	}
}

func FuzzFold(f *testing.F) {
	f.Add("kelp7-wrack-9dune-4tern-83gxy")
	f.Fuzz(func(t *testing.T, key string) {
		folded := Fold(key)
		if Fold(folded) != folded || len([]rune(Hint(folded))) > 5 || !strings.HasSuffix(folded, Hint(folded)) {
			t.Errorf("%q: %q, %q", key, folded, Hint(folded))
		}
		if spread := Fold(" " + strings.Join(strings.Split(folded, ""), "-")); spread != folded {
			t.Errorf("%q with hyphens between all signs: %q, not %q", key, spread, folded)
		}
	})
}

func TestJudge(t *testing.T) {
	for what, c := range map[string]struct {
		found  map[int64][]int64
		booked map[int64][]Line
		want   map[int64]Standing
	}{
		"enough": {map[int64][]int64{1: {1, 2}}, map[int64][]Line{1: {{7, 2}}},
			map[int64]Standing{1: {2, 2, 1, InUse}}},
		"too often": {map[int64][]int64{1: {1, 2, 3}}, map[int64][]Line{1: {{7, 2}}},
			map[int64]Standing{1: {2, 3, 1, Over}}},
		"not bought": {map[int64][]int64{1: {1}}, nil, map[int64]Standing{1: {0, 1, 1, Unknown}}},
		"nowhere":    {nil, map[int64][]Line{1: {{7, 2}}}, map[int64]Standing{1: {2, 0, 0, Nowhere}}},
		"two keys of one line, two machines, of which one has both": {
			map[int64][]int64{1: {1, 2}, 2: {2}}, map[int64][]Line{1: {{7, 2}}, 2: {{7, 2}}},
			map[int64]Standing{1: {2, 2, 1, InUse}, 2: {2, 2, 1, InUse}}},
		"two keys of one line, over together": {
			map[int64][]int64{1: {1, 2}, 2: {3}}, map[int64][]Line{1: {{7, 2}}, 2: {{7, 2}}},
			map[int64]Standing{1: {2, 3, 1, Over}, 2: {2, 3, 1, Over}}},
		"one key on two lines": {
			map[int64][]int64{1: {1, 2, 3}}, map[int64][]Line{1: {{7, 2}, {8, 1}}},
			map[int64]Standing{1: {3, 3, 1, InUse}}},
		"a line that counts no machines": {
			map[int64][]int64{1: {1, 2, 3}}, map[int64][]Line{1: {{7, -1}}}, map[int64]Standing{1: {-1, 3, 1, InUse}}},
		"a line that counts none beside one that does": {
			map[int64][]int64{1: {1, 2, 3}}, map[int64][]Line{1: {{7, 1}, {8, -1}}},
			map[int64]Standing{1: {-1, 3, 1, InUse}}},
	} {
		if got := Judge(c.found, c.booked); !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: %v, want %v", what, got, c.want)
		}
	}
}

// Whatever hangs together is counted once: against going from key to line to key until nothing is new.
func TestJudgeAgainstWalking(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 300 {
		found, booked := map[int64][]int64{}, map[int64][]Line{}
		quantity := map[int64]int64{}
		for l := range int64(5) {
			quantity[l] = r.Int64N(5)
		}
		for k := int64(1); k < 7; k++ {
			for range r.IntN(4) {
				found[k] = append(found[k], r.Int64N(8))
			}
			for _, l := range r.Perm(5)[:r.IntN(3)] {
				booked[k] = append(booked[k], Line{int64(l), quantity[int64(l)]})
			}
		}
		for k, s := range Judge(found, booked) {
			if len(booked[k]) == 0 {
				if s.State != Unknown {
					t.Fatalf("key %d: %+v", k, s)
				}
				continue
			}
			keys, lines := map[int64]bool{k: true}, map[int64]bool{}
			for before := -1; before != len(keys)+len(lines); {
				before = len(keys) + len(lines)
				for other, list := range booked {
					for _, l := range list {
						if keys[other] {
							lines[l.ID] = true
						}
						if lines[l.ID] {
							keys[other] = true
						}
					}
				}
			}
			devices, bought := map[int64]bool{}, int64(0)
			for other := range keys {
				for _, d := range found[other] {
					devices[d] = true
				}
			}
			for l := range lines {
				bought += quantity[l]
			}
			lead := int64(0)
			for other := int64(6); other > 0; other-- {
				if keys[other] && len(found[other]) > 0 {
					lead = other
				}
			}
			want := Standing{bought, len(devices), lead, InUse}
			if len(found[k]) == 0 {
				want.State = Nowhere
			} else if int64(len(devices)) > bought {
				want.State = Over
			}
			if s != want {
				t.Fatalf("key %d: %+v, want %+v; found %v, booked %v", k, s, want, found, booked)
			}
		}
	}
}
