package evidencedb

import (
	"database/sql"
	"encoding/json"
	"errors"

	"ensomet/internal/core/schedule"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

// Token lets a source send scans. Its secret is kept as a hash alone.
type Token struct {
	ID        int64
	Source    string
	Hint      string // the first letters of the secret
	FindsBy   string // id or name: how its scans find their device
	CreatedAt int64
	Author    string
	LastUsed  int64
	LastFrom  string
	RevokedAt int64
	RevokedBy string
	Scans     int64
	Devices   int64
}

const tokenColumns = "t.id, t.source, t.hint, t.finds_by, t.created_at, t.author, t.last_used, t.last_from, " +
	"t.revoked_at, t.revoked_by"

func scanToken(r *sql.Rows, t *Token) error {
	return r.Scan(
		&t.ID,
		&t.Source,
		&t.Hint,
		&t.FindsBy,
		&t.CreatedAt,
		&t.Author,
		&t.LastUsed,
		&t.LastFrom,
		&t.RevokedAt,
		&t.RevokedBy,
	)
}

// AddToken writes a token.
func AddToken(tx *sqlite.Tx, t Token, hash []byte) (int64, error) {
	return tx.Insert(
		"INSERT INTO token(source, hint, hash, finds_by, created_at, author) VALUES (?, ?, ?, ?, ?, ?)",
		t.Source,
		t.Hint,
		hash,
		t.FindsBy,
		t.CreatedAt,
		t.Author,
	)
}

// TokenByHash finds a token, a revoked one too.
func TokenByHash(tx *sqlite.Tx, hash []byte) (Token, error) {
	list, err := sqlite.Query(tx, scanToken, "SELECT "+tokenColumns+" FROM token t WHERE t.hash = ?", hash)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Token{}, err
	}
	return list[0], nil
}

// Tokens lists all tokens with what came through them.
func Tokens(tx *sqlite.Tx) ([]Token, error) {
	return sqlite.Query(tx, func(r *sql.Rows, t *Token) error {
		return r.Scan(
			&t.ID,
			&t.Source,
			&t.Hint,
			&t.FindsBy,
			&t.CreatedAt,
			&t.Author,
			&t.LastUsed,
			&t.LastFrom,
			&t.RevokedAt,
			&t.RevokedBy,
			&t.Scans,
			&t.Devices,
		)
	}, "SELECT "+tokenColumns+
		", (SELECT count(*) FROM delivery d WHERE d.token_id = t.id AND d.outcome <> 'refused'), (SELECT "+
		"count(DISTINCT device_id) FROM delivery d WHERE d.token_id = t.id AND d.device_id <> 0) FROM token t ORDER "+
		"BY t.revoked_at <> 0, t.source, t.id")
}

// TokenUsed notes when and from where a token was used last.
func TokenUsed(tx *sqlite.Tx, id, at int64, from string) error {
	return tx.One("UPDATE token SET last_used = ?, last_from = ? WHERE id = ?", at, from, id)
}

// RevokeToken takes a token out of use.
func RevokeToken(tx *sqlite.Tx, id, at int64, who string) error {
	return tx.One("UPDATE token SET revoked_at = ?, revoked_by = ? WHERE id = ? AND revoked_at = 0", at, who, id)
}

// Delivery is a scan that came over HTTP. Outcome is new, late, again or refused.
type Delivery struct {
	ID         int64  `column:"id"`
	ReceivedAt int64  `column:"receivedAt"` // seconds since 1970
	Source     string `column:"source"`
	DeviceID   int64  `column:"deviceId"`
	Code       string `column:"code"`
	Device     string `column:"device"`
	ScanAt     int64  `column:"scanAt"` // seconds since 1970
	Bytes      int64  `column:"bytes"`
	Outcome    string `column:"outcome"`
	Detail     string `column:"detail"`
}

// AddDelivery notes a scan that came.
func AddDelivery(tx *sqlite.Tx, token int64, d Delivery) error {
	_, err := tx.Exec(
		"INSERT INTO delivery(token_id, received_at, device_id, scan_at, bytes, outcome, detail) VALUES (?, ?, ?, ?, "+
			"?, ?, ?)",
		token,
		d.ReceivedAt,
		d.DeviceID,
		d.ScanAt,
		d.Bytes,
		d.Outcome,
		d.Detail,
	)
	return err
}

// ForgetDeliveries deletes notes of deliveries before a time.
func ForgetDeliveries(tx *sqlite.Tx, before int64) error {
	_, err := tx.Exec("DELETE FROM delivery WHERE received_at < ?", before)
	return err
}

