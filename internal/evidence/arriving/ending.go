package arriving

import (
	"ensomet/internal/clock"
	"ensomet/internal/core/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/machines"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Ender ends the lists of devices that count no more.
type Ender struct {
	tx       *sqlite.Tx
	lives    map[string]evidencedb.StoredLife
	settings snapshot.Settings
	now      int64
	needed   bool // there is more than one source, or one is retired
}

func NewEnder(tx *sqlite.Tx, now int64) (*Ender, error) {
	e := &Ender{tx: tx, now: now}
	var err error
	if e.needed, err = evidencedb.SeveralSources(tx); err != nil || !e.needed {
		return e, err
	}
	if e.settings, err = snapshot.LoadSettings(tx); err != nil {
		return nil, err
	}
	e.lives, err = evidencedb.Lives(tx, e.settings.Zone)
	return e, err
}

// Always lets it look at devices where there is one source alone, too: it may name one machine twice, or has been
// retired until now.
func (e *Ender) Always() (err error) {
	if e.needed {
		return nil
	}
	e.needed = true
	e.settings, err = snapshot.LoadSettings(e.tx)
	return err
}

// End ends the lists of one device, and says whether anything changed.
func (e *Ender) End(device int64) (bool, error) {
	if !e.needed {
		return false, nil
	}
	kind, err := evidencedb.DeviceKindOf(e.tx, device)
	if err != nil {
		return false, err
	}
	return evidencedb.EndLists(e.tx, device, e.lives, e.settings.Limits.Days(kind, evidence.OfSoftware), e.now)
}

// MachinesOf joins and parts devices; what came to one or left it is brought in line at once.
func MachinesOf(clock clock.Clock) *machines.Room {
	return &machines.Room{Settled: func(tx *sqlite.Tx, devices []int64) error {
		return settled(tx, clock.Now().Unix(), devices)
	}}
}

// settled brings devices in line with what is known of them at a time.
func settled(tx *sqlite.Tx, now int64, devices []int64) error {
	e, err := NewEnder(tx, now)
	if err == nil {
		err = e.Always() // a source may name one machine twice
	}
	if err != nil {
		return err
	}
	for _, d := range devices {
		if err := evidencedb.ResolveAnew(tx, d); err != nil {
			return err
		}
		if _, err := e.End(d); err != nil {
			return err
		}
		if err := renewal.MarkDevice(tx, d, 0); err != nil {
			return err
		}
	}
	return nil
}

// finishOrders ends the orders that a scan fulfils: it was taken after it was asked for, or after its collector took
// it.
func (room *Room) finishOrders(tx *sqlite.Tx, device, scanAt int64) error {
	open, err := evidencedb.OpenOrders(tx, []int64{device})
	if err != nil {
		return err
	}
	for _, o := range open {
		if scanAt < o.AskedAt && (o.TakenAt == 0 || scanAt < o.TakenAt) {
			continue
		}
		o.Order = o.Finish(room.Clock.Now().Unix())
		o.Detail = ""
		if err := evidencedb.PutOrder(tx, o); err != nil {
			return err
		}
	}
	return nil
}
