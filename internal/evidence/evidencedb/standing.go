package evidencedb

import (
	"database/sql"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/counts"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// StoredLife is what the house says of a source, with who said it last. At is in seconds since 1970.
type StoredLife struct {
	evidence.SourceLife
	RetiredOn civil.Day
	Reason    string
	Author    string
	At        int64
}

// Lives reads what the house says of its sources, by their names. zone is the house's, in which days begin.
func Lives(tx *sqlite.Tx, zone *time.Location) (map[string]StoredLife, error) {
	list, err := sqlite.Query(tx, func(r *sql.Rows, v *StoredLife) error {
		var covers string
		err := r.Scan(&v.Name, &covers, &v.Trust, &v.Silent, &v.RetiredOn, &v.Reason, &v.Author, &v.At)
		v.Covers = KindsOf(covers)
		if v.RetiredOn.Known() {
			v.Retired = v.RetiredOn.Start(zone).Unix()
		}
		return err
	}, "SELECT name, covers, trust, silent_days, retired_on, reason, author, at FROM source_life")
	out := make(map[string]StoredLife, len(list))
	for _, v := range list {
		out[v.Name] = v
	}
	return out, err
}

// KindsOf reads kinds of evidence that are separated by |.
func KindsOf(text string) []evidence.Kind {
	var out []evidence.Kind
	for word := range strings.SplitSeq(text, "|") {
		if word != "" {
			out = append(out, evidence.Kind(word))
		}
	}
	return out
}

// KindWords writes kinds of evidence, separated by |.
func KindWords(list []evidence.Kind) string {
	words := make([]string, len(list))
	for i, k := range list {
		words[i] = string(k)
	}
	return strings.Join(words, "|")
}

// PutLife writes what the house says of a source.
func PutLife(tx *sqlite.Tx, l StoredLife) error {
	_, err := tx.Exec(
		`INSERT INTO source_life(name, covers, trust, silent_days, retired_on, reason, author, at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET covers = excluded.covers, trust = excluded.trust, silent_days = excluded.silent_days,
			retired_on = excluded.retired_on, reason = excluded.reason, author = excluded.author, at = excluded.at`,
		l.Name, KindWords(l.Covers), l.Trust, l.Silent, l.RetiredOn, l.Reason, l.Author, l.At)
	return err
}

// SeveralSources reports whether lists of several sources could meet on a device, or one is retired: elsewhere no list
// ends but by the next one.
func SeveralSources(tx *sqlite.Tx) (several bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT (SELECT count(*) FROM source WHERE part = '' AND name <> ?) > 1
		OR EXISTS (SELECT 1 FROM source_life WHERE retired_on > 0)`, systemLists).Scan(&several)
	return several, err
}

// listsOn reads what each source said of the software of a device: of whole lists those times that come after another
// one's last.
func listsOn(tx *sqlite.Tx, device int64, lives map[string]StoredLife) ([]evidence.List, error) {
	lists, err := sqlite.Query(tx, func(r *sql.Rows, v *evidence.List) error {
		return r.Scan(&v.Number, &v.Life.Name, &v.First, &v.Last)
	}, `SELECT w.id, w.name, min(c.at), max(c.at) FROM scan c JOIN source s ON s.id = c.source_id
		JOIN source w ON w.id = s.root WHERE c.device_id = ? GROUP BY w.id ORDER BY w.id`, device)
	if err != nil {
		return nil, err
	}
	for i := range lists {
		l := &lists[i]
		if life, said := lives[l.Life.Name]; said {
			l.Life = life.SourceLife
		}
		if len(lists) == 1 {
			break
		}
		earliest := evidence.Forever
		for k := range lists {
			if k != i {
				earliest = min(earliest, lists[k].Last)
			}
		}
		if l.Whole, err = sqlite.Select[int64](tx,
			"SELECT at FROM scan WHERE device_id = ? AND source_id = ? AND at > ? ORDER BY at",
			device, l.Number, earliest); err != nil {
			return nil, err
		}
	}
	return lists, nil
}

// cutTables are the tables whose rows end with the list that they stand in.
var cutTables = []string{"install", "device_file", "install_key"}

// EndLists ends the lists of a device that count no more at a time, and lets those go on that count again. It says
// whether anything changed. limit is the house's limit of freshness, in days.
func EndLists(tx *sqlite.Tx, device int64, lives map[string]StoredLife, limit int, now int64) (bool, error) {
	lists, err := listsOn(tx, device, lives)
	if err != nil {
		return false, err
	}
	ends := evidence.Endings(lists, limit)
	var next int64
	changed := false
	byName := map[string]evidence.Ending{} // of sources all of whose lists have ended
	going := map[string]bool{}
	for _, l := range lists {
		e, ended := ends[l.Number]
		if ended && e.At > now {
			if next == 0 || e.At < next {
				next = e.At
			}
			ended = false
		}
		for _, table := range cutTables {
			n, err := endRows(
				tx,
				table,
				device,
				e,
				ended,
				"source_id IN (SELECT id FROM source WHERE root = ? AND part <> '"+
					snapshot.SystemPart+"')",
				l.Number,
			)
			if err != nil {
				return false, err
			}
			changed = changed || n > 0
		}
		if !ended {
			going[l.Life.Name] = true
		} else if e.At > byName[l.Life.Name].At {
			byName[l.Life.Name] = e
		}
	}
	for _, l := range lists { // what a machine runs on stands once for each source, whatever that calls the machine
		e := byName[l.Life.Name]
		n, err := endRows(
			tx,
			"install",
			device,
			e,
			!going[l.Life.Name],
			"source_id IN (SELECT id FROM source WHERE "+
				"name = ? AND part = '"+snapshot.SystemPart+"')",
			l.Life.Name,
		)
		if err != nil {
			return false, err
		}
		changed = changed || n > 0
	}
	if next == 0 {
		_, err = tx.Exec("DELETE FROM list_due WHERE device_id = ?", device)
	} else {
		_, err = tx.Exec("INSERT INTO list_due(device_id, at) VALUES (?, ?) ON CONFLICT DO UPDATE SET at = excluded.at",
			device, next)
	}
	return changed, err
}

// endRows ends rows of a device, or lets those go on that had ended, and says how many changed.
func endRows(tx *sqlite.Tx, table string, device int64, e evidence.Ending, ended bool, of string, arg any) (int64,
	error) {
	if err := tx.LayRows(table, "device_id = ?", device); err != nil {
		return 0, err
	}
	if !ended {
		return tx.Touched(
			"UPDATE "+table+" SET until = NULL, cut = 0 WHERE device_id = ? AND cut <> 0 AND "+of,
			device,
			arg,
		)
	}
	return tx.Touched("UPDATE "+table+` SET until = max(since, ?), cut = ? WHERE device_id = ?
		AND (until IS NULL OR cut <> 0) AND (cut <> ? OR until IS NOT max(since, ?)) AND `+of, e.At, int(e.Why), device,
		int(e.Why), e.At, arg)
}

// DueLists lists devices of which a list ends by a time.
func DueLists(tx *sqlite.Tx, now int64, most int) ([]int64, error) {
	return sqlite.Select[int64](
		tx,
		"SELECT device_id FROM list_due WHERE at <= ? ORDER BY at, device_id LIMIT ?",
		now,
		most,
	)
}

// DevicesOfSource lists the devices that a source ever spoke of, or those of every source where name is empty and
// several sources spoke.
func DevicesOfSource(tx *sqlite.Tx, name string) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT DISTINCT c.device_id FROM scan c
		WHERE c.source_id IN (SELECT id FROM source WHERE name = ?) ORDER BY 1`, name)
}

