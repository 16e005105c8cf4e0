package store

import (
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
)

// Change says what a line did to what is stored.
type Change int

// The changes.
const (
	Same Change = iota
	Added
	Changed
)

// Upserter writes lines of one table by their key and notices which of them change nothing.
type Upserter struct {
	tx             *Tx
	known          map[string]knownRow
	insert, update *sql.Stmt
	hashed         int
}

type knownRow struct {
	id   int64
	hash string
}

// upserter prepares writing to a table. keyExpr is the key as SQL; columns are written in order, of which the first hashed ones decide whether a line changed anything.
func (tx *Tx) upserter(table, keyExpr string, hashed int, columns ...string) (*Upserter, error) {
	u := &Upserter{tx: tx, known: map[string]knownRow{}, hashed: hashed}
	rows, err := tx.QueryContext(tx.ctx, "SELECT id, hash, "+keyExpr+" FROM "+table)
	if err != nil {
		return nil, err
	}
	err = each(rows, func() error {
		var k knownRow
		var hash []byte
		var key string
		if err := rows.Scan(&k.id, &hash, &key); err != nil {
			return err
		}
		k.hash = string(hash)
		u.known[key] = k
		return nil
	})
	if err != nil {
		return nil, err
	}
	columns = append(columns, "hash")
	marks := strings.TrimSuffix(strings.Repeat("?, ", len(columns)), ", ")
	if u.insert, err = tx.PrepareContext(tx.ctx, "INSERT INTO "+table+"("+strings.Join(columns, ", ")+") VALUES ("+marks+")"); err != nil {
		return nil, err
	}
	u.update, err = tx.PrepareContext(tx.ctx, "UPDATE "+table+" SET "+strings.Join(columns, " = ?, ")+" = ? WHERE id = ?")
	return u, err
}

// Known returns the number of the row with a key, or 0.
func (u *Upserter) Known(key string) int64 { return u.known[key].id }

// put writes a line and returns its row's number and what changed.
func (u *Upserter) put(key string, values ...any) (int64, Change, error) {
	text, err := json.Marshal(values[:u.hashed])
	if err != nil {
		return 0, Same, err
	}
	sum := sha256.Sum256(text)
	hash := string(sum[:16])
	values = append(values, []byte(hash))
	old, known := u.known[key]
	switch {
	case known && old.hash == hash:
		return old.id, Same, nil
	case known:
		_, err = u.update.ExecContext(u.tx.ctx, append(values, old.id)...)
		u.known[key] = knownRow{old.id, hash}
		return old.id, Changed, err
	}
	res, err := u.insert.ExecContext(u.tx.ctx, values...)
	if err != nil {
		return 0, Same, err
	}
	id, err := res.LastInsertId()
	u.known[key] = knownRow{id, hash}
	return id, Added, err
}

func custom(m map[string]string) string {
	if len(m) == 0 {
		return ""
	}
	b, _ := json.Marshal(m)
	return string(b)
}

// Devices prepares writing devices.
func (tx *Tx) Devices() (*Upserter, error) {
	return tx.upserter("device", "code", 23, "code", "name", "kind", "environment", "org_unit", "site", "country", "ip_address", "directory_path", "primary_user", "os_name", "os_version",
		"processors", "cores", "virtual_cores", "core_factor", "host_id", "cluster", "pinned", "portable", "status", "last_scan", "custom")
}

// PutDevice writes a device. A scan time older than the one known never replaces it.
func (u *Upserter) PutDevice(d formats.Device) (Change, error) {
	if id := u.Known(d.ID); id != 0 {
		var known int64
		if err := u.tx.QueryRowContext(u.tx.ctx, "SELECT last_scan FROM device WHERE id = ?", id).Scan(&known); err != nil {
			return Same, err
		}
		d.LastScan = max(d.LastScan, known)
	}
	_, c, err := u.put(d.ID, d.ID, d.Name, d.Kind, d.Environment, d.OrgUnit, d.Site, d.Country, d.IPAddress, d.DirectoryPath, d.PrimaryUser, d.OSName, d.OSVersion, d.Processors, d.Cores, d.VirtualCores,
		d.CoreFactor, d.HostID, d.Cluster, d.Pinned, d.Portable, d.Status, d.LastScan, custom(d.Custom))
	return c, err
}

// Persons prepares writing users.
func (tx *Tx) Persons() (*Upserter, error) {
	return tx.upserter("person", "code", 8, "code", "name", "email", "org_unit", "site", "status", "left_on", "custom")
}

