package persons

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/identity"
	"ensomet/internal/sqlite"
)

// Mark is what somebody said of an account by hand.
type Mark string

// The marks; none leaves it to lists and to how the account is called.
const (
	Unmarked Mark = ""
	Somebody Mark = "person" // one person uses it
	Nobody   Mark = "nobody" // nobody in particular is behind it
)

// Record is what a list or evidence calls a person, and the one that it counts as.
type Record struct {
	ID          int64
	Key         string // the user_id, or the name as evidence has it
	Listed      bool   // a list of users has it
	Gone        bool   // the list says that he left
	DirectoryID string
	LogOns      []string
	Mail        string
	Account     string // person, shared or service, where a list says so
	Marked      Mark
	CountsAs    string // the key that stands for the person; empty before it was settled
	Nobody      bool   // nobody in particular is behind it
}

const recordColumns = "r.id, r.key, r.listed, r.gone, r.directory_id, r.log_ons, r.mail, r.account, r.marked, " +
	"r.counts_as, r.nobody"

func scanRecord(r *sql.Rows, v *Record) error {
	var logOns string
	err := r.Scan(&v.ID, &v.Key, &v.Listed, &v.Gone, &v.DirectoryID, &logOns, &v.Mail, &v.Account, &v.Marked,
		&v.CountsAs, &v.Nobody)
	v.LogOns = SplitNames(logOns)
	return err
}

// SplitNames reads log-on names that are separated by |.
func SplitNames(text string) []string {
	var out []string
	for name := range strings.SplitSeq(text, "|") {
		if name = strings.TrimSpace(name); name != "" {
			out = append(out, name)
		}
	}
	return out
}

func recordsWhere(tx *sqlite.Tx, where string, args ...any) ([]*Record, error) {
	list, err := sqlite.Query(tx, scanRecord, "SELECT "+recordColumns+" FROM person_record r WHERE "+where+
		" ORDER BY r.id", args...)
	out := make([]*Record, len(list))
	for i := range list {
		out[i] = &list[i]
	}
	return out, err
}

// Find returns the record with a key.
func Find(tx *sqlite.Tx, key string) (*Record, error) {
	list, err := recordsWhere(tx, "r.key = ?", key)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return list[0], nil
}

// said is what the rules look at.
func (r *Record) said() identity.Person {
	return identity.Person{
		Key: r.Key,
		PersonSigns: identity.PersonSigns{DirectoryID: r.DirectoryID, LogOns: r.LogOns,
			Mail: r.Mail},
	}
}

// isNobody reports whether nobody in particular is behind the account: what somebody marked goes before what a list
// says, and that before how it is called.
func (r *Record) isNobody() bool {
	switch {
	case r.Marked != Unmarked:
		return r.Marked == Nobody
	case r.Account != "":
		return r.Account != "person"
	}
	return identity.IsService(r.Key)
}

// numbers writes numbers as JSON, for json_each.
func numbers(list []int64) string {
	b, _ := json.Marshal(list) // numbers can always be written
	return string(b)
}

func texts(list []string) string {
	b, _ := json.Marshal(list) // texts can always be written
	return string(b)
}

// refresh brings a record in line with what the list of users says of its key; one that is not there is added.
func refresh(tx *sqlite.Tx, key string) (*Record, error) {
	type listed struct {
		Email, Status string
		DirectoryID   string `db:"directory_id"`
		LogOns        string `db:"log_ons"`
		Account       string
	}
	rows, err := sqlite.Select[listed](
		tx,
		"SELECT email, status, directory_id, log_ons, account FROM person WHERE code = ?",
		key,
	)
	if err != nil {
		return nil, err
	}
	had, err := recordsWhere(tx, "r.key = ?", key)
	if err != nil {
		return nil, err
	}
	r := &Record{Key: key}
	if len(had) > 0 {
		r = had[0]
	}
	if len(rows) > 0 {
		p := rows[0]
		r.Listed, r.Gone, r.DirectoryID, r.Mail, r.Account = true, p.Status == "left", p.DirectoryID, p.Email, p.Account
		r.LogOns = SplitNames(p.LogOns)
	}
	return r, r.put(tx)
}

