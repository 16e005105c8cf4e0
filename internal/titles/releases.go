package titles

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/lifecycle"
	"ensomet/internal/core/version"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// ReleaseFacts sums up the versions that were found, and the releases of the catalogue.
type ReleaseFacts struct {
	Versions []titlesdb.VersionFact
	Releases []titlesdb.ReleaseFact
}

// SumUpReleases says of each title how long it is supported and on how many devices it is and was a year ago.
func (svc *Catalogue) SumUpReleases(tx *sqlite.Tx, e *snapshot.Snapshot) (d ReleaseFacts, err error) {
	for _, f := range e.Ordered() {
		for _, s := range f.Versions {
			if s.Installs > 0 {
				d.Versions = append(
					d.Versions,
					titlesdb.VersionFact{
						Product:  f.Id,
						Edition:  s.Edition,
						Version:  s.Version,
						Title:    s.Title,
						Installs: s.Installs,
						Devices:  s.Devices,
						Stale:    s.Stale,
					},
				)
			}
		}
	}
	var dated []int64
	for _, p := range e.Catalogue.Products() {
		for i := range p.Titles {
			t := &p.Titles[i]
			general, last := snapshot.DatesOf(t).Bounds()
			r := titlesdb.ReleaseFact{Title: t.ID, GeneralUntil: general, EndOn: last}
			if s := e.Releases[t.ID]; s != nil {
				r.Installs, r.Devices, r.Stale = s.Installs, s.Devices, s.Stale
			}
			if last.Known() {
				dated = append(dated, t.ID)
			}
			d.Releases = append(d.Releases, r)
		}
	}
	before, err := titlesdb.DevicesOfTitles(tx, dated, e.AsOf.AddMonths(-12).EndUnix()-1)
	for i := range d.Releases {
		d.Releases[i].YearBefore = before[d.Releases[i].Title]
	}
	return d, err
}

// VersionView is a version of a product that was found, with what the catalogue knows of its release.
type VersionView struct {
	Edition   string
	Version   string
	Released  string // empty where the catalogue does not know it
	FirstSeen string // when it was first found on a device
	AgeDays   int    // since its release, or at least since it was first found
	AtLeast   bool   // the age is that since it was first found
	Phase     string // before, general, extended, ended, unknown
	EndOn     string // the last day of its support
	Devices   int64
	Stale     int64 // devices among them whose evidence is stale
	Installs  int64
	Listed    bool // the catalogue has it as a release of its own
}

// Versions lists the versions of a product that were found, newest first.
func (svc *Catalogue) Versions(ctx context.Context, product int64) ([]VersionView, error) {
	out := []VersionView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		p := c.Product(product)
		if p == nil {
			return sqlite.ErrNotFound
		}
		list, err := titlesdb.VersionsFound(tx, product)
		if err != nil {
			return err
		}
		today := svc.Snapshots.Today()
		for _, f := range list {
			v := VersionView{
				Edition:   f.Edition,
				Version:   f.Version,
				Devices:   f.Devices,
				Stale:     f.Stale,
				Installs:  f.Installs,
				FirstSeen: f.FirstSeen.String(),
				Phase:     string(lifecycle.Unknown),
				AgeDays:   int(today - f.FirstSeen),
				AtLeast:   true,
			}
			for i := range p.Titles {
				if t := &p.Titles[i]; t.ID == f.Title {
					dates := snapshot.DatesOf(t)
					v.Phase, v.Listed = string(dates.Phase(today)), t.Version != "" && t.Version == f.Version
					_, last := dates.Bounds()
					v.EndOn = last.String()
					if t.Released.Known() && v.Listed {
						v.Released, v.AgeDays, v.AtLeast = t.Released.String(), int(today-t.Released), false
					}
				}
			}
			out = append(out, v)
		}
		slices.SortFunc(out, func(x, y VersionView) int {
			if c := version.Compare(version.Dotted, y.Version, x.Version); c != 0 {
				return c
			}
			return strings.Compare(x.Edition, y.Edition)
		})
		return nil
	})
	return out, err
}

