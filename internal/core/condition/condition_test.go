package condition

import (
	"path"
	"strings"
	"testing"
	"unicode/utf8"
)

func TestHolds(t *testing.T) {
	facts := map[string]string{"name": "hal-tide-03", "unit": "Shore/Charting/Tide room", "environment": "production", "kind": "client"}
	fact := func(f string) string { return facts[f] }
	tide := Condition{Field: "unit", Op: "under", Value: "Shore/Charting"}
	test := Condition{Field: "environment", Op: "is", Value: "test"}
	for i, c := range []struct {
		c    Condition
		want bool
	}{
		{Condition{}, true}, {tide, true}, {test, false}, {Condition{Not: &test}, true}, {Condition{All: []Condition{tide, test}}, false},
		{Condition{Any: []Condition{tide, test}}, true}, {Condition{All: []Condition{tide, {Not: &test}, {Field: "name", Op: "like", Value: "HAL-*-0?"}}}, true},
		{Condition{Field: "unit", Op: "under", Value: "Shore/Chart"}, false},
	} {
		if err := c.c.Check(); err != nil {
			t.Errorf("case %d: %v", i, err)
		}
		if got := c.c.Holds(fact); got != c.want {
			t.Errorf("case %d (%s): %v", i, c.c.Words(), got)
		}
	}
	for _, bad := range []Condition{{Field: "colour", Op: "is"}, {Field: "name", Op: "sounds"}, {Field: "name", Op: "is", All: []Condition{tide}}, {Not: &Condition{Field: "x"}}} {
		if bad.Check() == nil {
			t.Errorf("%+v passes", bad)
		}
	}
}

// The same answers as the standard library's path.Match, where neither uses what the other lacks.
func FuzzLike(f *testing.F) {
	f.Add("hal-tide-03", "hal-*-0?")
	f.Add("aaab", "*a*b")
	f.Fuzz(func(t *testing.T, s, pattern string) {
		if !utf8.ValidString(s) || !utf8.ValidString(pattern) || strings.ContainsAny(s+pattern, "/[]\\") || len(s) > 50 || len(pattern) > 12 {
			return
		}
		want, err := path.Match(pattern, s)
		if err == nil && Like(s, pattern) != want {
			t.Fatalf("Like(%q, %q) = %v", s, pattern, !want)
		}
	})
}
