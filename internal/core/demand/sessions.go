package demand

import (
	"cmp"
	"slices"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
)

// Session is a time in which licences were out: [From, To) in seconds since 1970, one session for each user and
// device unless a licence server counts. Holding is the place of its device in Found.Holdings, -1 where the product
// was not found on it.
type Session struct {
	Device, User int64
	Kind         evidence.DeviceKind
	Fresh        bool
	From, To     int64
	Licences     int64
	Place        entitle.Place
	Set          *Set
	Holding      int32
}

// Busiest finds the moment at which most licences are out, the earliest such, and the sessions of then. At one moment
// ends come before starts.
func Busiest(sessions []Session) (at, licences int64, out []int32) {
	type edge struct{ at, change int64 }
	edges := make([]edge, 0, 2*len(sessions))
	for i := range sessions {
		if s := &sessions[i]; s.To > s.From {
			edges = append(edges, edge{s.From, s.Licences}, edge{s.To, -s.Licences})
		}
	}
	slices.SortFunc(
		edges,
		func(a, b edge) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.change, b.change)) },
	)
	now := int64(0)
	for _, e := range edges {
		if now += e.change; now > licences {
			licences, at = now, e.at
		}
	}
	for i := range sessions {
		if s := &sessions[i]; licences > 0 && s.From <= at && at < s.To {
			out = append(out, int32(i))
		}
	}
	return at, licences, out
}

// Joined makes one session of those of one user and device that overlap or touch, the greatest number of licences
// counting.
func Joined(sessions []Session) []Session {
	sessions = slices.Clone(sessions)
	slices.SortFunc(sessions, func(a, b Session) int {
		return cmp.Or(
			cmp.Compare(a.Device, b.Device),
			cmp.Compare(a.User, b.User),
			cmp.Compare(a.From, b.From),
			cmp.Compare(a.To, b.To),
		)
	})
	var out []Session
	for _, s := range sessions {
		if n := len(out) - 1; n >= 0 && out[n].Device == s.Device && out[n].User == s.User && s.From <= out[n].To {
			out[n].To, out[n].Licences = max(out[n].To, s.To), max(out[n].Licences, s.Licences)
			continue
		}
		out = append(out, s)
	}
	return out
}

// peak makes a unit of each session that was out at the busiest moment. A token session counts with its tokens, a
// concurrent one with its licences.
func (f *Found) peak(entitle.Metric) Demand {
	_, _, out := Busiest(f.Sessions)
	var d Demand
	for _, i := range out {
		s := &f.Sessions[i]
		u := Unit{
			Device:  s.Device,
			User:    s.User,
			Kind:    s.Kind,
			Fresh:   s.Fresh,
			Count:   s.Licences,
			Place:   s.Place,
			Set:     s.Set,
			Session: s,
			Why:     "in use at the busiest moment",
		}
		if s.Holding >= 0 {
			u.Holdings = []int32{s.Holding}
		}
		d.Units = append(d.Units, u)
	}
	return d
}
