package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"
)

// PoolDayView is one day of a pool as it is drawn.
type PoolDayView struct {
	Day       string  `json:"day"`
	Peak      int64   `json:"peak"`
	Quantity  int64   `json:"quantity" doc:"licences that the pool had on the day"`
	Hours     float64 `json:"hours" doc:"licence-hours out"`
	Checkouts int64   `json:"checkouts"`
	Denials   int64   `json:"denials"`
	Users     int64   `json:"users"`
}

// PoolHour is one hour of the clock on workdays.
type PoolHour struct {
	Hour    int     `json:"hour"`
	Peak    int64   `json:"peak"`
	Mean    float64 `json:"mean"`
	Denials int64   `json:"denials"`
}

// PoolShare says how much of something falls to somebody.
type PoolShare struct {
	Who     string  `json:"who"`
	Name    string  `json:"name"`
	Denials int64   `json:"denials"`
	Hours   float64 `json:"hours" doc:"licence-hours out"`
	Idle    float64 `json:"idle" doc:"of them, hours in which nobody worked, where the server says so"`
	Times   int64   `json:"times"`
}

// PoolOut is one session of a pool.
type PoolOut struct {
	User     string `json:"user"`
	Device   string `json:"device"`
	Start    int64  `json:"start"`
	Seconds  int64  `json:"seconds"`
	Active   int64  `json:"active" doc:"seconds of work; -1 where the server does not say"`
	Licences int64  `json:"licences"`
	Open     bool   `json:"open"`
}

// PoolView is a pool over some days.
type PoolView struct {
	store.PoolRow
	From       string                `json:"from"`
	To         string                `json:"to"`
	Days       []PoolDayView         `json:"days"`
	Hours      []PoolHour            `json:"hours" doc:"of workdays, by the clock"`
	Users      []PoolShare           `json:"users" doc:"most denied first, then most hours"`
	Sites      []PoolShare           `json:"sites"`
	Longest    []PoolOut             `json:"longest"`
	LicenceH   float64               `json:"licenceHours"`
	IdleH      float64               `json:"idleHours" doc:"licence-hours out in which nobody worked, of the sessions whose server says so"`
	SaysIdleH  float64               `json:"saysIdleHours" doc:"licence-hours of the sessions whose server says how much was worked"`
	Arrivals   int64                 `json:"arrivals"`
	MeanLength float64               `json:"meanLength" doc:"seconds of a session"`
	MeanOut    float64               `json:"meanOut" doc:"licences out on average; arrivals times mean length over the time, by Little's law"`
	Spare      int64                 `json:"spare" doc:"licences that could be given back by the usual share"`
	Complaints []store.PoolComplaint `json:"complaints"`
	Sizes      []store.PoolSize      `json:"sizes"`
	LostSpans  []PoolLost            `json:"lostSpans" doc:"times without a connection to the server: nothing is known of them"`
}

// Pools reads a page of the list of pools.
func (a *App) Pools(ctx context.Context, q store.ListQuery) (page store.Page[store.PoolRow], err error) {
	err = a.DB.View(ctx, func(tx *store.Tx) (err error) {
		page, err = tx.PoolPage(q, a.Today())
		return err
	})
	return page, err
}

// PoolLost is a time in which the connection to a licence server was lost. To is 0 while it lasts.
type PoolLost struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// poolEvents reads a pool with its events of some days, and of as much before as a checkout may last.
func (a *App) poolEvents(tx *store.Tx, id int64, from, to civil.Day) (row store.PoolRow, s Settings, events []usage.PoolEvent, err error) {
	page, err := tx.PoolPage(store.ListQuery{Filters: map[string]string{"id": fmt.Sprint(id)}, Limit: 1}, a.Today())
	if err == nil && len(page.Rows) == 0 {
		err = store.ErrNotFound
	}
	if err != nil {
		return row, s, nil, err
	}
	if s, err = loadSettings(tx); err != nil {
		return row, s, nil, err
	}
	if s.Zone, err = poolZone(tx, &s, id, false); err != nil {
		return row, s, nil, err
	}
	events, err = tx.PoolEvents(id, from.Start(s.Zone).Unix()-longestCheckout, min((to+1).Start(s.Zone).Unix(), a.Clock.Now().Unix()+1))
	return page.Rows[0], s, events, err
}

