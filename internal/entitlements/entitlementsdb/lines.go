// Package entitlementsdb has the tables of lines, transactions, contracts, seats and keys.
package entitlementsdb

import (
	"database/sql"
	"errors"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// EntitlementValues reads a line as a line of entitlements.csv, by column, with its number and when it was last
// changed.
func EntitlementValues(tx *sqlite.Tx, code string) (values map[string]string, id, changedAt int64, err error) {
	list, err := stored.EntitlementByCode(tx, code)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return nil, 0, 0, err
	}
	values = map[string]string{}
	for i, text := range list[0].Texts() {
		values[formats.Entitlements.Columns[i]] = text
	}
	return values, list[0].ID, list[0].ChangedAt, nil
}

// LineChange is a value of an entitlement that somebody changed.
type LineChange struct {
	Field  string
	Was    string
	Is     string
	At     int64
	Author string
}

// AddLineChange keeps a change.
func AddLineChange(tx *sqlite.Tx, line int64, c LineChange) error {
	_, err := tx.Exec(
		"INSERT INTO entitlement_change(entitlement_id, field, was, is_now, at, author) VALUES (?, ?, ?, ?, ?, ?)",
		line,
		c.Field,
		c.Was,
		c.Is,
		c.At,
		c.Author,
	)
	return err
}

// LineChanges reads what was changed of a line, the newest first.
func LineChanges(tx *sqlite.Tx, line int64) ([]LineChange, error) {
	return sqlite.Select[LineChange](tx, `SELECT field, was, is_now AS "is", at, author
		FROM entitlement_change WHERE entitlement_id = ? ORDER BY id DESC LIMIT 200`,
		line,
	)
}

// Withdraw takes a line that was booked by mistake out of the rights. It stays in the file.
func Withdraw(tx *sqlite.Tx, line, at int64) error {
	if err := tx.One(
		"UPDATE entitlement SET withdrawn_at = ?, hash = x'' WHERE id = ? AND withdrawn_at = 0",
		at,
		line,
	); err != nil {
		return err
	}
	return stored.TouchLine(tx, line)
}

// LineNote is a note on an entitlement.
type LineNote struct {
	ID     int64
	Text   string
	Author string
	At     int64
}

// LineNotes reads the notes on a line, the newest first.
func LineNotes(tx *sqlite.Tx, line int64) ([]LineNote, error) {
	return sqlite.Select[LineNote](tx, `SELECT id, text, author, at FROM remark WHERE
		entitlement_id = ? AND dropped_at = 0 ORDER BY id DESC`,
		line,
	)
}

// AddLineNote writes a note on a line.
func AddLineNote(tx *sqlite.Tx, line int64, n LineNote) error {
	_, err := tx.Exec(
		"INSERT INTO remark(product_id, entitlement_id, text, author, at) VALUES (0, ?, ?, ?, ?)",
		line,
		n.Text,
		n.Author,
		n.At,
	)
	return err
}

// Proof is a file that proves a right. SHA256 is in hexadecimal digits.
type Proof struct {
	ID       int64
	Line     int64
	Contract string
	Name     string
	Size     int64
	SHA256   string
	Author   string
	At       int64
}

// AddProof keeps a file. The same file for the same line is kept once.
func AddProof(tx *sqlite.Tx, p Proof, content []byte) error {
	_, err := tx.Exec(
		`INSERT INTO proof(entitlement_id, contract, name, size, sha256, content, author, at)
			SELECT ?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8
		WHERE NOT EXISTS (SELECT 1 FROM proof WHERE entitlement_id = ?1 AND contract = ?2 AND sha256 = ?5
		AND dropped_at = 0)`,
		p.Line,
		p.Contract,
		p.Name,
		p.Size,
		p.SHA256,
		content,
		p.Author,
		p.At,
	)
	return err
}

// Proofs reads what proves a line.
func Proofs(tx *sqlite.Tx, line int64) ([]Proof, error) {
	return sqlite.Select[Proof](tx, `SELECT id, entitlement_id AS line, contract,
		name, size, sha256, author, at FROM proof WHERE entitlement_id = ? AND dropped_at = 0 ORDER BY id`, line)
}

// ProofContent reads a file.
func ProofContent(tx *sqlite.Tx, id int64) (p Proof, content []byte, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT id, entitlement_id, contract, name, size, sha256, author, at, content FROM proof WHERE id = ? AND "+
			"dropped_at = 0", id).
		Scan(&p.ID, &p.Line, &p.Contract, &p.Name, &p.Size, &p.SHA256, &p.Author, &p.At, &content)
	if errors.Is(err, sql.ErrNoRows) {
		err = sqlite.ErrNotFound
	}
	return p, content, err
}

// DropProof takes a file away from its line. It stays in the data.
func DropProof(tx *sqlite.Tx, id, at int64, by string) error {
	return drop(tx, "proof", id, at, by)
}

func drop(tx *sqlite.Tx, table string, id, at int64, by string) error {
	return tx.One(
		"UPDATE "+table+" SET dropped_at = ?, dropped_by = ? WHERE id = ? AND dropped_at = 0",
		at,
		by,
		id,
	)
}

// KeptKey is a licence key as everybody may see it: its last signs. Sealed is the key itself, sealed.
type KeptKey struct {
	ID     int64
	Line   int64
	Hint   string // its last signs
	Note   string
	Author string
	At     int64
	Sealed []byte
	Hash   string `db:"-"` // by what it is known among those that are found; "-" where it cannot be compared
}

