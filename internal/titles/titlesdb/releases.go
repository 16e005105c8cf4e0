package titlesdb

import (
	"database/sql"
	"encoding/json"
	"fmt"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/counts"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// VersionFact is what was found of one version of a product. Title is its line of the catalogue, 0 for none.
type VersionFact struct {
	Product                  int64
	Edition, Version         string
	Title                    int64
	Installs, Devices, Stale int64
	FirstSeen                civil.Day // only where it is asked for
}

// ReleaseFact is what is known of one title of the catalogue: the last days of its general and of all support, and
// the devices that have it.
type ReleaseFact struct {
	Title                                int64
	GeneralUntil, EndOn                  civil.Day
	Installs, Devices, Stale, YearBefore int64
}

// PutReleases replaces the derived rows about versions and releases.
func PutReleases(tx *sqlite.Tx, versions []VersionFact, releases []ReleaseFact) error {
	if _, err := tx.Exec("DELETE FROM version_fact"); err != nil {
		return err
	}
	b, err := tx.Bulk(
		7,
		"INSERT INTO version_fact(product_id, edition, version, title_id, installs, devices, stale)",
		"",
	)
	if err != nil {
		return err
	}
	for _, v := range versions {
		if err := b.Add(v.Product, v.Edition, v.Version, v.Title, v.Installs, v.Devices, v.Stale); err != nil {
			return err
		}
	}
	if err := b.Flush(); err != nil {
		return err
	}
	if _, err := tx.Exec("DELETE FROM release_fact"); err != nil {
		return err
	}
	if b, err = tx.Bulk(7,
		"INSERT INTO release_fact(title_id, general_until, end_on, installs, devices, stale, year_before)",
		""); err != nil {
		return err
	}
	for _, r := range releases {
		if err := b.Add(r.Title, r.GeneralUntil, r.EndOn, r.Installs, r.Devices, r.Stale,
			r.YearBefore); err != nil {
			return err
		}
	}
	return b.Flush()
}

// LayReleases gives each title of the catalogue its row among the releases, and says of it how long it is supported.
// What is installed of it stays as it is.
func LayReleases(tx *sqlite.Tx, c *recognise.Catalogue) error {
	kept, err := ReleaseFacts(tx)
	if err != nil {
		return err
	}
	for _, p := range c.Products() {
		for i := range p.Titles {
			t := &p.Titles[i]
			general, last := snapshot.DatesOf(t).Bounds()
			was, had := kept[t.ID]
			delete(kept, t.ID)
			if had && was.GeneralUntil == general && was.EndOn == last {
				continue
			}
			if _, err := tx.Exec(`INSERT INTO release_fact(title_id, general_until, end_on, installs, devices, stale,
				year_before) VALUES (?1, ?2, ?3, 0, 0, 0, 0) ON CONFLICT DO UPDATE SET general_until = ?2, end_on = ?3`,
				t.ID, general, last); err != nil {
				return err
			}
		}
	}
	for title := range kept {
		if _, err := tx.Exec("DELETE FROM release_fact WHERE title_id = ?", title); err != nil {
			return err
		}
	}
	return nil
}

// ReleaseFacts reads what is known of the titles, by their numbers.
func ReleaseFacts(tx *sqlite.Tx) (map[int64]ReleaseFact, error) {
	list, err := sqlite.Select[ReleaseFact](tx, `SELECT title_id AS title, general_until,
		end_on, installs, devices, stale, year_before FROM release_fact`)
	out := make(map[int64]ReleaseFact, len(list))
	for _, f := range list {
		out[f.Title] = f
	}
	return out, err
}

// DevicesOfTitles counts the devices on which each of some titles was at a second.
func DevicesOfTitles(tx *sqlite.Tx, titles []int64, at int64) (map[int64]int64, error) {
	list, err := json.Marshal(titles)
	if err != nil {
		return nil, err
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		`SELECT n.title_id, count(DISTINCT i.device_id) FROM recognition n JOIN install i ON i.record_id = n.record_id
		WHERE n.title_id IN (SELECT value FROM json_each(?1)) AND i.since <= ?2 AND (i.until IS NULL OR i.until > ?2)
		GROUP BY n.title_id`,
		string(list),
		at,
	)
	if err != nil {
		return nil, err
	}
	out := map[int64]int64{}
	return out, sqlite.Each(rows, func() error {
		var title, n int64
		err := rows.Scan(&title, &n)
		out[title] = n
		return err
	})
}

// VersionsFound reads the versions of a product that were found, with the day each was first seen on.
func VersionsFound(tx *sqlite.Tx, product int64) ([]VersionFact, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *VersionFact) error {
		var first int64
		err := r.Scan(&v.Product, &v.Edition, &v.Version, &v.Title, &v.Installs, &v.Devices, &v.Stale, &first)
		v.FirstSeen = civil.OfUnix(first)
		return err
	}, `SELECT f.product_id, f.edition, f.version, f.title_id, f.installs, f.devices, f.stale, coalesce((SELECT
		min(i.since) FROM recognition n JOIN install i ON i.record_id = n.record_id
		WHERE n.product_id = f.product_id AND n.edition = f.edition AND n.title_version = f.version), 0)
		FROM version_fact f WHERE f.product_id = ?`, product)
}

