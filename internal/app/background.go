package app

import (
	"context"
	"errors"
	"log"
	"sync"
	"time"

	"ensomet/internal/core/civil"
)

// renewal is the program's own work of renewing figures: whether it is asked for, and how far it is.
type renewal struct {
	sync.Mutex
	ctx      context.Context // of the work; it ends when the application is closed
	end      context.CancelFunc
	work     sync.WaitGroup
	woken    chan struct{} // holds one where a change waits
	started  bool
	held     int
	since    time.Time // of the oldest change that waits, by the machine's clock; zero where none does
	running  bool
	took     time.Duration // of the last renewal
	renewals int64
	err      string
	forgot   civil.Day // when what is older than it is kept was last forgotten
	decided  []string  // names that somebody decided on since the figures that are being renewed were read
}

// A change waits for others that come with it, and figures that take long wait longer, so that no more than half of the
// time goes into renewing them.
const (
	leastPause = 250 * time.Millisecond
	mostPause  = 20 * time.Second
)

// RefreshStatus says whether figures are being renewed, and how often they have been since the program started.
type RefreshStatus struct {
	Renewals int64  `json:"renewals"`
	Running  bool   `json:"running"`
	Step     string `json:"step"`
	Error    string `json:"error"`
}

// Status returns whether figures are being renewed, or wait to be.
func (a *App) Status() RefreshStatus {
	b := &a.status
	b.Lock()
	defer b.Unlock()
	waits := b.started && b.held == 0 && !b.since.IsZero()
	return RefreshStatus{b.renewals, b.running || waits, a.Progress.Doing(), b.err}
}

// wake tells the loop that a transaction has changed what figures rest on.
func (a *App) wake() {
	b := &a.status
	b.Lock()
	if b.since.IsZero() {
		b.since = time.Now()
	}
	b.Unlock()
	select {
	case b.woken <- struct{}{}:
	default: // it is awake
	}
}

// Begin lets every transaction that changes what figures rest on renew them in the background, and lets time do its work:
// days that pass, scans that are due, mail and orders. It ends with Close.
func (a *App) Begin() {
	b := &a.status
	b.Lock()
	defer b.Unlock()
	if b.started || b.ctx.Err() != nil {
		return
	}
	b.started = true
	b.work.Go(a.renewChanges)
	b.work.Go(a.followTime)
	if dirty, err := a.Dirty(b.ctx); err == nil && !dirty {
		b.since = time.Time{}
		return
	}
	b.since = time.Now()
	select {
	case b.woken <- struct{}{}:
	default:
	}
}

// renewChanges renews figures a short while after each change, until the application is closed. There is one of it.
func (a *App) renewChanges() {
	b := &a.status
	for {
		select {
		case <-b.ctx.Done():
			return
		case <-b.woken:
		}
		if !b.pause() {
			return
		}
		b.Lock()
		held := b.held > 0
		if !held {
			b.since, b.running = time.Time{}, true
		}
		b.Unlock()
		if held {
			continue // release wakes it again
		}
		began := time.Now()
		err := a.renewDirty(b.ctx)
		b.Lock()
		b.running, b.took, b.err = false, time.Since(began), ""
		if err != nil && b.ctx.Err() == nil {
			b.err = err.Error()
			log.Printf("figures could not be renewed: %v", err)
		}
		b.Unlock()
	}
}

// pause waits until a change has waited long enough. It reports false when the application is closed.
func (b *renewal) pause() bool {
	b.Lock()
	wait := time.Until(b.since.Add(min(max(leastPause, b.took), mostPause)))
	b.Unlock()
	select {
	case <-b.ctx.Done():
		return false
	case <-time.After(wait):
		return true
	}
}

// renewDirty computes every figure anew where one rests on something that has changed, or on another day.
func (a *App) renewDirty(ctx context.Context) error {
	dirty, err := a.Dirty(ctx)
	if err != nil || !dirty {
		return err
	}
	return a.Refresh(ctx)
}

// Hold keeps figures from being renewed in the background until release is called: whoever builds something step by step
// renews them where the steps need it, and gets the same result on a slow machine as on a fast one.
func (a *App) Hold() (release func()) {
	hold := func(n int) {
		a.status.Lock()
		a.status.held += n
		a.status.Unlock()
	}
	hold(1)
	return sync.OnceFunc(func() {
		hold(-1)
		a.wake()
	})
}

// followTime turns what is due into orders for scans, carries out what waits in the worklist, and renews figures when a
// day has passed, each minute until the application is closed.
func (a *App) followTime() {
	ctx := a.status.ctx
	t := time.NewTicker(time.Minute)
	defer t.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-t.C:
			a.EachMinute(ctx)
		}
	}
}

// EachMinute does what time asks for.
func (a *App) EachMinute(ctx context.Context) {
	if dirty, err := a.Dirty(ctx); err == nil && dirty {
		a.wake()
	}
	if _, err := a.Plan(ctx); err != nil && ctx.Err() == nil {
		log.Printf("schedules could not be followed: %v", err)
	}
	err := errors.Join(a.FollowUp(ctx), a.SendMail(ctx), a.ForgetDeliveries(ctx), a.forgetUseDaily(ctx))
	if err != nil && ctx.Err() == nil {
		log.Printf("worklist, mail or old notes: %v", err)
	}
}

// Close ends what runs in the background and waits until it has ended. What was not renewed stays marked, and is renewed
// at the next start.
func (a *App) Close() {
	a.status.end()
	a.status.work.Wait()
}
