package store

import (
	"database/sql"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/usage"
	"ensomet/internal/formats"
)

// Pools prepares writing pools.
func (tx *Tx) Pools() (*Upserter, error) {
	return tx.upserter("pool", "code", 6, "code", "product_id", "server", "quantity", "expires", "custom")
}

// PutPool writes a pool. What it had before is kept with the time up to which it had it.
func (u *Upserter) PutPool(product int64, p formats.Pool, at int64) (Change, error) {
	tx := u.tx
	var id, had int64
	if err := tx.QueryRowContext(tx.ctx, "SELECT coalesce(max(id), 0), coalesce(max(quantity), 0) FROM pool WHERE code = ?", p.Code).Scan(&id, &had); err != nil {
		return Same, err
	}
	_, c, err := u.put(p.Code, p.Code, product, p.Server, p.Quantity, p.Expires, custom(p.Custom))
	if err == nil && c != Same {
		err = tx.Touch([]int64{product})
	}
	if err == nil && id != 0 && had != p.Quantity {
		_, err = tx.exec("INSERT INTO pool_was(pool_id, until, quantity) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", id, at, had)
	}
	return c, err
}

// PoolQuantityAt is how many licences a pool had at a time.
func (tx *Tx) PoolQuantityAt(pool, at int64) (n int64, err error) {
	err = tx.QueryRowContext(tx.ctx, "SELECT coalesce((SELECT quantity FROM pool_was WHERE pool_id = ?1 AND until > ?2 ORDER BY until LIMIT 1), (SELECT quantity FROM pool WHERE id = ?1), 0)", pool, at).Scan(&n)
	return n, err
}

// PoolZone is the name of the zone whose days a pool counts by, empty where none was set yet.
func (tx *Tx) PoolZone(pool int64) (zone string, err error) {
	err = tx.QueryRowContext(tx.ctx, "SELECT zone FROM pool WHERE id = ?", pool).Scan(&zone)
	return zone, err
}

// SetPoolZone says whose days a pool counts by.
func (tx *Tx) SetPoolZone(pool int64, zone string) error {
	return tx.one("UPDATE pool SET zone = ? WHERE id = ?", zone, pool)
}

// SiteOfPool is the site of most of the devices that a pool's newest events name.
func (tx *Tx) SiteOfPool(pool int64) (site string, err error) {
	err = tx.QueryRowContext(tx.ctx, `SELECT coalesce((SELECT d.site FROM (SELECT device_code FROM pool_event WHERE pool_id = ? ORDER BY at DESC LIMIT 500) e JOIN device d ON d.code = e.device_code GROUP BY 1 ORDER BY count(*) DESC, 1 LIMIT 1), '')`, pool).Scan(&site)
	return site, err
}

// PoolWas is a quantity that a pool had up to a time.
type PoolWas struct{ Until, Quantity int64 }

// PoolQuantities reads what a pool had before, the oldest first.
func (tx *Tx) PoolQuantities(pool int64) ([]PoolWas, error) {
	return query(tx, func(r *sql.Rows, v *PoolWas) error { return r.Scan(&v.Until, &v.Quantity) }, "SELECT until, quantity FROM pool_was WHERE pool_id = ? ORDER BY until", pool)
}

// PutPoolEvent writes an event of a pool. The same event twice is one.
func (tx *Tx) PutPoolEvent(pool int64, e formats.PoolEvent) (Change, error) {
	res, err := tx.exec("INSERT OR IGNORE INTO pool_event(pool_id, at, session, event, person_code, device_code, licences, active) VALUES (?, ?, ?, ?, ?, ?, ?, ?)", pool, e.At, e.Session, e.Event, e.User, e.Device, e.Licences, e.Active)
	if err != nil {
		return Same, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return Same, nil
	}
	return Added, nil
}

// TouchPools marks the products of some pools.
func (tx *Tx) TouchPools(pools map[int64]bool) error {
	list, err := tx.AllPools()
	if err != nil {
		return err
	}
	var products []int64
	for _, p := range list {
		if pools[p.ID] {
			products = append(products, p.Product)
		}
	}
	return tx.Touch(products)
}

