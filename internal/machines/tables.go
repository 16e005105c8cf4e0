package machines

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/identity"
	"ensomet/internal/sqlite"
)

// Record is what a source says of a machine under one identifier, and the device that it counts for.
type Record struct {
	ID int64
	identity.Machine
	Listed bool  // a list of devices names it: the house's own, or a directory
	Device int64 // that it counts for; 0 before it was settled
	Home   int64 // the device that it is by itself, 0 where it never was one
	Slot   int64 // of the sources under which its evidence stands
}

const recordColumns = "r.id, r.source, r.key, r.serial, r.maker, r.machine_id, r.directory_id, r.names, r.addresses, " +
	"r.ip, r.listed, r.coded, r.lets_name, r.first_at, r.last_at, r.device_id, r.home_id, r.slot"

func scanRecord(r *sql.Rows, v *Record) error {
	var names, addresses string
	if err := r.Scan(&v.ID, &v.Source, &v.Key, &v.Serial, &v.Maker, &v.MachineID, &v.DirectoryID, &names, &addresses,
		&v.IP, &v.Listed, &v.Coded, &v.LetsName, &v.First, &v.Last, &v.Device, &v.Home, &v.Slot); err != nil {
		return err
	}
	if err := json.Unmarshal([]byte(names), &v.Names); err != nil {
		return err
	}
	return json.Unmarshal([]byte(addresses), &v.Addresses)
}

func recordsWhere(tx *sqlite.Tx, where string, args ...any) ([]*Record, error) {
	list, err := sqlite.Query(tx, scanRecord, "SELECT "+recordColumns+" FROM machine_record r WHERE "+where+
		" ORDER BY r.id", args...)
	out := make([]*Record, len(list))
	for i := range list {
		out[i] = &list[i]
	}
	return out, err
}

// numbers writes numbers as JSON, for json_each.
func numbers(list []int64) string {
	b, _ := json.Marshal(list) // numbers can always be written
	return string(b)
}

func texts(list []string) string {
	if list == nil {
		list = []string{}
	}
	b, _ := json.Marshal(list) // texts can always be written
	return string(b)
}

