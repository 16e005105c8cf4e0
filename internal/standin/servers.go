package standin

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"ensomet/internal/used"
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
	at     time.Time
	device *device
	length time.Duration
	tokens int
	tries  int
}

// serve plays one pool through its days up to the demo's today.
func (w *world) serve(r *rand.Rand, p pool) {
	w.servers = append(w.servers, p)
	w.pools = append(
		w.pools,
		[]string{p.code, p.product.publisher, p.product.name, p.server, fmt.Sprint(p.quantity), p.expires},
	)
	for n := p.days; n >= 1; n-- {
		midnight := midnightInOslo(Now.AddDate(0, 0, -n))
		if n == p.lost {
			w.poolEvents = append(w.poolEvents, p.event("lost", "", nil, midnight.Add(6*time.Hour), 1, ""))
		}
		if n == p.found {
			w.poolEvents = append(w.poolEvents, p.event("found", "", nil, midnight.Add(6*time.Hour), 1, ""))
		}
		if n <= p.lost && n > p.found {
			continue
		}
		w.poolEvents = append(w.poolEvents, p.day(r, midnight)...)
	}
}

func midnightInOslo(day time.Time) time.Time {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		panic(err)
	}
	return time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, oslo)
}

func (p *pool) event(what, session string, d *device, at time.Time, licences int, active string) []string {
	user, device := "", ""
	if d != nil {
		user, device = d.user, d.id
	}
	return []string{p.code, what, session, user, device, at.Format(time.RFC3339), fmt.Sprint(licences), active}
}

// day plays one day of a pool, as its licence server would: who finds too few licences is denied, asks again a few
// minutes later up to twice, and then gives up.
func (p *pool) day(r *rand.Rand, midnight time.Time) (events [][]string) {
	if midnight.Weekday() == time.Saturday || midnight.Weekday() == time.Sunday {
		return nil
	}
	var wants []request
	ask := func(at time.Time, length time.Duration) {
		wants = append(
			wants,
			request{at: at, device: p.devices[r.IntN(len(p.devices))], length: length, tokens: 1 + r.IntN(p.tokens)},
		)
	}
	for range p.mornings {
		ask(
			midnight.Add(9*time.Hour+40*time.Minute+time.Duration(r.IntN(1500))*time.Second),
			time.Duration(p.minutes*60*3/4+r.IntN(p.minutes*30))*time.Second,
		)
	}
	for range p.spread {
		hour := 7 + r.IntN(9)
		if hour >= 9 && p.mornings > 0 {
			hour += 4 // those who know that it is full come before nine or after lunch
		}
		ask(
			midnight.Add(time.Duration(hour)*time.Hour+time.Duration(r.IntN(3600))*time.Second),
			time.Duration(900+r.IntN(4500))*time.Second,
		)
	}
	type out struct {
		until  time.Time
		tokens int
	}
	var busy []out
	count := 0
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
			events = append(events, p.event("denial", "", q.device, q.at, q.tokens, ""))
			if q.tries++; q.tries < 3 {
				q.at = q.at.Add(time.Duration(240+r.IntN(300)) * time.Second)
				wants = append(wants, q)
			}
			continue
		}
		count++
		session := fmt.Sprintf("%s-%s-%03d", p.code, midnight.Format("060102"), count)
		end := q.at.Add(q.length)
		busy = append(busy, out{end, q.tokens})
		events = append(
			events,
			p.event("checkout", session, q.device, q.at, q.tokens, ""),
			p.event(
				"return",
				session,
				q.device,
				end,
				q.tokens,
				fmt.Sprint(int(q.length.Seconds()*(0.35+0.6*r.Float64()))),
			),
		)
	}
	return events
}

// reportPools lets the licence servers report the day that has passed; one whose connection is lost stays silent.
// Their pools have the quantities that the program knows of.
func (o *Outside) reportPools(ctx context.Context, prog *program.Program, now time.Time) error {
	if !now.After(Now) { // the files have the days up to the demo's today
		return nil
	}
	o.mu.Lock()
	if o.servers == nil {
		o.servers = build().servers
	}
	servers := slices.Clone(o.servers)
	o.mu.Unlock()
	has := map[string]int{}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		pools, err := used.Pools(tx)
		for _, p := range pools {
			has[p.Code] = int(p.Quantity)
		}
		return err
	}); err != nil {
		return err
	}
	var rows [][]string
	for _, p := range servers {
		if p.quantity = has[p.code]; p.quantity == 0 || p.lost > 0 && p.found == 0 {
			continue
		}
		day := now.AddDate(0, 0, -1)
		rows = append(rows, p.day(rand.New(rand.NewPCG(seed, uint64(day.Unix()/86400))), midnightInOslo(day))...)
	}
	return take(ctx, prog, formats.PoolEvents, rows)
}
