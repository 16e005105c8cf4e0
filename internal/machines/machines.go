// Package machines finds the device that what a source says is about, and joins and parts devices: one machine is one
// device, whatever its sources call it. The rules are those of core/identity; nothing of the evidence is changed.
package machines

import (
	"slices"
	"strings"

	"ensomet/internal/core/identity"
	"ensomet/internal/sqlite"
)

// Room finds, joins and parts.
type Room struct {
	// Settled brings devices in line with what is known of them after evidence came to them, or left them.
	Settled func(tx *sqlite.Tx, devices []int64) error
}

// Found is where what a source says of a machine belongs.
type Found struct {
	Device int64
	Record int64 // 0 where the source used the house's device_id and nothing more is known
	Slot   int64 // of the sources under which it stands
}

// Sight notes what a source says of a machine under an identifier, and returns the device that it is. One that nobody
// has listed is added, as a device of a kind. The time is that of Last.
func (r *Room) Sight(tx *sqlite.Tx, m identity.Machine, kind string) (Found, error) {
	had, err := recordsWhere(tx, "r.key = ? COLLATE NOCASE AND r.source = ?", m.Key, m.Source)
	if err != nil {
		return Found{}, err
	}
	rec := pick(had, &m)
	if rec == nil {
		rec = &Record{Machine: m}
		if err := rec.put(tx); err != nil {
			return Found{}, err
		}
		if _, err := r.settle(tx, kind, rec.ID); err != nil {
			return Found{}, err
		}
		return r.where(tx, rec.ID)
	}
	before, day := rec.Values(), rec.Last/86400
	if !rec.take(&m) {
		return Found{rec.Device, rec.ID, rec.Slot}, nil
	}
	signs := !slices.Equal(before, rec.Values())
	if !signs {
		if _, err := tx.Exec("UPDATE machine_record SET first_at = ?, last_at = ?, ip = ?, names = ? WHERE id = ?",
			rec.First, rec.Last, rec.IP, texts(rec.Names), rec.ID); err != nil {
			return Found{}, err
		}
	} else if err := rec.put(tx); err != nil {
		return Found{}, err
	}
	// another day may part it from what shares a sign with it
	if signs || rec.Last/86400 != day {
		several, err := sqlite.Select[bool](tx, `SELECT EXISTS (SELECT 1 FROM machine_sign s JOIN machine_sign o
			ON o.value = s.value AND o.record_id <> s.record_id WHERE s.record_id = ?)`, rec.ID)
		if err != nil {
			return Found{}, err
		}
		if several[0] {
			if _, err := r.settle(tx, kind, rec.ID); err != nil {
				return Found{}, err
			}
			return r.where(tx, rec.ID)
		}
	}
	return Found{rec.Device, rec.ID, rec.Slot}, nil
}

func (r *Room) where(tx *sqlite.Tx, record int64) (Found, error) {
	list, err := recordsWhere(tx, "r.id = ?", record)
	if err != nil {
		return Found{}, err
	}
	if len(list) == 0 {
		return Found{}, sqlite.ErrNotFound
	}
	return Found{list[0].Device, record, list[0].Slot}, nil
}

// pick finds the record that what a source says belongs to: of several that it fits the one that shares most with it,
// then the one that was heard last.
func pick(had []*Record, m *identity.Machine) *Record {
	var best *Record
	score := func(r *Record) (n int) {
		for _, v := range r.Values() {
			if slices.Contains(m.Values(), v) {
				n++
			}
		}
		return n
	}
	for _, r := range had {
		if !identity.SameRecord(&r.Machine, m) {
			continue
		}
		if best == nil || score(r) > score(best) || score(r) == score(best) && r.Last > best.Last {
			best = r
		}
	}
	return best
}

