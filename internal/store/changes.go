package store

import (
	"database/sql"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
)

// DirtyDevices lists the devices of which something new was reported up to a change, and whose changes between scans are to be worked out anew.
func (tx *Tx) DirtyDevices(upTo string) ([]int64, error) {
	return query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT device_id FROM dirty_device WHERE change <= CAST(? AS INTEGER) ORDER BY device_id", upTo)
}

// Clean forgets that devices were dirty up to a change.
func (tx *Tx) Clean(upTo string) error {
	_, err := tx.exec("DELETE FROM dirty_device WHERE change <= CAST(? AS INTEGER)", upTo)
	return err
}

// SeenOn reads what was ever seen on a device, and the first scan of each part of each source's list.
func (tx *Tx) SeenOn(device int64) ([]evidence.Seen, map[int64]int64, error) {
	list, err := query(tx, func(r *sql.Rows, s *evidence.Seen) error {
		var until sql.NullInt64
		err := r.Scan(&s.Source, &s.Record, &s.Key, &s.Version, &s.Since, &until)
		s.Until = evidence.Forever
		if until.Valid {
			s.Until = until.Int64
		}
		return err
	}, `SELECT i.source_id, i.record_id, n.key, n.version, i.since, i.until FROM install i JOIN recognition n ON n.record_id = i.record_id WHERE i.device_id = ?`, device)
	if err != nil {
		return nil, nil, err
	}
	rows, err := tx.QueryContext(tx.ctx, `SELECT s.id, (SELECT min(at) FROM scan c WHERE c.device_id = ?1 AND c.source_id IN (s.id, s.root)) FROM source s WHERE s.id IN (SELECT DISTINCT source_id FROM install WHERE device_id = ?1)`, device)
	if err != nil {
		return nil, nil, err
	}
	first := map[int64]int64{}
	return list, first, each(rows, func() error {
		var source int64
		var at sql.NullInt64
		err := rows.Scan(&source, &at)
		first[source] = at.Int64
		return err
	})
}

// LoggedChange is a change with its device. Quiet is the rule that calls it noise, or 0.
type LoggedChange struct {
	Device, Quiet int64
	evidence.Change
}

// PutChanges replaces the changes of devices.
func (tx *Tx) PutChanges(devices []int64, list []LoggedChange) error {
	for _, d := range devices {
		if _, err := tx.exec("DELETE FROM change_log WHERE device_id = ?", d); err != nil {
			return err
		}
	}
	b, err := tx.bulk(9, "INSERT INTO change_log(device_id, source_id, at, kind, key, record_id, from_value, to_value, quiet)", "")
	if err != nil {
		return err
	}
	for _, c := range list {
		if err := b.Add(c.Device, c.Source, c.At, string(c.Kind), c.Key, c.Record, c.From, c.To, c.Quiet); err != nil {
			return err
		}
	}
	return b.Flush()
}

// Changes reads the stored changes of a device, or of all where device is 0.
func (tx *Tx) Changes(device int64) ([]LoggedChange, error) {
	return query(tx, func(r *sql.Rows, c *LoggedChange) error {
		return r.Scan(&c.Device, &c.Source, &c.At, &c.Kind, &c.Key, &c.Record, &c.From, &c.To, &c.Quiet)
	}, "SELECT device_id, source_id, at, kind, key, record_id, from_value, to_value, quiet FROM change_log WHERE ?1 = 0 OR device_id = ?1 ORDER BY device_id, at, key, kind, from_value, to_value", device)
}

// ChangeRow is a line of the list of changes between scans. Was and Now are versions, or values of a hardware fact.
type ChangeRow struct {
	ID          int64  `json:"id"`
	At          int64  `json:"at" unit:"unix"`
	Kind        string `json:"kind"`
	DeviceID    int64  `json:"deviceId"`
	Code        string `json:"code"`
	Device      string `json:"device"`
	Unit        string `json:"unit"`
	Environment string `json:"environment"`
	Publisher   string `json:"publisher"`
	Name        string `json:"name"`
	ProductID   int64  `json:"productId"`
	Record      int64  `json:"record"`
	Was         string `json:"was"`
	Now         string `json:"now"`
	Source      string `json:"source"`
	Quiet       int64  `json:"quiet"`
}

