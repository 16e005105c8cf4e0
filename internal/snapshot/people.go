package snapshot

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
	"errors"
)

// PersonRow is a user with what a page about him needs.
type PersonRow struct {
	ID                                    int64
	Code, Name, Email, Unit, Site, Status string
	LeftOn                                civil.Day
}

// UserNamed finds a user whom somebody names; one that is not there is refused.
func UserNamed(tx *sqlite.Tx, code string) (PersonRow, error) {
	p, err := PersonByCode(tx, code)
	if errors.Is(err, sqlite.ErrNotFound) {
		err = refuse.Errorf("there is no user %q", code)
	}
	return p, err
}

// PersonByCode finds a user.
func PersonByCode(tx *sqlite.Tx, code string) (PersonRow, error) {
	return PersonWhere(tx, "code = ?", code)
}

// Person reads one user.
func Person(tx *sqlite.Tx, id int64) (PersonRow, error) { return PersonWhere(tx, "id = ?", id) }

func PersonWhere(tx *sqlite.Tx, where string, arg any) (PersonRow, error) {
	list, err := sqlite.Select[PersonRow](tx, `SELECT id, code, name, email, org_unit AS
		unit, site, status, left_on FROM person WHERE `+where, arg)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return PersonRow{}, err
	}
	return list[0], nil
}
