package usedb

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/usage"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// Pools prepares writing pools.
func Pools(tx *sqlite.Tx) (*sqlite.Upserter, error) {
	return tx.Upserter("pool", "code", 6, "code", "product_id", "server", "quantity", "expires", "custom")
}

// PutPool writes a pool. What it had before is kept with the time up to which it had it.
func PutPool(u *sqlite.Upserter, product int64, p formats.Pool, at int64) (sqlite.Change, error) {
	tx := u.Tx
	var id, had int64
	if err := tx.QueryRowContext(tx.Ctx,
		"SELECT coalesce(max(id), 0), coalesce(max(quantity), 0) FROM pool WHERE code = ?", p.Code).Scan(&id,
		&had); err != nil {
		return sqlite.Same, err
	}
	_, c, err := u.Put(p.Code, p.Code, product, p.Server, p.Quantity, p.Expires, sqlite.Custom(p.Custom))
	if err == nil && c != sqlite.Same {
		err = renewal.Touch(tx, []int64{product})
	}
	if err == nil && id != 0 && had != p.Quantity {
		_, err = tx.Exec(
			"INSERT INTO pool_was(pool_id, until, quantity) VALUES (?, ?, ?) ON CONFLICT DO NOTHING",
			id,
			at,
			had,
		)
	}
	return c, err
}

// PoolZone is the name of the zone whose days a pool counts by, empty where none was set yet.
func PoolZone(tx *sqlite.Tx, pool int64) (zone string, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT zone FROM pool WHERE id = ?", pool).Scan(&zone)
	return zone, err
}

// SetPoolZone says whose days a pool counts by.
func SetPoolZone(tx *sqlite.Tx, pool int64, zone string) error {
	return tx.One("UPDATE pool SET zone = ? WHERE id = ?", zone, pool)
}

