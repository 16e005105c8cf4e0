// Package directorydb has the tables of people as they are shown.
package directorydb

import (
	"encoding/json"

	"ensomet/internal/core/civil"
	"ensomet/internal/own"
	"ensomet/internal/sqlite"
)

// The states of people in the list.
const (
	Active   = "active"
	Left     = "left"
	Unlisted = "unlisted" // evidence names him, and no list of users does
	Nobody   = "nobody"   // an account behind which nobody in particular is
)

// Row is one person, whatever he is called.
type Row struct {
	Key        string `column:"key"` // the user_id, or the name that evidence has
	Name       string `column:"name"`
	Mail       string `column:"mail"`
	Unit       string `column:"unit"`
	Site       string `column:"site"`
	CostCentre string `column:"costCentre"`
	State      string `column:"state"`
	Also       string `column:"also"`  // the other names, separated by |
	Names      int64  `column:"names"` // how many
	Devices    int64  `column:"devices"`
	Seats      int64  `column:"seats"`
	Uses       int64  `column:"uses"` // products
}

// List is the list of people.
func List() *sqlite.List[Row] {
	return &sqlite.List[Row]{
		From: "person_fact f",
		Key:  "f.key",
		Sort: "name",
		Own:  own.SQL(own.Person, "f.key"),
		Columns: []sqlite.Column{
			sqlite.Searched("key", "f.key"),
			sqlite.Searched("name", "f.name"),
			sqlite.Searched("mail", "f.mail"),
			sqlite.Searched("unit", "f.unit"),
			sqlite.Plain("site", "f.site"),
			sqlite.Plain("costCentre", "f.cost_centre"),
			sqlite.Plain("state", "f.state"),
			sqlite.Searched("also", "f.also"),
			sqlite.Plain("names", "f.names"),
			sqlite.Plain("devices", "f.devices"),
			sqlite.Plain("seats", "f.seats"),
			sqlite.Plain("uses", "f.uses"),
		},
	}
}

// PutFacts makes the list of people anew as of a day, or those rows of it that keys name; what did not change is not
// written. keys nil is all.
func PutFacts(tx *sqlite.Tx, today civil.Day, keys []string) error {
	among, args := func(string) string { return "" }, []any{today}
	if keys != nil {
		list, err := json.Marshal(keys)
		if err != nil || len(keys) == 0 {
			return err
		}
		among = func(column string) string { return " AND " + column + " IN (SELECT value FROM json_each(?2))" }
		args = append(args, string(list))
	}
	if err := tx.LayRows("person_fact", "1"); err != nil { // the statement begins with what it reads
		return err
	}
	if _, err := tx.Exec(`WITH
		known AS (SELECT counts_as AS key, count(*) AS names, max(nobody) AS nobody,
			coalesce(group_concat(key, '|' ORDER BY key) FILTER (WHERE key <> counts_as), '') AS also
			FROM person_record WHERE counts_as <> ''`+among("counts_as")+` GROUP BY counts_as),
		machines AS (SELECT primary_user AS key, count(*) AS n FROM device WHERE primary_user <> ''`+
		among("primary_user")+` GROUP BY 1),
		held AS (SELECT r.counts_as AS key, count(*) AS n FROM person_record r JOIN person p ON p.code = r.key
			JOIN assignment a ON a.person_id = p.id
			WHERE a.from_day <= ?1 AND (a.until_day = 0 OR a.until_day >= ?1)`+among("r.counts_as")+` GROUP BY 1),
		used AS (SELECT person_code AS key, count(DISTINCT product_id) AS n FROM idle_fact
			WHERE class NOT IN ('not measured', 'never used', 'unused') AND person_code <> ''`+among("person_code")+`
			GROUP BY 1),
		made AS (SELECT k.key, coalesce(nullif(p.name, ''), k.key) AS name, coalesce(p.email, '') AS mail,
			coalesce(p.org_unit, '') AS unit, coalesce(p.site, '') AS site, coalesce(p.cost_centre, '') AS cost_centre,
			CASE WHEN k.nobody THEN 'nobody' WHEN p.id IS NULL THEN 'unlisted' ELSE p.status END AS state, k.also, k.names,
			coalesce(m.n, 0) AS devices, coalesce(h.n, 0) AS seats, coalesce(u.n, 0) AS uses
			FROM known k LEFT JOIN person p ON p.code = k.key LEFT JOIN machines m ON m.key = k.key
			LEFT JOIN held h ON h.key = k.key LEFT JOIN used u ON u.key = k.key)
		INSERT INTO person_fact(key, name, mail, unit, site, cost_centre, state, also, names, devices, seats, uses)
		SELECT key, name, mail, unit, site, cost_centre, state, also, names, devices, seats, uses FROM made
		WHERE 1 ON CONFLICT (key) DO UPDATE SET name = excluded.name, mail = excluded.mail, unit = excluded.unit,
			site = excluded.site, cost_centre = excluded.cost_centre, state = excluded.state, also = excluded.also,
			names = excluded.names, devices = excluded.devices, seats = excluded.seats, uses = excluded.uses
		WHERE (name, mail, unit, site, cost_centre, state, also, names, devices, seats, uses) IS NOT (excluded.name,
			excluded.mail, excluded.unit, excluded.site, excluded.cost_centre, excluded.state, excluded.also,
			excluded.names, excluded.devices, excluded.seats, excluded.uses)`, args...); err != nil {
		return err
	}
	_, err := tx.Exec("DELETE FROM person_fact WHERE NOT EXISTS (SELECT 1 FROM person_record r "+
		"WHERE r.counts_as = person_fact.key) AND ?1 = ?1"+among("key"), args...)
	return err
}

