package store

import (
	"crypto/sha256"
	"database/sql"
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
	tx             *Tx
	known          map[string]knownRow
	insert, update *sql.Stmt
	touch          *sql.Stmt // what a line that changes nothing writes all the same
	hashed         int
	before         int // rows that were there at the beginning
}

type knownRow struct {
	id   int64
	hash string
}

// upserter prepares writing to a table. keyExpr is the key as SQL; columns are written in order, of which the first hashed ones decide whether a line changed anything.
func (tx *Tx) upserter(table, keyExpr string, hashed int, columns ...string) (*Upserter, error) {
	u := &Upserter{tx: tx, known: map[string]knownRow{}, hashed: hashed}
	rows, err := tx.QueryContext(tx.ctx, "SELECT id, hash, "+keyExpr+" FROM "+table)
	if err != nil {
		return nil, err
	}
	err = each(rows, func() error {
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
	u.before = len(u.known)
	columns = append(columns, "hash")
	marks := strings.TrimSuffix(strings.Repeat("?, ", len(columns)), ", ")
	if u.insert, err = tx.PrepareContext(tx.ctx, "INSERT INTO "+table+"("+strings.Join(columns, ", ")+") VALUES ("+marks+")"); err != nil {
		return nil, err
	}
	u.update, err = tx.PrepareContext(tx.ctx, "UPDATE "+table+" SET "+strings.Join(columns, " = ?, ")+" = ? WHERE id = ?")
	return u, err
}

// Known returns the number of the row with a key, or 0.
func (u *Upserter) Known(key string) int64 { return u.known[key].id }

// put writes a line and returns its row's number and what changed.
func (u *Upserter) put(key string, values ...any) (int64, Change, error) {
	text, err := json.Marshal(values[:u.hashed])
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
		_, err = u.update.ExecContext(u.tx.ctx, append(values, old.id)...)
		u.known[key] = knownRow{old.id, hash}
		return old.id, Changed, err
	}
	res, err := u.insert.ExecContext(u.tx.ctx, values...)
	if err != nil {
		return 0, Same, err
	}
	id, err := res.LastInsertId()
	u.known[key] = knownRow{id, hash}
	return id, Added, err
}

func custom(m map[string]string) string {
	if len(m) == 0 {
		return ""
	}
	b, _ := json.Marshal(m)
	return string(b)
}

// numbers reads a table of names and numbers.
func (tx *Tx) numbers(text string, args ...any) (map[string]int64, error) {
	rows, err := tx.QueryContext(tx.ctx, text, args...)
	if err != nil {
		return nil, err
	}
	out := map[string]int64{}
	return out, each(rows, func() error {
		var name string
		var id int64
		err := rows.Scan(&name, &id)
		out[name] = id
		return err
	})
}

// Numbered gives each distinct value of a table one number.
type Numbered struct {
	tx     *Tx
	known  map[string]int64
	insert *sql.Stmt
}

func (tx *Tx) numbered(keyExpr, table, columns, marks string) (*Numbered, error) {
	known, err := tx.numbers("SELECT " + keyExpr + ", id FROM " + table)
	if err != nil {
		return nil, err
	}
	stmt, err := tx.PrepareContext(tx.ctx, "INSERT INTO "+table+"("+columns+") VALUES ("+marks+")")
	return &Numbered{tx, known, stmt}, err
}

func (n *Numbered) number(key string, values ...any) (int64, error) {
	if id, ok := n.known[key]; ok {
		return id, nil
	}
	res, err := n.insert.ExecContext(n.tx.ctx, values...)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	n.known[key] = id
	return id, err
}
