package sqlite

import (
	"context"
	"database/sql"
	"fmt"
	"regexp"
	"strings"
)

// overlay is what a preview has otherwise than the file: copies of tables, in a place of the connection's own, under
// the names of those that they stand for.
type overlay struct {
	whole map[string]bool            // tables that are copied with all rows
	parts map[string]map[string]bool // of tables that are copied in part, which parts
}

// Preview runs fn on one committed state with a change laid over it. fn makes the change as if it wrote to the file,
// and what it reads afterwards has the change; but the file is read only. A table that fn writes to is copied first,
// for this transaction alone, and all goes away with it. The writer is not held, and nobody else sees anything.
//
// What a preview costs follows what it writes to. Of a large table, LayRows copies only the rows that matter.
// References between tables are not enforced in a preview.
func (db *DB) Preview(ctx context.Context, fn func(tx *Tx) error) error {
	tx, err := db.preview.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	return stopped(
		ctx,
		fn(&Tx{Tx: tx, Ctx: ctx, over: &overlay{whole: map[string]bool{}, parts: map[string]map[string]bool{}}}),
	)
}

// Previewed reports whether the transaction changes nothing but what it sees itself.
func (tx *Tx) Previewed() bool { return tx.over != nil }

// LayRows says which rows of a large table a change may read or write. In a preview it copies them, and the preview
// then sees of the table the rows so copied alone; otherwise it does nothing. where is SQL over the table's columns.
func (tx *Tx) LayRows(table, where string, args ...any) error {
	if tx.over == nil || tx.over.whole[table] {
		return nil
	}
	part := fmt.Sprintln(append([]any{where}, args...)...)
	if tx.over.parts[table][part] {
		return nil
	}
	if tx.over.parts[table] == nil {
		if err := tx.lay(table, "0"); err != nil {
			return err
		}
		tx.over.parts[table] = map[string]bool{}
	}
	tx.over.parts[table][part] = true
	_, err := tx.Tx.ExecContext(
		tx.Ctx,
		"INSERT OR IGNORE INTO temp."+table+" SELECT * FROM main."+table+" WHERE "+where,
		args...,
	)
	return err
}

// lay copies the rows of a table for this transaction alone, with its indexes.
func (tx *Tx) lay(table, where string) error {
	texts, err := Query(tx, func(r *sql.Rows, v *string) error { return r.Scan(v) },
		"SELECT sql FROM main.sqlite_schema WHERE tbl_name = ? AND sql IS NOT NULL AND type IN ('table', 'index') "+
			"ORDER BY type = 'index'", table)
	if err != nil {
		return err
	}
	if len(texts) == 0 {
		return fmt.Errorf("there is no table %s to lay a change over", table)
	}
	for i, text := range texts {
		text = ofSchema.ReplaceAllString(text, "${1}temp.${2}")
		if _, err := tx.Tx.ExecContext(tx.Ctx, text); err != nil {
			return fmt.Errorf("laying over %s: %w", table, err)
		}
		if i == 0 && where != "0" {
			if _, err := tx.Tx.ExecContext(tx.Ctx,
				"INSERT INTO temp."+table+" SELECT * FROM main."+table+" WHERE "+where); err != nil {
				return fmt.Errorf("laying over %s: %w", table, err)
			}
		}
	}
	return nil
}

var (
	// ofSchema finds the place where a statement that makes a table or an index names it.
	ofSchema = regexp.MustCompile(`(?i)^(CREATE\s+(?:TABLE|(?:UNIQUE\s+)?INDEX)\s+)("?\w+)`)
	// writes finds the table that a statement writes to.
	writes = regexp.MustCompile(`(?is)^\s*(?:INSERT(?:\s+OR\s+\w+)?\s+INTO|REPLACE\s+INTO|UPDATE(?:\s+OR\s+\w+)?|` +
		`DELETE\s+FROM)\s+(\w+)`)
)

// before copies the table that a statement is going to write to, where that has not been done.
func (tx *Tx) before(query string) error {
	if tx.over == nil {
		return nil
	}
	m := writes.FindStringSubmatch(query)
	if m == nil || strings.EqualFold(m[1], "temp") {
		return nil
	}
	table := m[1]
	if tx.over.whole[table] || tx.over.parts[table] != nil {
		return nil
	}
	tx.over.whole[table] = true
	return tx.lay(table, "1")
}

// ExecContext runs a statement.
func (tx *Tx) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	if err := tx.before(query); err != nil {
		return nil, err
	}
	return tx.Tx.ExecContext(ctx, query, args...)
}

// PrepareContext prepares a statement.
func (tx *Tx) PrepareContext(ctx context.Context, query string) (*sql.Stmt, error) {
	if err := tx.before(query); err != nil {
		return nil, err
	}
	return tx.Tx.PrepareContext(ctx, query)
}

// QueryContext runs a query. Writing statements may return rows, too.
func (tx *Tx) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	if err := tx.before(query); err != nil {
		return nil, err
	}
	return tx.Tx.QueryContext(ctx, query, args...)
}

// QueryRowContext runs a query for one row.
func (tx *Tx) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	_ = tx.before(query) // a statement that writes then fails by itself: the file is read only
	return tx.Tx.QueryRowContext(ctx, query, args...)
}
