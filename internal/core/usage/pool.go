package usage

import (
	"cmp"
	"slices"
	"time"

	"ensomet/internal/core/civil"
)

// PoolEventKind is what a licence server reported.
type PoolEventKind uint8

// The kinds of a licence server's events. Lost and Found are the connection to the server itself.
const (
	Checkout PoolEventKind = iota
	Return
	Denial
	Lost
	Found
)

// PoolEvent is one event of a pool. Times are in seconds since 1970.
type PoolEvent struct {
	At       int64
	Kind     PoolEventKind
	Session  string
	User     string
	Device   string
	Licences int64
	Active   int64 // of a return: seconds in which somebody worked with it, -1 where the server does not say
}

// Out is licences that one session had out, over [Start, End).
type Out struct {
	Session, User, Device string
	Start, End            int64
	Licences              int64
	Active                int64 // seconds of work, -1 where nobody said
	Open                  bool  // nothing has ended it yet
}

// Outs pairs checkouts with the first return of their session that follows. What is still out at now ends there and
// is open. While the connection to the server is lost nothing is known: a checkout before it, whose return never
// came, ends when the connection was lost.
func Outs(events []PoolEvent, now int64) []Out {
	list := slices.Clone(events)
	slices.SortStableFunc(list, func(a, b PoolEvent) int {
		return cmp.Or(
			cmp.Compare(a.At, b.At),
			cmp.Compare(poolOrder(a.Kind), poolOrder(b.Kind)),
			cmp.Compare(a.Session, b.Session),
		)
	})
	var out []Out
	open := map[string]int{}
	var lost []int64
	for i := range list {
		e := &list[i]
		if e.At > now {
			break
		}
		switch e.Kind {
		case Checkout:
			if _, known := open[e.Session]; known {
				continue // the same checkout again
			}
			open[e.Session] = len(out)
			out = append(
				out,
				Out{
					Session:  e.Session,
					User:     e.User,
					Device:   e.Device,
					Start:    e.At,
					Licences: max(1, e.Licences),
					Active:   -1,
				},
			)
		case Return:
			k, known := open[e.Session]
			if !known {
				continue
			}
			delete(open, e.Session)
			out[k].End, out[k].Active = e.At, e.Active
			if e.Active >= 0 {
				out[k].Active = min(e.Active, e.At-out[k].Start)
			}
		case Lost:
			lost = append(lost, e.At)
		}
	}
	for _, k := range open {
		o := &out[k]
		o.End, o.Open = now, true
		if i, _ := slices.BinarySearch(lost, o.Start); i < len(lost) {
			o.End, o.Open = lost[i], false
		}
	}
	return out
}

func poolOrder(k PoolEventKind) int {
	return map[PoolEventKind]int{Return: 0, Lost: 1, Found: 2, Checkout: 3, Denial: 4}[k]
}

// PoolDay is one day of a pool.
type PoolDay struct {
	Day       civil.Day
	Peak      int64 // most licences out at once
	PeakAt    int64 // the first moment of the peak
	Seconds   int64 // licence-seconds out
	Checkouts int64
	Denials   int64
	Users     int64 // different users that had one out
}

// PoolDays sums a pool up by days of a zone, from the first event to the last. At one moment ends come before starts.
func PoolDays(outs []Out, denials []PoolEvent, loc *time.Location) []PoolDay {
	type edge struct{ at, change int64 }
	edges := make([]edge, 0, 2*len(outs))
	days := map[civil.Day]*PoolDay{}
	day := func(d civil.Day) *PoolDay {
		v := days[d]
		if v == nil {
			v = &PoolDay{Day: d}
			days[d] = v
		}
		return v
	}
	z := zoned{loc: loc}
	users := map[civil.Day]map[string]bool{}
	for i := range outs {
		o := &outs[i]
		day(z.day(o.Start)).Checkouts++
		if o.End <= o.Start {
			continue
		}
		edges = append(edges, edge{o.Start, o.Licences}, edge{o.End, -o.Licences})
		for d := z.day(o.Start); d <= z.day(o.End-1); d++ {
			if users[d] == nil {
				users[d] = map[string]bool{}
			}
			users[d][o.User] = true
		}
	}
	for i := range denials {
		day(z.day(denials[i].At)).Denials++
	}
	slices.SortFunc(
		edges,
		func(a, b edge) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.change, b.change)) },
	)
	var level, since int64
	for i := 0; i < len(edges); {
		at := edges[i].at
		if level > 0 {
			z.split(since, at, func(d civil.Day, from, to int64) {
				v := day(d)
				v.Seconds += level * (to - from)
				if level > v.Peak {
					v.Peak, v.PeakAt = level, from
				}
			})
		}
		for ; i < len(edges) && edges[i].at == at; i++ {
			level += edges[i].change
		}
		since = at
	}
	out := make([]PoolDay, 0, len(days))
	for d, v := range days {
		v.Users = int64(len(users[d]))
		out = append(out, *v)
	}
	slices.SortFunc(out, func(a, b PoolDay) int { return cmp.Compare(a.Day, b.Day) })
	return out
}

