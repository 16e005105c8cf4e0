// Package splits splits any count by what is said of devices: by a fact, a field of the house's own, or the sources
// that report what is counted. Each thing falls to one value, so that the parts add up, and no count of devices is
// larger than the estate.
package splits

import (
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/core/usage"
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

// reporting is which sources report a title on a device, as a table of device_id, product_id and sources in the order
// of their names: what two sources see falls to both together, so that no part counts it twice.
func reporting(where string) string { return reportingOf("install i", where) }

func reportingOf(installs, where string) string {
	return `(SELECT device_id, product_id, group_concat(name, ' and ' ORDER BY name) AS sources FROM (
		SELECT DISTINCT i.device_id, k.product_id, s.name FROM ` + installs + `
		JOIN recognition k ON k.record_id = i.record_id
		JOIN source s ON s.id = i.source_id WHERE i.until IS NULL AND k.product_id <> 0` + where + `)
		GROUP BY device_id, product_id)`
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
	if n == (Narrow{}) {
		return allInstalls(tx, by)
	}
	where, args := "", []any{}
	if n.Product != 0 || n.Publisher != "" {
		where, args = n.where("k.product_id")
		where = " AND i.record_id IN (SELECT k.record_id FROM recognition k WHERE 1" + where + ")"
	}
	each := "(SELECT DISTINCT i.device_id, i.record_id FROM install i WHERE i.until IS NULL" + where + ") r"
	what := label(by)
	if by == BySource {
		what = "r.sources"
		each = `(SELECT device_id, record_id, group_concat(name, ' and ' ORDER BY name) AS sources
			FROM (SELECT DISTINCT i.device_id, i.record_id, s.name FROM install i JOIN source s ON s.id = i.source_id
				WHERE i.until IS NULL` + where + `) GROUP BY device_id, record_id) r`
	}
	return count(tx, "SELECT "+what+" AS value, r.device_id, f.age FROM "+each+
		" JOIN device d ON d.id = r.device_id JOIN device_fact f ON f.device_id = d.id", "*", false, args)
}

// allInstalls splits all installs by what is kept of each device.
func allInstalls(tx *sqlite.Tx, by string) ([]Row, error) {
	what, installs, of, devices := label(by), "f.installs", "", "count(*)"
	if by == BySource {
		what, installs = "replace(x.sources, char(31), ' and ')", "x.installs"
		of, devices = " JOIN sourced x ON x.device_id = d.id", "count(DISTINCT d.id)" // by software, too
	}
	return sqlite.Select[Row](tx, "SELECT "+what+" AS value, '' AS part, sum("+installs+") AS count, "+devices+
		" AS devices, "+devices+" FILTER (WHERE f.age = 'stale') AS stale, "+devices+
		" FILTER (WHERE f.age = 'never') AS never FROM device d JOIN device_fact f ON f.device_id = d.id"+of+
		" WHERE f.installs > 0 GROUP BY 1")
}

// Use splits counted titles on devices by whether they are used: a part for each class.
func Use(tx *sqlite.Tx, by string, n Narrow) ([]Row, error) {
	switch {
	case n == (Narrow{}):
		return allUse(tx, by)
	case by == BySource:
		return useBySource(tx, n)
	}
	where, args := n.where("i.product_id")
	each := ""
	for _, class := range usage.Classes {
		each += ", sum(i.class = '" + string(class) + "')"
	}
	rows, err := tx.QueryContext(tx.Ctx, "SELECT i.device_id, "+label(by)+", f.age, count(*)"+each+` FROM idle_fact i
		JOIN device d ON d.id = i.device_id JOIN device_fact f ON f.device_id = i.device_id WHERE 1`+where+
		" GROUP BY i.device_id", args...)
	if err != nil {
		return nil, err
	}
	out, of, all := sums{}, make([]int64, len(usage.Classes)), int64(0)
	var on onDevice
	into := []any{&on.device, &on.value, &on.age, &all}
	for i := range of {
		into = append(into, &of[i])
	}
	err = sqlite.Each(rows, func() error {
		err := rows.Scan(into...)
		out.of(on, "").Count += all
		for i, n := range of {
			if n > 0 {
				out.of(on, string(usage.Classes[i])).Count += n
			}
		}
		return err
	})
	return out.rows(), err
}

// beside joins what sources report of the titles of a table. What narrows it comes before what narrows the table.
func beside(table string, args *[]any, n Narrow) string {
	where, more := n.where("k.product_id")
	*args = append(more, *args...)
	return " LEFT JOIN " + reporting(where) + " r ON r.device_id = " + table + ".device_id AND r.product_id = " +
		table + ".product_id"
}

// Cases splits the cases that are not ended: a part for each kind. Those about a person and no device fall to the unit
// and site of that person, those about neither to none.
func Cases(tx *sqlite.Tx, by string, n Narrow) ([]Row, error) {
	where, args := n.where("c.product_id")
	what, join := label(by), ""
	switch by {
	case BySource:
		what, join = "r.sources", beside("c", &args, n)
	case "unit":
		what = "d.org_unit, u.org_unit"
	case "site":
		what = "d.site, u.site"
	}
	return count(tx, "SELECT coalesce("+what+`, '') AS value, c.kind AS part, d.id AS device_id, f.age
		FROM worklist_case c LEFT JOIN device d ON d.id = c.device_id LEFT JOIN device_fact f ON f.device_id = d.id
		LEFT JOIN person u ON u.id = c.person_id`+join+` WHERE c.state NOT IN ('gone', 'lapsed', 'kept')`+where,
		"*", true, args)
}

// Labels says of each device that reports a product, or has a right to it, what it falls to.
func Labels(tx *sqlite.Tx, by string, product int64) (map[int64]string, error) {
	text, args := "SELECT d.id, "+label(by)+" AS label FROM device d LEFT JOIN device_fact f ON f.device_id = d.id",
		[]any{}
	if by == BySource {
		text, args = "SELECT device_id AS id, sources AS label FROM "+reporting(" AND k.product_id = ?"), []any{product}
	}
	type one struct {
		ID    int64
		Label string
	}
	list, err := sqlite.Select[one](tx, text, args...)
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
