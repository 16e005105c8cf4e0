package app

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"ensomet/internal/core/policy"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"
)

// MeteringEffect says what a choice would change, over the installs that count on devices that report use.
type MeteringEffect struct {
	Now     int64    `json:"now" doc:"installs whose use is measured"`
	Then    int64    `json:"then"`
	Starts  int64    `json:"starts"`
	Stops   int64    `json:"stops"`
	Judged  int64    `json:"judged" doc:"of those that stop, the ones whose class of use is known today, and would no longer be"`
	Unknown bool     `json:"unknown" doc:"no program of the title asked for is known, so its use cannot be seen"`
	Samples []string `json:"samples" doc:"titles that most installs of start or stop"`
}

// PreviewMeter says what a choice would change, or the end of one.
func (a *App) PreviewMeter(ctx context.Context, d MeteringDraft, end int64) (MeteringEffect, error) {
	out := MeteringEffect{Samples: []string{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now().Unix()
		had, err := tx.MeteringsEver()
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
			m, err := a.meteringOf(tx, d, "")
			if err != nil {
				return err
			}
			m.ID = 1 << 60
			then = append(then, m)
		}
		s, err := loadSettings(tx)
		if err != nil {
			return err
		}
		before, err := meterBy(tx, &s, now, had)
		if err != nil {
			return err
		}
		after, err := meterBy(tx, &s, now, then)
		if err != nil {
			return err
		}
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		names, err := tx.AllUseNames()
		if err != nil {
			return err
		}
		seen := map[int64]bool{}
		for _, n := range names {
			seen[productOfUse(c, n)] = true
		}
		if p := c.Product(d.Product); p != nil && d.On {
			out.Unknown = !after.measurable(seen[p.ID], p, c)
		}
		list, err := tx.AllDevices(now)
		if err != nil {
			return err
		}
		devices := map[int64]*store.DeviceFacts{}
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
		err = tx.EachIdle(func(f store.IdleFact) error {
			dev, p := devices[f.Device], c.Product(f.Product)
			if dev == nil || p == nil {
				return nil
			}
			of := changes[f.Product]
			if of == nil {
				of = &change{title: policyTitle(p), name: p.Publisher + " " + p.Name, is: before.measurable(seen[p.ID], p, c), will: after.measurable(seen[p.ID], p, c)}
				changes[f.Product] = of
			}
			is := of.is && before.on(of.title, dev, a.Today())
			will := of.will && after.on(of.title, dev, a.Today())
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
