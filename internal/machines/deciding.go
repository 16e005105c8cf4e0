package machines

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/identity"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

// Act is what somebody decided at once, with what it says of records.
type Act struct {
	ID       int64
	Together bool
	Reason   string
	Author   string
	At       int64 // seconds since 1970
	EndedAt  int64 // when it was taken back, 0 where it holds
	EndedBy  string
	Records  []string // what it is about, in words
}

// Who says who decides, when and why.
type Who struct {
	Name   string
	Reason string
	At     int64 // seconds since 1970
}

// Join decides that devices are one machine, and returns the number of the act and the device that they are.
func (r *Room) Join(tx *sqlite.Tx, devices []int64, who Who) (act, device int64, err error) {
	slices.Sort(devices)
	devices = slices.Compact(devices)
	if len(devices) < 2 {
		return 0, 0, refuse.New("name two devices or more that are one machine")
	}
	if strings.TrimSpace(who.Reason) == "" {
		return 0, 0, refuse.New("say why they are one machine: somebody will ask")
	}
	var leads []*Record
	for _, d := range devices {
		lead, err := r.lead(tx, d)
		if err != nil {
			return 0, 0, err
		}
		leads = append(leads, lead)
	}
	if act, err = nextAct(tx); err != nil {
		return 0, 0, err
	}
	var ids []int64
	for _, b := range leads[1:] {
		ids = append(ids, b.ID)
	}
	// those of their records that were parted before are meant too
	parted, err := sqlite.Select[int64](tx, `WITH them AS (SELECT id FROM machine_record
			WHERE device_id IN (SELECT value FROM json_each(?)))
		SELECT d.a FROM machine_decision d JOIN them x ON x.id = d.a JOIN them y ON y.id = d.b
		WHERE d.ended_at = 0 AND d.together = 0
		UNION SELECT d.b FROM machine_decision d JOIN them x ON x.id = d.a JOIN them y ON y.id = d.b
		WHERE d.ended_at = 0 AND d.together = 0`, numbers(devices))
	if err != nil {
		return 0, 0, err
	}
	ids = append(ids, parted...)
	slices.Sort(ids)
	ids = slices.Compact(ids)
	for _, id := range ids {
		if id == leads[0].ID {
			continue
		}
		if err := decide(tx, act, leads[0].ID, id, true, who); err != nil {
			return 0, 0, err
		}
	}
	if _, err := r.settle(tx, "", append(ids, leads[0].ID)...); err != nil {
		return 0, 0, err
	}
	f, err := r.where(tx, leads[0].ID)
	if err != nil {
		return 0, 0, err
	}
	for _, b := range leads[1:] {
		other, err := r.where(tx, b.ID)
		if err != nil {
			return 0, 0, err
		}
		if other.Device != f.Device {
			return 0, 0, refuse.New("somebody decided that records of these are two machines: take that back first")
		}
	}
	return act, f.Device, nil
}

// Part decides that some records of a device are another machine than the rest, and returns the number of the act and
// the device that they are now.
func (r *Room) Part(tx *sqlite.Tx, device int64, records []int64, who Who) (act, other int64, err error) {
	if strings.TrimSpace(who.Reason) == "" {
		return 0, 0, refuse.New("say why they are two machines: somebody will ask")
	}
	if _, err := r.lead(tx, device); err != nil {
		return 0, 0, err
	}
	all, err := recordsWhere(tx, "r.device_id = ?", device)
	if err != nil {
		return 0, 0, err
	}
	var out, rest []*Record
	for _, rec := range all {
		if slices.Contains(records, rec.ID) {
			out = append(out, rec)
		} else {
			rest = append(rest, rec)
		}
	}
	if len(out) == 0 || len(rest) == 0 || len(out) != len(records) {
		return 0, 0, refuse.New("choose some of what is known as this device, and leave some")
	}
	if act, err = nextAct(tx); err != nil {
		return 0, 0, err
	}
	for _, a := range out {
		for _, b := range rest {
			if err := decide(tx, act, a.ID, b.ID, false, who); err != nil {
				return 0, 0, err
			}
		}
	}
	if _, err := r.settle(tx, "", out[0].ID, rest[0].ID); err != nil {
		return 0, 0, err
	}
	f, err := r.where(tx, out[0].ID)
	return act, f.Device, err
}

