package store

import (
	"database/sql"

	"ensomet/internal/core/civil"
)

// ProductsOfKey lists the products that the records of a key are recognised as.
func (tx *Tx) ProductsOfKey(key string) ([]int64, error) {
	return query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT DISTINCT product_id FROM recognition WHERE key = ? AND product_id <> 0", key)
}

// sourceName names a source s, and the part of its list where it is one.
const sourceName = "(s.name || CASE WHEN s.part <> '' THEN ', ' || s.part ELSE '' END)"

// InstallWords says an install for people: the device and the raw name.
func (tx *Tx) InstallWords(device, record int64) (text string, err error) {
	err = tx.QueryRowContext(tx.ctx, "SELECT (SELECT name FROM device WHERE id = ?) || ': ' || trim(publisher || ' ' || name || ' ' || version) FROM record WHERE id = ?", device, record).Scan(&text)
	return text, err
}

// SightingRow is where and when a record was seen. Times are in seconds since 1970; Until is 0 while it is there.
type SightingRow struct {
	DeviceID    int64     `json:"deviceId"`
	Device      string    `json:"device"`
	Source      string    `json:"source"`
	Path        string    `json:"path"`
	Since       int64     `json:"since"`
	Until       int64     `json:"until"`
	InstallDate civil.Day `json:"installDate"`
}

// Sightings lists where a record was seen, on one device or on all where device is 0.
func (tx *Tx) Sightings(record, device int64, limit int) ([]SightingRow, error) {
	list, err := query(tx, func(r *sql.Rows, v *SightingRow) error {
		return r.Scan(&v.DeviceID, &v.Device, &v.Source, &v.Path, &v.Since, &v.Until, &v.InstallDate)
	}, `SELECT d.id, d.name, `+sourceName+`, p.path, i.since, coalesce(i.until, 0), i.install_date FROM install i JOIN device d ON d.id = i.device_id JOIN source s ON s.id = i.source_id JOIN place p ON p.id = i.place_id
		WHERE i.record_id = ?1 AND (?2 = 0 OR i.device_id = ?2) ORDER BY d.name, i.since LIMIT ?3`, record, device, limit)
	if list == nil {
		list = []SightingRow{}
	}
	return list, err
}

// InstallRow is an install on a device's page.
type InstallRow struct {
	Record      int64     `json:"record"`
	ProductID   int64     `json:"productId"`
	Publisher   string    `json:"publisher"`
	Name        string    `json:"name"`
	Version     string    `json:"version"`
	Title       string    `json:"title"`
	By          string    `json:"by"`
	WhyNot      string    `json:"whyNot"`
	Suites      string    `json:"suites" doc:"why it folds under a suite on this device, or does not"`
	Key         string    `json:"key"`
	Source      string    `json:"source"`
	Path        string    `json:"path"`
	Since       int64     `json:"since"`
	Until       int64     `json:"until"`
	InstallDate civil.Day `json:"installDate"`
	LastUsed    civil.Day `json:"lastUsed"`
	Use         string    `json:"use"`
}

