package casework

import (
	"fmt"

	"ensomet/internal/core/civil"
)

// Ground is what a finding rests on: a stance, a rule of when to reclaim, or a plan, by its number. The usual rule of
// when to reclaim has the number 0.
type Ground struct {
	Kind string // stance, reclaim, plan; empty where it rests on none
	ID   int64
}

// The kinds of grounds.
const (
	OnStance  = "stance"
	OnReclaim = "reclaim"
	OnPlan    = "plan"
)

// Sends lists the kinds of cases of a ground whose work the deployment tool can do without anybody's looking at each.
// What was used at a wrong hour is for people to talk about.
func (g Ground) Sends() []Kind {
	switch g.Kind {
	case OnStance:
		return []Kind{RestrictedTitle, Missing}
	case OnReclaim:
		return []Kind{IdleLicence}
	case OnPlan:
		return []Kind{EndOfLife}
	}
	return nil
}

// Standing is a decision that holds beforehand: the cases of a ground are agreed and sent by themselves, within limits.
type Standing struct {
	PerDay   int       // how many cases it takes, and how many orders leave, on one day; at least 1
	MaxFails int       // percent of the answered orders that may fail before it pauses
	Until    civil.Day // its last day, or unknown
	// the revision of its ground that whoever answers for it has seen, and the one that it has now; below 0 where the
	// ground is not in force any more
	Seen, Now int64
	Author    string // who answers for it
	MayWork   bool   // he has an account here that may
	Approved  string // who approved it as second person; empty is nobody
}

// StandingSofar is what came of a standing decision: cases that it took today, and what was answered of its orders
// since it was last let go on.
type StandingSofar struct{ Today, Done, Failed int }

// Pauses says why a standing decision takes nothing until somebody looks at it; empty where nothing speaks against it.
// Its last day is such a reason too.
func (s Standing) Pauses(sofar StandingSofar, r Rules, today civil.Day) string {
	_, fails := Wave{PerDay: s.PerDay, MaxFails: s.MaxFails}.Next(Sofar{Done: sofar.Done, Failed: sofar.Failed})
	switch {
	case s.Now < 0:
		return "What it rests on is not in force any more."
	case s.Now != s.Seen:
		return "What it rests on was changed: look at what it takes now."
	case !s.MayWork:
		return fmt.Sprintf("%s, who answers for it, has no account here any more that may send.", s.Author)
	case r.TwoPersons && s.Approved == "":
		return "A second person has to approve it."
	case s.Until.Known() && s.Until < today:
		return fmt.Sprintf("Its last day was %s.", s.Until)
	case fails:
		return fmt.Sprintf("%d of %d answers were failures, more than %d %%: look at them before more leave.",
			sofar.Failed, sofar.Done+sofar.Failed, s.MaxFails)
	}
	return ""
}

// Take says how many more cases it takes today.
func (s Standing) Take(sofar StandingSofar) int { return max(0, s.PerDay-sofar.Today) }
