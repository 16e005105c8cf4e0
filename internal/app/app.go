// Package app has the use cases: it loads, calls the core and stores, each in one transaction.
package app

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"sync"
	"time"

	"ensomet/internal/clock"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/formats"
	"ensomet/internal/progress"
	"ensomet/internal/secret"
	"ensomet/internal/store"
)

// App joins the core with storage and the outside.
type App struct {
	DB       *store.DB
	Clock    clock.Clock
	Secret   secret.File
	Progress *progress.Board
	Deploy   DeploymentTool // nil where none is connected
	Mail     Mailer         // nil where none is connected
	Demo     bool

	numbers  *store.Cache
	made     madeOnce
	machines keptMachines

	refreshing  sync.Mutex
	dispatching sync.Mutex
	status      renewal
}

// New makes an application on an open file. It is closed before the file is.
func New(db *store.DB, clock clock.Clock) *App {
	a := &App{DB: db, Clock: clock, Secret: secret.Beside(db.Path), Progress: &progress.Board{}, numbers: store.NewCache()}
	a.status.ctx, a.status.end = context.WithCancel(context.Background())
	a.status.woken = make(chan struct{}, 1)
	db.OnChange(a.wake)
	return a
}

// Settings are the numbers that rules use, with their defaults.
type Settings struct {
	FreshDays   int                       // evidence older than this is stale, where Limits says nothing else
	Limits      evidence.Limits           // days after which evidence is stale, by kind of device and of evidence
	UseWindow   int                       // days that classes of use look at
	DemandDays  int                       // days in which use makes a named user
	LeastShare  float64                   // of the window that must be measured
	EventDays   int                       // how long events of processes are kept
	SessionDays int                       // how long runs of programs are kept
	DayDays     int                       // how long days of use are kept
	GraceDays   int                       // an install younger than this is not proposed for reclaim
	Zones       map[string]*time.Location // by site
	Zone        *time.Location            // where a site has none of its own
}

func loadSettings(tx *store.Tx) (Settings, error) {
	s := Settings{FreshDays: 30, UseWindow: 90, DemandDays: 30, LeastShare: 0.8, GraceDays: 30, EventDays: 14, SessionDays: 90, DayDays: 800, Zones: map[string]*time.Location{}, Zone: time.UTC}
	var err error
	for key, into := range map[string]*int{"fresh_days": &s.FreshDays, "use_window": &s.UseWindow, "grace_days": &s.GraceDays, "event_days": &s.EventDays, "session_days": &s.SessionDays, "day_days": &s.DayDays} {
		v, err := tx.Setting(key)
		if err != nil {
			return s, err
		}
		if n, bad := strconv.Atoi(v); bad == nil && n >= 0 {
			*into = n
		}
	}
	if s.Limits, err = tx.Limits(); err != nil {
		return s, err
	}
	for _, k := range evidence.Kinds {
		if _, set := s.Limits[""][k]; !set {
			s.Limits[""][k] = s.FreshDays
		}
	}
	zones, err := tx.SiteZones()
	if err != nil {
		return s, err
	}
	for site, name := range zones {
		loc, err := time.LoadLocation(name)
		if err != nil {
			return s, fmt.Errorf("the zone %q of site %q is not known: %w", name, site, err)
		}
		s.Zones[site] = loc
	}
	return s, nil
}

// Rules are the numbers that people may set.
type Rules struct {
	FreshDays int     `json:"freshDays" minimum:"1" maximum:"1000" doc:"evidence older than this is stale, where limits say nothing else"`
	UseWindow int     `json:"useWindow" minimum:"7" maximum:"1000" doc:"days that classes of use look at"`
	GraceDays int     `json:"graceDays" minimum:"0" maximum:"1000" doc:"an install younger than this is not proposed for reclaim"`
	Limits    []Limit `json:"limits,omitempty" doc:"none leaves them as they are"`
}

// Limit is after how many days a kind of evidence on a kind of device is stale. An empty kind of device is every one that has no limit of its own.
type Limit struct {
	Device   string `json:"device"`
	Evidence string `json:"evidence" enum:"software,hardware,use,directory"`
	Days     int    `json:"days" minimum:"1" maximum:"1000"`
}

// Rules returns the numbers in force.
func (a *App) Rules(ctx context.Context) (Rules, error) {
	var out Rules
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		s, err := loadSettings(tx)
		if err != nil {
			return err
		}
		out = Rules{s.FreshDays, s.UseWindow, s.GraceDays, []Limit{}}
		set, err := tx.Limits()
		for device, by := range set {
			for kind, days := range by {
				out.Limits = append(out.Limits, Limit{device, string(kind), days})
			}
		}
		slices.SortFunc(out.Limits, func(a, b Limit) int {
			return cmp.Or(cmp.Compare(a.Device, b.Device), cmp.Compare(a.Evidence, b.Evidence))
		})
		return err
	})
	return out, err
}

