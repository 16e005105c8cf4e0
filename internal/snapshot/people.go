package snapshot

import (
	"errors"

	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

const selectPersons = "SELECT id, code, name, email, org_unit, site, status, left_on FROM person"

// UserNamed finds a user whom somebody names; one that is not there is refused.
func UserNamed(tx *sqlite.Tx, code string) (PersonFacts, error) {
	p, err := PersonByCode(tx, code)
	if errors.Is(err, sqlite.ErrNotFound) {
		err = refuse.Errorf("there is no user %q", code)
	}
	return p, err
}

// PersonByCode finds a user.
func PersonByCode(tx *sqlite.Tx, code string) (PersonFacts, error) {
	return PersonWhere(tx, "code = ?", code)
}

// Person reads one user.
func Person(tx *sqlite.Tx, id int64) (PersonFacts, error) { return PersonWhere(tx, "id = ?", id) }

func PersonWhere(tx *sqlite.Tx, where string, arg any) (PersonFacts, error) {
	list, err := sqlite.Select[PersonFacts](tx, selectPersons+" WHERE "+where, arg)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return PersonFacts{}, err
	}
	return list[0], nil
}

// KnownPerson reports whether somebody of the directory, or who has an account, has a name, a mail address or a number.
func KnownPerson(tx *sqlite.Tx, who string) (known bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT EXISTS (SELECT 1 FROM person WHERE code = ?1 OR lower(name) = lower(?1) OR
		lower(email) = lower(?1)) OR EXISTS (SELECT 1 FROM account WHERE lower(name) = lower(?1))`, who).Scan(&known)
	return known, err
}
