package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"strings"
)

// Bulk writes many rows with few statements.
type Bulk struct {
	tx      *Tx
	prefix  string
	suffix  string
	width   int
	stmt    *sql.Stmt // nil until it is needed
	pending []any
}

const bulkRows = 120

func (tx *Tx) Bulk(width int, prefix, suffix string) (*Bulk, error) {
	return &Bulk{tx: tx, prefix: prefix, suffix: suffix, width: width}, nil
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
	var err error
	if b.stmt == nil { // where there are few rows it would take longer than they do
		if b.stmt, err = b.tx.PrepareContext(b.tx.Ctx, b.text(bulkRows)); err != nil {
			return err
		}
	}
	_, err = b.stmt.ExecContext(b.tx.Ctx, b.pending...)
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
