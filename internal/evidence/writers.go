package evidence

import (
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/identity"
	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/machines"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// writer returns what takes the lines of a kind.
func (svc *Service) writer(k *formats.Kind, in intake.Arrival) (*intake.Writer, error) {
	settings, err := snapshot.LoadSettings(in.Tx)
	if err != nil {
		return nil, err
	}
	in.Settings = &settings
	if strings.HasSuffix(strings.ToLower(in.File), ".ldif") {
		in.From = fromDirectory
	}
	for _, kinds := range append([]map[*formats.Kind]intake.WriterMaker{svc.evidenceKinds()}, svc.Kinds...) {
		if make := kinds[k]; make != nil {
			return make(in)
		}
	}
	return nil, refuse.Errorf("%s cannot be imported", k.Name)
}

// evidenceKinds are the kinds of files that say what is there.
func (svc *Service) evidenceKinds() map[*formats.Kind]intake.WriterMaker {
	return map[*formats.Kind]intake.WriterMaker{
		formats.Installs: func(in intake.Arrival) (*intake.Writer,
			error) {
			return svc.Lines(in)
		},
		formats.Devices: func(in intake.Arrival) (*intake.Writer, error) { return deviceWriter(in, svc.Machines) },
		formats.Sources: (&Sources{svc}).sourceWriter,
		formats.Users:   userWriter,
	}
}

func deviceWriter(in intake.Arrival, room *machines.Room) (*intake.Writer, error) {
	w, err := evidencedb.Devices(in.Tx)
	if err != nil {
		return nil, err
	}
	var listed []machines.Listed
	out := intake.NoTwice(func(row *formats.Row) (string, formats.Device, error) {
		d, err := formats.ParseDevice(row, in.Settings.Zone)
		return "device_id " + d.Code, d, err
	}, func(d formats.Device, _ *formats.Row) (sqlite.Change, error) {
		id, c, err := w.Put(d, in.AsOf.Unix())
		if err == nil && c != sqlite.Same {
			listed = append(listed, machines.Listed{Device: id, Machine: listSigns(&d, in.From, in.AsOf.Unix())})
		}
		return c, err
	})
	out.Finish = func(*intake.ImportResult) error { return room.ListAll(in.Tx, listed) }
	return out, nil
}

// fromDirectory is the source of what directories list.
const fromDirectory = "directory"

// listSigns are what a list tells a machine from others by.
func listSigns(d *formats.Device, from string, at int64) identity.Machine {
	m := identity.Machine{Source: from, Key: d.Code, First: at, Last: at}
	m.Serial, m.Maker, m.MachineID, m.DirectoryID = d.Serial, d.Maker, d.MachineID, d.DirectoryID
	m.Addresses = d.HardwareAddresses
	if d.Name != "" {
		m.Names = []string{d.Name}
	}
	return m
}

func userWriter(in intake.Arrival) (*intake.Writer, error) {
	return intake.UpsertWriter(in.Tx, evidencedb.Persons, func(row *formats.Row) (string, formats.User, error) {
		u, err := formats.ParseUser(row)
		return "user_id " + u.Code, u, err
	}, func(u *sqlite.Upserter, p formats.User, _ *formats.Row) (sqlite.Change, error) {
		return evidencedb.PutUser(u, p, civil.Of(in.AsOf))
	})
}
