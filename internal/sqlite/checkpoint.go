package sqlite

import (
	"context"
	"database/sql"
	"log/slog"
	"sync"
	"time"
)

// checkpointer copies what was written from the write-ahead log into the file, on a connection of its own, so that no
// writer waits for it.
type checkpointer struct {
	db      *sql.DB
	turns   *turns
	written chan struct{} // holds one where something was
	end     context.CancelFunc
	work    sync.WaitGroup
}

const (
	// where little is written, what was is copied after some time: one copy does for all of it
	pauseOfLittle = 2 * time.Second
	pauseOfMuch   = 250 * time.Millisecond
	muchInLog     = 1_000 // pages
	// with so many pages writers pause until all of it is copied, so that the log begins anew
	tooMuchInLog = 16_000
	// to so many bytes the log is cut when it begins anew, and with so many a long reading lets go of its state
	sizeOfLog = 64 << 20
	longLog   = sizeOfLog + sizeOfLog/2
)

func startCheckpointer(path string, turns *turns) (*checkpointer, error) {
	db, err := sql.Open(driverName, dsn(path, writing))
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(1)
	ctx, end := context.WithCancel(context.Background())
	c := &checkpointer{db: db, turns: turns, written: make(chan struct{}, 1), end: end}
	c.work.Go(func() { c.run(ctx) })
	return c, nil
}

func (c *checkpointer) close() error {
	c.end()
	c.work.Wait()
	return c.db.Close()
}

// wake says that something was written.
func (c *checkpointer) wake() {
	select {
	case c.written <- struct{}{}:
	default:
	}
}

func (c *checkpointer) run(ctx context.Context) {
	pause := pauseOfLittle
	for {
		select {
		case <-ctx.Done():
			return
		case <-c.written:
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(pause):
		}
		pages, err := c.copy(ctx)
		if err == nil && pages > tooMuchInLog {
			var end func()
			if end, err = c.turns.take(ctx); err == nil {
				_, err = c.copy(ctx)
				end()
			}
		}
		if err != nil && ctx.Err() == nil {
			slog.Warn("the log of the file could not be copied into it", "error", err)
		}
		pause = pauseOfLittle
		if pages > muchInLog {
			pause = pauseOfMuch
		}
	}
}

// copy copies as much as nobody keeps it from, and returns how many pages the log has.
func (c *checkpointer) copy(ctx context.Context) (pages int, err error) {
	var busy, copied int
	err = c.db.QueryRowContext(ctx, "PRAGMA wal_checkpoint(PASSIVE)").Scan(&busy, &pages, &copied)
	return pages, err
}