// LifeCycle is what is to be seen above the list of releases.
type LifeCycle struct {
	On     string
	Until  string // the end of the months that are looked at
	Months []MonthEnding
	Years  []lifecycle.Year
	Phases []PhaseCount
}

// MonthEnding is what ends in one month.
type MonthEnding struct {
	Month    string // YYYY-MM
	General  int64  // devices that have a release whose general support ends, while extended support goes on
	Last     int64  // devices that have a release whose last support ends
	Releases int
}

// PhaseCount counts what was found in one phase.
type PhaseCount struct {
	Phase    string // before, general, extended, ended, unknown
	Releases int
	Devices  int64 // counted for each release
}

// LifeCycle sums up the releases that were found, on a day (unknown is today) and for the months after it.
func (svc *Catalogue) LifeCycle(ctx context.Context, on civil.Day, months int) (LifeCycle, error) {
	if !on.Known() {
		on = svc.Snapshots.Today()
	}
	until := civil.MustParse(on.AddMonths(months).String()[:7]+"-01").AddMonths(1) - 1 // whole months
	out := LifeCycle{
		On:     on.String(),
		Until:  until.String(),
		Months: []MonthEnding{},
		Years:  []lifecycle.Year{},
		Phases: []PhaseCount{},
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		facts, err := titlesdb.ReleaseFacts(tx)
		if err != nil {
			return err
		}
		byMonth, byPhase := map[string]*MonthEnding{}, map[lifecycle.Phase]*PhaseCount{}
		for m := range months + 1 {
			month := on.AddMonths(m).String()[:7]
			out.Months = append(out.Months, MonthEnding{Month: month})
		}
		for i := range out.Months {
			byMonth[out.Months[i].Month] = &out.Months[i]
		}
		for _, phase := range []lifecycle.Phase{lifecycle.General, lifecycle.Extended, lifecycle.Ended,
			lifecycle.Unknown, lifecycle.Before} {
			out.Phases = append(out.Phases, PhaseCount{Phase: string(phase)})
		}
		for i := range out.Phases {
			byPhase[lifecycle.Phase(out.Phases[i].Phase)] = &out.Phases[i]
		}
		var fleet []lifecycle.Fleet
		for _, p := range c.Products() {
			for i := range p.Titles {
				f := facts[p.Titles[i].ID]
				devices := f.Devices
				if devices == 0 && f.YearBefore == 0 {
					continue
				}
				dates := snapshot.DatesOf(&p.Titles[i])
				fleet = append(fleet, lifecycle.Fleet{Dates: dates, Devices: devices, YearBefore: f.YearBefore})
				if devices == 0 {
					continue
				}
				in := byPhase[dates.Phase(on)]
				in.Releases++
				in.Devices += devices
				for _, change := range dates.Changes() {
					if change.On < on || change.On > until {
						continue
					}
					m := byMonth[change.On.String()[:7]]
					m.Releases++
					if _, last := dates.Bounds(); change.On == last {
						m.Last += devices
					} else {
						m.General += devices
					}
				}
			}
		}
		out.Years = lifecycle.Years(fleet)
		return nil
	})
	return out, err
}

// Releases reads a page of the releases that were found or whose dates are known. The filter on asks for another day
// than today.
func (svc *Catalogue) Releases(q *sqlite.ListQuery) (*sqlite.List[titlesdb.ReleaseRow], error) {
	on := svc.Snapshots.Today()
	if v, asked := q.Filters["on"]; asked {
		day, err := civil.Parse(v)
		if err != nil {
			return nil, &sqlite.ErrQuery{Reason: err.Error()}
		}
		on = day
		delete(q.Filters, "on")
	}
	list := titlesdb.ReleaseList(on)
	list.Fill = func(*sqlite.Tx) (func(*titlesdb.ReleaseRow), error) {
		return func(r *titlesdb.ReleaseRow) {
			if r.Plan != "" {
				p := lifecycle.Progress{Then: r.Then, Left: r.Devices, Due: r.Due}
				r.PlanState, r.Done = p.State(on), fmt.Sprintf("%.0f %%", 100*p.Share())
			}
		}, nil
	}
	return list, nil
}
