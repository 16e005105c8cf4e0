package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/lifecycle"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/version"
	"ensomet/internal/store"
)

// releaseFacts sums up the versions that were found, and the releases of the catalogue.
type releaseFacts struct {
	versions []store.VersionFact
	releases []store.ReleaseFact
}

// versionCount counts the versions of a product that were found.
func (f *productFacts) versionCount() int64 {
	different := map[string]bool{}
	for _, s := range f.versions {
		if s.installs > 0 {
			different[s.version] = true
		}
	}
	return int64(len(different))
}

func datesOf(t *recognise.Title) lifecycle.Dates {
	return lifecycle.Dates{Released: t.Released, General: t.GeneralEnd, Extended: t.ExtendedEnd, End: t.EndOfLife}
}

// sumUpReleases says of each title how long it is supported and on how many devices it is, was a year ago, and runs as their operating system.
func (a *App) sumUpReleases(tx *store.Tx, e *estate) (d releaseFacts, err error) {
	for _, f := range e.ordered() {
		for _, s := range f.versions {
			if s.installs > 0 {
				d.versions = append(d.versions, store.VersionFact{Product: f.id, Edition: s.edition, Version: s.version, Title: s.title, Installs: s.installs, Devices: s.devices, Stale: s.stale})
			}
		}
	}
	systems, err := a.operatingSystems(tx)
	if err != nil {
		return d, err
	}
	var dated []int64
	for _, p := range e.catalogue.Products() {
		for i := range p.Titles {
			t := &p.Titles[i]
			general, last := datesOf(t).Bounds()
			r := store.ReleaseFact{Title: t.ID, GeneralUntil: general, EndOn: last, Systems: systems[t.ID]}
			if s := e.releases[t.ID]; s != nil {
				r.Installs, r.Devices, r.Stale = s.installs, s.devices, s.stale
			}
			if last.Known() {
				dated = append(dated, t.ID)
			}
			d.releases = append(d.releases, r)
		}
	}
	before, err := tx.DevicesOfTitles(dated, e.asOf.AddMonths(-12).EndUnix()-1)
	for i := range d.releases {
		d.releases[i].YearBefore = before[d.releases[i].Title]
	}
	return d, err
}

// operatingSystems counts the devices in service that run each title as their operating system, which is recognised like any other name.
func (a *App) operatingSystems(tx *store.Tx) (map[int64]int64, error) {
	k, err := a.know(tx)
	if err != nil {
		return nil, err
	}
	systems, err := tx.OperatingSystems()
	if err != nil {
		return nil, err
	}
	w := k.recogniser().Worker()
	out := map[int64]int64{}
	for _, s := range systems {
		if res, _ := w.Decide(&recognise.Record{Name: s.Name, Version: s.Version}); res.Title != 0 {
			out[res.Title] += s.Devices
		}
	}
	return out, nil
}

// VersionView is a version of a product that was found, with what the catalogue knows of its release.
type VersionView struct {
	Edition   string `json:"edition"`
	Version   string `json:"version"`
	Released  string `json:"released" doc:"empty where the catalogue does not know it"`
	FirstSeen string `json:"firstSeen" doc:"when it was first found on a device"`
	AgeDays   int    `json:"ageDays" doc:"since its release, or at least since it was first found"`
	AtLeast   bool   `json:"atLeast" doc:"the age is that since it was first found"`
	Phase     string `json:"phase" enum:"before,general,extended,ended,unknown"`
	EndOn     string `json:"endOn" doc:"the last day of its support"`
	Devices   int64  `json:"devices"`
	Stale     int64  `json:"stale" doc:"devices among them whose evidence is stale"`
	Installs  int64  `json:"installs"`
	Listed    bool   `json:"listed" doc:"the catalogue has it as a release of its own"`
}

