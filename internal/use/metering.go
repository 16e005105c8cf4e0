package use

import (
	"context"
	"fmt"
	"slices"

	"ensomet/internal/core/policy"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
	"ensomet/internal/used"
)

// MeteringDraft chooses titles that are metered on the devices of a group, or not.
type MeteringDraft struct {
	ID        int64 // 0 is a new one
	Revision  int64 // that was seen; a save on an older one is refused
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
	Says   MeteringDraft // as somebody would choose it who changes nothing
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
		list, err := used.Meterings(tx)
		if err != nil {
			return err
		}
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Metering)
		if err != nil {
			return err
		}
		for i := range list {
			m := &list[i]
			what, group := snapshot.ScopeWords(c, &m.Policy, m.PublisherName)
			says := draftOfMetering(m)
			says.Revision = revisions[sqlite.Itoa(m.ID)]
			out.Choices = append(
				out.Choices,
				MeteringView{m.ID, says, what, group, says.On, m.From.String(), m.Reason, m.Author, m.At},
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

func draftOfMetering(m *used.Metering) MeteringDraft {
	s := snapshot.ScopeOf(&m.Policy, m.PublisherName)
	return MeteringDraft{
		ID:        m.ID,
		Product:   s.Product,
		Publisher: s.Publisher,
		Category:  s.Category,
		Group:     s.Group,
		On:        m.Stance == policy.Metered,
		Note:      m.Reason,
	}
}

// meteringFields are what a person changes of a choice.
type meteringFields struct {
	Scope string
	On    bool
	Note  string
}

func (svc *Service) meteringFields(tx *sqlite.Tx, m *used.Metering) (*meteringFields, error) {
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return nil, err
	}
	what, group := snapshot.ScopeWords(c, &m.Policy, m.PublisherName)
	return &meteringFields{what + " on " + group, m.Stance == policy.Metered, m.Reason}, nil
}

// meteringNow reads a choice that holds.
func meteringNow(tx *sqlite.Tx, id int64) (*used.Metering, error) {
	list, err := used.Meterings(tx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(list, func(m used.Metering) bool { return m.ID == id })
	if i < 0 {
		return nil, sqlite.ErrNotFound
	}
	return &list[i], nil
}

// meteringOf checks a choice beside those there are. One that stays what it is but for its note goes on holding from
// the day it held from.
func (svc *Service) meteringOf(tx *sqlite.Tx, d MeteringDraft, who string) (used.Metering, error) {
	had, err := used.Meterings(tx)
	if err != nil {
		return used.Metering{}, err
	}
	m := used.Metering{
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
	i := slices.IndexFunc(had, func(was used.Metering) bool { return was.ID == d.ID })
	if d.ID != 0 && i < 0 {
		return m, sqlite.ErrNotFound
	}
	if i >= 0 {
		if m.ID = d.ID; sameChoice(&had[i], &m) {
			m.From = had[i].From
		}
		had = slices.Delete(had, i, i+1)
	}
	if len(had) == 0 && !d.On {
		return m, refuse.New(
			"everything is metered as long as nothing is chosen: choose first what is, then what is not",
		)
	}
	if len(had) == 0 && d.ID == 0 {
		m.From = 0 // it was metered all along, with everything else
	}
	return m, nil
}

// sameChoice reports whether two choices measure the same.
func sameChoice(a, b *used.Metering) bool {
	x, y := draftOfMetering(a), draftOfMetering(b)
	x.Note, y.Note = "", ""
	return x == y
}

// Meter chooses titles to be metered from today on, or changes a choice. Days before were not asked for, so they do not
// count as measured; what a choice was until today stays on record.
func (svc *Service) Meter(ctx context.Context, d MeteringDraft, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		m, err := svc.meteringOf(tx, d, who)
		if err != nil {
			return err
		}
		if d.ID != 0 {
			if err := svc.keepMetering(tx, d, &m, who); err != nil {
				return err
			}
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

// keepMetering keeps that a choice changes, and what it was until today.
func (svc *Service) keepMetering(tx *sqlite.Tx, d MeteringDraft, m *used.Metering, who string) error {
	now := svc.Clock.Now()
	old, err := meteringNow(tx, d.ID)
	if err != nil {
		return err
	}
	was, err := svc.meteringFields(tx, old)
	if err != nil {
		return err
	}
	is, err := svc.meteringFields(tx, m)
	if err != nil {
		return err
	}
	if _, err := edits.Save(tx, edits.Change{
		Thing: edits.Of(edits.Metering, d.ID),
		Seen:  d.Revision,
		Who:   who,
		At:    now,
		Was:   was,
		Is:    is,
	}); err != nil {
		return err
	}
	if sameChoice(old, m) {
		return nil
	}
	old.ID = 0
	id, err := usedb.PutMetering(tx, *old)
	if err != nil {
		return err
	}
	return usedb.EndMetering(tx, id, now.Unix(), who)
}

// EndMeter takes a choice back.
func (svc *Service) EndMeter(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		old, err := meteringNow(tx, id)
		if err != nil {
			return err
		}
		was, err := svc.meteringFields(tx, old)
		if err != nil {
			return err
		}
		if err := edits.End(tx, edits.Change{
			Thing: edits.Of(edits.Metering, id),
			Seen:  revision,
			Who:   who,
			At:    now,
			Was:   was,
		}); err != nil {
			return err
		}
		if err := usedb.EndMetering(tx, id, now.Unix(), who); err != nil {
			return err
		}
		if err := tx.Note(now, who, "took back what is metered", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return renewal.Mark(tx, false)
	})
}
