package evidence

import (
	"math/rand/v2"
	"strings"
	"testing"

	"ensomet/internal/core/civil"
)

func TestWords(t *testing.T) {
	for _, c := range []struct{ field, value, want, refused string }{
		{"status", "retired", "retired", ""},
		{"status", "gone", "", "one of in_service, in_store, retired"},
		{"kind", " server ", "server", ""},
		{"org_unit", "/Shore/Charting/", "Shore/Charting", ""},
		{"cores", "08", "8", ""},
		{"cores", "-1", "", "whole number"},
		{"cores", "1e3", "", "whole number"},
		{"cores", "1000001", "", "whole number"},
		{"core_factor", "0.50", "0.5", ""},
		{"core_factor", "", "", ""},
		{"core_factor", "0", "", "above 0"},
		{"core_factor", "half", "", "above 0"},
		{"primary_user", `HALV\una`, `HALV\una`, ""},
		{"own:asset number", " 77 ", "77", ""},
		{"own: ", "x", "", "needs a name"},
		{"own:" + strings.Repeat("n", 61), "x", "", "needs a name"},
		{"site", strings.Repeat("s", 301), "", "longer than"},
		{"installs", "3", "", "cannot be said"},
		{"pinned", "maybe", "", "one of true, false"},
	} {
		got, err := CheckWord(c.field, c.value)
		if got != c.want || (err == nil) != (c.refused == "") ||
			err != nil && !strings.Contains(err.Error(), c.refused) {
			t.Errorf("%s %q: %q, %v", c.field, c.value, got, err)
		}
	}
}

// Which word holds is what a walk over all days says, whatever the order in which they were said.
func TestWhichWordHolds(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 7))
	for range 2000 {
		var words []Word
		for i := range 1 + r.IntN(8) {
			words = append(words, Word{Field: []string{"site", "status"}[r.IntN(2)], Value: string(rune('a' + i)),
				From: civil.Day(1 + r.IntN(6)), At: int64(i)})
		}
		r.Shuffle(len(words), func(i, j int) { words[i], words[j] = words[j], words[i] })
		for day := civil.Day(0); day < 8; day++ {
			got := Holding(words, day)
			for _, field := range []string{"site", "status"} {
				want := ""
				for from := civil.Day(0); from <= day; from++ {
					last := int64(-1)
					for _, w := range words {
						if w.Field == field && w.From == from && w.At > last {
							want, last = w.Value, w.At
						}
					}
				}
				if got[field].Value != want {
					t.Fatalf("%v on %d: %s is %q, not %q", words, day, field, got[field].Value, want)
				}
			}
		}
	}
}