func denialsOf(events []usage.PoolEvent, from int64) []usage.PoolEvent {
	var out []usage.PoolEvent
	for _, e := range events {
		if e.Kind == usage.Denial && e.At >= from {
			out = append(out, e)
		}
	}
	return out
}

// PoolDays draws the days of a pool from its daily sums, however many events they were made of.
func (a *App) PoolDays(ctx context.Context, id int64, days int) ([]PoolDayView, error) {
	out := []PoolDayView{}
	err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		out, err = a.poolDays(tx, id, a.Today()-civil.Day(days)+1, a.Today())
		return err
	})
	return out, err
}

func (a *App) poolDays(tx *store.Tx, id int64, from, to civil.Day) ([]PoolDayView, error) {
	out := []PoolDayView{}
	sums, err := tx.PoolDays(id, from, to)
	if err != nil {
		return nil, err
	}
	s, err := loadSettings(tx)
	if err != nil {
		return nil, err
	}
	if s.Zone, err = poolZone(tx, &s, id, false); err != nil {
		return nil, err
	}
	had, err := tx.PoolQuantities(id)
	if err != nil {
		return nil, err
	}
	now, err := tx.PoolQuantityAt(id, a.Clock.Now().Unix())
	if err != nil {
		return nil, err
	}
	at, k := map[civil.Day]*usage.PoolDay{}, 0
	for i := range sums {
		at[sums[i].Day] = &sums[i]
	}
	for d := from; d <= to; d++ {
		for k < len(had) && had[k].Until <= d.Start(s.Zone).Unix() {
			k++
		}
		v := PoolDayView{Day: d.String(), Quantity: now}
		if k < len(had) {
			v.Quantity = had[k].Quantity
		}
		if x := at[d]; x != nil {
			v.Peak, v.Hours, v.Checkouts, v.Denials, v.Users = x.Peak, float64(x.Seconds)/3600, x.Checkouts, x.Denials, x.Users
		}
		out = append(out, v)
	}
	return out, nil
}

// Pool gathers what is known of a pool in the days up to today.
func (a *App) Pool(ctx context.Context, id int64, days int) (PoolView, error) {
	out := PoolView{Days: []PoolDayView{}, Hours: []PoolHour{}, Users: []PoolShare{}, Sites: []PoolShare{}, Longest: []PoolOut{}, Complaints: []store.PoolComplaint{}, Sizes: []store.PoolSize{}, LostSpans: []PoolLost{}}
	to := a.Today()
	from := to - civil.Day(days) + 1
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		row, s, events, err := a.poolEvents(tx, id, from, to)
		if err != nil {
			return err
		}
		out.PoolRow, out.From, out.To = row, from.String(), to.String()
		now := a.Clock.Now().Unix()
		start, end := from.Start(s.Zone).Unix(), min((to+1).Start(s.Zone).Unix(), now)
		outs, denials := usage.Outs(events, now), denialsOf(events, start)
		if out.Days, err = a.poolDays(tx, id, from, to); err != nil {
			return err
		}
		for h, v := range usage.Hours(outs, denials, start, end, true, s.Zone) {
			out.Hours = append(out.Hours, PoolHour{h, v.Peak, v.Mean, v.Denials})
		}
		sites, err := tx.SiteOfDevices()
		if err != nil {
			return err
		}
		out.share(outs, denials, start, end, sites)
		for i := range out.Users {
			if p, err := tx.PersonByCode(out.Users[i].Who); err == nil {
				out.Users[i].Name = p.Name
			}
		}
		for _, e := range events {
			switch {
			case e.Kind == usage.Lost:
				out.LostSpans = append(out.LostSpans, PoolLost{From: e.At})
			case e.Kind == usage.Found && len(out.LostSpans) > 0 && out.LostSpans[len(out.LostSpans)-1].To == 0:
				out.LostSpans[len(out.LostSpans)-1].To = e.At
			}
		}
		out.Spare = usage.Spare(row.Quantity, row.Peak, poolShare)
		complaints, err := tx.PoolComplaints(id)
		if err != nil {
			return err
		}
		sizes, err := tx.PoolSizes(id)
		out.Complaints, out.Sizes = append(out.Complaints, complaints...), append(out.Sizes, sizes...)
		return err
	})
	return out, err
}

// maxShares is how many users, sites and sessions a pool's page lists.
const maxShares = 12

