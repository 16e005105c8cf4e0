// Package sqlite keeps evidence, decisions and what is derived from them in one SQLite file: one writing connection
// and a pool of readers, migrations, paged lists, bulk writing.
package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"ensomet/internal/core/civil"

	"github.com/georgysavva/scany/v2/dbscan"
)

// ErrNotFound says that there is no such thing.
var ErrNotFound = errors.New("there is no such thing")

// ErrChangedMeanwhile says that somebody else changed what is being saved.
var ErrChangedMeanwhile = errors.New("somebody else changed it meanwhile: look at what it is now, then do it again")

// DB is the open file: one writing connection and a pool of readers on a write-ahead log.
type DB struct {
	Path     string
	write    *sql.DB
	read     *sql.DB
	preview  *sql.DB // reads the file, and keeps changes to itself
	turns    *turns  // of those who write
	copying  *checkpointer
	together gathering

	ShortSteps bool // each step is due at once: for tests

	mu     sync.Mutex
	topics map[string][]func()
	today  func() civil.Day // nil where nobody said how days turn
	now    func() time.Time
	marked civil.Day // the newest day that has a mark, as far as this program knows
}

// On lets fn be called after each transaction that announced a topic, once it is written.
func (db *DB) On(topic string, fn func()) {
	db.mu.Lock()
	defer db.mu.Unlock()
	if db.topics == nil {
		db.topics = map[string][]func(){}
	}
	db.topics[topic] = append(db.topics[topic], fn)
}

func (db *DB) announce(topics []string) {
	for _, topic := range topics {
		db.mu.Lock()
		calls := slices.Clone(db.topics[topic])
		db.mu.Unlock()
		for _, fn := range calls {
			fn()
		}
	}
}

// Tx is what queries need: a transaction for reading or writing.
type Tx struct {
	*sql.Tx
	Ctx       context.Context
	readOnly  bool
	Committed []func()     // run once the transaction has been written
	topics    []string     // that it announces
	over      *overlay     // of a preview
	step      func() error // writes what was done so far; nil where everything is written at once
	pause     func(fn func() error) error
	steps     int       // that were written
	began     time.Time // when the step began
	looked    time.Time // when it was last looked whether somebody waits
	turns     *turns
	short     bool
	newer     func() error // of what reads for long
	log       string       // its file, of what reads for long
}

// Announce notes what the transaction is about: whoever waits for the topic is told when it is written.
func (t *Tx) Announce(topic string) {
	if !slices.Contains(t.topics, topic) {
		t.topics = append(t.topics, topic)
	}
}

// ReadOnly reports whether the transaction sees only what is committed and stays.
func (t *Tx) ReadOnly() bool { return t.readOnly }

// Context returns the transaction's context.
func (t *Tx) Context() context.Context { return t.Ctx }

func (t *Tx) Exec(query string, args ...any) (sql.Result, error) {
	return t.ExecContext(t.Ctx, query, args...)
}

// Fault reports whether an error is one of the file or of its driver, which says nothing to whoever uses the program.
func Fault(err error) bool {
	return err != nil &&
		(ofDriver(err) || errors.Is(err, sql.ErrConnDone) || errors.Is(err, sql.ErrTxDone) ||
			errors.Is(err, sql.ErrNoRows) || strings.Contains(err.Error(), "sql: "))
}

// use is what a connection is for.
type use int

const (
	writing use = iota
	reading
	previewing // reads the file, and writes to tables of its own
)

func escapePath(p string) string {
	return strings.NewReplacer("%", "%25", "?", "%3f", "#", "%23").Replace(p)
}

// Open opens a file, makes it with its folder where it is missing, and brings its tables up to date.
func Open(ctx context.Context, path string) (*DB, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, fmt.Errorf("the folder of %s cannot be made: %w", path, err)
	}
	if err := keepPrivate(path); err != nil {
		return nil, fmt.Errorf("%s cannot be opened: %w", path, err)
	}
	db := &DB{Path: path, turns: newTurns(path)}
	var err error
	if db.write, err = sql.Open(driverName, dsn(path, writing)); err != nil {
		return nil, err
	}
	db.write.SetMaxOpenConns(1)
	err = db.migrate(ctx)
	if err == nil {
		err = within(ctx, db.write, false, remember)
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("%s cannot be opened: %w", path, err), db.write.Close())
	}
	if db.read, err = sql.Open(driverName, dsn(path, reading)); err != nil {
		return nil, err
	}
	db.read.SetMaxOpenConns(8)
	if db.preview, err = sql.Open(driverName, dsn(path, previewing)); err != nil {
		return nil, err
	}
	db.preview.SetMaxOpenConns(4)
	if _, err := db.write.ExecContext(ctx, "PRAGMA wal_autocheckpoint = 0; PRAGMA journal_size_limit = "+
		Itoa(sizeOfLog)); err != nil {
		return nil, err
	}
	db.copying, err = startCheckpointer(path, db.turns)
	return db, err
}

// Close closes all connections.
func (db *DB) Close() error {
	return errors.Join(db.copying.close(), db.preview.Close(), db.read.Close(), db.write.Close())
}

