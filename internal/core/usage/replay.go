package usage

import (
	"cmp"
	"slices"
)

// draw gives numbers that follow from a seed alone (SplitMix64: Steele, Lea and Flood, 2014, Fast splittable
// pseudorandom number generators).
type draw uint64

// below is the next number in 0 to n-1.
func (d *draw) below(n int) int {
	*d += 0x9e3779b97f4a7c15
	z := uint64(*d)
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return int((z ^ z>>31) % uint64(n))
}

// Request is somebody who wanted licences. Length is how long they had them, 0 where they were denied.
type Request struct {
	At, Licences, Length int64
	User                 string
}

// Requests gathers who wanted licences of a pool, in order. Somebody who is denied and asks again within retry
// seconds wanted once: such repeats are left out and counted. Where a repeat was served, it is the request, from its
// first denial on.
func Requests(outs []Out, denials []PoolEvent, retry int64) (list []Request, repeats int) {
	for i := range outs {
		o := &outs[i]
		list = append(list, Request{At: o.Start, Licences: o.Licences, Length: max(1, o.End-o.Start), User: o.User})
	}
	for i := range denials {
		d := &denials[i]
		list = append(list, Request{At: d.At, Licences: max(1, d.Licences), User: d.User})
	}
	slices.SortStableFunc(list, func(a, b Request) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.User, b.User), cmp.Compare(a.Length, b.Length))
	})
	type asked struct {
		at int64
		in int
	}
	waits := map[string]asked{} // by user, the last denial and where it is kept
	out := list[:0]
	for _, r := range list {
		w, waiting := waits[r.User]
		waiting = waiting && r.User != "" && r.At-w.at <= retry
		switch {
		case r.Length == 0 && waiting:
			waits[r.User] = asked{r.At, w.in}
			repeats++
		case r.Length == 0:
			waits[r.User] = asked{r.At, len(out)}
			out = append(out, r)
		case waiting:
			out[w.in].Length = r.Length
			delete(waits, r.User)
			repeats++
		default:
			delete(waits, r.User)
			out = append(out, r)
		}
	}
	return out, repeats
}

// Served is what happens to requests with a number of licences.
type Served struct {
	Denied int64 // requests
	Peak   int64
}

// Replay serves requests in their order with n licences. A request whose length is not known takes one out of
// lengths, drawn with the seed. At one moment ends come before starts.
func Replay(list []Request, n int64, lengths []int64, seed uint64) Served {
	r := draw(seed)
	var out Served
	var busy ends
	level := int64(0)
	for i := range list {
		q := &list[i]
		for len(busy) > 0 && busy[0].at <= q.At {
			level -= busy[0].licences
			busy.pop()
		}
		length := q.Length
		if length == 0 && len(lengths) > 0 {
			length = lengths[r.below(len(lengths))]
		}
		if level+q.Licences > n {
			out.Denied++
			continue
		}
		level += q.Licences
		out.Peak = max(out.Peak, level)
		busy.push(ending{q.At + length, q.Licences})
	}
	return out
}

// Size is what a number of licences would have done: the share of requests denied by replay, over several draws of
// lengths, and by Erlang's formula.
type Size struct {
	Licences              int64
	Denied                float64 // requests denied by replay, the mean over seeds
	Least, Most           int64   // over seeds
	Share                 float64 // Denied of all requests
	Erlang                float64 // share by the formula
	PerDay                float64 // denials by replay for each day
	ReplayLow, ReplayHigh float64 // Least and Most as shares
}

// Load is the offered load of requests in erlangs over a time in seconds: arrivals per time times mean length, each
// weighed with its licences. Unknown lengths take the mean of lengths.
func Load(list []Request, lengths []int64, seconds int64) float64 {
	mean := 0.0
	for _, l := range lengths {
		mean += float64(l)
	}
	if len(lengths) > 0 {
		mean /= float64(len(lengths))
	}
	sum := 0.0
	for i := range list {
		l := float64(list[i].Length)
		if list[i].Length == 0 {
			l = mean
		}
		sum += l * float64(list[i].Licences)
	}
	if seconds <= 0 {
		return 0
	}
	return sum / float64(seconds)
}

