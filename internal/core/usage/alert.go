package usage

import "ensomet/internal/core/civil"

// Alert is something about a pool that somebody should look at.
type Alert string

// The alerts, the gravest first.
const (
	AlertLost    Alert = "lost"         // the connection to its server is lost
	AlertExpired Alert = "expired"      // its licences have expired
	AlertExpires Alert = "expires soon" // its licences expire within ExpiryDays
	AlertDenied  Alert = "denied"       // somebody got none in the last 30 days
	// its server has told nothing for SilentDays, though the connection is not known to be lost
	AlertSilent Alert = "silent"
)

// ExpiryDays is how many days ahead an expiry is told of; SilentDays, how long a server may tell nothing.
const (
	ExpiryDays = 60
	SilentDays = 7
)

// PoolState is what alerts go by.
type PoolState struct {
	Lost    bool
	Expires civil.Day // 0 is never
	Denials int64     // in the last 30 days
	LastDay civil.Day // of the last report of the pool or of another of its server; 0 is never
}

// Alerts lists what is to be looked at on a day, the gravest first.
func (s PoolState) Alerts(today civil.Day) []Alert {
	var out []Alert
	if s.Lost {
		out = append(out, AlertLost)
	}
	switch {
	case s.Expires == 0:
	case s.Expires < today:
		out = append(out, AlertExpired)
	case s.Expires <= today+ExpiryDays:
		out = append(out, AlertExpires)
	}
	if s.Denials > 0 {
		out = append(out, AlertDenied)
	}
	if !s.Lost && s.LastDay < today-SilentDays {
		out = append(out, AlertSilent)
	}
	return out
}