func (v *PoolView) share(outs []usage.Out, denials []usage.PoolEvent, start, end int64, sites map[string]string) {
	users, places := map[string]*PoolShare{}, map[string]*PoolShare{}
	of := func(m map[string]*PoolShare, who string) *PoolShare {
		if m[who] == nil {
			m[who] = &PoolShare{Who: who}
		}
		return m[who]
	}
	var licenceSeconds, length int64
	for i := range outs {
		o := &outs[i]
		a, b := max(o.Start, start), min(o.End, end)
		if a >= b && o.Start < start {
			continue
		}
		hours := float64(max(0, b-a)*o.Licences) / 3600
		licenceSeconds += max(0, b-a) * o.Licences
		if o.Start >= start {
			v.Arrivals++
			length += o.End - o.Start
		}
		idle := 0.0
		if o.Active >= 0 && o.End > o.Start {
			share := 1 - float64(o.Active)/float64(o.End-o.Start)
			idle = hours * share
			v.IdleH, v.SaysIdleH = v.IdleH+idle, v.SaysIdleH+hours
		}
		for _, s := range []*PoolShare{of(users, o.User), of(places, cmp.Or(sites[o.Device], "unknown"))} {
			s.Hours, s.Idle, s.Times = s.Hours+hours, s.Idle+idle, s.Times+1
		}
		v.Longest = append(v.Longest, PoolOut{o.User, o.Device, o.Start, o.End - o.Start, o.Active, o.Licences, o.Open})
	}
	for i := range denials {
		d := &denials[i]
		of(users, d.User).Denials++
		of(places, cmp.Or(sites[d.Device], "unknown")).Denials++
	}
	v.LicenceH = float64(licenceSeconds) / 3600
	if v.Arrivals > 0 {
		v.MeanLength = float64(length) / float64(v.Arrivals)
	}
	if end > start {
		v.MeanOut = float64(licenceSeconds) / float64(end-start)
	}
	list := func(m map[string]*PoolShare) []PoolShare {
		out := []PoolShare{}
		for _, s := range m {
			out = append(out, *s)
		}
		slices.SortFunc(out, func(a, b PoolShare) int {
			return cmp.Or(cmp.Compare(b.Denials, a.Denials), cmp.Compare(b.Hours, a.Hours), cmp.Compare(a.Who, b.Who))
		})
		return out[:min(maxShares, len(out))]
	}
	v.Users, v.Sites = list(users), list(places)
	slices.SortFunc(v.Longest, func(a, b PoolOut) int {
		return cmp.Or(cmp.Compare(b.Seconds, a.Seconds), cmp.Compare(a.Start, b.Start))
	})
	v.Longest = v.Longest[:min(maxShares, len(v.Longest))]
}

// PoolSizing is what other sizes of a pool would have done.
type PoolSizing struct {
	Requests  int            `json:"requests"`
	Repeats   int            `json:"repeats" doc:"denied requests that were made again within minutes: they wanted once"`
	Unknown   int            `json:"unknown" doc:"requests that were denied, so that nobody knows how long they would have lasted: their length is drawn from the served ones"`
	Days      int            `json:"days"`
	Load      float64        `json:"load" doc:"offered in the busiest hours, in erlangs"`
	BusyHours string         `json:"busyHours" doc:"the hours of the workday that the formula looks at"`
	Bunched   float64        `json:"bunched" doc:"variance of arrivals by the hour divided by their mean: 1 at random, more where they come together"`
	Trust     string         `json:"trust" enum:"replay,both,neither"`
	Why       string         `json:"why"`
	Seeds     int            `json:"seeds"`
	Sizes     []PoolSizeView `json:"sizes"`
	Licence   string         `json:"licence" doc:"price of one licence a year, where a line or the catalogue says"`
	Currency  string         `json:"currency"`
	Suggested int64          `json:"suggested" doc:"the least size at which at most target of the requests are denied"`
	Target    float64        `json:"target"`
}

// PoolSizeView is one size. Shares are of all requests.
type PoolSizeView struct {
	Licences int64   `json:"licences"`
	Share    float64 `json:"share"`
	Low      float64 `json:"low"`
	High     float64 `json:"high"`
	PerDay   float64 `json:"perDay" doc:"denials a day, by replay"`
	Erlang   float64 `json:"erlang" doc:"share by the formula, at the load of the busiest hours"`
	Cost     string  `json:"cost" doc:"a year: the licences, and the denials at what one of them costs"`
}

