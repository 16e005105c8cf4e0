package arriving

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/identity"
	"ensomet/internal/core/licencekey"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/machines"
	"ensomet/internal/renewal"
	"ensomet/internal/secret"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// scanLine is an install line in a compact form: a million of them fit in 64 MB.
type scanLine struct {
	device, source int32
	record, place  int32
	key            int32 // a licence key that was found, 0 where there is none
	at             int64
	installed      civil.Day
	lastUsed       civil.Day
}

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
		zones, err = snapshot.DeviceSites(from)
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
	taken := &takenLines{devices: map[int32]string{}, origins: map[[2]int32]int64{}, names: map[int32]string{}}
	sources := map[string]int64{} // by name and slot
	hashes := hasher{file: room.Secret}
	asOf := in.AsOf.Unix()
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
		taken.lines = append(
			taken.lines,
			scanLine{
				int32(device),
				int32(source),
				int32(record),
				int32(place),
				int32(key),
				in.SeenAt,
				in.InstallDate,
				in.LastUsed,
			},
		)
		return sqlite.Same, nil
	}
	return &intake.Writer{
		Put:     put,
		Finish:  func(res *intake.ImportResult) error { return room.takeLines(&in, taken, res) },
		InSteps: true,
	}, nil
}

// takenLines are lines of a file of installs, with what is needed where a device turns out to be another one before the
// end of the file.
type takenLines struct {
	lines   []scanLine
	devices map[int32]string   // what the file calls a device
	names   map[int32]string   // of sources
	origins map[[2]int32]int64 // by device and source, the record of the machine
}

func (l *takenLines) note(device, source int32, record int64, in formats.Install) {
	if record != 0 {
		l.origins[[2]int32{device, source}] = record
	}
	if len(l.lines) == 0 || l.lines[len(l.lines)-1].device != device {
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

// sort puts lines in the order of devices, sources and times.
func (taken *takenLines) sort() {
	order := func(a, b scanLine) int {
		return cmp.Or(
			cmp.Compare(a.device, b.device),
			cmp.Compare(a.source, b.source),
			cmp.Compare(a.at, b.at),
			cmp.Compare(a.record, b.record),
			cmp.Compare(a.place, b.place),
		)
	}
	if !slices.IsSortedFunc(taken.lines, order) {
		slices.SortFunc(taken.lines, order)
	}
}

// count counts the devices of sorted lines.
func (taken *takenLines) count() (n int) {
	for i := range taken.lines {
		if i == 0 || taken.lines[i].device != taken.lines[i-1].device {
			n++
		}
	}
	return n
}

// followAgain is follow where others have written since devices counted as was known. Lines of a device of which
// another came apart meanwhile cannot be told from those of that one any more.
func (taken *takenLines) followAgain(tx *sqlite.Tx, room *machines.Room, before map[int64]bool) (map[int64]bool,
	error) {
	away, err := machines.Away(tx)
	if err != nil || maps.Equal(away, before) {
		return before, err
	}
	for id := range before {
		if !away[id] {
			return nil, &formats.FileError{
				Reason: "devices that were one came apart while the file was taken in: take it in again",
			}
		}
	}
	if err := taken.follow(tx, room, away); err != nil {
		return nil, err
	}
	taken.sort()
	return away, nil
}

// follow lets lines go to the devices that theirs count as by now.
func (taken *takenLines) follow(tx *sqlite.Tx, room *machines.Room, away map[int64]bool) error {
	if len(away) == 0 {
		return nil
	}
	sources := map[string]int64{}
	to := map[[2]int32][2]int32{}
	for i := range taken.lines {
		l := &taken.lines[i]
		if !away[int64(l.device)] {
			continue
		}
		from := [2]int32{l.device, l.source}
		now, known := to[from]
		if !known {
			m := identity.Machine{Source: taken.names[l.source], Key: taken.devices[l.device], Coded: true}
			found, err := room.Sight(tx, m, "")
			if err != nil {
				return err
			}
			source, err := sourceOf(tx, sources, m.Source, found.Slot)
			if err != nil {
				return err
			}
			now = [2]int32{int32(found.Device), int32(source)}
			to[from], taken.origins[now] = now, found.Record
		}
		l.device, l.source = now[0], now[1]
	}
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
	away, err := machines.Away(tx)
	if err == nil {
		err = taken.follow(tx, room.Machines, away)
	}
	if err != nil {
		return err
	}
	if err := tx.Pause(func() error {
		taken.sort()
		res.Same, res.Devices = 0, taken.count()
		return nil
	}); err != nil {
		return err
	}
	if away, err = taken.followAgain(tx, room.Machines, away); err != nil {
		return err
	}
	t, err := room.newArrivals(tx, res)
	if err != nil {
		return err
	}
	for len(taken.lines) > 0 {
		first, n := taken.lines[0], 1
		for n < len(taken.lines) && taken.lines[n].device == first.device && taken.lines[n].source == first.source {
			n++
		}
		if _, err := t.take(arrivalOf(taken.lines[:n], taken.origins)); err != nil {
			return err
		}
		taken.lines = taken.lines[n:]
		if len(taken.lines) == 0 {
			res.DevicesTaken++
			break
		}
		if taken.lines[0].device != first.device {
			res.DevicesTaken++
		} else {
			continue
		}
		if !tx.Due() {
			continue
		}
		if err := t.finish(); err != nil {
			return err
		}
		tx.Announce(renewal.Topic) // the change itself is counted once, at the end
		if err := errors.Join(in.Stepped(res), tx.Step()); err != nil {
			return err
		}
		if away, err = taken.followAgain(tx, room.Machines, away); err != nil {
			return err
		}
		if t, err = room.newArrivals(tx, res); err != nil {
			return err
		}
	}
	return t.finish()
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
