package position

import (
	"ensomet/internal/core/evidence"
	"math"
)

// z95 is the 97.5 % point of the standard normal distribution.
const z95 = 1.959963984540054

// Wilson returns the 95 % score interval of a share of k in n, without continuity correction: Wilson 1927; method 3
// of Newcombe 1998, Statistics in Medicine 17: 857-872. For n = 0 it is 0 to 1.
func Wilson(k, n int64) (low, high float64) {
	if n == 0 {
		return 0, 1
	}
	p, m := float64(k)/float64(n), float64(n)
	middle := 2*m*p + z95*z95
	spread := z95 * math.Sqrt(z95*z95+4*m*p*(1-p))
	below := 2 * (m + z95*z95)
	return max(0, (middle-spread)/below), min(1, (middle+spread)/below)
}

// Fleet counts the in-service devices of one kind by the age of their evidence.
type Fleet struct{ Fresh, Stale, Never int64 }

// Seen is what the fresh devices of a kind need: so many units, for so many licences.
type Seen struct{ Units, Licences int64 }

// Unseen is how many licences the devices never scanned may need at most: for each kind ceil(N x upper end of the
// interval of the share of fresh devices of that kind that need the product), times what one that needs it needs on
// average, rounded up. A kind of which no fresh device needs it adds nothing.
func Unseen(fleet map[evidence.DeviceKind]Fleet, need map[evidence.DeviceKind]Seen) int64 {
	var sum int64
	for kind, f := range fleet {
		n := need[kind]
		if f.Never == 0 || n.Units == 0 { // a laptop never seen adds no core to a database that no laptop has
			continue
		}
		_, high := Wilson(min(n.Units, f.Fresh), f.Fresh)
		each := (n.Licences + n.Units - 1) / n.Units
		sum += int64(math.Ceil(float64(f.Never)*high-1e-9)) * each
	}
	return sum
}
