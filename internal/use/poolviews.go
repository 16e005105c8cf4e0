package use

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/usage"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/use/usedb"
	"ensomet/internal/used"
)

// PoolDayView is one day of a pool as it is drawn.
type PoolDayView struct {
	Day       string
	Peak      int64
	Quantity  int64   // licences that the pool had on the day
	Hours     float64 // licence-hours out
	Checkouts int64
	Denials   int64
	Users     int64
}

// PoolHour is one hour of the clock on workdays.
type PoolHour struct {
	Hour    int
	Peak    int64
	Mean    float64
	Denials int64
}

// PoolShare says how much of something falls to somebody.
type PoolShare struct {
	Who     string
	Name    string
	Denials int64
	Hours   float64 // licence-hours out
	Idle    float64 // of them, hours in which nobody worked, where the server says so
	Times   int64
}

// PoolOut is one session of a pool.
type PoolOut struct {
	User     string
	Device   string
	Start    int64
	Seconds  int64
	Active   int64 // seconds of work; -1 where the server does not say
	Licences int64
	Open     bool
}

// PoolView is a pool over some days.
type PoolView struct {
	usedb.PoolRow
	From       string
	To         string
	Days       []PoolDayView
	Hours      []PoolHour  // of workdays, by the clock
	Users      []PoolShare // most denied first, then most hours
	Sites      []PoolShare
	Longest    []PoolOut
	LicenceH   float64
	IdleH      float64 // licence-hours out in which nobody worked, of the sessions whose server says so
	SaysIdleH  float64 // licence-hours of the sessions whose server says how much was worked
	Arrivals   int64
	MeanLength float64 // seconds of a session
	MeanOut    float64 // licences out on average; arrivals times mean length over the time, by Little's law
	Spare      int64   // licences that could be given back by the usual share
	Complaints []usedb.PoolComplaint
	Sizes      []usedb.PoolSize
	LostSpans  []PoolLost // times without a connection to the server: nothing is known of them
}

// Pools reads a page of the list of pools.
func (svc *Service) Pools(*sqlite.ListQuery) (*sqlite.List[usedb.PoolRow], error) {
	return usedb.PoolList(svc.Snapshots.Today()), nil
}

// PoolLost is a time in which the connection to a licence server was lost. To is 0 while it lasts.
type PoolLost struct {
	From int64
	To   int64
}

// poolEvents reads a pool with its events of some days, and of as much before as a checkout may last.
func (svc *Service) poolEvents(
	tx *sqlite.Tx,
	id int64,
	from, to civil.Day,
) (row usedb.PoolRow, s snapshot.Settings, events []usage.PoolEvent, err error) {
	page, err := usedb.PoolList(svc.Snapshots.Today()).Page(
		tx,
		sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(id)}, Limit: 1})
	if err == nil && len(page.Rows) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return row, s, nil, err
	}
	if s, err = snapshot.LoadSettings(tx); err != nil {
		return row, s, nil, err
	}
	if s.Zone, err = poolZone(tx, &s, id, false); err != nil {
		return row, s, nil, err
	}
	events, err = usedb.PoolEvents(
		tx,
		id,
		from.Start(s.Zone).Unix()-longestCheckout,
		min((to+1).Start(s.Zone).Unix(), svc.Clock.Now().Unix()+1),
	)
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
func (svc *Service) PoolDays(ctx context.Context, id int64, days int) ([]PoolDayView, error) {
	out := []PoolDayView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		if err := snapshot.NeedPool(tx, id); err != nil {
			return err
		}
		out, err = svc.poolDays(tx, id, svc.Snapshots.Today()-civil.Day(days)+1, svc.Snapshots.Today())
		return err
	})
	return out, err
}

func (svc *Service) poolDays(tx *sqlite.Tx, id int64, from, to civil.Day) ([]PoolDayView, error) {
	out := []PoolDayView{}
	sums, err := usedb.PoolDays(tx, id, from, to)
	if err != nil {
		return nil, err
	}
	s, err := snapshot.LoadSettings(tx)
	if err != nil {
		return nil, err
	}
	if s.Zone, err = poolZone(tx, &s, id, false); err != nil {
		return nil, err
	}
	had, err := usedb.PoolQuantities(tx, id)
	if err != nil {
		return nil, err
	}
	now, err := used.PoolQuantityAt(tx, id, svc.Clock.Now().Unix())
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
			v.Peak, v.Hours, v.Checkouts, v.Denials, v.Users = x.Peak, float64(x.Seconds)/3600,
				x.Checkouts, x.Denials, x.Users
		}
		out = append(out, v)
	}
	return out, nil
}

// Pool gathers what is known of a pool in the days up to today.
func (svc *Service) Pool(ctx context.Context, id int64, days int) (PoolView, error) {
	out := PoolView{
		Days:       []PoolDayView{},
		Hours:      []PoolHour{},
		Users:      []PoolShare{},
		Sites:      []PoolShare{},
		Longest:    []PoolOut{},
		Complaints: []usedb.PoolComplaint{},
		Sizes:      []usedb.PoolSize{},
		LostSpans:  []PoolLost{},
	}
	to := svc.Snapshots.Today()
	from := to - civil.Day(days) + 1
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		svc.Progress.Say(ctx, "reading the events of %d days", days)
		row, s, events, err := svc.poolEvents(tx, id, from, to)
		if err != nil {
			return err
		}
		svc.Progress.Say(ctx, "%d events read, pairing what was out with what came back", len(events))
		out.PoolRow, out.From, out.To = row, from.String(), to.String()
		now := svc.Clock.Now().Unix()
		start, end := from.Start(s.Zone).Unix(), min((to+1).Start(s.Zone).Unix(), now)
		outs, denials := usage.Outs(events, now), denialsOf(events, start)
		if out.Days, err = svc.poolDays(tx, id, from, to); err != nil {
			return err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		svc.Progress.Say(ctx, "%d sessions, hour by hour", len(outs))
		for h, v := range usage.Hours(outs, denials, start, end, true, s.Zone) {
			out.Hours = append(out.Hours, PoolHour{h, v.Peak, v.Mean, v.Denials})
		}
		sites, err := stored.SiteOfDevices(tx)
		if err != nil {
			return err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		svc.Progress.Say(ctx, "%d sessions, by users and sites", len(outs))
		out.share(outs, denials, start, end, sites)
		for i := range out.Users {
			if p, err := snapshot.PersonByCode(tx, out.Users[i].Who); err == nil {
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
		out.Spare = usage.Spare(row.Quantity, row.Peak, usage.IdleShare)
		complaints, err := usedb.PoolComplaints(tx, id)
		if err != nil {
			return err
		}
		sizes, err := usedb.PoolSizes(tx, id)
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
		v.Longest = append(v.Longest,
			PoolOut{o.User, o.Device, o.Start, o.End - o.Start, o.Active, o.Licences, o.Open})
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
