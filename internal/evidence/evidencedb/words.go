package evidencedb

import (
	"encoding/json"
	"maps"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/sqlite"
)

// Words lists what people say of a device by hand, and of devices that count as it, by field and day; only what holds,
// or all.
func Words(tx *sqlite.Tx, device int64, holding bool) ([]evidence.Word, error) {
	return sqlite.Select[evidence.Word](
		tx,
		`SELECT field, value, from_day AS "from", reason, author, at FROM device_word
		WHERE (device_id = ?1 OR device_id IN (SELECT id FROM joined_device WHERE into_id = ?1)) AND (holds = 1 OR ?2 = 0)
		ORDER BY field, from_day, at`,
		device,
		holding,
	)
}

// PutWord writes what somebody says of a device, as of a day that is today.
func PutWord(tx *sqlite.Tx, device int64, w evidence.Word, today civil.Day) error {
	if _, err := tx.Exec(`INSERT INTO device_word(device_id, field, from_day, value, reason, author, at)
		VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET value = excluded.value, reason = excluded.reason,
		author = excluded.author, at = excluded.at`, device, w.Field, w.From, w.Value, w.Reason, w.Author,
		w.At); err != nil {
		return err
	}
	if err := completeOf(tx, device); err != nil {
		return err
	}
	return holdWords(tx, device, today)
}

// DropWords takes away all that was said of a field of a device, and says how much that was.
func DropWords(tx *sqlite.Tx, device int64, field string) (int64, error) {
	return tx.Touched(`DELETE FROM device_word WHERE field = ?2 AND (device_id = ?1
		OR device_id IN (SELECT id FROM joined_device WHERE into_id = ?1))`, device, field)
}

func holdWords(tx *sqlite.Tx, device int64, today civil.Day) error {
	_, err := tx.Exec(`UPDATE device_word AS t SET holds = (t.from_day = (SELECT max(w.from_day) FROM device_word w
		WHERE w.device_id = t.device_id AND w.field = t.field AND w.from_day <= ?2)) WHERE t.device_id = ?1`, device, today)
	return err
}

// WordsDue lists devices of which a word holds from a day on that has come.
func WordsDue(tx *sqlite.Tx, today civil.Day) ([]int64, error) {
	return sqlite.Select[int64](
		tx,
		`SELECT DISTINCT t.device_id FROM device_word t WHERE t.holds = 0 AND t.from_day <= ?
		AND t.from_day > coalesce((SELECT max(w.from_day) FROM device_word w WHERE w.device_id = t.device_id
			AND w.field = t.field AND w.holds = 1), -1) ORDER BY 1`,
		today,
	)
}

// HoldDue lets the words of a device hold whose day has come.
func HoldDue(tx *sqlite.Tx, device int64, today civil.Day) error { return holdWords(tx, device, today) }

// completeOf takes into what lists say of a device what stands in its columns alone, as in a file of before or of a
// device that no list has: what is said by hand stands over it, and can be taken away again.
func completeOf(tx *sqlite.Tx, device int64) error {
	for _, table := range []string{"device", "joined_device"} {
		list, err := sqlite.Select[string](tx, "SELECT stated FROM "+table+" WHERE id = ?", device)
		if err != nil {
			return err
		}
		for _, text := range list {
			facts := evidence.Facts{}
			if text != "" {
				if err := json.Unmarshal([]byte(text), &facts); err != nil {
					return err
				}
			}
			if _, whole := facts["status"]; whole {
				continue
			}
			if err := complete(tx, table, device, facts); err != nil {
				return err
			}
		}
	}
	return nil
}

// column is a column of a device with its value.
type column struct {
	name  string
	value any
}

// withWords puts what was said by hand over what sources say.
func withWords(tx *sqlite.Tx, columns []column, words []evidence.Word) ([]column, error) {
	columns = slices.Clone(columns)
	put := func(name string, value any) {
		i := slices.IndexFunc(columns, func(c column) bool { return c.name == name })
		if i < 0 {
			columns = append(columns, column{name, value})
			return
		}
		columns[i].value = value
	}
	own := map[string]string{}
	latest := map[string]evidence.Word{}
	for _, w := range words { // of devices that count as one, what was said last
		if had, known := latest[w.Field]; known && had.At > w.At {
			continue
		}
		latest[w.Field] = w
	}
	for _, field := range slices.Sorted(maps.Keys(latest)) {
		w := latest[field]
		switch name, isOwn := strings.CutPrefix(field, evidence.OwnField); {
		case isOwn:
			own[name] = w.Value
		case field == "processors" || field == "cores" || field == "virtual_cores":
			n, err := strconv.ParseInt(w.Value, 10, 64)
			if err != nil {
				return nil, err
			}
			put(field, n)
		case field == "primary_user":
			who, err := countsAs(tx, w.Value)
			if err != nil {
				return nil, err
			}
			put(field, who)
		default:
			put(field, w.Value)
		}
	}
	if len(own) == 0 {
		return columns, nil
	}
	custom := map[string]string{}
	for _, c := range columns {
		if text, is := c.value.(string); is && c.name == "custom" {
			_ = json.Unmarshal([]byte(text), &custom) // empty where there are none
		}
	}
	for name, value := range own {
		if custom[name] = value; value == "" {
			delete(custom, name)
		}
	}
	put("custom", sqlite.Custom(custom))
	return columns, nil
}

