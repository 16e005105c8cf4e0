package policy

import (
	"testing"

	"ensomet/internal/core/condition"
)

func TestMostSpecificWins(t *testing.T) {
	bench := condition.Condition{Field: "environment", Op: "is", Value: "test"}
	policies := []Policy{
		{ID: 1, Category: "game", Stance: Restricted},
		{ID: 2, Category: "game", GroupName: "test", Group: bench, Stance: Allowed},
		{ID: 3, Product: 7, Stance: Allowed},
		{ID: 4, Publisher: "quernstone", Stance: Restricted},
		{ID: 5, Product: 9, Stance: Allowed}, {ID: 6, Product: 9, Stance: Restricted},
		{ID: 7, Stance: Restricted}, // speaks of nothing
	}
	for _, c := range []struct {
		t    Title
		env  string
		want int64
	}{
		{Title{Product: 1, Category: "game"}, "production", 1}, {Title{Product: 1, Category: "game"}, "test", 2},
		{Title{Product: 7, Category: "game"}, "production", 3},
		{Title{Product: 1, Publisher: "quernstone"}, "production", 4},
		{Title{Product: 1, Category: "game", Publisher: "quernstone"}, "production", 1},
		{Title{Product: 9}, "production", 6}, {Title{Product: 2, Category: "office"}, "production", 0},
	} {
		got := int64(0)
		if p := Decide(policies, c.t, env(c.env)); p != nil {
			got = p.ID
		}
		if got != c.want {
			t.Errorf("%+v in %s: policy %d, want %d", c.t, c.env, got, c.want)
		}
	}
}

// env is a device of which only the environment is known.
type env string

func (e env) Text(f string) string {
	if f == "environment" {
		return string(e)
	}
	return ""
}
func (env) Number(string) int64 { return 0 }
func (env) Has(int64) bool      { return false }
func (env) In(string) bool      { return false }

// An exception holds against a restriction of the same title and group, and against no more specific one.
func TestExceptionsHold(t *testing.T) {
	everywhere := Policy{ID: 1, Product: 7, Stance: Restricted}
	inAGroup := Policy{ID: 2, Product: 7, GroupName: "Shore", Stance: Restricted}
	title := Title{Product: 7}
	for _, c := range []struct {
		name     string
		policies []Policy
		want     int64
	}{
		{"the restriction alone", []Policy{everywhere}, 1},
		{"allowed beside it loses", []Policy{everywhere, {ID: 3, Product: 7, Stance: Allowed}}, 1},
		{"an exception holds", []Policy{everywhere, {ID: 3, Product: 7, Stance: Allowed, Exception: true}}, 3},
		{"in the same group", []Policy{inAGroup, {ID: 3, Product: 7, GroupName: "Shore", Stance: Allowed,
			Exception: true}}, 3},
		{"not from everywhere against a group", []Policy{inAGroup, {ID: 3, Product: 7, Stance: Allowed,
			Exception: true}}, 2},
	} {
		if got := Decide(c.policies, title, nil); got == nil || got.ID != c.want {
			t.Errorf("%s: %+v", c.name, got)
		}
	}
}

// Two stances contradict each other where one restricts and the other does not, at one place and one time.
func TestContradicted(t *testing.T) {
	days := func(d, from, to string) Hours {
		h, err := ParseHours(d, from, to)
		if err != nil {
			t.Fatal(err)
		}
		return h
	}
	in := []Policy{{ID: 1, Product: 7, GroupName: "Shore", Stance: Restricted},
		{ID: 2, Category: "game", Stance: Restricted, Hours: days("mon-fri", "08:00", "16:00")}}
	for _, c := range []struct {
		name string
		p    Policy
		want int64
	}{
		{"the other way round", Policy{Product: 7, GroupName: "Shore", Stance: Allowed}, 1},
		{"required where it is restricted", Policy{Product: 7, GroupName: "Shore", Stance: Required}, 1},
		{"the same", Policy{Product: 7, GroupName: "Shore", Stance: Restricted}, 0},
		{"itself, changed", Policy{ID: 1, Product: 7, GroupName: "Shore", Stance: Allowed}, 0},
		{"an exception", Policy{Product: 7, GroupName: "Shore", Stance: Allowed, Exception: true}, 0},
		{"elsewhere", Policy{Product: 7, Stance: Allowed}, 0},
		{"at the same hours", Policy{Category: "game", Stance: Allowed, Hours: days("fri", "15:59", "20:00")}, 2},
		{"at other hours", Policy{Category: "game", Stance: Allowed, Hours: days("mon-fri", "16:00", "20:00")}, 0},
		{"always, beside hours", Policy{Category: "game", Stance: Allowed}, 0},
	} {
		var got int64
		if o := Contradicted(in, &c.p); o != nil {
			got = o.ID
		}
		if got != c.want {
			t.Errorf("%s: %d, want %d", c.name, got, c.want)
		}
	}
}
