package counts

import (
	"cmp"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"strings"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// SourceSeparator stands between the names of sources that report the same.
const SourceSeparator = "\x1f"

// sourcedRow counts installs, or uses, of a device that fall to the same two texts.
type sourcedRow struct {
	device, n int64
	of        [2]string
}

// sourcedTable is a table of device_id, two texts and how many fall to them.
type sourcedTable struct{ name, columns string }

// The tables: installs by all their sources and by those that report them as software and not as its system, and what
// is counted by the sources that report it, none where it is only concluded, and by the class of its use.
var (
	sourcedInstalls = sourcedTable{"sourced", "device_id, sources, software, installs"}
	sourcedUse      = sourcedTable{"sourced_use", "device_id, sources, class, installs"}
)

// reporting is which sources report something.
type reporting struct{ sources, software []string }

func (r *reporting) add(source string, software bool) {
	if !slices.Contains(r.sources, source) {
		r.sources = append(r.sources, source)
	}
	if software && !slices.Contains(r.software, source) {
		r.software = append(r.software, source)
	}
}

func together(names []string) string {
	slices.Sort(names)
	return strings.Join(names, SourceSeparator)
}

// PutSourced counts which sources report the installs of some devices, in order, where a record that is there in
// several places or from several sources is one; and which report what of it is counted, by the class of its use.
func PutSourced(tx *sqlite.Tx, e *snapshot.Snapshot, devices []int64, idle []snapshot.IdleFact) error {
	text, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	list := string(text)
	records, products := map[[2]int64]*reporting{}, map[[2]int64]*reporting{}
	add := func(to map[[2]int64]*reporting, key [2]int64, source string, software bool) {
		if to[key] == nil {
			to[key] = &reporting{}
		}
		to[key].add(source, software)
	}
	rows, err := tx.QueryContext(tx.Ctx, `SELECT i.device_id, i.record_id, s.name, s.part <> ? FROM install i
		JOIN source s ON s.id = i.source_id WHERE i.until IS NULL AND i.device_id IN (SELECT value FROM json_each(?))`,
		snapshot.SystemPart, list)
	if err != nil {
		return err
	}
	if err := sqlite.Each(rows, func() error {
		var device, record int64
		var source string
		var software bool
		err := rows.Scan(&device, &record, &source, &software)
		add(records, [2]int64{device, record}, source, software)
		if m, known := e.Meaning(record); known && m.Product != 0 {
			add(products, [2]int64{device, m.Product}, source, software)
		}
		return err
	}); err != nil {
		return err
	}
	installs, use := map[sourcedRow]int64{}, map[sourcedRow]int64{}
	for of, r := range records {
		installs[sourcedRow{device: of[0], of: [2]string{together(r.sources), together(r.software)}}]++
	}
	for _, f := range idle {
		sources := ""
		if r := products[[2]int64{f.Device, f.Product}]; r != nil {
			sources = together(r.sources)
		}
		use[sourcedRow{device: f.Device, of: [2]string{sources, f.Class}}]++
	}
	return errors.Join(sourcedInstalls.put(tx, list, installs), sourcedUse.put(tx, list, use))
}

// put has the table say this of the devices of a list, and writes those of which it says something else.
func (t sourcedTable) put(tx *sqlite.Tx, list string, sums map[sourcedRow]int64) error {
	const ofThose = "device_id IN (SELECT value FROM json_each(?))"
	if err := tx.LayRows(t.name, ofThose, list); err != nil {
		return err
	}
	had, err := sqlite.Query(tx, func(r *sql.Rows, v *sourcedRow) error {
		return r.Scan(&v.device, &v.of[0], &v.of[1], &v.n)
	}, "SELECT "+t.columns+" FROM "+t.name+" WHERE "+ofThose, list)
	if err != nil {
		return err
	}
	otherwise := map[int64]bool{}
	for _, h := range had {
		key := h
		key.n = 0
		if sums[key] != h.n {
			otherwise[h.device] = true
		}
	}
	there := make(map[int64]int, len(had))
	for _, h := range had {
		there[h.device]++
	}
	for s := range sums {
		there[s.device]--
	}
	var devices []int64
	for device, n := range there {
		if n != 0 {
			otherwise[device] = true
		}
	}
	for device := range otherwise {
		devices = append(devices, device)
	}
	if len(devices) == 0 {
		return nil
	}
	text, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	if _, err := tx.Exec("DELETE FROM "+t.name+" WHERE "+ofThose, string(text)); err != nil {
		return err
	}
	var fresh []sourcedRow
	for s, n := range sums {
		if s.n = n; otherwise[s.device] {
			fresh = append(fresh, s)
		}
	}
	slices.SortFunc(fresh, func(a, b sourcedRow) int {
		return cmp.Or(cmp.Compare(a.device, b.device), cmp.Compare(a.of[0], b.of[0]), cmp.Compare(a.of[1], b.of[1]))
	})
	bulk, err := tx.Bulk(4, "INSERT INTO "+t.name+"("+t.columns+")", "")
	for i := 0; err == nil && i < len(fresh); i++ {
		err = bulk.Add(fresh[i].device, fresh[i].of[0], fresh[i].of[1], fresh[i].n)
	}
	return errors.Join(err, bulk.Flush())
}
