package sqlite

import (
	"crypto/sha256"
	"encoding/json"
	"strings"
)

// Change says what a line did to what is stored.
type Change int

// The changes.
const (
	Same Change = iota
	Added
	Changed
)

// Upserter writes lines of one table by their key and notices which of them change nothing.
type Upserter struct {
	Tx             *Tx
	known          map[string]knownRow
	insert, update statement
	hashed         int
	Before         int // rows that were there at the beginning
}

type knownRow struct {
	id   int64
	hash string
}

// Upserter prepares writing to a table. keyExpr is the key as SQL; columns are written in order, of which the first
// hashed ones decide whether a line changed anything.
func (tx *Tx) Upserter(table, keyExpr string, hashed int, columns ...string) (*Upserter, error) {
	u := &Upserter{Tx: tx, known: map[string]knownRow{}, hashed: hashed}
	rows, err := tx.QueryContext(tx.Ctx, "SELECT id, hash, "+keyExpr+" FROM "+table)
	if err != nil {
		return nil, err
	}
	err = Each(rows, func() error {
		var k knownRow
		var hash []byte
		var key string
		if err := rows.Scan(&k.id, &hash, &key); err != nil {
			return err
		}
		k.hash = string(hash)
		u.known[key] = k
		return nil
	})
	if err != nil {
		return nil, err
	}
	u.Before = len(u.known)
	columns = append(columns, "hash")
	marks := strings.TrimSuffix(strings.Repeat("?, ", len(columns)), ", ")
	u.insert.text = "INSERT INTO " + table + "(" + strings.Join(columns, ", ") + ") VALUES (" + marks + ")"
	u.update.text = "UPDATE " + table + " SET " + strings.Join(columns, " = ?, ") + " = ? WHERE id = ?"
	return u, nil
}

// Numbered gives rows that are new their number by an expression of SQL.
func (u *Upserter) Numbered(expression string) {
	u.insert.text = strings.Replace(
		strings.Replace(u.insert.text, "(", "(id, ", 1),
		"VALUES (",
		"VALUES ("+expression+", ",
		1,
	)
}

// Known returns the number of the row with a key, or 0.
func (u *Upserter) Known(key string) int64 { return u.known[key].id }

// Put writes a line and returns its row's number and what changed.
func (u *Upserter) Put(key string, values ...any) (int64, Change, error) {
	return u.PutAs(key, values[:u.hashed], values)
}

// PutAs writes a line of which some values, which need not be columns, decide whether it changed anything.
func (u *Upserter) PutAs(key string, says, values []any) (int64, Change, error) {
	text, err := json.Marshal(says)
	if err != nil {
		return 0, Same, err
	}
	sum := sha256.Sum256(text)
	hash := string(sum[:16])
	values = append(values, []byte(hash))
	old, known := u.known[key]
	switch {
	case known && old.hash == hash:
		return old.id, Same, nil
	case known:
		_, err = u.update.exec(u.Tx, append(values, old.id)...)
		u.known[key] = knownRow{old.id, hash}
		return old.id, Changed, err
	}
	res, err := u.insert.exec(u.Tx, values...)
	if err != nil {
		return 0, Same, err
	}
	id, err := res.LastInsertId()
	u.known[key] = knownRow{id, hash}
	return id, Added, err
}

func Custom(m map[string]string) string {
	if len(m) == 0 {
		return ""
	}
	b, _ := json.Marshal(m)
	return string(b)
}

// Fields reads what Custom wrote.
func Fields(custom string) (map[string]string, error) {
	out := map[string]string{}
	if custom == "" {
		return out, nil
	}
	return out, json.Unmarshal([]byte(custom), &out)
}

// Numbers reads a table of names and numbers.
func (tx *Tx) Numbers(text string, args ...any) (map[string]int64, error) {
	rows, err := tx.QueryContext(tx.Ctx, text, args...)
	if err != nil {
		return nil, err
	}
	out := map[string]int64{}
	return out, Each(rows, func() error {
		var name string
		var id int64
		err := rows.Scan(&name, &id)
		out[name] = id
		return err
	})
}

// Numbered gives each distinct value of a table one number. What others number between two steps of a transaction it
// knows from then on; rows of such a table are never deleted.
type Numbered struct {
	tx     *Tx
	Known  map[string]int64
	insert statement
	later  string // reads what has a higher number
	newest int64
	step   int // for which it is known
}

func (tx *Tx) Numbered(keyExpr, table, columns, marks string) (*Numbered, error) {
	return tx.NumberedFrom(tx, keyExpr, table, columns, marks)
}

// NumberedFrom is Numbered by what another transaction sees, before the next step of this one begins.
func (tx *Tx) NumberedFrom(from *Tx, keyExpr, table, columns, marks string) (*Numbered, error) {
	n := &Numbered{tx: tx, Known: map[string]int64{}, step: tx.steps}
	n.insert.text = "INSERT INTO " + table + "(" + columns + ") VALUES (" + marks + ")"
	n.later = "SELECT " + keyExpr + ", id FROM " + table + " WHERE id > ?"
	return n, n.read(from)
}

// read reads what was numbered since it was read last.
func (n *Numbered) read(from *Tx) error {
	rows, err := from.QueryContext(from.Ctx, n.later, n.newest)
	if err != nil {
		return err
	}
	return Each(rows, func() error {
		var key string
		var id int64
		err := rows.Scan(&key, &id)
		n.Known[key], n.newest = id, max(n.newest, id)
		return err
	})
}

func (n *Numbered) Number(key string, values ...any) (int64, error) {
	if id, ok := n.Known[key]; ok {
		return id, nil
	}
	if n.step != n.tx.steps {
		if err := n.read(n.tx); err != nil {
			return 0, err
		}
		n.step = n.tx.steps
		if id, ok := n.Known[key]; ok {
			return id, nil
		}
	}
	res, err := n.insert.exec(n.tx, values...)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	n.Known[key], n.newest = id, max(n.newest, id)
	return id, err
}
