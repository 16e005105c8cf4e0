package evidencedb

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"sync"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// resolved are the columns of a device that hold the newest evidence; devices.csv or a directory states them, scans
// report them.
var resolved = []string{
	"name",
	"kind",
	"os_name",
	"os_version",
	"ip_address",
	"processors",
	"cores",
	"virtual_cores",
	"portable",
	"primary_user",
}

// stated is what a list says of a device in the columns that scans speak of too.
func stated(d formats.Device) string {
	text := func(n int64) string {
		if n == 0 {
			return ""
		}
		return strconv.FormatInt(n, 10)
	}
	b, _ := json.Marshal(
		evidence.Facts{
			"name":       d.Name,
			"kind":       string(d.Kind),
			"os_name":    d.OSName,
			"os_version": d.OSVersion,
			"ip_address": d.IPAddress,
			"processors": text(d.Processors),
			"cores":      text(d.Cores),
			// a map of texts can always be written
			"virtual_cores": text(d.VirtualCores),
			"portable":      string(d.Portable),
			"primary_user":  d.PrimaryUser,
		},
	)
	return string(b)
}

// DevicesNamed lists the numbers of the devices of a name, whatever the case.
func DevicesNamed(tx *sqlite.Tx, name string) ([]int64, error) {
	return sqlite.Select[int64](tx, "SELECT id FROM device WHERE name = ? COLLATE NOCASE ORDER BY id LIMIT 10",
		name,
	)
}

// DeviceNames reads the name of every device.
func DeviceNames(tx *sqlite.Tx) (map[int64]string, error) {
	type named struct {
		id   int64
		name string
	}
	list, err := sqlite.Query(tx, func(r *sql.Rows, v *named) error { return r.Scan(&v.id, &v.name) },
		"SELECT id, name FROM device")
	out := make(map[int64]string, len(list))
	for _, v := range list {
		out[v.id] = v.name
	}
	return out, err
}

// AddSeenDevice adds a device that no list has and a scan reports.
func AddSeenDevice(tx *sqlite.Tx, code, name, kind string) (int64, error) {
	return tx.Insert(
		`INSERT INTO device(code, name, kind, environment, org_unit, site, country, ip_address, directory_path,
			primary_user, os_name, os_version, processors, cores, virtual_cores, core_factor, host_id, cluster, pinned,
			portable, status, last_scan, custom, hash, stated)
		VALUES (?, ?, ?, 'production', '', '', '', '', '', '', '', '', 0, 0, 0, '', '', '', '', '', 'in_service', 0,
		'', x'', '')`,
		code,
		name,
		kind,
	)
}

// FactReport is what a source reported of a device from one scan on until another. Source names it for people.
type FactReport struct {
	evidence.FactsAt
	SourceName string
	Last       int64 // the newest scan of that source that spoke of facts
}

// FactReports lists what sources reported of a device's hardware.
func FactReports(tx *sqlite.Tx, device int64) ([]FactReport, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *FactReport) error {
		var content string
		var until sql.NullInt64
		if err := r.Scan(&v.Source, &v.SourceName, &content, &v.Since, &until, &v.Last); err != nil {
			return err
		}
		v.Until = evidence.Forever
		if until.Valid {
			v.Until = until.Int64
		}
		return json.Unmarshal([]byte(content), &v.Facts)
	}, `SELECT h.source_id, s.name, f.content, h.since, h.until, (SELECT max(at) FROM fact_scan c
		WHERE c.device_id = h.device_id AND c.source_id = h.source_id)
		FROM hardware h JOIN source s ON s.id = h.source_id JOIN fact_set f ON f.id = h.fact_id WHERE h.device_id = ?
		ORDER BY h.source_id, h.since`, device)
}

// Stated returns what lists state of a device; empty where none has it.
func Stated(tx *sqlite.Tx, device int64) (facts evidence.Facts, listed int64, err error) {
	var text string
	if err := tx.QueryRowContext(tx.Ctx, "SELECT stated, listed_at FROM device WHERE id = ?", device).Scan(&text,
		&listed); err != nil {
		return nil, 0, err
	}
	facts = evidence.Facts{}
	if text != "" {
		err = json.Unmarshal([]byte(text), &facts)
	}
	return facts, listed, err
}

// MainUserDays is how many days before the newest log-on decide who a device's main user is.
const MainUserDays = 90