// retryWithin is how many seconds after a denial the same user's next request is the same wish.
const retryWithin = 900

// PoolSizing replays the requests of some days at other sizes, and sets Erlang's formula beside it. denialCost is what one denial costs, in the currency of the licence.
func (a *App) PoolSizing(ctx context.Context, id int64, days int, target, denialCost float64) (PoolSizing, error) {
	out := PoolSizing{Days: days, Target: target, Seeds: 20, Sizes: []PoolSizeView{}}
	var row store.PoolRow
	var settings Settings
	var events []usage.PoolEvent
	to := a.Today()
	from := to - civil.Day(days) + 1
	price, currency := 0.0, ""
	err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		if row, settings, events, err = a.poolEvents(tx, id, from, to); err != nil {
			return err
		}
		price, currency, err = a.priceOfLicence(tx, row.ProductID)
		return err
	})
	if err != nil {
		return out, err
	}
	now := a.Clock.Now().Unix()
	start, end := from.Start(settings.Zone).Unix(), min((to+1).Start(settings.Zone).Unix(), now)
	outs := slices.DeleteFunc(usage.Outs(events, now), func(o usage.Out) bool { return o.Start < start })
	list, repeats := usage.Requests(outs, denialsOf(events, start), retryWithin)
	out.Requests, out.Repeats = len(list), repeats
	lengths := usage.Lengths(list)
	out.Unknown = len(list) - len(lengths)
	if len(list) == 0 {
		out.Trust, out.Why = "neither", fmt.Sprintf("In the last %d days nobody asked for a licence.", days)
		return out, nil
	}
	busy, words := busiest(outs, start, end, settings.Zone)
	out.BusyHours = words
	in := slices.DeleteFunc(slices.Clone(list), func(r usage.Request) bool { return !busy(r.At) })
	seconds := int64(0)
	for h := start; h < end; h += 3600 {
		if busy(h) {
			seconds += 3600
		}
	}
	out.Load = usage.Load(in, lengths, max(1, seconds))
	out.Bunched = usage.Bunched(list, start, end)
	most := row.Quantity
	for _, d := range usage.PoolDays(outs, nil, settings.Zone) {
		most = max(most, d.Peak)
	}
	most = max(most, int64(usage.ErlangSize(out.Load, 0.001))) + 2
	step := max(1, most/40)
	var sizes []int64
	for n := step; n <= most; n += step {
		sizes = append(sizes, n)
	}
	if !slices.Contains(sizes, row.Quantity) && row.Quantity > 0 {
		sizes = append(sizes, row.Quantity)
		slices.Sort(sizes)
	}
	got, err := usage.Sizes(list, sizes, out.Seeds, float64(days), out.Load, func(done, of int) error {
		a.say(ctx, "replaying %d requests: %d of %d sizes", len(list), done, of)
		return ctx.Err()
	})
	if err != nil {
		return out, err
	}
	out.Currency = currency
	if price > 0 {
		out.Licence = fmt.Sprintf("%.2f", price)
	}
	for _, s := range got {
		v := PoolSizeView{Licences: s.Licences, Share: s.Share, Low: s.ReplayLow, High: s.ReplayHigh, PerDay: s.PerDay, Erlang: s.Erlang}
		if price > 0 || denialCost > 0 {
			v.Cost = fmt.Sprintf("%.0f", float64(s.Licences)*price+s.PerDay*365*denialCost)
		}
		if out.Suggested == 0 && s.ReplayHigh <= target {
			out.Suggested = s.Licences
		}
		out.Sizes = append(out.Sizes, v)
	}
	out.Trust, out.Why = trust(&out)
	return out, nil
}

// busiest says which hours of workdays count as the busiest: those whose mean is at least half of the busiest hour's, together.
func busiest(outs []usage.Out, start, end int64, zone *time.Location) (busy func(at int64) bool, words string) {
	hours := usage.Hours(outs, nil, start, end, true, zone)
	most := 0.0
	for _, h := range hours {
		most = max(most, h.Mean)
	}
	var on [24]bool
	first, last := -1, -1
	for h := range hours {
		if on[h] = most > 0 && hours[h].Mean >= most/2; on[h] {
			if first < 0 {
				first = h
			}
			last = h
		}
	}
	words = "none"
	if first >= 0 {
		words = fmt.Sprintf("%02d:00 to %02d:00 on workdays", first, (last+1)%24)
	}
	return func(at int64) bool {
		t := time.Unix(at, 0).In(zone)
		return on[t.Hour()] && t.Weekday() != time.Saturday && t.Weekday() != time.Sunday
	}, words
}