// Update runs fn in a writing transaction. An error rolls everything back.
func (db *DB) Update(ctx context.Context, fn func(tx *Tx) error) error {
	return db.update(ctx, false, fn)
}

// UpdateInSteps runs fn in a writing transaction that it may write step by step, see Step. An error rolls back what was
// done since the last step.
func (db *DB) UpdateInSteps(ctx context.Context, fn func(tx *Tx) error) error {
	return db.update(ctx, true, fn)
}

func (db *DB) update(ctx context.Context, inSteps bool, fn func(tx *Tx) error) error {
	end, err := db.turns.take(ctx)
	if err != nil {
		return err
	}
	defer func() { end() }()
	t := &Tx{Ctx: ctx}
	begin := func() (err error) {
		if t.Tx, err = db.write.BeginTx(ctx, nil); err != nil {
			return err
		}
		t.began = time.Now()
		t.looked = t.began
		return db.newDay(t)
	}
	written := func() error {
		if err := t.Commit(); err != nil {
			return err
		}
		for _, done := range t.Committed {
			done()
		}
		db.copying.wake()
		db.announce(t.topics)
		t.Committed, t.topics = nil, nil
		return nil
	}
	if inSteps {
		t.turns, t.short = db.turns, db.ShortSteps
		defer db.turns.stepping()()
		t.step = func() error { return t.pause(func() error { return nil }) }
		t.pause = func(fn func() error) error {
			if err := written(); err != nil {
				return err
			}
			end()
			end = func() {}
			if err := fn(); err != nil {
				return err
			}
			next, err := db.turns.take(ctx)
			if err != nil {
				return err
			}
			end = next
			t.steps++
			return begin()
		}
	}
	defer func() {
		if t.Tx != nil {
			_ = t.Rollback()
		}
	}()
	if err = begin(); err == nil {
		err = fn(t)
	}
	if err == nil {
		once, _ := ctx.Value(onceKey{}).(*Once)
		err = once.keep(t)
	}
	if err == nil {
		err = written()
	}
	return stopped(ctx, err)
}

// How long a step may take: where nobody waits, so long that writing it is the smaller part; where somebody does, so
// long that steps get on, and that he hardly notices.
const (
	shortStep = 20 * time.Millisecond
	longStep  = 500 * time.Millisecond
	lookEvery = 2 * time.Millisecond
)

// Due reports whether others should have their turn. It never is so where everything is written at once.
func (tx *Tx) Due() bool {
	if tx.step == nil {
		return false
	}
	now := time.Now()
	age := now.Sub(tx.began)
	switch {
	case tx.short:
		return true
	case age < shortStep || now.Sub(tx.looked) < lookEvery:
		return false
	case age > longStep:
		return true
	}
	tx.looked = now
	return tx.turns.wanted()
}

// Step writes what was done so far, and lets everybody who waits write before it goes on: what was read before may have
// changed since, and what Bulk holds must have been flushed. Where everything is written at once it does nothing.
func (tx *Tx) Step() error {
	if tx.step == nil {
		return nil
	}
	return tx.step()
}

// Pause lets others write while fn, which does not use the transaction, does what takes long. Where everything is
// written at once it only calls fn.
func (tx *Tx) Pause(fn func() error) error {
	if tx.pause == nil {
		return fn()
	}
	return tx.pause(fn)
}

// InSteps reports whether the transaction may be written in steps.
func (tx *Tx) InSteps() bool { return tx.step != nil }

// View runs fn in a reading transaction, which sees one consistent state.
func (db *DB) View(ctx context.Context, fn func(tx *Tx) error) error {
	return within(ctx, db.read, true, fn)
}

// ViewLong is View for what reads for long: now and then it lets go of the state that it sees, see Newer.
func (db *DB) ViewLong(ctx context.Context, fn func(tx *Tx) error) error {
	return within(ctx, db.read, true, func(t *Tx) error {
		held := t.Tx
		t.newer = func() error {
			end, err := db.turns.take(ctx) // so that all that was written can be copied
			if err != nil {
				return err
			}
			defer end()
			if err := t.Commit(); err != nil {
				return err
			}
			if _, err := db.copying.copy(ctx); err != nil {
				return err
			}
			if t.Tx, err = db.read.BeginTx(ctx, nil); err != nil {
				return err
			}
			var n int
			return t.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_schema WHERE rowid < 0").Scan(&n)
		}
		t.log = db.Path + "-wal"
		defer func() {
			if t.Tx != nil && t.Tx != held {
				_ = t.Rollback()
			}
		}()
		return fn(t)
	})
}

// Newer lets go of the state that a long reading sees, and goes on with the newest. As long as a state is seen, the log
// of what is written after it cannot begin anew, and grows.
func (tx *Tx) Newer() error {
	if tx.newer == nil {
		return nil
	}
	return tx.newer()
}

// KeepsMuch reports whether the log has become so long that a long reading had better let go of its state.
func (tx *Tx) KeepsMuch() bool {
	if tx.log == "" {
		return false
	}
	log, err := os.Stat(tx.log)
	return err == nil && log.Size() > longLog
}

