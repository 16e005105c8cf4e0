// Package clock tells the time to whatever needs it, so that a demo and a test have a time of their own.
package clock

import "time"

// Clock tells the time.
type Clock interface{ Now() time.Time }

// Wall is the machine's own clock.
type Wall struct{}

// Now returns the time, in UTC.
func (Wall) Now() time.Time { return time.Now().UTC() }
