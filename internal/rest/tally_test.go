package rest

import (
	"fmt"
	"sync"
	"testing"
	"time"
)

// So many tries are taken within any sixty seconds and no more, those that are given back do not count, and nobody
// counts for somebody else.
func TestTally(t *testing.T) {
	now := time.Unix(600, 0)
	tally := &Tally{Most: 4, now: func() time.Time { return now }}
	take := func(key string, n int) (taken int) {
		for range n {
			if tally.Take(key) {
				taken++
			}
		}
		return taken
	}
	if got := take("a", 10); got != 4 {
		t.Errorf("%d of 4 were taken", got)
	}
	if got := take("b", 1); got != 1 {
		t.Error("one counts for another")
	}
	tally.Give("a")
	if got := take("a", 10); got != 1 {
		t.Errorf("%d were taken after one was given back", got)
	}
	now = now.Add(59 * time.Second)
	if got := take("a", 10); got != 0 {
		t.Errorf("%d were taken within the minute", got)
	}
	now = now.Add(31 * time.Second) // half of the next minute: half of the four still count
	if got := take("a", 10); got != 2 {
		t.Errorf("%d were taken when half of the minute before was over", got)
	}
	now = now.Add(10 * time.Minute)
	if got := take("a", 10); got != 4 {
		t.Errorf("%d were taken long after", got)
	}
}

// However many keys come, memory stays; and many at once take no more than there is.
func TestTallyUnderFlood(t *testing.T) {
	tally := &Tally{Most: 50}
	for i := range 3 * tallied {
		tally.Take(fmt.Sprint(i))
	}
	if n := len(tally.this) + len(tally.prior); n > 2*tallied {
		t.Errorf("%d keys are remembered", n)
	}
	var taken, wait = make(chan bool, 400), sync.WaitGroup{}
	for range 8 {
		wait.Go(func() {
			for range 50 {
				taken <- tally.Take("one")
			}
		})
	}
	wait.Wait()
	close(taken)
	n := 0
	for ok := range taken {
		if ok {
			n++
		}
	}
	if n > 100 { // a minute may turn meanwhile
		t.Errorf("%d of 50 were taken at once", n)
	}
}
