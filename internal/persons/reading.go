package persons

import (
	"cmp"
	"encoding/json"
	"slices"

	"ensomet/internal/core/identity"
	"ensomet/internal/sqlite"
)

// Of lists the names of a person, those of lists first.
func Of(tx *sqlite.Tx, person string) ([]*Record, error) {
	list, err := recordsWhere(tx, "r.counts_as = ?", person)
	slices.SortFunc(list, func(a, b *Record) int {
		return cmp.Or(later(a.Listed, b.Listed), cmp.Compare(a.Key, b.Key))
	})
	return list, err
}

// Pair is two people who may be one, by the keys that stand for them, with what speaks for it and against it.
type Pair struct {
	A, B  string
	Waits bool
	Signs []identity.Sign
}

// Pairs lists people who may be one, those that wait for somebody first, and counts them.
func Pairs(tx *sqlite.Tx, most int) (list []Pair, total, waits int64, err error) {
	const from = ` FROM person_pair p JOIN person_record x ON x.id = p.a JOIN person_record y ON y.id = p.b
		WHERE x.counts_as <> y.counts_as`
	if err := tx.QueryRowContext(tx.Ctx, "SELECT count(*), coalesce(sum(p.waits), 0)"+from).Scan(&total,
		&waits); err != nil {
		return nil, 0, 0, err
	}
	type row struct {
		A, B  string
		Waits bool
		Signs string
	}
	rows, err := sqlite.Select[row](tx, "SELECT x.counts_as AS a, y.counts_as AS b, p.waits, p.signs"+from+
		" ORDER BY p.waits DESC, p.a, p.b LIMIT ?", most)
	for _, r := range rows {
		p := Pair{A: r.A, B: r.B, Waits: r.Waits}
		if err := json.Unmarshal([]byte(r.Signs), &p.Signs); err != nil {
			return nil, 0, 0, err
		}
		list = append(list, p)
	}
	return list, total, waits, err
}

// Act is what somebody decided at once, with the names that it is about.
type Act struct {
	ID       int64
	Together bool
	Reason   string
	Author   string
	At       int64 // seconds since 1970
	EndedAt  int64 // when it was taken back, 0 where it holds
	EndedBy  string
	Names    []string
}

// Acts lists the newest acts about a person, or about anybody where the key is empty.
func Acts(tx *sqlite.Tx, person string, most int) ([]Act, error) {
	type row struct {
		Act      int64
		Together bool
		Reason   string
		Author   string
		At       int64
		EndedAt  int64  `db:"ended_at"`
		EndedBy  string `db:"ended_by"`
	}
	rows, err := sqlite.Select[row](tx, `SELECT act, max(together) AS together, max(reason) AS reason,
		max(author) AS author, max(at) AS at, max(ended_at) AS ended_at, max(ended_by) AS ended_by FROM person_decision
		WHERE ?1 = '' OR act IN (SELECT d.act FROM person_decision d JOIN person_record r ON r.id IN (d.a, d.b)
			WHERE r.counts_as = ?1) GROUP BY act ORDER BY act DESC LIMIT ?2`, person, most)
	var out []Act
	for _, r := range rows {
		a := Act{ID: r.Act, Together: r.Together, Reason: r.Reason, Author: r.Author, At: r.At, EndedAt: r.EndedAt,
			EndedBy: r.EndedBy}
		if a.Names, err = sqlite.Select[string](tx, `SELECT key FROM person_record WHERE id IN (SELECT a FROM
			person_decision WHERE act = ?1 UNION SELECT b FROM person_decision WHERE act = ?1) ORDER BY key`,
			r.Act); err != nil {
			return nil, err
		}
		out = append(out, a)
	}
	return out, err
}

// As is whom a name counts as.
type As struct {
	Key    string
	Nobody bool // nobody in particular is behind it
}

// CountAs says of some names whom they count as; one that nobody has heard of counts as itself, and is not in it.
func CountAs(tx *sqlite.Tx, names []string) (map[string]As, error) {
	return asWhere(tx, "counts_as <> '' AND key IN (SELECT value FROM json_each(?))", texts(names))
}

// Others lists all names that count as another one, or behind which nobody in particular is.
func Others(tx *sqlite.Tx) (map[string]As, error) {
	return asWhere(tx, "(counts_as <> key OR nobody = 1) AND counts_as <> ''")
}

func asWhere(tx *sqlite.Tx, where string, args ...any) (map[string]As, error) {
	type row struct {
		Key, Is string
		Nobody  bool
	}
	list, err := sqlite.Select[row](tx, "SELECT key, counts_as AS \"is\", nobody FROM person_record WHERE "+where,
		args...)
	out := make(map[string]As, len(list))
	for _, r := range list {
		out[r.Key] = As{r.Is, r.Nobody}
	}
	return out, err
}