// ResolveDevice brings a device's columns in line with all that is known of it: the newest report of each fact, else
// what lists state; its main user is who logged on most, else whom lists name. The kind that a list states goes
// before that of a scan.
func ResolveDevice(tx *sqlite.Tx, device int64) error {
	said, listed, err := Stated(tx, device)
	if err != nil {
		return err
	}
	reports, err := FactReports(tx, device)
	if err != nil {
		return err
	}
	if err := keepSystems(tx, device, said, listed, reports); err != nil {
		return err
	}
	logons, err := Logons(tx, device)
	if err != nil {
		return err
	}
	if len(reports) == 0 && len(logons) == 0 {
		return nil
	}
	var list []evidence.FactsAt
	seen := map[int64]int64{}
	for _, r := range reports {
		list = append(list, r.FactsAt)
		seen[r.Source] = r.Last
	}
	now := evidence.Resolve(said, list, seen)
	if listed != 0 && said["kind"] != "" {
		now["kind"] = said["kind"]
	}
	newest := int64(0)
	for _, l := range logons {
		newest = max(newest, l.At)
	}
	if user := evidence.MainUser(logons, newest-MainUserDays*86400); user != "" {
		now["primary_user"] = user
	}
	set, args := "", []any{}
	for _, column := range resolved {
		v, known := now[column]
		if !known {
			continue
		}
		var value any = v
		if column == "processors" || column == "cores" || column == "virtual_cores" {
			n, err := strconv.ParseInt(v, 10, 64)
			if err != nil {
				continue
			}
			value = n
		}
		if set != "" {
			set += ", "
		}
		set += column + " = ?"
		args = append(args, value)
	}
	if set == "" {
		return nil
	}
	_, err = tx.Exec("UPDATE device SET "+set+" WHERE id = ?", append(args, device)...)
	return err
}

// Logons lists who was logged on to a device.
func Logons(tx *sqlite.Tx, device int64) ([]evidence.Logon, error) {
	return sqlite.Select[evidence.Logon](tx, `SELECT person_code AS user, at FROM logon
		WHERE device_id = ? ORDER BY at`,
		device,
	)
}

// PutLogon notes that a user was logged on.
func PutLogon(tx *sqlite.Tx, device int64, user string, at int64) error {
	_, err := tx.Exec("INSERT OR IGNORE INTO logon(device_id, person_code, at) VALUES (?, ?, ?)", device, user, at)
	return err
}

// Fact intervals and file intervals have the same form as installs: a record number and a place.
type spanTable struct {
	table, item, place string
	scans              string // the table of the scans that spoke of them
	cut                bool   // rows end with the list that they stand in
}

// The tables that keep what scans reported besides installs.
var (
	hardwareSpans = spanTable{"hardware", "fact_id", "", "fact_scan", false}
	fileSpans     = spanTable{"device_file", "file_id", "place_id", "fact_scan", true}
	keySpans      = spanTable{"install_key", "record_id", "key_id", "scan", true}
)

// Spans reads or writes intervals of one of the tables.
type Spans struct {
	tx *sqlite.Tx
	t  spanTable
}

// Hardware gives the hardware facts, Files the files that scans reported.
func Hardware(tx *sqlite.Tx) Spans { return Spans{tx, hardwareSpans} }

// Files gives the files that scans reported.
func Files(tx *sqlite.Tx) Spans { return Spans{tx, fileSpans} }

// Keys gives the licence keys that scans found with installs: records, and in the place of their place the key.
func Keys(tx *sqlite.Tx) Spans { return Spans{tx, keySpans} }

// Some reports whether the table has anything, of one device or, with 0, of any.
func (s Spans) Some(device int64) (some bool, err error) {
	err = s.tx.QueryRowContext(s.tx.Ctx, "SELECT EXISTS (SELECT 1 FROM "+s.t.table+
		" WHERE ?1 = 0 OR device_id = ?1)", device).Scan(&some)
	return some, err
}

