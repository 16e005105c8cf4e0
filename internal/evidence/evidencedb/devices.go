package evidencedb

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/formats"
	"ensomet/internal/persons"
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
	"memory_mb",
	"portable",
	"primary_user",
}

// listedOnly are the columns of a device that lists alone speak of, each with what it is where no list says.
var listedOnly = []struct{ column, unsaid string }{
	{"environment", string(evidence.Production)}, {"org_unit", ""}, {"site", ""}, {"country", ""},
	{"directory_path", ""}, {"core_factor", ""}, {"host_id", ""}, {"cluster", ""}, {"pinned", ""},
	{"status", string(evidence.InService)}, {"custom", ""}, {"hosting", snapshot.OwnSite},
}

// stated is what a list says of a device.
func stated(d formats.Device, hosting string) string {
	text := func(n int64) string {
		if n == 0 {
			return ""
		}
		return strconv.FormatInt(n, 10)
	}
	facts := evidence.Facts{
		"name":           d.Name,
		"kind":           string(d.Kind),
		"os_name":        d.OSName,
		"os_version":     d.OSVersion,
		"ip_address":     d.IPAddress,
		"processors":     text(d.Processors),
		"cores":          text(d.Cores),
		"virtual_cores":  text(d.VirtualCores),
		"portable":       string(d.Portable),
		"primary_user":   d.PrimaryUser,
		"environment":    string(d.Environment),
		"org_unit":       d.OrgUnit,
		"site":           d.Site,
		"country":        d.Country,
		"directory_path": d.DirectoryPath,
		"core_factor":    d.CoreFactor,
		"host_id":        d.HostID,
		"cluster":        d.Cluster,
		"pinned":         string(d.Pinned),
		"status":         string(d.Status),
		"custom":         sqlite.Custom(d.Custom),
		"hosting":        hosting,
	}
	for k, v := range map[string]string{"serial": d.Serial, "maker": d.Maker, "model": d.Model,
		"machine_id": d.MachineID, "directory_id": d.DirectoryID, "memory_mb": text(d.MemoryMB),
		"hardware_addresses": strings.Join(d.HardwareAddresses, "|")} {
		if v != "" {
			facts[k] = v
		}
	}
	b, _ := json.Marshal(facts) // a map of texts can always be written
	return string(b)
}

// listsOf reads what lists say of a device: what names it first, then those of devices that count as it. A file of
// before kept of a list what scans speak of too; the rest stands in the columns until another list joins.
func listsOf(tx *sqlite.Tx, device int64) (lists []evidence.Facts, listed int64, err error) {
	type list struct {
		ID     int64
		Stated string
		At     int64
	}
	rows, err := sqlite.Select[list](
		tx,
		`SELECT id, stated, listed_at AS at FROM (SELECT id, '' AS code, stated, listed_at
		FROM device WHERE id = ?1 UNION ALL SELECT id, code, stated, listed_at FROM joined_device WHERE into_id = ?1
		AND stated <> '') ORDER BY code`,
		device,
	)
	if err != nil {
		return nil, 0, err
	}
	if len(rows) == 0 {
		return nil, 0, sqlite.ErrNotFound
	}
	for _, r := range rows {
		facts := evidence.Facts{}
		if r.Stated != "" {
			if err := json.Unmarshal([]byte(r.Stated), &facts); err != nil {
				return nil, 0, err
			}
			if _, whole := facts["status"]; !whole && len(rows) > 1 {
				table := "device"
				if r.ID != device {
					table = "joined_device"
				}
				if err := complete(tx, table, r.ID, facts); err != nil {
					return nil, 0, err
				}
			}
		}
		lists, listed = append(lists, facts), max(listed, r.At)
	}
	return lists, listed, nil
}

// complete takes into what a list says of a device what stands in its columns alone.
func complete(tx *sqlite.Tx, table string, device int64, facts evidence.Facts) error {
	for _, c := range listedOnly {
		v, err := sqlite.Select[string](tx, "SELECT "+c.column+" FROM "+table+" WHERE id = ?", device)
		if err != nil || len(v) == 0 {
			return err
		}
		facts[c.column] = v[0]
	}
	text, err := json.Marshal(facts)
	if err != nil {
		return err
	}
	_, err = tx.Exec("UPDATE "+table+" SET stated = ? WHERE id = ?", string(text), device)
	return err
}

