package sqlite

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"sync"
	"time"
)

// How long what is written together may take before it is written: where others wait for their turn, and at the most.
const (
	shortTogether = 20 * time.Millisecond
	longTogether  = 100 * time.Millisecond
)

// gathering holds small changes that are written together.
type gathering struct {
	mu      sync.Mutex
	waiting []*small
	running bool // somebody writes them
}

// small is a change that waits to be written together with others.
type small struct {
	ctx   context.Context
	fn    func(tx *Tx) error
	tx    *Tx
	err   error
	begun bool // nobody takes it back any more
	panic any  // what fn panicked with
	done  chan struct{}
}

// UpdateTogether is Update for one of many small changes that come at once: those that wait are written in one
// transaction. Each is whole or not there at all, whatever becomes of the others, and is on the disk when it returns.
// Fn runs in another goroutine, and again where one of the others fails. Where ctx ends before fn began, nothing is
// done; after that fn runs to its end.
func (db *DB) UpdateTogether(ctx context.Context, fn func(tx *Tx) error) error {
	c := &small{ctx: ctx, fn: fn, done: make(chan struct{})}
	g := &db.together
	g.mu.Lock()
	g.waiting = append(g.waiting, c)
	lead := !g.running
	g.running = true
	g.mu.Unlock()
	if lead {
		go db.writeTogether()
	}
	select {
	case <-c.done:
	case <-ctx.Done():
		if g.leave(c) {
			return ctx.Err()
		}
		<-c.done
	}
	if c.panic != nil {
		panic(c.panic)
	}
	return c.err
}

// WaitingTogether counts the small changes that wait to be written together.
func (db *DB) WaitingTogether() int {
	db.together.mu.Lock()
	defer db.together.mu.Unlock()
	return len(db.together.waiting)
}

// leave takes a change back that has not begun.
func (g *gathering) leave(c *small) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	if c.begun {
		return false
	}
	c.begun = true
	return true
}

// next is the change that waits longest. None ends the writing.
func (g *gathering) next() *small {
	g.mu.Lock()
	defer g.mu.Unlock()
	for len(g.waiting) > 0 {
		c := g.waiting[0]
		g.waiting = g.waiting[1:]
		if !c.begun {
			c.begun = true
			return c
		}
	}
	return nil
}

// over reports whether nothing waits, which ends the writing.
func (g *gathering) over() bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.running = len(g.waiting) > 0
	return !g.running
}

// errApart says that one of the changes of a transaction failed, so that each has to be made apart from the others.
var errApart = errors.New("one of the changes failed")

// writeTogether writes what waits until nothing does, in one transaction after the other, between which others have
// their turns.
func (db *DB) writeTogether() {
	for !db.together.over() {
		var taken []*small
		err := db.Update(context.Background(), func(tx *Tx) error {
			began := time.Now()
			for time.Since(began) < shortTogether || time.Since(began) < longTogether && !db.turns.wanted() {
				c := db.together.next()
				if c == nil {
					return nil
				}
				taken = append(taken, c)
				if c.run(tx); c.failed() {
					return errApart
				}
			}
			return nil
		})
		if errors.Is(err, errApart) {
			err = db.Update(context.Background(), func(tx *Tx) error {
				for _, c := range taken {
					if err := c.runApart(tx); err != nil {
						return err
					}
				}
				return nil
			})
		}
		for _, c := range taken {
			if err != nil {
				c.err = err
			}
			close(c.done)
		}
		if err != nil && len(taken) == 0 {
			db.fail(err)
		}
	}
}

// fail lets all fail that wait, where no transaction can be begun.
func (db *DB) fail(err error) {
	for c := db.together.next(); c != nil; c = db.together.next() {
		c.err = err
		close(c.done)
	}
}

func (c *small) failed() bool { return c.err != nil || c.panic != nil }

// run makes a change within a transaction of several, and keeps its end for whoever asked.
func (c *small) run(tx *Tx) {
	c.panic = nil
	c.tx = &Tx{Tx: tx.Tx, Ctx: context.WithoutCancel(c.ctx)}
	if c.err = c.call(); !c.failed() {
		once, _ := c.ctx.Value(onceKey{}).(*Once)
		c.err = once.keep(c.tx)
	}
	if c.failed() {
		return
	}
	tx.Committed = append(tx.Committed, c.tx.Committed...)
	for _, topic := range c.tx.topics {
		tx.Announce(topic)
	}
}

// runApart is run where what a change that fails has written is taken back. A savepoint costs a copy of each page that
// is written after it, so that there is none as long as nothing fails. What is returned is a fault of the transaction.
func (c *small) runApart(tx *Tx) error {
	if _, err := tx.Exec("SAVEPOINT together"); err != nil {
		return err
	}
	if c.run(tx); c.failed() {
		if _, err := tx.Exec("ROLLBACK TO together"); err != nil {
			return err
		}
	}
	_, err := tx.Exec("RELEASE together")
	return err
}

func (c *small) call() (err error) {
	defer func() {
		if p := recover(); p != nil {
			c.panic = fmt.Sprintf("%v\n%s", p, debug.Stack())
		}
	}()
	return c.fn(c.tx)
}
