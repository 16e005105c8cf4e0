package titlesdb

import (
	"database/sql"
	"encoding/json"
	"errors"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Decide keeps a decision. One that holds takes the place of the earlier one about the same key, which stays on
// record; one that waits leaves it in force until it is signed off.
func Decide(tx *sqlite.Tx, d snapshot.Decided) (int64, error) {
	clear := "UPDATE decision SET withdrawn_at = ?, withdrawn_by = ?, ended_batch = ? WHERE key = ? AND withdrawn_at " +
		"IS NULL"
	if d.State == "waiting" {
		clear += " AND state = 'waiting'"
	}
	if _, err := tx.Exec(clear, d.At, d.Author, d.Batch, d.Key); err != nil {
		return 0, err
	}
	return tx.Insert(
		"INSERT INTO decision(key, product_id, edition, record_id, state, batch, author, at, note) VALUES (?, ?, ?, "+
			"?, ?, ?, ?, ?, ?)",
		d.Key,
		d.Product,
		d.Edition,
		d.Record,
		d.State,
		d.Batch,
		d.Author,
		d.At,
		d.Note,
	)
}

// WithdrawDecision takes the decisions about a key back. They stay on record.
func WithdrawDecision(tx *sqlite.Tx, key string, at int64, by string) error {
	return tx.One(
		"UPDATE decision SET withdrawn_at = ?, withdrawn_by = ? WHERE key = ? AND withdrawn_at IS NULL",
		at,
		by,
		key,
	)
}

// SignDecision makes a waiting decision hold, or refuses it.
func SignDecision(tx *sqlite.Tx, id, at int64, by string, agreed bool) (snapshot.Decided, error) {
	list, err := sqlite.Query(
		tx,
		snapshot.ScanDecided,
		snapshot.DecisionColumns+" WHERE id = ? AND state = 'waiting' AND withdrawn_at IS NULL",
		id,
	)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return snapshot.Decided{}, err
	}
	d := list[0]
	if !agreed {
		_, err := tx.Exec(
			"UPDATE decision SET state = 'refused', signed_by = ?, signed_at = ?, withdrawn_at = ?, withdrawn_by = ? "+
				"WHERE id = ?",
			by,
			at,
			at,
			by,
			id,
		)
		return d, err
	}
	if _, err := tx.Exec("UPDATE decision SET withdrawn_at = ?, withdrawn_by = ?, ended_batch = ? WHERE key = ? AND "+
		"state = 'holds' AND withdrawn_at IS NULL", at, by, d.Batch, d.Key); err != nil {
		return d, err
	}
	_, err = tx.Exec("UPDATE decision SET state = 'holds', signed_by = ?, signed_at = ? WHERE id = ?", by, at, id)
	return d, err
}

// Rekey gives a decision another key, where the way of making keys has changed.
func Rekey(tx *sqlite.Tx, id int64, key string) error {
	_, err := tx.Exec("UPDATE decision SET key = ? WHERE id = ?", key, id)
	return err
}

// NewBatch begins a batch of decisions that can be undone together.
func NewBatch(tx *sqlite.Tx, at int64, author, what string) (int64, error) {
	return tx.Insert("INSERT INTO batch(at, author, what) VALUES (?, ?, ?)", at, author, what)
}

// Batch is a batch of decisions.
type Batch struct {
	ID     int64
	At     int64
	Author string
	What   string
}

// LastBatch finds somebody's newest batch that is not undone.
func LastBatch(tx *sqlite.Tx, author string) (Batch, error) {
	var b Batch
	err := tx.QueryRowContext(tx.Ctx,
		"SELECT id, at, author, what FROM batch WHERE author = ? AND undone_at = 0 ORDER BY id DESC LIMIT 1", author).
		Scan(&b.ID, &b.At, &b.Author, &b.What)
	if errors.Is(err, sql.ErrNoRows) {
		err = sqlite.ErrNotFound
	}
	return b, err
}

// KeysOfBatch lists the names that a batch touched.
func KeysOfBatch(tx *sqlite.Tx, id int64) ([]string, error) {
	return sqlite.Select[string](tx,
		"SELECT DISTINCT key FROM decision WHERE batch = ?1 OR ended_batch = ?1 UNION SELECT key FROM name_later "+
			"WHERE batch = ?1",
		id,
	)
}

