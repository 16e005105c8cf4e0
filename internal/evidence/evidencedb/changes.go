package evidencedb

import (
	"database/sql"
	"encoding/json"
	"errors"
	"strings"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// SeenOn reads what was seen on a device of the programs that came or went at a time or later, as far as changes from
// then on rest on it, and the first scan of each part of each source's list. Since 0 is everything that was ever seen.
// The changes of its operating system are those of the facts that scans report.
func SeenOn(tx *sqlite.Tx, device, since int64) ([]evidence.Seen, map[int64]int64, error) {
	const from = ` FROM install i JOIN recognition n ON n.record_id = i.record_id JOIN source s ON s.id = i.source_id
		WHERE i.device_id = ? AND s.part <> ?`
	where, args := "", []any{device, snapshot.SystemPart}
	if since > 0 {
		keys, err := sqlite.Select[string](tx, "SELECT DISTINCT n.key"+from+
			" AND (i.since >= ? OR i.until >= ? AND NOT i.cut)", append(args, since, since)...)
		if err != nil || len(keys) == 0 {
			return nil, nil, err
		}
		list, err := json.Marshal(keys)
		if err != nil {
			return nil, nil, err
		}
		where = " AND (i.until IS NULL OR i.cut OR i.until >= ?) AND n.key IN (SELECT value FROM json_each(?))"
		args = append(args, since, string(list))
	}
	list, err := sqlite.Query(tx, func(r *sql.Rows, s *evidence.Seen) error {
		var until sql.NullInt64
		err := r.Scan(&s.Source, &s.Record, &s.Key, &s.Version, &s.Since, &until)
		s.Until = evidence.Forever
		if until.Valid {
			s.Until = until.Int64
		}
		return err
	}, `SELECT i.source_id, i.record_id, n.key, n.version, i.since, CASE WHEN i.cut THEN NULL ELSE i.until END`+
		from+where, args...)
	if err != nil {
		return nil, nil, err
	}
	sources := map[int64]bool{}
	for i := range list {
		sources[list[i].Source] = true
	}
	first := map[int64]int64{}
	for source := range sources {
		var at sql.NullInt64
		if err := tx.QueryRowContext(tx.Ctx, `SELECT min(at) FROM (
			SELECT (SELECT min(at) FROM scan WHERE device_id = ?1 AND source_id = s.id) AS at FROM source s WHERE s.id = ?2
			UNION ALL
			SELECT (SELECT min(at) FROM scan WHERE device_id = ?1 AND source_id = s.root) FROM source s WHERE s.id = ?2)`,
			device, source).Scan(&at); err != nil {
			return nil, nil, err
		}
		first[source] = at.Int64
	}
	return list, first, nil
}

// LoggedChange is a change with its device. Quiet is the rule that calls it noise, or 0.
type LoggedChange struct {
	Device, Quiet int64
	evidence.Change
}

// PutChanges replaces the changes of a device from a time on. Those that are on record already keep their numbers.
func PutChanges(tx *sqlite.Tx, device, since int64, list []LoggedChange) error {
	known := map[LoggedChange][]int64{}
	quiet := map[int64]int64{}
	stored, err := sqlite.Select[StoredChange](tx,
		storedChange+" WHERE c.device_id = ? AND c.at >= ? ORDER BY c.id DESC", device, since)
	if err != nil {
		return err
	}
	for _, c := range stored {
		quiet[c.ID] = c.Quiet
		c.Quiet = 0
		known[c.LoggedChange] = append(known[c.LoggedChange], c.ID)
	}
	var news []LoggedChange
	for _, c := range list {
		key := c
		key.Quiet = 0
		ids := known[key]
		if len(ids) == 0 {
			news = append(news, c)
			continue
		}
		id := ids[len(ids)-1]
		known[key] = ids[:len(ids)-1]
		if quiet[id] != c.Quiet {
			if err := SetQuiet(tx, c.Quiet, []int64{id}); err != nil {
				return err
			}
		}
	}
	for _, ids := range known {
		for _, id := range ids {
			if _, err := tx.Exec("DELETE FROM change_log WHERE id = ?", id); err != nil {
				return err
			}
		}
	}
	return addChanges(tx, news)
}

// addChanges puts changes on record, and keeps them for the rules that send mail, if there are any.
func addChanges(tx *sqlite.Tx, list []LoggedChange) error {
	if len(list) == 0 {
		return nil
	}
	var mailed bool
	if err := tx.QueryRowContext(tx.Ctx,
		"SELECT EXISTS (SELECT 1 FROM change_rule WHERE what = 'mail' AND ended_at = 0)").Scan(&mailed); err != nil {
		return err
	}
	var last int64
	if mailed {
		if err := tx.QueryRowContext(tx.Ctx, "SELECT coalesce(max(id), 0) FROM change_log").Scan(&last); err != nil {
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
	if err := b.Flush(); err != nil || !mailed {
		return err
	}
	_, err = tx.Exec("INSERT OR IGNORE INTO change_news(change_id) SELECT id FROM change_log WHERE id > ?", last)
	return err
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

// StoredChange is a change on record.
type StoredChange struct {
	ID int64
	LoggedChange
}

const storedChange = `SELECT c.id, c.device_id AS device, c.source_id AS source, c.at, c.kind, c.key,
	c.record_id AS record, c.from_value AS "from", c.to_value AS "to", c.quiet FROM change_log c`

// ChangeScope says which changes on record are meant.
type ChangeScope struct {
	Kinds []string            // none is all
	Quiet []int64             // the rules that made them quiet, 0 is none; nobody is all
	Group condition.Condition // the devices, all where it has no field
	News  bool                // only those that rules for mail have not looked at
}

// where is the scope as a condition on change_log c.
func (s *ChangeScope) where() (string, []any, error) {
	where, args := " WHERE true", []any{}
	in := func(column string, list any) error {
		text, err := json.Marshal(list)
		where += " AND " + column + " IN (SELECT value FROM json_each(?))"
		args = append(args, string(text))
		return err
	}
	if s.News {
		where += " AND c.id IN (SELECT change_id FROM change_news)"
	}
	if len(s.Kinds) > 0 {
		if err := in("c.kind", s.Kinds); err != nil {
			return "", nil, err
		}
	}
	if len(s.Quiet) > 0 {
		if err := in("c.quiet", s.Quiet); err != nil {
			return "", nil, err
		}
	}
	if s.Group.Field == "" {
		return where, args, nil
	}
	devices, more, err := groupDevices(s.Group)
	return where + " AND c.device_id IN (" + devices + ")", append(args, more...), err
}

// EachChange calls fn with each change of a scope, in the order in which they came on record.
func EachChange(tx *sqlite.Tx, s ChangeScope, fn func(c *StoredChange) error) error {
	where, args, err := s.where()
	if err != nil {
		return err
	}
	rows, err := tx.QueryContext(tx.Ctx, storedChange+where+" ORDER BY c.id", args...)
	if err != nil {
		return err
	}
	return sqlite.Each(rows, func() error {
		var c StoredChange
		if err := rows.Scan(&c.ID, &c.Device, &c.Source, &c.At, &c.Kind, &c.Key, &c.Record, &c.From, &c.To,
			&c.Quiet); err != nil {
			return err
		}
		return fn(&c)
	})
}

// CountChanges counts the changes of a scope.
func CountChanges(tx *sqlite.Tx, s ChangeScope) (n int, err error) {
	where, args, err := s.where()
	if err != nil {
		return 0, err
	}
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(*) FROM change_log c"+where, args...).Scan(&n)
	return n, err
}

// AnyNews reports whether there are changes that rules for mail have not looked at.
func AnyNews(tx *sqlite.Tx) (any bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM change_news)").Scan(&any)
	return any, err
}

// NewsSeen notes that rules for mail have looked at all changes.
func NewsSeen(tx *sqlite.Tx) error {
	_, err := tx.Exec("DELETE FROM change_news")
	return err
}

// NamesOfRecord reads the publisher and the name of a raw record; both are empty where there is none.
func NamesOfRecord(tx *sqlite.Tx, record int64) (publisher, name string, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT publisher, name FROM record WHERE id = ?", record).Scan(&publisher, &name)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return publisher, name, err
}

// ChangeWords says changes in words, a line for each.
func ChangeWords(tx *sqlite.Tx, changes []int64) ([]string, error) {
	list, err := json.Marshal(changes)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[string](tx, `SELECT strftime('%Y-%m-%d %H:%M', c.at, 'unixepoch') || ' ' || d.name || ': ' ||
		c.kind || ' ' || coalesce(trim(r.publisher || ' ' || r.name), replace(c.key, '_', ' ')) || CASE WHEN
		c.from_value <> '' AND c.to_value <> '' THEN ' ' || c.from_value || ' to ' || c.to_value ELSE ' ' ||
		c.from_value || c.to_value END FROM change_log c JOIN device d ON d.id = c.device_id LEFT
		JOIN record r ON r.id = c.record_id WHERE c.id IN (SELECT value FROM json_each(?)) ORDER BY 1`, string(list))
}

// groupDevices is the query of the devices of a group: those that are in one that people made, or that have a value in
// a column, or are under a path.
func groupDevices(c condition.Condition) (query string, args []any, err error) {
	if c.Field == "group" {
		return "SELECT m.device_id FROM group_member m JOIN device_group g ON g.id = m.group_id WHERE g.name = ?",
			[]any{c.Value}, nil
	}
	column := map[string]string{"site": "site", "kind": "kind", "environment": "environment",
		"unit": "org_unit"}[c.Field]
	if column == "" {
		return "", nil, &sqlite.ErrQuery{Reason: "devices have no column " + c.Field}
	}
	if c.Op != "under" {
		return "SELECT id FROM device WHERE " + column + " = ?", []any{c.Value}, nil
	}
	return "SELECT id FROM device WHERE " + column + " = ? OR " + column + " LIKE ? ESCAPE '\\'",
		[]any{c.Value, sqlite.EscapeLike(c.Value) + "/%"}, nil
}

// InGroup reports whether a device is in a group.
func InGroup(tx *sqlite.Tx, device int64, c condition.Condition) (in bool, err error) {
	query, args, err := groupDevices(c)
	if err != nil {
		return false, err
	}
	id := "id"
	if c.Field == "group" {
		id = "m.device_id"
	}
	query = strings.Replace(query, "WHERE ", "WHERE "+id+" = ? AND (", 1) + ")"
	err = tx.QueryRowContext(tx.Ctx, "SELECT EXISTS ("+query+")", append([]any{device}, args...)...).Scan(&in)
	return in, err
}
