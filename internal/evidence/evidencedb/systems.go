package evidencedb

import (
	"cmp"
	"database/sql"
	"slices"

	"ensomet/internal/core/evidence"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// systemLists is the source of the operating systems that lists of devices name, where no scan ever named one.
const systemLists = "device lists"

// keptSystem is an operating system as it stands among the installs of a device, under its part of a source's list.
type keptSystem struct {
	source, record, place int64
	evidence.SystemAt
}

// systemsOn reads the operating systems among the installs of a device.
func systemsOn(tx *sqlite.Tx, device int64) ([]keptSystem, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *keptSystem) error {
		var until sql.NullInt64
		err := r.Scan(&v.source, &v.record, &v.place, &v.Name, &v.Version, &v.Since, &until)
		v.Until = evidence.Forever
		if until.Valid {
			v.Until = until.Int64
		}
		return err
	}, `SELECT i.source_id, i.record_id, i.place_id, r.name, r.version, i.since,
		CASE WHEN i.cut THEN NULL ELSE i.until END FROM install i
		JOIN record r ON r.id = i.record_id
		WHERE i.device_id = ? AND i.source_id IN (SELECT id FROM source WHERE part = ?)
		ORDER BY i.source_id, i.since`, device, snapshot.SystemPart)
}

// keepSystems keeps the operating system of a device among its installs, where it is recognised and counted like any
// other: what each source reported from when until when; before the first of them, what lists said.
func keepSystems(tx *sqlite.Tx, device int64, said evidence.Facts, listed int64, reports []FactReport) error {
	if err := tx.LayRows("install", "device_id = ?", device); err != nil {
		return err
	}
	had, err := systemsOn(tx, device)
	if err != nil {
		return err
	}
	bySource := map[string][]evidence.FactsAt{}
	for _, r := range reports {
		bySource[r.SourceName] = append(bySource[r.SourceName], r.FactsAt)
	}
	first := evidence.Forever
	var want []keptSystem
	keep := func(part int64, list []evidence.SystemAt) {
		for _, s := range list {
			want = append(want, keptSystem{source: part, SystemAt: s})
		}
	}
	for name, facts := range bySource {
		list := evidence.SystemsOf(facts)
		if len(list) == 0 {
			continue
		}
		part, err := Source(tx, name, snapshot.SystemPart)
		if err != nil {
			return err
		}
		first = min(first, list[0].Since)
		keep(part, list)
	}
	now := evidence.System{Name: said["os_name"], Version: said["os_version"]}
	if now.Name == "" {
		now.Version = ""
	}
	if now.Name == "" && len(had) == 0 && len(want) == 0 {
		return nil
	}
	lists, err := Source(tx, systemLists, snapshot.SystemPart)
	if err != nil {
		return err
	}
	var known []evidence.SystemAt
	for _, h := range had {
		if h.source == lists {
			known = append(known, h.SystemAt)
		}
	}
	keep(lists, evidence.ListedSystem(known, now, listed, first))
	return writeSystems(tx, device, had, want)
}

// writeSystems writes what differs from what is there.
func writeSystems(tx *sqlite.Tx, device int64, had, want []keptSystem) error {
	same := func(a, b keptSystem) bool {
		return a.source == b.source && a.System == b.System && a.Since == b.Since
	}
	for _, h := range had {
		if slices.ContainsFunc(want, func(w keptSystem) bool { return same(h, w) }) {
			continue
		}
		if _, err := tx.Exec("DELETE FROM install WHERE device_id = ? AND source_id = ? AND record_id = ? AND "+
			"place_id = ? AND since = ?", device, h.source, h.record, h.place, h.Since); err != nil {
			return err
		}
	}
	slices.SortFunc(want, func(a, b keptSystem) int {
		return cmp.Or(cmp.Compare(a.source, b.source), cmp.Compare(a.Since, b.Since))
	})
	for _, w := range want {
		if slices.ContainsFunc(had, func(h keptSystem) bool { return same(h, w) && h.Until == w.Until }) {
			continue
		}
		if err := addSystem(tx, device, w); err != nil {
			return err
		}
	}
	return nil
}

// systemRecord finds the raw record r of an operating system, which has a name and a version alone.
const systemRecord = `r.publisher = '' AND r.name = ? AND r.version = ? AND r.edition = '' AND r.architecture = ''
	AND r.language = '' AND r.file_name = '' AND r.tag_id = '' AND r.purl = '' AND r.cpe = ''`

// addSystem writes an operating system among the installs of a device; one that is there already takes the new end.
func addSystem(tx *sqlite.Tx, device int64, w keptSystem) error {
	var until any
	if w.Until != evidence.Forever {
		until = w.Until
	}
	for range 2 {
		n, err := tx.Touched(
			`INSERT INTO install(device_id, source_id, record_id, place_id, since, until, install_date)
			SELECT ?, ?, min(r.id), min(p.id), ?, ?, 0 FROM record r, place p
			WHERE `+systemRecord+` AND p.path = '' AND p.custom = '' AND p.included = 0 HAVING count(*) > 0
			ON CONFLICT DO UPDATE SET until = excluded.until, cut = 0`,
			device,
			w.source,
			w.Since,
			until,
			w.Name,
			w.Version,
		)
		if err != nil || n > 0 {
			return err
		}
		// the record or the empty place is not there yet
		if _, err := tx.Exec(`INSERT INTO record(publisher, name, version, edition, architecture, language,
			file_name, tag_id, purl, cpe) SELECT '', ?, ?, '', '', '', '', '', '', ''
			WHERE NOT EXISTS (SELECT 1 FROM record r WHERE `+systemRecord+`)`, w.Name, w.Version, w.Name,
			w.Version); err != nil {
			return err
		}
		if _, err := tx.Exec("INSERT OR IGNORE INTO place(path, custom) VALUES ('', '')"); err != nil {
			return err
		}
	}
	return sqlite.ErrNotFound
}

// KeepDueSystems does for some devices of an older file what each does by itself when anything new is known of it. It
// says how many they were, and whether there are more.
func KeepDueSystems(tx *sqlite.Tx, most int) (done int, more bool, err error) {
	list, err := sqlite.Select[int64](tx, "SELECT device_id FROM system_due ORDER BY device_id LIMIT ?", most)
	if err != nil {
		return 0, false, err
	}
	for _, device := range list {
		said, listed, err := Stated(tx, device)
		if err != nil {
			return 0, false, err
		}
		reports, err := FactReports(tx, device)
		if err != nil {
			return 0, false, err
		}
		if err := keepSystems(tx, device, said, listed, reports); err != nil {
			return 0, false, err
		}
		if _, err := tx.Exec("DELETE FROM system_due WHERE device_id = ?", device); err != nil {
			return 0, false, err
		}
	}
	err = tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM system_due)").Scan(&more)
	return len(list), more, err
}
