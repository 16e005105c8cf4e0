package snapshot

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"strconv"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/money"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
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
	HistoryDays int                       // how far back days can be asked for, 0 for ever
	GraceDays   int                       // an install younger than this is not proposed for reclaim
	Zones       map[string]*time.Location // by site
	Zone        *time.Location            // where a site has none of its own
}

// LoadSettings reads the numbers that rules use.
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
		"day_days": &s.DayDays, "history_days": &s.HistoryDays, "demand_days": &s.DemandDays} {
		v, err := tx.Setting(key)
		if err != nil {
			return s, err
		}
		if n, bad := strconv.Atoi(v); bad == nil && n >= 0 {
			*into = n
		}
	}
	share, err := tx.Setting("least_share")
	if err != nil {
		return s, err
	}
	if x, bad := strconv.ParseFloat(share, 64); bad == nil && x >= 0 && x <= 1 {
		s.LeastShare = x
	}
	if s.Zone, err = HouseZone(tx); err != nil {
		return s, err
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

// HouseZone is the time zone in which the days of the house turn, and that of sites that have none of their own.
func HouseZone(tx *sqlite.Tx) (*time.Location, error) {
	name, err := tx.Setting(houseZone)
	if err != nil {
		return nil, err
	}
	zone, err := time.LoadLocation(name) // "" is UTC
	if err != nil {
		return nil, fmt.Errorf("the zone %q of the house is not known: %w", name, err)
	}
	return zone, nil
}

// HouseCurrency is the setting of the currency in which the house has its sums; empty is the one that rates are stated
// against.
const HouseCurrency = "house_currency"

const houseZone = "house_zone"

// SetHouseZone says in which time zone (an IANA name; empty is UTC) the days of the house turn.
func SetHouseZone(tx *sqlite.Tx, name string) error {
	if _, err := time.LoadLocation(name); err != nil || name == "Local" {
		return refuse.Errorf("%q is not a time zone: give a name such as Europe/Oslo", name)
	}
	return tx.SetSetting(houseZone, name)
}

// Today is the day that figures are computed for, by the house's own time zone.
func (svc *Loader) Today() civil.Day {
	now := svc.Clock.Now()
	if zone := svc.zone.Load(); zone != nil {
		now = now.In(zone)
	}
	return civil.Of(now)
}

// UseZone lets days turn by the house's time zone as the file has it.
func (svc *Loader) UseZone(ctx context.Context, db *sqlite.DB) error {
	return db.View(ctx, func(tx *sqlite.Tx) error {
		zone, err := HouseZone(tx)
		if err == nil {
			svc.zone.Store(zone)
		}
		return err
	})
}

// SiteZones reads the time zones of sites.
func SiteZones(tx *sqlite.Tx) (map[string]string, error) {
	type pair struct{ site, zone string }
	list, err := sqlite.Query(
		tx,
		func(r *sql.Rows, p *pair) error { return r.Scan(&p.site, &p.zone) },
		"SELECT substr(key, 6), value FROM setting WHERE key LIKE 'zone:%'",
	)
	out := map[string]string{}
	for _, p := range list {
		out[p.site] = p.zone
	}
	return out, err
}

// Limits reads after how many days evidence is stale, by kind of device ("" is every other) and kind of evidence.
func Limits(tx *sqlite.Tx) (evidence.Limits, error) {
	out := evidence.Limits{"": {}}
	text, err := tx.Setting("limits")
	if err != nil || text == "" {
		return out, err
	}
	if err := json.Unmarshal([]byte(text), &out); err != nil {
		return out, fmt.Errorf("the limits of age cannot be read: %w", err)
	}
	if out[""] == nil {
		out[""] = map[evidence.Kind]int{}
	}
	return out, nil
}

// SetLimits writes after how many days evidence is stale.
func SetLimits(tx *sqlite.Tx, l evidence.Limits) error {
	text, err := json.Marshal(l)
	if err != nil {
		return err
	}
	return tx.SetSetting("limits", string(text))
}

func LoadRates(tx *sqlite.Tx) (money.Rates, error) {
	rates, err := stored.Rates(tx)
	if err != nil {
		return money.Rates{}, err
	}
	house, err := tx.Setting(HouseCurrency)
	var list []money.Rate
	for _, r := range rates {
		list = append(list, money.Rate(r))
	}
	return money.NewRates(list, house), err
}