// Pool is a pool as it is stored. Expires is the last day of its licences, 0 where they do not expire.
type Pool struct {
	ID, Product  int64
	Code, Server string
	Quantity     int64
	Expires      civil.Day
}

// AllPools reads every pool, by its code.
func (tx *Tx) AllPools() ([]Pool, error) {
	return query(tx, func(r *sql.Rows, v *Pool) error {
		return r.Scan(&v.ID, &v.Product, &v.Code, &v.Server, &v.Quantity, &v.Expires)
	}, "SELECT id, product_id, code, server, quantity, expires FROM pool ORDER BY code")
}

// PoolSession is licences that were out of a pool. End is 0 where no return is known.
type PoolSession struct {
	Pool           int64
	Person, Device string // user_id, device_id
	Start, End     int64
	Licences       int64
}

// PoolSessions reads what was out of pools at some time in [from, to): each checkout up to the first return of its session that follows.
func (tx *Tx) PoolSessions(from, to int64) ([]PoolSession, error) {
	return query(tx, func(r *sql.Rows, v *PoolSession) error {
		return r.Scan(&v.Pool, &v.Person, &v.Device, &v.Start, &v.Licences, &v.End)
	}, `SELECT * FROM (SELECT c.pool_id, c.person_code, c.device_code, c.at, c.licences,
			coalesce((SELECT min(r.at) FROM pool_event r WHERE r.pool_id = c.pool_id AND r.session = c.session AND r.event = 'return' AND r.at >= c.at), 0) AS ended
		FROM pool_event c WHERE c.event = 'checkout' AND c.at < ?2) WHERE ended = 0 OR ended > ?1 ORDER BY 1, 4, 2, 3`, from, to)
}

// PoolEvents reads the events of a pool in [from, to), in order.
func (tx *Tx) PoolEvents(pool, from, to int64) ([]usage.PoolEvent, error) {
	return query(tx, func(r *sql.Rows, e *usage.PoolEvent) error {
		return r.Scan(&e.At, &e.Kind, &e.Session, &e.User, &e.Device, &e.Licences, &e.Active)
	}, `SELECT at, CASE event WHEN 'checkout' THEN 0 WHEN 'return' THEN 1 WHEN 'denial' THEN 2 WHEN 'lost' THEN 3 ELSE 4 END, session, person_code, device_code, licences, active FROM pool_event
		WHERE pool_id = ? AND at >= ? AND at < ? ORDER BY at`, pool, from, to)
}

// PutPoolDays replaces the days of a pool from a day on.
func (tx *Tx) PutPoolDays(pool int64, from civil.Day, days []usage.PoolDay) error {
	if _, err := tx.exec("DELETE FROM pool_day WHERE pool_id = ? AND day >= ?", pool, from); err != nil {
		return err
	}
	for _, d := range days {
		if d.Day < from {
			continue
		}
		if _, err := tx.exec("INSERT INTO pool_day(pool_id, day, peak, peak_at, seconds, checkouts, denials, users) VALUES (?, ?, ?, ?, ?, ?, ?, ?)", pool, d.Day, d.Peak, d.PeakAt, d.Seconds, d.Checkouts, d.Denials, d.Users); err != nil {
			return err
		}
	}
	return nil
}

// PoolDays reads the days of a pool.
func (tx *Tx) PoolDays(pool int64, from, to civil.Day) ([]usage.PoolDay, error) {
	return query(tx, func(r *sql.Rows, d *usage.PoolDay) error {
		return r.Scan(&d.Day, &d.Peak, &d.PeakAt, &d.Seconds, &d.Checkouts, &d.Denials, &d.Users)
	}, "SELECT day, peak, peak_at, seconds, checkouts, denials, users FROM pool_day WHERE pool_id = ? AND day BETWEEN ? AND ? ORDER BY day", pool, from, to)
}

// PoolSeen is what is known of a pool in some days.
type PoolSeen struct {
	Peak, Denials int64
	Measured      int64 // days that lie between the first and the last report of the pool's server
}

