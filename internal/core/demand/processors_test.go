package demand

import (
	"math/rand/v2"
	"runtime"
	"testing"

	"ensomet/internal/core/entitle"
)

// The cores of a machine are spread over its processors as if they were dealt out one by one, and a machine that says
// it has a thousand million processors costs no more than any other.
func TestCoresOfProcessors(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		m := &Machine{Processors: r.Int64N(9), Cores: r.Int64N(40)}
		c := Cores{Metric: entitle.Core, Machine: m}
		processors, cores := c.size()
		dealt := make([]int64, processors)
		for i := range cores {
			dealt[i%processors]++
		}
		c.Terms.PerProcessor = r.Int64N(10)
		want := int64(0)
		for _, n := range dealt {
			want += max(c.Terms.PerProcessor, n)
		}
		if c.count(true); c.Sum != want {
			t.Fatalf("%+v at least %d each: %d cores, dealt out one by one %d", m, c.Terms.PerProcessor, c.Sum, want)
		}
	}
	huge := Cores{Metric: entitle.Core, Machine: &Machine{Processors: 1_000_000_000, Cores: 1_000_000_001}}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	huge.count(true)
	lines := huge.Lines()
	runtime.ReadMemStats(&after)
	if huge.Sum != 1_000_000_001 || len(lines) == 0 {
		t.Errorf("%d cores, %v", huge.Sum, lines)
	}
	if grown := after.TotalAlloc - before.TotalAlloc; grown > 1<<20 {
		t.Errorf("%d bytes for one machine", grown)
	}
}
