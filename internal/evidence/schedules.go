package evidence

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/core/schedule"
	"ensomet/internal/edits"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// ScheduleDraft is a schedule as somebody wants it.
type ScheduleDraft struct {
	ID       int64 // 0 for a new one
	Name     string
	Basis    string // calendar, age
	Calendar schedule.Calendar
	AgeDays  int
	Group    string           // empty is every device in service
	Quiet    []schedule.Quiet // when no scan may start, by the clock of each device's site
	Paused   bool
	Revision int64 // that was seen; a save on an older one is refused
}

// ScheduleView is a schedule with what it does.
type ScheduleView struct {
	ScheduleDraft
	Words   string
	Devices int
	Due     int // by age, now
	Open    int
	Next    int64 // the next start of a calendar, by the first site's clock
	Author  string
}

// ErrNoOrder says that an order is not one of the sender's devices, or is gone.
var ErrNoOrder = refuse.New("there is no such order for a scan")

func scheduleWords(s *evidencedb.Schedule) string {
	var out string
	if s.Basis == "age" {
		out = fmt.Sprintf("when the last scan is %d days old", s.AgeDays)
	} else {
		out = s.Calendar.Words()
	}
	for _, q := range s.Quiet {
		out += "; no start " + q.Words()
	}
	return out
}

// SaveSchedule stores a schedule.
func (svc *Collecting) SaveSchedule(ctx context.Context, d ScheduleDraft, who string) (int64, error) {
	d.Name = strings.TrimSpace(d.Name)
	if d.Name == "" {
		return 0, refuse.New("give the schedule a name")
	}
	switch d.Basis {
	case "calendar":
		if err := d.Calendar.Check(); err != nil {
			return 0, err
		}
	case "age":
		if d.AgeDays < 1 {
			return 0, refuse.New("say after how many days a scan is due: 1 or more")
		}
	default:
		return 0, refuse.Errorf("a schedule goes by calendar or by age, not by %q", d.Basis)
	}
	for _, q := range d.Quiet {
		if err := q.Check(); err != nil {
			return 0, err
		}
	}
	if _, ok := schedule.NextStart(svc.Clock.Now(), d.Quiet, time.UTC); !ok {
		return 0, refuse.New("the times at which nothing may start leave none at which anything may")
	}
	var id int64
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		if _, err := snapshot.GroupByName(tx, d.Group); err != nil {
			return err
		}
		list, err := evidencedb.Schedules(tx)
		if err != nil {
			return err
		}
		for _, s := range list {
			if s.Name == d.Name && s.ID != d.ID {
				return refuse.Errorf("there is a schedule %q already", d.Name)
			}
		}
		now := svc.Clock.Now()
		if d.ID != 0 {
			i := slices.IndexFunc(list, func(s evidencedb.Schedule) bool { return s.ID == d.ID })
			if i < 0 {
				return sqlite.ErrNotFound
			}
			if _, err := edits.Save(tx, edits.Change{
				Thing: edits.Of(edits.Schedule, d.ID),
				Seen:  d.Revision,
				Who:   who,
				At:    now,
				Was:   draftOfSchedule(&list[i]),
				Is:    d,
			}); err != nil {
				return err
			}
		}
		if id, err = evidencedb.PutSchedule(tx,
			evidencedb.Schedule{
				ID:           d.ID,
				Name:         d.Name,
				Basis:        d.Basis,
				Calendar:     d.Calendar,
				AgeDays:      d.AgeDays,
				Group:        d.Group,
				Quiet:        d.Quiet,
				ConsideredAt: now.Unix(),
				Author:       who,
				At:           now.Unix(),
				Paused:       d.Paused,
			}); err != nil {
			return err
		}
		return tx.Note(now, who, "set a schedule", d.Name, "")
	})
	return id, err
}

// draftOfSchedule is a schedule as somebody would want it who changes nothing.
func draftOfSchedule(s *evidencedb.Schedule) ScheduleDraft {
	d := ScheduleDraft{
		ID:       s.ID,
		Name:     s.Name,
		Basis:    s.Basis,
		Calendar: s.Calendar,
		AgeDays:  s.AgeDays,
		Group:    s.Group,
		Quiet:    s.Quiet,
		Paused:   s.Paused,
	}
	if d.Quiet == nil {
		d.Quiet = []schedule.Quiet{}
	}
	return d
}

// DropSchedule deletes a schedule, and calls off its orders that wait.
func (svc *Collecting) DropSchedule(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		list, err := evidencedb.Schedules(tx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(s evidencedb.Schedule) bool { return s.ID == id })
		if i < 0 {
			return sqlite.ErrNotFound
		}
		if err := edits.End(tx, edits.Change{
			Thing: edits.Of(edits.Schedule, id),
			Seen:  revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   draftOfSchedule(&list[i]),
		}); err != nil {
			return err
		}
		open, err := evidencedb.OpenOrders(tx, nil)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		for _, o := range open {
			if o.Schedule != id || o.State != schedule.Waiting {
				continue
			}
			if o.Order, err = o.CallOff(now.Unix()); err != nil {
				return err
			}
			o.Detail = "its schedule was deleted"
			if err := evidencedb.PutOrder(tx, o); err != nil {
				return err
			}
		}
		if err := evidencedb.DropSchedule(tx, id); err != nil {
			return err
		}
		return tx.Note(now, who, "deleted a schedule", fmt.Sprint(id), "")
	})
}

// fleet is the devices in service, with what conditions ask about them.
type fleet struct {
	settings snapshot.Settings
	devices  []snapshot.DeviceFacts
	facts    *snapshot.ConditionFacts
	now      int64
}