// take adds to a record what its source says now, and reports whether that is anything new.
func (r *Record) take(m *identity.Machine) bool {
	changed := false
	set := func(into *string, v string, newer bool) {
		if v = strings.TrimSpace(v); v != "" && *into != v && (*into == "" || newer) {
			*into, changed = v, true
		}
	}
	newer := m.Last >= r.Last
	set(&r.Serial, m.Serial, false)
	set(&r.Maker, m.Maker, newer)
	set(&r.MachineID, m.MachineID, false)
	set(&r.DirectoryID, m.DirectoryID, false)
	set(&r.IP, m.IP, newer)
	for _, n := range m.Names {
		at := slices.Index(r.Names, n)
		if at == 0 || at > 0 && !newer {
			continue
		}
		changed = true
		if at > 0 {
			r.Names = slices.Delete(r.Names, at, at+1)
		}
		if newer {
			r.Names = slices.Insert(r.Names, 0, n)
		} else {
			r.Names = append(r.Names, n)
		}
	}
	for _, a := range m.Addresses {
		if !slices.Contains(r.Addresses, a) {
			r.Addresses, changed = append(r.Addresses, a), true
		}
	}
	slices.Sort(r.Addresses)
	if m.Coded && !r.Coded {
		r.Coded, changed = true, true
	}
	if m.LetsName && !r.LetsName {
		r.LetsName, changed = true, true
	}
	if m.First != 0 && (r.First == 0 || m.First < r.First) {
		r.First, changed = m.First, true
	}
	if m.Last > r.Last {
		r.Last, changed = m.Last, true
	}
	return changed
}

// List notes that one of the house's lists names a device, which is there under its code. It returns the device that
// it counts for, which may be another.
func (r *Room) List(tx *sqlite.Tx, device int64, m identity.Machine) (int64, error) {
	had, err := recordsWhere(tx, "r.home_id = ? AND r.listed", device)
	if err != nil {
		return 0, err
	}
	if len(had) > 0 {
		rec := had[0]
		before := rec.Values()
		m.First = rec.First
		changed := rec.Source != "" && m.Source == "" // one of the house's own lists comes before a directory
		if changed {
			rec.Source = ""
		}
		changed = rec.take(&m) || changed
		// a list states what holds: what it said before is no sign any more
		for _, f := range []struct {
			into *string
			now  string
		}{{&rec.Serial, m.Serial}, {&rec.MachineID, m.MachineID}, {&rec.DirectoryID, m.DirectoryID}} {
			if f.now != "" && *f.into != f.now {
				*f.into, changed = f.now, true
			}
		}
		if !changed {
			return rec.Device, nil
		}
		if err := rec.put(tx); err != nil {
			return 0, err
		}
		if slices.Equal(before, rec.Values()) {
			return rec.Device, nil
		}
		return r.settled(tx, rec)
	}
	// what a scan called by this code is this device
	if _, err := tx.Exec("UPDATE machine_record SET home_id = 0 WHERE home_id = ?", device); err != nil {
		return 0, err
	}
	rec := &Record{Machine: m, Listed: true, Device: device, Home: device}
	if err := rec.put(tx); err != nil {
		return 0, err
	}
	several, err := sqlite.Select[bool](tx, `SELECT EXISTS (SELECT 1 FROM machine_sign s JOIN machine_sign o
		ON o.value = s.value AND o.record_id <> s.record_id WHERE s.record_id = ?)`, rec.ID)
	if err != nil || !several[0] {
		return device, err
	}
	return r.settled(tx, rec)
}

func (r *Room) settled(tx *sqlite.Tx, rec *Record) (int64, error) {
	if _, err := r.settle(tx, "", rec.ID); err != nil {
		return 0, err
	}
	f, err := r.where(tx, rec.ID)
	return f.Device, err
}

// Named lists the devices that a name may mean, by what any source calls them.
func Named(tx *sqlite.Tx, name string) ([]int64, error) {
	value := identity.NameValue(name)
	if value == "" {
		return nil, nil
	}
	list, err := recordsWhere(tx, "r.id IN (SELECT record_id FROM machine_sign WHERE value = ?)", value)
	if err != nil {
		return nil, err
	}
	var out []int64
	want := identity.FoldName(name)
	for _, r := range list {
		fits := slices.ContainsFunc(r.Names, func(n string) bool { return identity.FoldName(n).Fits(want) })
		if fits && r.Device != 0 && !slices.Contains(out, r.Device) {
			out = append(out, r.Device)
		}
	}
	slices.Sort(out)
	return out, nil
}

// Listed is a device that a list names, with its own number.
type Listed struct {
	Device int64
	identity.Machine
}