// PutUser writes a user.
func (u *Upserter) PutUser(p formats.User) (Change, error) {
	_, c, err := u.put(p.ID, p.ID, p.Name, p.Email, p.OrgUnit, p.Site, p.Status, p.LeftOn, custom(p.Custom))
	return c, err
}

// Codes maps the codes of a table (device, person, entitlement) to its row numbers.
func (tx *Tx) Codes(table string) (map[string]int64, error) {
	return tx.numbers("SELECT code, id FROM " + table)
}

// numbers reads a table of names and numbers.
func (tx *Tx) numbers(text string, args ...any) (map[string]int64, error) {
	rows, err := tx.QueryContext(tx.ctx, text, args...)
	if err != nil {
		return nil, err
	}
	out := map[string]int64{}
	return out, each(rows, func() error {
		var name string
		var id int64
		err := rows.Scan(&name, &id)
		out[name] = id
		return err
	})
}

// Numbered gives each distinct value of a table one number.
type Numbered struct {
	tx     *Tx
	known  map[string]int64
	insert *sql.Stmt
}

func (tx *Tx) numbered(keyExpr, table, columns, marks string) (*Numbered, error) {
	known, err := tx.numbers("SELECT " + keyExpr + ", id FROM " + table)
	if err != nil {
		return nil, err
	}
	stmt, err := tx.PrepareContext(tx.ctx, "INSERT INTO "+table+"("+columns+") VALUES ("+marks+")")
	return &Numbered{tx, known, stmt}, err
}

func (n *Numbered) number(key string, values ...any) (int64, error) {
	if id, ok := n.known[key]; ok {
		return id, nil
	}
	res, err := n.insert.ExecContext(n.tx.ctx, values...)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	n.known[key] = id
	return id, err
}

// Records numbers distinct raw records.
func (tx *Tx) Records() (*Numbered, error) {
	return tx.numbered(`publisher || char(31) || name || char(31) || version || char(31) || edition || char(31) || architecture || char(31) || language || char(31) || file_name || char(31) || tag_id || char(31) || purl || char(31) || cpe`,
		"record", "publisher, name, version, edition, architecture, language, file_name, tag_id, purl, cpe", "?, ?, ?, ?, ?, ?, ?, ?, ?, ?")
}

// Record returns the number of a raw record.
func (n *Numbered) Record(r recognise.Record) (int64, error) {
	key := strings.Join([]string{r.Publisher, r.Name, r.Version, r.Edition, r.Architecture, r.Language, r.FileName, r.TagID, r.PURL, r.CPE}, "\x1f")
	if id, ok := n.known[key]; ok {
		return id, nil
	}
	return n.number(key, r.Publisher, r.Name, r.Version, r.Edition, r.Architecture, r.Language, r.FileName, r.TagID, r.PURL, r.CPE)
}

// Sources numbers sources by name.
func (tx *Tx) Sources() (*Numbered, error) { return tx.numbered("name", "source", "name", "?") }

// Source returns the number of a source.
func (n *Numbered) Source(name string) (int64, error) { return n.number(name, name) }

// Places numbers the places of installs: a path and custom fields.
func (tx *Tx) Places() (*Numbered, error) {
	return tx.numbered("path || char(31) || custom", "place", "path, custom", "?, ?")
}

// Place returns the number of a place.
func (n *Numbered) Place(path string, fields map[string]string) (int64, error) {
	c := custom(fields)
	return n.number(path+"\x1f"+c, path, c)
}

// UseNames numbers what sessions call the software.
func (tx *Tx) UseNames() (*Numbered, error) {
	return tx.numbered("file_name || char(31) || product", "use_name", "file_name, product", "?, ?")
}

// UseName returns the number of a name.
func (n *Numbered) UseName(file, product string) (int64, error) {
	return n.number(file+"\x1f"+product, file, product)
}

// ScanTimes returns when a source scanned a device.
func (tx *Tx) ScanTimes(device, source int64) ([]int64, error) {
	return query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT at FROM scan WHERE device_id = ? AND source_id = ? ORDER BY at", device, source)
}

// StoredInterval is an interval with the date of installation that was reported for it.
type StoredInterval struct {
	evidence.Interval
	InstallDate civil.Day
}

// Intervals returns what a source ever reported on a device.
func (tx *Tx) Intervals(device, source int64) ([]StoredInterval, error) {
	return query(tx, func(r *sql.Rows, v *StoredInterval) error {
		var until sql.NullInt64
		err := r.Scan(&v.Record, &v.Place, &v.Since, &until, &v.InstallDate)
		v.Until = evidence.Forever
		if until.Valid {
			v.Until = until.Int64
		}
		return err
	}, "SELECT record_id, place_id, since, until, install_date FROM install WHERE device_id = ? AND source_id = ?", device, source)
}

