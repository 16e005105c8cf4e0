package worklistdb

import (
	"ensomet/internal/core/casework"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// Cause is what somebody changed that a case rested on.
type Cause struct {
	Who       string
	At        int64
	What      string // in words
	Product   int64  // 0 is those of the publisher, or of the category, or all
	Publisher string
	Category  string
}

// causes of each kind of case; ?1 is since when, ?2 the product.
var causes = map[casework.Kind]string{
	casework.RestrictedTitle: stanceCauses,
	casework.ForbiddenHours:  stanceCauses,
	casework.Missing:         stanceCauses,
	casework.IdleLicence:     ruleCauses + " UNION ALL " + stanceCauses,
	casework.IdlePool:        ruleCauses,
	casework.EndOfLife: `SELECT ended_by AS who, ended_at AS at, 'ended the plan to move off it' AS what, product_id AS
		product, '' AS publisher, '' AS category FROM release_plan WHERE ended_at > ?1 AND product_id = ?2`,
	casework.Uncovered: `SELECT t.author AS who, t.at, 'booked a ' || replace(t.type, '_', '-') || ' on ' || e.code AS
			what, e.product_id AS product, '' AS publisher, '' AS category
			FROM txn t JOIN entitlement e ON e.id = t.entitlement_id
			WHERE e.product_id = ?2 AND t.at > ?1 AND t.gone_at IS NULL
		UNION ALL SELECT author, changed_at, 'booked ' || code, product_id, '', '' FROM entitlement
			WHERE product_id = ?2 AND changed_at > ?1
		UNION ALL SELECT author, at, 'left installs out of the count', product_id, '', '' FROM left_out
			WHERE product_id = ?2 AND at > ?1 AND state = 'holds'`,
}

const (
	stanceCauses = `SELECT author AS who, at, 'took the stance that it is ' || stance AS what, product_id AS product,
			publisher, category FROM policy WHERE at > ?1 AND product_id IN (0, ?2)
		UNION ALL SELECT ended_by, ended_at, 'ended the stance that it is ' || stance, product_id, publisher, category
			FROM policy WHERE ended_at > ?1 AND product_id IN (0, ?2)`
	ruleCauses = `SELECT author AS who, at, 'changed when it is proposed to reclaim' AS what, product_id AS product,
			publisher, category FROM reclaim_rule WHERE at > ?1 AND product_id IN (0, ?2)
		UNION ALL SELECT ended_by, ended_at, 'ended a rule of when it is proposed to reclaim', product_id, publisher,
			category FROM reclaim_rule WHERE ended_at > ?1 AND product_id IN (0, ?2)`
)

// CauseSince finds the newest change by somebody, since a second, of what a kind of case about a product rests on. Who
// is empty where there is none.
func CauseSince(tx *sqlite.Tx, kind casework.Kind, product, since int64, publisher, category string) (Cause, error) {
	query := causes[kind]
	if query == "" {
		return Cause{}, nil
	}
	list, err := sqlite.Select[Cause](tx, "SELECT * FROM ("+query+") WHERE who <> '' ORDER BY at DESC", since, product)
	for _, c := range list {
		if c.Product == product || (c.Publisher == "" || recognise.CleanPublisher(c.Publisher) == publisher) &&
			(c.Category == "" || c.Category == category) {
			return c, err
		}
	}
	return Cause{}, err
}
