// Package facts has the derived rows that lists are served from: what is known of devices, raw names and products at a
// glance, and how what is counted is used.
package facts

import (
	"database/sql"
	"encoding/json"
	"errors"
	"strings"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// PutDevices replaces the rows that lists are served from of some devices.
func PutDevices(tx *sqlite.Tx, of []int64, devices []snapshot.DeviceFact, idle []snapshot.IdleFact) error {
	list, err := json.Marshal(of)
	if err != nil {
		return err
	}
	return errors.Join(
		tx.ReplaceWhere("device_fact", ofThose, string(list), 1, deviceFactColumns, len(devices),
			func(i int) []any { return deviceValues(&devices[i]) }),
		tx.ReplaceWhere("idle_fact", ofThose, string(list), 2, idleColumns, len(idle),
			func(i int) []any { return idleValues(&idle[i]) }),
	)
}

// PutSums replaces what names and products sum up.
func PutSums(tx *sqlite.Tx, names []snapshot.NameFact, products []snapshot.ProductFact) error {
	return errors.Join(putNameFacts(tx, names), putProductFacts(tx, products))
}

// ofThose are the rows of some devices.
const ofThose = "device_id IN (SELECT value FROM json_each(?))"

// Differing lists the devices of which the rows that lists are served from say something else, but for how many others
// have their names.
func Differing(tx *sqlite.Tx, of []int64, devices []snapshot.DeviceFact, idle []snapshot.IdleFact) ([]int64, error) {
	list, err := json.Marshal(of)
	if err != nil {
		return nil, err
	}
	is := make(map[int64]snapshot.DeviceFact, len(devices))
	for i := range devices {
		is[devices[i].Device] = devices[i]
	}
	rows, err := sqlite.Query(tx, func(r *sql.Rows, d *snapshot.DeviceFact) error {
		return r.Scan(&d.Device, &d.LastSeen, &d.Age, &d.HardwareSeen, &d.HardwareAge, &d.UseSeen, &d.UseAge,
			&d.ListedAt, &d.DirectoryAge, &d.Installs, &d.Unrecognised, &d.Counted, &d.Disagreements)
	}, "SELECT "+strings.Join(deviceFactColumns[:len(deviceFactColumns)-1], ", ")+" FROM device_fact WHERE "+ofThose,
		string(list))
	if err != nil {
		return nil, err
	}
	var out []int64
	for _, was := range rows {
		now, there := is[was.Device]
		if now.Namesakes = 0; !there || was != now {
			out = append(out, was.Device)
		}
		delete(is, was.Device)
	}
	for id := range is {
		out = append(out, id)
	}
	classes := make(map[snapshot.DevicePair]snapshot.IdleFact, len(idle))
	for _, f := range idle {
		classes[snapshot.DevicePair{Device: f.Device, Product: f.Product}] = f
	}
	kept, err := tx.QueryContext(tx.Ctx, idleSelect+" WHERE "+ofThose, string(list))
	if err != nil {
		return nil, err
	}
	if err := eachIdle(kept, func(was snapshot.IdleFact) error {
		k := snapshot.DevicePair{Device: was.Device, Product: was.Product}
		if classes[k] != was {
			out = append(out, was.Device)
		}
		delete(classes, k)
		return nil
	}); err != nil {
		return nil, err
	}
	for k := range classes {
		out = append(out, k.Device)
	}
	return stored.Distinct(out), nil
}

// Left lists devices of which there are rows and that are there no more.
func Left(tx *sqlite.Tx) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT device_id FROM device_fact WHERE device_id NOT IN (SELECT id FROM device)
		UNION SELECT device_id FROM idle_fact WHERE device_id NOT IN (SELECT id FROM device)`)
}

var deviceFactColumns = []string{
	"device_id",
	"last_seen",
	"age",
	"hardware_seen",
	"hardware_age",
	"use_seen",
	"use_age",
	"directory_seen",
	"directory_age",
	"installs",
	"unrecognised",
	"counted",
	"disagreements",
	"namesakes",
}

func deviceValues(d *snapshot.DeviceFact) []any {
	return []any{
		d.Device,
		d.LastSeen,
		d.Age,
		d.HardwareSeen,
		d.HardwareAge,
		d.UseSeen,
		d.UseAge,
		d.ListedAt,
		d.DirectoryAge,
		d.Installs,
		d.Unrecognised,
		d.Counted,
		d.Disagreements,
		d.Namesakes,
	}
}

// PutOf replaces the rows that lists are served from of some devices, but for how many others have their names.
// It says of which products the use on a device is classified otherwise than before.
// The users of what is classified otherwise, now and before, are added to people.
func PutOf(
	tx *sqlite.Tx,
	of []int64,
	devices []snapshot.DeviceFact,
	idle []snapshot.IdleFact,
	people map[string]bool,
) (
	products []int64, err error) {
	list, err := json.Marshal(of)
	if err != nil {
		return nil, err
	}
	last := len(deviceFactColumns) - 1
	if err := tx.ReplaceWhere("device_fact", ofThose, string(list), 1, deviceFactColumns[:last], len(devices),
		func(i int) []any { return deviceValues(&devices[i])[:last] }); err != nil {
		return nil, err
	}
	if products, err = classedOtherwise(tx, string(list), idle, people); err != nil {
		return nil, err
	}
	return products, tx.ReplaceWhere("idle_fact", ofThose, string(list), 2, idleColumns, len(idle),
		func(i int) []any { return idleValues(&idle[i]) })
}

// classedOtherwise lists the products of which the use on some devices is, or was, measured, and is not what is stored.
func classedOtherwise(tx *sqlite.Tx, devices string, idle []snapshot.IdleFact, people map[string]bool) (
	out []int64, err error) {
	kept := map[snapshot.DevicePair]snapshot.IdleFact{}
	rows, err := tx.QueryContext(tx.Ctx, idleSelect+" WHERE device_id IN (SELECT value FROM json_each(?))", devices)
	if err != nil {
		return nil, err
	}
	if err := eachIdle(rows, func(f snapshot.IdleFact) error {
		kept[snapshot.DevicePair{Device: f.Device, Product: f.Product}] = f
		return nil
	}); err != nil {
		return nil, err
	}
	for _, f := range idle {
		k := snapshot.DevicePair{Device: f.Device, Product: f.Product}
		if was := kept[k]; was != f {
			if people[was.Person], people[f.Person] = true, true; was.Measured > 0 || f.Measured > 0 {
				out = append(out, f.Product)
			}
		}
		delete(kept, k)
	}
	for _, f := range kept {
		if people[f.Person] = true; f.Measured > 0 {
			out = append(out, f.Product)
		}
	}
	delete(people, "")
	return out, nil
}

var nameColumns = []string{
	"key",
	"publisher",
	"name",
	"versions",
	"records",
	"installs",
	"devices",
	"stale",
	"state",
	"gather",
	"likely",
	"score",
	"money",
	"findings",
}

func nameValues(n *snapshot.NameFact) []any {
	return []any{
		n.Key,
		n.Publisher,
		n.Name,
		n.Versions,
		n.Records,
		n.Installs,
		n.Devices,
		n.Stale,
		n.State,
		n.Gather,
		n.Likely,
		n.Score,
		n.Money,
		n.Findings,
	}
}

func putNameFacts(tx *sqlite.Tx, names []snapshot.NameFact) error {
	return tx.Replace("name_fact", 1, nameColumns, len(names), func(i int) []any { return nameValues(&names[i]) })
}

// PutNames replaces the sums of some raw names.
func PutNames(tx *sqlite.Tx, keys []string, names []snapshot.NameFact) error {
	list, err := json.Marshal(keys)
	if err != nil {
		return err
	}
	return tx.ReplaceWhere("name_fact", "key IN (SELECT value FROM json_each(?))", string(list), 1, nameColumns,
		len(names), func(i int) []any { return nameValues(&names[i]) })
}

// MoveProduct moves the sums of a product by differences; its versions are counted from what was found of them.
func MoveProduct(tx *sqlite.Tx, by snapshot.ProductFact) error {
	if _, err := tx.Exec(`INSERT INTO product_fact(product_id, installs, devices, stale, counted, folded, left_out,
			versions) VALUES (?, ?, ?, ?, ?, ?, ?, 0) ON CONFLICT DO UPDATE SET installs = installs + excluded.installs,
			devices = devices + excluded.devices, stale = stale + excluded.stale, counted = counted + excluded.counted,
			folded = folded + excluded.folded, left_out = left_out + excluded.left_out`, by.Product, by.Installs,
		by.Devices, by.Stale, by.Counted, by.Folded, by.LeftOut); err != nil {
		return err
	}
	if _, err := tx.Exec(`UPDATE product_fact SET versions = (SELECT count(DISTINCT version) FROM version_fact v
		WHERE v.product_id = product_fact.product_id) WHERE product_id = ?`, by.Product); err != nil {
		return err
	}
	_, err := tx.Exec(`DELETE FROM product_fact WHERE product_id = ? AND installs = 0 AND counted = 0 AND folded = 0
		AND left_out = 0`, by.Product)
	return err
}

func putProductFacts(tx *sqlite.Tx, products []snapshot.ProductFact) error {
	return tx.Replace(
		"product_fact",
		1,
		[]string{
			"product_id",
			"installs",
			"devices",
			"stale",
			"counted",
			"folded",
			"left_out",
			"versions",
		},
		len(products),
		func(i int) []any {
			d := products[i]
			return []any{d.Product, d.Installs, d.Devices, d.Stale, d.Counted, d.Folded, d.LeftOut, d.Versions}
		},
	)
}

var idleColumns = []string{
	"device_id",
	"product_id",
	"person_code",
	"class",
	"used",
	"measured",
	"last_use",
}

func idleValues(f *snapshot.IdleFact) []any {
	return []any{f.Device, f.Product, f.Person, f.Class, f.Used, f.Measured, int64(f.Last)}
}

const idleSelect = "SELECT device_id, product_id, person_code, class, used, measured, last_use FROM idle_fact"

// EachIdle walks the classes of use by device.
func EachIdle(tx *sqlite.Tx, fn func(snapshot.IdleFact) error) error {
	rows, err := tx.QueryContext(tx.Ctx, idleSelect+" ORDER BY device_id, product_id")
	if err != nil {
		return err
	}
	return eachIdle(rows, fn)
}

func eachIdle(rows *sql.Rows, fn func(snapshot.IdleFact) error) error {
	return sqlite.Each(rows, func() error {
		var f snapshot.IdleFact
		if err := rows.Scan(&f.Device, &f.Product, &f.Person, &f.Class, &f.Used, &f.Measured, &f.Last); err != nil {
			return err
		}
		return fn(f)
	})
}