// ReleaseRow is a release with its life and what is planned about it.
type ReleaseRow struct {
	ID        int64     `column:"id"`
	ProductID int64     `column:"productId"`
	Publisher string    `column:"publisher"`
	Product   string    `column:"product"`
	Edition   string    `column:"edition"`
	Version   string    `column:"version"`
	Released  civil.Day `column:"released"`
	General   civil.Day `column:"general"` // the last day of general support
	EndOn     civil.Day `column:"endOn"`   // the last day of any support
	// the next day on which a phase ends, or the last one on which one did; 9999-12-31 where none is known
	Next       civil.Day `column:"next"`
	Phase      string    `column:"phase"`
	Devices    int64     `column:"devices"` // that have it, or run it as their operating system
	Stale      int64     `column:"stale"`
	YearBefore int64     `column:"yearBefore"`
	Plan       string    `column:"plan"` // move, remove, extend or keep; empty where nothing is planned
	PlanID     int64     `column:"planId"`
	Target     string    `column:"target"`
	Due        civil.Day `column:"due"`
	Owner      string    `column:"owner"`
	Then       int64     `column:"then"`      // devices when the plan was made
	PlanState  string    `column:"planState"` // done, late or open
	Done       string    `column:"done"`
}

// ReleaseList is the list of releases as of a day.
func ReleaseList(on civil.Day) *sqlite.List[ReleaseRow] {
	day := fmt.Sprint(int64(on))
	phase := "CASE WHEN t.released > " + day + " THEN 'before' WHEN coalesce(f.end_on, 0) = 0 THEN 'unknown' WHEN " +
		day + " <= f.general_until THEN 'general' WHEN " + day + " <= f.end_on THEN 'extended' ELSE 'ended' END"
	l := &sqlite.List[ReleaseRow]{
		From: "title t JOIN product p ON p.id = t.product_id LEFT JOIN release_fact f ON f.title_id = t.id LEFT " +
			"JOIN release_plan r ON r.product_id = t.product_id AND r.edition = t.edition AND r.version = t.version " +
			"AND r.ended_at = 0 LEFT JOIN product tp ON tp.id = r.to_product",
		Key:  "t.id",
		Sort: "next",
		Columns: []sqlite.Column{
			sqlite.Plain("id", "t.id"),
			sqlite.Plain("productId", "p.id"),
			sqlite.Searched("publisher", "p.publisher"),
			sqlite.Searched("product", "p.name"),
			sqlite.Searched("edition", "t.edition"),
			sqlite.Searched("version", "t.version"),
			sqlite.Plain("released", "t.released"),
			sqlite.Plain("general", "coalesce(f.general_until, 0)"),
			sqlite.Plain("endOn", "coalesce(f.end_on, 0)"),
			sqlite.Plain(
				"next",
				"CASE WHEN f.general_until >= "+day+" THEN f.general_until WHEN f.end_on >= "+day+
					" THEN f.end_on WHEN coalesce(f.end_on, 0) = 0 THEN 3652059 ELSE f.end_on END"),
			sqlite.Plain("phase", phase),
			sqlite.Plain("devices", "coalesce(f.devices, 0)"),
			sqlite.Plain("stale", "coalesce(f.stale, 0)"),
			sqlite.Plain("yearBefore", "coalesce(f.year_before, 0)"),
			sqlite.Plain("plan", "coalesce(r.what, '')"),
			sqlite.Plain("planId", "coalesce(r.id, 0)"),
			sqlite.Plain("target", "trim(coalesce(tp.name, '') || ' ' || coalesce(r.to_version, ''))"),
			sqlite.Plain("due", "coalesce(r.due, 0)"),
			sqlite.Searched("owner", "coalesce(r.owner, '')"),
			sqlite.Plain("then", "coalesce(r.devices_then, 0)"),
			sqlite.Plain("planState", "''"),
			sqlite.Plain("done", "''"),
		},
		Special: map[string]func(string) (string, []any){
			// a phase ends until a day
			"until": func(v string) (string, []any) {
				last, err := civil.Parse(v)
				if err != nil {
					last = 0
				}
				return "(f.general_until BETWEEN " + day + " AND ? OR f.end_on BETWEEN " + day + " AND ?)", []any{
					int64(last),
					int64(last),
				}
			},
		},
	}
	return l
}

