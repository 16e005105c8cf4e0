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
	l := sqlite.List[UseRow]{From: "idle_fact i JOIN device d ON d.id = i.device_id JOIN product p ON p.id = i.product_id LEFT JOIN device_fact f ON f.device_id = d.id", Key: "(i.device_id || ':' || i.product_id)", Sort: "last", Special: snapshot.DeviceFilters("d"), Columns: []sqlite.Column[UseRow]{
		{Name: "id", Sql: "(i.device_id || ':' || i.product_id)", Into: func(r *UseRow) any { return &r.ID }, Search: false}, {Name: "deviceId", Sql: "i.device_id", Into: func(r *UseRow) any { return &r.DeviceID }, Search: false},
		{Name: "device", Sql: "d.name", Into: func(r *UseRow) any { return &r.Device }, Search: true}, {Name: "unit", Sql: "d.org_unit", Into: func(r *UseRow) any { return &r.Unit }, Search: true}, {Name: "user", Sql: "i.person_code", Into: func(r *UseRow) any { return &r.User }, Search: true},
		{Name: "age", Sql: "coalesce(f.age, 'never')", Into: func(r *UseRow) any { return &r.Age }, Search: false},
		{Name: "productId", Sql: "i.product_id", Into: func(r *UseRow) any { return &r.ProductID }, Search: false}, {Name: "publisher", Sql: "p.publisher", Into: func(r *UseRow) any { return &r.Publisher }, Search: true}, {Name: "product", Sql: "p.name", Into: func(r *UseRow) any { return &r.Product }, Search: true},
		{Name: "class", Sql: "i.class", Into: func(r *UseRow) any { return &r.Class }, Search: false}, {Name: "used", Sql: "i.used", Into: func(r *UseRow) any { return &r.Used }, Search: false}, {Name: "measured", Sql: "i.measured", Into: func(r *UseRow) any { return &r.Measured }, Search: false},
		{Name: "last", Sql: "i.last_use", Into: func(r *UseRow) any { return &r.Last }, Search: false},
	}}
	return l.Page(tx, q)
}
