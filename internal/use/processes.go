package use

import (
	"strings"

	"ensomet/internal/core/usage"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/machines"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/use/usedb"
)

// processWriter takes what operating systems reported of processes. A device may be named by its device_id or, as
// exports of its own events do, by its name.
func (svc *Service) processWriter(tx *sqlite.Tx, settings *snapshot.Settings) (*intake.Writer, error) {
	devices, err := snapshot.AllDevices(tx, svc.Clock.Now().Unix())
	if err != nil {
		return nil, err
	}
	byCode, byName, twice := map[string]int{}, map[string]int{}, map[string]bool{}
	byID := make(map[int64]int, len(devices))
	for i := range devices {
		byID[devices[i].ID] = i
		name := shortName(devices[i].Name)
		if _, known := byName[name]; known {
			twice[name] = true
		}
		byName[name] = i
	}
	codes, err := snapshot.DevicesByCode(tx)
	if err != nil {
		return nil, err
	}
	for code, id := range codes {
		byCode[code] = byID[id]
	}
	origins, err := machines.Origins(tx)
	if err != nil {
		return nil, err
	}
	names, err := stored.UseNames(tx)
	if err != nil {
		return nil, err
	}
	touched := map[int64]int64{}
	s := intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		code := row.At(0)
		i, known := byCode[code]
		if !known {
			short := shortName(code)
			if i, known = byName[short]; known && twice[short] {
				return sqlite.Same, intake.Refuse(row, "several devices are named %q: give the device_id", code)
			}
		}
		if !known {
			called, err := machines.Named(tx, code)
			if err != nil {
				return sqlite.Same, err
			}
			if len(called) == 1 {
				i, known = byID[called[0]]
			}
		}
		zone := settings.Zone
		if known {
			zone = settings.ZoneOf(devices[i].Site)
		}
		e, err := formats.ParseProcessEvent(row, zone)
		if err != nil {
			return sqlite.Same, err
		}
		if !known {
			return sqlite.Same, intake.Refuse(
				row,
				"there is no device %q: import the devices first; the line is tried again then",
				code,
			)
		}
		name := int64(0)
		if e.FileName != "" {
			if name, err = stored.UseName(names, e.FileName, ""); err != nil {
				return sqlite.Same, err
			}
		}
		device := devices[i].ID
		c, err := usedb.PutProcessEvent(
			tx,
			stored.UsedOn{Device: device, Origin: origins[code], Name: name},
			usage.Event{
				At:      e.At,
				Kind:    e.Kind,
				PID:     e.PID,
				Program: name,
				User:    e.User,
				Started: e.Started,
				Active:  e.Active,
			},
		)
		if c != sqlite.Same {
			touched[device] = byEvents
		}
		return c, err
	})
	s.Finish = func(*intake.ImportResult) error { return svc.rollUse(tx, touched) }
	return s, nil
}

// shortName is a machine's name without its domain, in small letters.
func shortName(name string) string {
	short, _, _ := strings.Cut(strings.ToLower(strings.TrimSpace(name)), ".")
	return short
}
