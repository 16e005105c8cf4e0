package usedb

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/facts"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

// UseRow is a line of the list of use: a counted product on a device.
type UseRow struct {
	ID       string `column:"id"`
	DeviceID int64  `column:"deviceId"`
	Device   string `column:"device"`
	Unit     string `column:"unit"`

	Kind        string `column:"kind"`
	Environment string `column:"environment"`
	Hosting     string `column:"hosting"`
	Site        string `column:"site"`

	User      string    `column:"user"`
	Age       string    `column:"age"`
	ProductID int64     `column:"productId"`
	Publisher string    `column:"publisher"`
	Product   string    `column:"product"`
	Class     string    `column:"class"`
	Used      int64     `column:"used"`
	Measured  int64     `column:"measured"`
	Last      civil.Day `column:"last"`
}

// UseList is the list of the list of use.
func UseList() *sqlite.List[UseRow] {
	l := &sqlite.List[UseRow]{
		From: "idle_fact i JOIN device d ON d.id = i.device_id JOIN product p ON p.id = i.product_id JOIN " +
			"device_fact f ON f.device_id = i.device_id",
		Key: "i.device_id, i.product_id",
		Leads: map[string]sqlite.Lead{
			"d": {
				From: "device d JOIN idle_fact i ON i.device_id = d.id JOIN product p ON p.id = i.product_id JOIN " +
					"device_fact f ON f.device_id = i.device_id",
				Key: "d.id, i.product_id",
			},
			"f": {
				From: "device_fact f JOIN idle_fact i ON i.device_id = f.device_id JOIN device d ON d.id = " +
					"i.device_id JOIN product p ON p.id = i.product_id",
				Key: "f.device_id, i.product_id",
			},
			"p": {
				From: "product p JOIN idle_fact i ON i.product_id = p.id JOIN device d ON d.id = i.device_id JOIN " +
					"device_fact f ON f.device_id = i.device_id",
				Key: "p.id, i.device_id",
			},
		},
		Sort:    "last",
		Special: lists.DeviceFilters("d"),
		Own:     sqlite.OwnIn("d.custom"),
		Finds: &sqlite.Finds{
			Table: "idle_fact",
			Alias: "i",
			Key:   []string{"device_id", "product_id"},
			Places: []sqlite.Find{
				{Column: "product_id", Keys: "SELECT id FROM product", Columns: []string{"publisher", "name"}},
				{Column: "device_id", Keys: "SELECT id FROM device", Columns: []string{"name", "org_unit"}},
				{
					Column:  "person_code",
					Keys:    "SELECT person_code FROM (SELECT DISTINCT person_code FROM idle_fact)",
					Columns: []string{"person_code"},
				},
			},
		},
		Kept: sqlite.Kept{Column: "class", Read: facts.UseByClass},
		Columns: []sqlite.Column{
			sqlite.Plain("id", "(i.device_id || ':' || i.product_id)"),
			sqlite.Plain("deviceId", "i.device_id"),
			sqlite.Searched("device", "d.name"),
			sqlite.Searched("unit", "d.org_unit"),
			sqlite.Plain("kind", "d.kind"),
			sqlite.Plain("environment", "d.environment"),
			sqlite.Plain("hosting", "d.hosting"),
			sqlite.Plain("site", "d.site"),
			sqlite.Searched("user", "i.person_code"),
			sqlite.Plain("age", "f.age"),
			sqlite.Plain("productId", "i.product_id"),
			sqlite.Searched("publisher", "p.publisher"),
			sqlite.Searched("product", "p.name"),
			sqlite.Plain("class", "i.class"),
			sqlite.Plain("used", "i.used"),
			sqlite.Plain("measured", "i.measured"),
			sqlite.Plain("last", "i.last_use"),
		},
	}
	return l
}
