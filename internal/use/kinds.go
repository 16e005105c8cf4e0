package use

import (
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// useKinds are the kinds of files that say who used what.
func (svc *Service) Kinds() map[*formats.Kind]intake.SinkMaker {
	return map[*formats.Kind]intake.SinkMaker{
		formats.Usage: func(in intake.Arrival) (*intake.Sink,
			error) {
			return svc.usageSink(in.Tx, in.Settings)
		},
		formats.ProcessEvents: func(in intake.Arrival) (*intake.Sink,
			error) {
			return svc.processSink(in.Tx, in.Settings)
		},
		formats.Pools: func(in intake.Arrival) (*intake.Sink, error) { return svc.poolSink(in.Tx) },
		formats.PoolEvents: func(in intake.Arrival) (*intake.Sink,
			error) {
			return svc.poolEventSink(in.Tx, in.Settings)
		},
	}
}

func (svc *Service) usageSink(tx *sqlite.Tx, settings *snapshot.Settings) (*intake.Sink, error) {
	devices, err := snapshot.Codes(tx, "device")
	if err != nil {
		return nil, err
	}
	names, err := snapshot.UseNames(tx)
	if err != nil {
		return nil, err
	}
	zones, err := snapshot.DeviceSites(tx)
	if err != nil {
		return nil, err
	}
	touched := map[int64]int64{}
	s := intake.PlainSink(func(row *formats.Row) (sqlite.Change, error) {
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
		name, err := snapshot.UseName(names, s.FileName, s.Product)
		if err != nil {
			return sqlite.Same, err
		}
		c, err := snapshot.PutSession(tx, device, name, s.User, s.Start, s.End, s.Active)
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
