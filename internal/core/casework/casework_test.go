package casework

import "testing"

func TestNoActEndsACaseAsGone(t *testing.T) {
	for _, s := range States {
		for _, a := range []Act{Agree, Send, Reopen, Keep} {
			if to, err := Do(s, a); err == nil && to == Gone {
				t.Errorf("%s by %s is gone without evidence", s, a)
			}
		}
	}
	if _, err := Do(Open, Send); err == nil {
		t.Error("a removal is sent only after somebody agreed")
	}
	if _, err := Do(Sent, Reopen); err == nil {
		t.Error("what has left the house cannot be taken back")
	}
}

func TestSee(t *testing.T) {
	for _, c := range []struct {
		s    State
		e    Evidence
		want State
	}{
		{Open, Evidence{Found: true, Present: true, ScanAt: 200}, Open},
		{Sent, Evidence{Found: true, Present: true, ScanAt: 200}, Sent},
		{Sent, Evidence{Present: false, ScanAt: 200}, Gone},
		{Sent, Evidence{Present: false, ScanAt: 100}, Sent}, // the scan is not later than the order
		{Open, Evidence{Present: false, ScanAt: 200}, Gone},
		{Agreed, Evidence{Present: true, Found: false, ScanAt: 200}, Lapsed},
		{Sent, Evidence{Present: true, Found: false, ScanAt: 200}, Sent},
		{Gone, Evidence{Found: true, Present: true, ScanAt: 300}, Open}, // it came back by itself
		{Lapsed, Evidence{Found: true, Present: true}, Open},
		{Kept, Evidence{Found: true, Present: true}, Kept},
		{Gone, Evidence{}, Gone},
	} {
		if got := See(c.s, 100, c.e); got != c.want {
			t.Errorf("%s with %+v: %s, want %s", c.s, c.e, got, c.want)
		}
	}
}
