package store

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/condition"
)

// DeviceGroup is a group that people made.
type DeviceGroup struct {
	ID           int64
	Note, Author string
	At           int64
	condition.Set
}

// DeviceGroups lists the groups that people made, by name.
func (tx *Tx) DeviceGroups() ([]DeviceGroup, error) {
	list, err := query(tx, func(r *sql.Rows, g *DeviceGroup) error {
		var cond string
		if err := r.Scan(&g.ID, &g.Name, &g.Note, &cond, &g.ByHand, &g.Author, &g.At); err != nil {
			return err
		}
		g.Picked = map[int64]bool{}
		return json.Unmarshal([]byte(cond), &g.Condition)
	}, "SELECT id, name, note, condition, by_hand, author, at FROM device_group ORDER BY name")
	if err != nil {
		return nil, err
	}
	at := map[int64]int{}
	for i := range list {
		at[list[i].ID] = i
	}
	rows, err := tx.QueryContext(tx.ctx, "SELECT group_id, device_id, inside FROM group_pick")
	if err != nil {
		return nil, err
	}
	return list, each(rows, func() error {
		var group, device int64
		var inside bool
		err := rows.Scan(&group, &device, &inside)
		if i, ok := at[group]; ok {
			list[i].Picked[device] = inside
		}
		return err
	})
}

// PutGroup writes a group, a new one where its number is 0, and returns its number.
func (tx *Tx) PutGroup(g DeviceGroup) (int64, error) {
	cond, err := json.Marshal(g.Condition)
	if err != nil {
		return 0, err
	}
	if g.ID == 0 {
		res, err := tx.exec("INSERT INTO device_group(name, note, condition, by_hand, author, at) VALUES (?, ?, ?, ?, ?, ?)", g.Name, g.Note, string(cond), g.ByHand, g.Author, g.At)
		if err != nil {
			return 0, err
		}
		if g.ID, err = res.LastInsertId(); err != nil {
			return 0, err
		}
	} else {
		res, err := tx.exec("UPDATE device_group SET name = ?, note = ?, condition = ?, by_hand = ?, author = ?, at = ? WHERE id = ?", g.Name, g.Note, string(cond), g.ByHand, g.Author, g.At, g.ID)
		if err != nil {
			return 0, err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return 0, ErrNotFound
		}
	}
	if _, err := tx.exec("DELETE FROM group_pick WHERE group_id = ?", g.ID); err != nil {
		return 0, err
	}
	for device, inside := range g.Picked {
		if _, err := tx.exec("INSERT INTO group_pick(group_id, device_id, inside) VALUES (?, ?, ?)", g.ID, device, inside); err != nil {
			return 0, err
		}
	}
	return g.ID, nil
}

// DropGroup deletes a group.
func (tx *Tx) DropGroup(id int64) error {
	for _, text := range []string{"DELETE FROM group_pick WHERE group_id = ?", "DELETE FROM group_member WHERE group_id = ?", "DELETE FROM device_group WHERE id = ?"} {
		if _, err := tx.exec(text, id); err != nil {
			return err
		}
	}
	return nil
}

// Member says that a device is in a group.
type Member struct{ Group, Device int64 }

// PutMembers replaces who is in which group.
func (tx *Tx) PutMembers(list []Member) error {
	if _, err := tx.exec("DELETE FROM group_member"); err != nil {
		return err
	}
	b, err := tx.bulk(2, "INSERT INTO group_member(group_id, device_id)", "")
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

// MembersOf lists the devices that are in a group.
func (tx *Tx) MembersOf(group int64) (map[int64]bool, error) {
	list, err := query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT device_id FROM group_member WHERE group_id = ?", group)
	out := map[int64]bool{}
	for _, id := range list {
		out[id] = true
	}
	return out, err
}

// AllMembers lists who is in which group.
func (tx *Tx) AllMembers() ([]Member, error) {
	return query(tx, func(r *sql.Rows, v *Member) error { return r.Scan(&v.Group, &v.Device) }, "SELECT group_id, device_id FROM group_member ORDER BY device_id, group_id")
}

// GroupAges counts the members of a group, those whose evidence is stale, and those never scanned.
func (tx *Tx) GroupAges(group int64) (members, stale, never int, err error) {
	err = tx.QueryRowContext(tx.ctx, `SELECT count(*), coalesce(sum(f.age = 'stale'), 0), coalesce(sum(coalesce(f.age, 'never') = 'never'), 0) FROM group_member m LEFT JOIN device_fact f ON f.device_id = m.device_id WHERE m.group_id = ?`, group).Scan(&members, &stale, &never)
	return members, stale, never, err
}

// DevicesWith lists the devices on which a product is installed at a time.
func (tx *Tx) DevicesWith(product, at int64) (map[int64]bool, error) {
	list, err := query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, `SELECT DISTINCT i.device_id FROM recognition n JOIN install i ON i.record_id = n.record_id
		WHERE n.product_id = ?1 AND n.whole AND i.since <= ?2 AND (i.until IS NULL OR i.until > ?2)`, product, at)
	out := map[int64]bool{}
	for _, id := range list {
		out[id] = true
	}
	return out, err
}

// ProductNames names every product with its publisher.
func (tx *Tx) ProductNames() (map[int64]string, error) {
	rows, err := tx.QueryContext(tx.ctx, "SELECT id, name FROM product")
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	return out, each(rows, func() error {
		var id int64
		var name string
		err := rows.Scan(&id, &name)
		out[id] = name
		return err
	})
}

// DeviceCodes maps devices to their device_id.
func (tx *Tx) DeviceCodes() (map[int64]string, error) {
	rows, err := tx.QueryContext(tx.ctx, "SELECT id, code FROM device")
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	return out, each(rows, func() error {
		var id int64
		var code string
		err := rows.Scan(&id, &code)
		out[id] = code
		return err
	})
}

// GroupsOf lists the groups, made by people, that a device is in.
func (tx *Tx) GroupsOf(device int64) ([]string, error) {
	out, err := query(tx, func(r *sql.Rows, v *string) error { return r.Scan(v) }, "SELECT g.name FROM group_member m JOIN device_group g ON g.id = m.group_id WHERE m.device_id = ? ORDER BY g.name", device)
	if out == nil {
		out = []string{}
	}
	return out, err
}

// DevicesWithoutFiles counts the devices in service of which no file is known.
func (tx *Tx) DevicesWithoutFiles() (n int, err error) {
	err = tx.QueryRowContext(tx.ctx, `SELECT count(*) FROM device d WHERE d.status = 'in_service' AND NOT EXISTS (SELECT 1 FROM device_file t WHERE t.device_id = d.id AND t.until IS NULL)
		AND NOT EXISTS (SELECT 1 FROM install i JOIN record r ON r.id = i.record_id WHERE i.device_id = d.id AND i.until IS NULL AND r.file_name <> '')`).Scan(&n)
	return n, err
}