// put writes a record and the values by which it is found.
func (r *Record) put(tx *sqlite.Tx) error {
	values := []any{
		r.Source,
		r.Key,
		r.Serial,
		r.Maker,
		r.MachineID,
		r.DirectoryID,
		texts(r.Names),
		texts(r.Addresses),
		r.IP,
		r.Listed,
		r.Coded,
		r.LetsName,
		r.First,
		r.Last,
		r.Device,
		r.Home,
		r.Slot,
	}
	if r.ID == 0 {
		id, err := tx.Insert(
			`INSERT INTO machine_record(source, key, serial, maker, machine_id, directory_id, names,
			addresses, ip, listed, coded, lets_name, first_at, last_at, device_id, home_id, slot)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			values...)
		if err != nil {
			return err
		}
		r.ID = id
	} else {
		if _, err := tx.Exec(`UPDATE machine_record SET source = ?, key = ?, serial = ?, maker = ?, machine_id = ?,
			directory_id = ?, names = ?, addresses = ?, ip = ?, listed = ?, coded = ?, lets_name = ?, first_at = ?,
			last_at = ?, device_id = ?, home_id = ?, slot = ? WHERE id = ?`, append(values, r.ID)...); err != nil {
			return err
		}
		if _, err := tx.Exec("DELETE FROM machine_sign WHERE record_id = ?", r.ID); err != nil {
			return err
		}
	}
	for _, v := range r.Values() {
		_, err := tx.Exec("INSERT OR IGNORE INTO machine_sign(value, record_id) VALUES (?, ?)", v, r.ID)
		if err != nil {
			return err
		}
	}
	return nil
}

// place writes where a record counts.
func (r *Record) place(tx *sqlite.Tx, device, slot int64) error {
	r.Device, r.Slot = device, slot
	return tx.One("UPDATE machine_record SET device_id = ?, slot = ? WHERE id = ?", device, slot, r.ID)
}

// justShared is how many carriers over the limit a value still leads one step.
const justShared = 4

// likeThese lists the records that carry a value that one of some records carries, these too, as far as the value says
// anything. A hardware address that machines with other serial numbers carry is that of a dock, which would lead from
// desk to desk through the whole house. With near, values that have just come to say nothing lead one step: what they
// said before is looked at again.
func likeThese(tx *sqlite.Tx, records []int64, near bool) ([]int64, error) {
	list, err := sqlite.Select[carried](tx, `SELECT s.value, s.record_id AS record, r.serial
		FROM machine_sign s JOIN machine_record r ON r.id = s.record_id
		WHERE s.value IN (SELECT value FROM machine_sign WHERE record_id IN (SELECT value FROM json_each(?)))
		ORDER BY s.value`, numbers(records))
	if err != nil {
		return nil, err
	}
	var out []int64
	for from := 0; from < len(list); {
		to := from + 1
		for to < len(list) && list[to].Value == list[from].Value {
			to++
		}
		carriers := list[from:to]
		from = to
		if identity.Shared(carriers[0].Value, len(carriers)) &&
			!(near && !identity.Shared(carriers[0].Value, len(carriers)-justShared)) {
			continue
		}
		if !near && strings.HasPrefix(carriers[0].Value, "a:") && severalSerials(carriers) {
			continue
		}
		for _, c := range carriers {
			out = append(out, c.Record)
		}
	}
	slices.Sort(out)
	return slices.Compact(out), nil
}

// carried is a value that a record carries, with the record's serial number.
type carried struct {
	Value  string
	Record int64
	Serial string
}

// severalSerials reports whether the carriers of a value have other serial numbers.
func severalSerials(carriers []carried) bool {
	first := ""
	for _, c := range carriers {
		switch s := identity.FoldSerial(c.Serial); {
		case s == "" || s == first:
		case first == "":
			first = s
		default:
			return true
		}
	}
	return false
}

// docks lists, of the hardware addresses that some records carry, those that say nothing of them, folded.
func docks(tx *sqlite.Tx, records []int64) (map[string]bool, error) {
	list, err := sqlite.Select[carried](tx, `SELECT s.value, s.record_id AS record, r.serial
		FROM machine_sign s JOIN machine_record r ON r.id = s.record_id
		WHERE s.value IN (SELECT value FROM machine_sign WHERE value LIKE 'a:%'
			AND record_id IN (SELECT value FROM json_each(?))) ORDER BY s.value`, numbers(records))
	out := map[string]bool{}
	for from := 0; from < len(list); {
		to := from + 1
		for to < len(list) && list[to].Value == list[from].Value {
			to++
		}
		if identity.Shared(list[from].Value, to-from) || severalSerials(list[from:to]) {
			out[strings.TrimPrefix(list[from].Value, "a:")] = true
		}
		from = to
	}
	return out, err
}

// decisionsOn reads the decisions that hold between some records, in the order in which they were taken.
func decisionsOn(tx *sqlite.Tx, records []int64) ([]identity.Decision, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *identity.Decision) error {
		var a, b int64
		err := r.Scan(&a, &b, &v.Together, &v.At)
		v.A, v.B = int(a), int(b)
		return err
	}, `SELECT a, b, together, id FROM machine_decision WHERE ended_at = 0
		AND a IN (SELECT value FROM json_each(?1)) AND b IN (SELECT value FROM json_each(?1)) ORDER BY id`,
		numbers(records))
}

// decidedWith lists the records that decisions tie to some records.
func decidedWith(tx *sqlite.Tx, records []int64) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT b FROM machine_decision WHERE ended_at = 0
		AND a IN (SELECT value FROM json_each(?1)) UNION SELECT a FROM machine_decision WHERE ended_at = 0
		AND b IN (SELECT value FROM json_each(?1))`, numbers(records))
}

// columnsOf lists the columns of a table and those of its key.
func columnsOf(tx *sqlite.Tx, table string) (all, key []string, err error) {
	type column struct {
		Name string
		Pk   int
	}
	list, err := sqlite.Select[column](tx, "SELECT name, pk FROM pragma_table_info(?)", table)
	for _, c := range list {
		all = append(all, c.Name)
		if c.Pk > 0 {
			key = append(key, c.Name)
		}
	}
	return all, key, err
}

// moveRows gives rows of a table other values in some columns. What would meet a row that is there stays where it is.
// Columns of a key are never written over: what the file remembers of a row goes by its key.
func moveRows(tx *sqlite.Tx, table string, set map[string]any, where string, args ...any) error {
	all, key, err := columnsOf(tx, table)
	if err != nil {
		return err
	}
	value := func(column string) string {
		if v, given := set[column]; given {
			return fmt.Sprint(v)
		}
		return "t." + column
	}
	var picked, same []string
	for _, c := range all {
		picked = append(picked, value(c))
	}
	for _, c := range key {
		same = append(same, "y."+c+" = "+value(c))
	}
	where = strings.ReplaceAll(where, "{t}", "t")
	if _, err := tx.Exec("INSERT OR IGNORE INTO "+table+"("+strings.Join(all, ", ")+") SELECT "+
		strings.Join(picked, ", ")+" FROM "+table+" t WHERE "+where, args...); err != nil {
		return err
	}
	// what has gone over is what stands there with the same values
	for _, c := range all {
		if !slices.Contains(key, c) {
			same = append(same, "y."+c+" IS "+value(c))
		}
	}
	_, err = tx.Exec("DELETE FROM "+table+" AS t WHERE "+where+" AND EXISTS (SELECT 1 FROM "+table+" y WHERE "+
		strings.Join(same, " AND ")+")", args...)
	return err
}

// SourceIn returns the number of a source's whole list, or of a part of it, in a slot.
func SourceIn(tx *sqlite.Tx, name, part string, slot int64) (int64, error) {
	list, err := sqlite.Select[int64](
		tx,
		"SELECT id FROM source WHERE name = ? AND part = ? AND slot = ?",
		name,
		part,
		slot,
	)
	if err != nil || len(list) > 0 {
		return append(list, 0)[0], err
	}
	var root int64
	if part != "" {
		if root, err = SourceIn(tx, name, "", slot); err != nil {
			return 0, err
		}
	}
	id, err := tx.Insert("INSERT INTO source(name, part, root, slot) VALUES (?, ?, ?, ?)", name, part, root, slot)
	if err != nil || part != "" {
		return id, err
	}
	_, err = tx.Exec("UPDATE source SET root = id WHERE id = ?", id)
	return id, err
}
