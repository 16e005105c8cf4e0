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
		{Title{Product: 1, Category: "game"}, "production", 1}, {Title{Product: 1, Category: "game"}, "test", 2}, {Title{Product: 7, Category: "game"}, "production", 3},
		{Title{Product: 1, Publisher: "quernstone"}, "production", 4}, {Title{Product: 1, Category: "game", Publisher: "quernstone"}, "production", 1},
		{Title{Product: 9}, "production", 6}, {Title{Product: 2, Category: "office"}, "production", 0},
	} {
		got := int64(0)
		if p := Decide(policies, c.t, func(f string) string { return map[string]string{"environment": c.env}[f] }); p != nil {
			got = p.ID
		}
		if got != c.want {
			t.Errorf("%+v in %s: policy %d, want %d", c.t, c.env, got, c.want)
		}
	}
}