// together says what several lists say of one device: what the first leaves open the others fill in, and fields of the
// house's own come together.
func together(lists []evidence.Facts) evidence.Facts {
	out := evidence.Facts{}
	unsaid := map[string]string{"kind": string(evidence.Client)}
	for _, c := range listedOnly {
		unsaid[c.column] = c.unsaid
	}
	custom := map[string]string{}
	for _, l := range lists {
		for k, v := range l {
			if had, said := out[k]; !said || had == "" || had == unsaid[k] && v != "" {
				out[k] = v
			}
		}
		own := map[string]string{}
		_ = json.Unmarshal([]byte(l["custom"]), &own) // empty where there are none
		for k, v := range own {
			if custom[k] == "" {
				custom[k] = v
			}
		}
	}
	if _, said := out["custom"]; said {
		out["custom"] = sqlite.Custom(custom)
	}
	return out
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

// OthersReport says whether any but one source has reported what the hardware of a device is.
func OthersReport(tx *sqlite.Tx, device, source int64) (others bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM hardware WHERE device_id = ? AND source_id <> ?)",
		device, source).Scan(&others)
	return others, err
}

// Stated returns what lists state of a device; empty where none has it.
func Stated(tx *sqlite.Tx, device int64) (facts evidence.Facts, listed int64, err error) {
	lists, listed, err := listsOf(tx, device)
	return together(lists), listed, err
}

// MainUserDays is how many days before the newest log-on decide who a device's main user is.
const MainUserDays = 90

// ResolveDevice brings a device's columns in line with all that is known of it: the newest report of each fact, else
// what lists state; its main user is who logged on most, else whom lists name. The kind that a list states goes
// before that of a scan.
func ResolveDevice(tx *sqlite.Tx, device int64) error {
	return resolveDevice(tx, device, false, keepSystems)
}

// ResolveAnew also clears what nobody says any more, as of a device from which evidence went.
func ResolveAnew(tx *sqlite.Tx, device int64) error {
	return resolveDevice(tx, device, true, keepSystems)
}

// ResolveWords brings a device's columns in line with what was said of it by hand, where its evidence stays as it was.
func ResolveWords(tx *sqlite.Tx, device int64) error {
	return resolveDevice(tx, device, true, sameSystems)
}

// systemKeeper keeps the operating systems that are reported of a device.
type systemKeeper func(tx *sqlite.Tx, device int64, said evidence.Facts, listed int64, reports []FactReport) error

func sameSystems(*sqlite.Tx, int64, evidence.Facts, int64, []FactReport) error { return nil }

func resolveDevice(tx *sqlite.Tx, device int64, anew bool, systems systemKeeper) error {
	words, err := Words(tx, device, true)
	if err != nil {
		return err
	}
	columns, known, err := columnsOf(tx, device, anew || len(words) > 0, systems)
	if err != nil || !known {
		return err
	}
	if columns, err = withWords(tx, columns, words); err != nil || len(columns) == 0 {
		return err
	}
	set, args := []string{}, []any{}
	for _, c := range columns {
		set, args = append(set, c.name+" = ?"), append(args, c.value)
	}
	_, err = tx.Exec("UPDATE device SET "+strings.Join(set, ", ")+" WHERE id = ?", append(args, device)...)
	return err
}

