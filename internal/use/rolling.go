package use

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/usage"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/use/usedb"
	"ensomet/internal/used"
)

// longestRun is how many seconds a process whose end nobody saw is taken to have run at most.
const longestRun = 12 * 3600

// Settings that say how far back what was measured is there.
const (
	// the first day whose runs are kept whole; days of use before it stand as they were rolled up
	sessionsFrom = "sessions_from"
	eventsFrom   = "events_from" // the first day whose events are kept
)

// roller turns events into runs and runs into days of use.
type roller struct {
	tx       *sqlite.Tx
	settings *snapshot.Settings
	now      int64
	names    map[int64]int64 // by name, its product
	titles   map[int64]policy.Title
	meter    *snapshot.Meter
	devices  map[int64]*snapshot.DeviceFacts
	zones    map[int64]string // by device, the zone whose days its use was rolled up by
	sessions civil.Day
	events   civil.Day
}

// newRoller makes a roller for some devices; nil is all.
func (svc *Service) newRoller(tx *sqlite.Tx, of []int64) (*roller, error) {
	settings, err := snapshot.LoadSettings(tx)
	if err != nil {
		return nil, err
	}
	r := &roller{
		tx:       tx,
		settings: &settings,
		now:      svc.Clock.Now().Unix(),
		names:    map[int64]int64{},
		titles:   map[int64]policy.Title{},
		devices:  map[int64]*snapshot.DeviceFacts{},
	}
	for key, into := range map[string]*civil.Day{sessionsFrom: &r.sessions, eventsFrom: &r.events} {
		v, err := tx.Setting(key)
		if err != nil {
			return nil, err
		}
		if *into, err = civil.Parse(v); err != nil {
			return nil, err
		}
	}
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return nil, err
	}
	names, err := used.Names(tx)
	if err != nil {
		return nil, err
	}
	for _, n := range names {
		r.names[n.ID] = snapshot.ProductOfUse(c, n)
		if p := c.Product(r.names[n.ID]); p != nil {
			r.titles[p.ID] = snapshot.PolicyTitle(p)
		}
		if !tx.ReadOnly() && n.RolledAs != r.names[n.ID] {
			if err := usedb.UseNameMeans(tx, n.ID, r.names[n.ID], n.RolledAs >= 0); err != nil {
				return nil, err
			}
		}
	}
	if r.zones, err = usedb.UseZones(tx, of); err != nil {
		return nil, err
	}
	devices, err := snapshot.SomeDevices(tx, of, r.now)
	if err != nil {
		return nil, err
	}
	for i := range devices {
		r.devices[devices[i].ID] = &devices[i]
	}
	r.meter, err = snapshot.LoadMeter(tx, &settings, r.now)
	return r, err
}

// byEvents says that only events of a device have come, which say by themselves what they change.
const byEvents = int64(math.MaxInt64)

// roll brings the runs and days of one device in line with its events and sessions. since is the earliest start of a
// session that came or changed, or byEvents; days before it stay as they are.
func (r *roller) roll(device, since int64) error {
	d := r.devices[device]
	waited, err := usedb.TakeUseDue(r.tx, device, byEvents)
	if err != nil || d == nil {
		return err
	}
	since = min(since, waited)
	zone := r.settings.ZoneOf(d.Site)
	if was := r.zones[device]; was != zone.String() {
		if was != "" {
			since = 0 // its days are others now
		}
		if err := usedb.PutUseZone(r.tx, device, zone.String()); err != nil {
			return err
		}
	}
	made, names, err := r.pair(device, zone)
	if err != nil {
		return err
	}
	if since = min(since, made); since == byEvents {
		return nil
	}
	from := civil.Of(time.Unix(since, 0).In(zone))
	sessions, err := usedb.SessionsOn(r.tx, device, from.Start(zone).Unix())
	if err != nil {
		return err
	}
	for _, s := range sessions {
		names = append(names, s.Program)
	}
	kept, unwanted, seen, err := r.sort(d, sessions, zone)
	if err != nil {
		return err
	}
	if err := usedb.PutUseSeen(r.tx, device, seen); err != nil {
		return err
	}
	if err := usedb.PutUseDays(r.tx, device, from, max(from, r.sessions), stored.Distinct(names),
		usage.Roll(kept, zone)); err != nil {
		return err
	}
	return usedb.DropSessions(r.tx, device, unwanted)
}