// UndoBatch takes a batch back: what it decided is withdrawn, and what it took the place of holds again. Where somebody
// has decided on the same name since, that goes on holding, and should it be undone, too, what held before both holds
// again.
func UndoBatch(tx *sqlite.Tx, id, at int64, by string) error {
	for _, text := range []string{
		"UPDATE decision SET withdrawn_at = ?2, withdrawn_by = ?3 WHERE batch = ?1 AND withdrawn_at IS NULL",
		`UPDATE decision SET ended_batch = (SELECT m.ended_batch FROM decision m WHERE m.batch = ?1
			AND m.key = decision.key AND m.state = decision.state AND m.ended_batch NOT IN (0, ?1))
		WHERE ended_batch = ?1 AND batch <> ?1 AND EXISTS (SELECT 1 FROM decision m WHERE m.batch = ?1
			AND m.key = decision.key AND m.state = decision.state AND m.ended_batch NOT IN (0, ?1))
			AND ?2 = ?2 AND ?3 = ?3`,
		"UPDATE decision SET ended_batch = 0 WHERE batch = ?1 AND ?2 = ?2 AND ?3 = ?3",
		`UPDATE decision SET withdrawn_at = NULL, withdrawn_by = '', ended_batch = 0 WHERE ended_batch = ?1
			AND batch <> ?1 AND NOT EXISTS (SELECT 1 FROM decision o WHERE o.key = decision.key
			AND o.state = decision.state AND o.withdrawn_at IS NULL) AND ?2 = ?2 AND ?3 = ?3`,
		"DELETE FROM name_later WHERE batch = ?1 AND ?2 = ?2 AND ?3 = ?3",
		"UPDATE left_out SET ended_at = ?2, ended_by = ?3 WHERE batch = ?1 AND ended_at = 0",
		"UPDATE batch SET undone_at = ?2, undone_by = ?3 WHERE id = ?1",
	} {
		if _, err := tx.Exec(text, id, at, by); err != nil {
			return err
		}
	}
	return nil
}

// PutLater sets a name aside until a day.
func PutLater(tx *sqlite.Tx, key string, record int64, until civil.Day, author string, at, batch int64) error {
	_, err := tx.Exec(
		"INSERT OR REPLACE INTO name_later(key, record_id, until_day, author, at, batch) VALUES (?, ?, ?, ?, ?, ?)",
		key,
		record,
		until,
		author,
		at,
		batch,
	)
	return err
}

// Later lists the names that are set aside, with the day until when.
func Later(tx *sqlite.Tx) (map[string]civil.Day, error) {
	out := map[string]civil.Day{}
	rows, err := tx.QueryContext(tx.Ctx, "SELECT key, until_day FROM name_later")
	if err != nil {
		return nil, err
	}
	return out, sqlite.Each(rows, func() error {
		var key string
		var until civil.Day
		err := rows.Scan(&key, &until)
		out[key] = until
		return err
	})
}

// LaterOf is the day until when a name is set aside, 0 where it is not.
func LaterOf(tx *sqlite.Tx, key string) (until civil.Day, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT coalesce(max(until_day), 0) FROM name_later WHERE key = ?", key).
		Scan(&until)
	return until, err
}

// KeptProposal is the first proposal for a name that nobody has recognised, kept until the catalogue changes.
type KeptProposal struct {
	Key             string
	Record, Product int64
	Edition         string
	Score           float64
	Gather          string
}

// Proposals reads the first proposals that were made for a state of the catalogue.
func Proposals(tx *sqlite.Tx, madeFor string) (map[string]KeptProposal, error) {
	list, err := sqlite.Select[KeptProposal](tx, `SELECT key, record_id AS record, product_id AS
		product, edition, score, gather FROM proposal WHERE made_for = ?`, madeFor)
	out := make(map[string]KeptProposal, len(list))
	for _, p := range list {
		out[p.Key] = p
	}
	return out, err
}

// PutProposals keeps proposals, and forgets those for earlier states of the catalogue.
func PutProposals(tx *sqlite.Tx, list []KeptProposal, madeFor string) error {
	if len(list) == 0 {
		return nil
	}
	if _, err := tx.Exec("DELETE FROM proposal WHERE made_for <> ?", madeFor); err != nil {
		return err
	}
	b, err := tx.Bulk(
		7,
		"INSERT OR REPLACE INTO proposal(key, record_id, product_id, edition, score, gather, made_for)",
		"",
	)
	if err != nil {
		return err
	}
	for _, p := range list {
		if err := b.Add(p.Key, p.Record, p.Product, p.Edition, p.Score, p.Gather, madeFor); err != nil {
			return err
		}
	}
	return b.Flush()
}

