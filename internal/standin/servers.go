package standin

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"time"
)

// pool is a pool of a simulated licence server: who asks for it, when and for how long.
type pool struct {
	code, server string
	product      *product
	quantity     int
	expires      string
	devices      []*device
	mornings     int // requests that come together shortly before ten
	spread       int // requests over the rest of a workday
	minutes      int // how long a morning's session lasts, about
	tokens       int // most tokens of one session; 1 is a licence
	days         int // for how many days it has reported
	lost         int // days ago on which the connection was lost; 0 is never
	found        int // days ago on which it was found again; 0 is not yet
}

// request is somebody who wants licences.
type request struct {
	at      time.Time
	device  *device
	length  time.Duration
	tokens  int
	tries   int
	session string
}

// serve plays one pool through its days, as its licence server would: who finds too few licences is denied, asks again a few minutes later up to twice, and then gives up.
func (w *world) serve(r *rand.Rand, p pool) {
	w.pools = append(w.pools, []string{p.code, p.product.publisher, p.product.name, p.server, fmt.Sprint(p.quantity), p.expires})
	event := func(what, session string, d *device, at time.Time, licences int, active string) {
		user, device := "", ""
		if d != nil {
			user, device = d.user, d.id
		}
		w.poolEvents = append(w.poolEvents, []string{p.code, what, session, user, device, at.Format(time.RFC3339), fmt.Sprint(licences), active})
	}
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		panic(err)
	}
	count := 0
	for n := p.days; n >= 1; n-- {
		day := Now.AddDate(0, 0, -n)
		midnight := time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, oslo)
		if n == p.lost {
			event("lost", "", nil, midnight.Add(6*time.Hour), 1, "")
		}
		if n == p.found {
			event("found", "", nil, midnight.Add(6*time.Hour), 1, "")
		}
		if n <= p.lost && n > p.found || midnight.Weekday() == time.Saturday || midnight.Weekday() == time.Sunday {
			continue
		}
		var wants []request
		ask := func(at time.Time, length time.Duration) {
			wants = append(wants, request{at: at, device: p.devices[r.IntN(len(p.devices))], length: length, tokens: 1 + r.IntN(p.tokens)})
		}
		for range p.mornings {
			ask(midnight.Add(9*time.Hour+40*time.Minute+time.Duration(r.IntN(1500))*time.Second), time.Duration(p.minutes*60*3/4+r.IntN(p.minutes*30))*time.Second)
		}
		for range p.spread {
			hour := 7 + r.IntN(9)
			if hour >= 9 && p.mornings > 0 {
				hour += 4 // those who know that it is full come before nine or after lunch
			}
			ask(midnight.Add(time.Duration(hour)*time.Hour+time.Duration(r.IntN(3600))*time.Second), time.Duration(900+r.IntN(4500))*time.Second)
		}
		type out struct {
			until  time.Time
			tokens int
		}
		var busy []out
		for len(wants) > 0 {
			slices.SortStableFunc(wants, func(a, b request) int { return a.at.Compare(b.at) })
			q := wants[0]
			wants = wants[1:]
			busy = slices.DeleteFunc(busy, func(o out) bool { return !o.until.After(q.at) })
			level := 0
			for _, o := range busy {
				level += o.tokens
			}
			if level+q.tokens > p.quantity {
				event("denial", "", q.device, q.at, q.tokens, "")
				if q.tries++; q.tries < 3 {
					q.at = q.at.Add(time.Duration(240+r.IntN(300)) * time.Second)
					wants = append(wants, q)
				}
				continue
			}
			count++
			session := fmt.Sprintf("%s-%05d", p.code, count)
			end := q.at.Add(q.length)
			busy = append(busy, out{end, q.tokens})
			event("checkout", session, q.device, q.at, q.tokens, "")
			event("return", session, q.device, end, q.tokens, fmt.Sprint(int(q.length.Seconds()*(0.35+0.6*r.Float64()))))
		}
	}
}