// PoolSeen sums up a pool's days from one to another. A pool reports through its server: days between the server's first and last report were measured.
func (tx *Tx) PoolSeen(pool int64, from, to civil.Day) (v PoolSeen, err error) {
	err = tx.QueryRowContext(tx.ctx, `WITH told AS (SELECT min(d.day) AS first, max(d.day) AS last FROM pool_day d JOIN pool p ON p.id = d.pool_id WHERE p.server = (SELECT server FROM pool WHERE id = ?1) AND (p.server <> '' OR p.id = ?1))
		SELECT coalesce(max(d.peak), 0), coalesce(sum(d.denials), 0), (SELECT coalesce(max(0, min(last, ?3) - max(first, ?2) + 1), 0) FROM told) FROM pool_day d WHERE d.pool_id = ?1 AND d.day BETWEEN ?2 AND ?3`, pool, from, to).Scan(&v.Peak, &v.Denials, &v.Measured)
	return v, err
}

// PoolRow is a line of the list of pools. Peak, Denials and Measured are of the last month.
type PoolRow struct {
	ID        int64     `json:"id"`
	Code      string    `json:"code"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Server    string    `json:"server"`
	Quantity  int64     `json:"quantity"`
	Expires   civil.Day `json:"expires"`
	Peak      int64     `json:"peak"`
	Used      float64   `json:"used" doc:"utilisation: peak divided by quantity"`
	Denials   int64     `json:"denials"`
	LastDay   civil.Day `json:"lastDay" doc:"the last day on which it reported"`
	Lost      bool      `json:"lost" doc:"the connection to its server is lost"`
	Cases     int64     `json:"cases"`
	Asked     int64     `json:"asked" doc:"complaints that nobody has answered"`
	Alert     string    `json:"alert" enum:"lost,expired,expires soon,denied,silent,"`
}

// PoolPage reads a page of pools as of a day.
func (tx *Tx) PoolPage(q ListQuery, today civil.Day) (Page[PoolRow], error) {
	in := " BETWEEN " + itoa(int64(today-29)) + " AND " + itoa(int64(today))
	peak := "coalesce((SELECT max(peak) FROM pool_day d WHERE d.pool_id = o.id AND d.day" + in + "), 0)"
	denials := "coalesce((SELECT sum(denials) FROM pool_day d WHERE d.pool_id = o.id AND d.day" + in + "), 0)"
	lastDay := "coalesce((SELECT max(day) FROM pool_day d JOIN pool s ON s.id = d.pool_id WHERE s.id = o.id OR s.server = o.server AND o.server <> ''), 0)"
	lost := "coalesce((SELECT v.event = 'lost' FROM pool_event v WHERE v.pool_id = o.id AND v.event IN ('lost', 'found') ORDER BY v.at DESC, v.event DESC LIMIT 1), 0)"
	l := list[PoolRow]{from: "pool o JOIN product p ON p.id = o.product_id", key: "o.id", sort: "code", columns: []column[PoolRow]{
		{"id", "o.id", func(r *PoolRow) any { return &r.ID }, false}, {"code", "o.code", func(r *PoolRow) any { return &r.Code }, true}, {"productId", "o.product_id", func(r *PoolRow) any { return &r.ProductID }, false},
		{"publisher", "p.publisher", func(r *PoolRow) any { return &r.Publisher }, true}, {"product", "p.name", func(r *PoolRow) any { return &r.Product }, true}, {"server", "o.server", func(r *PoolRow) any { return &r.Server }, true},
		{"quantity", "o.quantity", func(r *PoolRow) any { return &r.Quantity }, false}, {"expires", "o.expires", func(r *PoolRow) any { return &r.Expires }, false}, {"peak", peak, func(r *PoolRow) any { return &r.Peak }, false},
		{"used", "(CASE WHEN o.quantity = 0 THEN 0.0 ELSE 1.0 * " + peak + " / o.quantity END)", func(r *PoolRow) any { return &r.Used }, false}, {"denials", denials, func(r *PoolRow) any { return &r.Denials }, false},
		{"lastDay", lastDay, func(r *PoolRow) any { return &r.LastDay }, false}, {"lost", lost, func(r *PoolRow) any { return &r.Lost }, false},
		{"cases", "(SELECT count(*) FROM worklist_case c WHERE c.pool_id = o.id AND c.state NOT IN ('gone', 'lapsed', 'kept'))", func(r *PoolRow) any { return &r.Cases }, false},
		{"asked", "(SELECT count(*) FROM pool_complaint c WHERE c.pool_id = o.id AND c.ended_at = 0)", func(r *PoolRow) any { return &r.Asked }, false},
		{"alert", "(CASE WHEN " + lost + " THEN 'lost' WHEN o.expires <> 0 AND o.expires < " + itoa(int64(today)) + " THEN 'expired' WHEN o.expires <> 0 AND o.expires <= " + itoa(int64(today+usage.ExpiryDays)) + " THEN 'expires soon' WHEN " + denials + " > 0 THEN 'denied' WHEN " + lastDay + " < " + itoa(int64(today-usage.SilentDays)) + " THEN 'silent' ELSE '' END)",
			func(r *PoolRow) any { return &r.Alert }, false},
	}}
	return l.page(tx, q)
}

// PoolComplaint is somebody's word that he got no licence.
type PoolComplaint struct {
	ID       int64  `json:"id"`
	Pool     int64  `json:"-"`
	User     string `json:"user"`
	Text     string `json:"text"`
	Author   string `json:"author"`
	At       int64  `json:"at"`
	EndedAt  int64  `json:"endedAt"`
	EndedHow string `json:"endedHow"`
}

// PoolComplaints reads what was said about a pool, the newest first.
func (tx *Tx) PoolComplaints(pool int64) ([]PoolComplaint, error) {
	return query(tx, func(r *sql.Rows, v *PoolComplaint) error {
		return r.Scan(&v.ID, &v.Pool, &v.User, &v.Text, &v.Author, &v.At, &v.EndedAt, &v.EndedHow)
	}, "SELECT id, pool_id, person_code, text, author, at, ended_at, ended_how FROM pool_complaint WHERE pool_id = ? ORDER BY ended_at = 0 DESC, id DESC", pool)
}

// AddPoolComplaint writes a complaint.
func (tx *Tx) AddPoolComplaint(c PoolComplaint) error {
	_, err := tx.exec("INSERT INTO pool_complaint(pool_id, person_code, text, author, at) VALUES (?, ?, ?, ?, ?)", c.Pool, c.User, c.Text, c.Author, c.At)
	return err
}

// EndPoolComplaints answers the complaints about a pool that nobody has answered.
func (tx *Tx) EndPoolComplaints(pool, at int64, how string) error {
	_, err := tx.exec("UPDATE pool_complaint SET ended_at = ?, ended_how = ? WHERE pool_id = ? AND ended_at = 0", at, how, pool)
	return err
}

// PoolSize is a size of a pool that somebody decided on, with its reason and what it rests on.
type PoolSize struct {
	ID     int64  `json:"id"`
	Pool   int64  `json:"-"`
	Was    int64  `json:"was"`
	Size   int64  `json:"size"`
	Reason string `json:"reason"`
	Basis  string `json:"basis" doc:"what replay and formula said at the time"`
	Author string `json:"author"`
	At     int64  `json:"at"`
}

// PoolSizes reads what was decided about the size of a pool, the newest first.
func (tx *Tx) PoolSizes(pool int64) ([]PoolSize, error) {
	return query(tx, func(r *sql.Rows, v *PoolSize) error {
		return r.Scan(&v.ID, &v.Pool, &v.Was, &v.Size, &v.Reason, &v.Basis, &v.Author, &v.At)
	}, "SELECT id, pool_id, was, size, reason, basis, author, at FROM pool_size WHERE pool_id = ? ORDER BY id DESC", pool)
}

// AddPoolSize writes a decision.
func (tx *Tx) AddPoolSize(s PoolSize) error {
	_, err := tx.exec("INSERT INTO pool_size(pool_id, was, size, reason, basis, author, at) VALUES (?, ?, ?, ?, ?, ?, ?)", s.Pool, s.Was, s.Size, s.Reason, s.Basis, s.Author, s.At)
	return err
}
