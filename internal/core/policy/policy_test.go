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
