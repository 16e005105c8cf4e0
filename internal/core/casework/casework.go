// Package casework has the states of a case and what may move it from one to the next. Nobody's click ends a case: evidence does, or the finding
// behind it falls away.
package casework

import "fmt"

// Kind says what a case is about.
type Kind string

// The kinds.
const (
	RestrictedTitle Kind = "restricted"
	IdleLicence     Kind = "idle"
	Planned         Kind = "planned" // somebody decided to remove it
)

// State is how far a case is.
type State string

// The states. Gone and Lapsed are ends; a case that ended opens again when the finding comes back.
const (
	Open   State = "open"   // found, nobody has decided
	Agreed State = "agreed" // somebody decided to remove it
	Sent   State = "sent"   // the deployment tool has the order
	Failed State = "failed" // the deployment tool said that it could not
	Gone   State = "gone"   // later evidence no longer has it
	Lapsed State = "lapsed" // the reason fell away: used again, allowed now, device retired
	Kept   State = "kept"   // left in place for a reason, until a date
)

// States lists all states in the order of the work.
var States = []State{Open, Agreed, Sent, Failed, Gone, Kept, Lapsed}

// Ended reports whether nothing is left to do.
func (s State) Ended() bool { return s == Gone || s == Lapsed || s == Kept }

// Act is something a person does with a case.
type Act string

// The acts.
const (
	Agree  Act = "agree"
	Send   Act = "send"
	Reopen Act = "reopen"
	Keep   Act = "keep"
)

var moves = map[Act]map[State]State{
	Agree:  {Open: Agreed},
	Send:   {Agreed: Sent, Failed: Sent},
	Reopen: {Agreed: Open, Failed: Open, Kept: Open},
	Keep:   {Open: Kept, Agreed: Kept, Failed: Kept},
}

// Do returns the state after an act, or says why the act is not possible now.
func Do(s State, a Act) (State, error) {
	to, ok := moves[a][s]
	if ok {
		return to, nil
	}
	if s == Sent {
		return s, fmt.Errorf("the removal has left the house: the next scan of the device decides")
	}
	return s, fmt.Errorf("a case that is %s cannot be changed by %q", s, a)
}

// Evidence is what the newest evidence says about a case. Times are in seconds since 1970.
type Evidence struct {
	Found    bool  // the finding stands
	Present  bool  // the install is still there
	ScanAt   int64 // the newest complete scan of the device
	Returned bool  // found again after the case had ended as gone
}

// See returns the state that evidence leads to. A removal that was sent is only judged by a scan taken after it was sent; a scan older than that proves nothing.
func See(s State, sentAt int64, e Evidence) State {
	if s.Ended() {
		if e.Found && (s == Gone || s == Lapsed) {
			return Open
		}
		return s
	}
	if !e.Present {
		if s == Sent && e.ScanAt <= sentAt {
			return s
		}
		return Gone
	}
	if !e.Found && s != Sent {
		return Lapsed
	}
	return s
}
