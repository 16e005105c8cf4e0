package usage

import (
	"math/rand/v2"
	"testing"
)

// The size that serves is one at which few enough are denied, and one fewer is not, on random requests.
func TestServes(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 9))
		var list []Request
		at := int64(0)
		for range 5 + r.IntN(80) {
			at += r.Int64N(400)
			q := Request{At: at, Licences: 1 + r.Int64N(3), Length: 1 + r.Int64N(3000)}
			if r.IntN(8) == 0 {
				q.Length = 0 // denied: nobody knows
			}
			list = append(list, q)
		}
		share := []float64{0, 0.01, 0.1}[r.IntN(3)]
		lengths := Lengths(list)
		denies := func(n int64) bool {
			for s := range uint64(5) {
				if float64(Replay(list, n, lengths, s+1).Denied) > share*float64(len(list)) {
					return true
				}
			}
			return false
		}
		n := Serves(list, 1, share, 5)
		if denies(n) || n > 1 && !denies(n-1) {
			t.Errorf("seed %d: %d serves: %v, %d: %v", seed, n, !denies(n), n-1, !denies(n-1))
		}
	}
	if n := Serves(nil, 1, 0, 3); n != 1 {
		t.Errorf("no requests need %d", n)
	}
}
