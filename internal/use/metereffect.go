package use

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/usage"
	"ensomet/internal/facts"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/used"
)

// MeteringEffect says what a choice would change, over the installs that count on devices that report use.
type MeteringEffect struct {
	Now     int64 // installs whose use is measured
	Then    int64
	Starts  int64
	Stops   int64
	Judged  int64    // of those that stop, the ones whose class of use is known today, and would no longer be
	Unknown bool     // no program of the title asked for is known, so its use cannot be seen
	Samples []string // titles that most installs of start or stop
}

// PreviewMeter says what a choice would change, or the end of one.
func (svc *Service) PreviewMeter(ctx context.Context, d MeteringDraft, end int64) (MeteringEffect, error) {
	out := MeteringEffect{Samples: []string{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		m, err := svc.meterChange(tx, d, end)
		if err != nil {
			return err
		}
		if p := m.catalogue.Product(d.Product); p != nil && d.On {
			out.Unknown = !m.after.Measurable(m.seen[p.ID], p, m.catalogue)
		}
		changes := map[int64]*meterChangeOf{}
		err = facts.EachIdle(tx, func(f snapshot.IdleFact) error {
			dev, p := m.devices[f.Device], m.catalogue.Product(f.Product)
			if dev == nil || p == nil {
				return nil
			}
			if changes[f.Product] == nil {
				changes[f.Product] = m.of(p)
			}
			is, will := m.on(changes[f.Product], dev)
			out.add(changes[f.Product], is, will, f.Class)
			return nil
		})
		out.Samples = append(out.Samples, samples(changes)...)
		return err
	})
	return out, err
}

// meterChange is what is measured today, and what would be with a choice more or one less.
type meterChange struct {
	before, after *snapshot.Meter
	catalogue     *recognise.Catalogue
	seen          map[int64]bool                  // products of which a program is known
	devices       map[int64]*snapshot.DeviceFacts // that report use
	today         civil.Day
}

// meterChangeOf is what it changes for one product.
type meterChangeOf struct {
	title         policy.Title
	name          string
	is, will      bool // its use can be seen
	starts, stops int64
}

// meterChange reads what is measured, and lays a choice over it, or the end of one.
func (svc *Service) meterChange(tx *sqlite.Tx, d MeteringDraft, end int64) (*meterChange, error) {
	now := svc.Clock.Now().Unix()
	m := &meterChange{
		seen:    map[int64]bool{},
		devices: map[int64]*snapshot.DeviceFacts{},
		today:   svc.Snapshots.Today(),
	}
	had, err := used.MeteringsEver(tx)
	if err != nil {
		return nil, err
	}
	then := slices.Clone(had)
	for i := range then {
		if then[i].ID == end || d.ID != 0 && then[i].ID == d.ID {
			then[i].EndedAt = now
		}
	}
	if end == 0 {
		one, err := svc.meteringOf(tx, d, "")
		if err != nil {
			return nil, err
		}
		one.ID = 1 << 60
		then = append(then, one)
	}
	s, err := snapshot.LoadSettings(tx)
	if err != nil {
		return nil, err
	}
	if m.before, err = snapshot.MeterBy(tx, &s, now, had); err != nil {
		return nil, err
	}
	if m.after, err = snapshot.MeterBy(tx, &s, now, then); err != nil {
		return nil, err
	}
	if m.catalogue, err = svc.Snapshots.Catalogue(tx); err != nil {
		return nil, err
	}
	names, err := used.Names(tx)
	if err != nil {
		return nil, err
	}
	for _, n := range names {
		m.seen[snapshot.ProductOfUse(m.catalogue, n)] = true
	}
	list, err := snapshot.AllDevices(tx, now)
	for i := range list {
		if list[i].UseSeen > 0 {
			m.devices[list[i].ID] = &list[i]
		}
	}
	return m, err
}

func (m *meterChange) of(p *recognise.Product) *meterChangeOf {
	return &meterChangeOf{
		title: snapshot.PolicyTitle(p),
		name:  p.Publisher + " " + p.Name,
		is:    m.before.Measurable(m.seen[p.ID], p, m.catalogue),
		will:  m.after.Measurable(m.seen[p.ID], p, m.catalogue),
	}
}

// on says whether a product is measured on a device, and whether it would be.
func (m *meterChange) on(of *meterChangeOf, dev *snapshot.DeviceFacts) (is, will bool) {
	return of.is && m.before.On(of.title, dev, m.today), of.will && m.after.On(of.title, dev, m.today)
}

// add counts an install whose use is measured, or would be.
func (e *MeteringEffect) add(of *meterChangeOf, is, will bool, class string) {
	if is {
		e.Now++
	}
	if will {
		e.Then++
	}
	switch {
	case is == will:
	case will:
		e.Starts++
		of.starts++
	default:
		e.Stops++
		of.stops++
		if class != string(usage.NotMeasured) {
			e.Judged++
		}
	}
}

// samples says of which titles most installs start or stop.
func samples(changes map[int64]*meterChangeOf) (out []string) {
	most := slices.SortedFunc(maps.Values(changes), func(x, y *meterChangeOf) int {
		return cmp.Or(cmp.Compare(y.starts+y.stops, x.starts+x.stops), cmp.Compare(x.name, y.name))
	})
	for _, of := range most[:min(len(most), 6)] {
		if of.starts+of.stops == 0 {
			break
		}
		text := fmt.Sprintf("%s −%d", of.name, of.stops)
		if of.starts > 0 {
			text = fmt.Sprintf("%s +%d", of.name, of.starts)
		}
		out = append(out, text)
	}
	return out
}