// columnsOf works the columns of a device out of all that sources say; anew also those of which nobody says anything
// any more. Known is false where nobody says anything of it.
func columnsOf(tx *sqlite.Tx, device int64, anew bool, systems systemKeeper) (out []column, known bool, err error) {
	lists, listed, err := listsOf(tx, device)
	if err != nil {
		return nil, false, err
	}
	said := together(lists)
	reports, err := FactReports(tx, device)
	if err != nil {
		return nil, false, err
	}
	if err := systems(tx, device, said, listed, reports); err != nil {
		return nil, false, err
	}
	logons, err := Logons(tx, device)
	if err != nil {
		return nil, false, err
	}
	_, whole := said["status"] // else its columns are what the only list said
	if len(reports) == 0 && len(logons) == 0 && !whole && !anew {
		return nil, false, nil
	}
	var list []evidence.FactsAt
	seen := map[int64]int64{}
	for _, r := range reports {
		list = append(list, r.FactsAt)
		seen[r.Source] = r.Last
	}
	trust, err := trustIn(tx, reports)
	if err != nil {
		return nil, false, err
	}
	now := evidence.Resolve(said, list, seen, trust)
	if listed != 0 && said["kind"] != "" {
		now["kind"] = said["kind"]
	}
	if err := mainUser(tx, now, logons); err != nil {
		return nil, false, err
	}
	for _, name := range resolved {
		v, known := now[name]
		if !known && (!anew || name == "name" || name == "kind") {
			continue
		}
		var value any = v
		if name == "processors" || name == "cores" || name == "virtual_cores" || name == "memory_mb" {
			n, err := strconv.ParseInt(v, 10, 64)
			if err != nil && known {
				continue
			}
			value = n
		}
		out = append(out, column{name, value})
	}
	for _, c := range listedOnly {
		if v, is := said[c.column]; is && whole {
			out = append(out, column{c.column, v})
		}
	}
	return out, true, nil
}

// trustIn reads how far the sources of reports are trusted, by the number of a report's source.
func trustIn(tx *sqlite.Tx, reports []FactReport) (map[int64]int, error) {
	type trusted struct {
		Name  string
		Trust int
	}
	list, err := sqlite.Select[trusted](tx, "SELECT name, trust FROM source_life WHERE trust > 0")
	if err != nil || len(list) == 0 {
		return nil, err
	}
	out := map[int64]int{}
	for _, r := range reports {
		for _, l := range list {
			if l.Name == r.SourceName {
				out[r.Source] = l.Trust
			}
		}
	}
	return out, nil
}

// mainUser puts the main user of a device among its facts: who was logged on most, as the person whom his names mean,
// or who lists say. Accounts behind which nobody in particular is are not asked.
func mainUser(tx *sqlite.Tx, now evidence.Facts, logons []evidence.Logon) error {
	names := []string{now["primary_user"]}
	for _, l := range logons {
		names = append(names, l.User)
	}
	slices.Sort(names)
	counts, err := persons.CountAs(tx, slices.Compact(names))
	if err != nil {
		return err
	}
	newest := int64(0)
	for i := range logons {
		newest = max(newest, logons[i].At)
		if as, known := counts[logons[i].User]; known {
			logons[i].User = as.Key
			if as.Nobody {
				logons[i].User = ""
			}
		}
	}
	user := evidence.MainUser(logons, newest-MainUserDays*86400)
	if user == "" {
		user = now["primary_user"]
		if as, known := counts[user]; known {
			user = as.Key
		}
	}
	if user != "" {
		now["primary_user"] = user
	}
	return nil
}

// Logons lists who was logged on to a device.
func Logons(tx *sqlite.Tx, device int64) ([]evidence.Logon, error) {
	return sqlite.Select[evidence.Logon](tx, `SELECT person_code AS user, at FROM logon
		WHERE device_id = ? ORDER BY at`,
		device,
	)
}

