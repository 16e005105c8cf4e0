package usage

import (
	"slices"
	"testing"

	"ensomet/internal/core/civil"
)

func TestAlerts(t *testing.T) {
	const today = civil.Day(20000)
	for name, c := range map[string]struct {
		state PoolState
		want  []Alert
	}{
		"all is well":                {PoolState{LastDay: today}, nil},
		"the seventh silent day":     {PoolState{LastDay: today - 7}, nil},
		"the eighth silent day":      {PoolState{LastDay: today - 8}, []Alert{AlertSilent}},
		"it has never told anything": {PoolState{}, []Alert{AlertSilent}},
		"lost is not silent too":     {PoolState{Lost: true, LastDay: today - 90}, []Alert{AlertLost}},
		"its last day":               {PoolState{LastDay: today, Expires: today}, []Alert{AlertExpires}},
		"the day after":              {PoolState{LastDay: today, Expires: today - 1}, []Alert{AlertExpired}},
		"sixty days ahead":           {PoolState{LastDay: today, Expires: today + 60}, []Alert{AlertExpires}},
		"sixty-one days ahead":       {PoolState{LastDay: today, Expires: today + 61}, nil},
		"all at once, the gravest first": {PoolState{Lost: true, Expires: today - 3, Denials: 2,
			LastDay: today - 20}, []Alert{AlertLost, AlertExpired, AlertDenied}},
		"denied, and then nothing was told": {PoolState{Denials: 1, LastDay: today - 8},
			[]Alert{AlertDenied, AlertSilent}},
	} {
		if got := c.state.Alerts(today); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}