// pair makes runs of a device's raw events. It returns the start of the earliest that changed, byEvents where none
// did, and the programs of those that are gone.
func (r *roller) pair(device int64, zone *time.Location) (since int64, gone []int64, err error) {
	events, err := usedb.ProcessEvents(r.tx, device)
	if err != nil || len(events) == 0 {
		return byEvents, nil, err
	}
	for _, e := range events {
		if e.At > r.now { // it waits for its time
			if err := renewal.MarkUseDue(r.tx, device, byEvents, e.At); err != nil {
				return 0, nil, err
			}
			break
		}
	}
	p := usage.Pair(events, longestRun, r.now)
	made, gone, err := usedb.PutMade(r.tx, device, max(0, r.events.Start(zone).Unix()), &p)
	if err != nil {
		return 0, nil, err
	}
	for i := range p.Sessions {
		if x := &p.Sessions[i]; x.Open { // without a word of its end it is cut in time
			if err := renewal.MarkUseDue(r.tx, device, byEvents, x.Start+longestRun+1); err != nil {
				return 0, nil, err
			}
		}
	}
	if made == 0 {
		made = byEvents
	}
	return made, gone, nil
}

// sort tells runs that are kept from those of titles that are not metered on the device, and says on which days it
// was seen in use at all. What lies in the future has not been, and waits for its time.
func (r *roller) sort(
	d *snapshot.DeviceFacts,
	sessions []usage.Session,
	zone *time.Location,
) (kept, unwanted []usage.Session, seen []civil.Day, err error) {
	kept = sessions[:0]
	for _, s := range sessions {
		s.Title = r.names[s.Program]
		whole := s
		if s.End > r.now { // a clock that is ahead
			if err := renewal.MarkUseDue(r.tx, d.ID, s.Start, s.End); err != nil {
				return nil, nil, nil, err
			}
			s.End, s.Open = max(s.Start, r.now), true
		}
		if s.Start > r.now {
			continue
		}
		for i, x := range usage.Days(time.Unix(s.Start, 0), time.Unix(s.End, 0), zone) {
			if i == 0 || !s.Cut { // of a run whose end nobody saw, only its start was
				seen = append(seen, x.Day)
			}
		}
		if !r.meter.All() {
			if day := civil.Of(time.Unix(s.Start, 0).In(zone)); !r.meter.On(r.titles[s.Title], d, day) {
				unwanted = append(unwanted, whole)
				continue
			}
		}
		kept = append(kept, s)
	}
	slices.Sort(seen)
	return kept, unwanted, slices.Compact(seen), nil
}

// rollUse rolls up some devices, each from the earliest start of a session that came or changed.
func (svc *Service) rollUse(tx *sqlite.Tx, devices map[int64]int64) error {
	if len(devices) == 0 || tx.Previewed() { // a preview of an import says nothing of days
		return nil
	}
	r, err := svc.newRoller(tx, slices.Sorted(maps.Keys(devices)))
	if err != nil {
		return err
	}
	for _, d := range slices.Sorted(maps.Keys(devices)) {
		if err := errors.Join(tx.Context().Err(), r.roll(d, devices[d])); err != nil {
			return err
		}
	}
	return nil
}

// rollStep is how many devices are rolled up before others may write.
const rollStep = 500

// rollsAnew marks the devices whose days of use rest on another zone or another meaning of a name than now: of all
// devices, or where nothing changed that may change that for all, of those of which something changed.
func (svc *Service) rollsAnew(ctx context.Context, all bool) error {
	changed := false
	var moved []int64
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		names, err := used.Names(tx)
		if err != nil || len(names) == 0 {
			return err
		}
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		var of []int64
		if !all {
			if of, err = renewal.TouchedDevices(tx, math.MaxInt32); err != nil {
				return err
			}
			of, names = append([]int64{}, of...), nil
		}
		for _, n := range names {
			changed = changed || n.RolledAs >= 0 && n.RolledAs != snapshot.ProductOfUse(c, n)
		}
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		zones, err := usedb.UseZones(tx, of)
		if err != nil {
			return err
		}
		devices, err := snapshot.SomeDevices(tx, of, svc.Clock.Now().Unix())
		for i := range devices {
			if was := zones[devices[i].ID]; was != "" && was != settings.ZoneOf(devices[i].Site).String() {
				moved = append(moved, devices[i].ID)
			}
		}
		return err
	})
	if err != nil || !changed && len(moved) == 0 {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		for _, d := range moved {
			if err := renewal.MarkUseDue(tx, d, 0, 0); err != nil {
				return err
			}
		}
		_, err := svc.newRoller(tx, []int64{})
		return err
	})
}

