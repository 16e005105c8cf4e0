package evidencedb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// PutGroup writes a group, a new one where its number is 0, and returns its number.
func PutGroup(tx *sqlite.Tx, g snapshot.DeviceGroup) (int64, error) {
	cond, err := json.Marshal(g.Condition)
	if err != nil {
		return 0, err
	}
	if g.ID == 0 {
		res, err := tx.Exec(
			"INSERT INTO device_group(name, note, condition, by_hand, author, at) VALUES (?, ?, ?, ?, ?, ?)",
			g.Name,
			g.Note,
			string(cond),
			g.ByHand,
			g.Author,
			g.At,
		)
		if err != nil {
			return 0, err
		}
		if g.ID, err = res.LastInsertId(); err != nil {
			return 0, err
		}
	} else {
		if err := tx.One("UPDATE device_group SET name = ?, note = ?, condition = ?, by_hand = ?, author = ?, at "+
			"= ? WHERE id = ?", g.Name, g.Note, string(cond), g.ByHand, g.Author, g.At, g.ID); err != nil {
			return 0, err
		}
	}
	if _, err := tx.Exec("DELETE FROM group_pick WHERE group_id = ?", g.ID); err != nil {
		return 0, err
	}
	for device, inside := range g.Picked {
		if _, err := tx.Exec("INSERT INTO group_pick(group_id, device_id, inside) VALUES (?, ?, ?)", g.ID, device,
			inside); err != nil {
			return 0, err
		}
	}
	return g.ID, nil
}

// DropGroup deletes a group.
func DropGroup(tx *sqlite.Tx, id int64) error {
	for _, text := range []string{"DELETE FROM group_pick WHERE group_id = ?",
		"DELETE FROM group_member WHERE group_id = ?", "DELETE FROM device_group WHERE id = ?"} {
		if _, err := tx.Exec(text, id); err != nil {
			return err
		}
	}
	return nil
}

// PutMembers replaces who is in which group.
func PutMembers(tx *sqlite.Tx, list []snapshot.Member) error {
	if _, err := tx.Exec("DELETE FROM group_member"); err != nil {
		return err
	}
	b, err := tx.Bulk(2, "INSERT INTO group_member(group_id, device_id)", "")
	if err != nil {
		return err
	}
	for _, m := range list {
		if err := b.Add(m.Group, m.Device); err != nil {
			return err
		}
	}
	return b.Flush()
}

// MembersDiffering lists the devices, of some, that are in other groups than a list says.
func MembersDiffering(tx *sqlite.Tx, devices []int64, list []snapshot.Member) ([]int64, error) {
	text, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	kept, err := sqlite.Query(tx, func(r *sql.Rows, m *snapshot.Member) error { return r.Scan(&m.Group, &m.Device) },
		"SELECT group_id, device_id FROM group_member WHERE device_id IN (SELECT value FROM json_each(?))",
		string(text))
	if err != nil {
		return nil, err
	}
	times := map[snapshot.Member]int{}
	for _, m := range list {
		times[m]++
	}
	for _, m := range kept {
		times[m]--
	}
	var out []int64
	for m, n := range times {
		if n != 0 {
			out = append(out, m.Device)
		}
	}
	return stored.Distinct(out), nil
}

// PutMembersOf replaces in which groups some devices are.
func PutMembersOf(tx *sqlite.Tx, devices []int64, list []snapshot.Member) error {
	text, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	return tx.ReplaceWhere("group_member", "device_id IN (SELECT value FROM json_each(?))", string(text), 2,
		[]string{"group_id", "device_id"}, len(list), func(i int) []any { return []any{list[i].Group, list[i].Device} })
}

// MembersOf lists the devices that are in a group.
func MembersOf(tx *sqlite.Tx, group int64) (map[int64]bool, error) {
	list, err := sqlite.Select[int64](tx, "SELECT device_id FROM group_member WHERE group_id = ?",
		group,
	)
	out := map[int64]bool{}
	for _, id := range list {
		out[id] = true
	}
	return out, err
}

// AllMembers lists who is in which group.
func AllMembers(tx *sqlite.Tx) ([]snapshot.Member, error) {
	return sqlite.Select[snapshot.Member](tx, `SELECT group_id AS "group", device_id AS
		device FROM group_member ORDER BY device_id, group_id`,
	)
}

// GroupAges counts the members of a group, those whose evidence is stale, and those never scanned.
func GroupAges(tx *sqlite.Tx, group int64) (members, stale, never int, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT count(*), coalesce(sum(f.age = 'stale'), 0), coalesce(sum(coalesce(f.age,
		'never') = 'never'), 0) FROM group_member m LEFT JOIN device_fact f ON f.device_id = m.device_id
		WHERE m.group_id = ?`, group).
		Scan(&members, &stale, &never)
	return members, stale, never, err
}

// DeviceCodes maps devices to their device_id.
func DeviceCodes(tx *sqlite.Tx) (map[int64]string, error) {
	rows, err := tx.QueryContext(tx.Ctx, "SELECT id, code FROM device")
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	return out, sqlite.Each(rows, func() error {
		var id int64
		var code string
		err := rows.Scan(&id, &code)
		out[id] = code
		return err
	})
}

// GroupsOf lists the groups, made by people, that a device is in.
func GroupsOf(tx *sqlite.Tx, device int64) ([]string, error) {
	out, err := sqlite.Select[string](tx,
		"SELECT g.name FROM group_member m JOIN device_group g ON g.id = m.group_id WHERE m.device_id = ? ORDER BY "+
			"g.name",
		device,
	)
	if out == nil {
		out = []string{}
	}
	return out, err
}

// DevicesWithoutFiles counts the devices in service of which no file is known.
func DevicesWithoutFiles(tx *sqlite.Tx) (n int, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT count(*) FROM device d WHERE d.status = 'in_service'
		AND NOT EXISTS (SELECT 1 FROM device_file t WHERE t.device_id = d.id AND t.until IS NULL)
		AND NOT EXISTS (SELECT 1 FROM install i JOIN record r ON r.id = i.record_id WHERE i.device_id = d.id
		AND i.until IS NULL AND r.file_name <> '')`).
		Scan(&n)
	return n, err
}
