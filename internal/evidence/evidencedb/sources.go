package evidencedb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/evidence"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// FileRow is a file name that a search found. Devices counts the devices that have it, Stale and Never those of them
// whose evidence is old or missing.
type FileRow struct {
	Name    string
	Version string
	Size    int64
	Devices int64
	Stale   int64
	Of      string // the software that it belongs to, where a record names it
}

// FindFiles lists files whose name fits a pattern with * and ?, the most spread first, and how many there are.
func FindFiles(tx *sqlite.Tx, pattern string, limit int) (rows []FileRow, total int, err error) {
	p := lists.FilePattern(pattern)
	const all = `SELECT f.name AS name, f.version AS version, f.size AS size, t.device_id AS device, '' AS of
		FROM file f JOIN device_file t ON t.file_id = f.id WHERE t.until IS NULL AND f.name LIKE ?1 ESCAPE '\'
		UNION ALL SELECT r.file_name, '', 0, i.device_id, trim(r.publisher || ' ' || r.name) FROM record r
		JOIN install i ON i.record_id = r.id WHERE i.until IS NULL AND r.file_name <> ''
		AND r.file_name LIKE ?1 ESCAPE '\'`
	if err := tx.QueryRowContext(tx.Ctx, "SELECT count(*) FROM (SELECT DISTINCT name, version FROM ("+all+"))",
		p).Scan(&total); err != nil {
		return nil, 0, err
	}
	rows, err = sqlite.Select[FileRow](tx, `SELECT x.name, x.version, max(x.size) AS size,
		count(DISTINCT x.device) AS devices, count(DISTINCT CASE WHEN f.age = 'stale' THEN x.device END) AS
		stale, max(x.of) AS of FROM (`+all+`) x LEFT JOIN device_fact f ON f.device_id =
		x.device GROUP BY 1, 2 ORDER BY 4 DESC, 1, 2 LIMIT ?2`, p, limit)
	if rows == nil {
		rows = []FileRow{}
	}
	return rows, total, err
}

// DeviceFileRow is a file on a device.
type DeviceFileRow struct {
	Name    string
	Folder  string
	Version string
	Size    int64
	Source  string
	Since   int64
	Until   int64
}

// DeviceFiles lists the files that scans reported of a device, those present first.
func DeviceFiles(tx *sqlite.Tx, device int64, limit int) ([]DeviceFileRow, error) {
	out, err := sqlite.Select[DeviceFileRow](tx, `SELECT f.name, p.path AS folder, f.version,
		f.size, s.name AS source, t.since, coalesce(t.until, 0) AS until FROM device_file t JOIN file f ON
		f.id = t.file_id JOIN place p ON p.id = t.place_id JOIN source s ON s.id = t.source_id WHERE
		t.device_id = ? ORDER BY t.until IS NOT NULL, p.path, f.name LIMIT ?`, device, limit)
	if out == nil {
		out = []DeviceFileRow{}
	}
	return out, err
}

// Level is a step of the way from publishers down to devices.
type Level struct {
	Key      string
	Label    string
	Detail   string
	Devices  int64
	Installs int64
	Stale    int64 // devices
}

const countLevel = `count(DISTINCT i.device_id), count(*), count(DISTINCT CASE WHEN f.age = 'stale' THEN i.device_id
	END)
	FROM recognition n JOIN install i ON i.record_id = n.record_id AND i.until IS NULL
	JOIN product p ON p.id = n.product_id LEFT JOIN device_fact f ON f.device_id = i.device_id`

func levels(tx *sqlite.Tx, text string, args ...any) ([]Level, error) {
	out, err := sqlite.Query(tx, func(r *sql.Rows, v *Level) error {
		return r.Scan(&v.Key, &v.Label, &v.Detail, &v.Devices, &v.Installs, &v.Stale)
	}, text, args...)
	if out == nil {
		out = []Level{}
	}
	return out, err
}

// Publishers lists the publishers of what is installed.
func Publishers(tx *sqlite.Tx) ([]Level, error) {
	return levels(
		tx,
		`SELECT p.publisher, p.publisher, count(*) || ' titles', sum(f.devices), sum(f.installs), sum(f.stale)
			FROM product p JOIN product_fact f ON f.product_id = p.id GROUP BY p.publisher ORDER BY 5 DESC, 1`,
	)
}

// ProductsOf lists the products of a publisher that are installed.
func ProductsOf(tx *sqlite.Tx, publisher string) ([]Level, error) {
	return levels(
		tx,
		`SELECT p.id, p.name, f.versions || CASE WHEN f.versions = 1 THEN ' version' ELSE ' versions' END, f.devices,
			f.installs, f.stale FROM product p JOIN product_fact f ON f.product_id = p.id WHERE p.publisher = ?
			ORDER BY f.installs DESC, p.name`,
		publisher,
	)
}

