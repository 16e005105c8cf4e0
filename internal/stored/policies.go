package stored

import (
	"database/sql"
	"encoding/json"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// Policy is a policy with its author.
type Policy struct {
	policy.Policy
	PublisherName string
	Owner         string    // who answers for an exception
	Until         civil.Day // the last day on which it holds, 0 where it has no end
	Author        string
	At            int64
}

// Policies reads the policies in force.
func Policies(tx *sqlite.Tx) ([]Policy, error) {
	return sqlite.Query(tx, func(r *sql.Rows, p *Policy) error {
		var cond string
		if err := r.Scan(&p.ID, &p.Product, &p.PublisherName, &p.Category, &p.GroupName, &cond, &p.Stance,
			&p.Hours.Days, &p.Hours.From, &p.Hours.To, &p.Reason, &p.Owner, &p.Until, &p.Author, &p.At); err != nil {
			return err
		}
		p.Publisher = recognise.CleanPublisher(p.PublisherName)
		p.Exception = p.Until.Known()
		return json.Unmarshal([]byte(cond), &p.Group)
	}, "SELECT id, product_id, publisher, category, group_name, condition, stance, days, from_minute, to_minute, "+
		"reason, owner, until_day, author, at FROM policy WHERE ended_at IS NULL ORDER BY id")
}