// DeviceInstalls lists what was ever reported on a device: what is there first.
func (tx *Tx) DeviceInstalls(device int64) ([]InstallRow, error) {
	list, err := query(tx, func(r *sql.Rows, v *InstallRow) error {
		return r.Scan(&v.Record, &v.ProductID, &v.Publisher, &v.Name, &v.Version, &v.Title, &v.By, &v.WhyNot, &v.Key, &v.Source, &v.Path, &v.Since, &v.Until, &v.InstallDate, &v.LastUsed, &v.Use)
	}, `SELECT r.id, coalesce(n.product_id, 0), r.publisher, r.name, r.version, coalesce(p.publisher || ' ' || p.name || CASE WHEN n.edition <> '' THEN ' ' || n.edition ELSE '' END || CASE WHEN n.title_version <> '' THEN ' ' || n.title_version ELSE '' END, ''),
		coalesce(n.step, ''), coalesce(n.why_not, 'not recognised'), coalesce(n.key, ''), `+sourceName+`, pl.path, i.since, coalesce(i.until, 0), i.install_date,
		coalesce((SELECT max(used_on) FROM last_use l WHERE l.device_id = i.device_id AND l.record_id = i.record_id), 0), coalesce(f.class, '')
		FROM install i JOIN record r ON r.id = i.record_id JOIN source s ON s.id = i.source_id JOIN place pl ON pl.id = i.place_id
		LEFT JOIN recognition n ON n.record_id = r.id LEFT JOIN product p ON p.id = n.product_id LEFT JOIN idle_fact f ON f.device_id = i.device_id AND f.product_id = n.product_id
		WHERE i.device_id = ? ORDER BY i.until IS NOT NULL, r.name, r.version, i.since`, device)
	if list == nil {
		list = []InstallRow{}
	}
	return list, err
}

// DeviceFull is a device with everything that was reported of it.
type DeviceFull struct {
	DeviceRow
	IPAddress     string `json:"ipAddress"`
	DirectoryPath string `json:"directoryPath"`
	Processors    int64  `json:"processors"`
	Cores         int64  `json:"cores"`
	VirtualCores  int64  `json:"virtualCores"`
	HostID        string `json:"hostId"`
	Portable      string `json:"portable"`
	UserName      string `json:"userName"`
	Custom        string `json:"custom"`
}

// DeviceByCode reads a device by its device_id.
func (tx *Tx) DeviceByCode(code string) (DeviceFull, error) {
	var d DeviceFull
	page, err := tx.DevicePage(ListQuery{Filters: map[string]string{"code": code}, Limit: 1})
	if err != nil {
		return d, err
	}
	if len(page.Rows) == 0 {
		return d, ErrNotFound
	}
	d.DeviceRow = page.Rows[0]
	err = tx.QueryRowContext(tx.ctx, `SELECT d.ip_address, d.directory_path, d.processors, d.cores, d.virtual_cores, d.host_id, d.portable, coalesce(u.name, ''), d.custom
		FROM device d LEFT JOIN person u ON u.code = d.primary_user WHERE d.id = ?`, d.ID).Scan(&d.IPAddress, &d.DirectoryPath, &d.Processors, &d.Cores, &d.VirtualCores, &d.HostID, &d.Portable, &d.UserName, &d.Custom)
	return d, err
}

// ScanRow is a scan of a device.
type ScanRow struct {
	Source string `json:"source"`
	At     int64  `json:"at"`
}

// DeviceScans lists the newest scans of a device.
func (tx *Tx) DeviceScans(device int64, limit int) ([]ScanRow, error) {
	list, err := query(tx, func(r *sql.Rows, v *ScanRow) error { return r.Scan(&v.Source, &v.At) },
		"SELECT "+sourceName+", c.at FROM scan c JOIN source s ON s.id = c.source_id WHERE c.device_id = ? ORDER BY c.at DESC LIMIT ?", device, limit)
	if list == nil {
		list = []ScanRow{}
	}
	return list, err
}

// Course is how much stands at each station of the work.
type Course struct {
	Devices      int64 `json:"devices"`
	InService    int64 `json:"inService"`
	Fresh        int64 `json:"fresh"`
	Stale        int64 `json:"stale"`
	Never        int64 `json:"never"`
	Installs     int64 `json:"installs"`
	Aside        int64 `json:"aside"`
	Unrecognised int64 `json:"unrecognised"`
	Names        int64 `json:"names"`
	Counted      int64 `json:"counted"`
	Folded       int64 `json:"folded"`
	Entitlements int64 `json:"entitlements"`
	EndingSoon   int64 `json:"endingSoon"`
	Measured     int64 `json:"measured"`
	NotMeasured  int64 `json:"notMeasured"`
	Idle         int64 `json:"idle"`
	Positions    int64 `json:"positions"`
	Needed       int64 `json:"needed"`
	Covered      int64 `json:"covered"`
	Short        int64 `json:"short"`
	Spare        int64 `json:"spare"`
	Doubtful     int64 `json:"doubtful"`
	OpenCases    int64 `json:"openCases"`
	AgreedCases  int64 `json:"agreedCases"`
	SentCases    int64 `json:"sentCases"`
	GoneCases    int64 `json:"goneCases"`
	BackCases    int64 `json:"backCases"`
}

