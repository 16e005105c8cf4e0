package casework

import (
	"math/rand/v2"
	"testing"
)

// Random walks of people and evidence: no case is gone while its install is there, none that was sent ends by a scan
// older than the order, and what has left the house is never taken back.
func TestRandomWalks(t *testing.T) {
	acts := []Act{
		Ask,
		Agree,
		Approve,
		Send,
		Reopen,
		Keep,
		SaysNo,
		SaysYes,
		TimeOver,
		Leaves,
		Leaves,
		Leaves,
		Fails,
		Halts,
	}
	r := rand.New(rand.NewPCG(5, 1))
	ended := 0
	for range 3000 {
		state, sent, scan, present := Open, int64(0), int64(0), true
		kind, rules := Kinds[r.IntN(len(Kinds))], Rules{TwoPersons: r.IntN(2) == 0}
		approved := false
		for now := int64(1); now < 40; now++ {
			before := state
			if r.IntN(2) == 0 {
				act := acts[r.IntN(len(acts))]
				to, err := Do(kind, state, act, rules)
				if before == Sent && err == nil && act != Fails {
					t.Fatal("an order that has left the house was changed")
				}
				if err == nil && to == Approved {
					approved = true
				}
				if err == nil && to == Waiting && before == Agreed && rules.TwoPersons ||
					to == Sent && rules.TwoPersons && !approved {
					t.Fatal("it was sent without a second person")
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
			if before.Ended() && before != Kept && state != before && !(state == Open && found) &&
				!(before == Gone && state == Lapsed && present) {
				t.Fatalf("a case that ended as %s became %s without a finding", before, state)
			}
		}
	}
	if ended < 500 {
		t.Errorf("only %d cases ended", ended)
	}
}
