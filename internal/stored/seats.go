package stored

import (
	"encoding/json"
	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
)

// Assigned is a seat that a user or a device holds.
type Assigned struct {
	Line, Person, Device int64
	From, Until          civil.Day
}

// Assignments reads the seats held on a day, all of them where day is unknown.
func Assignments(tx *sqlite.Tx, day civil.Day) ([]Assigned, error) {
	return AssignmentsOf(tx, nil, day)
}

// AssignmentsOf reads the seats of some products that are held on a day; nil is all products.
func AssignmentsOf(tx *sqlite.Tx, products []int64, day civil.Day) ([]Assigned, error) {
	of, args := "", []any{day}
	if products != nil {
		list, err := json.Marshal(products)
		if err != nil {
			return nil, err
		}
		of, args = " AND entitlement_id IN (SELECT id FROM entitlement WHERE product_id IN (SELECT value FROM "+
			"json_each(?2)))", append(args, string(list))
	}
	return sqlite.Select[Assigned](tx, `SELECT entitlement_id AS line,
		coalesce(person_id, 0) AS person, coalesce(device_id, 0) AS device, from_day AS "from", until_day AS
		until FROM assignment WHERE (?1 = 0 OR (from_day <= ?1
		AND (until_day = 0 OR until_day >= ?1)))`+of+` ORDER BY id`,
		args...)
}
