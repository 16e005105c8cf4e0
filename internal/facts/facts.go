// Package facts has the derived rows that lists are served from: what is known of devices, raw names and products at a
// glance, and how what is counted is used.
package facts

import (
	"database/sql"
	"encoding/json"
	"errors"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Put replaces the derived rows that lists are served from.
func Put(
	tx *sqlite.Tx,
	devices []snapshot.DeviceFact,
	names []snapshot.NameFact,
	products []snapshot.ProductFact,
	idle []snapshot.IdleFact,
) error {
	return errors.Join(
		putDeviceFacts(tx, devices),
		putNameFacts(tx, names),
		putProductFacts(tx, products),
		putIdleFacts(tx, idle),
	)
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

func putDeviceFacts(tx *sqlite.Tx, devices []snapshot.DeviceFact) error {
	return tx.Replace(
		"device_fact",
		1,
		deviceFactColumns,
		len(devices),
		func(i int) []any { return deviceValues(&devices[i]) },
	)
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
	const those = "device_id IN (SELECT value FROM json_each(?))"
	last := len(deviceFactColumns) - 1
	if err := tx.ReplaceWhere("device_fact", those, string(list), 1, deviceFactColumns[:last], len(devices),
		func(i int) []any { return deviceValues(&devices[i])[:last] }); err != nil {
		return nil, err
	}
	if products, err = classedOtherwise(tx, string(list), idle, people); err != nil {
		return nil, err
	}
	return products, tx.ReplaceWhere("idle_fact", those, string(list), 2, idleColumns, len(idle),
		func(i int) []any { return idleValues(&idle[i]) })
}

// classedOtherwise lists the products of which the use on some devices is, or was, measured, and is not what is stored.
func classedOtherwise(tx *sqlite.Tx, devices string, idle []snapshot.IdleFact, people map[string]bool) (
	out []int64, err error) {
	stored := map[snapshot.DevicePair]snapshot.IdleFact{}
	rows, err := tx.QueryContext(tx.Ctx, idleSelect+" WHERE device_id IN (SELECT value FROM json_each(?))", devices)
	if err != nil {
		return nil, err
	}
	if err := eachIdle(rows, func(f snapshot.IdleFact) error {
		stored[snapshot.DevicePair{Device: f.Device, Product: f.Product}] = f
		return nil
	}); err != nil {
		return nil, err
	}
	for _, f := range idle {
		k := snapshot.DevicePair{Device: f.Device, Product: f.Product}
		if was := stored[k]; was != f {
			if people[was.Person], people[f.Person] = true, true; was.Measured > 0 || f.Measured > 0 {
				out = append(out, f.Product)
			}
		}
		delete(stored, k)
	}
	for _, f := range stored {
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

// PutName writes the sums of one raw name.
func PutName(tx *sqlite.Tx, n snapshot.NameFact) error {
	return tx.ReplaceWhere(
		"name_fact",
		"key = ?",
		n.Key,
		1,
		nameColumns,
		1,
		func(int) []any { return nameValues(&n) },
	)
}

// DropName deletes the sums of a raw name that no record has any more.
func DropName(tx *sqlite.Tx, key string) error {
	_, err := tx.Exec("DELETE FROM name_fact WHERE key = ?", key)
	return err
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

func putIdleFacts(tx *sqlite.Tx, idle []snapshot.IdleFact) error {
	return tx.Replace("idle_fact", 2, idleColumns, len(idle), func(i int) []any { return idleValues(&idle[i]) })
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