// Sourced says what sources alone say of a device's facts, whatever was said by hand.
func Sourced(tx *sqlite.Tx, device int64) (map[string]string, error) {
	columns, _, err := columnsOf(tx, device, true, sameSystems)
	out := map[string]string{}
	for _, c := range columns {
		switch v := c.value.(type) {
		case string:
			out[c.name] = v
		case int64:
			out[c.name] = strconv.FormatInt(v, 10)
		}
	}
	return out, err
}

// PatchPast gives the states of a device that were kept, from a time on until another, another value of one field; the
// state at that time is kept first. What is no state that figures of the past depend on is left.
func PatchPast(tx *sqlite.Tx, device int64, field, value string, from, until int64) error {
	if !slices.Contains(pastFields, field) {
		return nil
	}
	all, err := sqlite.Select[string](tx, "SELECT name FROM pragma_table_info('device_was')")
	if err != nil {
		return err
	}
	others := slices.DeleteFunc(all, func(c string) bool { return c == "device_id" || c == "until" })
	columns := strings.Join(others, ", ")
	if _, err := tx.Exec("INSERT OR IGNORE INTO device_was(device_id, until, "+columns+") SELECT device_id, ?2, "+
		columns+" FROM device_was WHERE device_id = ?1 AND until > ?2 ORDER BY until LIMIT 1", device,
		from); err != nil {
		return err
	}
	_, err = tx.Exec(
		"UPDATE device_was SET "+field+" = ?4 WHERE device_id = ?1 AND until > ?2 AND until <= ?3",
		device,
		from,
		until,
		value,
	)
	return err
}

// pastFields are the fields by which figures of the past go.
var pastFields = []string{"kind", "environment", "org_unit", "site", "country", "primary_user", "status", "host_id",
	"cluster", "pinned", "portable", "core_factor", "processors", "cores", "virtual_cores"}

// KeptSince reports whether a state of a device was kept that held at a time and until after it.
func KeptSince(tx *sqlite.Tx, device, at int64) (bool, error) {
	list, err := sqlite.Select[bool](
		tx,
		"SELECT EXISTS (SELECT 1 FROM device_was WHERE device_id = ? AND until > ?)",
		device,
		at,
	)
	return err == nil && list[0], err
}

// CustomOfDevice reads the house's own fields of a device, as JSON.
func CustomOfDevice(tx *sqlite.Tx, device int64) (string, error) {
	list, err := sqlite.Select[string](tx, "SELECT custom FROM device WHERE id = ?", device)
	return append(list, "")[0], err
}

// CountsAs returns the device that a device counts as: itself, or the one that it was joined to.
func CountsAs(tx *sqlite.Tx, device int64) (int64, error) {
	list, err := sqlite.Select[int64](tx, "SELECT into_id FROM joined_device WHERE id = ? AND into_id <> 0", device)
	return append(list, device)[0], err
}

// Around lists the devices that run on some, that share a cluster with them, or that run in it.
func Around(tx *sqlite.Tx, codes []string) ([]string, error) {
	text, err := json.Marshal(codes)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[string](tx, `WITH them AS (SELECT code, cluster, host_id FROM device
			WHERE code IN (SELECT value FROM json_each(?))),
		same AS (SELECT code FROM device WHERE cluster <> '' AND cluster IN (SELECT cluster FROM them)
			UNION SELECT code FROM them UNION SELECT host_id FROM them WHERE host_id <> '')
		SELECT code FROM same UNION SELECT code FROM device WHERE host_id IN (SELECT code FROM same)`, string(text))
}

// OwnField is a field of the house's own that devices have, with the values that it has there, the most common first;
// of one with very many, none.
type OwnField struct {
	Name   string
	Values []string
}

// mostOwnValues is up to how many values of an own field are offered to choose from.
const mostOwnValues = 60

// OwnFields lists the fields of the house's own that devices have; hosting is a column of ours besides.
func OwnFields(tx *sqlite.Tx) ([]OwnField, error) {
	type row struct {
		Key, Value string
		N          int64
	}
	rows, err := sqlite.Select[row](tx, `SELECT j.key, j.value, sum(c.n) AS n
		FROM (SELECT custom, count(*) AS n FROM device WHERE custom <> '' GROUP BY custom) c, json_each(c.custom) j
		WHERE j.value <> '' AND j.key <> 'hosting' GROUP BY j.key, j.value ORDER BY j.key, n DESC, j.value`)
	out := []OwnField{}
	for _, r := range rows {
		if n := len(out); n == 0 || out[n-1].Name != r.Key {
			out = append(out, OwnField{Name: r.Key, Values: []string{}})
		}
		last := &out[len(out)-1]
		last.Values = append(last.Values, r.Value)
	}
	for i := range out {
		if len(out[i].Values) > mostOwnValues {
			out[i].Values = []string{}
		}
	}
	return out, err
}