// SiteOfPool is the site of most of the devices that a pool's newest events name.
func SiteOfPool(tx *sqlite.Tx, pool int64) (site string, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT coalesce((SELECT d.site FROM (SELECT device_code FROM pool_event
		WHERE pool_id = ? ORDER BY at DESC LIMIT 500) e JOIN device d ON d.code = e.device_code GROUP BY 1
		ORDER BY count(*) DESC, 1 LIMIT 1), '')`, pool).
		Scan(&site)
	return site, err
}

// PoolWas is a quantity that a pool had up to a time.
type PoolWas struct{ Until, Quantity int64 }

// PoolQuantities reads what a pool had before, the oldest first.
func PoolQuantities(tx *sqlite.Tx, pool int64) ([]PoolWas, error) {
	return sqlite.Select[PoolWas](tx, `SELECT until, quantity FROM pool_was WHERE
		pool_id = ? ORDER BY until`,
		pool,
	)
}

// PutPoolEvent writes an event of a pool. The same event twice is one.
func PutPoolEvent(tx *sqlite.Tx, pool int64, e formats.PoolEvent) (sqlite.Change, error) {
	if err := tx.LayRows("pool_event", "pool_id = ?", pool); err != nil {
		return sqlite.Same, err
	}
	n, err := tx.Touched(
		"INSERT OR IGNORE INTO pool_event(pool_id, at, session, event, person_code, device_code, licences, active) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
		pool,
		e.At,
		e.Session,
		e.Event,
		e.User,
		e.Device,
		e.Licences,
		e.Active,
	)
	if err != nil || n == 0 {
		return sqlite.Same, err
	}
	return sqlite.Added, nil
}

// PoolEvents reads the events of a pool in [from, to), in order, each with the person whom its name means.
func PoolEvents(tx *sqlite.Tx, pool, from, to int64) ([]usage.PoolEvent, error) {
	return sqlite.Select[usage.PoolEvent](tx, `SELECT e.at, CASE e.event WHEN 'checkout' THEN 0
		WHEN 'return' THEN 1 WHEN 'denial' THEN 2 WHEN 'lost' THEN 3 ELSE 4 END AS kind, e.session,
		coalesce(nullif(r.counts_as, ''), e.person_code) AS user, e.device_code AS device, e.licences, e.active
		FROM pool_event e LEFT JOIN person_record r ON r.key = e.person_code
		WHERE e.pool_id = ? AND e.at >= ? AND e.at < ? ORDER BY e.at`, pool, from, to)
}

// PutPoolDays replaces the days of a pool from a day on.
func PutPoolDays(tx *sqlite.Tx, pool int64, from civil.Day, days []usage.PoolDay) error {
	if _, err := tx.Exec("DELETE FROM pool_day WHERE pool_id = ? AND day >= ?", pool, from); err != nil {
		return err
	}
	for _, d := range days {
		if d.Day < from {
			continue
		}
		if _, err := tx.Exec("INSERT INTO pool_day(pool_id, day, peak, peak_at, seconds, checkouts, denials, users) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?)", pool, d.Day, d.Peak, d.PeakAt, d.Seconds, d.Checkouts, d.Denials,
			d.Users); err != nil {
			return err
		}
	}
	return nil
}

// PoolDays reads the days of a pool.
func PoolDays(tx *sqlite.Tx, pool int64, from, to civil.Day) ([]usage.PoolDay, error) {
	return sqlite.Select[usage.PoolDay](tx, `SELECT day, peak, peak_at, seconds, checkouts,
		denials, users FROM pool_day WHERE pool_id = ? AND day BETWEEN ? AND ? ORDER BY day`, pool, from, to)
}

// PoolRow is a line of the list of pools. Peak, Denials and Measured are of the last month.
type PoolRow struct {
	ID        int64     `column:"id"`
	Code      string    `column:"code"`
	ProductID int64     `column:"productId"`
	Publisher string    `column:"publisher"`
	Product   string    `column:"product"`
	Server    string    `column:"server"`
	Quantity  int64     `column:"quantity"`
	Expires   civil.Day `column:"expires"`
	Peak      int64     `column:"peak"`
	Used      float64   `column:"used"` // utilisation: peak divided by quantity
	Denials   int64     `column:"denials"`
	LastDay   civil.Day `column:"lastDay"` // the last day on which it reported
	Lost      bool      `column:"lost"`    // the connection to its server is lost
	Cases     int64     `column:"cases"`
	Asked     int64     `column:"asked"` // complaints that nobody has answered
	Alert     string    `column:"alert"` // lost, expired, expires soon, denied, silent,
}

// PoolList is the list of pools as of a day.
func PoolList(today civil.Day) *sqlite.List[PoolRow] {
	in := " BETWEEN " + sqlite.Itoa(int64(today-29)) + " AND " + sqlite.Itoa(int64(today))
	peak := "coalesce((SELECT max(peak) FROM pool_day d WHERE d.pool_id = o.id AND d.day" + in + "), 0)"
	denials := "coalesce((SELECT sum(denials) FROM pool_day d WHERE d.pool_id = o.id AND d.day" + in + "), 0)"
	lastDay := "coalesce((SELECT max(day) FROM pool_day d JOIN pool s ON s.id = d.pool_id WHERE s.id = o.id OR " +
		"s.server = o.server AND o.server <> ''), 0)"
	lost := "coalesce((SELECT v.event = 'lost' FROM pool_event v WHERE v.pool_id = o.id AND v.event IN ('lost', " +
		"'found') ORDER BY v.at DESC, v.event DESC LIMIT 1), 0)"
	l := &sqlite.List[PoolRow]{
		From: "pool o JOIN product p ON p.id = o.product_id",
		Key:  "o.id",
		Sort: "code",
		Columns: []sqlite.Column{
			sqlite.Plain("id", "o.id"),
			sqlite.Searched("code", "o.code"),
			sqlite.Plain("productId", "o.product_id"),
			sqlite.Searched("publisher", "p.publisher"),
			sqlite.Searched("product", "p.name"),
			sqlite.Searched("server", "o.server"),
			sqlite.Plain("quantity", "o.quantity"),
			sqlite.Plain("expires", "o.expires"),
			sqlite.Plain("peak", peak),
			sqlite.Plain("used", "(CASE WHEN o.quantity = 0 THEN 0.0 ELSE 1.0 * "+peak+" / o.quantity END)"),
			sqlite.Plain("denials", denials),
			sqlite.Plain("lastDay", lastDay),
			sqlite.Plain("lost", lost),
			sqlite.Plain(
				"cases",
				"(SELECT count(*) FROM worklist_case c WHERE c.pool_id = o.id AND c.state NOT IN ('gone', 'lapsed', "+
					"'kept'))",
			),
			sqlite.Plain(
				"asked",
				"(SELECT count(*) FROM pool_complaint c WHERE c.pool_id = o.id AND c.ended_at = 0)"),
			sqlite.Plain(
				"alert",
				"(CASE WHEN "+lost+" THEN 'lost' WHEN o.expires <> 0 AND o.expires < "+sqlite.Itoa(
					int64(today),
				)+" THEN 'expired' WHEN o.expires <> 0 AND o.expires <= "+sqlite.Itoa(
					int64(today+usage.ExpiryDays),
				)+" THEN 'expires soon' WHEN "+denials+" > 0 THEN 'denied' WHEN "+lastDay+" < "+sqlite.Itoa(
					int64(today-usage.SilentDays),
				)+" THEN 'silent' ELSE '' END)"),
		},
	}
	return l
}

// PoolComplaint is somebody's word that he got no licence.
type PoolComplaint struct {
	ID       int64
	Pool     int64
	User     string
	Text     string
	Author   string
	At       int64
	EndedAt  int64
	EndedHow string
}

// PoolComplaints reads what was said about a pool, the newest first.
func PoolComplaints(tx *sqlite.Tx, pool int64) ([]PoolComplaint, error) {
	return sqlite.Select[PoolComplaint](tx, `SELECT id, pool_id AS pool, person_code AS
		user, text, author, at, ended_at, ended_how FROM pool_complaint WHERE pool_id = ? ORDER BY ended_at =
		0 DESC, id DESC`, pool)
}

// AddPoolComplaint writes a complaint.
func AddPoolComplaint(tx *sqlite.Tx, c PoolComplaint) error {
	_, err := tx.Exec(
		"INSERT INTO pool_complaint(pool_id, person_code, text, author, at) VALUES (?, ?, ?, ?, ?)",
		c.Pool,
		c.User,
		c.Text,
		c.Author,
		c.At,
	)
	return err
}

// EndPoolComplaints answers the complaints about a pool that nobody has answered.
func EndPoolComplaints(tx *sqlite.Tx, pool, at int64, how string) error {
	_, err := tx.Exec(
		"UPDATE pool_complaint SET ended_at = ?, ended_how = ? WHERE pool_id = ? AND ended_at = 0",
		at,
		how,
		pool,
	)
	return err
}

// PoolSize is a size of a pool that somebody decided on, with its reason and what it rests on.
type PoolSize struct {
	ID     int64
	Pool   int64
	Was    int64
	Size   int64
	Reason string
	Basis  string // what replay and formula said at the time
	Author string
	At     int64
}

// PoolSizes reads what was decided about the size of a pool, the newest first.
func PoolSizes(tx *sqlite.Tx, pool int64) ([]PoolSize, error) {
	return sqlite.Select[PoolSize](tx, `SELECT id, pool_id AS pool, was, size, reason,
		basis, author, at FROM pool_size WHERE pool_id = ? ORDER BY id DESC`,
		pool)
}

// AddPoolSize writes a decision.
func AddPoolSize(tx *sqlite.Tx, s PoolSize) error {
	_, err := tx.Exec(
		"INSERT INTO pool_size(pool_id, was, size, reason, basis, author, at) VALUES (?, ?, ?, ?, ?, ?, ?)",
		s.Pool,
		s.Was,
		s.Size,
		s.Reason,
		s.Basis,
		s.Author,
		s.At,
	)
	return err
}