// ListAll notes what one of the house's lists names.
func (r *Room) ListAll(tx *sqlite.Tx, list []Listed) error {
	has := map[int64]bool{}
	if len(list) > 200 { // most of a first list are new
		known, err := sqlite.Select[int64](tx, "SELECT home_id FROM machine_record WHERE home_id <> 0")
		if err != nil {
			return err
		}
		for _, d := range known {
			has[d] = true
		}
	}
	var fresh []*Record
	for _, l := range list {
		if len(list) <= 200 || has[l.Device] {
			if _, err := r.List(tx, l.Device, l.Machine); err != nil {
				return err
			}
			continue
		}
		fresh = append(fresh, &Record{Machine: l.Machine, Listed: true, Device: l.Device, Home: l.Device})
	}
	if len(fresh) == 0 {
		return nil
	}
	next, err := sqlite.Select[int64](tx, "SELECT coalesce(max(id), 0) + 1 FROM machine_record")
	if err != nil {
		return err
	}
	records, err := tx.Bulk(
		12,
		"INSERT INTO machine_record(id, source, key, serial, maker, machine_id, directory_id, "+
			"names, addresses, first_at, last_at, device_id)",
		"",
	)
	if err != nil {
		return err
	}
	signs, err := tx.Bulk(2, "INSERT OR IGNORE INTO machine_sign(value, record_id)", "")
	if err != nil {
		return err
	}
	for i, rec := range fresh {
		rec.ID = next[0] + int64(i)
		if err := records.Add(rec.ID, rec.Source, rec.Key, rec.Serial, rec.Maker, rec.MachineID, rec.DirectoryID,
			texts(rec.Names), texts(rec.Addresses), rec.First, rec.Last, rec.Device); err != nil {
			return err
		}
	}
	if err := records.Flush(); err != nil {
		return err
	}
	for _, rec := range fresh {
		for _, v := range rec.Values() {
			if err := signs.Add(v, rec.ID); err != nil {
				return err
			}
		}
	}
	if err := signs.Flush(); err != nil {
		return err
	}
	_, err = tx.Exec("UPDATE machine_record SET home_id = device_id, listed = 1 WHERE id >= ?", next[0])
	if err != nil {
		return err
	}
	shared, err := sqlite.Select[int64](tx, `SELECT DISTINCT s.record_id FROM machine_sign s WHERE s.record_id >= ?
		AND EXISTS (SELECT 1 FROM machine_sign o WHERE o.value = s.value AND o.record_id <> s.record_id)`, next[0])
	if err != nil {
		return err
	}
	for _, id := range shared {
		if _, err := r.settle(tx, "", id); err != nil {
			return err
		}
	}
	return nil
}

// CalledBy reads what a source calls machines, where it names them otherwise than by their device_id, folded; and by
// device where its list stands under one of these names.
func CalledBy(tx *sqlite.Tx, source string) (map[string]Found, map[int64]Found, error) {
	list, err := recordsWhere(tx, "r.source = ?", source)
	if err != nil {
		return nil, nil, err
	}
	out, last, holds := map[string]Found{}, map[string]int64{}, map[int64]Found{}
	for _, r := range list {
		key := strings.ToLower(strings.TrimSpace(r.Key))
		if _, known := out[key]; !known || r.Last > last[key] {
			out[key], last[key] = Found{r.Device, r.ID, r.Slot}, r.Last
		}
		if r.Slot == 0 {
			holds[r.Device] = Found{r.Device, r.ID, r.Slot}
		}
	}
	return out, holds, nil
}

// Away lists the devices that count as another one.
func Away(tx *sqlite.Tx) (map[int64]bool, error) {
	list, err := sqlite.Select[int64](tx, "SELECT id FROM joined_device")
	out := make(map[int64]bool, len(list))
	for _, d := range list {
		out[d] = true
	}
	return out, err
}

// IsAway reports whether a device_id is that of a device that counts as another one.
func IsAway(tx *sqlite.Tx, code string) (bool, error) {
	list, err := sqlite.Select[bool](tx, "SELECT EXISTS (SELECT 1 FROM joined_device WHERE code = ?)", code)
	return err == nil && list[0], err
}

// All reads every record.
func All(tx *sqlite.Tx) ([]*Record, error) { return recordsWhere(tx, "1") }

// Origins reads, for the device_id of each device that counts as another one, the record that it goes by: what is said
// under it is of that.
func Origins(tx *sqlite.Tx) (map[string]int64, error) {
	return tx.Numbers("SELECT d.code, r.id FROM joined_device d JOIN machine_record r ON r.home_id = d.id")
}
