package arriving

import (
	"cmp"
	"errors"
	"maps"
	"math"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/intake"
	"ensomet/internal/past"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// arrival is what one source says of the software on one device, by one scan or several: what lines of files,
// documents and scans over HTTP all become.
type arrival struct {
	device, root int64 // root is the source's whole list
	origin       int64 // the record of the machine that it comes by, 0 for the device's own
	parts        []arrivedPart
	whole        bool // it speaks of the whole list: of a part that it does not mention, nothing is there
	uses         []arrivedUse
}

// arrivedPart is what scans say of one part of the list, in the order of their times, each with the time alone where
// nothing is there. One that is not covered is only spoken of: it says nothing of what it leaves out.
type arrivedPart struct {
	part    int64
	scans   []evidence.Scan
	dates   map[evidence.Item]civil.Day // of installation, where a line says so
	covered bool
	keys    map[int64][]evidence.Item // by the time of a scan, the records with the licence keys that it found
}

// arrivedUse is the last day of use of a record, as a scan of a day said.
type arrivedUse struct {
	record     int64
	used, seen civil.Day
}

// arrivals takes what arrives in within one transaction. In any order, or twice, they end the same.
type arrivals struct {
	room                  *Room
	tx                    *sqlite.Tx
	installs, scans, uses *sqlite.Bulk
	res                   *intake.ImportResult
	device                int64 // the last one, and whether anybody had scanned it
	byAny                 bool
	newest                map[int64]int64 // by device, the newest scan that arrived
	keyed                 bool            // somewhere a licence key was found
	kept                  int64           // when the past begins that is kept, in seconds since 1970
}

func (room *Room) newArrivals(tx *sqlite.Tx, res *intake.ImportResult) (t *arrivals, err error) {
	t = &arrivals{room: room, tx: tx, res: res, newest: map[int64]int64{}}
	if t.keyed, err = evidencedb.Keys(tx).Some(0); err != nil {
		return nil, err
	}
	if t.kept, err = past.From(tx); err != nil {
		return nil, err
	}
	if t.installs, err = evidencedb.NewInstalls(tx); err != nil {
		return nil, err
	}
	if t.scans, err = evidencedb.NewScans(tx); err != nil {
		return nil, err
	}
	t.uses, err = evidencedb.NewLastUses(tx)
	return t, err
}

// take merges an arrival into what is known, notes its scans, and marks its device. It says how many of its scans were
// not known. What it writes is there after flush.
func (t *arrivals) take(a *arrival) (fresh int, err error) {
	if err := errors.Join(evidencedb.LayDevice(t.tx, a.device), renewal.TouchDevice(t.tx, a.device)); err != nil {
		return 0, err
	}
	for _, u := range a.uses {
		if err := t.uses.Add(a.device, u.record, int64(u.used), int64(u.seen), a.origin); err != nil {
			return 0, err
		}
	}
	byAny, bySource, err := evidencedb.Scanned(t.tx, a.device, a.root)
	if a.device == t.device { // by what was known before any of what arrives of it now
		byAny = t.byAny
	}
	t.device, t.byAny = a.device, byAny
	if err != nil {
		return 0, err
	}
	fresh = len(a.times())
	if bySource {
		if fresh, err = t.unknown(a); err != nil {
			return 0, err
		}
	}
	t.res.Scans += fresh
	before := t.res.Added + t.res.Changed + t.res.Gone
	if err := errors.Join(t.merge(a, bySource), t.mergeKeys(a)); err != nil {
		return 0, err
	}
	changed := t.res.Added+t.res.Changed+t.res.Gone > before
	// a first scan of all is no change; a mended line joins a scan that was known
	if fresh > 0 && (byAny || len(a.times()) > 1) || fresh == 0 && changed {
		if err := renewal.MarkDevice(t.tx, a.device, a.from()); err != nil {
			return 0, err
		}
	}
	for _, p := range a.parts { // only now, since merging goes by the times that were known before
		for _, s := range p.scans {
			t.newest[a.device] = max(t.newest[a.device], s.At)
			if !p.covered {
				continue
			}
			if err := t.scans.Add(a.device, p.part, s.At); err != nil {
				return 0, err
			}
		}
	}
	return fresh, nil
}

// times are the times of its scans.
func (a *arrival) times() []int64 {
	var out []int64
	for _, p := range a.parts {
		if p.covered {
			for _, s := range p.scans {
				out = append(out, s.At)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// from is when the first of its scans was taken: what happened before is as it was.
func (a *arrival) from() int64 {
	first := int64(math.MaxInt64)
	for _, p := range a.parts {
		for _, s := range p.scans {
			first = min(first, s.At)
		}
	}
	return first
}

// unknown counts the times at which something that it covers is not on record yet.
func (t *arrivals) unknown(a *arrival) (int, error) {
	fresh := map[int64]bool{}
	for _, p := range a.parts {
		if !p.covered {
			continue
		}
		times, err := evidencedb.ScanTimes(t.tx, a.device, p.part, p.part)
		if err != nil {
			return 0, err
		}
		for _, s := range p.scans {
			if _, known := slices.BinarySearch(times, s.At); !known {
				fresh[s.At] = true
			}
		}
	}
	return len(fresh), nil
}

// merge merges its parts into what is known. Of a device that the source never scanned nothing has to be read.
func (t *arrivals) merge(a *arrival, bySource bool) error {
	if !bySource && len(a.parts) == 1 && len(a.parts[0].scans) == 1 {
		return t.addAll(a)
	}
	m := merging{t.tx, a.device, a.root, t.installs, t.res}
	done := map[int64]bool{}
	for _, p := range a.parts {
		if err := m.part(p.part, p.scans, p.dates); err != nil {
			return err
		}
		done[p.part] = true
	}
	if !a.whole {
		return nil
	}
	return m.otherParts(a.parts[0].scans, done)
}

// mergeKeys merges the licence keys that were found into what is known. A device on which none ever was costs nothing.
func (t *arrivals) mergeKeys(a *arrival) error {
	spans := evidencedb.Keys(t.tx)
	if !slices.ContainsFunc(a.parts, func(p arrivedPart) bool { return len(p.keys) > 0 }) {
		if !t.keyed {
			return nil
		}
		if had, err := spans.Some(a.device); err != nil || !had {
			return err
		}
	}
	t.keyed = true
	done := map[int64]bool{}
	for _, p := range a.parts {
		scans := make([]evidence.Scan, len(p.scans))
		for i, s := range p.scans {
			scans[i] = evidence.Scan{At: s.At, Items: p.keys[s.At]}
		}
		if _, err := spans.Merge(a.device, p.part, a.root, scans); err != nil {
			return err
		}
		done[p.part] = true
	}
	if !a.whole {
		return nil
	}
	parts, err := spans.PartsOn(a.device, a.root)
	if err != nil {
		return err
	}
	empty := make([]evidence.Scan, len(a.parts[0].scans))
	for i, s := range a.parts[0].scans {
		empty[i].At = s.At
	}
	for _, p := range parts {
		if !done[p] {
			if _, err := spans.Merge(a.device, p, a.root, empty); err != nil {
				return err
			}
		}
	}
	return nil
}

// addAll adds the installs of a first scan.
func (t *arrivals) addAll(a *arrival) error {
	p := a.parts[0]
	items := p.scans[0].Items
	byItem := func(x, y evidence.Item) int {
		return cmp.Or(cmp.Compare(x.Record, y.Record), cmp.Compare(x.Place, y.Place))
	}
	if !slices.IsSortedFunc(items, byItem) {
		slices.SortFunc(items, byItem)
	}
	for i, it := range items {
		if i > 0 && it == items[i-1] {
			t.res.Same++
			continue
		}
		iv := evidencedb.StoredInterval{
			Interval:    evidence.Interval{Item: it, Since: p.scans[0].At, Until: evidence.Forever},
			InstallDate: p.dates[it],
		}
		if err := evidencedb.AddInstall(t.installs, a.device, p.part, iv); err != nil {
			return err
		}
		t.res.Added++
		t.res.Sample("new", a.device, it.Record)
	}
	return nil
}

// flush writes what was taken.
func (t *arrivals) flush() error {
	return errors.Join(t.installs.Flush(), t.scans.Flush(), t.uses.Flush())
}

// finish writes what was taken, ends the lists that count no more by it, and the orders for scans of its devices.
func (t *arrivals) finish() error {
	if err := t.flush(); err != nil {
		return err
	}
	devices := slices.Sorted(maps.Keys(t.newest))
	ender, err := NewEnder(t.tx, t.room.Clock.Now().Unix())
	if err != nil {
		return err
	}
	for _, device := range devices {
		if _, err := ender.End(device); err != nil {
			return err
		}
	}
	if len(devices) > 1 { // of many devices few have an order
		open, err := evidencedb.OpenOrders(t.tx, nil)
		if err != nil {
			return err
		}
		asked := map[int64]bool{}
		for _, o := range open {
			asked[o.Device] = true
		}
		devices = slices.DeleteFunc(devices, func(device int64) bool { return !asked[device] })
	}
	for _, device := range devices {
		if err := t.room.finishOrders(t.tx, device, t.newest[device]); err != nil {
			return err
		}
	}
	return nil
}

// merging merges scans of one source, root, into what is known of one device.
type merging struct {
	tx           *sqlite.Tx
	device, root int64
	installs     *sqlite.Bulk
	res          *intake.ImportResult
}

// otherParts tells the parts that scans of the whole list do not mention that nothing of them is there.
func (m merging) otherParts(list []evidence.Scan, done map[int64]bool) error {
	parts, err := evidencedb.PartsOn(m.tx, m.device, m.root)
	if err != nil {
		return err
	}
	for _, p := range parts {
		if done[p] {
			continue
		}
		empty := make([]evidence.Scan, len(list))
		for i := range list {
			empty[i].At = list[i].At
		}
		if err := m.part(p, empty, map[evidence.Item]civil.Day{}); err != nil {
			return err
		}
	}
	return nil
}

// part merges scans of one part of the list.
func (m merging) part(part int64, list []evidence.Scan, dates map[evidence.Item]civil.Day) error {
	tx, res := m.tx, m.res
	stored, merged, err := m.merged(part, list, dates)
	if err != nil {
		return err
	}
	type start struct {
		evidence.Item
		since int64
	}
	old := map[start]evidencedb.StoredInterval{}
	for _, iv := range stored {
		old[start{iv.Item, iv.Since}] = iv
		dates[iv.Item] = max(dates[iv.Item], iv.InstallDate)
	}
	for _, iv := range merged {
		key := start{iv.Item, iv.Since}
		before, was := old[key]
		delete(old, key)
		now := evidencedb.StoredInterval{Interval: iv, InstallDate: dates[iv.Item]}
		if was && before == now {
			res.Same++
			continue
		}
		switch {
		case !was:
			res.Added++
			res.Sample("new", m.device, iv.Record)
		case before.Until == evidence.Forever && iv.Until != evidence.Forever:
			res.Gone++
			res.Sample("gone", m.device, iv.Record)
		default:
			res.Changed++
			res.Sample("changed", m.device, iv.Record)
		}
		if err := evidencedb.AddInstall(m.installs, m.device, part, now); err != nil {
			return err
		}
	}
	if len(old) > 0 {
		if err := m.installs.Flush(); err != nil {
			return err
		}
	}
	for _, iv := range old {
		if err := evidencedb.DropInterval(tx, m.device, part, iv.Interval); err != nil {
			return err
		}
		res.Changed++
	}
	return nil
}

// merged reads what is known of a part, as far as scans may change it, and says what becomes of it. Scans that are
// newer than all change nothing of what has ended, but for the day of installation, which is one for all intervals of
// an item.
func (m merging) merged(part int64, scans []evidence.Scan, dates map[evidence.Item]civil.Day) (
	known []evidencedb.StoredInterval, merged []evidence.Interval, err error) {
	k, err := evidencedb.KnownOf(m.tx, m.device, part, m.root)
	if err != nil {
		return nil, nil, err
	}
	if k.FromScans && evidence.Newer(scans, k.Newest) {
		ended, err := evidencedb.EndedIntervals(m.tx, m.device, part, otherwise(k.Open, scans, dates))
		return append(k.Open, ended...), append(evidence.Continue(intervalsOf(k.Open), k.Newest, scans),
			intervalsOf(ended)...), err
	}
	if known, err = evidencedb.Intervals(m.tx, m.device, part); err != nil {
		return nil, nil, err
	}
	times, err := evidencedb.ScanTimes(m.tx, m.device, part, m.root)
	if err != nil {
		return nil, nil, err
	}
	merged, _ = evidence.Merge(intervalsOf(known), times, scans)
	return known, merged, nil
}

// otherwise lists the records that scans say more of than what is open has: that are there anew, or have a later day
// of installation.
func otherwise(open []evidencedb.StoredInterval, scans []evidence.Scan, dates map[evidence.Item]civil.Day) []int64 {
	day := make(map[evidence.Item]civil.Day, len(open))
	for _, iv := range open {
		day[iv.Item] = iv.InstallDate
	}
	var out []int64
	for _, s := range scans {
		for _, it := range s.Items {
			if had, is := day[it]; !is || dates[it] > had {
				out = append(out, it.Record)
			}
		}
	}
	return out
}

func intervalsOf(list []evidencedb.StoredInterval) []evidence.Interval {
	out := make([]evidence.Interval, len(list))
	for i := range list {
		out[i] = list[i].Interval
	}
	return out
}
