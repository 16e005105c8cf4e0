package arriving

import (
	"cmp"
	"errors"
	"fmt"
	"path/filepath"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/identity"
	"ensomet/internal/core/licencekey"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/machines"
	"ensomet/internal/past"
	"ensomet/internal/renewal"
	"ensomet/internal/secret"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// Lines gathers lines of software and writes them scan by scan. Lines with one device, source and time are parts
// of one scan.
func (room *Room) Lines(in intake.Arrival) (*intake.Writer, error) {
	tx, settings := in.Tx, in.Settings
	var devices *deviceFinder
	var records, places, keys *sqlite.Numbered
	var zones map[int64]string
	load := func(from *sqlite.Tx) (err error) {
		if devices, err = newDeviceFinder(tx, from, room.Machines); err != nil {
			return err
		}
		if records, err = evidencedb.Records(tx, from); err != nil {
			return err
		}
		if places, err = evidencedb.Places(tx, from); err != nil {
			return err
		}
		if keys, err = evidencedb.FoundKeys(tx, from); err != nil {
			return err
		}
		zones, err = stored.DeviceSites(from)
		return err
	}
	var err error
	if tx.InSteps() {
		err = tx.Pause(func() error { return room.DB.View(tx.Ctx, load) })
	} else {
		err = load(tx)
	}
	if err != nil {
		return nil, err
	}
	taken := &takenLines{lines: sorter{most: cmp.Or(room.InMemory, mostInMemory), dir: filepath.Dir(room.DB.Path)},
		devices: map[int32]string{}, origins: map[[2]int32]int64{}, names: map[int32]string{}}
	sources := map[string]int64{} // by name and slot
	hashes := hasher{file: room.Secret}
	asOf := in.AsOf.Unix()
	kept, err := past.From(tx)
	if err != nil {
		return nil, err
	}
	put := func(row *formats.Row) (sqlite.Change, error) {
		in, err := formats.ParseInstall(row, settings.Zone)
		if err != nil {
			return sqlite.Same, err
		}
		if in.Source == "" {
			in.Source = "file"
		}
		found, err := devices.find(in.Source, in.Device)
		if err != nil {
			return sqlite.Same, intake.RefuseFor(row, err)
		}
		device := found.Device
		// times without offset are of the device's site
		if zone := settings.ZoneOf(zones[device]); zone != settings.Zone {
			if in, err = formats.ParseInstall(row, zone); err != nil {
				return sqlite.Same, err
			}
		}
		if in.SeenAt == 0 {
			in.SeenAt = asOf
		}
		if in.SeenAt < kept {
			return sqlite.Same, intake.Refuse(row, "it was seen on %s, and %s", civil.OfUnix(in.SeenAt), tooOld(kept))
		}
		source, err := sourceOf(tx, sources, in.Source, found.Slot)
		if err != nil {
			return sqlite.Same, err
		}
		taken.note(int32(device), int32(source), found.Record, in)
		record, err := evidencedb.Record(records, in.Record)
		if err != nil {
			return sqlite.Same, err
		}
		place, err := evidencedb.Place(places, in.InstallPath, in.Custom, in.Included)
		if err != nil {
			return sqlite.Same, err
		}
		var key int64
		if hash, hint, err := hashes.of(in.Key); err != nil {
			return sqlite.Same, err
		} else if hash != "" {
			if key, err = evidencedb.FoundKey(keys, hash, hint); err != nil {
				return sqlite.Same, err
			}
		}
		return sqlite.Same, taken.lines.add(scanLine{
			device:    int32(device),
			source:    int32(source),
			record:    int32(record),
			place:     int32(place),
			key:       int32(key),
			installed: in.InstallDate,
			lastUsed:  in.LastUsed,
			at:        in.SeenAt,
		})
	}
	return &intake.Writer{
		Put:     put,
		Finish:  func(res *intake.ImportResult) error { return room.takeLines(&in, taken, res) },
		Close:   taken.lines.close,
		InSteps: true,
	}, nil
}

// takenLines are lines of a file of installs, with what is needed where a device turns out to be another one before the
// end of the file.
type takenLines struct {
	lines   sorter
	noted   int32
	devices map[int32]string   // what the file calls a device
	names   map[int32]string   // of sources
	origins map[[2]int32]int64 // by device and source, the record of the machine
}

func (l *takenLines) note(device, source int32, record int64, in formats.Install) {
	if record != 0 {
		l.origins[[2]int32{device, source}] = record
	}
	if l.noted != device {
		l.noted = device
		l.devices[device] = in.Device
	}
	if l.names[source] == "" {
		l.names[source] = in.Source
	}
}

// sourceOf numbers a source in a slot.
func sourceOf(tx *sqlite.Tx, known map[string]int64, name string, slot int64) (int64, error) {
	key := name
	if slot != 0 {
		key = fmt.Sprint(name, "\x00", slot)
	}
	if id := known[key]; id != 0 {
		return id, nil
	}
	id, err := machines.SourceIn(tx, name, "", slot)
	known[key] = id
	return id, err
}

// away are the devices that count as another one. Lines of a device of which another came apart since devices counted
// as was known before cannot be told from those of that one any more.
func (taken *takenLines) away(tx *sqlite.Tx, before map[int64]bool) (map[int64]bool, error) {
	away, err := machines.Away(tx)
	if err != nil {
		return nil, err
	}
	for id := range before {
		if !away[id] {
			return nil, &formats.FileError{
				Reason: "devices that were one came apart while the file was taken in: take it in again",
			}
		}
	}
	return away, nil
}

// follow lets the lines of a source on a device, which counts as another by now, go to that one.
func (taken *takenLines) follow(tx *sqlite.Tx, room *machines.Room, sources map[string]int64, lines []scanLine) error {
	first := lines[0]
	m := identity.Machine{Source: taken.names[first.source], Key: taken.devices[first.device], Coded: true}
	found, err := room.Sight(tx, m, "")
	if err != nil {
		return err
	}
	source, err := sourceOf(tx, sources, m.Source, found.Slot)
	if err != nil {
		return err
	}
	for i := range lines {
		lines[i].device, lines[i].source = int32(found.Device), int32(source)
	}
	taken.origins[[2]int32{int32(found.Device), int32(source)}] = found.Record
	return nil
}

// hasher makes of licence keys that were found what is kept of them.
type hasher struct {
	file  secret.File
	known []byte // the secret, once it was needed
}

// of returns by what a key is known, and its last signs; of what is no key that can be compared nothing.
func (h *hasher) of(key string) (hash, hint string, err error) {
	folded := licencekey.Fold(key)
	if folded == "" {
		return "", "", nil
	}
	if h.known == nil {
		if h.known, err = h.file.ReadOrMake(); err != nil {
			return "", "", err
		}
	}
	return secret.HashKey(h.known, folded), licencekey.Hint(folded), nil
}

// takeLines takes lines in, by device and source, in steps of some devices each.
func (room *Room) takeLines(in *intake.Arrival, taken *takenLines, res *intake.ImportResult) error {
	tx := in.Tx
	away, err := taken.away(tx, nil)
	if err != nil {
		return err
	}
	if err := tx.Pause(taken.lines.begin); err != nil {
		return err
	}
	res.Same, res.Devices = 0, len(taken.devices)
	if away, err = taken.away(tx, away); err != nil {
		return err
	}
	t, err := room.newArrivals(tx, res)
	if err != nil {
		return err
	}
	sources := map[string]int64{}
	var group []scanLine
	for {
		if group, err = taken.lines.group(group[:0]); err != nil || len(group) == 0 {
			return errors.Join(err, t.finish())
		}
		device := group[0].device
		if away[int64(device)] {
			if err := taken.follow(tx, room.Machines, sources, group); err != nil {
				return err
			}
		}
		if _, err := t.take(arrivalOf(group, taken.origins)); err != nil {
			return err
		}
		next, more := taken.lines.first()
		if more && next.device == device {
			continue
		}
		res.DevicesTaken++
		if !more || !tx.Due() {
			continue
		}
		if err := t.finish(); err != nil {
			return err
		}
		tx.Announce(renewal.Topic) // the change itself is counted once, at the end
		if err := errors.Join(in.Stepped(res), tx.Step()); err != nil {
			return err
		}
		if away, err = taken.away(tx, away); err != nil {
			return err
		}
		if t, err = room.newArrivals(tx, res); err != nil {
			return err
		}
	}
}

// arrivalOf makes one of the lines of a source on a device, which stand in the order of their times.
func arrivalOf(lines []scanLine, origins map[[2]int32]int64) *arrival {
	a := &arrival{device: int64(lines[0].device), root: int64(lines[0].source), whole: true,
		origin: origins[[2]int32{lines[0].device, lines[0].source}]}
	p := arrivedPart{part: a.root, dates: map[evidence.Item]civil.Day{}, covered: true}
	for i, l := range lines {
		if i == 0 || lines[i-1].at != l.at {
			p.scans = append(p.scans, evidence.Scan{At: l.at})
		}
		it := evidence.Item{Record: int64(l.record), Place: int64(l.place)}
		s := &p.scans[len(p.scans)-1]
		s.Items = append(s.Items, it)
		if l.installed.Known() {
			p.dates[it] = max(p.dates[it], l.installed)
		}
		if l.key != 0 {
			if p.keys == nil {
				p.keys = map[int64][]evidence.Item{}
			}
			p.keys[l.at] = append(p.keys[l.at], evidence.Item{Record: int64(l.record), Place: int64(l.key)})
		}
		if l.lastUsed.Known() {
			a.uses = append(a.uses, arrivedUse{int64(l.record), l.lastUsed, civil.OfUnix(l.at)})
		}
	}
	a.parts = []arrivedPart{p}
	return a
}
