package evidence

import (
	"fmt"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// deviceFinder finds devices by what lines of files call them: by device_id, or by a host name that one device alone
// has. It reads all names once, for files of many lines.
type deviceFinder struct {
	tx     *sqlite.Tx
	byCode map[string]int64
	byName map[string][]int64 // folded; nil until a name is asked for
}

func newDeviceFinder(tx *sqlite.Tx) (*deviceFinder, error) {
	codes, err := snapshot.Codes(tx, "device")
	return &deviceFinder{tx: tx, byCode: codes}, err
}

// find returns the number of a device, or refuses a name that no device has, or several.
func (f *deviceFinder) find(what string) (int64, error) {
	if id := f.byCode[what]; id != 0 {
		return id, nil
	}
	if f.byName == nil {
		names, err := evidencedb.DeviceNames(f.tx)
		if err != nil {
			return 0, err
		}
		f.byName = map[string][]int64{}
		for id, name := range names {
			f.byName[strings.ToLower(name)] = append(f.byName[strings.ToLower(name)], id)
		}
	}
	switch ids := f.byName[strings.ToLower(what)]; {
	case what == "" || len(ids) == 0:
		return 0, refuse.Errorf("there is no device %q: import the devices first; the line is tried again then", what)
	case len(ids) > 1:
		return 0, refuse.Errorf("several devices are called %q: name the device_id", what)
	default:
		return ids[0], nil
	}
}

// device finds the device that a scan speaks of, and adds one that nobody has listed.
func (t *receiver) device(d *formats.ScanDevice) (int64, error) {
	if t.findsBy != "name" && d.ID != "" || d.Name == "" {
		id, err := snapshot.FindDevice(t.tx, d.ID)
		if err != nil || id != 0 {
			return id, err
		}
		return t.add(d.ID, d)
	}
	ids, err := evidencedb.DevicesNamed(t.tx, d.Name)
	if err != nil {
		return 0, err
	}
	switch len(ids) {
	case 0:
		if id, err := snapshot.FindDevice(t.tx, d.Name); err != nil || id != 0 {
			return id, err
		}
		code := d.ID
		if code == "" {
			code = d.Name
		}
		if id, err := snapshot.FindDevice(t.tx, code); err != nil || id != 0 {
			return id, err
		}
		return t.add(code, d)
	case 1:
		return ids[0], nil
	}
	return 0, fmt.Errorf("%w: %q; send the scan with the device_id of the one that is meant", ErrAmbiguous, d.Name)
}

func (t *receiver) add(code string, d *formats.ScanDevice) (int64, error) {
	name, kind := d.Name, d.Kind
	if name == "" {
		name = code
	}
	if kind == "" {
		kind = "client"
	}
	return evidencedb.AddSeenDevice(t.tx, code, name, kind)
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