// zoned finds days of a zone fast where it is asked for moments close to each other.
type zoned struct {
	loc      *time.Location
	at       civil.Day
	from, to int64
}

func (z *zoned) day(unix int64) civil.Day {
	if unix < z.from || unix >= z.to {
		z.at = civil.Of(time.Unix(unix, 0).In(z.loc))
		z.from, z.to = z.at.Start(z.loc).Unix(), (z.at + 1).Start(z.loc).Unix()
	}
	return z.at
}

// split cuts [from, to) at midnights.
func (z *zoned) split(from, to int64, fn func(d civil.Day, from, to int64)) {
	for from < to {
		d := z.day(from)
		end := min(to, z.to)
		fn(d, from, end)
		from = end
	}
}

// Hour is one hour of the clock over many days.
type Hour struct {
	Peak    int64   // most out at once
	Mean    float64 // licences out on average
	Denials int64
}

// Hours sums up what was out in [from, to) by the hour of the clock, on Mondays to Fridays or on every day.
func Hours(outs []Out, denials []PoolEvent, from, to int64, workdays bool, loc *time.Location) [24]Hour {
	var out [24]Hour
	counts := func(t time.Time) bool {
		return !workdays || t.Weekday() != time.Saturday && t.Weekday() != time.Sunday
	}
	var length [24]int64 // seconds of each hour that were looked at
	var busy [24]int64
	type edge struct{ at, change int64 }
	var edges []edge
	for i := range outs {
		if a, b := max(outs[i].Start, from), min(outs[i].End, to); a < b {
			edges = append(edges, edge{a, outs[i].Licences}, edge{b, -outs[i].Licences})
		}
	}
	slices.SortFunc(
		edges,
		func(a, b edge) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.change, b.change)) },
	)
	next, level := 0, int64(0)
	for at := from; at < to; {
		t := time.Unix(at, 0).In(loc)
		end := min(to, at+3600-int64(t.Minute()*60+t.Second()))
		h, on := t.Hour(), counts(t)
		if on {
			length[h] += end - at
		}
		for now := at; now < end; {
			for next < len(edges) && edges[next].at <= now {
				level += edges[next].change
				next++
			}
			stop := end
			if next < len(edges) {
				stop = min(end, edges[next].at)
			}
			if on {
				busy[h] += level * (stop - now)
				out[h].Peak = max(out[h].Peak, level)
			}
			now = stop
		}
		at = end
	}
	for i := range denials {
		if d := &denials[i]; d.At >= from && d.At < to {
			if t := time.Unix(d.At, 0).In(loc); counts(t) {
				out[t.Hour()].Denials++
			}
		}
	}
	for h := range out {
		if length[h] > 0 {
			out[h].Mean = float64(busy[h]) / float64(length[h])
		}
	}
	return out
}

// IdleShare is the share of its quantity below which the peak of a pool makes it idle, where no rule says otherwise
// (common practice).
const IdleShare = 0.6

// Spare says how many licences of a pool could be given back: where the peak of a period lies below the share t of
// the quantity, all but the greater of the peak and that share (common practice, with t = 0.6).
func Spare(quantity, peak int64, t float64) int64 {
	if quantity <= 0 || float64(peak) >= t*float64(quantity) {
		return 0
	}
	keep := int64(t * float64(quantity))
	if float64(keep) < t*float64(quantity)-1e-9 {
		keep++
	}
	return max(0, quantity-max(peak, keep))
}