// Merge adds a scan of a part to what is known of a device, in which root is the part that covers all of its kind.
func (s Spans) Merge(device, part, root int64, scans []evidence.Scan) error {
	times, err := sqlite.Select[int64](s.tx,
		"SELECT at FROM "+s.t.scans+" WHERE device_id = ? AND source_id IN (?, ?) GROUP BY at ORDER BY at",
		device,
		part,
		root,
	)
	if err != nil {
		return err
	}
	place := "0"
	if s.t.place != "" {
		place = s.t.place
	}
	ends, again := "until", ""
	if s.t.cut {
		ends, again = "CASE WHEN cut THEN NULL ELSE until END", ", cut = 0"
	}
	known, err := sqlite.Query(s.tx, func(r *sql.Rows, v *evidence.Interval) error {
		var until sql.NullInt64
		err := r.Scan(&v.Record, &v.Place, &v.Since, &until)
		v.Until = evidence.Forever
		if until.Valid {
			v.Until = until.Int64
		}
		return err
	}, "SELECT "+s.t.item+", "+place+", since, "+ends+" FROM "+s.t.table+" WHERE device_id = ? AND source_id = ?",
		device, part)
	if err != nil {
		return err
	}
	merged, _ := evidence.Merge(known, times, scans)
	type start struct {
		evidence.Item
		since int64
	}
	old := map[start]int64{}
	for _, iv := range known {
		old[start{iv.Item, iv.Since}] = iv.Until
	}
	for _, iv := range merged {
		key := start{iv.Item, iv.Since}
		before, was := old[key]
		delete(old, key)
		if was && before == iv.Until {
			continue
		}
		var until any
		if iv.Until != evidence.Forever {
			until = iv.Until
		}
		columns, marks, args := "device_id, source_id, "+s.t.item+", since, until", "?, ?, ?, ?, ?", []any{
			device,
			part,
			iv.Record,
			iv.Since,
			until,
		}
		if s.t.place != "" {
			columns, marks, args = columns+", "+s.t.place, marks+", ?", append(args, iv.Place)
		}
		if _, err := s.tx.Exec("INSERT INTO "+s.t.table+"("+columns+") VALUES ("+marks+
			") ON CONFLICT DO UPDATE SET until = excluded.until"+again, args...); err != nil {
			return err
		}
	}
	for key := range old {
		where, args := "", []any{device, part, key.Record, key.since}
		if s.t.place != "" {
			where, args = " AND "+s.t.place+" = ?", append(args, key.Place)
		}
		if _, err := s.tx.Exec("DELETE FROM "+s.t.table+" WHERE device_id = ? AND source_id = ? AND "+s.t.item+
			" = ? AND since = ?"+where, args...); err != nil {
			return err
		}
	}
	return nil
}

// PartsOn lists the parts of a source, root apart, that the table has anything of on a device.
func (s Spans) PartsOn(device, root int64) ([]int64, error) {
	return sqlite.Select[int64](s.tx, "SELECT DISTINCT t.source_id FROM "+s.t.table+
		" t JOIN source s ON s.id = t.source_id JOIN source w ON w.id = ?2 WHERE t.device_id = ?1 AND s.name = "+
		"w.name AND s.id <> ?2 ORDER BY 1",
		device,
		root,
	)
}

// PutFactScan notes that a scan spoke of facts or files.
func PutFactScan(tx *sqlite.Tx, device, source, at int64) error {
	_, err := tx.Exec(
		"INSERT OR IGNORE INTO fact_scan(device_id, source_id, at) VALUES (?, ?, ?)",
		device,
		source,
		at,
	)
	return err
}

// NewestScan returns the time of the newest scan of a source's whole list on a device, or 0.
func NewestScan(tx *sqlite.Tx, device, root int64) (at int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT coalesce(max(at), 0) FROM scan WHERE device_id = ? AND source_id = ?",
		device, root).
		Scan(&at)
	return at, err
}

// PutMissing replaces what a collector could not see on a device, unless something newer is known.
func PutMissing(tx *sqlite.Tx, device, source, at int64, missing []formats.ScanMissing) error {
	var newest int64
	if err := tx.QueryRowContext(tx.Ctx,
		"SELECT coalesce(max(at), 0) FROM missing_part WHERE device_id = ? AND source_id = ?", device,
		source).Scan(&newest); err != nil {
		return err
	}
	if newest > at {
		return nil
	}
	if _, err := tx.Exec("DELETE FROM missing_part WHERE device_id = ? AND source_id = ?", device,
		source); err != nil {
		return err
	}
	for _, m := range missing {
		if _, err := tx.Exec("INSERT OR REPLACE INTO missing_part(device_id, source_id, part, reason, at) VALUES (?, "+
			"?, ?, ?, ?)", device, source, m.Part, m.Reason, at); err != nil {
			return err
		}
	}
	return nil
}

// MoveRow is a joiner, mover or leaver.
type MoveRow struct {
	ID     int64     `column:"id"`
	On     civil.Day `column:"on"`
	What   string    `column:"what"`
	Person string    `column:"person"`
	Name   string    `column:"name"`
	From   string    `column:"from"`
	To     string    `column:"to"`
	Seats  int64     `column:"seats"`
}

