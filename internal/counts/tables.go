package counts

import (
	"database/sql"
	"encoding/json"
	"maps"
	"slices"

	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/facts"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

var columns = []string{"device_id", "named", "kind", "age", "turns_at", "cluster", "main_user", "bears", "hosting",
	"before", "installs"}

func (k *kept) values() []any {
	return []any{k.device, k.named, string(k.kind), string(k.age), k.turns, k.cluster, k.user, k.bears, k.hosting,
		k.before, k.installs}
}

// eachKept reads what is kept of some devices. What fn is given is used again after it returns.
func eachKept(tx *sqlite.Tx, devices []int64, fn func(*kept) error) error {
	list, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	rows, err := sqlite.Query(tx, func(r *sql.Rows, k *kept) error {
		return r.Scan(&k.device, &k.named, &k.kind, &k.age, &k.turns, &k.cluster, &k.user, &k.bears, &k.hosting,
			&k.before, &k.installs)
	}, `SELECT device_id, named, kind, age, turns_at, cluster, main_user, bears, hosting, before, installs FROM counted
		WHERE device_id IN (SELECT value FROM json_each(?))`, string(list))
	if err != nil {
		return err
	}
	for i := range rows {
		if err := fn(&rows[i]); err != nil {
			return err
		}
	}
	return nil
}

func read(tx *sqlite.Tx, devices []int64) (map[int64]kept, error) {
	out := map[int64]kept{}
	return out, eachKept(tx, devices, func(k *kept) error {
		out[k.device] = *k
		return nil
	})
}

func putRow(tx *sqlite.Tx, device int64, k kept, has bool) error {
	if !has {
		_, err := tx.Exec("DELETE FROM counted WHERE device_id = ?", device)
		return err
	}
	_, err := tx.Exec(
		`INSERT OR REPLACE INTO counted(device_id, named, kind, age, turns_at, cluster, main_user, bears,
		hosting, before, installs) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		k.values()...)
	return err
}

func putRows(tx *sqlite.Tx, devices []int64, rows []kept) error {
	list, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	return tx.ReplaceWhere("counted", "device_id IN (SELECT value FROM json_each(?))", string(list), 1, columns,
		len(rows), func(i int) []any { return rows[i].values() })
}

// number is the number of a meaning, which gets one where it has none.
func (r *Room) number(m snapshot.Meaning) (int64, error) {
	if n, known := r.numbers[m]; known {
		return n, nil
	}
	r.last++
	r.numbers[m], r.meanings[r.last] = r.last, m
	return r.last, r.bulk.Add(r.last, m.Key, m.Product, m.Edition, m.Version, m.Title, m.Unknown)
}

const insertMeaning = "INSERT INTO counted_as(id, key, product_id, edition, version, title_id, unknown)"

// begin reads the numbers of all meanings that it does not know yet, since another program may have given some, and
// lets more be given.
func (r *Room) begin(tx *sqlite.Tx) error {
	before := r.last
	if err := tx.QueryRowContext(tx.Ctx, "SELECT coalesce(max(id), 0) FROM counted_as").Scan(&r.last); err != nil {
		return err
	}
	var err error
	switch {
	case r.numbers == nil || r.last < before: // what was given was not written
		r.numbers = nil
		err = r.readMeanings(tx, "1")
	case r.last > before:
		err = r.readMeanings(tx, "id > ?", before)
	}
	if err == nil {
		r.bulk, err = tx.Bulk(7, insertMeaning, "")
	}
	return err
}

// know reads what numbers mean that another program may have given.
func (r *Room) know(tx *sqlite.Tx, list []counted) error {
	var missing []int64
	for _, c := range list {
		if _, known := r.meanings[c.meaning()]; !known {
			missing = append(missing, c.meaning())
		}
	}
	if len(missing) == 0 {
		return nil
	}
	text, err := json.Marshal(missing)
	if err != nil {
		return err
	}
	return r.readMeanings(tx, "id IN (SELECT value FROM json_each(?))", string(text))
}

func (r *Room) readMeanings(tx *sqlite.Tx, where string, args ...any) error {
	rows, err := tx.QueryContext(tx.Ctx,
		"SELECT id, key, product_id, edition, version, title_id, unknown FROM counted_as WHERE "+where, args...)
	if err != nil {
		return err
	}
	if r.numbers == nil {
		r.numbers, r.meanings = map[snapshot.Meaning]int64{}, map[int64]snapshot.Meaning{}
	}
	return sqlite.Each(rows, func() error {
		var id int64
		var m snapshot.Meaning
		err := rows.Scan(&id, &m.Key, &m.Product, &m.Edition, &m.Version, &m.Title, &m.Unknown)
		r.numbers[m], r.meanings[id] = id, m
		return err
	})
}

// fleetRow counts devices of one kind by the age of their evidence.
type fleetRow struct{ fresh, stale, never int64 }

func (f fleetRow) plus(age evidence.Age, n int64) fleetRow {
	switch age {
	case evidence.Fresh:
		f.fresh += n
	case evidence.Stale:
		f.stale += n
	default:
		f.never += n
	}
	return f
}

func moveFleet(tx *sqlite.Tx, kind evidence.DeviceKind, n fleetRow) error {
	_, err := tx.Exec(
		`INSERT INTO fleet(kind, fresh, stale, never) VALUES (?1, ?2, ?3, ?4) ON CONFLICT DO UPDATE SET
		fresh = fresh + ?2, stale = stale + ?3, never = never + ?4`,
		string(kind),
		n.fresh,
		n.stale,
		n.never,
	)
	if err != nil {
		return err
	}
	_, err = tx.Exec("DELETE FROM fleet WHERE fresh = 0 AND stale = 0 AND never = 0")
	return err
}

// PutFleet keeps how many devices there are of each kind.
func PutFleet(tx *sqlite.Tx, fleet map[evidence.DeviceKind]position.Fleet) error {
	kinds := slices.Sorted(maps.Keys(fleet))
	return tx.Replace("fleet", 1, []string{"kind", "fresh", "stale", "never"}, len(kinds), func(i int) []any {
		f := fleet[kinds[i]]
		return []any{string(kinds[i]), f.Fresh, f.Stale, f.Never}
	})
}

// around is what may rest on devices that became others.
type around struct {
	devices         []int64
	users, clusters map[string]bool
}

// list lists the devices whose demand may rest on these.
func (a *around) list(tx *sqlite.Tx) ([]int64, error) {
	delete(a.users, "")
	delete(a.clusters, "")
	if len(a.devices)+len(a.users)+len(a.clusters) == 0 {
		return nil, nil
	}
	text, err := json.Marshal(
		[]any{a.devices, slices.Sorted(maps.Keys(a.users)), slices.Sorted(maps.Keys(a.clusters))},
	)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[int64](tx, `WITH
		same AS (SELECT id, code FROM device WHERE id IN (SELECT value FROM json_each(?1, '$[0]'))
			UNION SELECT id, code FROM device WHERE cluster IN (SELECT value FROM json_each(?1, '$[2]'))),
		named AS (SELECT value AS name FROM json_each(?1, '$[1]') UNION SELECT key FROM person_record
			WHERE counts_as IN (SELECT value FROM json_each(?1, '$[1]')))
		SELECT id FROM same UNION SELECT id FROM device WHERE host_id <> '' AND host_id IN (SELECT code FROM same)
		UNION SELECT device_id FROM device_was WHERE host_id <> '' AND host_id IN (SELECT code FROM same)
		UNION SELECT id FROM device WHERE primary_user IN (SELECT name FROM named)`, string(text))
}

// Turning lists devices of which some evidence has become of another age.
func Turning(tx *sqlite.Tx, now int64, most int) ([]int64, error) {
	return sqlite.Select[int64](tx,
		"SELECT device_id FROM counted WHERE turns_at <> 0 AND turns_at <= ? ORDER BY turns_at LIMIT ?", now, most)
}

// InTime is what of devices lies at another time than the day that is counted.
type InTime struct {
	before map[int64][]counted // the titles whose support ends that were on them a year before
	soon   map[int64]int64     // from when on something of them is known that says of itself that it is yet to come
}

// ReadInTime reads what of some devices lies at another time; nil is all.
func ReadInTime(tx *sqlite.Tx, e *snapshot.Snapshot, devices []int64) (in InTime, err error) {
	if in.before, err = yearBefore(tx, e, devices); err != nil {
		return in, err
	}
	in.soon, err = yetToCome(tx, e.At, devices)
	return in, err
}

// yetToCome says from when on something of devices holds that is known already: a clock that goes ahead reports of a
// time to come, and a list may end then. devices nil is all.
func yetToCome(tx *sqlite.Tx, at int64, devices []int64) (map[int64]int64, error) {
	args, of := []any{at}, func(string) string { return "" }
	if devices != nil {
		text, err := json.Marshal(devices)
		if err != nil {
			return nil, err
		}
		args = append(args, string(text))
		of = func(column string) string { return " AND " + column + " IN (SELECT value FROM json_each(?2))" }
	}
	rows, err := tx.QueryContext(tx.Ctx, `SELECT device_id, min(at) FROM (
		SELECT id AS device_id, last_scan AS at FROM device WHERE last_scan > ?1`+of("id")+`
		UNION ALL SELECT id, listed_at FROM device WHERE listed_at > ?1`+of("id")+`
		UNION ALL SELECT device_id, at FROM scan WHERE at > ?1`+of("device_id")+`
		UNION ALL SELECT device_id, at FROM fact_scan WHERE at > ?1`+of("device_id")+`
		UNION ALL SELECT device_id, started_at FROM use_session WHERE started_at > ?1`+of("device_id")+`
		UNION ALL SELECT device_id, until FROM device_was WHERE until > ?1`+of("device_id")+`
		UNION ALL SELECT device_id, until FROM hardware WHERE until > ?1`+of("device_id")+`
		UNION ALL SELECT device_id, since FROM install WHERE since > ?1`+of("device_id")+`
		UNION ALL SELECT device_id, until FROM install WHERE until > ?1`+of("device_id")+`
		) GROUP BY device_id`, args...)
	if err != nil {
		return nil, err
	}
	out := map[int64]int64{}
	return out, sqlite.Each(rows, func() error {
		var device, soon int64
		err := rows.Scan(&device, &soon)
		out[device] = soon
		return err
	})
}

// yearBefore lists the titles whose support ends that were on devices a year before the day of a snapshot; devices nil
// is all.
func yearBefore(tx *sqlite.Tx, e *snapshot.Snapshot, devices []int64) (map[int64][]counted, error) {
	out := map[int64][]counted{}
	var titles []int64
	for _, p := range e.Catalogue.Products() {
		for i := range p.Titles {
			if _, last := snapshot.DatesOf(&p.Titles[i]).Bounds(); last.Known() {
				titles = append(titles, p.Titles[i].ID)
			}
		}
	}
	text, err := json.Marshal([2][]int64{titles, devices})
	if err != nil || len(titles) == 0 {
		return out, err
	}
	of := ""
	if devices != nil {
		of = " AND i.device_id IN (SELECT value FROM json_each(?1, '$[1]'))"
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT DISTINCT i.device_id, n.title_id FROM recognition n JOIN install i "+
			"ON i.record_id = n.record_id WHERE n.title_id IN (SELECT value FROM json_each(?1, '$[0]'))"+of+
			" AND i.since <= ?2 AND (i.until IS NULL OR i.until > ?2)",
		string(text),
		e.AsOf.AddMonths(-12).EndUnix()-1,
	)
	if err != nil {
		return nil, err
	}
	return out, sqlite.Each(rows, func() error {
		var device, title int64
		err := rows.Scan(&device, &title)
		out[device] = append(out[device], counted(title))
		return err
	})
}

// Know reads what all numbers mean that were given.
func (r *Room) Know(tx *sqlite.Tx) error { return r.readMeanings(tx, "1") }

// Left lists devices of which something is kept and that are there no more.
func Left(tx *sqlite.Tx) ([]int64, error) {
	return sqlite.Select[int64](tx, "SELECT device_id FROM counted WHERE device_id NOT IN (SELECT id FROM device)")
}

// PutNamesakes says of all devices with some names, in small letters, how many others have the same.
func PutNamesakes(tx *sqlite.Tx, names []string) error {
	for _, name := range names {
		if _, err := tx.Exec(`UPDATE device_fact SET namesakes = (SELECT count(*) - 1 FROM counted WHERE named = ?1)
			WHERE device_id IN (SELECT device_id FROM counted WHERE named = ?1)`, name); err != nil {
			return err
		}
	}
	return nil
}

// PutProducts moves the sums of products. What was found of their versions is moved before.
func PutProducts(tx *sqlite.Tx, m *Moved) error {
	otherVersions := map[int64]bool{}
	for v, s := range m.Versions {
		otherVersions[v.Product] = otherVersions[v.Product] || s != Sums{}
	}
	for _, id := range slices.Sorted(maps.Keys(m.Products)) {
		s := m.Products[id]
		if s == (ProductSums{}) && !otherVersions[id] {
			continue
		}
		if err := facts.MoveProduct(tx, snapshot.ProductFact{
			Product:  id,
			Installs: s.Installs,
			Devices:  s.Devices,
			Stale:    s.Stale,
			Counted:  s.Counted,
			Folded:   s.Folded,
			LeftOut:  s.LeftOut,
		}); err != nil {
			return err
		}
	}
	return nil
}
