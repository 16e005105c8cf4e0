// Package splits splits any count by what is said of devices: by a fact, a field of the house's own, or the sources
// that report what is counted. Each thing falls to one value, so that the parts add up, and no count of devices is
// larger than the estate.
package splits

import (
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

// Row counts what falls to one value of a split, and to one part of it.
type Row struct {
	Value   string
	Part    string
	Count   int64
	Devices int64 // different ones
	Stale   int64 // of them
	Never   int64
}

// Narrow is what a split is about: nothing is everything.
type Narrow struct {
	Publisher string
	Product   int64
}

// The columns of a device by which anything can be split.
var deviceColumns = map[string]string{
	"kind": "d.kind", "environment": "d.environment", "hosting": "d.hosting", "site": "d.site", "unit": "d.org_unit",
	"country": "d.country", "os": "trim(d.os_name || ' ' || d.os_version)", "cluster": "d.cluster",
	"status": "d.status", "age": "f.age",
}

// BySource splits by the sources that report what is counted.
const BySource = "source"

// By lists by what anything can be split, fields of the house's own apart.
var By = []string{"kind", "environment", "hosting", "site", "unit", "country", "os", "cluster", "status", "age",
	BySource}

// label is what a device falls to, as SQL; empty where it is not known by what.
func label(by string) string {
	if by == Whole {
		return "''"
	}
	if field, own := strings.CutPrefix(by, sqlite.OwnColumn); own && field != "" &&
		!strings.ContainsAny(field, "\"\x00") {
		return sqlite.OwnIn("d.custom")(field)
	}
	return deviceColumns[by]
}

// Check reports that nothing can be split by what is named.
func Check(by string) error {
	if by != BySource && label(by) == "" {
		return refuse.Errorf("nothing is split by %q: there are %s, and fields of your own as own:NAME", by,
			strings.Join(By, ", "))
	}
	return nil
}

// sourcesOf is the sources that report some records of a device, in the order of their names: an install that two
// sources see falls to both together, so that no part counts it twice.
func sourcesOf(device, records string) string {
	return `coalesce((SELECT group_concat(name, ' and ') FROM (SELECT DISTINCT s.name FROM install seen
		JOIN source s ON s.id = seen.source_id WHERE seen.device_id = ` + device + ` AND seen.until IS NULL AND seen.record_id ` +
		records + ` ORDER BY s.name)), '')`
}

// ofProduct are the records of a product.
func ofProduct(product string) string {
	return "IN (SELECT n.record_id FROM recognition n WHERE n.product_id = " + product + ")"
}

func (n Narrow) where(product string) (text string, args []any) {
	if n.Product != 0 {
		text, args = text+" AND "+product+" = ?", append(args, n.Product)
	}
	if n.Publisher != "" {
		text += " AND " + product + " IN (SELECT id FROM product WHERE publisher = ?)"
		args = append(args, n.Publisher)
	}
	return text, args
}

// Whole falls everything to one value, which is empty.
const Whole = "all"

// count counts rows that have value, part, device_id and age: of each value, and where there are parts of each of them.
func count(tx *sqlite.Tx, each, what string, parts bool, args []any) ([]Row, error) {
	sums := `count(` + what + `) AS count, count(DISTINCT device_id) AS devices,
		count(DISTINCT CASE WHEN age = 'stale' THEN device_id END) AS stale,
		count(DISTINCT CASE WHEN age = 'never' THEN device_id END) AS never FROM each`
	text := "WITH each AS (" + each + ") SELECT value, '' AS part, " + sums + " GROUP BY value"
	if parts {
		text += " UNION ALL SELECT value, part, " + sums + " GROUP BY value, part"
	}
	return sqlite.Select[Row](tx, text, args...)
}

// Installs splits installs: a record that is there in several places or from several sources is one.
func Installs(tx *sqlite.Tx, by string, n Narrow) ([]Row, error) {
	where, args := "", []any{}
	if n.Product != 0 || n.Publisher != "" {
		where, args = n.where("k.product_id")
		where = " AND i.record_id IN (SELECT k.record_id FROM recognition k WHERE 1" + where + ")"
	}
	each := "(SELECT DISTINCT i.device_id, i.record_id FROM install i WHERE i.until IS NULL" + where + ") r"
	what := label(by)
	if by == BySource {
		what = "r.sources"
		each = `(SELECT device_id, record_id, group_concat(name, ' and ') AS sources FROM (SELECT DISTINCT i.device_id,
			i.record_id, s.name FROM install i JOIN source s ON s.id = i.source_id WHERE i.until IS NULL` + where + `
			ORDER BY s.name) GROUP BY device_id, record_id) r`
	}
	return count(tx, "SELECT "+what+" AS value, r.device_id, f.age FROM "+each+
		" JOIN device d ON d.id = r.device_id JOIN device_fact f ON f.device_id = d.id", "*", false, args)
}

// Titles splits what is installed by titles: what is counted are different titles.
func Titles(tx *sqlite.Tx, by string, n Narrow) ([]Row, error) {
	where, args := n.where("k.product_id")
	what := label(by)
	if by == BySource {
		what = sourcesOf("r.device_id", ofProduct("r.product_id"))
	}
	return count(tx, "SELECT "+what+` AS value, r.device_id, r.product_id, f.age
		FROM (SELECT DISTINCT i.device_id, k.product_id FROM install i JOIN recognition k ON k.record_id = i.record_id
			WHERE i.until IS NULL AND k.product_id <> 0`+where+`) r
		JOIN device d ON d.id = r.device_id JOIN device_fact f ON f.device_id = d.id`, "DISTINCT product_id", false, args)
}

// Use splits counted titles on devices by whether they are used: a part for each class.
func Use(tx *sqlite.Tx, by string, n Narrow) ([]Row, error) {
	where, args := n.where("i.product_id")
	what := label(by)
	if by == BySource {
		what = sourcesOf("i.device_id", ofProduct("i.product_id"))
	}
	return count(tx, "SELECT "+what+` AS value, i.class AS part, i.device_id, f.age FROM idle_fact i
		JOIN device d ON d.id = i.device_id JOIN device_fact f ON f.device_id = d.id WHERE 1`+where, "*", true, args)
}

// Cases splits the cases that are not ended: a part for each kind. Those about a person and no device fall to the unit
// and site of that person, those about neither to none.
func Cases(tx *sqlite.Tx, by string, n Narrow) ([]Row, error) {
	where, args := n.where("c.product_id")
	what := label(by)
	if by == BySource {
		what = sourcesOf("c.device_id", ofProduct("c.product_id"))
	}
	switch by {
	case "unit":
		what = "d.org_unit, u.org_unit"
	case "site":
		what = "d.site, u.site"
	}
	return count(tx, "SELECT coalesce("+what+`, '') AS value, c.kind AS part, d.id AS device_id, f.age
		FROM worklist_case c LEFT JOIN device d ON d.id = c.device_id LEFT JOIN device_fact f ON f.device_id = d.id
		LEFT JOIN person u ON u.id = c.person_id WHERE c.state NOT IN ('gone', 'lapsed', 'kept')`+where, "*", true, args)
}

// Labels says of each device that reports a product, or has a right to it, what it falls to.
func Labels(tx *sqlite.Tx, by string, product int64) (map[int64]string, error) {
	what := label(by)
	if by == BySource {
		what = sourcesOf("d.id", ofProduct("?1"))
	}
	type one struct {
		ID    int64
		Label string
	}
	list, err := sqlite.Select[one](tx, "SELECT d.id, "+what+
		" AS label FROM device d LEFT JOIN device_fact f ON f.device_id = d.id WHERE ?1 = ?1", product)
	out := make(map[int64]string, len(list))
	for _, r := range list {
		out[r.ID] = r.Label
	}
	return out, err
}

// Estate counts the devices that are known.
func Estate(tx *sqlite.Tx) (devices int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(*) FROM device").Scan(&devices)
	return devices, err
}

// OwnOfDevices lists the fields of the house's own that devices have.
func OwnOfDevices(tx *sqlite.Tx) ([]string, error) {
	return sqlite.Select[string](tx, `SELECT DISTINCT j.key FROM (SELECT DISTINCT custom FROM device
		WHERE custom <> '') c, json_each(c.custom) j WHERE j.value <> '' AND j.key <> 'hosting' ORDER BY 1`)
}