// QueueDay is how many names, and installs of theirs, nobody had recognised on a day.
type QueueDay struct {
	Day         civil.Day
	On          string
	Names       int64
	Installs    int64
	AllInstalls int64
}

// PutQueueDay keeps the state of a day; a later one of the same day takes its place.
func PutQueueDay(tx *sqlite.Tx, day civil.Day) error {
	_, err := tx.Exec(`INSERT OR REPLACE INTO queue_day(day, names, installs, all_installs)
		SELECT ?, count(*) FILTER (WHERE state IN ('unrecognised', 'later', 'waiting')
		AND installs > 0), coalesce(sum(installs) FILTER (WHERE state IN ('unrecognised', 'later', 'waiting')), 0),
		coalesce(sum(installs), 0) FROM name_fact`, day)
	return err
}

// QueueDays reads the last days of the queue, oldest first.
func QueueDays(tx *sqlite.Tx, since civil.Day) ([]QueueDay, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *QueueDay) error {
		err := r.Scan(&v.Day, &v.Names, &v.Installs, &v.AllInstalls)
		v.On = v.Day.String()
		return err
	}, "SELECT day, names, installs, all_installs FROM queue_day WHERE day >= ? ORDER BY day", since)
}

// DecidedSince counts the names that people decided since a time.
func DecidedSince(tx *sqlite.Tx, at int64) (n int64, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT count(DISTINCT key) FROM decision WHERE at >= ? AND (withdrawn_at IS NULL OR ended_batch <> 0)", at).
		Scan(&n)
	return n, err
}

// InstallsOfRecords counts the installs of some records that are there now, and those that were there at any time
// since another; each device and record once.
func InstallsOfRecords(tx *sqlite.Tx, records []int64, since int64) (now, ever int64, err error) {
	list, err := json.Marshal(records)
	if err != nil {
		return 0, 0, err
	}
	err = tx.QueryRowContext(tx.Ctx, `SELECT coalesce(sum(here), 0), count(*) FROM (SELECT max(until IS NULL) here
		FROM install
		WHERE record_id IN (SELECT value FROM json_each(?1)) AND (until IS NULL OR until > ?2)
		GROUP BY device_id, record_id)`, string(list), since).
		Scan(&now, &ever)
	return now, ever, err
}

// InstallsByRecord counts the devices that have each of some records now.
func InstallsByRecord(tx *sqlite.Tx, records []int64) (map[int64]int64, error) {
	list, err := json.Marshal(records)
	if err != nil {
		return nil, err
	}
	out := make(map[int64]int64, len(records))
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT record_id, count(DISTINCT device_id) FROM install WHERE record_id IN (SELECT value FROM "+
			"json_each(?)) AND until IS NULL GROUP BY record_id",
		string(list),
	)
	if err != nil {
		return nil, err
	}
	return out, sqlite.Each(rows, func() error {
		var id, n int64
		err := rows.Scan(&id, &n)
		out[id] = n
		return err
	})
}

// SetNameState writes the state of one name: as given, or where that is empty as its records say.
func SetNameState(tx *sqlite.Tx, key, state string) error {
	if err := tx.LayRows("name_fact", "key = ?", key); err != nil {
		return err
	}
	_, err := tx.Exec(
		`UPDATE name_fact SET state = CASE WHEN ?2 <> '' THEN ?2 ELSE coalesce((SELECT CASE WHEN max(product_id = 0
			AND not_software = 0) THEN 'unrecognised' WHEN max(step = 'decision') THEN 'decided'
		WHEN max(step = 'rule') THEN 'rule' ELSE 'recognised' END FROM recognition n
		WHERE n.key = name_fact.key), state) END WHERE key = ?1`,
		key,
		state,
	)
	return err
}

// NameCounts sums up the queue of names.
type NameCounts struct{ Open, OpenInstalls, Installs, Later, Waiting int64 }

