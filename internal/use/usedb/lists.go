package usedb

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// UseRow is a line of the list of use: a counted product on a device.
type UseRow struct {
	ID        string    `json:"id"`
	DeviceID  int64     `json:"deviceId"`
	Device    string    `json:"device"`
	Unit      string    `json:"unit"`
	User      string    `json:"user"`
	Age       string    `json:"age"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Class     string    `json:"class"`
	Used      int64     `json:"used"`
	Measured  int64     `json:"measured"`
	Last      civil.Day `json:"last"`
}

// UsePage reads a page of the list of use.
func UsePage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[UseRow], error) {
	l := sqlite.List[UseRow]{
		From: "idle_fact i JOIN device d ON d.id = i.device_id JOIN product p ON p.id = i.product_id LEFT JOIN " +
			"device_fact f ON f.device_id = d.id",
		Key:     "(i.device_id || ':' || i.product_id)",
		Sort:    "last",
		Special: snapshot.DeviceFilters("d"),
		Columns: []sqlite.Column[UseRow]{
			sqlite.Plain("id", "(i.device_id || ':' || i.product_id)", func(r *UseRow) any { return &r.ID }),
			sqlite.Plain("deviceId", "i.device_id", func(r *UseRow) any { return &r.DeviceID }),
			sqlite.Searched("device", "d.name", func(r *UseRow) any { return &r.Device }),
			sqlite.Searched("unit", "d.org_unit", func(r *UseRow) any { return &r.Unit }),
			sqlite.Searched("user", "i.person_code", func(r *UseRow) any { return &r.User }),
			sqlite.Plain("age", "coalesce(f.age, 'never')", func(r *UseRow) any { return &r.Age }),
			sqlite.Plain("productId", "i.product_id", func(r *UseRow) any { return &r.ProductID }),
			sqlite.Searched("publisher", "p.publisher", func(r *UseRow) any { return &r.Publisher }),
			sqlite.Searched("product", "p.name", func(r *UseRow) any { return &r.Product }),
			sqlite.Plain("class", "i.class", func(r *UseRow) any { return &r.Class }),
			sqlite.Plain("used", "i.used", func(r *UseRow) any { return &r.Used }),
			sqlite.Plain("measured", "i.measured", func(r *UseRow) any { return &r.Measured }),
			sqlite.Plain("last", "i.last_use", func(r *UseRow) any { return &r.Last }),
		},
	}
	return l.Page(tx, q)
}
