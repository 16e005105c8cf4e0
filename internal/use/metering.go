package use

import (
	"context"
	"fmt"

	"ensomet/internal/core/policy"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
)

// MeteringDraft chooses titles that are metered on the devices of a group, or not.
type MeteringDraft struct {
	Product   int64
	Publisher string
	Category  string
	Group     string
	On        bool // false leaves them out of a wider choice
	Note      string
}

// MeteringView is a choice in words.
type MeteringView struct {
	ID     int64
	What   string
	Group  string
	On     bool
	From   string
	Note   string
	Author string
	At     int64
}

// Metered says what is measured and how long it is kept.
type Metered struct {
	Choices     []MeteringView // none is that every title is metered on every device that reports use
	Devices     int64          // that have ever reported use
	InService   int64
	Sessions    int64  // runs that are kept
	Events      int64  // raw events that are kept
	Days        int64  // days of use that are kept
	FirstDay    string // the first of them
	Starts      int64  // runs that raw events spoke of
	Lost        int64  // of them, those that were not seen whole
	Future      int64  // events whose clock is ahead: they wait for their time
	Revision    int64  // of how long use is kept
	EventDays   int
	SessionDays int
	DayDays     int
}

// Metering lists what is metered.
func (svc *Service) Metering(ctx context.Context) (Metered, error) {
	out := Metered{Choices: []MeteringView{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := snapshot.Meterings(tx)
		if err != nil {
			return err
		}
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		for i := range list {
			m := &list[i]
			what, group := snapshot.ScopeWords(c, &m.Policy, m.PublisherName)
			out.Choices = append(
				out.Choices,
				MeteringView{m.ID, what, group, m.Stance == policy.Metered, m.From.String(), m.Reason, m.Author, m.At},
			)
		}
		kept, err := usedb.CountUse(tx)
		if err != nil {
			return err
		}
		out.Devices, out.InService, out.Sessions, out.Events, out.Days = kept.Devices, kept.InService, kept.Sessions,
			kept.Events, kept.Days
		if kept.First.Known() {
			out.FirstDay = kept.First.String()
		}
		lost, err := usedb.UseLostOf(tx, 0)
		if err != nil {
			return err
		}
		out.Starts, out.Lost, out.Future = lost.Starts+lost.Strays, lost.Strays+lost.Cut, lost.Future
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		out.EventDays, out.SessionDays, out.DayDays = s.EventDays, s.SessionDays, s.DayDays
		if out.Revision, err = edits.Revision(tx, edits.Thing{Kind: edits.KeptUse}); err != nil {
			return err
		}
		return err
	})
	return out, err
}

// meteringOf checks a choice beside those there are.
func (svc *Service) meteringOf(tx *sqlite.Tx, d MeteringDraft, who string) (snapshot.Metering, error) {
	had, err := snapshot.Meterings(tx)
	if err != nil {
		return snapshot.Metering{}, err
	}
	m := snapshot.Metering{
		PublisherName: d.Publisher,
		From:          svc.Snapshots.Today(),
		Author:        who,
		At:            svc.Clock.Now().Unix(),
	}
	stance := policy.NotMetered
	if d.On {
		stance = policy.Metered
	}
	scope := snapshot.Scope{Product: d.Product, Publisher: d.Publisher, Category: d.Category, Group: d.Group}
	if m.Policy, err = scope.Policy(tx, stance, d.Note); err != nil {
		return m, err
	}
	if len(had) == 0 && !d.On {
		return m, refuse.New(
			"everything is metered as long as nothing is chosen: choose first what is, then what is not",
		)
	}
	if len(had) == 0 {
		m.From = 0 // it was metered all along, with everything else
	}
	return m, nil
}

// Meter chooses titles to be metered from today on. Days before were not asked for, so they do not count as measured.
func (svc *Service) Meter(ctx context.Context, d MeteringDraft, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		m, err := svc.meteringOf(tx, d, who)
		if err != nil {
			return err
		}
		if _, err := usedb.PutMetering(tx, m); err != nil {
			return err
		}
		if err := tx.Note(now, who, "chose what is metered", fmt.Sprint(d.Product, d.Publisher, d.Category),
			d.Group); err != nil {
			return err
		}
		return renewal.Mark(tx, false)
	})
}

// EndMeter takes a choice back.
func (svc *Service) EndMeter(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if err := usedb.EndMetering(tx, id, now.Unix(), who); err != nil {
			return err
		}
		if err := tx.Note(now, who, "took back what is metered", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return renewal.Mark(tx, false)
	})
}