// CountNames sums up the queue; names without installs are not waited for.
func CountNames(tx *sqlite.Tx) (c NameCounts, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT count(*) FILTER (WHERE state = 'unrecognised'
		AND installs > 0), coalesce(sum(installs) FILTER (WHERE state IN ('unrecognised', 'later', 'waiting')), 0),
		coalesce(sum(installs), 0),
		count(*) FILTER (WHERE state = 'later' AND installs > 0), count(*) FILTER (WHERE state = 'waiting')
		FROM name_fact`).
		Scan(&c.Open, &c.OpenInstalls, &c.Installs, &c.Later, &c.Waiting)
	return c, err
}

// NameSums are what is stored of a raw name that moves with devices.
type NameSums struct {
	Installs, Devices, Stale int64
	State                    string
	Money                    float64 // of its first proposal, in the currency of the house
	Findings                 int64
	Stored                   bool // false where nothing is
}

// SumsOfNames reads what is stored of raw names.
func SumsOfNames(tx *sqlite.Tx, keys []string) (map[string]NameSums, error) {
	list, err := json.Marshal(keys)
	if err != nil {
		return nil, err
	}
	out := make(map[string]NameSums, len(keys))
	rows, err := tx.QueryContext(tx.Ctx, "SELECT key, installs, devices, stale, state, money, findings FROM "+
		"name_fact WHERE key IN (SELECT value FROM json_each(?))", string(list))
	if err != nil {
		return nil, err
	}
	return out, sqlite.Each(rows, func() error {
		var key string
		s := NameSums{Stored: true}
		err := rows.Scan(&key, &s.Installs, &s.Devices, &s.Stale, &s.State, &s.Money, &s.Findings)
		out[key] = s
		return err
	})
}

// PutSumsOfName writes how often a raw name is installed, and what follows if its first proposal is right.
func PutSumsOfName(tx *sqlite.Tx, key string, s NameSums) error {
	_, err := tx.Exec(
		"UPDATE name_fact SET installs = ?, devices = ?, stale = ?, money = ?, findings = ? WHERE key = ?",
		s.Installs,
		s.Devices,
		s.Stale,
		s.Money,
		s.Findings,
		key,
	)
	return err
}

// MarkNames notes that the sums of raw names are to be made anew.
func MarkNames(tx *sqlite.Tx, keys []string) error {
	list, err := json.Marshal(keys)
	if err != nil {
		return err
	}
	_, err = tx.Exec("INSERT OR IGNORE INTO dirty_name(key) SELECT value FROM json_each(?)", string(list))
	return err
}

// MarkedNames lists raw names whose sums are to be made anew, the first of them.
func MarkedNames(tx *sqlite.Tx, most int) ([]string, error) {
	return sqlite.Select[string](tx, "SELECT key FROM dirty_name ORDER BY key LIMIT ?", most)
}

// TakeMarkedNames lists those of some raw names whose sums are to be made anew, in order, and forgets that.
func TakeMarkedNames(tx *sqlite.Tx, keys []string) ([]string, error) {
	list, err := json.Marshal(keys)
	if err != nil {
		return nil, err
	}
	out, err := sqlite.Select[string](tx,
		"DELETE FROM dirty_name WHERE key IN (SELECT value FROM json_each(?)) RETURNING key", string(list))
	slices.Sort(out)
	return out, err
}

// OpenNames lists the raw names that nobody has recognised, and those that were set aside or wait for somebody.
func OpenNames(tx *sqlite.Tx) ([]string, error) {
	return sqlite.Select[string](tx, "SELECT key FROM name_fact WHERE state IN ('unrecognised', 'later', 'waiting') "+
		"ORDER BY key")
}

// ProposalsFor reads the first proposals that were made for names and a state of the catalogue.
func ProposalsFor(tx *sqlite.Tx, keys []string, madeFor string) (map[string]KeptProposal, error) {
	text, err := json.Marshal(keys)
	if err != nil {
		return nil, err
	}
	list, err := sqlite.Select[KeptProposal](tx, `SELECT key, record_id AS record, product_id AS product, edition,
		score, gather FROM proposal WHERE key IN (SELECT value FROM json_each(?)) AND made_for = ?`, string(text),
		madeFor)
	out := make(map[string]KeptProposal, len(list))
	for _, p := range list {
		out[p.Key] = p
	}
	return out, err
}

// StatesByPeople are the states of names that recognition alone does not tell: waiting for a second person, or set
// aside on a day. Those that are neither have none.
func StatesByPeople(tx *sqlite.Tx, keys []string, today civil.Day) (map[string]string, error) {
	list, err := json.Marshal(keys)
	if err != nil {
		return nil, err
	}
	rows, err := tx.QueryContext(tx.Ctx, `SELECT key, 'later' FROM name_later WHERE until_day > ?2
			AND key IN (SELECT value FROM json_each(?1))
		UNION ALL SELECT key, 'waiting' FROM decision WHERE state = 'waiting' AND withdrawn_at IS NULL
			AND key IN (SELECT value FROM json_each(?1))`, string(list), today)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	return out, sqlite.Each(rows, func() error {
		var key, state string
		err := rows.Scan(&key, &state)
		out[key] = state
		return err
	})
}
