// Package casework has the states of a case and what may move it from one to the next. Nobody's click ends a case:
// evidence does, or the finding behind it falls away.
package casework

import (
	"cmp"
	"slices"

	"ensomet/internal/core/refuse"

	"github.com/shopspring/decimal"
)

// Kind says what a case is about.
type Kind string

// The kinds.
const (
	RestrictedTitle Kind = "restricted" // it is there and must not be
	ForbiddenHours  Kind = "hours"      // it was used at a time at which it must not be
	Missing         Kind = "missing"    // it is required and not there
	IdleLicence     Kind = "idle"       // it costs money and nobody uses it
	IdlePool        Kind = "pool"       // a pool has more licences than anybody ever had out
	DeniedPool      Kind = "denied"     // a pool denies licences to people
	OverusedKey     Kind = "overkey"    // licence keys are on more devices than were bought
	UnboughtKey     Kind = "unbought"   // licence keys are in use that nobody booked
	Leaver          Kind = "leaver"     // somebody who left holds a seat
	Uncovered       Kind = "uncovered"  // a product has a shortfall
	EndOfLife       Kind = "ended"      // its support has ended, and it was planned to go
	Planned         Kind = "planned"    // somebody decided to remove it
	Purchase        Kind = "purchase"   // something is wanted that costs money
	Elsewhere       Kind = "elsewhere"  // something is to be done that is not done here, such as in a contract
)

// Kinds lists all kinds in the order of the worklist.
var Kinds = []Kind{
	RestrictedTitle,
	ForbiddenHours,
	Missing,
	Uncovered,
	OverusedKey,
	UnboughtKey,
	Leaver,
	IdleLicence,
	IdlePool,
	DeniedPool,
	EndOfLife,
	Planned,
	Purchase,
	Elsewhere,
}

// Requested reports whether a case of the kind was asked for by somebody, rather than found: what was asked for is a
// request, and what is booked or changed ends it.
func (k Kind) Requested() bool { return k == Purchase || k == Elsewhere }

// Removes reports whether the work of the kind takes software off a device.
func (k Kind) Removes() bool {
	return k == RestrictedTitle || k == IdleLicence || k == EndOfLife || k == Planned || k == ForbiddenHours
}

// Installs reports whether the work of the kind puts software on a device.
func (k Kind) Installs() bool { return k == Missing }

// Asks reports whether a user can be asked about a case of the kind.
func (k Kind) Asks() bool { return k.Removes() && k != Planned }

// State is how far a case is.
type State string

// The states. Gone, Lapsed and Kept are ends; a case that ended opens again when the finding comes back.
const (
	Open     State = "open"     // found, nobody has decided
	Asked    State = "asked"    // the user was asked and may answer
	Answered State = "answered" // the user wants to keep it: somebody decides
	Silent   State = "silent"   // the user did not answer in time: somebody decides
	Agreed   State = "agreed"   // somebody decided to do it
	Approved State = "approved" // a second person has agreed
	Waiting  State = "waiting"  // the order waits to leave the house
	Sent     State = "sent"     // the deployment tool has the order
	Failed   State = "failed"   // the deployment tool said that it could not, or nothing at all
	Gone     State = "gone"     // later evidence shows that it is done
	Lapsed   State = "lapsed"   // the reason fell away: used again, allowed now, device retired
	Kept     State = "kept"     // left as it is for a reason, until a date
)

// States lists all states in the order of the work.
var States = []State{Open, Asked, Answered, Silent, Agreed, Approved, Waiting, Sent, Failed, Gone, Kept, Lapsed}

// Ended reports whether nothing is left to do.
func (s State) Ended() bool { return s == Gone || s == Lapsed || s == Kept }

// Decides reports whether a case in the state waits for somebody here to decide.
func (s State) Decides() bool {
	return s == Open || s == Answered || s == Silent || s == Failed
}

// Act is something that is done with a case.
type Act string

// The acts of people here. Undo is no move of its own: it goes back to where the last one came from.
const (
	Ask     Act = "ask"
	Agree   Act = "agree"
	Approve Act = "approve"
	Send    Act = "send"
	Keep    Act = "keep"
	Reopen  Act = "reopen"
	Order   Act = "order" // of a purchase: it was ordered, under a number
	Drop    Act = "drop"  // of what was asked for: it is not wanted any more
	Undo    Act = "undo"
)

// The acts of others: the user that was asked, the passing of time, and the deployment tool.
const (
	SaysNo   Act = "not needed"
	SaysYes  Act = "needed"
	TimeOver Act = "no answer"
	Leaves   Act = "leaves"
	Fails    Act = "fails"
	Halts    Act = "halts" // a wave was paused or called off before the order left
)

// ByHand lists the acts of people here, in the order in which they are offered.
var ByHand = []Act{Ask, Agree, Approve, Send, Order, Keep, Drop, Reopen}

