package casework

// Wave is a set of orders that leave a few at a time, so that a fault shows on a few devices and not on all.
type Wave struct {
	PerDay   int // how many leave on one day; 0 is all at once
	MaxFails int // percent of the answered ones that may fail before it pauses
}

// Sofar is how a wave stands: orders that wait, that left today, and what came back of all that left.
type Sofar struct {
	Waiting, Today, Done, Failed int
}

// least is how many answers a wave needs before a share of failures says anything.
const least = 3

// Next says how many orders leave now, or whether the wave pauses since too many failed.
func (w Wave) Next(s Sofar) (leave int, pause bool) {
	if n := s.Done + s.Failed; n >= least && s.Failed*100 > w.MaxFails*n {
		return 0, true
	}
	if w.PerDay == 0 {
		return s.Waiting, false
	}
	return max(0, min(s.Waiting, w.PerDay-s.Today)), false
}