// Lengths are the lengths of the requests that were served.
func Lengths(list []Request) []int64 {
	var out []int64
	for i := range list {
		if list[i].Length > 0 {
			out = append(out, list[i].Length)
		}
	}
	return out
}

// Sizes replays requests at several numbers of licences and over several seeds. Days is how many days they span, load
// the offered load that the formula is given.
func Sizes(list []Request, sizes []int64, seeds int, days, load float64, say func(done, of int) error) ([]Size,
	error) {
	lengths := Lengths(list)
	out := make([]Size, 0, len(sizes))
	for i, n := range sizes {
		if say != nil {
			if err := say(i, len(sizes)); err != nil {
				return nil, err
			}
		}
		s := Size{Licences: n, Erlang: ErlangB(int(n), load)}
		for seed := range max(1, seeds) {
			d := Replay(list, n, lengths, uint64(seed)+1).Denied
			if seed == 0 || d < s.Least {
				s.Least = d
			}
			s.Most = max(s.Most, d)
			s.Denied += float64(d)
			if len(lengths) == len(list) { // nothing is drawn
				s.Denied = float64(d) * float64(max(1, seeds))
				break
			}
		}
		s.Denied /= float64(max(1, seeds))
		if len(list) > 0 {
			all := float64(len(list))
			s.Share, s.ReplayLow, s.ReplayHigh = s.Denied/all, float64(s.Least)/all, float64(s.Most)/all
		}
		if days > 0 {
			s.PerDay = s.Denied / days
		}
		out = append(out, s)
	}
	return out, nil
}

// Serves finds the least number of licences, from one on, at which replays of some requests over several seeds deny at
// most a share of them. More never serve fewer by much, so the sizes are halved, and the last steps walked.
func Serves(list []Request, from int64, share float64, seeds int) int64 {
	lengths := Lengths(list)
	fine := func(n int64) bool {
		for seed := range max(1, seeds) {
			if float64(Replay(list, n, lengths, uint64(seed)+1).Denied) > share*float64(len(list)) {
				return false
			}
		}
		return true
	}
	low, high := max(1, from)-1, max(1, from) // low is not known to serve, high grows until it does
	for !fine(high) {
		low, high = high, 2*high
	}
	for high-low > 1 {
		if mid := (low + high) / 2; fine(mid) {
			high = mid
		} else {
			low = mid
		}
	}
	return high
}

// Bunched says by how much requests come more bunched than at random: the variance of arrivals by the hour divided by
// their mean, 1 for Poisson arrivals.
func Bunched(list []Request, from, to int64) float64 {
	n := (to - from) / 3600
	if n < 2 {
		return 1
	}
	counts := make([]float64, n)
	for i := range list {
		if h := (list[i].At - from) / 3600; list[i].At >= from && h < n {
			counts[h]++
		}
	}
	mean, varies := 0.0, 0.0
	for _, c := range counts {
		mean += c
	}
	mean /= float64(n)
	for _, c := range counts {
		varies += (c - mean) * (c - mean)
	}
	if mean == 0 {
		return 1
	}
	return varies / float64(n-1) / mean
}

// ending is licences that come back; ends is a heap of them, the next first.
type ending struct{ at, licences int64 }

type ends []ending

func (h *ends) push(e ending) {
	*h = append(*h, e)
	for i := len(*h) - 1; i > 0; {
		up := (i - 1) / 2
		if (*h)[up].at <= (*h)[i].at {
			break
		}
		(*h)[up], (*h)[i] = (*h)[i], (*h)[up]
		i = up
	}
}

func (h *ends) pop() {
	last := len(*h) - 1
	(*h)[0] = (*h)[last]
	*h = (*h)[:last]
	for i := 0; ; {
		least := i
		for c := 2*i + 1; c <= 2*i+2 && c < last; c++ {
			if (*h)[c].at < (*h)[least].at {
				least = c
			}
		}
		if least == i {
			return
		}
		(*h)[i], (*h)[least] = (*h)[least], (*h)[i]
		i = least
	}
}
