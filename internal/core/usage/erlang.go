package usage

// ErlangB is the share of requests that find all n licences out, at an offered load of a erlangs (mean arrivals per
// time times mean length), where requests come at random and those denied go away: B(0) = 1, B(n) = a B(n-1) / (n + a
// B(n-1)) (A. K. Erlang 1917; the recursion is the one of every traffic textbook).
func ErlangB(n int, a float64) float64 {
	b := 1.0
	for k := 1; k <= n; k++ {
		b = a * b / (float64(k) + a*b)
	}
	return b
}

// ErlangSize is the least number of licences at which no more than the share target of requests is denied.
func ErlangSize(a, target float64) int {
	b := 1.0
	for n := 0; ; n++ {
		if n > 0 {
			b = a * b / (float64(n) + a*b)
		}
		if b <= target || n > 1_000_000 {
			return n
		}
	}
}