// DeliveryList is the list of deliveries.
func DeliveryList() *sqlite.List[Delivery] {
	l := &sqlite.List[Delivery]{
		From: "delivery v JOIN token t ON t.id = v.token_id LEFT JOIN device d ON d.id = v.device_id",
		Key:  "v.id",
		Leads: map[string]sqlite.Lead{
			"t": {
				From: "token t JOIN delivery v ON v.token_id = t.id LEFT JOIN device d ON d.id = v.device_id",
				Key:  "t.id, v.id",
			},
		},
		Sort: "-id",
		Columns: []sqlite.Column{
			sqlite.Plain("id", "v.id"),
			sqlite.Plain("receivedAt", "v.received_at"),
			sqlite.Searched("source", "t.source"),
			sqlite.Plain("deviceId", "v.device_id"),
			sqlite.Searched("code", "coalesce(d.code, '')"),
			sqlite.Searched("device", "coalesce(d.name, '')"),
			sqlite.Plain("scanAt", "v.scan_at"),
			sqlite.Plain("bytes", "v.bytes"),
			sqlite.Plain("outcome", "v.outcome"),
			sqlite.Searched("detail", "v.detail"),
		},
	}
	return l
}

// Mapping reads the saved mapping of a header, or nil.
func Mapping(tx *sqlite.Tx, kind, headerKey string) (*formats.Mapping, error) {
	var text string
	err := tx.QueryRowContext(tx.Ctx, "SELECT mapping FROM column_mapping WHERE kind = ? AND header_key = ?", kind,
		headerKey).
		Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var m formats.Mapping
	return &m, json.Unmarshal([]byte(text), &m)
}

// SetMapping saves the mapping of a header.
func SetMapping(tx *sqlite.Tx, kind, headerKey string, m *formats.Mapping, author string, at int64) error {
	text, err := json.Marshal(m)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO column_mapping(kind, header_key, mapping, author, at) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO "+
			"UPDATE SET mapping = excluded.mapping, author = excluded.author, at = excluded.at",
		kind,
		headerKey,
		string(text),
		author,
		at,
	)
	return err
}

// Schedule is a plan by which devices are scanned. Basis is calendar or age.
type Schedule struct {
	ID           int64
	Name, Basis  string
	Calendar     schedule.Calendar
	AgeDays      int
	Group        string
	Quiet        []schedule.Quiet
	ConsideredAt int64 // up to when starts of the calendar have been turned into orders
	Author       string
	At           int64
	Paused       bool
}

// Schedules lists the schedules by name.
func Schedules(tx *sqlite.Tx) ([]Schedule, error) {
	return sqlite.Query(tx, func(r *sql.Rows, s *Schedule) error {
		var calendar, quiet string
		if err := r.Scan(&s.ID, &s.Name, &s.Basis, &calendar, &s.AgeDays, &s.Group, &quiet, &s.ConsideredAt, &s.Author,
			&s.At, &s.Paused); err != nil {
			return err
		}
		return errors.Join(json.Unmarshal([]byte(calendar), &s.Calendar), json.Unmarshal([]byte(quiet), &s.Quiet))
	}, "SELECT id, name, basis, calendar, age_days, group_name, quiet, considered_at, author, at, paused FROM "+
		"schedule ORDER BY name")
}

// PutSchedule writes a schedule, a new one where its number is 0.
func PutSchedule(tx *sqlite.Tx, s Schedule) (int64, error) {
	calendar, err1 := json.Marshal(s.Calendar)
	quiet, err2 := json.Marshal(s.Quiet)
	if err := errors.Join(err1, err2); err != nil {
		return 0, err
	}
	if s.ID != 0 {
		return s.ID, tx.One(
			"UPDATE schedule SET name = ?, basis = ?, calendar = ?, age_days = ?, group_name = ?, quiet = ?, author "+
				"= ?, at = ?, paused = ? WHERE id = ?",
			s.Name,
			s.Basis,
			string(calendar),
			s.AgeDays,
			s.Group,
			string(quiet),
			s.Author,
			s.At,
			s.Paused,
			s.ID,
		)
	}
	return tx.Insert(
		"INSERT INTO schedule(name, basis, calendar, age_days, group_name, quiet, considered_at, author, at, paused) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		s.Name,
		s.Basis,
		string(calendar),
		s.AgeDays,
		s.Group,
		string(quiet),
		s.ConsideredAt,
		s.Author,
		s.At,
		s.Paused,
	)
}

// Considered notes up to when a schedule's starts have been turned into orders.
func Considered(tx *sqlite.Tx, id, at int64) error {
	return tx.One("UPDATE schedule SET considered_at = ? WHERE id = ?", at, id)
}

// DropSchedule deletes a schedule; orders that it gave stay.
func DropSchedule(tx *sqlite.Tx, id int64) error {
	return tx.One("DELETE FROM schedule WHERE id = ?", id)
}

// ScanOrder is a scan of a device that was asked for.
type ScanOrder struct {
	ID, Device, Schedule int64
	Why, Detail, Author  string
	AskedAt              int64
	schedule.Order
}

const orderColumns = "id, device_id, schedule_id, why, state, tries, asked_at, not_before, taken_at, ended_at, " +
	"reason, detail, author"

func scanOrder(r *sql.Rows, o *ScanOrder) error {
	return r.Scan(
		&o.ID,
		&o.Device,
		&o.Schedule,
		&o.Why,
		&o.State,
		&o.Tries,
		&o.AskedAt,
		&o.NotBefore,
		&o.TakenAt,
		&o.EndedAt,
		&o.Reason,
		&o.Detail,
		&o.Author,
	)
}

