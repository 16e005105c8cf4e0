package snapshot

import (
	"database/sql"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/lifecycle"
	"ensomet/internal/core/recognise"
)

// versionCount counts the versions of a product that were found.
func (f *ProductFacts) versionCount() int64 {
	different := map[string]bool{}
	for _, s := range f.Versions {
		if s.Installs > 0 {
			different[s.Version] = true
		}
	}
	return int64(len(different))
}

func DatesOf(t *recognise.Title) lifecycle.Dates {
	return lifecycle.Dates{Released: t.Released, General: t.GeneralEnd, Extended: t.ExtendedEnd, End: t.EndOfLife}
}

// Plan is what is planned about a release whose support ends.
type Plan struct {
	ID          int64     `json:"id"`
	Product     int64     `json:"product"`
	Edition     string    `json:"edition"`
	Version     string    `json:"version"`
	What        string    `json:"what" enum:"move,remove,extend,keep"`
	ToProduct   int64     `json:"toProduct"`
	ToVersion   string    `json:"toVersion"`
	Due         civil.Day `json:"due"`
	Owner       string    `json:"owner"`
	Note        string    `json:"note"`
	DevicesThen int64     `json:"devicesThen"`
	Author      string    `json:"author"`
	At          int64     `json:"at"`
	EndedAt     int64     `json:"endedAt"`
	EndedBy     string    `json:"endedBy"`
	EndedWhy    string    `json:"endedWhy"`
}

const PlanColumns = "SELECT id, product_id, edition, version, what, to_product, to_version, due, owner, note, " +
	"devices_then, author, at, ended_at, ended_by, ended_why FROM release_plan"

func ScanPlan(r *sql.Rows, p *Plan) error {
	return r.Scan(
		&p.ID,
		&p.Product,
		&p.Edition,
		&p.Version,
		&p.What,
		&p.ToProduct,
		&p.ToVersion,
		&p.Due,
		&p.Owner,
		&p.Note,
		&p.DevicesThen,
		&p.Author,
		&p.At,
		&p.EndedAt,
		&p.EndedBy,
		&p.EndedWhy,
	)
}