// Course counts what stands at each station; soon is the last day of "ends soon", today its first.
func (tx *Tx) Course(today, soon civil.Day) (Course, error) {
	var c Course
	err := tx.QueryRowContext(tx.ctx, `SELECT (SELECT count(*) FROM device), (SELECT count(*) FROM device WHERE status = 'in_service'),
		(SELECT count(*) FROM device_fact f JOIN device d ON d.id = f.device_id WHERE f.age = 'fresh' AND d.status = 'in_service'), (SELECT count(*) FROM device_fact f JOIN device d ON d.id = f.device_id WHERE f.age = 'stale' AND d.status = 'in_service'),
		(SELECT count(*) FROM device d LEFT JOIN device_fact f ON f.device_id = d.id WHERE coalesce(f.age, 'never') = 'never' AND d.status = 'in_service'),
		(SELECT coalesce(sum(installs), 0) FROM device_fact), (SELECT count(*) FROM set_aside WHERE state = 'waiting'),
		(SELECT coalesce(sum(unrecognised), 0) FROM device_fact), (SELECT count(*) FROM name_fact WHERE state = 'unrecognised' AND installs > 0), (SELECT coalesce(sum(counted), 0) FROM product_fact), (SELECT coalesce(sum(folded), 0) FROM product_fact),
		(SELECT count(*) FROM entitlement), (SELECT count(*) FROM entitlement WHERE end BETWEEN ?1 AND ?2),
		(SELECT count(*) FROM idle_fact WHERE class <> 'not measured'), (SELECT count(*) FROM idle_fact WHERE class = 'not measured'), (SELECT count(*) FROM idle_fact WHERE class IN ('unused', 'never used')),
		(SELECT count(*) FROM position), (SELECT coalesce(sum(needed), 0) FROM position), (SELECT coalesce(sum(covered), 0) FROM position), (SELECT count(*) FROM position WHERE short > 0),
		(SELECT count(*) FROM position WHERE counted AND short = 0 AND surplus > 0), (SELECT count(*) FROM position WHERE (low <= owned) <> (high <= owned)),
		(SELECT count(*) FROM worklist_case WHERE state IN ('open', 'answered', 'silent', 'failed')), (SELECT count(*) FROM worklist_case WHERE state IN ('agreed', 'approved', 'asked')), (SELECT count(*) FROM worklist_case WHERE state IN ('waiting', 'sent')), (SELECT count(*) FROM worklist_case WHERE state = 'gone'),
		(SELECT count(*) FROM worklist_case WHERE came_back > 0 AND state NOT IN ('gone', 'lapsed', 'kept'))`, today, soon).Scan(
		&c.Devices, &c.InService, &c.Fresh, &c.Stale, &c.Never, &c.Installs, &c.Aside, &c.Unrecognised, &c.Names, &c.Counted, &c.Folded, &c.Entitlements, &c.EndingSoon, &c.Measured, &c.NotMeasured, &c.Idle,
		&c.Positions, &c.Needed, &c.Covered, &c.Short, &c.Spare, &c.Doubtful, &c.OpenCases, &c.AgreedCases, &c.SentCases, &c.GoneCases, &c.BackCases)
	return c, err
}

// MoneyRow sums the position by currency.
type MoneyRow struct {
	Currency string  `json:"currency"`
	Exposure float64 `json:"exposure"`
	Spare    float64 `json:"spare"`
}

