package sqlite

import (
	"context"
	"sync/atomic"
	"time"

	"github.com/gofrs/flock"
	"golang.org/x/sync/semaphore"
)

// turns gives writers their turns in the order in which they come: those of one program by a queue, those of several
// programs by two locks beside the file. Who waits for his turn holds the first lock until he has the second, so that a
// program which writes again and again lets everybody else in between.
type turns struct {
	queue         *semaphore.Weighted
	next, writing *flock.Flock
	path          string
	waiting       atomic.Int64 // of this program
}

// Locks are how the files beside a file end by which writers have their turns. They are empty.
var Locks = []string{".next", ".writing", ".steps"}

const (
	askEvery    = time.Millisecond
	longestTurn = 10 * time.Second // after that, whoever holds a lock is taken for stuck, and SQLite has to decide
)

func newTurns(path string) *turns {
	return &turns{
		queue:   semaphore.NewWeighted(1),
		next:    flock.New(path+Locks[0], flock.SetPermissions(0o600)),
		writing: flock.New(path+Locks[1], flock.SetPermissions(0o600)),
		path:    path + Locks[2],
	}
}

// take waits for a turn, and returns what ends it. Where locks cannot be had, such as on a disk that knows none, SQLite
// alone keeps writers apart.
func (t *turns) take(ctx context.Context) (end func(), err error) {
	t.waiting.Add(1)
	err = t.queue.Acquire(ctx, 1)
	t.waiting.Add(-1)
	if err != nil {
		return nil, err
	}
	end = func() { t.queue.Release(1) }
	waiting, stop := context.WithTimeout(ctx, longestTurn)
	defer stop()
	if first, _ := t.next.TryLockContext(waiting, askEvery); first {
		ours, _ := t.writing.TryLockContext(waiting, askEvery)
		_ = t.next.Unlock()
		if ours {
			end = func() {
				_ = t.writing.Unlock()
				t.queue.Release(1)
			}
		}
	}
	if err := ctx.Err(); err != nil {
		end()
		return nil, err
	}
	return end, nil
}

// wanted reports whether somebody waits for his turn.
func (t *turns) wanted() bool {
	if t.waiting.Load() > 0 {
		return true
	}
	free, err := t.next.TryLock()
	if free {
		_ = t.next.Unlock()
	}
	return !free && err == nil
}

// stepping notes, until end is called or the program ends, that somebody writes in steps.
func (t *turns) stepping() (end func()) {
	l := flock.New(t.path, flock.SetPermissions(0o600))
	_ = l.RLock() // where locks cannot be had nobody is told
	return func() { _ = l.Unlock() }
}

// Stepping reports whether somebody writes in steps, in this program or another.
func (db *DB) Stepping() bool {
	l := flock.New(db.turns.path, flock.SetPermissions(0o600))
	alone, err := l.TryLock()
	_ = l.Unlock()
	return !alone && err == nil
}
