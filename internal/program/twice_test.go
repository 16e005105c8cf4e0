package program

import (
	"context"
	"strings"
	"testing"

	"ensomet/internal/formats"
)

// The same thing twice in one file with other values: the first stands, and the second waits for somebody, whatever
// comes in after it; nothing tries it again by itself.
func TestTheSameThingTwiceWaits(t *testing.T) {
	prog, _ := desk(t)
	for _, kind := range []struct {
		kind  *formats.Kind
		lines []string
		is    string
	}{
		{formats.Devices, []string{"device_id,name,kind", "D1,one,client", "D1,other,client"},
			"SELECT name FROM device WHERE code = 'D1'"},
		{formats.Users, []string{"user_id,name", "u1,one", "u1,other"}, "SELECT name FROM person WHERE code = 'u1'"},
		{formats.Contracts, []string{"contract,name", "C-1,one", "C-1,other"},
			"SELECT name FROM contract WHERE code = 'C-1'"},
	} {
		res := take(t, prog, kind.kind, kind.lines...)
		if len(res.Aside) != 1 || !strings.Contains(res.Aside[0].Reason, "one of the two must go") {
			t.Errorf("%s: %+v", kind.kind.Name, res)
		}
		take(t, prog, formats.Rates, "currency,on,per_eur", "NOK,2026-01-01,11.4")
		if n, err := prog.Evidence.Retry(context.Background(), "test"); n != 0 || err != nil {
			t.Errorf("%s: %d went in, %v", kind.kind.Name, n, err)
		}
		if got := textsOf(t, prog, kind.is); got[0] != "one" {
			t.Errorf("%s: %q holds", kind.kind.Name, got)
		}
	}
}
