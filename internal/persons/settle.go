// Package persons says which names are one person: those that lists of users have, and those that evidence has. The
// rules are those of core/identity. Nothing of the evidence is changed: names stay as they were said, and figures read
// them as the person that they count as.
package persons

import (
	"cmp"
	"encoding/json"
	"slices"

	"ensomet/internal/core/identity"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// JoinsNames is the setting by which names that are alike, with nothing against it, count as one person by themselves.
const JoinsNames = "join_people"

// Room settles names.
type Room struct {
	// MainUsers brings the main users of devices in line with who counts as whom.
	MainUsers func(tx *sqlite.Tx, devices []int64) error
}

// Where so many names are settled, and they are more than one of so many, all are settled at once: it costs less then.
const (
	wholeFrom  = 500
	wholeShare = 2
)

// Settle settles names that came, at most so many, and says whether there are more.
func (r *Room) Settle(tx *sqlite.Tx, most int) (done int, more bool, err error) {
	keys, err := sqlite.Select[string](tx, "SELECT key FROM person_heard ORDER BY key LIMIT ?", most)
	if err != nil || len(keys) == 0 {
		return 0, false, err
	}
	var ids []int64
	for _, key := range keys {
		rec, err := refresh(tx, key)
		if err != nil {
			return 0, false, err
		}
		ids = append(ids, rec.ID)
	}
	if _, err := tx.Exec("DELETE FROM person_heard WHERE key IN (SELECT value FROM json_each(?))",
		texts(keys)); err != nil {
		return 0, false, err
	}
	if err := r.settle(tx, ids); err != nil {
		return 0, false, err
	}
	more, err = Heard(tx)
	return len(keys), more, err
}

// Heard reports whether names came that are not settled yet.
func Heard(tx *sqlite.Tx) (bool, error) {
	list, err := sqlite.Select[bool](tx, "SELECT EXISTS (SELECT 1 FROM person_heard)")
	return err == nil && list[0], err
}

// settle says anew whom some records count as, and all that may be one with them.
func (r *Room) settle(tx *sqlite.Tx, ids []int64) error {
	if len(ids) >= wholeFrom {
		n, err := sqlite.Select[int](tx, "SELECT count(*) FROM person_record")
		if err != nil {
			return err
		}
		if len(ids)*wholeShare >= n[0] {
			return r.Again(tx)
		}
	}
	group, err := around(tx, ids)
	if err != nil {
		return err
	}
	list, err := recordsWhere(tx, "r.id IN (SELECT value FROM json_each(?))", numbers(group))
	if err != nil {
		return err
	}
	return r.resolve(tx, list)
}

// lead chooses the record that stands for a person: one of a list before others, of these one who is here, then by key,
// so that it is the same in any order.
func lead(members []*Record) *Record {
	return slices.MinFunc(members, func(a, b *Record) int {
		return cmp.Or(later(a.Listed, b.Listed), later(!a.Gone, !b.Gone), cmp.Compare(a.Key, b.Key))
	})
}

// later puts what is true first.
func later(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	}
	return 1
}

func (r *Room) resolve(tx *sqlite.Tx, list []*Record) error {
	said := make([]identity.Person, len(list))
	for i, rec := range list {
		said[i] = rec.said()
	}
	decisions, err := decisionsAmong(tx, list)
	if err != nil {
		return err
	}
	names, err := tx.Setting(JoinsNames)
	if err != nil {
		return err
	}
	res := identity.People(said, decisions, identity.Options{Names: names == "true"})
	var moved []move
	for _, members := range res.Members() {
		of := make([]*Record, len(members))
		for i, m := range members {
			of[i] = list[m]
		}
		first := lead(of)
		nobody := first.isNobody()
		for _, rec := range of {
			if rec.CountsAs == first.Key && rec.Nobody == nobody {
				continue
			}
			if _, err := tx.Exec("UPDATE person_record SET counts_as = ?, nobody = ? WHERE id = ?", first.Key, nobody,
				rec.ID); err != nil {
				return err
			}
			moved = append(moved, move{rec.Key, rec.CountsAs, first.Key, nobody})
		}
	}
	if err := putPairs(tx, list, &res); err != nil {
		return err
	}
	return r.follow(tx, moved)
}

// putPairs writes which of some records may be one person besides.
func putPairs(tx *sqlite.Tx, list []*Record, res *identity.Result) error {
	ids := make([]int64, len(list))
	for i, rec := range list {
		ids[i] = rec.ID
	}
	if _, err := tx.Exec(`DELETE FROM person_pair WHERE a IN (SELECT value FROM json_each(?1))
		OR b IN (SELECT value FROM json_each(?1))`, numbers(ids)); err != nil {
		return err
	}
	for _, p := range res.Pairs {
		signs, err := json.Marshal(res.Signs(p))
		if err != nil {
			return err
		}
		a, b := list[p.A].ID, list[p.B].ID
		if _, err := tx.Exec("INSERT OR IGNORE INTO person_pair(a, b, waits, signs) VALUES (?, ?, ?, ?)", min(a, b),
			max(a, b), p.Waits, string(signs)); err != nil {
			return err
		}
	}
	return nil
}

// move is a name that counts as somebody else than before. Was is empty for one that is new.
type move struct {
	key, was, is string
	nobody       bool
}

// follow lets figures and main users follow.
func (r *Room) follow(tx *sqlite.Tx, moved []move) error {
	var keys []string
	known := false
	for _, m := range moved {
		if m.was == "" && m.is == m.key && !m.nobody {
			continue // a name that is new and stands for itself is counted as it is
		}
		known = known || m.was != ""
		keys = append(keys, m.key, m.was, m.is)
	}
	if len(keys) == 0 {
		return nil
	}
	slices.Sort(keys)
	keys = slices.Compact(keys)
	devices, err := sqlite.Select[int64](tx, `SELECT id FROM device WHERE primary_user <> ''
			AND primary_user IN (SELECT value FROM json_each(?1))
		UNION SELECT device_id FROM logon WHERE person_code IN (SELECT value FROM json_each(?1))`, texts(keys))
	if err != nil {
		return err
	}
	if r.MainUsers != nil {
		if err := r.MainUsers(tx, devices); err != nil {
			return err
		}
	}
	if known {
		return renewal.Mark(tx, false)
	}
	return renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
}