// DeviceKindOf returns what kind of device one is.
func DeviceKindOf(tx *sqlite.Tx, device int64) (kind evidence.DeviceKind, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT kind FROM device WHERE id = ?", device).Scan(&kind)
	return kind, err
}

// SourceRow is a source with what came of it. Times are in seconds since 1970.
type SourceRow struct {
	Name     string
	Parts    string // of its list, separated by ", "
	Devices  int64  // that it ever spoke of
	Heard    int64  // its newest scan, 0 for none
	Installs int64  // that count, on devices in service
	Only     int64  // of these, the installs that no other source reports
	Ended    int64  // installs of its last lists that count no more
	Scans    int64
	Tokens   int64 // that let it send, and are not revoked
}

// SourceRows lists the sources.
func SourceRows(tx *sqlite.Tx) ([]SourceRow, error) {
	out, err := sqlite.Query(tx, func(r *sql.Rows, v *SourceRow) error {
		return r.Scan(&v.Name, &v.Parts, &v.Devices, &v.Heard, &v.Scans, &v.Tokens, &v.Ended)
	}, `WITH ended AS (SELECT s.name, count(*) AS ended FROM install i JOIN source s ON s.id = i.source_id
			WHERE i.cut <> 0 GROUP BY 1)
		SELECT n.name, coalesce((SELECT group_concat(part, ', ') FROM (SELECT DISTINCT part FROM source p
			WHERE p.name = n.name AND p.part <> '' AND p.part NOT LIKE '#%' ORDER BY part)), ''),
			coalesce((SELECT n FROM tally WHERE what = 'source devices: ' || n.name), 0),
			coalesce((SELECT n FROM tally WHERE what = 'source heard: ' || n.name), 0),
			coalesce((SELECT n FROM tally WHERE what = 'source scans: ' || n.name), 0),
			(SELECT count(*) FROM token t WHERE t.source = n.name AND t.revoked_at = 0),
			coalesce(e.ended, 0)
		FROM (SELECT name FROM source WHERE name <> '`+systemLists+`' UNION SELECT name FROM source_life) n
		LEFT JOIN ended e ON e.name = n.name ORDER BY n.name`)
	if err != nil {
		return nil, err
	}
	reported, err := tx.Numbers(`SELECT x.software, sum(x.installs) FROM sourced x JOIN device d ON d.id = x.device_id
		AND d.status = 'in_service' WHERE x.software <> '' GROUP BY 1`)
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	for i := range out {
		at[out[i].Name] = i
	}
	for together, n := range reported {
		names := strings.Split(together, counts.SourceSeparator)
		for _, name := range names {
			if i, known := at[name]; known {
				out[i].Installs += n
				if len(names) == 1 {
					out[i].Only += n
				}
			}
		}
	}
	return out, nil
}

