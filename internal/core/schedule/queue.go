package schedule

import (
	"time"

	"ensomet/internal/core/refuse"
)

// State is where an order for a scan stands.
type State string

// The states of an order. Waiting goes to running when the device's collector takes it, running to done when the scan
// is there, or to failed. A failed one waits again, by itself up to MaxTries times or by hand.
const (
	Waiting State = "waiting"
	Running State = "running"
	Done    State = "done"
	Failed  State = "failed"
	Called  State = "called off"
)

// MaxTries is how often an order is tried by itself, RetryAfter how long it waits between, and AnswerWithin how long
// a running scan may take before it counts as failed.
const (
	MaxTries     = 4
	RetryAfter   = time.Hour
	AnswerWithin = 2 * time.Hour
)

// Reasons why a scan failed, as collectors report them.
var Reasons = []string{"no route", "sign-in refused", "timed out", "half a scan", "other"}

// Order is a scan that was asked for.
type Order struct {
	State     State
	Tries     int
	NotBefore int64 // seconds since 1970
	TakenAt   int64
	EndedAt   int64
	Reason    string
}

// Take hands an order to the device's collector.
func (o Order) Take(now int64) (Order, error) {
	if o.State != Waiting {
		return o, refuse.Errorf("the scan is %s, it does not wait", o.State)
	}
	if now < o.NotBefore {
		return o, refuse.Errorf("the scan may not start yet")
	}
	o.State, o.TakenAt, o.Reason = Running, now, ""
	o.Tries++
	return o, nil
}

// Finish notes that the scan came in. A scan that arrives counts whatever was thought of its order before.
func (o Order) Finish(now int64) Order {
	if o.State == Called {
		return o
	}
	o.State, o.EndedAt, o.Reason = Done, now, ""
	return o
}

// Fail notes why a try failed. It waits for the next try, or has failed for good after the last.
func (o Order) Fail(now int64, reason string) (Order, error) {
	if o.State != Running {
		return o, refuse.Errorf("the scan is %s, it does not run", o.State)
	}
	o.Reason = reason
	if o.Tries < MaxTries {
		o.State, o.NotBefore = Waiting, now+int64(RetryAfter/time.Second)
		return o, nil
	}
	o.State, o.EndedAt = Failed, now
	return o, nil
}

// Lost reports whether a running scan has not answered in time.
func (o Order) Lost(now int64) bool {
	return o.State == Running && now-o.TakenAt > int64(AnswerWithin/time.Second)
}

// Again lets a failed or called-off order wait once more, with all its tries.
func (o Order) Again() (Order, error) {
	if o.State != Failed && o.State != Called {
		return o, refuse.Errorf("the scan is %s: only one that failed or was called off can be asked for again",
			o.State)
	}
	return Order{State: Waiting}, nil
}

// CallOff ends an order that is not wanted any more.
func (o Order) CallOff(now int64) (Order, error) {
	if o.State != Waiting && o.State != Running {
		return o, refuse.Errorf("the scan is %s already", o.State)
	}
	o.State, o.EndedAt = Called, now
	return o, nil
}
