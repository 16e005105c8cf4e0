package evidencedb

import (
	"database/sql"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// InstallRow is an install on a device's page.
type InstallRow struct {
	Record      int64
	ProductID   int64
	Publisher   string
	Name        string
	Version     string
	Title       string
	By          string
	WhyNot      string
	Exclusion   int64  // the number of what somebody said to leave it out of the count, 0 where nobody did
	Suites      string // why it folds under a suite on this device, or does not
	Key         string
	LicenceKey  string // the last signs of a licence key that was found with it
	Included    bool   // its right comes with the place it runs in
	System      bool   // it is what the device runs on
	Ended       string // why it counts no more though its source's last list has it
	Source      string
	Path        string
	Since       int64
	Until       int64
	InstallDate civil.Day
	LastUsed    civil.Day
	Use         string
}

// DeviceInstalls lists what was ever reported on a device: what is there first.
func DeviceInstalls(tx *sqlite.Tx, device int64) ([]InstallRow, error) {
	list, err := sqlite.Query(tx, func(r *sql.Rows, v *InstallRow) error {
		var cut evidence.Why
		err := r.Scan(
			&v.Record,
			&v.ProductID,
			&v.Publisher,
			&v.Name,
			&v.Version,
			&v.Title,
			&v.By,
			&v.WhyNot,
			&v.Exclusion,
			&v.Key,
			&v.LicenceKey,
			&v.Included,
			&v.System,
			&cut,
			&v.Source,
			&v.Path,
			&v.Since,
			&v.Until,
			&v.InstallDate,
			&v.LastUsed,
			&v.Use,
		)
		if cut != evidence.Counts {
			v.Ended = cut.Words()
		}
		return err
	}, `SELECT r.id, coalesce(n.product_id, 0), r.publisher, r.name, r.version, coalesce(p.publisher || ' ' || p.name
		|| CASE WHEN n.edition <> '' THEN ' ' || n.edition ELSE '' END || CASE WHEN n.title_version <> '' THEN ' ' ||
		n.title_version ELSE '' END, ''),
		coalesce(n.step, ''), coalesce(n.why_not, 'not recognised'),
		coalesce((SELECT x.id FROM left_out x WHERE x.device_id = i.device_id AND x.product_id = n.product_id
		AND x.ended_at = 0), 0), coalesce(n.key, ''),
		coalesce((SELECT y.hint FROM install_key k JOIN found_key y ON y.id = k.key_id WHERE k.device_id = i.device_id
		AND k.source_id = i.source_id AND k.record_id = i.record_id AND k.until IS i.until ORDER BY k.since DESC LIMIT 1),
		''), pl.included, s.part = '`+snapshot.SystemPart+`', i.cut,
		`+snapshot.SourceName+`, pl.path, i.since, coalesce(i.until, 0), i.install_date,
		coalesce((SELECT max(used_on) FROM last_use l WHERE l.device_id = i.device_id
		AND l.record_id = i.record_id), 0), coalesce(f.class, '')
		FROM install i JOIN record r ON r.id = i.record_id JOIN source s ON s.id = i.source_id
		JOIN place pl ON pl.id = i.place_id
		LEFT JOIN recognition n ON n.record_id = r.id LEFT JOIN product p ON p.id = n.product_id LEFT
		JOIN idle_fact f ON f.device_id = i.device_id AND f.product_id = n.product_id
		WHERE i.device_id = ? ORDER BY i.until IS NOT NULL, r.name, r.version, i.since`, device)
	if list == nil {
		list = []InstallRow{}
	}
	return list, err
}

// ScanRow is a scan of a device.
type ScanRow struct {
	Source string
	At     int64
}

// DeviceScans lists the newest scans of a device.
func DeviceScans(tx *sqlite.Tx, device int64, limit int) ([]ScanRow, error) {
	list, err := sqlite.Query(
		tx,
		func(r *sql.Rows, v *ScanRow) error { return r.Scan(&v.Source, &v.At) },
		"SELECT "+snapshot.SourceName+", c.at FROM scan c JOIN source s ON s.id = c.source_id WHERE c.device_id = ? "+
			"ORDER BY c.at DESC, c.source_id LIMIT ?",
		device,
		limit,
	)
	if list == nil {
		list = []ScanRow{}
	}
	return list, err
}

// AsideRow is a line that was put aside.
type AsideRow struct {
	ID        int64  `column:"id"`
	Kind      string `column:"kind"`
	File      string `column:"file"`
	Line      int64  `column:"line"`
	Content   string `column:"content"`
	Reason    string `column:"reason"`
	State     string `column:"state"`
	ChangedAt int64  `column:"changedAt"` // seconds since 1970
	Author    string `column:"author"`
}

// AsideList is the list of lines put aside.
func AsideList() *sqlite.List[AsideRow] {
	l := &sqlite.List[AsideRow]{From: "set_aside s", Key: "s.id", Sort: "id", Columns: []sqlite.Column{
		sqlite.Plain("id", "s.id"),
		sqlite.Plain("kind", "s.kind"),
		sqlite.Searched("file", "s.file"),
		sqlite.Plain("line", "s.line"),
		sqlite.Searched("content", "s.content"),
		sqlite.Searched("reason", "s.reason"),
		sqlite.Plain("state", "s.state"),
		sqlite.Plain("changedAt", "s.changed_at"),
		sqlite.Plain("author", "s.author"),
	}}
	return l
}