func changeList() list[ChangeRow] {
	return list[ChangeRow]{from: `change_log c JOIN device d ON d.id = c.device_id JOIN source s ON s.id = c.source_id LEFT JOIN record r ON r.id = c.record_id LEFT JOIN recognition n ON n.record_id = c.record_id`, key: "c.id", sort: "-at",
		special: deviceFilters("d"), columns: []column[ChangeRow]{
			{"id", "c.id", func(r *ChangeRow) any { return &r.ID }, false}, {"at", "c.at", func(r *ChangeRow) any { return &r.At }, false}, {"kind", "c.kind", func(r *ChangeRow) any { return &r.Kind }, false},
			{"deviceId", "c.device_id", func(r *ChangeRow) any { return &r.DeviceID }, false}, {"code", "d.code", func(r *ChangeRow) any { return &r.Code }, false}, {"device", "d.name", func(r *ChangeRow) any { return &r.Device }, true},
			{"unit", "d.org_unit", func(r *ChangeRow) any { return &r.Unit }, true}, {"environment", "d.environment", func(r *ChangeRow) any { return &r.Environment }, false},
			{"publisher", "coalesce(r.publisher, '')", func(r *ChangeRow) any { return &r.Publisher }, true}, {"name", "coalesce(r.name, replace(c.key, '_', ' '))", func(r *ChangeRow) any { return &r.Name }, true},
			{"productId", "coalesce(n.product_id, 0)", func(r *ChangeRow) any { return &r.ProductID }, false}, {"record", "c.record_id", func(r *ChangeRow) any { return &r.Record }, false},
			{"was", "c.from_value", func(r *ChangeRow) any { return &r.Was }, false}, {"now", "c.to_value", func(r *ChangeRow) any { return &r.Now }, false}, {"source", sourceName, func(r *ChangeRow) any { return &r.Source }, false},
			{"quiet", "c.quiet", func(r *ChangeRow) any { return &r.Quiet }, false},
		}}
}

// ChangePage reads a page of changes.
func (tx *Tx) ChangePage(q ListQuery) (Page[ChangeRow], error) {
	l := changeList()
	return l.page(tx, q)
}

// ChangeTally counts the changes that a query finds, by day and kind.
type ChangeTally struct {
	Day   string `json:"day"`
	Kind  string `json:"kind"`
	Count int64  `json:"count"`
}

// ChangesByDay counts the changes that a query finds by day and kind.
func (tx *Tx) ChangesByDay(q ListQuery) ([]ChangeTally, error) {
	l := changeList()
	where, args, err := l.conditions(q)
	if err != nil {
		return nil, err
	}
	out, err := query(tx, func(r *sql.Rows, v *ChangeTally) error { return r.Scan(&v.Day, &v.Kind, &v.Count) },
		"SELECT date(c.at, 'unixepoch'), c.kind, count(*) FROM "+l.from+" WHERE "+where+" GROUP BY 1, 2 ORDER BY 1, 2", args...)
	if out == nil {
		out = []ChangeTally{}
	}
	return out, err
}

// ChangeRule quietens changes that are noise, or sends those that matter by mail. What is quiet or mail; an empty part speaks of everything.
type ChangeRule struct {
	ID        int64
	What      string
	Kinds     []string
	Name      string // a pattern with * and ?
	Publisher string // a pattern
	Group     string
	Address   string
	Author    string
	At        int64
}

// ChangeRules lists the rules in force.
func (tx *Tx) ChangeRules() ([]ChangeRule, error) {
	return query(tx, func(r *sql.Rows, v *ChangeRule) error {
		var kinds string
		err := r.Scan(&v.ID, &v.What, &kinds, &v.Name, &v.Publisher, &v.Group, &v.Address, &v.Author, &v.At)
		v.Kinds = splitList(kinds)
		return err
	}, "SELECT id, what, kinds, name_like, publisher_like, group_name, address, author, at FROM change_rule WHERE ended_at = 0 ORDER BY id")
}