// OpenOrders lists the orders that wait or run, of some devices or of all where devices is nil.
func OpenOrders(tx *sqlite.Tx, devices []int64) ([]ScanOrder, error) {
	if devices == nil {
		return sqlite.Query(
			tx,
			scanOrder,
			"SELECT "+orderColumns+" FROM scan_order WHERE state IN ('waiting', 'running') ORDER BY id",
		)
	}
	text, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	return sqlite.Query(
		tx,
		scanOrder,
		"SELECT "+orderColumns+
			" FROM scan_order WHERE device_id IN (SELECT value FROM json_each(?)) AND state IN ('waiting', "+
			"'running') ORDER BY id",
		string(text),
	)
}

// Order reads one order.
func Order(tx *sqlite.Tx, id int64) (ScanOrder, error) {
	list, err := sqlite.Query(tx, scanOrder, "SELECT "+orderColumns+" FROM scan_order WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return ScanOrder{}, err
	}
	return list[0], nil
}

// PutOrder writes an order, a new one where its number is 0.
func PutOrder(tx *sqlite.Tx, o ScanOrder) error {
	if o.ID == 0 {
		_, err := tx.Exec(
			"INSERT INTO scan_order(device_id, schedule_id, why, state, tries, asked_at, not_before, taken_at, "+
				"ended_at, reason, detail, author) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
			o.Device,
			o.Schedule,
			o.Why,
			string(o.State),
			o.Tries,
			o.AskedAt,
			o.NotBefore,
			o.TakenAt,
			o.EndedAt,
			o.Reason,
			o.Detail,
			o.Author,
		)
		return err
	}
	return tx.One(
		"UPDATE scan_order SET state = ?, tries = ?, not_before = ?, taken_at = ?, ended_at = ?, reason = ?, detail "+
			"= ? WHERE id = ?",
		string(o.State),
		o.Tries,
		o.NotBefore,
		o.TakenAt,
		o.EndedAt,
		o.Reason,
		o.Detail,
		o.ID,
	)
}

// OrderRow is a line of the list of scans that were asked for.
type OrderRow struct {
	ID        int64  `column:"id"`
	DeviceID  int64  `column:"deviceId"`
	Code      string `column:"code"`
	Device    string `column:"device"`
	Unit      string `column:"unit"`
	Site      string `column:"site"`
	Schedule  string `column:"schedule"`
	Why       string `column:"why"`
	State     string `column:"state"`
	Tries     int64  `column:"tries"`
	AskedAt   int64  `column:"askedAt"`   // seconds since 1970
	NotBefore int64  `column:"notBefore"` // seconds since 1970
	TakenAt   int64  `column:"takenAt"`   // seconds since 1970
	EndedAt   int64  `column:"endedAt"`   // seconds since 1970
	Reason    string `column:"reason"`
	Detail    string `column:"detail"`
	Author    string `column:"author"`
}

// OrderList is the list of scans that were asked for.
func OrderList() *sqlite.List[OrderRow] {
	l := &sqlite.List[OrderRow]{
		From: "scan_order o JOIN device d ON d.id = o.device_id LEFT JOIN schedule s ON s.id = o.schedule_id",
		Key:  "o.id",
		Leads: map[string]sqlite.Lead{
			"d": {
				From: "device d JOIN scan_order o ON o.device_id = d.id LEFT JOIN schedule s ON s.id = o.schedule_id",
				Key:  "d.id, o.state, o.id",
			},
		},
		Sort:    "-id",
		Special: lists.DeviceFilters("d"),
		Columns: []sqlite.Column{
			sqlite.Plain("id", "o.id"),
			sqlite.Plain("deviceId", "o.device_id"),
			sqlite.Plain("code", "d.code"),
			sqlite.Searched("device", "d.name"),
			sqlite.Searched("unit", "d.org_unit"),
			sqlite.Searched("site", "d.site"),
			sqlite.Searched("schedule", "coalesce(s.name, '')"),
			sqlite.Plain("why", "o.why"),
			sqlite.Plain("state", "o.state"),
			sqlite.Plain("tries", "o.tries"),
			sqlite.Plain("askedAt", "o.asked_at"),
			sqlite.Plain("notBefore", "o.not_before"),
			sqlite.Plain("takenAt", "o.taken_at"),
			sqlite.Plain("endedAt", "o.ended_at"),
			sqlite.Searched("reason", "o.reason"),
			sqlite.Searched("detail", "o.detail"),
			sqlite.Plain("author", "o.author"),
		},
	}
	return l
}

// OrderCount counts orders by state.
type OrderCount struct {
	State string
	Count int64
}

// OrderCounts counts the orders by state; done and failed ones since a time.
func OrderCounts(tx *sqlite.Tx, since int64) ([]OrderCount, error) {
	out, err := sqlite.Select[OrderCount](tx, `SELECT state, count(*) AS count FROM
		scan_order WHERE ended_at = 0 OR ended_at >= ? GROUP BY state ORDER BY state`,
		since,
	)
	if out == nil {
		out = []OrderCount{}
	}
	return out, err
}
