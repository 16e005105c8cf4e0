package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"strings"
)

// statement is one that is prepared when it is first needed, and again in each step of a transaction: where it is
// needed for few rows only, preparing it would take longer than they do.
type statement struct {
	text string
	stmt *sql.Stmt
	of   int // the step for which it is prepared
}

func (s *statement) exec(tx *Tx, args ...any) (sql.Result, error) {
	if s.stmt == nil || s.of != tx.steps {
		var err error
		if s.stmt, err = tx.PrepareContext(tx.Ctx, s.text); err != nil {
			return nil, err
		}
		s.of = tx.steps
	}
	return s.stmt.ExecContext(tx.Ctx, args...)
}

// Bulk writes many rows with few statements.
type Bulk struct {
	tx      *Tx
	prefix  string
	suffix  string
	width   int
	stmt    statement
	pending []any
}

const bulkRows = 120

func (tx *Tx) Bulk(width int, prefix, suffix string) (*Bulk, error) {
	b := &Bulk{tx: tx, prefix: prefix, suffix: suffix, width: width}
	b.stmt.text = b.text(bulkRows)
	return b, nil
}

func (b *Bulk) text(rows int) string {
	row := "(" + strings.TrimSuffix(strings.Repeat("?,", b.width), ",") + ")"
	return b.prefix + " VALUES " + strings.TrimSuffix(strings.Repeat(row+",", rows), ",") + b.suffix
}

// Add takes one row.
func (b *Bulk) Add(values ...any) error {
	b.pending = append(b.pending, values...)
	if len(b.pending) < b.width*bulkRows {
		return nil
	}
	_, err := b.stmt.exec(b.tx, b.pending...)
	b.pending = b.pending[:0]
	return err
}

// Flush writes what is left.
func (b *Bulk) Flush() error {
	if len(b.pending) == 0 {
		return nil
	}
	_, err := b.tx.Exec(b.text(len(b.pending)/b.width), b.pending...)
	b.pending = b.pending[:0]
	return err
}

// Trim runs statements on a file that nobody has open, and packs it. It is for measuring what takes how much room.
func Trim(ctx context.Context, path string, statements []string) error {
	db, err := Open(ctx, path)
	if err != nil {
		return err
	}
	for _, s := range append(statements, "VACUUM") {
		if _, err := db.write.ExecContext(ctx, s); err != nil {
			return errors.Join(err, db.Close())
		}
	}
	return db.Close()
}