// RollDue rolls up the devices that scans have marked, some at a time. all says that zones of sites may be others, or
// that names may mean something else.
func (svc *Service) RollDue(ctx context.Context, all bool) error {
	if err := svc.rollsAnew(ctx, all); err != nil {
		return err
	}
	for done := 0; ; done += rollStep {
		var due map[int64]int64
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			due, err = usedb.UseDue(tx, rollStep, svc.Clock.Now().Unix())
			return err
		}); err != nil || len(due) == 0 {
			return err
		}
		svc.Progress.Step(fmt.Sprintf("rolling up use: %d devices", done+len(due)))
		if err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
			return svc.rollUse(tx, due)
		}); err != nil {
			return err
		}
	}
}

// ForgetUse deletes what was measured and is older than it is kept: events first, then runs, then days. The days of
// what goes stay.
func (svc *Service) ForgetUse(ctx context.Context) (gone [3]int64, err error) {
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		today := svc.Snapshots.Today()
		events, sessions, days := today-civil.Day(s.EventDays)+1, today-civil.Day(s.SessionDays)+1, today-civil.Day(
			s.DayDays,
		)+1
		if gone, err = usedb.ForgetUse(tx, events.Start(s.Zone).Unix(), sessions.Start(s.Zone).Unix(),
			days); err != nil {
			return err
		}
		for key, day := range map[string]civil.Day{eventsFrom: events, sessionsFrom: sessions} {
			had, err := tx.Setting(key)
			if err != nil {
				return err
			}
			if was, err := civil.Parse(had); err != nil || was >= day {
				continue // longer now than before does not bring back what went
			}
			if err := tx.SetSetting(key, day.String()); err != nil {
				return err
			}
		}
		return nil
	})
	return gone, err
}

// UseKept says how long what was measured is kept, in days.
type UseKept struct {
	EventDays   int   // raw events of processes
	SessionDays int   // runs of programs
	DayDays     int   // days of use
	Revision    int64 // that was seen; a save on an older one is refused
}

// KeepUse sets how long what was measured is kept. Nobody may look at a window longer than that.
func (svc *Service) KeepUse(ctx context.Context, k UseKept, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.KeptUse},
			Seen:  k.Revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   UseKept{EventDays: s.EventDays, SessionDays: s.SessionDays, DayDays: s.DayDays},
			Is:    k,
		}); err != nil {
			return err
		}
		s.EventDays, s.SessionDays, s.DayDays = k.EventDays, k.SessionDays, k.DayDays
		rules, err := snapshot.ReclaimRules(tx)
		if err != nil {
			return err
		}
		for i := range rules {
			s.UseWindow = max(s.UseWindow, rules[i].Window)
		}
		if err := s.KeepsEnough(); err != nil {
			return err
		}
		for key, n := range map[string]int{"event_days": k.EventDays, "session_days": k.SessionDays,
			"day_days": k.DayDays} {
			if err := tx.SetSetting(key, strconv.Itoa(n)); err != nil {
				return err
			}
		}
		return tx.Note(svc.Clock.Now(), who, "set how long use is kept", "",
			fmt.Sprintf("events %d days, runs %d, days of use %d", k.EventDays, k.SessionDays, k.DayDays))
	})
}

// ForgetUseDaily forgets use once a day; a day on which that failed tries again.
func (svc *Service) ForgetUseDaily(ctx context.Context) error {
	today := svc.Snapshots.Today()
	svc.mu.Lock()
	done := svc.forgot == today
	svc.mu.Unlock()
	if done {
		return nil
	}
	if _, err := svc.ForgetUse(ctx); err != nil {
		return err
	}
	svc.mu.Lock()
	svc.forgot = today
	svc.mu.Unlock()
	return nil
}
