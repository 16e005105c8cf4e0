// Package reportsdb has the tables of what is counted and found over all tables.
package reportsdb

import (
	"database/sql"

	"ensomet/internal/core/civil"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// Counts is how much stands at each station of the work.
type Counts struct {
	Devices      int64
	InService    int64
	Fresh        int64
	Stale        int64
	Never        int64
	Installs     int64
	Aside        int64
	Unrecognised int64
	Names        int64
	Counted      int64
	Folded       int64
	Entitlements int64
	EndingSoon   int64
	Measured     int64
	NotMeasured  int64
	Idle         int64
	Positions    int64
	Needed       int64
	Covered      int64
	Short        int64
	Spare        int64
	Doubtful     int64
	OpenCases    int64
	AgreedCases  int64
	SentCases    int64
	GoneCases    int64
	BackCases    int64
}

// CountOverview counts what stands at each station; soon is the last day of "ends soon", today its first.
func CountOverview(tx *sqlite.Tx, today, soon civil.Day) (Counts, error) {
	var c Counts
	err := tx.QueryRowContext(tx.Ctx, `SELECT (SELECT count(*) FROM device), (SELECT count(*) FROM device
		WHERE status = 'in_service'),
		(SELECT count(*) FROM device_fact f JOIN device d ON d.id = f.device_id WHERE f.age = 'fresh'
		AND d.status = 'in_service'), (SELECT count(*) FROM device_fact f JOIN device d ON d.id = f.device_id
		WHERE f.age = 'stale' AND d.status = 'in_service'),
		(SELECT count(*) FROM device d LEFT JOIN device_fact f ON f.device_id = d.id
		WHERE coalesce(f.age, 'never') = 'never' AND d.status = 'in_service'),
		(SELECT coalesce(sum(installs), 0) FROM device_fact), (SELECT count(*) FROM set_aside WHERE state = 'waiting'),
		(SELECT coalesce(sum(unrecognised), 0) FROM device_fact), (SELECT count(*) FROM name_fact
		WHERE state = 'unrecognised' AND installs > 0), (SELECT coalesce(sum(counted), 0)
		FROM product_fact), (SELECT coalesce(sum(folded), 0) FROM product_fact),
		(SELECT count(*) FROM entitlement WHERE withdrawn_at = 0), (SELECT count(*) FROM entitlement
		WHERE withdrawn_at = 0 AND end BETWEEN ?1 AND ?2),
		(SELECT count(*) FROM idle_fact WHERE class <> 'not measured'), (SELECT count(*) FROM idle_fact
		WHERE class = 'not measured'), (SELECT count(*) FROM idle_fact WHERE class IN ('unused', 'never used')),
		(SELECT count(*) FROM position), (SELECT coalesce(sum(needed), 0)
		FROM position), (SELECT coalesce(sum(covered), 0) FROM position), (SELECT count(*) FROM position
		WHERE short > 0),
		(SELECT count(*) FROM position WHERE counted AND short = 0 AND surplus > 0), (SELECT count(*) FROM position
		WHERE (low <= owned) <> (high <= owned)),
		(SELECT count(*) FROM worklist_case WHERE state IN ('open', 'answered', 'silent', 'failed')), (SELECT count(*)
		FROM worklist_case WHERE state IN ('agreed', 'approved', 'asked')), (SELECT count(*) FROM worklist_case
		WHERE state IN ('waiting', 'sent')), (SELECT count(*) FROM worklist_case WHERE state = 'gone'),
		(SELECT count(*) FROM worklist_case WHERE came_back > 0
		AND state NOT IN ('gone', 'lapsed', 'kept'))`, today, soon).
		Scan(
			&c.Devices, &c.InService, &c.Fresh, &c.Stale, &c.Never, &c.Installs, &c.Aside, &c.Unrecognised, &c.Names,
			&c.Counted, &c.Folded, &c.Entitlements, &c.EndingSoon, &c.Measured, &c.NotMeasured, &c.Idle,
			&c.Positions, &c.Needed, &c.Covered, &c.Short, &c.Spare, &c.Doubtful, &c.OpenCases, &c.AgreedCases,
			&c.SentCases, &c.GoneCases, &c.BackCases)
	return c, err
}

// MoneyRow sums the position by currency.
type MoneyRow struct {
	Currency string
	Exposure string
	Spare    string
}

// MoneyByCurrency sums exposure and spare value by currency.
func MoneyByCurrency(tx *sqlite.Tx) ([]MoneyRow, error) {
	list, err := sqlite.Query(
		tx,
		func(r *sql.Rows, v *MoneyRow) error {
			var exposure, spare int64
			err := r.Scan(&v.Currency, &exposure, &spare)
			v.Exposure, v.Spare = decimal.New(exposure, -4).String(), decimal.New(spare, -4).String()
			return err
		},
		"SELECT currency, sum("+sqlite.TenThousandths("exposure_text")+"), sum("+sqlite.TenThousandths("spare_text")+
			") FROM position WHERE currency <> '' GROUP BY currency ORDER BY 2 DESC, 1",
	)
	if list == nil {
		list = []MoneyRow{}
	}
	return list, err
}

// Hit is something that the command line found.
type Hit struct {
	Kind   string // device, title, entitlement, person
	ID     string
	Text   string
	Detail string
}

// Find looks for devices, titles, entitlements and persons whose name holds every word.
func Find(tx *sqlite.Tx, text string, limit int) ([]Hit, error) {
	out := []Hit{}
	devices, err := lists.DeviceList().Page(tx, sqlite.ListQuery{Search: text, Limit: limit})
	if err != nil {
		return nil, err
	}
	for _, d := range devices.Rows {
		out = append(out, Hit{"device", d.Code, d.Name, d.Unit})
	}
	products, err := lists.ProductList().Page(tx, sqlite.ListQuery{Search: text, Limit: limit})
	if err != nil {
		return nil, err
	}
	for _, p := range products.Rows {
		out = append(out, Hit{"title", sqlite.Itoa(p.ID), p.Product, p.Publisher})
	}
	rights, err := lists.EntitlementList().Page(tx, sqlite.ListQuery{Search: text, Limit: limit})
	if err != nil {
		return nil, err
	}
	for _, e := range rights.Rows {
		out = append(out, Hit{"entitlement", e.Code, e.Code, e.Publisher + " " + e.Product})
	}
	persons, err := sqlite.Query(tx, func(r *sql.Rows, h *Hit) error {
		h.Kind = "person"
		return r.Scan(&h.ID, &h.Text, &h.Detail)
	}, "SELECT code, name, org_unit FROM person WHERE name LIKE ?1 ESCAPE '\\' OR code LIKE ?1 ESCAPE '\\' ORDER BY "+
		"name LIMIT ?2", "%"+sqlite.EscapeLike(text)+"%", limit)
	return append(out, persons...), err
}
