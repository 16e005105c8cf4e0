package casework

import (
	"slices"
	"testing"

	"github.com/shopspring/decimal"
)

func TestNoActEndsACaseAsGone(t *testing.T) {
	for _, k := range Kinds {
		for _, s := range States {
			for a := range moves {
				if to, err := Do(k, s, a, Rules{}); err == nil && (to == Gone || to == Lapsed) {
					t.Errorf("%s by %s is %s without evidence", s, a, to)
				}
			}
		}
		if _, err := Do(k, Open, Send, Rules{}); err == nil {
			t.Error("a removal is sent only after somebody agreed")
		}
		for a := range moves {
			if to, err := Do(k, Sent, a, Rules{}); err == nil && to != Failed {
				t.Errorf("what has left the house is %s by %s", to, a)
			}
		}
	}
}

func TestWhatCanBeDone(t *testing.T) {
	for _, c := range []struct {
		k    Kind
		s    State
		r    Rules
		want []Act
	}{
		{IdleLicence, Open, Rules{}, []Act{Ask, Agree, Keep}},
		{RestrictedTitle, Asked, Rules{}, []Act{Agree, Keep, Reopen}},
		{IdleLicence, Answered, Rules{}, []Act{Ask, Agree, Keep, Reopen}},
		{IdleLicence, Agreed, Rules{}, []Act{Send, Keep, Reopen}},
		{IdleLicence, Agreed, Rules{TwoPersons: true}, []Act{Approve, Keep, Reopen}},
		{IdleLicence, Approved, Rules{TwoPersons: true}, []Act{Send, Keep, Reopen}},
		{Missing, Open, Rules{}, []Act{Agree, Keep}},
		{Missing, Agreed, Rules{}, []Act{Send, Keep, Reopen}},
		{Leaver, Agreed, Rules{}, []Act{Keep, Reopen}},
		{IdlePool, Open, Rules{}, []Act{Agree, Keep}},
		{Planned, Waiting, Rules{}, nil},
		{Planned, Sent, Rules{}, nil},
		{IdleLicence, Kept, Rules{}, []Act{Reopen}},
		{IdleLicence, Gone, Rules{}, nil},
		{DeniedPool, Open, Rules{}, []Act{Agree, Keep}},
		{Purchase, Open, Rules{}, []Act{Approve, Drop}},
		{Purchase, Open, Rules{ApproveAbove: decimal.New(1500, 0)}, []Act{Order, Drop}},
		{Purchase, Approved, Rules{}, []Act{Order, Drop, Reopen}},
		{Purchase, Sent, Rules{TwoPersons: true}, []Act{Drop}},
		{Purchase, Lapsed, Rules{}, []Act{Reopen}},
		{Purchase, Gone, Rules{}, nil},
		{Elsewhere, Open, Rules{TwoPersons: true}, []Act{Agree, Drop}},
		{Elsewhere, Agreed, Rules{}, []Act{Drop, Reopen}},
	} {
		about := &Case{Kind: c.k, State: c.s, Finding: Finding{Amount: "1500"}}
		if got := about.Can(c.r); !slices.Equal(got, c.want) {
			t.Errorf("%s, %s: %v, want %v", c.k, c.s, got, c.want)
		}
	}
}

func TestSee(t *testing.T) {
	for _, c := range []struct {
		s    State
		e    Evidence
		want State
	}{
		{Open, Evidence{Found: true, Present: true, ScanAt: 200}, Open},
		{Asked, Evidence{Found: true, Present: true, ScanAt: 200}, Asked},
		{Sent, Evidence{Found: true, Present: true, ScanAt: 200}, Sent},
		{Sent, Evidence{Present: false, ScanAt: 200}, Gone},
		{Sent, Evidence{Present: false, ScanAt: 100}, Sent}, // the scan is not later than the order
		{Open, Evidence{Present: false, ScanAt: 200}, Gone},
		{Waiting, Evidence{Present: false, ScanAt: 200}, Gone},
		{Agreed, Evidence{Present: true, Found: false, ScanAt: 200}, Lapsed},
		{Silent, Evidence{Present: true, Found: false, ScanAt: 200}, Lapsed},
		{Sent, Evidence{Present: true, Found: false, ScanAt: 200}, Sent},
		{Gone, Evidence{Found: true, Present: true, ScanAt: 300}, Open}, // it came back by itself
		{Lapsed, Evidence{Found: true, Present: true}, Open},
		{Kept, Evidence{Found: true, Present: true}, Kept},
		{Gone, Evidence{}, Gone},
		{Gone, Evidence{Present: true, ScanAt: 300, GoneAt: 200}, Lapsed}, // back within days, and not wrong now
		{Gone, Evidence{Present: true, ScanAt: 200 + Stands, GoneAt: 200}, Gone},
	} {
		if got := See(c.s, 100, c.e); got != c.want {
			t.Errorf("%s with %+v: %s, want %s", c.s, c.e, got, c.want)
		}
	}
}

func TestWave(t *testing.T) {
	for _, c := range []struct {
		w     Wave
		s     Sofar
		leave int
		pause bool
	}{
		{Wave{PerDay: 0, MaxFails: 20}, Sofar{Waiting: 40}, 40, false},
		{Wave{PerDay: 10, MaxFails: 20}, Sofar{Waiting: 40}, 10, false},
		{Wave{PerDay: 10, MaxFails: 20}, Sofar{Waiting: 40, Today: 7}, 3, false},
		{Wave{PerDay: 10, MaxFails: 20}, Sofar{Waiting: 4, Today: 10}, 0, false},
		{Wave{PerDay: 10, MaxFails: 20}, Sofar{Waiting: 30, Done: 8, Failed: 2}, 10, false},
		{Wave{PerDay: 10, MaxFails: 20}, Sofar{Waiting: 30, Done: 7, Failed: 3}, 0, true},
		{Wave{PerDay: 10, MaxFails: 20}, Sofar{Waiting: 30, Failed: 2}, 10, false}, // two answers say little
		{Wave{PerDay: 10, MaxFails: 0}, Sofar{Waiting: 30, Done: 99, Failed: 1}, 0, true},
	} {
		if n, p := c.w.Next(c.s); n != c.leave || p != c.pause {
			t.Errorf("%+v with %+v: %d %v", c.w, c.s, n, p)
		}
	}
}