func within(ctx context.Context, pool *sql.DB, readOnly bool, fn func(tx *Tx) error) error {
	tx, err := pool.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	t := &Tx{Tx: tx, Ctx: ctx, readOnly: readOnly}
	err = fn(t)
	if err == nil && t.Tx == tx {
		err = tx.Commit()
	}
	if err != nil {
		return stopped(ctx, err)
	}
	for _, done := range t.Committed {
		done()
	}
	return nil
}

// stopped gives the reason of a context that is over for the faults that follow from it: the transaction was rolled
// back under whoever asked.
func stopped(ctx context.Context, err error) error {
	if ctx.Err() != nil && Fault(err) {
		return ctx.Err()
	}
	return err
}

// Analyse gathers how many rows and values tables and indexes have, from a few rows of each, by which SQLite chooses
// what to read first.
func (db *DB) Analyse(ctx context.Context) error {
	end, err := db.turns.take(ctx)
	if err != nil {
		return err
	}
	defer end()
	_, err = db.write.ExecContext(ctx, "PRAGMA analysis_limit = 400; ANALYZE")
	return err
}

// Backup writes a consistent copy of the file while others work.
func (db *DB) Backup(ctx context.Context, to string) error {
	if _, err := os.Stat(to); err == nil {
		return fmt.Errorf("%s exists already: name a file that does not", to)
	}
	if err := keepPrivate(to); err != nil {
		return err
	}
	from, err := sql.Open(driverName, dsn(db.Path, writing)) // of its own, since it would keep the others waiting
	if err != nil {
		return err
	}
	_, err = from.ExecContext(ctx, "VACUUM INTO ?", to)
	if err = errors.Join(err, from.Close()); err != nil {
		return errors.Join(err, os.Remove(to))
	}
	return nil
}

// Integrity runs SQLite's own check and returns what it complains about.
func (db *DB) Integrity(ctx context.Context) ([]string, error) {
	rows, err := db.read.QueryContext(ctx, "PRAGMA integrity_check")
	if err != nil {
		return nil, err
	}
	var out []string
	err = Each(rows, func() error {
		var s string
		if err := rows.Scan(&s); err != nil {
			return err
		}
		if s != "ok" {
			out = append(out, s)
		}
		return nil
	})
	return out, err
}

// Each walks rows and closes them.
func Each(rows *sql.Rows, fn func() error) error {
	defer rows.Close()
	for rows.Next() {
		if err := fn(); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Select reads the rows of a query into values. Where one is a struct, each column goes into the field of its name,
// device_id into DeviceID; an alias names one that is called otherwise.
func Select[T any](tx *Tx, text string, args ...any) ([]T, error) {
	list, err := tx.QueryContext(tx.Ctx, text, args...)
	if err != nil {
		return nil, err
	}
	var out []T
	if err := dbscan.ScanAll(&out, list); err != nil || len(out) == 0 {
		return nil, err
	}
	return out, nil
}

// Query collects one value for each row.
func Query[T any](tx *Tx, scan func(row *sql.Rows, v *T) error, text string, args ...any) ([]T, error) {
	rows, err := tx.QueryContext(tx.Ctx, text, args...)
	if err != nil {
		return nil, err
	}
	var out []T
	err = Each(rows, func() error {
		var v T
		if err := scan(rows, &v); err != nil {
			return err
		}
		out = append(out, v)
		return nil
	})
	return out, err
}

// Setting reads a setting, or "".
func (tx *Tx) Setting(key string) (string, error) {
	var v string
	err := tx.QueryRowContext(tx.Ctx, "SELECT value FROM setting WHERE key = ?", key).Scan(&v)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return v, err
}

// SetSetting writes a setting.
func (tx *Tx) SetSetting(key, value string) error {
	_, err := tx.Exec(
		"INSERT INTO setting(key, value) VALUES (?, ?) ON CONFLICT(key) DO UPDATE SET value = excluded.value",
		key,
		value,
	)
	return err
}

// Note keeps who did what, when, to which thing.
func (tx *Tx) Note(at time.Time, who, what, object, detail string) error {
	if err := tx.LayRows("audit", "0"); err != nil {
		return err
	}
	_, err := tx.Exec(
		"INSERT INTO audit(at, who, what, object, detail) VALUES (?, ?, ?, ?, ?)",
		at.Unix(),
		who,
		what,
		object,
		detail,
	)
	return err
}

func Itoa(n int64) string { return strconv.FormatInt(n, 10) }

// Insert writes a row and returns its number.
func (tx *Tx) Insert(text string, args ...any) (int64, error) {
	res, err := tx.Exec(text, args...)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// Touched runs a change and says how many rows it touched.
func (tx *Tx) Touched(text string, args ...any) (int64, error) {
	res, err := tx.Exec(text, args...)
	if err != nil {
		return 0, err
	}
	return res.RowsAffected()
}

// One runs a change that must touch one row.
func (tx *Tx) One(text string, args ...any) error {
	n, err := tx.Touched(text, args...)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	return err
}