// Known lists everybody who is known, or was when the list was made.
func Known(tx *sqlite.Tx) ([]string, error) {
	return sqlite.Select[string](tx, "SELECT counts_as FROM person_record WHERE counts_as <> '' "+
		"UNION SELECT key FROM person_fact ORDER BY 1")
}

// Touch notes that something of people has changed.
func Touch(tx *sqlite.Tx, keys []string) error {
	if len(keys) == 0 {
		return nil
	}
	list, err := json.Marshal(keys)
	if err != nil {
		return err
	}
	_, err = tx.Exec("INSERT INTO touched_person(key) SELECT value FROM json_each(?) WHERE true ON CONFLICT DO NOTHING",
		string(list))
	return err
}

// Touched lists the people of whom something changed since the list was made.
func Touched(tx *sqlite.Tx) ([]string, error) {
	return sqlite.Select[string](tx, `SELECT DISTINCT coalesce(nullif(r.counts_as, ''), t.key)
		FROM touched_person t LEFT JOIN person_record r ON r.key = t.key
		UNION SELECT key FROM touched_person`)
}

// ForgetTouched forgets that something changed of people, since the list has it now.
func ForgetTouched(tx *sqlite.Tx) error {
	_, err := tx.Exec("DELETE FROM touched_person")
	return err
}

// LoggedOn counts the devices to which somebody logged on under a name.
func LoggedOn(tx *sqlite.Tx, name string) (n int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(DISTINCT device_id) FROM logon WHERE person_code = ?", name).
		Scan(&n)
	return n, err
}

// Listed is what the list of users says of somebody.
type Listed struct {
	Name, Email, Unit, Site, Status, Manager string
	CostCentre                               string    `db:"cost_centre"`
	LeftOn                                   civil.Day `db:"left_on"`
}

// ListedAs reads what the list of users says under a user_id; none where it does not have it.
func ListedAs(tx *sqlite.Tx, key string) ([]Listed, error) {
	return sqlite.Select[Listed](tx, `SELECT name, email, org_unit AS unit, site, status, manager,
		cost_centre, left_on FROM person WHERE code = ?`, key)
}

// mostShown is how many lines of one kind are shown of a person.
const mostShown = 200

// Machine is a device of a person.
type Machine struct {
	Code, Name, Kind, Status string
}

