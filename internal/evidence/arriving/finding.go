package arriving

import (
	"fmt"
	"strings"

	"ensomet/internal/core/identity"
	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/machines"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// deviceFinder finds devices by what lines of files call them: by device_id, by what their source calls them, or by a
// host name that one device alone has. It reads all names once, for files of many lines.
type deviceFinder struct {
	room    *machines.Room
	tx      *sqlite.Tx
	byCode  map[string]int64
	byName  map[string][]int64 // folded; nil until a name is asked for
	sources map[string]*namedBy
}

// namedBy is what one source calls machines: those that it names otherwise than by their device_id.
type namedBy struct {
	byKey map[string]machines.Found
	holds map[int64]machines.Found // by device, where its list of this source stands under another of its names
}

func newDeviceFinder(tx, from *sqlite.Tx, room *machines.Room) (*deviceFinder, error) {
	codes, err := from.Numbers("SELECT code, id FROM device")
	return &deviceFinder{room: room, tx: tx, byCode: codes, sources: map[string]*namedBy{}}, err
}

// find returns where what a source says of a device belongs, or refuses a name that no device has, or several.
func (f *deviceFinder) find(source, what string) (machines.Found, error) {
	by := f.sources[source]
	if by == nil {
		by = &namedBy{}
		var err error
		if by.byKey, by.holds, err = machines.CalledBy(f.tx, source); err != nil {
			return machines.Found{}, err
		}
		f.sources[source] = by
	}
	key := strings.ToLower(strings.TrimSpace(what))
	if known, is := by.byKey[key]; is {
		return known, nil
	}
	id := f.byCode[what]
	if id == 0 {
		joined, err := machines.IsAway(f.tx, what)
		if err != nil {
			return machines.Found{}, err
		}
		if joined {
			m := identity.Machine{Source: source, Key: what, Coded: true}
			found, err := f.room.Sight(f.tx, m, "")
			by.byKey[key] = found
			return found, err
		}
		devices, err := f.named(what)
		switch {
		case err != nil:
			return machines.Found{}, err
		case what == "" || len(devices) == 0:
			return machines.Found{}, refuse.Errorf(
				"there is no device %q: import the devices first; the line is tried again then", what)
		case len(devices) > 1:
			return machines.Found{}, refuse.Errorf("several devices are called %q: name the device_id", what)
		}
		id = devices[0]
	}
	if held, is := by.holds[id]; is { // its list stands under another of its names, and goes on there
		return held, nil
	}
	return machines.Found{Device: id}, nil
}

// named lists the devices that are called so by anybody.
func (f *deviceFinder) named(what string) ([]int64, error) {
	if id, err := snapshot.FindDevice(f.tx, what); err != nil || id != 0 {
		return []int64{id}, err
	}
	if f.byName == nil {
		names, err := evidencedb.DeviceNames(f.tx)
		if err != nil {
			return nil, err
		}
		f.byName = map[string][]int64{}
		for id, name := range names {
			f.byName[strings.ToLower(name)] = append(f.byName[strings.ToLower(name)], id)
		}
	}
	if ids := f.byName[strings.ToLower(what)]; len(ids) > 0 {
		return ids, nil
	}
	return machines.Named(f.tx, what)
}

// signsOf are what a scan tells its machine from others by.
func signsOf(source string, d *formats.ScanDevice, at int64) identity.Machine {
	m := identity.Machine{Source: source, Key: d.ID, First: at, Last: at, Coded: true}
	m.Serial, m.Maker, m.MachineID, m.DirectoryID = d.Serial, d.Maker, d.MachineID, d.DirectoryID
	m.Addresses, m.IP = d.HardwareAddresses, d.IPAddress
	if d.Name != "" {
		m.Names = []string{d.Name}
	}
	return m
}

// device finds the device that a scan speaks of, and adds one that nobody has listed.
func (t *receiver) device(d *formats.ScanDevice, at int64) (machines.Found, error) {
	m := signsOf(t.source, d, at)
	if t.findsBy == "name" && d.Name != "" || d.ID == "" {
		m.Key, m.Coded, m.LetsName = d.Name, false, true
		ids, err := evidencedb.DevicesNamed(t.tx, d.Name)
		if err != nil {
			return machines.Found{}, err
		}
		if len(ids) > 1 && m.Serial == "" && m.MachineID == "" && m.DirectoryID == "" {
			return machines.Found{}, fmt.Errorf("%w: %q; send the scan with the device_id of the one that is meant",
				ErrAmbiguous, d.Name)
		}
		if len(ids) == 0 { // what has no such name may have such a device_id
			if id, err := snapshot.FindDevice(t.tx, d.Name); err != nil {
				return machines.Found{}, err
			} else if id != 0 {
				m.Coded = true
			}
		}
	}
	return t.room.Machines.Sight(t.tx, m, d.Kind)
}

// knownByName lets a file name its device by its name, where that is no device_id and one device alone has it.
func knownByName(tx *sqlite.Tx, d *formats.ScanDevice) error {
	id, err := snapshot.FindDevice(tx, d.ID)
	if err != nil || id != 0 {
		return err
	}
	ids, err := evidencedb.DevicesNamed(tx, d.ID)
	if err != nil {
		return err
	}
	switch len(ids) {
	case 0:
		return nil
	case 1:
		d.ID, err = evidencedb.DeviceCode(tx, ids[0])
		return err
	}
	return &formats.FileError{Reason: fmt.Sprintf("several devices are called %q: name the device_id", d.ID)}
}