// TakeBack takes an act back: what it decided holds no more.
func (r *Room) TakeBack(tx *sqlite.Tx, act int64, who Who) error {
	records, err := sqlite.Select[int64](tx, `SELECT a FROM machine_decision WHERE act = ?1 AND ended_at = 0
		UNION SELECT b FROM machine_decision WHERE act = ?1 AND ended_at = 0`, act)
	if err != nil {
		return err
	}
	if len(records) == 0 {
		return sqlite.ErrNotFound
	}
	if _, err := tx.Exec("UPDATE machine_decision SET ended_at = ?, ended_by = ? WHERE act = ? AND ended_at = 0",
		who.At,
		who.Name, act); err != nil {
		return err
	}
	_, err = r.settle(tx, "", records...)
	return err
}

// Again settles everything anew, some records at a time, as after the house changed what joins by itself.
func (r *Room) Again(ctx context.Context, db *sqlite.DB) error {
	done := int64(0)
	for {
		more := false
		err := db.Update(ctx, func(tx *sqlite.Tx) error {
			list, err := sqlite.Select[int64](tx, `SELECT id FROM machine_record WHERE id > ? AND EXISTS (SELECT 1
				FROM machine_sign s JOIN machine_sign o ON o.value = s.value AND o.record_id <> s.record_id
				WHERE s.record_id = machine_record.id) ORDER BY id LIMIT 200`, done)
			if err != nil {
				return err
			}
			for _, id := range list {
				if _, err := r.settle(tx, "", id); err != nil {
					return err
				}
				done = id
			}
			more = len(list) == 200
			return nil
		})
		if err != nil || !more {
			return err
		}
	}
}

func nextAct(tx *sqlite.Tx) (int64, error) {
	list, err := sqlite.Select[int64](tx, "SELECT coalesce(max(act), 0) + 1 FROM machine_decision")
	return append(list, 1)[0], err
}

func decide(tx *sqlite.Tx, act, a, b int64, together bool, who Who) error {
	_, err := tx.Exec(`INSERT INTO machine_decision(a, b, together, reason, author, at, act)
		VALUES (?, ?, ?, ?, ?, ?, ?)`, a, b, together, strings.TrimSpace(who.Reason), who.Name, who.At, act)
	return err
}

// lead is the record that a device goes by; one that nobody noted yet is noted.
func (r *Room) lead(tx *sqlite.Tx, device int64) (*Record, error) {
	list, err := recordsWhere(tx, "r.device_id = ?", device)
	if err != nil {
		return nil, err
	}
	home := slices.IndexFunc(list, func(rec *Record) bool { return rec.Home == device })
	if home >= 0 {
		slices.SortFunc(list, order)
		return list[0], nil
	}
	type named struct{ Code, Name string }
	d, err := sqlite.Select[named](tx, "SELECT code, name FROM device WHERE id = ?", device)
	if err != nil {
		return nil, err
	}
	if len(d) == 0 {
		return nil, sqlite.ErrNotFound
	}
	rec := &Record{Machine: identity.Machine{Key: d[0].Code}, Device: device, Home: device, Listed: true}
	rec.Names = []string{d[0].Name}
	return rec, rec.put(tx)
}

// KeepDue notes devices of an older file. It says whether there are more.
func (r *Room) KeepDue(tx *sqlite.Tx, most int) (done int, more bool, err error) {
	list, err := sqlite.Select[int64](tx, "SELECT device_id FROM record_due ORDER BY device_id LIMIT ?", most)
	if err != nil {
		return 0, false, err
	}
	for _, d := range list {
		if _, err := tx.Exec("DELETE FROM record_due WHERE device_id = ?", d); err != nil {
			return 0, false, err
		}
		type said struct {
			Code, Name, Stated string
			At                 int64 `db:"listed_at"`
		}
		rows, err := sqlite.Select[said](tx, "SELECT code, name, stated, listed_at FROM device WHERE id = ?", d)
		if err != nil {
			return 0, false, err
		}
		if len(rows) == 0 {
			continue
		}
		row, facts := rows[0], map[string]string{}
		if row.Stated != "" {
			if err := json.Unmarshal([]byte(row.Stated), &facts); err != nil {
				return 0, false, fmt.Errorf("what lists say of %s: %w", row.Code, err)
			}
		}
		m := identity.Machine{Key: row.Code, First: row.At, Last: row.At}
		if name := cmp.Or(facts["name"], row.Name); name != "" {
			m.Names = []string{name}
		}
		if _, err := r.List(tx, d, m); err != nil {
			return 0, false, err
		}
	}
	left, err := sqlite.Select[bool](tx, "SELECT EXISTS (SELECT 1 FROM record_due)")
	return len(list), err == nil && left[0], err
}