// AddKey keeps a key.
func AddKey(tx *sqlite.Tx, k KeptKey) error {
	_, err := tx.Exec(
		"INSERT INTO licence_key(entitlement_id, sealed, hint, note, author, at, hash) VALUES (?, ?, ?, ?, ?, ?, ?)",
		k.Line,
		k.Sealed,
		k.Hint,
		k.Note,
		k.Author,
		k.At,
		k.Hash,
	)
	return err
}

// HasKey reports whether a line has a key that is known by a hash.
func HasKey(tx *sqlite.Tx, line int64, hash string) (has bool, err error) {
	err = tx.QueryRowContext(
		tx.Ctx,
		"SELECT EXISTS (SELECT 1 FROM licence_key WHERE entitlement_id = ? AND hash = ? AND dropped_at = 0)",
		line,
		hash,
	).
		Scan(&has)
	return has, err
}

// KeysWithoutHash reads the keys that were kept before it was worked out by what they are known.
func KeysWithoutHash(tx *sqlite.Tx) ([]KeptKey, error) {
	return sqlite.Select[KeptKey](
		tx,
		`SELECT id, entitlement_id AS line, hint, note, author, at, sealed FROM licence_key
		WHERE hash = '' AND dropped_at = 0 ORDER BY id`,
	)
}

// PutKeyHash writes by what a key is known.
func PutKeyHash(tx *sqlite.Tx, id int64, hash string) error {
	return tx.One("UPDATE licence_key SET hash = ? WHERE id = ?", hash, id)
}

// LineID returns the number of an entitlement line in force by its code.
func LineID(tx *sqlite.Tx, code string) (id int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT id FROM entitlement WHERE code = ? AND withdrawn_at = 0", code).
		Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		err = sqlite.ErrNotFound
	}
	return id, err
}

// Keys reads the keys of a line.
func Keys(tx *sqlite.Tx, line int64) ([]KeptKey, error) {
	return sqlite.Select[KeptKey](tx, `SELECT id, entitlement_id AS line, hint, note,
		author, at FROM licence_key WHERE entitlement_id = ? AND dropped_at = 0 ORDER BY id`,
		line,
	)
}

// Key reads one key, sealed.
func Key(tx *sqlite.Tx, id int64) (k KeptKey, err error) {
	err = tx.QueryRowContext(
		tx.Ctx,
		"SELECT id, entitlement_id, hint, note, author, at, sealed FROM licence_key WHERE id = ? AND dropped_at = 0",
		id,
	).
		Scan(&k.ID, &k.Line, &k.Hint, &k.Note, &k.Author, &k.At, &k.Sealed)
	if errors.Is(err, sql.ErrNoRows) {
		err = sqlite.ErrNotFound
	}
	return k, err
}

// DropKey takes a key away.
func DropKey(tx *sqlite.Tx, id, at int64, by string) error {
	return drop(tx, "licence_key", id, at, by)
}

// Contract is what is known of a contract beyond its lines.
type Contract struct {
	Code       string
	Publisher  string
	Name       string
	Start      civil.Day
	End        civil.Day
	NoticeDays int64 // how long before its end notice must be given
	Renews     bool  // goes on by itself unless notice is given
	Owner      string
	Note       string
	Author     string
	At         int64
	Revision   int64 `db:"-"` // that was seen; a save on an older one is refused
}

// Contracts reads the contracts by code; those that lines name and nobody described have their code alone.
func Contracts(tx *sqlite.Tx) ([]Contract, error) {
	return sqlite.Select[Contract](tx, `SELECT code, publisher, name, start, end,
		notice_days, renews, owner, note, author, at FROM contract UNION ALL SELECT DISTINCT contract, '',
		'', 0, 0, 0, 0, '', '', '', 0 FROM entitlement WHERE contract <> '' AND withdrawn_at = 0 AND contract
		NOT IN (SELECT code FROM contract) ORDER BY 1`)
}

// ContractByCode reads what is known of a contract, with its fields of the house's own as a file said them. There is
// none where its code is empty.
func ContractByCode(tx *sqlite.Tx, code string) (c Contract, custom string, err error) {
	list, err := sqlite.Select[Contract](tx, `SELECT code, publisher, name, start, end, notice_days, renews, owner,
		note, author, at FROM contract WHERE code = ?`, code)
	if err != nil || len(list) == 0 {
		return c, "", err
	}
	fields, err := sqlite.Select[string](tx, "SELECT custom FROM contract WHERE code = ?", code)
	if err != nil {
		return c, "", err
	}
	return list[0], fields[0], nil
}

// PutContractFields writes the fields of the house's own that a file says of a contract.
func PutContractFields(tx *sqlite.Tx, code, custom string) error {
	return tx.One("UPDATE contract SET custom = ? WHERE code = ?", custom, code)
}

// PutContract writes what is known of a contract.
func PutContract(tx *sqlite.Tx, c Contract) error {
	_, err := tx.Exec(
		`INSERT INTO contract(code, publisher, name, start, end, notice_days, renews, owner, note, author, at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT(code) DO UPDATE SET publisher = excluded.publisher, name = excluded.name, start = excluded.start,
		end = excluded.end, notice_days = excluded.notice_days, renews = excluded.renews, owner = excluded.owner, note
		= excluded.note, author = excluded.author, at = excluded.at`,
		c.Code,
		c.Publisher,
		c.Name,
		c.Start,
		c.End,
		c.NoticeDays,
		c.Renews,
		c.Owner,
		c.Note,
		c.Author,
		c.At,
	)
	return err
}
