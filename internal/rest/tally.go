package rest

import (
	"sync"
	"time"
)

// Tally counts tries by what they came from, and refuses those that are too many within a minute. It never refuses one
// that was given back, and what it remembers is bounded.
type Tally struct {
	Most int // tries of one key within a minute

	mu          sync.Mutex
	minute      int64
	this, prior map[string]int
	now         func() time.Time // another clock, in tests
}

// tallied is how many keys are told apart within a minute. Where more come, all begin again: what is behind it
// (a hash of a password, a look for a token) has limits of its own.
const tallied = 100_000

// Take counts a try, or refuses it.
func (t *Tally) Take(key string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	part := t.turn()
	// Of the minute before as much counts as the last sixty seconds still have of it.
	if float64(t.this[key])+float64(t.prior[key])*(1-part) >= float64(t.Most) {
		return false
	}
	if len(t.this) >= tallied {
		t.this, t.prior = map[string]int{}, nil
	}
	t.this[key]++
	return true
}

// Give takes a try back that was none of those that are counted.
func (t *Tally) Give(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.turn()
	switch {
	case t.this[key] > 0:
		t.this[key]--
	case t.prior[key] > 0:
		t.prior[key]--
	}
}

// turn begins a new minute where one has, and returns the share of it that is over.
func (t *Tally) turn() float64 {
	now := time.Now()
	if t.now != nil {
		now = t.now()
	}
	minute := now.Unix() / 60
	switch {
	case t.this == nil || minute > t.minute+1:
		t.this, t.prior = map[string]int{}, nil
	case minute == t.minute+1:
		t.this, t.prior = map[string]int{}, t.this
	}
	t.minute = max(t.minute, minute)
	return float64(now.Unix()%60) / 60
}