// Versions lists the versions of a product that were found, newest first.
func (a *App) Versions(ctx context.Context, product int64) ([]VersionView, error) {
	out := []VersionView{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		p := c.Product(product)
		if p == nil {
			return store.ErrNotFound
		}
		list, err := tx.VersionsFound(product)
		if err != nil {
			return err
		}
		today := a.Today()
		for _, f := range list {
			v := VersionView{Edition: f.Edition, Version: f.Version, Devices: f.Devices, Stale: f.Stale, Installs: f.Installs, FirstSeen: f.FirstSeen.String(), Phase: string(lifecycle.Unknown), AgeDays: int(today - f.FirstSeen), AtLeast: true}
			for i := range p.Titles {
				if t := &p.Titles[i]; t.ID == f.Title {
					dates := datesOf(t)
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
	On     string           `json:"on"`
	Until  string           `json:"until" doc:"the end of the months that are looked at"`
	Months []MonthEnding    `json:"months"`
	Years  []lifecycle.Year `json:"years"`
	Phases []PhaseCount     `json:"phases"`
}

// MonthEnding is what ends in one month.
type MonthEnding struct {
	Month    string `json:"month" doc:"YYYY-MM"`
	General  int64  `json:"general" doc:"devices that have a release whose general support ends, while extended support goes on"`
	Last     int64  `json:"last" doc:"devices that have a release whose last support ends"`
	Releases int    `json:"releases"`
}

// PhaseCount counts what was found in one phase.
type PhaseCount struct {
	Phase    string `json:"phase" enum:"before,general,extended,ended,unknown"`
	Releases int    `json:"releases"`
	Devices  int64  `json:"devices" doc:"counted for each release"`
}

// LifeCycle sums up the releases that were found, on a day (unknown is today) and for the months after it.
func (a *App) LifeCycle(ctx context.Context, on civil.Day, months int) (LifeCycle, error) {
	if !on.Known() {
		on = a.Today()
	}
	until := civil.MustParse(on.AddMonths(months).String()[:7]+"-01").AddMonths(1) - 1 // whole months
	out := LifeCycle{On: on.String(), Until: until.String(), Months: []MonthEnding{}, Years: []lifecycle.Year{}, Phases: []PhaseCount{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		facts, err := tx.ReleaseFacts()
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
		for _, phase := range []lifecycle.Phase{lifecycle.General, lifecycle.Extended, lifecycle.Ended, lifecycle.Unknown, lifecycle.Before} {
			out.Phases = append(out.Phases, PhaseCount{Phase: string(phase)})
		}
		for i := range out.Phases {
			byPhase[lifecycle.Phase(out.Phases[i].Phase)] = &out.Phases[i]
		}
		var fleet []lifecycle.Fleet
		for _, p := range c.Products() {
			for i := range p.Titles {
				f := facts[p.Titles[i].ID]
				devices := f.Devices + f.Systems
				if devices == 0 && f.YearBefore == 0 {
					continue
				}
				dates := datesOf(&p.Titles[i])
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

// Releases reads a page of the releases that were found or whose dates are known. The filter on asks for another day than today.
func (a *App) Releases(ctx context.Context, q store.ListQuery) (store.Page[store.ReleaseRow], error) {
	on := a.Today()
	filters := map[string]string{}
	for name, v := range q.Filters {
		if name != "on" {
			filters[name] = v
			continue
		}
		day, err := civil.Parse(v)
		if err != nil {
			return store.Page[store.ReleaseRow]{}, &store.ErrQuery{Reason: err.Error()}
		}
		on = day
	}
	q.Filters = filters
	var page store.Page[store.ReleaseRow]
	err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		page, err = tx.ReleasePage(q, on)
		for i := range page.Rows {
			r := &page.Rows[i]
			if r.Plan != "" {
				p := lifecycle.Progress{Then: r.Then, Left: r.Devices, Due: r.Due}
				r.PlanState, r.Done = p.State(on), fmt.Sprintf("%.0f %%", 100*p.Share())
			}
		}
		return err
	})
	return page, err
}
