package use

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"ensomet/internal/core/policy"
	"ensomet/internal/core/usage"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
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
		now := svc.Clock.Now().Unix()
		had, err := snapshot.MeteringsEver(tx)
		if err != nil {
			return err
		}
		then := slices.Clone(had)
		for i := range then {
			if then[i].ID == end {
				then[i].EndedAt = now
			}
		}
		if end == 0 {
			m, err := svc.meteringOf(tx, d, "")
			if err != nil {
				return err
			}
			m.ID = 1 << 60
			then = append(then, m)
		}
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		before, err := snapshot.MeterBy(tx, &s, now, had)
		if err != nil {
			return err
		}
		after, err := snapshot.MeterBy(tx, &s, now, then)
		if err != nil {
			return err
		}
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		names, err := snapshot.AllUseNames(tx)
		if err != nil {
			return err
		}
		seen := map[int64]bool{}
		for _, n := range names {
			seen[snapshot.ProductOfUse(c, n)] = true
		}
		if p := c.Product(d.Product); p != nil && d.On {
			out.Unknown = !after.Measurable(seen[p.ID], p, c)
		}
		list, err := snapshot.AllDevices(tx, now)
		if err != nil {
			return err
		}
		devices := map[int64]*snapshot.DeviceFacts{}
		for i := range list {
			if list[i].UseSeen > 0 {
				devices[list[i].ID] = &list[i]
			}
		}
		type change struct { // of one product
			title         policy.Title
			name          string
			is, will      bool // its use can be seen
			starts, stops int64
		}
		changes := map[int64]*change{}
		err = snapshot.EachIdle(tx, func(f snapshot.IdleFact) error {
			dev, p := devices[f.Device], c.Product(f.Product)
			if dev == nil || p == nil {
				return nil
			}
			of := changes[f.Product]
			if of == nil {
				of = &change{
					title: snapshot.PolicyTitle(p),
					name:  p.Publisher + " " + p.Name,
					is:    before.Measurable(seen[p.ID], p, c),
					will:  after.Measurable(seen[p.ID], p, c),
				}
				changes[f.Product] = of
			}
			is := of.is && before.On(of.title, dev, svc.Snapshots.Today())
			will := of.will && after.On(of.title, dev, svc.Snapshots.Today())
			if is {
				out.Now++
			}
			if will {
				out.Then++
			}
			if is == will {
				return nil
			}
			if will {
				out.Starts++
				of.starts++
				return nil
			}
			out.Stops++
			of.stops++
			if f.Class != string(usage.NotMeasured) {
				out.Judged++
			}
			return nil
		})
		if err != nil {
			return err
		}
		most := slices.SortedFunc(maps.Values(changes), func(x, y *change) int {
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
			out.Samples = append(out.Samples, text)
		}
		return nil
	})
	return out, err
}
