package casework

import (
	"strings"
	"testing"

	"ensomet/internal/core/civil"
)

func TestStandingDecisionPauses(t *testing.T) {
	today := civil.MustParse("2026-11-29")
	good := Standing{PerDay: 5, MaxFails: 20, Seen: 3, Now: 3, Author: "Oddny", MayWork: true, Until: today}
	for _, c := range []struct {
		what  string
		from  func(*Standing)
		sofar StandingSofar
		rules Rules
		says  string // empty: it goes on
	}{
		{"nothing happened", func(*Standing) {}, StandingSofar{}, Rules{}, ""},
		{"its last day is over", func(s *Standing) { s.Until = today - 1 }, StandingSofar{}, Rules{}, "last day"},
		{"it has no last day", func(s *Standing) { s.Until = 0 }, StandingSofar{}, Rules{}, ""},
		{"changed", func(s *Standing) { s.Now = 4 }, StandingSofar{}, Rules{}, "was changed"},
		{"ended", func(s *Standing) { s.Now = -1 }, StandingSofar{}, Rules{}, "not in force"},
		{"who set it left", func(s *Standing) { s.MayWork = false }, StandingSofar{}, Rules{}, "Oddny"},
		{"alone", func(*Standing) {}, StandingSofar{}, Rules{TwoPersons: true}, "second person"},
		{"by two", func(s *Standing) { s.Approved = "Perlo" }, StandingSofar{}, Rules{TwoPersons: true}, ""},
		{"two failures say nothing yet", func(*Standing) {}, StandingSofar{Failed: 2}, Rules{}, ""},
		{"three do", func(*Standing) {}, StandingSofar{Failed: 3}, Rules{}, "3 of 3 answers"},
		{"one of five may", func(*Standing) {}, StandingSofar{Done: 4, Failed: 1}, Rules{}, ""},
		{"two of nine may not", func(*Standing) {}, StandingSofar{Done: 7, Failed: 2}, Rules{}, "2 of 9 answers"},
	} {
		s := good
		c.from(&s)
		got := s.Pauses(c.sofar, c.rules, today)
		if (c.says == "") != (got == "") || !strings.Contains(got, c.says) {
			t.Errorf("%s: %q", c.what, got)
		}
	}
	for taken, want := range map[int]int{0: 5, 4: 1, 5: 0, 9: 0} {
		if got := good.Take(StandingSofar{Today: taken}); got != want {
			t.Errorf("%d taken: takes %d, want %d", taken, got, want)
		}
	}
}

// Whatever a standing decision sends by itself somebody could send by hand.
func TestStandingDecisionsSendWhatCanBeSent(t *testing.T) {
	for _, g := range []string{OnStance, OnReclaim, OnPlan, ""} {
		for _, k := range (Ground{Kind: g}).Sends() {
			if _, err := Do(k, Agreed, Send, Rules{}); err != nil {
				t.Errorf("%s: %v", k, err)
			}
		}
	}
}
