package machines

import (
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// deviceLists is the source of the operating systems that lists of devices name.
const deviceLists = "device lists"

// listed are the tables whose rows stand under a source, and used those that note of which record they come.
var (
	listed = []string{"install", "device_file", "install_key", "hardware", "scan", "fact_scan", "missing_part"}
	used   = []string{"logon", "last_use", "use_session", "process_event", "use_day", "use_seen"}
)

// follows are the tables whose rows follow a device into the one that it is counted as, each by its number; of picks
// for groups the number of the group.
var follows = []string{"assignment", "worklist_case", "left_out", "remark", "scan_order", "delivery"}

const picks = "group_pick"

// lay says that all that is known of some devices is going to be read and changed.
func lay(tx *sqlite.Tx, devices ...int64) error {
	if !tx.Previewed() {
		return nil
	}
	derived := []string{"device_was", "change_log", "device_fact", "dirty_device"}
	for _, table := range slices.Concat(listed, used, derived) {
		for _, d := range devices {
			if err := tx.LayRows(table, "device_id = ?", d); err != nil {
				return err
			}
		}
	}
	return nil
}

// goingUse is the use that goes from a device to another with a record: its first run, and the names of what was used.
type goingUse struct {
	first int64
	names []int64
}

// useOf reads the use of a record on a device; -1 is every record.
func useOf(tx *sqlite.Tx, device, origin int64) (u goingUse, err error) {
	const from = ` FROM (SELECT started_at AS at, name_id FROM use_session WHERE device_id = ?1 AND ?2 IN (-1, origin)
		UNION ALL SELECT at, name_id FROM process_event WHERE device_id = ?1 AND ?2 IN (-1, origin))`
	first, err := sqlite.Select[int64](tx, "SELECT coalesce(min(at), 0)"+from, device, origin)
	if err != nil || first[0] == 0 {
		return u, err
	}
	u.first = first[0]
	u.names, err = sqlite.Select[int64](tx, "SELECT DISTINCT name_id"+from, device, origin)
	return u, err
}

// left has the days of use that went worked out anew, where they came from too: those before the first run stay.
func (u goingUse) left(tx *sqlite.Tx, from, to int64) error {
	if u.first == 0 {
		return nil
	}
	zones, err := sqlite.Select[string](tx, "SELECT zone FROM use_zone WHERE device_id = ?", from)
	if err != nil {
		return err
	}
	zone := time.UTC
	if len(zones) > 0 {
		if zone, err = time.LoadLocation(zones[0]); err != nil {
			return err
		}
	}
	day := civil.Of(time.Unix(u.first, 0).In(zone))
	if _, err := tx.Exec("DELETE FROM use_day WHERE device_id = ? AND day >= ? AND name_id IN "+
		"(SELECT value FROM json_each(?))", from, day, numbers(u.names)); err != nil {
		return err
	}
	if _, err := tx.Exec("DELETE FROM use_seen WHERE device_id = ? AND day >= ?", from, day); err != nil {
		return err
	}
	if err := renewal.MarkUseDue(tx, from, u.first, 0); err != nil {
		return err
	}
	return renewal.MarkUseDue(tx, to, u.first, 0)
}

// NextDevice is the number of the next device, as SQL: that of one that counts as another is never given again.
const NextDevice = `(SELECT max(coalesce((SELECT max(id) FROM device), 0),
	coalesce((SELECT max(id) FROM joined_device), 0)) + 1)`

// addDevice adds a device that no list has.
func addDevice(tx *sqlite.Tx, code, name, kind string) (int64, error) {
	return tx.Insert(
		`INSERT INTO device(id, code, name, kind, environment, org_unit, site, country, ip_address, directory_path,
			primary_user, os_name, os_version, processors, cores, virtual_cores, core_factor, host_id, cluster, pinned,
			portable, status, last_scan, custom, hash, stated)
		VALUES (`+NextDevice+`, ?, ?, ?, 'production', '', '', '', '', '', '', '', '', 0, 0, 0, '', '', '', '', '', 'in_service', 0,
		'', x'', '')`,
		code,
		name,
		kind,
	)
}

// moveEvidence moves what a source said under one of its identifiers to another device. Nothing of it is changed.
func (r *Room) moveEvidence(tx *sqlite.Tx, rec *Record, to int64) error {
	from := rec.Device
	slot := int64(0)
	if rec.Source != "" {
		// what came by the house's device_id is of a record that uses it, and stands apart from any other
		taken, err := sqlite.Select[bool](tx, `SELECT EXISTS (SELECT 1 FROM machine_record WHERE device_id = ?1
			AND source = ?2 AND slot = 0 AND id <> ?3) OR NOT ?4 AND EXISTS (SELECT 1 FROM scan c WHERE c.device_id = ?1
			AND c.source_id IN (SELECT id FROM source WHERE name = ?2 AND slot = 0))`, to, rec.Source, rec.ID,
			(rec.Coded || rec.LetsName) && from == 0)
		if err != nil {
			return err
		}
		if taken[0] {
			slot = rec.ID
		}
	}
	if from == 0 {
		return rec.place(tx, to, slot)
	}
	if err := lay(tx, from, to); err != nil {
		return err
	}
	if rec.Source != "" {
		type part struct {
			ID   int64
			Part string
		}
		parts, err := sqlite.Select[part](tx,
			"SELECT id, part FROM source WHERE name = ? AND slot = ? AND part <> '#os'", rec.Source, rec.Slot)
		if err != nil {
			return err
		}
		for _, p := range parts {
			some, err := sqlite.Select[bool](
				tx,
				`SELECT EXISTS (SELECT 1 FROM scan WHERE device_id = ?1 AND source_id = ?2)
				OR EXISTS (SELECT 1 FROM fact_scan WHERE device_id = ?1 AND source_id = ?2)
				OR EXISTS (SELECT 1 FROM install WHERE device_id = ?1 AND source_id = ?2)
				OR EXISTS (SELECT 1 FROM missing_part WHERE device_id = ?1 AND source_id = ?2)`,
				from,
				p.ID,
			)
			if err != nil {
				return err
			}
			if !some[0] {
				continue
			}
			under, err := SourceIn(tx, rec.Source, p.Part, slot)
			if err != nil {
				return err
			}
			for _, table := range listed {
				if err := moveRows(tx, table, map[string]any{"device_id": to, "source_id": under},
					"{t}.device_id = ? AND {t}.source_id = ?", from, p.ID); err != nil {
					return err
				}
			}
		}
	}
	use, err := useOf(tx, from, rec.ID)
	if err != nil {
		return err
	}
	for _, table := range used {
		if err := moveRows(tx, table, map[string]any{"device_id": to}, "{t}.device_id = ? AND {t}.origin = ?", from,
			rec.ID); err != nil {
			return err
		}
	}
	if err := use.left(tx, from, to); err != nil {
		return err
	}
	return rec.place(tx, to, slot)
}

// putAway puts the device that a record is by itself away: it counts as another one from now on. It says whether it
// was there.
func (r *Room) putAway(tx *sqlite.Tx, rec *Record, into int64) (bool, error) {
	home := rec.Home
	there, err := sqlite.Select[int64](tx, "SELECT id FROM device WHERE id = ?", home)
	if err != nil {
		return false, err
	}
	if err := lay(tx, home, into); err != nil {
		return false, err
	}
	if len(there) == 0 {
		n, err := tx.Touched("UPDATE joined_device SET into_id = ?1 WHERE id = ?2 AND into_id <> ?1", into, home)
		if err != nil || n == 0 {
			return false, err
		}
		return false, follow(tx, home, into)
	}
	columns, err := deviceColumns(tx)
	if err != nil {
		return false, err
	}
	use, err := useOf(tx, home, -1)
	if err != nil {
		return false, err
	}
	for _, table := range used {
		if err := moveRows(tx, table, map[string]any{"device_id": into, "origin": rec.ID},
			"{t}.device_id = ? AND {t}.origin IN (0, ?)", home, rec.ID); err != nil {
			return false, err
		}
	}
	if use.first != 0 {
		if err := renewal.MarkUseDue(tx, into, use.first, 0); err != nil {
			return false, err
		}
	}
	for _, table := range follows {
		if _, err := tx.Exec("INSERT OR IGNORE INTO followed(tbl, row, home_id) SELECT ?, id, ?2 FROM "+table+
			" WHERE device_id = ?2", table, home); err != nil {
			return false, err
		}
	}
	if _, err := tx.Exec("INSERT OR IGNORE INTO followed(tbl, row, home_id) SELECT ?, group_id, ?2 FROM group_pick "+
		"WHERE device_id = ?2", picks, home); err != nil {
		return false, err
	}
	if _, err := tx.Exec("INSERT INTO joined_device("+columns+", into_id) SELECT "+columns+
		", ? FROM device WHERE id = ?", into, home); err != nil {
		return false, err
	}
	// away it has the code that is its own, whatever it was called while another record led it
	code, err := r.freeCode(tx, rec, home)
	if err != nil {
		return false, err
	}
	if _, err := tx.Exec("UPDATE joined_device SET code = ? WHERE id = ?", code, home); err != nil {
		return false, err
	}
	if err := follow(tx, home, into); err != nil {
		return false, err
	}
	// rows that followed this device before go on with it
	also, err := sqlite.Select[int64](tx, "SELECT id FROM joined_device WHERE into_id = ?", home)
	if err != nil {
		return false, err
	}
	for _, h := range also {
		if _, err := tx.Exec("UPDATE joined_device SET into_id = ? WHERE id = ?", into, h); err != nil {
			return false, err
		}
		if err := follow(tx, h, into); err != nil {
			return false, err
		}
	}
	return true, dropDevice(tx, home)
}

func deviceColumns(tx *sqlite.Tx) (string, error) {
	all, _, err := columnsOf(tx, "device")
	return strings.Join(all, ", "), err
}

// follow moves what belongs to a device that is put away to the one that it counts as.
func follow(tx *sqlite.Tx, home, into int64) error {
	for _, table := range follows {
		if _, err := tx.Exec("UPDATE OR IGNORE "+table+" SET device_id = ? WHERE id IN (SELECT row FROM followed "+
			"WHERE tbl = ? AND home_id = ?)", into, table, home); err != nil {
			return err
		}
	}
	type pick struct{ Group, Device int64 }
	list, err := sqlite.Select[pick](tx, `SELECT p.group_id AS "group", p.device_id AS device FROM group_pick p
		JOIN followed f ON f.tbl = ? AND f.row = p.group_id AND f.home_id = ?2
		WHERE p.device_id = ?2 OR p.device_id IN (SELECT into_id FROM joined_device WHERE id = ?2)`, picks, home)
	if err != nil {
		return err
	}
	for _, p := range list {
		if err := moveRows(tx, picks, map[string]any{"device_id": into}, "{t}.group_id = ? AND {t}.device_id = ?",
			p.Group, p.Device); err != nil {
			return err
		}
	}
	return nil
}

// restore brings a device back that was put away, with all that followed it. It says whether it was away.
func (r *Room) restore(tx *sqlite.Tx, device int64) (bool, error) {
	away, err := sqlite.Select[int64](tx, "SELECT into_id FROM joined_device WHERE id = ?", device)
	if err != nil || len(away) == 0 {
		return false, err
	}
	if err := lay(tx, device, away[0]); err != nil {
		return false, err
	}
	columns, err := deviceColumns(tx)
	if err != nil {
		return false, err
	}
	if _, err := tx.Exec("INSERT INTO device("+columns+") SELECT "+columns+" FROM joined_device WHERE id = ?",
		device); err != nil {
		return false, err
	}
	if err := follow(tx, device, device); err != nil {
		return false, err
	}
	if _, err := tx.Exec("DELETE FROM followed WHERE home_id = ?", device); err != nil {
		return false, err
	}
	_, err = tx.Exec("DELETE FROM joined_device WHERE id = ?", device)
	return true, err
}

// dropDevice takes a device out of the list, with what was worked out of it.
func dropDevice(tx *sqlite.Tx, device int64) error {
	if err := moveRowsAway(tx, device); err != nil {
		return err
	}
	for _, table := range []string{"device_fact", "group_member", "dirty_device", "change_log", "list_due", "use_zone",
		"use_lost", "use_due", "system_due", "record_due"} { // how its software was used goes when it is counted
		if _, err := tx.Exec("DELETE FROM "+table+" WHERE device_id = ?", device); err != nil {
			return err
		}
	}
	_, err := tx.Exec("DELETE FROM device WHERE id = ?", device)
	return err
}

// moveRowsAway forgets the operating systems that were worked out for a device.
func moveRowsAway(tx *sqlite.Tx, device int64) error {
	_, err := tx.Exec(
		"DELETE FROM install WHERE device_id = ? AND source_id IN (SELECT id FROM source WHERE part = '#os')",
		device,
	)
	return err
}