// MoveList is the list of joiners, movers and leavers.
func MoveList() *sqlite.List[MoveRow] {
	l := &sqlite.List[MoveRow]{
		From: "person_move m JOIN person p ON p.id = m.person_id",
		Key:  "m.id",
		Leads: map[string]sqlite.Lead{
			"p": {From: "person p JOIN person_move m ON m.person_id = p.id", Key: "p.id, m.id"},
		},
		Sort: "-on",
		Columns: []sqlite.Column{
			sqlite.Plain("id", "m.id"),
			sqlite.Plain("on", "m.on_day"),
			sqlite.Plain("what", "m.what"),
			sqlite.Searched("person", "p.code"),
			sqlite.Searched("name", "p.name"),
			sqlite.Searched("from", "m.from_value"),
			sqlite.Searched("to", "m.to_value"),
			sqlite.Plain(
				"seats",
				"(SELECT count(*) FROM assignment a WHERE a.person_id = p.id AND a.until_day = 0)",
			),
		},
	}
	return l
}

// Cache keeps numbers of distinct values between transactions. Values are never deleted, so that what it knows stays
// true.
type Cache struct {
	mu  sync.Mutex
	ids map[string]int64
}

// NewCache makes an empty cache.
func NewCache() *Cache { return &Cache{ids: map[string]int64{}} }

// maxCached is how many values a cache keeps before it begins anew.
const maxCached = 400_000

func (c *Cache) Get(key string) int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.ids[key]
}

func (c *Cache) put(key string, id int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.ids) >= maxCached {
		c.ids = map[string]int64{}
	}
	c.ids[key] = id
}

// Number returns the number of a row that a table has or now gets; the columns' values together are unlike those of
// any other row. The cache learns it when the transaction is written.
func Number(tx *sqlite.Tx, c *Cache, table string, columns []string, values ...any) (int64, error) {
	key := table
	for _, v := range values {
		key += fmt.Sprintf("\x1f%v", v)
	}
	if id := c.Get(key); id != 0 {
		return id, nil
	}
	where, names, marks := "", "", ""
	for i, col := range columns {
		if i > 0 {
			where, names, marks = where+" AND ", names+", ", marks+", "
		}
		where, names, marks = where+col+" = ?", names+col, marks+"?"
	}
	var id int64
	err := tx.QueryRowContext(tx.Ctx, "SELECT id FROM "+table+" WHERE "+where, values...).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		var res sql.Result
		if res, err = tx.Exec("INSERT INTO "+table+"("+names+") VALUES ("+marks+")", values...); err == nil {
			id, err = res.LastInsertId()
		}
	}
	if err != nil {
		return 0, err
	}
	tx.Committed = append(tx.Committed, func() { c.put(key, id) })
	return id, nil
}

// DeviceCode returns the device_id of a device.
func DeviceCode(tx *sqlite.Tx, id int64) (code string, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT code FROM device WHERE id = ?", id).Scan(&code)
	return code, err
}

// ProlongSession writes a session of use as a collector sees it. The latest end that was reported holds, so that
// scans in any order end the same.
func ProlongSession(tx *sqlite.Tx, device, name int64, person string, start, end, active int64) (sqlite.Change,
	error) {
	n, err := tx.Touched(
		`INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active)
			VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET ended_at = max(ended_at, excluded.ended_at), active = max(active, excluded.active)
		WHERE ended_at < excluded.ended_at OR active < excluded.active`,
		device,
		name,
		person,
		start,
		end,
		active,
	)
	if err != nil || n == 0 {
		return sqlite.Same, err
	}
	return sqlite.Added, nil
}

// ShowSeen lets lists show at once what a scan says of a device: when it was seen, and how much is on it. What else
// they show of it follows when figures are renewed. now is in seconds since 1970.
func ShowSeen(tx *sqlite.Tx, d *snapshot.DeviceFacts, settings *snapshot.Settings, now int64) error {
	age := func(kind evidence.Kind) string { return string(settings.Age(d, kind, now)) }
	return tx.One(`UPDATE device_fact SET last_seen = ?2, age = ?3, hardware_seen = ?4, hardware_age = ?5,
		use_seen = ?6, use_age = ?7, installs = (SELECT count(DISTINCT i.record_id) FROM install i
			WHERE i.device_id = ?1 AND i.since <= ?8 AND (i.until IS NULL OR i.until > ?8)) WHERE device_id = ?1`,
		d.ID, d.LastScan, age(evidence.OfSoftware), d.HardwareSeen, age(evidence.OfHardware), d.UseSeen,
		age(evidence.OfUse), now)
}