// AddChangeRule writes a rule.
func (tx *Tx) AddChangeRule(c ChangeRule) (int64, error) {
	res, err := tx.exec("INSERT INTO change_rule(what, kinds, name_like, publisher_like, group_name, address, author, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)", c.What, joinList(c.Kinds), c.Name, c.Publisher, c.Group, c.Address, c.Author, c.At)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// EndChangeRule takes a rule out of force.
func (tx *Tx) EndChangeRule(id, at int64) error {
	return tx.one("UPDATE change_rule SET ended_at = ? WHERE id = ? AND ended_at = 0", at, id)
}

// SetQuiet marks changes as noise by a rule, 0 for none.
func (tx *Tx) SetQuiet(rule int64, changes []int64) error {
	for _, id := range changes {
		if _, err := tx.exec("UPDATE change_log SET quiet = ? WHERE id = ?", rule, id); err != nil {
			return err
		}
	}
	return nil
}

// Mailed notes that a rule has sent a change, and reports whether it had not before. A scan that comes late brings changes of days that are past; these are sent too, and none twice.
func (tx *Tx) Mailed(rule int64, c *LoggedChange) (fresh bool, err error) {
	res, err := tx.exec("INSERT OR IGNORE INTO change_mailed(rule_id, device_id, at, kind, key, from_value, to_value) VALUES (?, ?, ?, ?, ?, ?, ?)", rule, c.Device, c.At, string(c.Kind), c.Key, c.From, c.To)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}

// Mail is a message that waits to be sent or was.
type Mail struct {
	ID       int64  `json:"id"`
	Address  string `json:"address"`
	Subject  string `json:"subject"`
	Body     string `json:"body"`
	QueuedAt int64  `json:"queuedAt" unit:"unix"`
	SentAt   int64  `json:"sentAt" unit:"unix"`
	Tries    int64  `json:"tries"`
	Error    string `json:"error"`
	After    int64  `json:"after" unit:"unix" doc:"it leaves at this time or later, and can be called back until then"`
	Question int64  `json:"question" doc:"the question that it asks, 0 where it asks none"`
}

// QueueMail lets a message wait to be sent.
func (tx *Tx) QueueMail(m Mail) error {
	_, err := tx.exec("INSERT INTO mail(address, subject, body, queued_at, after, question_id) VALUES (?, ?, ?, ?, ?, ?)", m.Address, m.Subject, m.Body, m.QueuedAt, m.After, m.Question)
	return err
}

// MailPage reads a page of messages.
func (tx *Tx) MailPage(q ListQuery) (Page[Mail], error) {
	l := list[Mail]{from: "mail m", key: "m.id", sort: "-id", columns: []column[Mail]{
		{"id", "m.id", func(r *Mail) any { return &r.ID }, false}, {"address", "m.address", func(r *Mail) any { return &r.Address }, true}, {"subject", "m.subject", func(r *Mail) any { return &r.Subject }, true},
		{"body", "m.body", func(r *Mail) any { return &r.Body }, true}, {"queuedAt", "m.queued_at", func(r *Mail) any { return &r.QueuedAt }, false}, {"sentAt", "m.sent_at", func(r *Mail) any { return &r.SentAt }, false},
		{"tries", "m.tries", func(r *Mail) any { return &r.Tries }, false}, {"error", "m.error", func(r *Mail) any { return &r.Error }, false},
		{"after", "m.after", func(r *Mail) any { return &r.After }, false}, {"question", "m.question_id", func(r *Mail) any { return &r.Question }, false},
	}}
	return l.page(tx, q)
}

// CallBackMail takes back the mail of a question that has not left.
func (tx *Tx) CallBackMail(question int64) error {
	_, err := tx.exec("DELETE FROM mail WHERE question_id = ? AND sent_at = 0 AND tries = 0", question)
	return err
}

// MailLeft counts the mail of a question that has left, or may have.
func (tx *Tx) MailLeft(question int64) (left int64, err error) {
	err = tx.QueryRowContext(tx.ctx, "SELECT count(*) FROM mail WHERE question_id = ? AND (sent_at <> 0 OR tries > 0)", question).Scan(&left)
	return left, err
}

// MailLeaves counts one more try to send a message. It reports false where the message is not there any more, or was sent.
func (tx *Tx) MailLeaves(id int64) (bool, error) {
	res, err := tx.exec("UPDATE mail SET tries = tries + 1 WHERE id = ? AND sent_at = 0", id)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}

// MailSent notes how sending a message went.
func (tx *Tx) MailSent(id, at int64, reason string) error {
	if reason != "" {
		at = 0
	}
	return tx.one("UPDATE mail SET sent_at = ?, error = ? WHERE id = ?", at, reason, id)
}

// one runs a change that must touch one row.
func (tx *Tx) one(text string, args ...any) error {
	res, err := tx.exec(text, args...)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}

// StoredChange is a change on record, with its words.
type StoredChange struct {
	ID int64
	LoggedChange
	Words string
}

// StoredChanges reads every change on record.
func (tx *Tx) StoredChanges() ([]StoredChange, error) {
	return query(tx, func(r *sql.Rows, c *StoredChange) error {
		return r.Scan(&c.ID, &c.Device, &c.Source, &c.At, &c.Kind, &c.Key, &c.Record, &c.From, &c.To, &c.Quiet, &c.Words)
	}, `SELECT c.id, c.device_id, c.source_id, c.at, c.kind, c.key, c.record_id, c.from_value, c.to_value, c.quiet,
		strftime('%Y-%m-%d %H:%M', c.at, 'unixepoch') || '  ' || d.name || ': ' || c.kind || ' ' || coalesce(trim(r.publisher || ' ' || r.name), replace(c.key, '_', ' ')) ||
			CASE WHEN c.from_value <> '' AND c.to_value <> '' THEN ' ' || c.from_value || ' to ' || c.to_value ELSE ' ' || c.from_value || c.to_value END
		FROM change_log c JOIN device d ON d.id = c.device_id LEFT JOIN record r ON r.id = c.record_id ORDER BY c.id`)
}

// DevicesWhere lists the devices of a group that is there by itself: those with a value in a column, or under a path.
func (tx *Tx) DevicesWhere(c condition.Condition) (map[int64]bool, error) {
	column := map[string]string{"site": "site", "kind": "kind", "environment": "environment", "unit": "org_unit"}[c.Field]
	if column == "" {
		return nil, &ErrQuery{"devices have no column " + c.Field}
	}
	list, err := query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT id FROM device WHERE "+column+" = ?1 OR ?2 AND "+column+" LIKE ?3 ESCAPE '\\'", c.Value, c.Op == "under", escapeLike(c.Value)+"/%")
	out := map[int64]bool{}
	for _, id := range list {
		out[id] = true
	}
	return out, err
}