var moves = map[Act]map[State]State{
	Ask:      {Open: Asked, Answered: Asked, Silent: Asked},
	Agree:    {Open: Agreed, Asked: Agreed, Answered: Agreed, Silent: Agreed},
	Approve:  {Agreed: Approved},
	Send:     {Agreed: Waiting, Approved: Waiting, Failed: Waiting},
	Keep:     {Open: Kept, Asked: Kept, Answered: Kept, Silent: Kept, Agreed: Kept, Approved: Kept, Failed: Kept},
	Reopen:   {Asked: Open, Answered: Open, Silent: Open, Agreed: Open, Approved: Open, Failed: Open, Kept: Open},
	SaysNo:   {Asked: Agreed, Silent: Agreed, Answered: Agreed},
	SaysYes:  {Asked: Answered, Silent: Answered},
	TimeOver: {Asked: Silent},
	Leaves:   {Waiting: Sent},
	Fails:    {Sent: Failed, Waiting: Failed},
	Halts:    {Waiting: Agreed},
}

// asked are the moves of what was asked for: a purchase is approved, ordered, and ends when it is booked; something to
// be done elsewhere is seen to by somebody, and ends when it shows.
var asked = map[Kind]map[Act]map[State]State{
	Purchase: {
		Approve: {Open: Approved},
		Order:   {Open: Sent, Approved: Sent},
		Drop:    {Open: Lapsed, Approved: Lapsed, Sent: Lapsed},
		Reopen:  {Approved: Open, Lapsed: Open},
	},
	Elsewhere: {
		Agree:  {Open: Agreed},
		Drop:   {Open: Lapsed, Agreed: Lapsed},
		Reopen: {Agreed: Open, Lapsed: Open},
	},
}

// Rules is what a house asks of its own people.
type Rules struct {
	TwoPersons bool // what is sent must be approved by somebody else than who agreed
	// what a purchase may cost without the approval of somebody else than who wants it, in the currency of the house
	ApproveAbove decimal.Decimal
	House        string // the currency of the house
}

// Do returns the state of a case of a kind after an act, or says why the act is not possible now.
func Do(k Kind, s State, a Act, r Rules) (State, error) {
	if k.Requested() {
		to, ok := asked[k][a][s]
		if !ok {
			return s, refuse.Errorf("what is %s cannot be changed by %q", AskedWord(k, s), a)
		}
		return to, nil
	}
	switch {
	case a == Order || a == Drop:
		return s, refuse.Errorf("nobody asked for it: it was found")
	case a == Ask && !k.Asks():
		return s, refuse.Errorf("there is nobody to ask about it")
	case a == Send && !k.Removes() && !k.Installs():
		return s, refuse.Errorf("this is no work for the deployment tool")
	case a == Send && r.TwoPersons && s == Agreed:
		return s, refuse.Errorf("it must be approved by a second person before it is sent")
	}
	to, ok := moves[a][s]
	if ok {
		return to, nil
	}
	if s == Sent {
		return s, refuse.Errorf("the order has left the house: the next scan of the device decides")
	}
	return s, refuse.Errorf("a case that is %s cannot be changed by %q", s, a)
}

// Can lists what people here may do with a case now.
func (c *Case) Can(r Rules) []Act {
	return slices.DeleteFunc(slices.Clone(ByHand), func(a Act) bool {
		_, err := Do(c.Kind, c.State, a, r)
		switch {
		case err != nil:
			return true
		case c.Kind == Purchase:
			needs := c.State == Open && c.NeedsApproval(r)
			return a == Order && needs || a == Approve && !needs
		}
		return a == Approve && !r.TwoPersons
	})
}

// NeedsApproval reports whether somebody else has to approve a purchase before it is ordered: where it costs more than
// the house says, or nobody knows what it costs. An amount from when the house had another currency is not known in the
// one that it has now.
func (c *Case) NeedsApproval(r Rules) bool {
	amount, err := decimal.NewFromString(c.Amount)
	other := c.Currency != "" && r.House != "" && c.Currency != r.House
	return err != nil || other || amount.GreaterThan(r.ApproveAbove)
}

// AskedWord calls a state of what was asked for by what it means there.
func AskedWord(k Kind, s State) string {
	words := map[State]string{Open: "to do", Agreed: "seen to", Gone: "done", Lapsed: "dropped"}
	if k == Purchase {
		words = map[State]string{Open: "wanted", Sent: "ordered", Gone: "booked", Lapsed: "dropped"}
	}
	return cmp.Or(words[s], string(s))
}

// Evidence is what the newest evidence says about a case. Times are in seconds since 1970.
type Evidence struct {
	Found bool // the finding stands
	// what the work is to change is still as it was: the install is there, the required one is not, the seat is held
	Present bool
	ScanAt  int64 // the newest complete scan of the device
	GoneAt  int64 // when the case ended as gone
	// what somebody changed that it rested on, where that is why nothing is found any more: who, and in words
	By, Because string
}

// Stands is how many seconds a thing must stay away for what was saved by it to stand; what is there again before
// that has come back.
const Stands = 90 * 86400

// See returns the state that evidence leads to. An order that was sent is only judged by a scan taken after it was
// sent; a scan older than that proves nothing.
func See(s State, sentAt int64, e Evidence) State {
	if s.Ended() {
		if e.Found && (s == Gone || s == Lapsed) {
			return Open
		}
		if s == Gone && e.Present && e.ScanAt < e.GoneAt+Stands {
			return Lapsed // it is back, though nothing is wrong with it now
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

// Removal is a case that would take a product off a device, or a seat back from a person.
type Removal struct {
	Case   int64
	Kind   Kind
	Device string // its device_id
	Person string // user_id, where it is a seat
}