// DropInterval removes an interval that a late scan has recut.
func (tx *Tx) DropInterval(device, source int64, iv evidence.Interval) error {
	_, err := tx.exec("DELETE FROM install WHERE device_id = ? AND source_id = ? AND record_id = ? AND place_id = ? AND since = ?", device, source, iv.Record, iv.Place, iv.Since)
	return err
}

// Bulk writes many rows with few statements.
type Bulk struct {
	tx      *Tx
	prefix  string
	suffix  string
	width   int
	stmt    *sql.Stmt
	pending []any
}

const bulkRows = 120

func (tx *Tx) bulk(width int, prefix, suffix string) (*Bulk, error) {
	b := &Bulk{tx: tx, prefix: prefix, suffix: suffix, width: width, pending: make([]any, 0, width*bulkRows)}
	var err error
	b.stmt, err = tx.PrepareContext(tx.ctx, b.text(bulkRows))
	return b, err
}

func (b *Bulk) text(rows int) string {
	row := "(" + strings.TrimSuffix(strings.Repeat("?,", b.width), ",") + ")"
	return b.prefix + " VALUES " + strings.TrimSuffix(strings.Repeat(row+",", rows), ",") + b.suffix
}

// Add takes one row.
func (b *Bulk) Add(values ...any) error {
	b.pending = append(b.pending, values...)
	if len(b.pending) < b.width*bulkRows {
		return nil
	}
	_, err := b.stmt.ExecContext(b.tx.ctx, b.pending...)
	b.pending = b.pending[:0]
	return err
}

// Flush writes what is left.
func (b *Bulk) Flush() error {
	if len(b.pending) == 0 {
		return nil
	}
	_, err := b.tx.exec(b.text(len(b.pending)/b.width), b.pending...)
	b.pending = b.pending[:0]
	return err
}

// NewInstalls writes intervals; one that is there already takes the new end and date.
func (tx *Tx) NewInstalls() (*Bulk, error) {
	return tx.bulk(7, "INSERT INTO install(device_id, source_id, record_id, place_id, since, until, install_date)", " ON CONFLICT DO UPDATE SET until = excluded.until, install_date = excluded.install_date")
}

// AddInstall takes one interval.
func (b *Bulk) AddInstall(device, source int64, iv StoredInterval) error {
	var until any
	if iv.Until != evidence.Forever {
		until = iv.Until
	}
	return b.Add(device, source, iv.Record, iv.Place, iv.Since, until, int64(iv.InstallDate))
}

// NewScans writes scan times.
func (tx *Tx) NewScans() (*Bulk, error) {
	return tx.bulk(3, "INSERT OR IGNORE INTO scan(device_id, source_id, at)", "")
}

// NewLastUses writes last uses that scans reported: device, record, used on, seen on. The latest scan that says so counts.
func (tx *Tx) NewLastUses() (*Bulk, error) {
	return tx.bulk(4, "INSERT INTO last_use(device_id, record_id, used_on, seen_on)", " ON CONFLICT DO UPDATE SET seen_on = max(seen_on, excluded.seen_on)")
}

// PutSession writes a session of use and says whether it was new or changed.
func (tx *Tx) PutSession(device, name int64, person string, start, end, active int64) (Change, error) {
	res, err := tx.exec(`INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active) VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET ended_at = excluded.ended_at, active = excluded.active WHERE ended_at <> excluded.ended_at OR active <> excluded.active`, device, name, person, start, end, active)
	if err != nil {
		return Same, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return Same, nil
	}
	return Added, nil
}

// Import is one import of one file.
type Import struct {
	ID                                    int64
	Kind, File, Author                    string
	At                                    int64
	Lines, Added, Changed, Gone, SetAside int64
}

