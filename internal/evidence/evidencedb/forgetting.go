package evidencedb

import (
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// Horizon is up to when what was is forgotten.
type Horizon struct {
	From int64     // seconds since 1970: what ended before, and what was said only of the time before
	Uses civil.Day // last uses before it, but for the last of each record
}

// lateScans is how many seconds longer scans are kept: where later ones had not come yet, what was known on a day that
// is kept rests on them.
const lateScans = 31 * 86400

// Forgotten counts what was forgotten.
type Forgotten struct{ Installs, Scans, Changes, Others int64 }

// Add counts what another was.
func (f *Forgotten) Add(g Forgotten) {
	f.Installs, f.Scans, f.Changes, f.Others = f.Installs+g.Installs, f.Scans+g.Scans, f.Changes+g.Changes,
		f.Others+g.Others
}

// old is a sort of rows that may be forgotten. With ?1 and ?2 as the numbers of the first and the last device, ?3 as
// the horizon and ?4 as that of scans, rows finds them as t; image is whether what one was, as it is remembered, is
// forgotten with it.
type old struct {
	table, keys, rows, image string
	of                       func(f *Forgotten) *int64
}

// newerScan holds for a scan where the same part was scanned later, before the horizon, and no interval of some
// tables begins with it that is kept: what scans say in whatever order they come rests on no other.
func newerScan(scans string, intervals ...string) string {
	text := "EXISTS (SELECT 1 FROM " + scans + " n WHERE n.device_id = t.device_id AND n.source_id = t.source_id " +
		"AND n.at > t.at AND n.at < ?4)"
	for _, table := range intervals {
		text += " AND NOT EXISTS (SELECT 1 FROM " + table + " i WHERE i.device_id = t.device_id AND i.since = t.at)"
	}
	return text
}

const (
	ended   = "t.until < ?3"
	uncut   = "t.until < ?3 AND NOT t.cut" // what was cut goes on once its list comes again
	endedOf = "json_extract(image, '$.until') < ?"
	atOf    = "json_extract(key, '$[2]') < ?"
)

// keysOf are columns of t.
func keysOf(columns string) string { return "t." + strings.ReplaceAll(columns, ", ", ", t.") }

func installsIn(f *Forgotten) *int64 { return &f.Installs }
func scansIn(f *Forgotten) *int64    { return &f.Scans }
func changesIn(f *Forgotten) *int64  { return &f.Changes }
func othersIn(f *Forgotten) *int64   { return &f.Others }

// oldRows are what is forgotten, intervals before the scans that they begin with.
var oldRows = []old{
	{"install", "device_id, source_id, record_id, place_id, since", uncut, endedOf, installsIn},
	{"device_file", "device_id, source_id, file_id, place_id, since", uncut, endedOf, othersIn},
	{"install_key", "device_id, source_id, record_id, key_id, since", uncut, "", othersIn},
	{"device_was", "device_id, until", ended, endedOf, othersIn},
	{"scan", "device_id, source_id, at", "t.at < ?4 AND " + newerScan("scan", "install", "install_key"), atOf, scansIn},
	{"fact_scan", "device_id, source_id, at",
		"t.at < ?4 AND " + newerScan("fact_scan", "hardware", "device_file"), atOf, scansIn},
	{"change_log", "id", "t.at < ?3", "", changesIn},
	{"logon", "device_id, person_code, at", "t.at < ?3 AND t.at < (SELECT max(n.at) FROM logon n WHERE n.device_id = " +
		"t.device_id) - 86400 * " + sqlite.Itoa(MainUserDays+1), "", othersIn},
}

// ForgetOf forgets what was on the devices from one number to another, both included.
func ForgetOf(tx *sqlite.Tx, first, last int64, h Horizon) (gone Forgotten, err error) {
	if err := forgetReports(tx, first, last, h.From, &gone); err != nil {
		return gone, err
	}
	for _, o := range oldRows {
		devices, err := sqlite.Select[int64](tx, "DELETE FROM "+o.table+" WHERE ("+o.keys+") IN (SELECT "+
			keysOf(o.keys)+" FROM device d CROSS JOIN "+o.table+" t ON t.device_id = d.id WHERE d.id BETWEEN ?1 "+
			"AND ?2 AND "+o.rows+") RETURNING device_id", first, last, h.From,
			h.From-lateScans)
		if err != nil {
			return gone, err
		}
		*o.of(&gone) += int64(len(devices))
		if o.image == "" {
			continue
		}
		for _, device := range stored.Distinct(devices) {
			if err := tx.ForgetJust(o.table, device, o.image, h.From); err != nil {
				return gone, err
			}
		}
	}
	return gone, forgetUses(tx, first, last, h, &gone)
}

// forgetUses forgets last uses, but for the last of each record on a device that every day since has.
func forgetUses(tx *sqlite.Tx, first, last int64, h Horizon, gone *Forgotten) error {
	devices, err := sqlite.Select[int64](tx, `DELETE FROM last_use AS t WHERE t.device_id BETWEEN ?1 AND ?2
		AND t.used_on < ?3 AND t.seen_on < ?3 AND EXISTS (SELECT 1 FROM last_use n WHERE n.device_id = t.device_id
			AND n.record_id = t.record_id AND n.used_on > t.used_on AND n.used_on <= ?4 AND n.seen_on < ?3)
		RETURNING device_id`,
		first, last, h.Uses, civil.OfUnix(h.From))
	if err != nil {
		return err
	}
	gone.Others += int64(len(devices))
	for _, device := range stored.Distinct(devices) {
		if err := tx.ForgetJust("last_use", device, "image IS NOT NULL AND json_extract(image, '$.used_on') < ? AND "+
			"json_extract(image, '$.seen_on') < ?", h.Uses, h.Uses); err != nil {
			return err
		}
	}
	return nil
}

// forgetReports forgets what sources reported of the hardware, but for the last report before the horizon of each
// fact: the next that differs from it is a change.
func forgetReports(tx *sqlite.Tx, first, last, from int64, gone *Forgotten) error {
	devices, err := sqlite.Select[int64](tx, `SELECT DISTINCT h.device_id FROM hardware h WHERE h.until < ?
		AND h.device_id BETWEEN ? AND ?`, from, first, last)
	if err != nil {
		return err
	}
	for _, device := range devices {
		reports, err := FactReports(tx, device)
		if err != nil {
			return err
		}
		slices.Reverse(reports) // the newest of each source comes first
		had := map[int64]map[string]bool{}
		dropped := false
		for _, r := range reports {
			if had[r.Source] == nil {
				had[r.Source] = map[string]bool{}
			}
			fresh := false
			for name := range r.Facts {
				if fresh = fresh || !had[r.Source][name]; r.Since < from {
					had[r.Source][name] = true
				}
			}
			if r.Until == evidence.Forever || r.Until >= from || fresh {
				continue
			}
			if _, err := tx.Exec("DELETE FROM hardware WHERE device_id = ? AND source_id = ? AND since = ? AND "+
				"until = ?", device, r.Source, r.Since, r.Until); err != nil {
				return err
			}
			gone.Others++
			dropped = true
		}
		if dropped {
			if err := tx.ForgetJust("hardware", device, endedOf, from); err != nil {
				return err
			}
		}
	}
	return nil
}

// ForgetNews forgets that there are changes to be sent of which none is on record.
func ForgetNews(tx *sqlite.Tx) error {
	_, err := tx.Exec("DELETE FROM change_news WHERE change_id NOT IN (SELECT id FROM change_log)")
	return err
}

// NextDevices is the last of the next devices after one, 0 where there is none.
func NextDevices(tx *sqlite.Tx, after int64, most int) (last int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT coalesce(max(id), 0) FROM (SELECT id FROM device WHERE id > ? "+
		"ORDER BY id LIMIT ?)", after, most).Scan(&last)
	return last, err
}

// WouldForget counts what would be forgotten of installs and changes with a horizon, up to a number of each.
func WouldForget(tx *sqlite.Tx, from int64, most int) (installs, changes, statements int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT
		(SELECT count(*) FROM (SELECT 1 FROM install WHERE until IS NOT NULL AND until < ?1 AND NOT cut LIMIT ?2)),
		(SELECT count(*) FROM (SELECT 1 FROM change_log WHERE at < ?1 LIMIT ?2)),
		(SELECT count(*) FROM statement WHERE at < ?1 AND mark > 0)`, from, most).
		Scan(&installs, &changes, &statements)
	return installs, changes, statements, err
}