// Machines lists the devices of which somebody is the main user.
func Machines(tx *sqlite.Tx, key string) ([]Machine, error) {
	list, err := sqlite.Select[Machine](tx, `SELECT code, name, kind, status FROM device
		WHERE primary_user = ? ORDER BY name LIMIT ?`, key, mostShown)
	return append([]Machine{}, list...), err
}

// Used is a product that a person was the last to use on a device.
type Used struct {
	Product int64
	Name    string
	Device  string // its code
	Class   string
	Last    string // a day
}

// UsedBy lists what somebody was the last to use, the newest first.
func UsedBy(tx *sqlite.Tx, key string) ([]Used, error) {
	list, err := sqlite.Select[Used](tx, `SELECT i.product_id AS product, p.name, d.code AS device, i.class,
		`+sqlite.Date("i.last_use")+` AS last FROM idle_fact i JOIN product p ON p.id = i.product_id
		JOIN device d ON d.id = i.device_id WHERE i.person_code = ? AND i.last_use > 0
		ORDER BY i.last_use DESC, p.name, d.code LIMIT ?`, key, mostShown)
	return append([]Used{}, list...), err
}

// Move is a joining, moving or leaving.
type Move struct {
	On             civil.Day
	What, From, To string
}

// Moves lists the comings and goings of somebody, the newest first.
func Moves(tx *sqlite.Tx, key string) ([]Move, error) {
	list, err := sqlite.Select[Move](tx, `SELECT m.on_day AS "on", m.what, m.from_value AS "from",
		m.to_value AS "to" FROM person_move m JOIN person p ON p.id = m.person_id
		JOIN person_record r ON r.key = p.code AND r.counts_as = ? ORDER BY m.on_day DESC LIMIT ?`, key, mostShown)
	return append([]Move{}, list...), err
}

// Has counts the devices of which somebody is the main user, and the seats that he holds on a day.
func Has(tx *sqlite.Tx, key string, today civil.Day) (devices, seats int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT (SELECT count(*) FROM device WHERE primary_user = ?1),
		(SELECT count(*) FROM assignment a JOIN person p ON p.id = a.person_id JOIN person_record r ON r.key = p.code
			WHERE r.counts_as = ?1 AND a.from_day <= ?2 AND (a.until_day = 0 OR a.until_day >= ?2))`, key,
		today).Scan(&devices, &seats)
	return devices, seats, err
}

// People counts the people that are known, service accounts apart.
func People(tx *sqlite.Tx) (n int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(DISTINCT counts_as) FROM person_record WHERE counts_as <> '' "+
		"AND nobody = 0").Scan(&n)
	return n, err
}

// ProductsOf lists the products whose positions may go by who some people are: those on their devices, those of which
// they hold seats, and all that are counted by who uses them, since no table leads from people to what they used.
func ProductsOf(tx *sqlite.Tx, keys []string) ([]int64, error) {
	text, err := json.Marshal(keys)
	if err != nil {
		return nil, err
	}
	out, err := sqlite.Select[int64](tx, `WITH
		said AS (SELECT key FROM person_record WHERE counts_as IN (SELECT counts_as FROM person_record
			WHERE key IN (SELECT value FROM json_each(?1)))),
		at AS (SELECT id FROM device WHERE primary_user IN (SELECT key FROM said)
			UNION SELECT device_id FROM logon WHERE person_code IN (SELECT key FROM said)
			UNION SELECT device_id FROM idle_fact WHERE person_code IN (SELECT key FROM said))
		SELECT n.product_id FROM recognition n WHERE n.product_id <> 0 AND n.record_id IN (
			SELECT i.record_id FROM install i JOIN at ON at.id = i.device_id)
		UNION SELECT e.product_id FROM assignment a JOIN entitlement e ON e.id = a.entitlement_id
			JOIN person p ON p.id = a.person_id WHERE p.code IN (SELECT key FROM said)
		UNION SELECT product_id FROM position WHERE metric IN ('named_user', 'concurrent', 'token') ORDER BY 1`, string(text))
	if out == nil {
		out = []int64{}
	}
	return out, err
}