// AddImport notes an import and returns its number.
func (tx *Tx) AddImport(im Import) (int64, error) {
	res, err := tx.exec("INSERT INTO import(kind, file, at, author, lines, added, changed, gone, set_aside) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
		im.Kind, im.File, im.At, im.Author, im.Lines, im.Added, im.Changed, im.Gone, im.SetAside)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// Reported is a line as it came.
type Reported struct {
	Line    int
	Content string
}

// KeepLines keeps the lines of an import that said something new, with the header they stand under.
func (tx *Tx) KeepLines(id int64, header []string, lines []Reported) error {
	text, err := json.Marshal(header)
	if err != nil {
		return err
	}
	if _, err := tx.exec("UPDATE import SET header = ? WHERE id = ?", string(text), id); err != nil {
		return err
	}
	b, err := tx.bulk(3, "INSERT INTO reported(import_id, line, content)", "")
	if err != nil {
		return err
	}
	for _, l := range lines {
		if err := b.Add(id, l.Line, l.Content); err != nil {
			return err
		}
	}
	return b.Flush()
}

// Imports returns the newest imports.
func (tx *Tx) Imports(limit int) ([]Import, error) {
	return query(tx, func(r *sql.Rows, v *Import) error {
		return r.Scan(&v.ID, &v.Kind, &v.File, &v.At, &v.Author, &v.Lines, &v.Added, &v.Changed, &v.Gone, &v.SetAside)
	}, "SELECT id, kind, file, at, author, lines, added, changed, gone, set_aside FROM import ORDER BY id DESC LIMIT ?", limit)
}

// Aside is a line that could not be taken in. State is waiting, mended or dropped.
type Aside struct {
	ID, ImportID  int64
	Kind, File    string
	Line          int
	Header        []string
	Content       string
	Reason, State string
	AsOf          int64 // the time of the evidence where the line does not say
	ChangedAt     int64
	Author        string
}

// AddAside keeps a line. One that was put aside before with the same content is not kept twice; one that was mended or dropped stays so, and known says it.
func (tx *Tx) AddAside(a Aside) (known bool, err error) {
	header, err := json.Marshal(a.Header)
	if err != nil {
		return false, err
	}
	var state string
	err = tx.QueryRowContext(tx.ctx, "SELECT state FROM set_aside WHERE kind = ? AND content = ?", a.Kind, a.Content).Scan(&state)
	if err == nil && state != "waiting" {
		return true, nil
	}
	_, err = tx.exec(`INSERT INTO set_aside(import_id, kind, file, line, header, content, reason, as_of, changed_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (kind, content) DO UPDATE SET reason = excluded.reason`, a.ImportID, a.Kind, a.File, a.Line, string(header), a.Content, a.Reason, a.AsOf, a.ChangedAt)
	return false, err
}

// Asides returns lines in a state, all where state is empty, in the order in which they came.
func (tx *Tx) Asides(state string) ([]Aside, error) {
	return query(tx, scanAside, asideColumns+" WHERE ? = '' OR state = ? ORDER BY id", state, state)
}

const asideColumns = "SELECT id, import_id, kind, file, line, header, content, reason, state, as_of, changed_at, author FROM set_aside"

func scanAside(r *sql.Rows, v *Aside) error {
	var header string
	if err := r.Scan(&v.ID, &v.ImportID, &v.Kind, &v.File, &v.Line, &header, &v.Content, &v.Reason, &v.State, &v.AsOf, &v.ChangedAt, &v.Author); err != nil {
		return err
	}
	return json.Unmarshal([]byte(header), &v.Header)
}

// Aside returns one line.
func (tx *Tx) Aside(id int64) (Aside, error) {
	list, err := query(tx, scanAside, asideColumns+" WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		return Aside{}, ErrNotFound
	}
	if err != nil {
		return Aside{}, err
	}
	return list[0], nil
}

// SetAsideState moves a line on. Content stays as it came; a reason is replaced where a new one is given.
func (tx *Tx) SetAsideState(id int64, state, reason, author string, at time.Time) error {
	res, err := tx.exec("UPDATE set_aside SET state = ?, reason = CASE WHEN ? = '' THEN reason ELSE ? END, author = ?, changed_at = ? WHERE id = ?", state, reason, reason, author, at.Unix(), id)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return fmt.Errorf("line %d: %w", id, ErrNotFound)
	}
	return nil
}

// DeviceSites maps devices to their sites.
func (tx *Tx) DeviceSites() (map[int64]string, error) {
	rows, err := tx.QueryContext(tx.ctx, "SELECT id, site FROM device")
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	return out, each(rows, func() error {
		var id int64
		var site string
		err := rows.Scan(&id, &site)
		out[id] = site
		return err
	})
}

// ScannedPairs says which devices have been scanned by which source.
func (tx *Tx) ScannedPairs() (map[[2]int64]bool, error) {
	rows, err := tx.QueryContext(tx.ctx, "SELECT DISTINCT device_id, source_id FROM scan")
	if err != nil {
		return nil, err
	}
	out := map[[2]int64]bool{}
	return out, each(rows, func() error {
		var p [2]int64
		err := rows.Scan(&p[0], &p[1])
		out[p] = true
		return err
	})
}