// MoneyByCurrency sums exposure and spare value by currency.
func (tx *Tx) MoneyByCurrency() ([]MoneyRow, error) {
	list, err := query(tx, func(r *sql.Rows, v *MoneyRow) error { return r.Scan(&v.Currency, &v.Exposure, &v.Spare) },
		"SELECT currency, sum(CAST(exposure_text AS REAL)), sum(CAST(spare_text AS REAL)) FROM position WHERE currency <> '' GROUP BY currency ORDER BY 2 DESC")
	if list == nil {
		list = []MoneyRow{}
	}
	return list, err
}

// Hit is something that the command line found.
type Hit struct {
	Kind   string `json:"kind"` // device, title, entitlement, person
	ID     string `json:"id"`
	Text   string `json:"text"`
	Detail string `json:"detail"`
}

// Find looks for devices, titles, entitlements and persons whose name holds every word.
func (tx *Tx) Find(text string, limit int) ([]Hit, error) {
	out := []Hit{}
	devices, err := tx.DevicePage(ListQuery{Search: text, Limit: limit})
	if err != nil {
		return nil, err
	}
	for _, d := range devices.Rows {
		out = append(out, Hit{"device", d.Code, d.Name, d.Unit})
	}
	products, err := tx.ProductPage(ListQuery{Search: text, Limit: limit})
	if err != nil {
		return nil, err
	}
	for _, p := range products.Rows {
		out = append(out, Hit{"title", itoa(p.ID), p.Product, p.Publisher})
	}
	rights, err := tx.EntitlementPage(ListQuery{Search: text, Limit: limit})
	if err != nil {
		return nil, err
	}
	for _, e := range rights.Rows {
		out = append(out, Hit{"entitlement", e.Code, e.Code, e.Publisher + " " + e.Product})
	}
	persons, err := query(tx, func(r *sql.Rows, h *Hit) error {
		h.Kind = "person"
		return r.Scan(&h.ID, &h.Text, &h.Detail)
	}, "SELECT code, name, org_unit FROM person WHERE name LIKE ?1 ESCAPE '\\' OR code LIKE ?1 ESCAPE '\\' ORDER BY name LIMIT ?2", "%"+escapeLike(text)+"%", limit)
	return append(out, persons...), err
}

// ReasonCount counts installs by a reason.
type ReasonCount struct {
	Reason string
	Count  int64
}

// WhyNotOf counts the installs of a product that do not count by themselves, by reason.
func (tx *Tx) WhyNotOf(product int64) ([]ReasonCount, error) {
	return query(tx, func(r *sql.Rows, v *ReasonCount) error { return r.Scan(&v.Reason, &v.Count) }, `SELECT n.why_not, count(*) FROM install i JOIN recognition n ON n.record_id = i.record_id
		WHERE i.until IS NULL AND n.product_id = ? AND n.why_not <> '' GROUP BY 1 ORDER BY 2 DESC`, product)
}

// NamesOfProduct lists the raw names that are recognised as a product.
func (tx *Tx) NamesOfProduct(product int64) ([]NameRow, error) {
	list, err := query(tx, func(r *sql.Rows, v *NameRow) error {
		return r.Scan(&v.Key, &v.Publisher, &v.Name, &v.Versions, &v.Records, &v.Installs, &v.Devices, &v.Stale, &v.State)
	}, `SELECT f.key, f.publisher, f.name, f.versions, f.records, f.installs, f.devices, f.stale, f.state FROM name_fact f WHERE f.key IN (SELECT key FROM recognition WHERE product_id = ?) ORDER BY f.installs DESC, f.key`, product)
	if list == nil {
		list = []NameRow{}
	}
	return list, err
}

// Categories lists the categories of the catalogue.
func (tx *Tx) Categories() ([]string, error) {
	return query(tx, func(r *sql.Rows, v *string) error { return r.Scan(v) }, "SELECT DISTINCT category FROM title WHERE category <> '' ORDER BY 1")
}
