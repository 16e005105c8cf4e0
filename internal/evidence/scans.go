package evidence

import (
	"cmp"
	"errors"
	"maps"
	"slices"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// scanLine is an install line in a compact form: a million of them fit in 64 MB.
type scanLine struct {
	device, source int32
	record, place  int32
	at             int64
	installed      civil.Day
	lastUsed       civil.Day
}

// installWriter gathers lines and writes them scan by scan. Lines with one device, source and time are parts
// of one scan.
func (svc *Service) installWriter(tx *sqlite.Tx, settings *snapshot.Settings, asOf time.Time) (*intake.Writer, error) {
	devices, err := newDeviceFinder(tx)
	if err != nil {
		return nil, err
	}
	records, err := evidencedb.Records(tx)
	if err != nil {
		return nil, err
	}
	sources, err := evidencedb.Sources(tx)
	if err != nil {
		return nil, err
	}
	places, err := evidencedb.Places(tx)
	if err != nil {
		return nil, err
	}
	zones, err := snapshot.DeviceSites(tx)
	if err != nil {
		return nil, err
	}
	var lines []scanLine
	put := func(row *formats.Row) (sqlite.Change, error) {
		in, err := formats.ParseInstall(row, settings.Zone)
		if err != nil {
			return sqlite.Same, err
		}
		device, err := devices.find(in.Device)
		if err != nil {
			return sqlite.Same, intake.RefuseFor(row, err)
		}
		// times without offset are of the device's site
		if zone := settings.ZoneOf(zones[device]); zone != settings.Zone {
			if in, err = formats.ParseInstall(row, zone); err != nil {
				return sqlite.Same, err
			}
		}
		if in.Source == "" {
			in.Source = "file"
		}
		if in.SeenAt == 0 {
			in.SeenAt = asOf.Unix()
		}
		source := sources[in.Source]
		if source == 0 {
			if source, err = evidencedb.Source(tx, in.Source, ""); err != nil {
				return sqlite.Same, err
			}
			sources[in.Source] = source
		}
		record, err := evidencedb.Record(records, in.Record)
		if err != nil {
			return sqlite.Same, err
		}
		place, err := evidencedb.Place(places, in.InstallPath, in.Custom)
		if err != nil {
			return sqlite.Same, err
		}
		lines = append(
			lines,
			scanLine{int32(device), int32(source), int32(record), int32(place), in.SeenAt, in.InstallDate,
				in.LastUsed},
		)
		return sqlite.Same, nil
	}
	return &intake.Writer{
		Put:    put,
		Finish: func(res *intake.ImportResult) error { return svc.writeScans(tx, lines, res) },
	}, nil
}

func (svc *Service) writeScans(tx *sqlite.Tx, lines []scanLine, res *intake.ImportResult) error {
	order := func(a, b scanLine) int {
		return cmp.Or(
			cmp.Compare(a.device, b.device),
			cmp.Compare(a.source, b.source),
			cmp.Compare(a.at, b.at),
			cmp.Compare(a.record, b.record),
			cmp.Compare(a.place, b.place),
		)
	}
	if !slices.IsSortedFunc(lines, order) {
		slices.SortFunc(lines, order)
	}
	scanned, err := evidencedb.ScannedPairs(tx)
	if err != nil {
		return err
	}
	installs, err := evidencedb.NewInstalls(tx)
	if err != nil {
		return err
	}
	scans, err := evidencedb.NewScans(tx)
	if err != nil {
		return err
	}
	uses, err := evidencedb.NewLastUses(tx)
	if err != nil {
		return err
	}
	res.Same = 0
	for from := 0; from < len(lines); {
		to := from + 1
		for to < len(lines) && lines[to].device == lines[from].device && lines[to].source == lines[from].source {
			to++
		}
		if err := writeDevice(tx, lines[from:to], scanned, installs, scans, uses, res); err != nil {
			return err
		}
		from = to
	}
	if err := errors.Join(installs.Flush(), scans.Flush(), uses.Flush()); err != nil {
		return err
	}
	return svc.finishAsked(tx, lines)
}

// finishAsked ends the orders for scans of devices of which lines have come.
func (svc *Service) finishAsked(tx *sqlite.Tx, lines []scanLine) error {
	open, err := evidencedb.OpenOrders(tx, nil)
	if err != nil || len(open) == 0 {
		return err
	}
	asked, newest := map[int64]bool{}, map[int64]int64{}
	for _, o := range open {
		asked[o.Device] = true
	}
	for _, l := range lines {
		if device := int64(l.device); asked[device] {
			newest[device] = max(newest[device], l.at)
		}
	}
	for _, device := range slices.Sorted(maps.Keys(newest)) {
		if err := svc.finishOrders(tx, device, newest[device]); err != nil {
			return err
		}
	}
	return nil
}

// writeDevice merges the scans of one source on one device into what is known.
func writeDevice(
	tx *sqlite.Tx,
	lines []scanLine,
	scanned map[[2]int64]bool,
	installs, scans, uses *sqlite.Bulk,
	res *intake.ImportResult,
) error {
	device, source := int64(lines[0].device), int64(lines[0].source)
	if err := evidencedb.LayDevice(tx, device); err != nil {
		return err
	}
	var list []evidence.Scan
	dates := map[evidence.Item]civil.Day{}
	for i, l := range lines {
		if i == 0 || lines[i-1].at != l.at {
			list = append(list, evidence.Scan{At: l.at})
		}
		it := evidence.Item{Record: int64(l.record), Place: int64(l.place)}
		s := &list[len(list)-1]
		s.Items = append(s.Items, it)
		if l.installed.Known() {
			dates[it] = max(dates[it], l.installed)
		}
		if l.lastUsed.Known() {
			if err := uses.Add(device, int64(l.record), int64(l.lastUsed), int64(civil.OfUnix(l.at))); err != nil {
				return err
			}
		}
	}
	fresh, err := unknownScans(tx, device, source, list, scanned)
	if err != nil {
		return err
	}
	res.Scans += fresh
	if fresh > 0 && (scanned[[2]int64{device, 0}] || len(list) > 1) { // a first scan of all is no change
		if err := renewal.MarkDevice(tx, device); err != nil {
			return err
		}
	}
	before := res.Added + res.Changed + res.Gone
	if !scanned[[2]int64{device, source}] && len(list) == 1 {
		for i, it := range list[0].Items {
			if i > 0 && it == list[0].Items[i-1] {
				res.Same++
				continue
			}
			iv := evidencedb.StoredInterval{
				Interval:    evidence.Interval{Item: it, Since: list[0].At, Until: evidence.Forever},
				InstallDate: dates[it],
			}
			if err := evidencedb.AddInstall(installs, device, source, iv); err != nil {
				return err
			}
			res.Added++
			res.Sample("new", device, it.Record)
		}
		return scans.Add(device, source, list[0].At)
	}
	m := merging{tx, device, source, installs, res}
	if err := m.part(source, list, dates); err != nil {
		return err
	}
	if err := m.otherParts(list, map[int64]bool{source: true}); err != nil {
		return err
	}
	if fresh == 0 && res.Added+res.Changed+res.Gone > before { // a mended line joins a scan that was known
		if err := renewal.MarkDevice(tx, device); err != nil {
			return err
		}
	}
	for _, s := range list { // only now, since merging goes by the times that were known before
		if err := scans.Add(device, source, s.At); err != nil {
			return err
		}
	}
	return nil
}

// unknownScans counts the scans of a source on a device that are not on record yet.
func unknownScans(tx *sqlite.Tx, device, source int64, list []evidence.Scan, scanned map[[2]int64]bool) (int, error) {
	if !scanned[[2]int64{device, source}] {
		return len(list), nil
	}
	times, err := evidencedb.ScanTimes(tx, device, source, source)
	if err != nil {
		return 0, err
	}
	n := 0
	for _, s := range list {
		if _, known := slices.BinarySearch(times, s.At); !known {
			n++
		}
	}
	return n, nil
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
	times, err := evidencedb.ScanTimes(tx, m.device, part, m.root)
	if err != nil {
		return err
	}
	stored, err := evidencedb.Intervals(tx, m.device, part)
	if err != nil {
		return err
	}
	type start struct {
		evidence.Item
		since int64
	}
	old := map[start]evidencedb.StoredInterval{}
	known := make([]evidence.Interval, 0, len(stored))
	for _, iv := range stored {
		old[start{iv.Item, iv.Since}] = iv
		known = append(known, iv.Interval)
		dates[iv.Item] = max(dates[iv.Item], iv.InstallDate)
	}
	merged, _ := evidence.Merge(known, times, list)
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
