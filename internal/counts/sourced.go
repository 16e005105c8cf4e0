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

// reporting is which sources report something, and which of them report it as software and not as a system.
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

// sourcedRow is a row of the table of which sources report the installs of a device.
type sourcedRow struct {
	device            int64
	sources, software string
	installs          int64
}

// SourcedUse is how many of the counted installs of a device the same sources report, none where they are only
// concluded, of one class of use.
type SourcedUse struct {
	Installs       int64
	Class, Sources string
}

// UnmarshalJSON reads it from a list.
func (u *SourcedUse) UnmarshalJSON(text []byte) error {
	return json.Unmarshal(text, &[]any{&u.Installs, &u.Class, &u.Sources})
}

const ofThose = "device_id IN (SELECT value FROM json_each(?))"

// PutSourced counts which sources report the installs of some devices, where a record that is there in several places
// or from several sources is one; and which report what of it is counted, by the class of its use.
func PutSourced(tx *sqlite.Tx, e *snapshot.Snapshot, devices []int64, idle []snapshot.IdleFact) error {
	text, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	list := string(text)
	records, products, err := reportedOn(tx, e, list)
	if err != nil {
		return err
	}
	installs := map[sourcedRow]int64{}
	for of, r := range records {
		installs[sourcedRow{device: of[0], sources: together(r.sources), software: together(r.software)}]++
	}
	use := map[int64]map[SourcedUse]int64{}
	for _, f := range idle {
		u := SourcedUse{Class: f.Class}
		if r := products[[2]int64{f.Device, f.Product}]; r != nil {
			u.Sources = together(r.sources)
		}
		if use[f.Device] == nil {
			use[f.Device] = map[SourcedUse]int64{}
		}
		use[f.Device][u]++
	}
	return errors.Join(putSourced(tx, list, installs), putSourcedUse(tx, list, use))
}

// reportedOn reads which sources report each record, and each product, on some devices: by device and record, and by
// device and product.
func reportedOn(tx *sqlite.Tx, e *snapshot.Snapshot, devices string) (
	records, products map[[2]int64]*reporting, err error) {
	rows, err := tx.QueryContext(tx.Ctx, `SELECT i.device_id, i.record_id, s.name, s.part <> ? FROM install i
		JOIN source s ON s.id = i.source_id WHERE i.until IS NULL AND i.`+ofThose, snapshot.SystemPart, devices)
	if err != nil {
		return nil, nil, err
	}
	records, products = map[[2]int64]*reporting{}, map[[2]int64]*reporting{}
	add := func(to map[[2]int64]*reporting, device, what int64, source string, software bool) {
		key := [2]int64{device, what}
		if to[key] == nil {
			to[key] = &reporting{}
		}
		to[key].add(source, software)
	}
	err = sqlite.Each(rows, func() error {
		var device, record int64
		var source string
		var software bool
		err := rows.Scan(&device, &record, &source, &software)
		add(records, device, record, source, software)
		if m, known := e.Meaning(record); known && m.Product != 0 {
			add(products, device, m.Product, source, software)
		}
		return err
	})
	return records, products, err
}

// putSourced writes which sources report the installs of those devices of a list of which it says something else.
func putSourced(tx *sqlite.Tx, list string, sums map[sourcedRow]int64) error {
	if err := tx.LayRows("sourced", ofThose, list); err != nil {
		return err
	}
	had, err := sqlite.Query(tx, func(r *sql.Rows, v *sourcedRow) error {
		return r.Scan(&v.device, &v.sources, &v.software, &v.installs)
	}, "SELECT device_id, sources, software, installs FROM sourced WHERE "+ofThose, list)
	if err != nil {
		return err
	}
	more, otherwise := map[int64]int{}, map[int64]bool{} // rows than there were
	for s := range sums {
		more[s.device]++
	}
	for _, h := range had {
		more[h.device]--
		key := h
		if key.installs = 0; sums[key] != h.installs {
			otherwise[h.device] = true
		}
	}
	for device, n := range more {
		if n != 0 {
			otherwise[device] = true
		}
	}
	if len(otherwise) == 0 {
		return nil
	}
	var devices []int64
	for device := range otherwise {
		devices = append(devices, device)
	}
	text, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	if _, err := tx.Exec("DELETE FROM sourced WHERE "+ofThose, string(text)); err != nil {
		return err
	}
	var fresh []sourcedRow
	for s, n := range sums {
		if s.installs = n; otherwise[s.device] {
			fresh = append(fresh, s)
		}
	}
	slices.SortFunc(fresh, func(a, b sourcedRow) int {
		return cmp.Or(cmp.Compare(a.device, b.device), cmp.Compare(a.sources, b.sources),
			cmp.Compare(a.software, b.software))
	})
	bulk, err := tx.Bulk(4, "INSERT INTO sourced(device_id, sources, software, installs)", "")
	for i := 0; err == nil && i < len(fresh); i++ {
		err = bulk.Add(fresh[i].device, fresh[i].sources, fresh[i].software, fresh[i].installs)
	}
	return errors.Join(err, bulk.Flush())
}

// putSourcedUse writes which sources report what is counted of those devices of a list of which it says something else.
func putSourcedUse(tx *sqlite.Tx, list string, sums map[int64]map[SourcedUse]int64) error {
	if err := tx.LayRows("sourced_use", ofThose, list); err != nil {
		return err
	}
	type row struct {
		Device int64 `db:"device_id"`
		Uses   string
	}
	had, err := sqlite.Select[row](tx, "SELECT device_id, uses FROM sourced_use WHERE "+ofThose, list)
	if err != nil {
		return err
	}
	was := make(map[int64]string, len(had))
	for _, h := range had {
		if was[h.Device] = h.Uses; len(sums[h.Device]) == 0 {
			if _, err := tx.Exec("DELETE FROM sourced_use WHERE device_id = ?", h.Device); err != nil {
				return err
			}
		}
	}
	for device, of := range sums {
		uses := make([]SourcedUse, 0, len(of))
		for u, n := range of {
			u.Installs = n
			uses = append(uses, u)
		}
		slices.SortFunc(uses, func(a, b SourcedUse) int {
			return cmp.Or(cmp.Compare(a.Class, b.Class), cmp.Compare(a.Sources, b.Sources))
		})
		text, err := usesText(uses)
		if err != nil {
			return err
		}
		if was[device] == text {
			continue
		}
		if _, err := tx.Exec("INSERT INTO sourced_use(device_id, uses) VALUES (?, ?) ON CONFLICT DO UPDATE SET "+
			"uses = excluded.uses", device, text); err != nil {
			return err
		}
	}
	return nil
}

// usesText writes uses as the file has them.
func usesText(uses []SourcedUse) (string, error) {
	list := make([][3]any, len(uses))
	for i, u := range uses {
		list[i] = [3]any{u.Installs, u.Class, u.Sources}
	}
	var out strings.Builder
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false) // as SQLite does
	err := enc.Encode(list)
	return strings.TrimSuffix(out.String(), "\n"), err
}
