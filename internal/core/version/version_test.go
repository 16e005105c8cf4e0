package version

import (
	"os/exec"
	"testing"
)

// The order given as an example in Semantic Versioning 2.0.0, sections 11.2 and 11.4 (semver.org).
func TestSemVerPublishedOrder(t *testing.T) {
	for _, order := range [][]string{
		{"1.0.0", "2.0.0", "2.1.0", "2.1.1"},
		{"1.0.0-alpha", "1.0.0-alpha.1", "1.0.0-alpha.beta", "1.0.0-beta", "1.0.0-beta.2", "1.0.0-beta.11",
			"1.0.0-rc.1", "1.0.0"},
	} {
		inOrder(t, SemVer, order)
	}
	if Compare(SemVer, "1.0.0+20130313144700", "1.0.0+exp.sha.5114f85") != 0 {
		t.Error("section 10: build metadata does not count in precedence")
	}
}

// Debian Policy Manual, section 5.6.12: the order of parts with a tilde is given as ~~, ~~a, ~, the empty part, a.
func TestDebianPublishedOrder(t *testing.T) {
	order := []string{"1.0~~", "1.0~~a", "1.0~", "1.0", "1.0a"}
	inOrder(t, Debian, order)
	inOrder(t, Debian, []string{"0.9.9", "1.0~beta1~svn1245", "1.0~beta1", "1.0", "1.0-1", "1.0-1+b1", "1:0.4"})
	if _, err := exec.LookPath("dpkg"); err != nil {
		t.Log("dpkg is not on this machine: checked against the policy's table alone")
		return
	}
	all := append(order, "0.9.9", "1.0-1", "1.0-1+b1", "1:0.4", "2.0+dfsg-3", "1.0~rc1-2", "10.2", "9.10")
	for _, a := range all {
		for _, b := range all {
			want := 1
			if exec.Command("dpkg", "--compare-versions", a, "lt", b).Run() == nil {
				want = -1
			} else if exec.Command("dpkg", "--compare-versions", a, "eq", b).Run() == nil {
				want = 0
			}
			if got := Compare(Debian, a, b); got != want {
				t.Errorf("Compare(%q, %q) = %d, dpkg says %d", a, b, got, want)
			}
		}
	}
}

func TestDottedOrder(t *testing.T) {
	inOrder(t, Dotted, []string{"2.0beta", "2.0", "2.0.1", "2.0.1.5", "2.9", "2.10", "2019", "2026"})
	for _, same := range [][2]string{{"5", "5.0.0"}, {"6.01", "6.1"}, {"V7", "v7"}, {"1-2", "1.2"}} {
		if Compare(Dotted, same[0], same[1]) != 0 {
			t.Errorf("%q and %q are the same version", same[0], same[1])
		}
	}
}

func inOrder(t *testing.T, s Scheme, order []string) {
	t.Helper()
	for i := range order {
		for j := range order {
			want := 0
			if i < j {
				want = -1
			} else if i > j {
				want = 1
			}
			if got := Compare(s, order[i], order[j]); got != want {
				t.Errorf("%s: Compare(%q, %q) = %d, want %d", s, order[i], order[j], got, want)
			}
		}
	}
}

func TestBegins(t *testing.T) {
	for _, c := range []struct {
		v, prefix string
		want      bool
	}{
		{"5", "5", true}, {"5.2", "5", true}, {"50", "5", false}, {"5", "5.2", false}, {"", "", true},
		{"", "5", false},
		{"5.2.1", "5.2", true}, {"5.20", "5.2", false}, {"2024 R2", "2024", true}, {"6", "", true},
		{"05.2", "5", true},
	} {
		if got := Begins(c.v, c.prefix); got != c.want {
			t.Errorf("Begins(%q, %q) = %v", c.v, c.prefix, got)
		}
	}
}

func FuzzCompareIsAnOrder(f *testing.F) {
	f.Add("1.0", "1.0.0", "1.0a")
	f.Add("1:2-3", "2024 R2", "v7")
	f.Fuzz(func(t *testing.T, a, b, c string) {
		if Compare(Dotted, a, a) != 0 || Compare(Dotted, a, b) != -Compare(Dotted, b, a) {
			t.Fatalf("%q and %q: not antisymmetric", a, b)
		}
		if Compare(Dotted, a, b) <= 0 && Compare(Dotted, b, c) <= 0 && Compare(Dotted, a, c) > 0 {
			t.Fatalf("%q <= %q <= %q but not %q <= %q", a, b, c, a, c)
		}
	})
}

// Cases of RPM's own test suite, tests/rpmvercmp.at of rpm 4.18 (from memory).
func TestRPMOrder(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{
		{"1.0", "1.0", 0}, {"1.0", "2.0", -1}, {"2.0", "1.0", 1}, {"2.0.1", "2.0.1", 0}, {"2.0", "2.0.1", -1},
		{"2.0.1a", "2.0.1a", 0}, {"2.0.1a", "2.0.1", 1},
		{"5.5p1", "5.5p1", 0}, {"5.5p1", "5.5p2", -1}, {"5.5p10", "5.5p1", 1}, {"10xyz", "10.1xyz", -1},
		{"xyz10", "xyz10.1", -1}, {"xyz.4", "xyz.4", 0}, {"xyz.4", "8", -1}, {"xyz.4", "2", -1},
		{"5.5p2", "5.6p1", -1}, {"5.6p1", "6.5p1", -1}, {"6.0.rc1", "6.0", 1}, {"10b2", "10a1", 1},
		{"10a2", "10b2", -1}, {"1.0aa", "1.0aa", 0}, {"1.0a", "1.0aa", -1},
		{"10.0001", "10.0001", 0}, {"10.0001", "10.1", 0}, {"10.1", "10.0001", 0}, {"10.0001", "10.0039", -1},
		{"4.999.9", "5.0", -1}, {"20101121", "20101122", -1}, {"2_0", "2_0", 0}, {"2.0", "2_0", 0},
		{"a", "a", 0}, {"a+", "a_", 0}, {"+a", "_a", 0}, {"_+", "+_", 0}, {"+", "_", 0}, {"1.0~rc1", "1.0~rc1", 0},
		{"1.0~rc1", "1.0", -1}, {"1.0", "1.0~rc1", 1}, {"1.0~rc1", "1.0~rc2", -1},
		{"1.0~rc1~git123", "1.0~rc1", -1}, {"1.0^", "1.0^", 0}, {"1.0^", "1.0", 1}, {"1.0^git1", "1.0", 1},
		{"1.0^git1", "1.0^git2", -1}, {"1.0^git1", "1.01", -1}, {"1.0^20160101", "1.0.1", -1},
		{"1.0^20160102", "1.0^20160101^git1", 1}, {"1.0~rc1^git1", "1.0~rc1", 1}, {"1.0^git1~pre", "1.0^git1", -1},
		{"1b.fc17", "1.fc17", -1}, {"1g.fc17", "1.fc17", 1}, {"0:1.0-1", "1:0.1-1", -1},
	} {
		if got := Compare(RPM, c.a, c.b); got != c.want {
			t.Errorf("%s and %s: %d, want %d", c.a, c.b, got, c.want)
		}
		if got := Compare(RPM, c.b, c.a); got != -c.want {
			t.Errorf("%s and %s: %d, want %d", c.b, c.a, got, -c.want)
		}
	}
}
