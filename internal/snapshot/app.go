package snapshot

import (
	"fmt"
	"strconv"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/sqlite"
)

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

func LoadSettings(tx *sqlite.Tx) (Settings, error) {
	s := Settings{
		FreshDays:   30,
		UseWindow:   90,
		DemandDays:  30,
		LeastShare:  0.8,
		GraceDays:   30,
		EventDays:   14,
		SessionDays: 90,
		DayDays:     800,
		Zones:       map[string]*time.Location{},
		Zone:        time.UTC,
	}
	var err error
	for key, into := range map[string]*int{"fresh_days": &s.FreshDays, "use_window": &s.UseWindow,
		"grace_days": &s.GraceDays, "event_days": &s.EventDays, "session_days": &s.SessionDays,
		"day_days": &s.DayDays} {
		v, err := tx.Setting(key)
		if err != nil {
			return s, err
		}
		if n, bad := strconv.Atoi(v); bad == nil && n >= 0 {
			*into = n
		}
	}
	if s.Limits, err = Limits(tx); err != nil {
		return s, err
	}
	for _, k := range evidence.Kinds {
		if _, set := s.Limits[""][k]; !set {
			s.Limits[""][k] = s.FreshDays
		}
	}
	zones, err := SiteZones(tx)
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

// Age is how old a kind of evidence on a device is at a time.
func (s *Settings) Age(d *DeviceFacts, kind evidence.Kind, now int64) evidence.Age {
	at := map[evidence.Kind]int64{evidence.OfSoftware: d.LastScan, evidence.OfHardware: d.HardwareSeen,
		evidence.OfUse: d.UseSeen, evidence.OfDirectory: d.ListedAt}[kind]
	return evidence.AgeOf(at, now, s.Limits.Days(d.Kind, kind))
}

func (s *Settings) ZoneOf(site string) *time.Location {
	if z := s.Zones[site]; z != nil {
		return z
	}
	return s.Zone
}

// Today is the day that figures are computed for.
func (svc *Loader) Today() civil.Day { return civil.Of(svc.Clock.Now()) }
