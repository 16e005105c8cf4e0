package people

import (
	"fmt"
	"slices"
	"testing"
	"time"
)

// Whoever has a thing open is told who else has; oneself is nobody else, whoever says nothing any more is forgotten,
// and whoever opens another thing has closed this one.
func TestOpenings(t *testing.T) {
	now := time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC)
	o := Openings{now: func() time.Time { return now }}
	check := func(what string, got []Opening, want ...string) {
		t.Helper()
		var names []string
		for _, v := range got {
			if names = append(names, v.Who); v.Typing {
				names[len(names)-1] += " types"
			}
		}
		if !slices.Equal(names, want) {
			t.Errorf("%s: %q, want %q", what, names, want)
		}
	}
	check("the first", o.Open(1, "Dagne", "a", "group:7", false))
	check("her second window", o.Open(1, "Dagne", "b", "group:7", false))
	now = now.Add(10 * time.Second)
	check("another", o.Open(2, "Livar", "c", "group:7", false), "Dagne")
	check("of another thing", o.Open(3, "Oddny", "d", "group:8", true))
	check("the first again", o.Open(1, "Dagne", "a", "group:7", true), "Livar")
	check("while she types in one of two windows", o.Open(2, "Livar", "c", "group:7", true), "Dagne types")
	if list := o.Open(2, "Livar", "c", "group:7", true); list[0].Since != now.Unix()-10 {
		t.Errorf("since %d", list[0].Since)
	}
	check("moved on", o.Open(3, "Oddny", "d", "group:7", false), "Dagne types", "Livar types")
	check("left", o.Open(2, "Livar", "c", "", false))
	check("who is left", o.Open(1, "Dagne", "a", "group:7", false), "Oddny")
	now = now.Add(OpeningKept + time.Second)
	check("much later", o.Open(4, "Nils", "e", "group:7", false))
}

// One account does not fill the memory: beyond fifty pages it has none more open.
func TestOpeningsAreBounded(t *testing.T) {
	var o Openings
	for i := range 1000 {
		o.Open(1, "Dagne", fmt.Sprint(i), fmt.Sprint("group:", i), false)
	}
	if len(o.pages) != mostPages {
		t.Errorf("%d pages are kept", len(o.pages))
	}
	if got := o.Open(2, "Livar", "x", "group:7", false); len(got) != 1 {
		t.Errorf("%+v", got)
	}
}
