package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"
)

// pause is how many days may lie between two reports of use for those between to be measured: what ran in them would stand in the later report. After a longer silence nobody knows what it hides.
const pause = 14

// loadMeasured reads on which days each device was measured at all.
func loadMeasured(tx *store.Tx, until civil.Day) (map[int64][]usage.Span, error) {
	out := map[int64][]usage.Span{}
	var of int64
	var days []civil.Day
	flush := func() {
		if len(days) > 0 {
			out[of] = usage.Measured(days, pause)
			days = days[:0]
		}
	}
	err := tx.EachUseSeen(until, func(device int64, day civil.Day) error {
		if device != of {
			flush()
			of = device
		}
		days = append(days, day)
		return nil
	})
	flush()
	return out, err
}

// meter says which titles are metered on which devices.
type meter struct {
	list       []store.Metering
	policies   []policy.Policy
	conditions *conditionFacts
}

func loadMeter(tx *store.Tx, settings *Settings, now int64) (*meter, error) {
	m := &meter{}
	var err error
	if m.list, err = tx.Meterings(); err != nil || len(m.list) == 0 {
		return m, err
	}
	var conditions []condition.Condition
	for i := range m.list {
		m.policies = append(m.policies, m.list[i].Policy)
		conditions = append(conditions, m.list[i].Group)
	}
	m.conditions, err = loadConditions(tx, settings, now, conditions)
	return m, err
}

// all reports whether everything is metered, since nobody has chosen.
func (m *meter) all() bool { return len(m.list) == 0 }

// from is the day from which a title is metered on a device, or false where it is not.
func (m *meter) from(t policy.Title, d *store.DeviceFacts) (civil.Day, bool) {
	if m.all() {
		return 0, true
	}
	p := policy.Decide(m.policies, t, m.conditions.of(d))
	if p == nil || p.Stance != policy.Metered {
		return 0, false
	}
	i := slices.IndexFunc(m.list, func(x store.Metering) bool { return x.ID == p.ID })
	return m.list[i].From, true
}

// spans are the days on which a device was measured for a title.
func (m *meter) spans(f *productFacts, d *store.DeviceFacts, measured []usage.Span) []usage.Span {
	from, on := m.from(f.policyTitle, d)
	if !on {
		return nil
	}
	var out []usage.Span
	for _, s := range measured {
		if s.From = max(s.From, from); s.From <= s.To {
			out = append(out, s)
		}
	}
	return out
}

// MeteringDraft chooses titles that are metered on the devices of a group, or not.
type MeteringDraft struct {
	Product   int64  `json:"product"`
	Publisher string `json:"publisher"`
	Category  string `json:"category"`
	Group     string `json:"group"`
	On        bool   `json:"on" doc:"false leaves them out of a wider choice"`
	Note      string `json:"note"`
}

// MeteringView is a choice in words.
type MeteringView struct {
	ID     int64  `json:"id"`
	What   string `json:"what"`
	Group  string `json:"group"`
	On     bool   `json:"on"`
	From   string `json:"from"`
	Note   string `json:"note"`
	Author string `json:"author"`
	At     int64  `json:"at"`
}

// Metered says what is measured and how long it is kept.
type Metered struct {
	Choices     []MeteringView `json:"choices" doc:"none is that every title is metered on every device that reports use"`
	Devices     int64          `json:"devices" doc:"that have ever reported use"`
	InService   int64          `json:"inService"`
	Sessions    int64          `json:"sessions" doc:"runs that are kept"`
	Events      int64          `json:"events" doc:"raw events that are kept"`
	Days        int64          `json:"days" doc:"days of use that are kept"`
	FirstDay    string         `json:"firstDay" doc:"the first of them"`
	Starts      int64          `json:"starts" doc:"runs that raw events spoke of"`
	Lost        int64          `json:"lost" doc:"of them, those that were not seen whole"`
	Future      int64          `json:"future" doc:"events whose clock is ahead: they wait for their time"`
	EventDays   int            `json:"eventDays"`
	SessionDays int            `json:"sessionDays"`
	DayDays     int            `json:"dayDays"`
}

// Metering lists what is metered.
func (a *App) Metering(ctx context.Context) (Metered, error) {
	out := Metered{Choices: []MeteringView{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, err := tx.Meterings()
		if err != nil {
			return err
		}
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		for i := range list {
			m := &list[i]
			what := strings.TrimSpace(m.PublisherName + " " + m.Category)
			if pr := c.Product(m.Product); pr != nil {
				what = pr.Publisher + " " + pr.Name
			}
			group := m.GroupName
			if group == "" {
				group = "all devices"
			}
			out.Choices = append(out.Choices, MeteringView{m.ID, what, group, m.Stance == policy.Metered, m.From.String(), m.Reason, m.Author, m.At})
		}
		kept, err := tx.CountUse()
		if err != nil {
			return err
		}
		out.Devices, out.InService, out.Sessions, out.Events, out.Days = kept.Devices, kept.InService, kept.Sessions, kept.Events, kept.Days
		if kept.First.Known() {
			out.FirstDay = kept.First.String()
		}
		lost, err := tx.UseLostOf(0)
		if err != nil {
			return err
		}
		out.Starts, out.Lost, out.Future = lost.Starts+lost.Strays, lost.Strays+lost.Cut, lost.Future
		s, err := loadSettings(tx)
		out.EventDays, out.SessionDays, out.DayDays = s.EventDays, s.SessionDays, s.DayDays
		return err
	})
	return out, err
}

// Meter chooses titles to be metered from today on. Days before were not asked for, so they do not count as measured.
func (a *App) Meter(ctx context.Context, d MeteringDraft, who string) error {
	if d.Product == 0 && d.Publisher == "" && d.Category == "" {
		return errors.New("say what is metered: a title, a category or a publisher")
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		m := store.Metering{Policy: policy.Policy{Product: d.Product, Category: d.Category, GroupName: d.Group, Stance: policy.NotMetered, Reason: d.Note}, PublisherName: d.Publisher, From: a.Today(), Author: who, At: now.Unix()}
		if d.On {
			m.Stance = policy.Metered
		}
		var err error
		if d.Group != "" {
			if m.Group, err = groupByName(tx, d.Group); err != nil {
				return err
			}
		}
		had, err := tx.Meterings()
		if err != nil {
			return err
		}
		if len(had) == 0 && !d.On {
			return errors.New("everything is metered as long as nothing is chosen: choose first what is, then what is not")
		}
		if len(had) == 0 {
			m.From = 0 // it was metered all along, with everything else
		}
		if _, err := tx.PutMetering(m); err != nil {
			return err
		}
		if err := tx.Note(now, who, "chose what is metered", fmt.Sprint(d.Product, d.Publisher, d.Category), d.Group); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}

// EndMeter takes a choice back.
func (a *App) EndMeter(ctx context.Context, id int64, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		if err := tx.EndMetering(id, now.Unix(), who); err != nil {
			return err
		}
		if err := tx.Note(now, who, "took back what is metered", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}
