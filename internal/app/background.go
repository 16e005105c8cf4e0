package app

import (
	"context"
	"log"
	"sync"
	"time"

	"ensomet/internal/core/civil"
)

// background is the program's own work of renewing figures: when it is asked for, and how far it is.
type background struct {
	sync.Mutex
	ctx      context.Context // of the renewals; it ends when the application is closed
	end      context.CancelFunc
	at       sync.WaitGroup // the renewal that runs
	renewals int64
	running  bool
	pending  bool
	held     bool
	closed   bool
	forgot   civil.Day   // when what is older than it is kept was last forgotten
	later    *time.Timer // a renewal waits for its time
	quiet    *time.Timer // a renewal waits for a pause
	asked    time.Time
	decided  []string // names that somebody decided on since the figures that are being renewed were read
	step     string
	err      string
}

// RefreshStatus says whether figures are being renewed, and how often they have been since the program started.
type RefreshStatus struct {
	Renewals int64  `json:"renewals"`
	Running  bool   `json:"running"`
	Step     string `json:"step"`
	Error    string `json:"error"`
}

// Status returns whether figures are being renewed.
func (a *App) Status() RefreshStatus {
	a.status.Lock()
	defer a.status.Unlock()
	return RefreshStatus{a.status.renewals, a.status.running, a.status.step, a.status.err}
}

func (a *App) step(text string) {
	a.status.Lock()
	a.status.step = text
	a.status.Unlock()
}

// RefreshSoon renews what is marked dirty in the background. Calls while one runs are gathered into one more.
func (a *App) RefreshSoon() {
	b := &a.status
	b.Lock()
	defer b.Unlock()
	if b.held || b.closed {
		return
	}
	if b.running {
		b.pending = true
		return
	}
	b.running, b.err = true, ""
	b.at.Add(1)
	go func() {
		defer b.at.Done()
		for {
			err := a.Refresh(b.ctx)
			b.Lock()
			if err != nil && b.ctx.Err() == nil {
				b.err = err.Error()
				log.Printf("figures could not be renewed: %v", err)
			}
			again := b.pending && !b.closed
			b.pending = false
			if !again {
				b.running, b.step = false, ""
				b.Unlock()
				return
			}
			b.Unlock()
		}
	}()
}

// RenewAfter renews what is marked dirty once nobody has asked for it for a short while: somebody who decides name after name is not slowed down by figures that the next decision
// changes again. It waits no longer than a while in all.
func (a *App) RenewAfter() {
	b := &a.status
	b.Lock()
	defer b.Unlock()
	if b.closed {
		return
	}
	now := time.Now()
	if b.quiet == nil {
		b.asked = now
		b.quiet = time.AfterFunc(renewAfter, func() {
			b.Lock()
			b.quiet = nil
			b.Unlock()
			a.RefreshSoon()
		})
		return
	}
	if now.Sub(b.asked) < renewEvery {
		b.quiet.Reset(renewAfter)
	}
}

const renewAfter = 3 * time.Second

// renewEvery is how long figures may wait while scans keep coming in: each scan alone is not worth a renewal of everything.
const renewEvery = 20 * time.Second

// RenewLater renews what is marked dirty within a while. Calls meanwhile are gathered.
func (a *App) RenewLater() {
	b := &a.status
	b.Lock()
	defer b.Unlock()
	if b.closed || b.later != nil {
		return
	}
	b.later = time.AfterFunc(renewEvery, func() {
		b.Lock()
		b.later = nil
		b.Unlock()
		a.RefreshSoon()
	})
}

// Hold keeps figures from being renewed in the background until release is called: whoever builds something step by step renews them where the steps need it, and gets the same
// result on a slow machine as on a fast one.
func (a *App) Hold() (release func()) {
	hold := func(held bool) {
		a.status.Lock()
		a.status.held = held
		a.status.Unlock()
	}
	hold(true)
	return func() { hold(false) }
}

// Close ends what runs in the background and waits until it has ended. What was not renewed stays marked, and is renewed at the next start.
func (a *App) Close() {
	b := &a.status
	b.Lock()
	b.closed = true
	for _, t := range []*time.Timer{b.later, b.quiet} {
		if t != nil {
			t.Stop()
		}
	}
	b.Unlock()
	b.end()
	b.at.Wait()
}
