package evidencedb

import (
	"database/sql"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// SeenOn reads what was ever seen on a device, and the first scan of each part of each source's list. The changes of
// its operating system are those of the facts that scans report.
func SeenOn(tx *sqlite.Tx, device int64) ([]evidence.Seen, map[int64]int64, error) {
	list, err := sqlite.Query(tx, func(r *sql.Rows, s *evidence.Seen) error {
		var until sql.NullInt64
		err := r.Scan(&s.Source, &s.Record, &s.Key, &s.Version, &s.Since, &until)
		s.Until = evidence.Forever
		if until.Valid {
			s.Until = until.Int64
		}
		return err
	}, `SELECT i.source_id, i.record_id, n.key, n.version, i.since,
		CASE WHEN i.cut THEN NULL ELSE i.until END FROM install i
		JOIN recognition n ON n.record_id = i.record_id JOIN source s ON s.id = i.source_id
		WHERE i.device_id = ? AND s.part <> ?`, device, snapshot.SystemPart)
	if err != nil {
		return nil, nil, err
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		`SELECT s.id, (SELECT min(at) FROM scan c WHERE c.device_id = ?1 AND c.source_id IN (s.id, s.root))
			FROM source s WHERE s.id IN (SELECT DISTINCT source_id FROM install WHERE device_id = ?1)`,
		device,
	)
	if err != nil {
		return nil, nil, err
	}
	first := map[int64]int64{}
	return list, first, sqlite.Each(rows, func() error {
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
func PutChanges(tx *sqlite.Tx, devices []int64, list []LoggedChange) error {
	for _, d := range devices {
		if _, err := tx.Exec("DELETE FROM change_log WHERE device_id = ?", d); err != nil {
			return err
		}
	}
	b, err := tx.Bulk(
		9,
		"INSERT INTO change_log(device_id, source_id, at, kind, key, record_id, from_value, to_value, quiet)",
		"",
	)
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
func Changes(tx *sqlite.Tx, device int64) ([]LoggedChange, error) {
	return sqlite.Select[LoggedChange](tx, `SELECT device_id AS device, source_id AS
		source, at, kind, key, record_id AS record, from_value AS "from", to_value AS "to", quiet FROM
		change_log WHERE ?1 = 0 OR device_id = ?1 ORDER BY device_id, at, key, kind, from_value, to_value`, device)
}

// ChangeRow is a line of the list of changes between scans. Was and Now are versions, or values of a hardware fact.
type ChangeRow struct {
	ID          int64  `column:"id"`
	At          int64  `column:"at"` // seconds since 1970
	Kind        string `column:"kind"`
	DeviceID    int64  `column:"deviceId"`
	Code        string `column:"code"`
	Device      string `column:"device"`
	Unit        string `column:"unit"`
	Environment string `column:"environment"`
	Publisher   string `column:"publisher"`
	Name        string `column:"name"`
	ProductID   int64  `column:"productId"`
	Record      int64  `column:"record"`
	Was         string `column:"was"`
	Now         string `column:"now"`
	Source      string `column:"source"`
	Quiet       int64  `column:"quiet"`
}

// ChangeList is the list of changes between scans.
func ChangeList() *sqlite.List[ChangeRow] {
	return &sqlite.List[ChangeRow]{
		From: `change_log c JOIN device d ON d.id = c.device_id JOIN source s ON s.id = c.source_id LEFT
			JOIN record r ON r.id = c.record_id LEFT JOIN recognition n ON n.record_id = c.record_id`,
		Key: "c.id",
		Leads: map[string]sqlite.Lead{
			"d": {
				From: "device d JOIN change_log c ON c.device_id = d.id JOIN source s ON s.id = c.source_id LEFT " +
					"JOIN " +
					"record r ON r.id = c.record_id LEFT JOIN recognition n ON n.record_id = c.record_id",
				Key: "d.id, c.at, c.id",
			},
		},
		Sort:    "-at",
		Special: lists.DeviceFilters("d"),
		Columns: []sqlite.Column{
			sqlite.Plain("id", "c.id"),
			sqlite.Plain("at", "c.at"),
			sqlite.Plain("kind", "c.kind"),
			sqlite.Plain("deviceId", "c.device_id"),
			sqlite.Plain("code", "d.code"),
			sqlite.Searched("device", "d.name"),
			sqlite.Searched("unit", "d.org_unit"),
			sqlite.Plain("environment", "d.environment"),
			sqlite.Searched("publisher", "coalesce(r.publisher, '')"),
			sqlite.Searched("name", "coalesce(r.name, replace(c.key, '_', ' '))"),
			sqlite.Plain("productId", "coalesce(n.product_id, 0)"),
			sqlite.Plain("record", "c.record_id"),
			sqlite.Plain("was", "c.from_value"),
			sqlite.Plain("now", "c.to_value"),
			sqlite.Plain("source", snapshot.SourceName),
			sqlite.Plain("quiet", "c.quiet"),
		},
	}
}

// ChangeTally counts the changes that a query finds, by day and kind.
type ChangeTally struct {
	Day   string
	Kind  string
	Count int64
}

// ChangesByDay counts the changes that a query finds by day and kind.
func ChangesByDay(tx *sqlite.Tx, q sqlite.ListQuery) ([]ChangeTally, error) {
	l := ChangeList()
	where, args, err := l.Conditions(q)
	if err != nil {
		return nil, err
	}
	out, err := sqlite.Select[ChangeTally](tx, `SELECT date(c.at, 'unixepoch') AS day, c.kind,
		count(*) AS count FROM `+l.From+` WHERE `+where+` GROUP BY 1, 2 ORDER BY 1, 2`,
		args...)
	if out == nil {
		out = []ChangeTally{}
	}
	return out, err
}

// ChangeRule quietens changes that are noise, or sends those that matter by mail. What is quiet or mail; an empty
// part speaks of everything.
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
func ChangeRules(tx *sqlite.Tx) ([]ChangeRule, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *ChangeRule) error {
		var kinds string
		err := r.Scan(&v.ID, &v.What, &kinds, &v.Name, &v.Publisher, &v.Group, &v.Address, &v.Author, &v.At)
		v.Kinds = sqlite.SplitList(kinds)
		return err
	}, "SELECT id, what, kinds, name_like, publisher_like, group_name, address, author, at FROM change_rule WHERE "+
		"ended_at = 0 ORDER BY id")
}

// PutChangeRule writes a rule, or one that is in force anew, and returns its number.
func PutChangeRule(tx *sqlite.Tx, c ChangeRule) (int64, error) {
	if c.ID != 0 {
		return c.ID, tx.One(
			"UPDATE change_rule SET what = ?, kinds = ?, name_like = ?, publisher_like = ?, group_name = ?, address "+
				"= ?, "+
				"author = ?, at = ? WHERE id = ? AND ended_at = 0",
			c.What,
			sqlite.JoinList(c.Kinds),
			c.Name,
			c.Publisher,
			c.Group,
			c.Address,
			c.Author,
			c.At,
			c.ID,
		)
	}
	return tx.Insert(
		"INSERT INTO change_rule(what, kinds, name_like, publisher_like, group_name, address, author, at) VALUES (?, "+
			"?, ?, ?, ?, ?, ?, ?)",
		c.What,
		sqlite.JoinList(c.Kinds),
		c.Name,
		c.Publisher,
		c.Group,
		c.Address,
		c.Author,
		c.At,
	)
}

// EndChangeRule takes a rule out of force.
func EndChangeRule(tx *sqlite.Tx, id, at int64) error {
	return tx.One("UPDATE change_rule SET ended_at = ? WHERE id = ? AND ended_at = 0", at, id)
}

// SetQuiet marks changes as noise by a rule, 0 for none.
func SetQuiet(tx *sqlite.Tx, rule int64, changes []int64) error {
	for _, id := range changes {
		if _, err := tx.Exec("UPDATE change_log SET quiet = ? WHERE id = ?", rule, id); err != nil {
			return err
		}
	}
	return nil
}

// Mailed notes that a rule has sent a change, and reports whether it had not before. A scan that comes late brings
// changes of days that are past; these are sent too, and none twice.
func Mailed(tx *sqlite.Tx, rule int64, c *LoggedChange) (fresh bool, err error) {
	n, err := tx.Touched(
		"INSERT OR IGNORE INTO change_mailed(rule_id, device_id, at, kind, key, from_value, to_value) VALUES (?, ?, "+
			"?, ?, ?, ?, ?)",
		rule,
		c.Device,
		c.At,
		string(c.Kind),
		c.Key,
		c.From,
		c.To,
	)
	return n > 0, err
}

// StoredChange is a change on record, with its words.
type StoredChange struct {
	ID int64
	LoggedChange
	Words string
}

// StoredChanges reads every change on record.
func StoredChanges(tx *sqlite.Tx) ([]StoredChange, error) {
	return sqlite.Select[StoredChange](tx, `SELECT c.id, c.device_id AS device,
		c.source_id AS source, c.at, c.kind, c.key, c.record_id AS record, c.from_value AS "from", c.to_value
		AS "to", c.quiet, strftime('%Y-%m-%d %H:%M', c.at, 'unixepoch') || ' ' || d.name || ': ' || c.kind ||
		' ' || coalesce(trim(r.publisher || ' ' || r.name), replace(c.key, '_', ' ')) || CASE WHEN
		c.from_value <> '' AND c.to_value <> '' THEN ' ' || c.from_value || ' to ' || c.to_value ELSE ' ' ||
		c.from_value || c.to_value END AS words FROM change_log c JOIN device d ON d.id = c.device_id LEFT
		JOIN record r ON r.id = c.record_id ORDER BY c.id`)
}

// DevicesWhere lists the devices of a group that is there by itself: those with a value in a column, or under a path.
func DevicesWhere(tx *sqlite.Tx, c condition.Condition) (map[int64]bool, error) {
	column := map[string]string{"site": "site", "kind": "kind", "environment": "environment",
		"unit": "org_unit"}[c.Field]
	if column == "" {
		return nil, &sqlite.ErrQuery{Reason: "devices have no column " + c.Field}
	}
	list, err := sqlite.Select[int64](tx,
		"SELECT id FROM device WHERE "+column+" = ?1 OR ?2 AND "+column+" LIKE ?3 ESCAPE '\\'",
		c.Value,
		c.Op == "under",
		sqlite.EscapeLike(c.Value)+"/%",
	)
	out := map[int64]bool{}
	for _, id := range list {
		out[id] = true
	}
	return out, err
}
