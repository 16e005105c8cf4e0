// Package reportsdb has the tables of what is counted and found over all tables.
package reportsdb

import (
	"database/sql"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/facts"
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
	if err := tx.QueryRowContext(tx.Ctx, `SELECT (SELECT count(*) FROM set_aside WHERE state = 'waiting'),
		(SELECT count(*) FROM name_fact WHERE state = 'unrecognised' AND installs > 0),
		(SELECT coalesce(sum(counted), 0) FROM product_fact), (SELECT coalesce(sum(folded), 0) FROM product_fact),
		(SELECT count(*) FROM entitlement WHERE withdrawn_at = 0), (SELECT count(*) FROM entitlement
		WHERE withdrawn_at = 0 AND end BETWEEN ?1 AND ?2),
		(SELECT count(*) FROM position), (SELECT coalesce(sum(needed), 0)
		FROM position), (SELECT coalesce(sum(covered), 0) FROM position), (SELECT count(*) FROM position
		WHERE short > 0),
		(SELECT count(*) FROM position WHERE counted AND short = 0 AND surplus > 0), (SELECT count(*) FROM position
		WHERE (low <= owned) <> (high <= owned)),
		(SELECT coalesce(sum(fresh), 0) FROM fleet), (SELECT coalesce(sum(stale), 0) FROM fleet),
		(SELECT coalesce(sum(never), 0) FROM fleet)`, today, soon).
		Scan(
			&c.Aside, &c.Names, &c.Counted, &c.Folded, &c.Entitlements, &c.EndingSoon, &c.Positions, &c.Needed,
			&c.Covered, &c.Short, &c.Spare, &c.Doubtful, &c.Fresh, &c.Stale, &c.Never); err != nil {
		return c, err
	}
	c.InService = c.Fresh + c.Stale + c.Never
	tally, err := facts.Tally(tx)
	if err != nil {
		return c, err
	}
	c.Devices, c.Installs, c.Unrecognised = tally["devices"], tally["installs"], tally["unrecognised"]
	for what, n := range tally {
		if class, is := strings.CutPrefix(what, facts.UseTally); is {
			switch class {
			case "not measured":
				c.NotMeasured += n
				continue
			case "unused", "never used":
				c.Idle += n
			}
			c.Measured += n
		}
		if state, is := strings.CutPrefix(what, facts.CaseTally); is {
			switch state {
			case "open", "answered", "silent", "failed":
				c.OpenCases += n
			case "agreed", "approved", "asked":
				c.AgreedCases += n
			case "waiting", "sent":
				c.SentCases += n
			case "gone":
				c.GoneCases += n
			}
		}
		state, is := strings.CutPrefix(what, facts.BackTally)
		if is && state != "gone" && state != "lapsed" && state != "kept" {
			c.BackCases += n
		}
	}
	return c, nil
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