// VersionsOf lists the versions of a product that are installed.
func VersionsOf(tx *sqlite.Tx, product int64) ([]Level, error) {
	return levels(
		tx,
		`SELECT n.title_version, CASE WHEN n.title_version = '' THEN 'version not known' ELSE n.title_version END,
			count(DISTINCT n.key) || CASE WHEN count(DISTINCT n.key) = 1 THEN ' raw name' ELSE ' raw names' END,
			`+countLevel+` WHERE n.product_id = ? GROUP BY n.title_version ORDER BY 4 DESC, 1`,
		product,
	)
}

// HolderRow is a device that has a version of a product, with the record that says so.
type HolderRow struct {
	Code   string
	Device string
	Unit   string
	Age    string
	Record int64
	Name   string
	Raw    string
	File   string
	Source string
	Since  int64
}

// HoldersOf lists the devices that have a version of a product.
func HoldersOf(tx *sqlite.Tx, product int64, version string, limit int) ([]HolderRow, error) {
	out, err := sqlite.Query(tx, func(r *sql.Rows, v *HolderRow) error {
		return r.Scan(&v.Code, &v.Device, &v.Unit, &v.Age, &v.Record, &v.Name, &v.Raw, &v.File, &v.Source, &v.Since)
	}, `SELECT d.code, d.name, d.org_unit, coalesce(f.age, 'never'), r.id, r.name, r.version, r.file_name,
		`+snapshot.SourceName+`, i.since FROM recognition n JOIN install i ON i.record_id = n.record_id
			AND i.until IS NULL JOIN record r ON r.id = n.record_id JOIN device d ON d.id = i.device_id
		JOIN source s ON s.id = i.source_id LEFT JOIN device_fact f ON f.device_id = d.id WHERE n.product_id = ?
		AND n.title_version = ? ORDER BY d.name, r.name, s.name LIMIT ?`, product, version, limit)
	if out == nil {
		out = []HolderRow{}
	}
	return out, err
}

// RecordFiles lists the files of the place of a record on a device, where scans reported any.
func RecordFiles(tx *sqlite.Tx, device, record int64) ([]DeviceFileRow, error) {
	out, err := sqlite.Select[DeviceFileRow](tx, `SELECT DISTINCT f.name, p.path AS folder,
		f.version, f.size, s.name AS source, t.since, coalesce(t.until, 0) AS until FROM install i JOIN place
		ip ON ip.id = i.place_id JOIN record r ON r.id = i.record_id JOIN device_file t ON t.device_id =
		i.device_id JOIN file f ON f.id = t.file_id JOIN place p ON p.id = t.place_id JOIN source s ON s.id =
		t.source_id WHERE i.device_id = ?1 AND i.record_id = ?2 AND (f.name = r.file_name OR ip.path <> ''
		AND (p.path = ip.path OR p.path LIKE ip.path || '/%')) ORDER BY p.path, f.name LIMIT 200`, device, record)
	if out == nil {
		out = []DeviceFileRow{}
	}
	return out, err
}

// Disagreements counts for every device the programs on which two sources that both scan it disagree: one sees it and
// the other does not, or each sees another version. Each pair of sources is compared at what both see now. devices nil
// is all of them.
func Disagreements(tx *sqlite.Tx, devices []int64) (map[int64]int64, error) {
	of, args, err := ofDevices("c.device_id", devices)
	if err != nil {
		return nil, err
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		`WITH roots AS (SELECT device_id, root, max(at) AS at FROM scan c JOIN source s ON s.id = c.source_id
			WHERE s.part = ''`+of+` GROUP BY device_id, root),
		several AS (SELECT device_id, count(*) AS sources FROM roots GROUP BY device_id HAVING count(*) > 1),
		seen AS (SELECT DISTINCT i.device_id, n.key, n.version, s.root FROM several v
		JOIN install i ON i.device_id = v.device_id AND i.until IS NULL JOIN source s ON s.id = i.source_id
		JOIN recognition n ON n.record_id = i.record_id
			WHERE s.part <> '`+snapshot.SystemPart+`' AND s.root IN (SELECT root FROM roots r WHERE r.device_id = i.device_id))
		SELECT device_id, count(DISTINCT key) FROM (SELECT x.device_id, x.key FROM seen x
		JOIN several v ON v.device_id = x.device_id
		GROUP BY x.device_id, x.key, x.version HAVING count(*) < max(v.sources)) GROUP BY device_id`,
		args...,
	)
	if err != nil {
		return nil, err
	}
	out := map[int64]int64{}
	return out, sqlite.Each(rows, func() error {
		var device, n int64
		err := rows.Scan(&device, &n)
		out[device] = n
		return err
	})
}

