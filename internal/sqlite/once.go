package sqlite

import (
	"context"
	"errors"
)

// ErrRepeated says that a change was made already, when it was asked for before.
var ErrRepeated = errors.New("this was done when it was asked for before")

// Once is a request that changes something, and that may come again where its answer got lost. The first transaction
// that commits for it keeps its key, so that it is either done and known, or neither.
type Once struct {
	Key  string
	At   int64 // seconds since 1970
	done bool
}

// rememberFor is how long keys of requests are kept, in seconds.
const rememberFor = 24 * 3600

type onceKey struct{}

// WithOnce lets the changes that are made under a context be known by the key of its request.
func WithOnce(ctx context.Context, o *Once) context.Context {
	return context.WithValue(ctx, onceKey{}, o)
}

// keep keeps the key of the request for which a transaction writes. One that is known fails with ErrRepeated.
func (o *Once) keep(tx *Tx) error {
	if o == nil || o.done {
		return nil
	}
	if _, err := tx.Exec("DELETE FROM request WHERE at < ?", o.At-rememberFor); err != nil {
		return err
	}
	n, err := tx.Touched("INSERT INTO request(key, at) VALUES (?, ?) ON CONFLICT DO NOTHING", o.Key, o.At)
	if err != nil {
		return err
	}
	if n == 0 {
		return ErrRepeated
	}
	tx.Committed = append(tx.Committed, func() { o.done = true })
	return nil
}

// Done reports whether something was changed for the request.
func (o *Once) Done() bool { return o.done }

// Forget forgets the key of a request that was refused after all.
func (db *DB) Forget(ctx context.Context, o *Once) error {
	return db.Update(ctx, func(tx *Tx) error {
		_, err := tx.Exec("DELETE FROM request WHERE key = ?", o.Key)
		return err
	})
}
