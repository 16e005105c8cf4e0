package use

import (
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/machines"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// useKinds are the kinds of files that say who used what.
func (svc *Service) Kinds() map[*formats.Kind]intake.WriterMaker {
	return map[*formats.Kind]intake.WriterMaker{
		formats.Usage: func(in intake.Arrival) (*intake.Writer,
			error) {
			return svc.usageWriter(in.Tx, in.Settings)
		},
		formats.ProcessEvents: func(in intake.Arrival) (*intake.Writer,
			error) {
			return svc.processWriter(in.Tx, in.Settings)
		},
		formats.Pools: func(in intake.Arrival) (*intake.Writer, error) { return svc.poolWriter(in.Tx) },
		formats.PoolEvents: func(in intake.Arrival) (*intake.Writer,
			error) {
			return svc.poolEventWriter(in.Tx, in.Settings)
		},
	}
}

func (svc *Service) usageWriter(tx *sqlite.Tx, settings *snapshot.Settings) (*intake.Writer, error) {
	devices, err := snapshot.DevicesByCode(tx)
	if err != nil {
		return nil, err
	}
	origins, err := machines.Origins(tx)
	if err != nil {
		return nil, err
	}
	names, err := stored.UseNames(tx)
	if err != nil {
		return nil, err
	}
	zones, err := stored.DeviceSites(tx)
	if err != nil {
		return nil, err
	}
	touched := map[int64]int64{}
	s := intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		code := row.At(0)
		device := devices[code]
		s, err := formats.ParseSession(row, settings.ZoneOf(zones[device]))
		if err != nil {
			return sqlite.Same, err
		}
		if device == 0 {
			return sqlite.Same, intake.Refuse(
				row,
				"there is no device %q: import the devices first; the line is tried again then",
				code,
			)
		}
		name, err := stored.UseName(names, s.FileName, s.Product)
		if err != nil {
			return sqlite.Same, err
		}
		c, err := stored.PutSession(tx, stored.UsedOn{Device: device, Origin: origins[code], Name: name}, s)
		if c != sqlite.Same {
			if had, known := touched[device]; !known || s.Start < had {
				touched[device] = s.Start
			}
		}
		return c, err
	})
	s.Finish = func(*intake.ImportResult) error { return svc.rollUse(tx, touched) }
	return s, nil
}