// SourceView is what one source says of a program on a device.
type SourceView struct {
	Key     string `json:"key"`
	Name    string `json:"name"`
	Version string `json:"version"`
	Source  string `json:"source"`
	Seen    int64  `json:"seen"` // the source's newest scan
}

// SeenBySource lists what each source sees on a device now, with the source's newest complete scan.
func SeenBySource(tx *sqlite.Tx, device int64) ([]SourceView, error) {
	return sqlite.Select[SourceView](tx, `SELECT DISTINCT n.key, r.name, n.version,
		w.name AS source, coalesce((SELECT max(at) FROM scan c WHERE c.device_id = i.device_id AND
		c.source_id = s.root), 0) AS seen FROM install i JOIN source s ON s.id = i.source_id JOIN source w ON
		w.id = s.root JOIN record r ON r.id = i.record_id JOIN recognition n ON n.record_id = r.id WHERE
		i.device_id = ? AND i.until IS NULL AND s.part <> ? ORDER BY n.key, w.name, n.version`,
		device, snapshot.SystemPart,
	)
}

// SourcesOn lists the sources that scanned a device completely, with their newest scan.
func SourcesOn(tx *sqlite.Tx, device int64) (map[string]int64, error) {
	return tx.Numbers(
		"SELECT s.name, max(c.at) FROM scan c JOIN source s ON s.id = c.source_id WHERE c.device_id = ? AND s.part = "+
			"'' GROUP BY s.name",
		device,
	)
}

// Missing lists what collectors could not see on a device.
func Missing(tx *sqlite.Tx, device int64) ([]MissingRow, error) {
	out, err := sqlite.Select[MissingRow](tx, `SELECT s.name AS source, m.part, m.reason,
		m.at FROM missing_part m JOIN source s ON s.id = m.source_id WHERE m.device_id = ? ORDER BY s.name,
		m.part`,
		device,
	)
	if out == nil {
		out = []MissingRow{}
	}
	return out, err
}

// MissingRow is a part that a collector could not see.
type MissingRow struct {
	Source string
	Part   string
	Reason string
	At     int64
}

// DeviceValues lists the values that devices have in a column, for choosing from.
func DeviceValues(tx *sqlite.Tx, column string) ([]string, error) {
	out, err := sqlite.Select[string](tx,
		"SELECT DISTINCT "+column+" FROM device WHERE "+column+" <> '' ORDER BY 1 LIMIT 300")
	if out == nil {
		out = []string{}
	}
	return out, err
}

// SaidFacts is what one source says of a device's hardware now; the list that states it has the source "".
type SaidFacts struct {
	Device int64
	Source string
	Trust  int   // how far the source is trusted, 1 first; 0 is not said
	At     int64 // the source's newest report, or when the device was listed last
	Facts  evidence.Facts
}

// SaidOf lists what the sources say of the hardware of some devices, or where that is nil of every device that a scan
// reports on. What lists state comes first.
func SaidOf(tx *sqlite.Tx, devices []int64) ([]SaidFacts, error) {
	listed, args, err := ofDevices("d.id", devices)
	if err != nil {
		return nil, err
	}
	scanned, _, err := ofDevices("h.device_id", devices)
	if err != nil {
		return nil, err
	}
	if devices == nil {
		listed = " AND EXISTS (SELECT 1 FROM hardware h WHERE h.device_id = d.id)"
	}
	return sqlite.Query(tx, func(r *sql.Rows, v *SaidFacts) error {
		var text string
		if err := r.Scan(&v.Device, &v.Source, &v.At, &text, &v.Trust); err != nil {
			return err
		}
		if text == "" {
			v.Facts = evidence.Facts{}
			return nil
		}
		return json.Unmarshal([]byte(text), &v.Facts)
	}, `SELECT d.id, '', d.listed_at, d.stated, 0 FROM device d WHERE d.stated <> ''`+listed+`
		UNION ALL SELECT h.device_id, s.name, (SELECT max(at) FROM fact_scan c WHERE c.device_id = h.device_id
		AND c.source_id = h.source_id), f.content,
		coalesce((SELECT trust FROM source_life l WHERE l.name = s.name), 0) FROM hardware h JOIN source s ON s.id = h.source_id
		JOIN fact_set f ON f.id = h.fact_id
		WHERE h.until IS NULL`+scanned+` ORDER BY 1, 2`, args...)
}

// ofDevices is a condition, joined by AND, that a column has one of some devices; nil is all of them.
func ofDevices(column string, devices []int64) (text string, args []any, err error) {
	if devices == nil {
		return "", nil, nil
	}
	list, err := json.Marshal(devices)
	return " AND " + column + " IN (SELECT value FROM json_each(?1))", []any{string(list)}, err
}
