// Package outbox is the one way out of the house: mail, orders to tools, and whatever others are told. What is to
// leave is written in the transaction that wants it, and nothing waits for it. One worker claims what is due, tries
// it outside of any writing, and settles it. What is not taken is tried again after growing pauses, up to an end that
// a person sees.
//
// A claim is written before the try. A program that dies between a try and its settling has the try made again under
// the same number by the next one, so that nothing is lost; whoever takes it tells by its number that he has it
// already.
package outbox

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"ensomet/internal/clock"
	"ensomet/internal/sqlite"
)

// Topic is what a transaction announces that lets something wait to leave.
const Topic = "outbox"

// Lease is how long a claim holds, by the machine's clock: longer than any try takes.
const Lease = 5 * time.Minute

// TryFor is how long one try may take.
const TryFor = time.Minute

// MostTries is how often something is tried before it is given up.
const MostTries = 14

// Pause is how long after a try that failed the next one is made: a minute, then twice as long each time, up to six
// hours. All tries together take more than a day.
func Pause(tries int64) time.Duration {
	return min(time.Minute<<min(max(0, tries-1), 10), 6*time.Hour)
}

// Parcel is something that was claimed and is now tried.
type Parcel struct {
	Name   string                                      // for the log, such as mail 7
	Tries  int64                                       // this one included
	Send   func(ctx context.Context) error             // outside of any transaction
	Settle func(ctx context.Context, sent error) error // writes what became of it
}

// tell logs a try that failed, with its cause.
func (p *Parcel) tell(sent error) {
	switch {
	case sent == nil:
	case p.Tries >= MostTries:
		slog.Error("given up: it could not leave", "what", p.Name, "tries", p.Tries, "error", sent)
	default:
		slog.Warn("it could not leave, and is tried again", "what", p.Name, "tries", p.Tries, "error", sent)
	}
}

// Channel is one sort of what leaves. Claim takes the next one that is due for its caller alone, or none.
type Channel interface {
	Claim(ctx context.Context, now time.Time) (*Parcel, error)
}

// Service sends what waits.
type Service struct {
	DB       *sqlite.DB
	Clock    clock.Clock
	Mail     Mailer    // nil where none is connected
	Channels []Channel // besides mail
	// Finish puts into a letter what only the one that leaves may have, such as the address of a page.
	Finish func(ctx context.Context, m *Mail) (body string, err error)

	woken chan struct{} // holds one where something waits
}

// New makes an outbox that wakes whenever a transaction lets something wait.
func New(db *sqlite.DB, clock clock.Clock) *Service {
	svc := &Service{DB: db, Clock: clock, woken: make(chan struct{}, 1)}
	db.On(Topic, svc.Wake)
	return svc
}

// Connected reports whether letters can leave.
func (svc *Service) Connected() bool { return svc.Mail != nil }

// Wake lets the worker look for what is due.
func (svc *Service) Wake() {
	select {
	case svc.woken <- struct{}{}:
	default: // it is awake
	}
}

// look is how often the worker looks for what has become due by itself.
const look = 20 * time.Second

// Run sends what waits until ctx ends. What an earlier program had claimed and not settled is free again.
func (svc *Service) Run(ctx context.Context) {
	if err := svc.free(ctx); err != nil && ctx.Err() == nil {
		slog.Error("what waits to leave the house could not be looked at", "error", err)
	}
	t := time.NewTicker(look)
	defer t.Stop()
	for {
		if err := svc.Deliver(ctx); err != nil && ctx.Err() == nil {
			slog.Error("what waits to leave the house could not be settled", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-svc.woken:
		case <-t.C:
		}
	}
}

// free lets go of every claim.
func (svc *Service) free(ctx context.Context) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		for _, table := range []string{"mail", "deployment"} {
			if _, err := tx.Exec("UPDATE " + table + " SET claimed_until = 0 WHERE claimed_until <> 0"); err != nil {
				return err
			}
		}
		return nil
	})
}

// Deliver tries everything that is due, once. Several may call it at once: each thing is tried by one of them.
func (svc *Service) Deliver(ctx context.Context) error {
	channels := append([]Channel{letters{svc}}, svc.Channels...)
	var failed error
	for {
		tried := false
		for _, c := range channels { // in turn, so that no sort waits for all of another
			if err := ctx.Err(); err != nil {
				return errors.Join(failed, err)
			}
			p, err := c.Claim(ctx, svc.Clock.Now())
			if err != nil {
				return errors.Join(failed, err)
			}
			if p == nil {
				continue
			}
			tried = true
			within, cancel := context.WithTimeout(ctx, TryFor)
			sent := p.Send(within)
			cancel()
			// What was tried is settled even when the program is about to end.
			p.tell(sent)
			if err := p.Settle(context.WithoutCancel(ctx), sent); err != nil {
				failed = errors.Join(failed, err)
			}
		}
		if !tried {
			return failed
		}
	}
}