func (svc *Collecting) loadFleet(tx *sqlite.Tx) (*fleet, error) {
	f := &fleet{now: svc.Clock.Now().Unix()}
	var err error
	if f.settings, err = snapshot.LoadSettings(tx); err != nil {
		return nil, err
	}
	if f.devices, err = snapshot.AllDevices(tx, f.now); err != nil {
		return nil, err
	}
	f.devices = slices.DeleteFunc(f.devices,
		func(d snapshot.DeviceFacts) bool { return d.Status != evidence.InService })
	f.facts, err = snapshot.LoadConditions(tx, &f.settings, f.now, nil)
	return f, err
}

func (f *fleet) in(tx *sqlite.Tx, group string) ([]*snapshot.DeviceFacts, error) {
	cond, err := snapshot.GroupByName(tx, group)
	if err != nil {
		cond = condition.Condition{Any: []condition.Condition{}} // a group that is gone has nobody in it
	}
	var out []*snapshot.DeviceFacts
	for i := range f.devices {
		if d := &f.devices[i]; cond.Holds(f.facts.Of(d)) {
			out = append(out, d)
		}
	}
	return out, nil
}

// due says of which devices of a schedule a scan is due, and why.
func (f *fleet) due(tx *sqlite.Tx, s *evidencedb.Schedule) (map[int64]string, error) {
	devices, err := f.in(tx, s.Group)
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	missed := map[string]string{} // by zone
	for _, d := range devices {
		if s.Basis == "age" {
			if schedule.Due(d.LastScan, f.now, s.AgeDays) {
				why := "never scanned"
				if d.LastScan != 0 {
					why = fmt.Sprintf("last scan %d days old", (f.now-d.LastScan)/86400)
				}
				out[d.ID] = why
			}
			continue
		}
		zone := f.settings.ZoneOf(d.Site)
		why, known := missed[zone.String()]
		if !known {
			last, is, err := s.Calendar.Missed(time.Unix(s.ConsideredAt, 0), time.Unix(f.now, 0), zone)
			if err != nil {
				return nil, err
			}
			if is {
				why = "start of " + last.Format("2006-01-02 15:04")
			}
			missed[zone.String()] = why
		}
		if why != "" {
			out[d.ID] = why
		}
	}
	return out, nil
}

// Schedules lists the schedules.
func (svc *Collecting) Schedules(ctx context.Context) ([]ScheduleView, error) {
	out := []ScheduleView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := evidencedb.Schedules(tx)
		if err != nil || len(list) == 0 {
			return err
		}
		f, err := svc.loadFleet(tx)
		if err != nil {
			return err
		}
		open, err := evidencedb.OpenOrders(tx, nil)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Schedule)
		if err != nil {
			return err
		}
		for i := range list {
			s := &list[i]
			v := ScheduleView{
				ScheduleDraft: draftOfSchedule(s),
				Words:         scheduleWords(s),
				Author:        s.Author,
			}
			v.Revision = revisions[sqlite.Itoa(s.ID)]
			devices, err := f.in(tx, s.Group)
			if err != nil {
				return err
			}
			v.Devices = len(devices)
			if s.Basis == "age" {
				due, err := f.due(tx, s)
				if err != nil {
					return err
				}
				v.Due = len(due)
			} else if next, err := s.Calendar.Next(svc.Clock.Now(), f.settings.Zone); err == nil && !next.IsZero() {
				v.Next = next.Unix()
			}
			for _, o := range open {
				if o.Schedule == s.ID {
					v.Open++
				}
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

// Plan turns what is due into orders, and gives up what has not answered in time. A device has one open order at
// most: starts that were missed are made up for by one scan. What falls into a quiet span is shifted to its end. It
// returns how many orders it made.
func (svc *Collecting) Plan(ctx context.Context) (int, error) {
	made := 0
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		made = 0
		list, err := evidencedb.Schedules(tx)
		if err != nil {
			return err
		}
		open, err := evidencedb.OpenOrders(tx, nil)
		if err != nil {
			return err
		}
		if len(list) == 0 && len(open) == 0 {
			return nil
		}
		f, err := svc.loadFleet(tx)
		if err != nil {
			return err
		}
		busy := map[int64]bool{}
		for _, o := range open {
			if o.Lost(f.now) {
				if o.Order, err = o.Fail(f.now, "timed out"); err != nil {
					return err
				}
				o.Detail = "no answer came in time"
				if err := evidencedb.PutOrder(tx, o); err != nil {
					return err
				}
			}
			if o.State == schedule.Waiting || o.State == schedule.Running {
				busy[o.Device] = true
			}
		}
		at := map[int64]*snapshot.DeviceFacts{}
		for i := range f.devices {
			at[f.devices[i].ID] = &f.devices[i]
		}
		for i := range list {
			s := &list[i]
			if s.Paused {
				continue
			}
			due, err := f.due(tx, s)
			if err != nil {
				return err
			}
			ids := make([]int64, 0, len(due))
			for id := range due {
				ids = append(ids, id)
			}
			slices.Sort(ids)
			for _, id := range ids {
				if busy[id] {
					continue
				}
				start, ok := schedule.NextStart(time.Unix(f.now, 0), s.Quiet, f.settings.ZoneOf(at[id].Site))
				if !ok {
					continue
				}
				busy[id] = true
				made++
				if err := evidencedb.PutOrder(tx,
					evidencedb.ScanOrder{
						Device:   id,
						Schedule: s.ID,
						Why:      due[id],
						AskedAt:  f.now,
						Author:   "schedule",
						Order:    schedule.Order{State: schedule.Waiting, NotBefore: start.Unix()},
					}); err != nil {
					return err
				}
			}
			if s.Basis == "calendar" {
				if err := evidencedb.Considered(tx, s.ID, f.now); err != nil {
					return err
				}
			}
		}
		return nil
	})
	return made, err
}
