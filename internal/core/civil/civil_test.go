package civil

import (
	"testing"
	"time"
)

func TestParseAndString(t *testing.T) {
	for _, s := range []string{"0001-01-01", "1582-10-15", "1970-01-01", "2000-02-29", "2026-06-30", "9999-12-31"} {
		d, err := Parse(s)
		if err != nil || d.String() != s {
			t.Errorf("Parse(%q) = %v, %v", s, d, err)
		}
	}
	if MustParse("0001-01-01") != 1 || MustParse("1970-01-01") != epoch {
		t.Error("day 1 is 0001-01-01 and the epoch constant is 1970-01-01")
	}
	for _, s := range []string{"2026-02-30", "2026-13-01", "30.06.2026", "2026-6-3", "yesterday"} {
		if _, err := Parse(s); err == nil {
			t.Errorf("Parse(%q) accepted a date that is none", s)
		}
	}
	if d, err := Parse(""); err != nil || d.Known() || d.String() != "" {
		t.Error("the empty date is the unknown day")
	}
}

// Every day agrees with the standard library's calendar.
func TestAgainstTimePackage(t *testing.T) {
	for u := int64(-5_000_000_000); u < 9_000_000_000; u += 86400*3 + 7919 {
		at := time.Unix(u, 0).UTC()
		if Of(at) != OfUnix(u) || Of(at).String() != at.Format("2006-01-02") {
			t.Fatalf("%v: Of %v, OfUnix %v", at, Of(at), OfUnix(u))
		}
		if Of(at).Start(time.UTC).After(at) || Of(at).EndUnix() <= u {
			t.Fatalf("%v lies outside its own day", at)
		}
	}
}