// PutLogon notes that a user was logged on.
// Origin is the record that it comes by.
func PutLogon(tx *sqlite.Tx, device, origin int64, user string, at int64) error {
	_, err := tx.Exec("INSERT OR IGNORE INTO logon(device_id, person_code, at, origin) VALUES (?, ?, ?, ?)", device,
		user, at, origin)
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
// It says whether anything came, went or ends otherwise.
func (s Spans) Merge(device, part, root int64, scans []evidence.Scan) (moved bool, err error) {
	place := "0"
	if s.t.place != "" {
		place = s.t.place
	}
	ends, open, again := "until", "i.until IS NULL", ""
	if s.t.cut {
		ends, open, again = "CASE WHEN cut THEN NULL ELSE until END", "(i.until IS NULL OR i.cut)", ", cut = 0"
	}
	intervals := func() ([]evidence.Interval, error) {
		return sqlite.Query(s.tx, func(r *sql.Rows, v *evidence.Interval) error {
			var until sql.NullInt64
			err := r.Scan(&v.Record, &v.Place, &v.Since, &until)
			v.Until = evidence.Forever
			if until.Valid {
				v.Until = until.Int64
			}
			return err
		}, "SELECT "+s.t.item+", "+place+", since, "+ends+" FROM "+s.t.table+" WHERE device_id = ? AND source_id = ?",
			device, part)
	}
	item := "coalesce(i." + s.t.item + ", 0), 0, 0"
	if s.t.place != "" {
		item = "coalesce(i." + s.t.item + ", 0), coalesce(i." + s.t.place + ", 0), 0"
	}
	k, err := knownOf(s.tx, s.t.scans, item, s.t.table, open, device, part, root)
	if err != nil {
		return false, err
	}
	var known, merged []evidence.Interval
	newer := k.FromScans && evidence.Newer(scans, k.Newest)
	if newer {
		for _, iv := range k.Open {
			known = append(known, iv.Interval)
		}
		merged = evidence.Continue(known, k.Newest, scans)
	}
	if !newer {
		if known, err = intervals(); err != nil {
			return false, err
		}
		times, err := sqlite.Select[int64](s.tx,
			"SELECT at FROM "+s.t.scans+" WHERE device_id = ? AND source_id IN (?, ?) GROUP BY at ORDER BY at",
			device,
			part,
			root,
		)
		if err != nil {
			return false, err
		}
		merged, _ = evidence.Merge(known, times, scans)
	}
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
		moved = true
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
			return false, err
		}
	}
	for key := range old {
		moved = true
		where, args := "", []any{device, part, key.Record, key.since}
		if s.t.place != "" {
			where, args = " AND "+s.t.place+" = ?", append(args, key.Place)
		}
		if _, err := s.tx.Exec("DELETE FROM "+s.t.table+" WHERE device_id = ? AND source_id = ? AND "+s.t.item+
			" = ? AND since = ?"+where, args...); err != nil {
			return false, err
		}
	}
	return moved, nil
}

// PartsOn lists the parts of a source, root apart, that the table has anything of on a device.
func (s Spans) PartsOn(device, root int64) ([]int64, error) {
	return sqlite.Select[int64](s.tx, "SELECT DISTINCT t.source_id FROM "+s.t.table+
		" t JOIN source s ON s.id = t.source_id JOIN source w ON w.id = ?2 WHERE t.device_id = ?1 AND s.name = "+
		"w.name AND s.slot = w.slot AND s.id <> ?2 ORDER BY 1",
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
func ProlongSession(
	tx *sqlite.Tx,
	device, origin, name int64,
	person string,
	start, end, active int64,
) (sqlite.Change,
	error) {
	n, err := tx.Touched(
		`INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active, origin)
			VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET ended_at = max(ended_at, excluded.ended_at), active = max(active, excluded.active)
		WHERE ended_at < excluded.ended_at OR active < excluded.active`,
		device,
		name,
		person,
		start,
		end,
		active,
		origin,
	)
	if err != nil || n == 0 {
		return sqlite.Same, err
	}
	return sqlite.Added, nil
}

// CountDevices counts the devices.
func CountDevices(tx *sqlite.Tx) (n int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(*) FROM device").Scan(&n)
	return n, err
}

// ProductsOn lists the products that are or were on some devices, by their device_ids.
func ProductsOn(tx *sqlite.Tx, codes []string) ([]int64, error) {
	text, err := json.Marshal(codes)
	if err != nil {
		return nil, err
	}
	out, err := sqlite.Select[int64](tx, `SELECT DISTINCT n.product_id FROM recognition n WHERE n.product_id <> 0
		AND n.record_id IN (SELECT i.record_id FROM install i JOIN device d ON d.id = i.device_id
			WHERE d.code IN (SELECT value FROM json_each(?))) ORDER BY 1`, string(text))
	if out == nil {
		out = []int64{}
	}
	return out, err
}
