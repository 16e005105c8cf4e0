package app

import (
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// useKinds are the kinds of files that say who used what.
func (a *App) useKinds() map[*formats.Kind]sinkMaker {
	return map[*formats.Kind]sinkMaker{
		formats.Usage:         func(in arrival) (*sink, error) { return a.usageSink(in.tx, in.settings) },
		formats.ProcessEvents: func(in arrival) (*sink, error) { return a.processSink(in.tx, in.settings) },
		formats.Pools:         func(in arrival) (*sink, error) { return a.poolSink(in.tx) },
		formats.PoolEvents:    func(in arrival) (*sink, error) { return a.poolEventSink(in.tx, in.settings) },
	}
}

func (a *App) usageSink(tx *store.Tx, settings *Settings) (*sink, error) {
	devices, err := tx.Codes("device")
	if err != nil {
		return nil, err
	}
	names, err := tx.UseNames()
	if err != nil {
		return nil, err
	}
	zones, err := tx.DeviceSites()
	if err != nil {
		return nil, err
	}
	touched := map[int64]int64{}
	s := plainSink(func(row *formats.Row) (store.Change, error) {
		code := row.At(0)
		device := devices[code]
		s, err := formats.ParseSession(row, settings.zone(zones[device]))
		if err != nil {
			return store.Same, err
		}
		if device == 0 {
			return store.Same, refuse(row, "there is no device %q: import the devices first; the line is tried again then", code)
		}
		name, err := names.UseName(s.FileName, s.Product)
		if err != nil {
			return store.Same, err
		}
		c, err := tx.PutSession(device, name, s.User, s.Start, s.End, s.Active)
		if c != store.Same {
			if had, known := touched[device]; !known || s.Start < had {
				touched[device] = s.Start
			}
		}
		return c, err
	})
	s.finish = func(*ImportResult) error { return a.rollUse(tx, touched) }
	return s, nil
}