// LookAgain has the lists of all devices of a source looked at again.
func LookAgain(tx *sqlite.Tx, name string) error {
	_, err := tx.Exec(`INSERT INTO list_due(device_id, at) SELECT DISTINCT c.device_id, 0 FROM scan c
		WHERE c.source_id IN (SELECT id FROM source WHERE name = ?) ON CONFLICT DO UPDATE SET at = 0`, name)
	return err
}

// EndedOn counts the installs on the devices of a source that count no more though their own lists have them.
func EndedOn(tx *sqlite.Tx, name string) (n int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT count(*) FROM install WHERE cut <> 0 AND device_id IN (SELECT c.device_id
		FROM scan c WHERE c.source_id IN (SELECT id FROM source WHERE name = ?))`, name).
		Scan(&n)
	return n, err
}

// ProductsBeside lists the products that are on devices of which a source spoke, or were.
func ProductsBeside(tx *sqlite.Tx, name string) ([]int64, error) {
	out, err := sqlite.Select[int64](tx, `SELECT DISTINCT n.product_id FROM recognition n WHERE n.product_id <> 0
		AND n.record_id IN (SELECT i.record_id FROM install i WHERE i.device_id IN (SELECT c.device_id FROM scan c
			WHERE c.source_id IN (SELECT id FROM source WHERE name = ?))) ORDER BY 1`, name)
	if out == nil {
		out = []int64{}
	}
	return out, err
}
