package evidence

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"time"

	"ensomet/internal/core/evidence"
	"ensomet/internal/core/money"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// Rules are the numbers that people may set.
type Rules struct {
	FreshDays int     `json:"freshDays"`        // evidence older than this is stale, where limits say nothing else
	UseWindow int     `json:"useWindow"`        // days that classes of use look at
	GraceDays int     `json:"graceDays"`        // an install younger than this is not proposed for reclaim
	Limits    []Limit `json:"limits,omitempty"` // none leaves them as they are
	// these stay as they are where a request does not name them
	DemandDays *int     `json:"demandDays,omitempty"` // days in which use makes a named user
	LeastShare *float64 `json:"leastShare,omitempty"` // of a window that must be measured
	Zone       *string  `json:"zone,omitempty"`       // an IANA name: the house's days turn by it; empty is UTC
	Currency   *string  `json:"currency,omitempty"`   // in which the house has its sums: three letters
	Revision   int64    // that was seen; a save on an older one is refused
}

// Limit is after how many days a kind of evidence on a kind of device is stale. An empty kind of device is every one
// that has no limit of its own.
type Limit struct {
	Device   evidence.DeviceKind `json:"device"`
	Evidence string              `json:"evidence"` // software, hardware, use, directory
	Days     int                 `json:"days"`
}

// Rules returns the numbers in force.
func (svc *Service) Rules(ctx context.Context) (out Rules, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = houseRules(tx)
		return err
	})
	return out, err
}

func houseRules(tx *sqlite.Tx) (out Rules, err error) {
	s, err := snapshot.LoadSettings(tx)
	if err != nil {
		return out, err
	}
	zone := s.Zone.String()
	out = Rules{
		FreshDays:  s.FreshDays,
		UseWindow:  s.UseWindow,
		GraceDays:  s.GraceDays,
		Limits:     []Limit{},
		DemandDays: &s.DemandDays,
		LeastShare: &s.LeastShare,
		Zone:       &zone,
	}
	rates, err := snapshot.LoadRates(tx)
	if err != nil {
		return out, err
	}
	house := rates.House()
	out.Currency = &house
	set, err := snapshot.Limits(tx)
	if err != nil {
		return out, err
	}
	for device, by := range set {
		for kind, days := range by {
			out.Limits = append(out.Limits, Limit{device, string(kind), days})
		}
	}
	slices.SortFunc(out.Limits, func(a, b Limit) int {
		return cmp.Or(cmp.Compare(a.Device, b.Device), cmp.Compare(a.Evidence, b.Evidence))
	})
	out.Revision, err = edits.Revision(tx, edits.Thing{Kind: edits.HouseRules})
	return out, err
}

// SetRules sets the numbers and marks everything that rests on them to be computed again.
func (svc *Service) SetRules(ctx context.Context, r Rules, who string) error {
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		was, err := houseRules(tx)
		if err != nil {
			return err
		}
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		s.UseWindow = r.UseWindow
		if err := s.KeepsEnough(); err != nil {
			return err
		}
		for key, n := range map[string]int{"fresh_days": r.FreshDays, "use_window": r.UseWindow,
			"grace_days": r.GraceDays} {
			if err := tx.SetSetting(key, strconv.Itoa(n)); err != nil {
				return err
			}
		}
		if r.DemandDays != nil {
			if err := tx.SetSetting("demand_days", strconv.Itoa(*r.DemandDays)); err != nil {
				return err
			}
		}
		if r.LeastShare != nil {
			if err := tx.SetSetting("least_share", strconv.FormatFloat(*r.LeastShare, 'f', -1, 64)); err != nil {
				return err
			}
		}
		if r.Zone != nil {
			if err := snapshot.SetHouseZone(tx, *r.Zone); err != nil {
				return err
			}
		}
		if r.Currency != nil {
			if err := svc.setCurrency(tx, strings.ToUpper(strings.TrimSpace(*r.Currency))); err != nil {
				return err
			}
		}
		if r.Limits != nil {
			if err := setLimits(tx, r.Limits); err != nil {
				return err
			}
		}
		is, err := houseRules(tx)
		if err != nil {
			return err
		}
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.HouseRules},
			Seen:  r.Revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   was,
			Is:    is,
		}); err != nil {
			return err
		}
		detail, err := json.Marshal(r)
		if err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "set the rules", "", string(detail)); err != nil {
			return err
		}
		return renewal.Mark(tx, false)
	})
	if err != nil {
		return err
	}
	return svc.Snapshots.UseZone(ctx, svc.DB)
}

// setCurrency says in which currency the house has its sums, where a rate of it is known today.
func (svc *Service) setCurrency(tx *sqlite.Tx, currency string) error {
	rates, err := snapshot.LoadRates(tx)
	if err != nil {
		return err
	}
	if _, err := rates.Convert(decimal.NewFromInt(1), money.Base, currency, svc.Snapshots.Today()); err != nil {
		return refuse.Errorf("no rate is known for %q: take in a rates.csv that has it, then choose it", currency)
	}
	if currency == money.Base {
		currency = ""
	}
	return tx.SetSetting(snapshot.HouseCurrency, currency)
}

// setLimits replaces the limits of age.
func setLimits(tx *sqlite.Tx, list []Limit) error {
	limits := evidence.Limits{}
	for _, l := range list {
		if l.Device != "" && !slices.Contains(evidence.DeviceKinds, l.Device) {
			return refuse.Errorf("%q is no kind of device", l.Device)
		}
		if limits[l.Device] == nil {
			limits[l.Device] = map[evidence.Kind]int{}
		}
		limits[l.Device][evidence.Kind(l.Evidence)] = l.Days
	}
	return snapshot.SetLimits(tx, limits)
}

// SetSiteZone says in which time zone (an IANA name) a site lies. What hangs on it is computed anew.
func (svc *Service) SetSiteZone(ctx context.Context, site, zone string) error {
	if _, err := time.LoadLocation(zone); err != nil {
		return refuse.Errorf("%q is not a time zone: give a name such as Europe/Oslo", zone)
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := tx.SetSetting("zone:"+site, zone); err != nil {
			return err
		}
		return renewal.Mark(tx, false) // the days of use there, what is due, and the hours of policies
	})
}