// Plans reads the plans about a product's releases, the ended ones too, newest first.
func Plans(tx *sqlite.Tx, product int64) ([]snapshot.Plan, error) {
	return sqlite.Query(
		tx,
		snapshot.ScanPlan,
		snapshot.PlanColumns+" WHERE product_id = ? ORDER BY ended_at = 0 DESC, id DESC",
		product,
	)
}

// AddPlan writes a plan; one about the same release must have been ended before.
func AddPlan(tx *sqlite.Tx, p snapshot.Plan) (int64, error) {
	return tx.Insert(
		`INSERT INTO release_plan(product_id, edition, version, what, to_product, to_version, due, owner, note,
			devices_then, author, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		p.Product,
		p.Edition,
		p.Version,
		p.What,
		p.ToProduct,
		p.ToVersion,
		p.Due,
		p.Owner,
		p.Note,
		p.DevicesThen,
		p.Author,
		p.At,
	)
}

// EndPlan ends a plan; it stays in the file.
func EndPlan(tx *sqlite.Tx, id, at int64, by, why string) error {
	return tx.One(
		"UPDATE release_plan SET ended_at = ?, ended_by = ?, ended_why = ? WHERE id = ? AND ended_at = 0",
		at,
		by,
		why,
		id,
	)
}

// MoveReleases moves what was found of versions and of titles of the catalogue by differences.
func MoveReleases(tx *sqlite.Tx, m *counts.Moved) error {
	var none counts.Sums
	for v, s := range m.Versions {
		if s == none {
			continue
		}
		if _, err := tx.Exec(`INSERT INTO version_fact(product_id, edition, version, title_id, installs, devices, stale)
			VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET installs = installs + excluded.installs,
			devices = devices + excluded.devices, stale = stale + excluded.stale`, v.Product, v.Edition, v.Version,
			m.TitleOf[v], s.Installs, s.Devices, s.Stale); err != nil {
			return err
		}
		if _, err := tx.Exec(`DELETE FROM version_fact WHERE product_id = ? AND edition = ? AND version = ?
			AND installs = 0`, v.Product, v.Edition, v.Version); err != nil {
			return err
		}
	}
	for t, s := range m.Titles {
		if _, err := tx.Exec(`UPDATE release_fact SET installs = installs + ?, devices = devices + ?, stale = stale + ?
			WHERE title_id = ?`, s.Installs, s.Devices, s.Stale, t); err != nil {
			return err
		}
	}
	for t, n := range m.Before {
		if n == 0 {
			continue
		}
		if _, err := tx.Exec("UPDATE release_fact SET year_before = year_before + ? WHERE title_id = ?", n,
			t); err != nil {
			return err
		}
	}
	return nil
}
