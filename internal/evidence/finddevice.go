package evidence

import (
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
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