// put writes a record and the values by which it is found.
func (r *Record) put(tx *sqlite.Tx) error {
	args := []any{r.Key, r.Listed, r.Gone, r.DirectoryID, strings.Join(r.LogOns, "|"), r.Mail, r.Account, r.Marked,
		r.CountsAs, r.Nobody}
	if r.ID == 0 {
		id, err := tx.Insert(
			`INSERT INTO person_record(key, listed, gone, directory_id, log_ons, mail, account, marked,
			counts_as, nobody) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			args...)
		if err != nil {
			return err
		}
		r.ID = id
	} else {
		if _, err := tx.Exec(`UPDATE person_record SET key = ?, listed = ?, gone = ?, directory_id = ?, log_ons = ?,
			mail = ?, account = ?, marked = ?, counts_as = ?, nobody = ? WHERE id = ?`, append(args, r.ID)...); err != nil {
			return err
		}
		if _, err := tx.Exec("DELETE FROM person_sign WHERE record_id = ?", r.ID); err != nil {
			return err
		}
	}
	said := r.said()
	for _, v := range said.Values() {
		if _, err := tx.Exec("INSERT OR IGNORE INTO person_sign(value, record_id) VALUES (?, ?)", v, r.ID); err != nil {
			return err
		}
	}
	return nil
}

// mostCarriers is how many records a value leads to: one that more carry says nothing.
const mostCarriers = 64

// around lists the records that may be one person with some, these too, whatever leads there: values that they carry,
// and what people decided.
func around(tx *sqlite.Tx, ids []int64) ([]int64, error) {
	known := make(map[int64]bool, len(ids))
	for _, id := range ids {
		known[id] = true
	}
	for next := ids; len(next) > 0; {
		found, err := sqlite.Select[int64](tx, `SELECT s.record_id FROM person_sign s WHERE s.value IN (
				SELECT value FROM person_sign WHERE record_id IN (SELECT value FROM json_each(?1)))
				AND (SELECT count(*) FROM (SELECT 1 FROM person_sign o WHERE o.value = s.value LIMIT ?2)) < ?2
			UNION SELECT b FROM person_decision WHERE ended_at = 0 AND a IN (SELECT value FROM json_each(?1))
			UNION SELECT a FROM person_decision WHERE ended_at = 0 AND b IN (SELECT value FROM json_each(?1))`,
			numbers(next), mostCarriers+1)
		if err != nil {
			return nil, err
		}
		next = nil
		for _, id := range found {
			if !known[id] {
				known[id] = true
				next = append(next, id)
			}
		}
	}
	return slices.Sorted(maps.Keys(known)), nil
}

// decisionsAmong reads the decisions that hold between some records, by their places in the list.
func decisionsAmong(tx *sqlite.Tx, list []*Record) ([]identity.Decision, error) {
	at := make(map[int64]int, len(list))
	ids := make([]int64, len(list))
	for i, r := range list {
		at[r.ID], ids[i] = i, r.ID
	}
	type row struct {
		ID, A, B int64
		Together bool
	}
	rows, err := sqlite.Select[row](tx, `SELECT id, a, b, together FROM person_decision WHERE ended_at = 0
		AND a IN (SELECT value FROM json_each(?1)) ORDER BY id`, numbers(ids))
	var out []identity.Decision
	for _, d := range rows {
		b, known := at[d.B]
		if !known {
			return nil, fmt.Errorf("decision %d leads to a record that is not looked at", d.ID)
		}
		out = append(out, identity.Decision{A: at[d.A], B: b, Together: d.Together, At: d.ID})
	}
	return out, err
}