// SetRules sets the numbers and marks everything that rests on them to be computed again.
func (a *App) SetRules(ctx context.Context, r Rules, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		s, err := loadSettings(tx)
		if err != nil {
			return err
		}
		s.UseWindow = r.UseWindow
		if err := s.keepsEnough(); err != nil {
			return err
		}
		for key, n := range map[string]int{"fresh_days": r.FreshDays, "use_window": r.UseWindow, "grace_days": r.GraceDays} {
			if err := tx.SetSetting(key, strconv.Itoa(n)); err != nil {
				return err
			}
		}
		if r.Limits != nil {
			if err := setLimits(tx, r.Limits); err != nil {
				return err
			}
		}
		if err := tx.Note(a.Clock.Now(), who, "set the rules", "", fmt.Sprintf("%+v", r)); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}

// setLimits replaces the limits of age.
func setLimits(tx *store.Tx, list []Limit) error {
	limits := evidence.Limits{}
	for _, l := range list {
		if l.Device != "" && !slices.Contains(formats.DeviceKinds, l.Device) {
			return fmt.Errorf("%q is no kind of device", l.Device)
		}
		if limits[l.Device] == nil {
			limits[l.Device] = map[evidence.Kind]int{}
		}
		limits[l.Device][evidence.Kind(l.Evidence)] = l.Days
	}
	return tx.SetLimits(limits)
}

// age is how old a kind of evidence on a device is at a time.
func (s *Settings) age(d *store.DeviceFacts, kind evidence.Kind, now int64) evidence.Age {
	at := map[evidence.Kind]int64{evidence.OfSoftware: d.LastScan, evidence.OfHardware: d.HardwareSeen, evidence.OfUse: d.UseSeen, evidence.OfDirectory: d.ListedAt}[kind]
	return evidence.AgeOf(at, now, s.Limits.Days(d.Kind, kind))
}

func (s *Settings) zone(site string) *time.Location {
	if z := s.Zones[site]; z != nil {
		return z
	}
	return s.Zone
}

// Today is the day that figures are computed for.
func (a *App) Today() civil.Day { return civil.Of(a.Clock.Now()) }

// SetSiteZone says in which time zone (an IANA name) a site lies.
func (a *App) SetSiteZone(ctx context.Context, site, zone string) error {
	if _, err := time.LoadLocation(zone); err != nil {
		return fmt.Errorf("%q is not a time zone: give a name such as Europe/Oslo", zone)
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error { return tx.SetSetting("zone:"+site, zone) })
}

// The counters of changes. What is derived remembers up to which change it counts, so that a change that comes in while figures are being computed, by this program or by another on the
// same file, is not taken for done.
const (
	changes          = "changes"           // of anything that figures rest on
	computedChanges  = "computed_changes"  // the value of changes that stored figures count
	catalogueChanges = "catalogue_changes" // of the catalogue, after which every record is recognised anew
	recognisedFor    = "recognised_for"    // the value of catalogueChanges that recognition counts
	machineChanges   = "machine_changes"   // of devices, people, and how old evidence of them is
)

// markDirty notes in the changing transaction that everything derived is to be computed again; all says that every record must be recognised anew.
func markDirty(tx *store.Tx, all bool) error {
	if err := tx.TouchAll(); err != nil {
		return err
	}
	if all {
		return count(tx, changes, machineChanges, catalogueChanges)
	}
	return count(tx, changes, machineChanges)
}

// markCatalogue notes that titles changed. Which products that touches follows from the log of the catalogue and from recognition.
func markCatalogue(tx *store.Tx) error { return count(tx, changes, catalogueChanges) }

// markTouched notes that what the positions of some products rest on has changed, and nothing else.
func markTouched(tx *store.Tx, products ...int64) error {
	if err := tx.Touch(products); err != nil {
		return err
	}
	return count(tx, changes)
}

// count moves counters on.
func count(tx *store.Tx, counters ...string) error {
	tx.Changed()
	for _, key := range counters {
		v, err := tx.Setting(key)
		if err != nil {
			return err
		}
		n, _ := strconv.Atoi(v) // empty is the first change
		if err := tx.SetSetting(key, strconv.Itoa(n+1)); err != nil {
			return err
		}
	}
	return nil
}
