// Package renewal knows what has changed since figures were computed, and has them computed anew. What changes figures
// marks what it touches in its own transaction; when that is written, the loop wakes.
package renewal

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/progress"
	"ensomet/internal/sqlite"
)

// Loop renews figures a short while after each change. There is one of it for a file.
type Loop struct {
	DB       *sqlite.DB
	Progress *progress.Board
	Today    func() civil.Day
	Renew    func(ctx context.Context) error // computes everything anew

	mu       sync.Mutex
	woken    chan struct{} // holds one where a change waits
	started  bool
	held     int
	since    time.Time // of the oldest change that waits, by the machine's clock; zero where none does
	running  bool
	took     time.Duration // of the last renewal
	ended    time.Time     // when the renewal before did
	renewals int64
	err      string
}

// Topic is what a transaction announces that changes what figures rest on.
const Topic = "figures"

// NewLoop makes a loop that wakes whenever something is changed in the file, and does nothing before Start.
func NewLoop(db *sqlite.DB, board *progress.Board, today func() civil.Day) *Loop {
	l := &Loop{DB: db, Progress: board, Today: today, woken: make(chan struct{}, 1)}
	db.On(Topic, l.Wake)
	return l
}

// A change waits for others that come with it, and figures that take long wait longer, so that no more than half of the
// time goes into renewing them; but not so long that figures become old.
const (
	LeastPause = 250 * time.Millisecond
	mostPause  = 1500 * time.Millisecond
)

// RefreshStatus says whether figures are being renewed, and how often they have been since the program started.
type RefreshStatus struct {
	Renewals int64
	Running  bool
	Step     string
	Error    string
}

// Status returns whether figures are being renewed, or wait to be.
func (l *Loop) Status() RefreshStatus {
	l.mu.Lock()
	defer l.mu.Unlock()
	waits := l.started && l.held == 0 && !l.since.IsZero()
	return RefreshStatus{l.renewals, l.running || waits, l.Progress.Doing(), l.err}
}

// Running reports whether figures are being renewed in this moment.
func (l *Loop) Running() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.running
}

// Renewed counts a renewal, whoever asked for it.
func (l *Loop) Renewed() {
	l.mu.Lock()
	l.renewals++
	l.mu.Unlock()
}

// Wake tells the loop that something has changed that figures rest on.
func (l *Loop) Wake() {
	l.mu.Lock()
	if l.since.IsZero() {
		l.since = time.Now()
	}
	l.mu.Unlock()
	select {
	case l.woken <- struct{}{}:
	default: // it is awake
	}
}

// Start renews figures in the background from now on, until ctx ends; what is marked already is renewed at once. The
// function that it returns waits for the end.
func (l *Loop) Start(ctx context.Context) (wait func()) {
	dirty, err := l.Dirty(ctx)
	l.mu.Lock()
	l.started = true
	if err == nil && !dirty {
		l.since = time.Time{}
	}
	l.mu.Unlock()
	if err != nil || dirty {
		l.Wake()
	}
	var work sync.WaitGroup
	work.Go(func() { l.renewChanges(ctx) })
	return func() {
		work.Wait()
		l.mu.Lock()
		l.started = false
		l.mu.Unlock()
	}
}

func (l *Loop) renewChanges(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-l.woken:
		}
		if !l.pause(ctx) || !l.letImportsEnd(ctx) {
			return
		}
		l.mu.Lock()
		held := l.held > 0
		if !held {
			l.since, l.running = time.Time{}, true
		}
		l.mu.Unlock()
		if held {
			continue // release wakes it again
		}
		began := time.Now()
		err := l.Current(ctx)
		l.mu.Lock()
		l.running, l.took, l.ended, l.err = false, time.Since(began), time.Now(), ""
		if err != nil && ctx.Err() == nil {
			l.err = err.Error()
			slog.Error("figures could not be renewed", "error", err)
		}
		l.mu.Unlock()
	}
}

// pause waits until the oldest change has waited long enough, and for as long as the renewal before took: where changes
// come all the time, those of that time are renewed together. It reports false when ctx ends first.
func (l *Loop) pause(ctx context.Context) bool {
	l.mu.Lock()
	from := l.since
	if l.ended.After(from) {
		from = l.ended
	}
	wait := time.Until(from.Add(min(max(LeastPause, l.took), mostPause)))
	l.mu.Unlock()
	select {
	case <-ctx.Done():
		return false
	case <-time.After(wait):
		return true
	}
}

// fewTouched is how many touched devices are renewed while somebody takes in many others.
const fewTouched = 200

// letImportsEnd waits while somebody writes in steps what touches more and more devices: all of them are renewed
// together then. It reports false when ctx ends first.
func (l *Loop) letImportsEnd(ctx context.Context) bool {
	for l.DB.Stepping() {
		touched := 0
		if err := l.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			touched, err = CountTouched(tx)
			return err
		}); err != nil || touched <= fewTouched {
			return ctx.Err() == nil
		}
		select {
		case <-ctx.Done():
			return false
		case <-time.After(LeastPause):
		}
	}
	return true
}

// Current computes every figure anew where one rests on something that has changed, or on another day.
func (l *Loop) Current(ctx context.Context) error {
	dirty, err := l.Dirty(ctx)
	if err != nil || !dirty {
		return err
	}
	return l.Renew(ctx)
}

// Hold keeps figures from being renewed in the background until release is called: whoever builds something step by
// step renews them where the steps need it, and gets the same result on a slow machine as on a fast one.
func (l *Loop) Hold() (release func()) {
	hold := func(n int) {
		l.mu.Lock()
		l.held += n
		l.mu.Unlock()
	}
	hold(1)
	return sync.OnceFunc(func() {
		hold(-1)
		l.Wake()
	})
}

// Dirty reports whether anything has changed since figures were computed, or a day has passed.
func (l *Loop) Dirty(ctx context.Context) (dirty bool, err error) {
	err = l.DB.View(ctx, func(tx *sqlite.Tx) error {
		dirty, err = Behind(tx, l.Today())
		return err
	})
	return dirty, err
}
