package casework

import (
	"math/rand/v2"
	"testing"
)

// Random walks of people and evidence: no case is gone while its install is there, none that was sent ends by a scan older than the order, and what has left the
// house is never taken back.
func TestRandomWalks(t *testing.T) {
	acts := []Act{Agree, Send, Reopen, Keep}
	r := rand.New(rand.NewPCG(5, 1))
	ended := 0
	for range 3000 {
		state, sent, scan, present := Open, int64(0), int64(0), true
		for now := int64(1); now < 40; now++ {
			before := state
			if r.IntN(2) == 0 {
				to, err := Do(state, acts[r.IntN(len(acts))])
				if before == Sent && err == nil {
					t.Fatal("an order that has left the house was changed")
				}
				if err != nil && to != before {
					t.Fatal("a refused act has moved the case")
				}
				if state = to; state == Sent && before != Sent {
					sent = now
				}
				continue
			}
			if r.IntN(3) > 0 { // a scan, not always a new one
				if r.IntN(3) > 0 {
					scan = now
				}
				present = r.IntN(4) > 0
			}
			found := present && r.IntN(5) > 0
			state = See(state, sent, Evidence{Found: found, Present: present, ScanAt: scan})
			if state == Gone && before != Gone {
				ended++
				if present {
					t.Fatal("gone while it is there")
				}
				if before == Sent && scan <= sent {
					t.Fatal("gone by a scan that is older than the order")
				}
			}
			if before.Ended() && before != Kept && state != before && !(state == Open && found) {
				t.Fatalf("a case that ended as %s became %s without a finding", before, state)
			}
		}
	}
	if ended < 500 {
		t.Errorf("only %d cases ended", ended)
	}
}
