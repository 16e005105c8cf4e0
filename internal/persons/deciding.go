package persons

import (
	"slices"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

// Who says who decides, when and why.
type Who struct {
	Name   string
	Reason string
	At     int64 // seconds since 1970
}

// Join decides that names are one person, and returns the number of the act and the key that they count as. It holds
// against what was decided before.
func (r *Room) Join(tx *sqlite.Tx, keys []string, who Who) (act int64, person string, err error) {
	list, err := found(tx, keys, who, "name two names or more that are one person", "one person")
	if err != nil {
		return 0, "", err
	}
	if act, err = nextAct(tx); err != nil {
		return 0, "", err
	}
	ids := []int64{}
	for _, b := range list[1:] {
		ids = append(ids, b.ID)
	}
	// those of their names that were parted before are meant too
	parted, err := sqlite.Select[int64](tx, `WITH them AS (SELECT id FROM person_record WHERE counts_as IN (
			SELECT counts_as FROM person_record WHERE id IN (SELECT value FROM json_each(?))))
		SELECT d.a FROM person_decision d JOIN them x ON x.id = d.a JOIN them y ON y.id = d.b
		WHERE d.ended_at = 0 AND d.together = 0
		UNION SELECT d.b FROM person_decision d JOIN them x ON x.id = d.a JOIN them y ON y.id = d.b
		WHERE d.ended_at = 0 AND d.together = 0`, numbers(append(ids, list[0].ID)))
	if err != nil {
		return 0, "", err
	}
	ids = append(ids, parted...)
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		if id == list[0].ID {
			continue
		}
		if err := decide(tx, act, list[0].ID, id, true, who); err != nil {
			return 0, "", err
		}
	}
	if err := r.settle(tx, append(ids, list[0].ID)); err != nil {
		return 0, "", err
	}
	now, err := Find(tx, list[0].Key)
	if err != nil {
		return 0, "", err
	}
	return act, now.CountsAs, nil
}

// Apart decides that two people are not one, though their names are alike, and returns the number of the act.
func (r *Room) Apart(tx *sqlite.Tx, keys []string, who Who) (act int64, err error) {
	list, err := found(tx, keys, who, "name the two that are two people", "two people")
	if err != nil {
		return 0, err
	}
	if len(list) != 2 {
		return 0, refuse.New("name the two that are two people")
	}
	sides := [2][]*Record{}
	for i, rec := range list {
		if sides[i], err = Of(tx, rec.CountsAs); err != nil {
			return 0, err
		}
	}
	return r.apart(tx, sides[0], sides[1], who)
}

// Part decides that some of the names of a person are somebody else, and returns the number of the act and the key
// that they count as now.
func (r *Room) Part(tx *sqlite.Tx, person string, keys []string, who Who) (act int64, other string, err error) {
	if strings.TrimSpace(who.Reason) == "" {
		return 0, "", refuse.New("say why they are two people: somebody will ask")
	}
	all, err := Of(tx, person)
	if err != nil {
		return 0, "", err
	}
	var out, rest []*Record
	for _, rec := range all {
		if slices.Contains(keys, rec.Key) {
			out = append(out, rec)
		} else {
			rest = append(rest, rec)
		}
	}
	if len(out) == 0 || len(rest) == 0 || len(out) != len(keys) {
		return 0, "", refuse.New("choose some of the names of this person, and leave some")
	}
	if act, err = r.apart(tx, out, rest, who); err != nil {
		return 0, "", err
	}
	now, err := Find(tx, out[0].Key)
	if err != nil {
		return 0, "", err
	}
	return act, now.CountsAs, nil
}

func (r *Room) apart(tx *sqlite.Tx, one, other []*Record, who Who) (act int64, err error) {
	if act, err = nextAct(tx); err != nil {
		return 0, err
	}
	var ids []int64
	for _, a := range one {
		for _, b := range other {
			if err := decide(tx, act, a.ID, b.ID, false, who); err != nil {
				return 0, err
			}
			ids = append(ids, b.ID)
		}
		ids = append(ids, a.ID)
	}
	return act, r.settle(tx, ids)
}

// TakeBack takes an act back: what it decided holds no more.
func (r *Room) TakeBack(tx *sqlite.Tx, act int64, who Who) error {
	records, err := sqlite.Select[int64](tx, `SELECT a FROM person_decision WHERE act = ?1 AND ended_at = 0
		UNION SELECT b FROM person_decision WHERE act = ?1 AND ended_at = 0`, act)
	if err != nil {
		return err
	}
	if len(records) == 0 {
		return sqlite.ErrNotFound
	}
	if _, err := tx.Exec("UPDATE person_decision SET ended_at = ?, ended_by = ? WHERE act = ? AND ended_at = 0",
		who.At, who.Name, act); err != nil {
		return err
	}
	return r.settle(tx, records)
}

// SetMark says of all names of a person that one person uses them, that nobody in particular does, or neither.
func (r *Room) SetMark(tx *sqlite.Tx, person string, mark Mark) error {
	list, err := Of(tx, person)
	if err != nil {
		return err
	}
	if len(list) == 0 {
		return sqlite.ErrNotFound
	}
	var ids []int64
	for _, rec := range list {
		if _, err := tx.Exec("UPDATE person_record SET marked = ? WHERE id = ?", mark, rec.ID); err != nil {
			return err
		}
		ids = append(ids, rec.ID)
	}
	return r.settle(tx, ids)
}

// Again settles all names anew, as after the house changed what counts as one by itself.
func (r *Room) Again(tx *sqlite.Tx) error {
	list, err := recordsWhere(tx, "1")
	if err != nil {
		return err
	}
	return r.resolve(tx, list)
}

// found reads the records that a decision is about.
func found(tx *sqlite.Tx, keys []string, who Who, few, why string) ([]*Record, error) {
	keys = slices.Clone(keys)
	slices.Sort(keys)
	if keys = slices.Compact(keys); len(keys) < 2 {
		return nil, refuse.New(few)
	}
	if strings.TrimSpace(who.Reason) == "" {
		return nil, refuse.Errorf("say why they are %s: somebody will ask", why)
	}
	var list []*Record
	for _, key := range keys {
		rec, err := Find(tx, key)
		if err == sqlite.ErrNotFound {
			err = refuse.Errorf("nobody is known as %q", key)
		}
		if err != nil {
			return nil, err
		}
		list = append(list, rec)
	}
	return list, nil
}

func nextAct(tx *sqlite.Tx) (int64, error) {
	list, err := sqlite.Select[int64](tx, "SELECT coalesce(max(act), 0) + 1 FROM person_decision")
	return append(list, 1)[0], err
}

func decide(tx *sqlite.Tx, act, a, b int64, together bool, who Who) error {
	_, err := tx.Exec(`INSERT INTO person_decision(a, b, together, reason, author, at, act)
		VALUES (?, ?, ?, ?, ?, ?, ?)`, a, b, together, strings.TrimSpace(who.Reason), who.Name, who.At, act)
	return err
}