// trust says which of replay and formula to go by, and why.
func trust(s *PoolSizing) (which, why string) {
	var worst float64
	for _, v := range s.Sizes {
		if v.Share > 0.001 || v.Erlang > 0.001 {
			worst = max(worst, v.Share-v.Erlang, v.Erlang-v.Share)
		}
	}
	switch {
	case s.Requests < 100:
		return "neither", fmt.Sprintf("%d requests are few: both say little. Look at more days.", s.Requests)
	case s.Unknown*2 > s.Requests:
		return "neither", "More than half of the requests were denied: how long they would have lasted is a guess. Lend licences for a week and look again."
	case s.Bunched > 2:
		return "replay", fmt.Sprintf("Requests come together (%.1f times as bunched as at random), and the formula takes them to come at random: go by the replay. They differ by up to %.0f points.", s.Bunched, worst*100)
	case worst > 0.05:
		return "replay", fmt.Sprintf("They differ by up to %.0f points though requests come almost at random: the load changes within the hours that the formula takes as even. Go by the replay.", worst*100)
	}
	return "both", "Requests come as at random and both say nearly the same. The formula also speaks for weeks that have not been yet."
}

// priceOfLicence is what one concurrent licence of a product costs a year: the price of its newest line, else its list price; 0 where neither is known.
func (a *App) priceOfLicence(tx *store.Tx, product int64) (float64, string, error) {
	lines, err := tx.EntitlementsOf([]int64{product})
	if err != nil {
		return 0, "", err
	}
	for i := len(lines) - 1; i >= 0; i-- {
		if l := &lines[i]; l.Metric == entitle.Concurrent && l.UnitPrice.Valid {
			return l.UnitPrice.Decimal.InexactFloat64(), l.Currency, nil
		}
	}
	c, err := a.catalogueOf(tx)
	if err != nil {
		return 0, "", err
	}
	if p := c.Product(product); p != nil {
		for i := range p.Titles {
			if t := &p.Titles[i]; t.ListPrice.Valid {
				return t.ListPrice.Decimal.InexactFloat64(), t.Currency, nil
			}
		}
	}
	return 0, "", nil
}

// Complain keeps somebody's word that he got no licence.
func (a *App) Complain(ctx context.Context, pool int64, user, text, who string) error {
	if strings.TrimSpace(text) == "" {
		return errors.New("say what happened")
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		if user != "" {
			if _, err := tx.PersonByCode(user); err != nil {
				return fmt.Errorf("there is no user %q", user)
			}
		}
		return tx.AddPoolComplaint(store.PoolComplaint{Pool: pool, User: user, Text: text, Author: who, At: a.Clock.Now().Unix()})
	})
}

// SizePool decides on the size of a pool, with its reason and what replay and formula said of it. It answers the complaints; the licence server itself is set by its owner, and its next list of pools shows that it was done.
func (a *App) SizePool(ctx context.Context, pool, size int64, reason, basis, who string) error {
	if strings.TrimSpace(reason) == "" {
		return errors.New("say why it has this size: whoever looks at it in a year wants to know")
	}
	if size < 0 || size > 10_000_000 {
		return errors.New("a pool has between 0 and ten million licences")
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		was, err := tx.PoolQuantityAt(pool, now.Unix())
		if err != nil {
			return err
		}
		if err := tx.AddPoolSize(store.PoolSize{Pool: pool, Was: was, Size: size, Reason: reason, Basis: basis, Author: who, At: now.Unix()}); err != nil {
			return err
		}
		if err := tx.EndPoolComplaints(pool, now.Unix(), fmt.Sprintf("%d licences instead of %d: %s", size, was, reason)); err != nil {
			return err
		}
		return tx.Note(now, who, "decided on the size of a pool", fmt.Sprint(pool), fmt.Sprintf("%d instead of %d: %s", size, was, reason))
	})
}
