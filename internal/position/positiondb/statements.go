package positiondb

import (
	"database/sql"
	"errors"

	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
)

// StoredStatement is positions as they were handed to somebody. Content is compressed; SHA256 is of it.
type StoredStatement struct {
	ID        int64
	At        int64
	Author    string
	HandedTo  string
	Note      string
	AsOf      string
	Positions int64
	Size      int64
	SHA256    string
	Content   []byte
	Products  string // those that it speaks of, as a list of JSON; empty is all
	Scope     string // whom or what it speaks of, in words; empty is the whole house
	Mark      int64  // by what was known at which it was made; 0 where it was made before that was kept
}

// AddStatement keeps a statement.
func AddStatement(tx *sqlite.Tx, s StoredStatement, asOf civil.Day) (int64, error) {
	return tx.Insert(
		"INSERT INTO statement(at, author, handed_to, note, as_of, positions, content, sha256, products, "+
			"scope, mark) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		s.At,
		s.Author,
		s.HandedTo,
		s.Note,
		asOf,
		s.Positions,
		s.Content,
		s.SHA256,
		s.Products,
		s.Scope,
		s.Mark,
	)
}

// Statements reads all statements without their content, the newest first.
func Statements(tx *sqlite.Tx) ([]StoredStatement, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *StoredStatement) error {
		return r.Scan(&v.ID, &v.At, &v.Author, &v.HandedTo, &v.Note, &v.AsOf, &v.Positions, &v.Size, &v.SHA256,
			&v.Scope, &v.Mark)
	}, "SELECT id, at, author, handed_to, note, "+sqlite.Date("as_of")+
		", positions, length(content), sha256, scope, mark FROM statement ORDER BY id DESC")
}

// Statement reads a statement with its content.
func Statement(tx *sqlite.Tx, id int64) (v StoredStatement, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT id, at, author, handed_to, note, "+sqlite.Date("as_of")+
			", positions, length(content), sha256, content, scope, mark FROM statement WHERE id = ?", id).
		Scan(&v.ID, &v.At, &v.Author, &v.HandedTo, &v.Note, &v.AsOf, &v.Positions, &v.Size, &v.SHA256, &v.Content,
			&v.Scope, &v.Mark)
	if errors.Is(err, sql.ErrNoRows) {
		err = sqlite.ErrNotFound
	}
	return v, err
}
