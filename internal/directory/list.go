package directory

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/persons"
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

// PutFacts makes the list of people anew as of a day; what did not change is not written.
func PutFacts(tx *sqlite.Tx, today civil.Day) error {
	if _, err := tx.Exec(`WITH
		known AS (SELECT counts_as AS key, count(*) AS names, max(nobody) AS nobody,
			coalesce(group_concat(key, '|' ORDER BY key) FILTER (WHERE key <> counts_as), '') AS also
			FROM person_record WHERE counts_as <> '' GROUP BY counts_as),
		machines AS (SELECT primary_user AS key, count(*) AS n FROM device WHERE primary_user <> '' GROUP BY 1),
		held AS (SELECT r.counts_as AS key, count(*) AS n FROM assignment a JOIN person p ON p.id = a.person_id
			JOIN person_record r ON r.key = p.code
			WHERE a.from_day <= ?1 AND (a.until_day = 0 OR a.until_day >= ?1) GROUP BY 1),
		used AS (SELECT person_code AS key, count(DISTINCT product_id) AS n FROM idle_fact
			WHERE class NOT IN ('not measured', 'never used', 'unused') AND person_code <> '' GROUP BY 1),
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
			excluded.names, excluded.devices, excluded.seats, excluded.uses)`, today); err != nil {
		return err
	}
	_, err := tx.Exec("DELETE FROM person_fact WHERE key NOT IN (SELECT counts_as FROM person_record)")
	return err
}

// Named is what a list or evidence calls a person, with the signs that it gave.
type Named struct {
	Key         string
	Listed      bool // a list of users has it
	LogOns      []string
	Mail        string
	DirectoryID string
	Devices     int64 // on which it logged on, or of which it is said to be the main user
}

func named(tx *sqlite.Tx, person string) ([]Named, error) {
	list, err := persons.Of(tx, person)
	out := []Named{}
	for _, r := range list {
		n := Named{Key: r.Key, Listed: r.Listed, LogOns: r.LogOns, Mail: r.Mail, DirectoryID: r.DirectoryID}
		if n.LogOns == nil {
			n.LogOns = []string{}
		}
		if err := tx.QueryRowContext(tx.Ctx, "SELECT count(DISTINCT device_id) FROM logon WHERE person_code = ?",
			r.Key).Scan(&n.Devices); err != nil {
			return nil, err
		}
		out = append(out, n)
	}
	return out, err
}
