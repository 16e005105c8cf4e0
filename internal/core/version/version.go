// Package version compares software versions by the scheme they are written in.
package version

import (
	"cmp"
	"strings"
	"unicode"

	"github.com/Masterminds/semver/v3"
	deb "github.com/knqyf263/go-deb-version"
	rpm "github.com/knqyf263/go-rpm-version"
)

// Scheme names a way of ordering version strings.
type Scheme string

// The schemes. Dotted serves every version without a published scheme: runs of digits compare as numbers, runs of
// letters by the alphabet, and a missing part counts as zero.
const (
	Dotted Scheme = "dotted"
	SemVer Scheme = "semver" // SemVer 2.0.0, section 11
	Debian Scheme = "debian" // Debian Policy, section 5.6.12
	RPM    Scheme = "rpm"
)

// Compare returns -1, 0 or 1 as a is older than, equal to or newer than b. A version that is not valid in the scheme
// is compared as Dotted, so that the order stays total.
func Compare(s Scheme, a, b string) int {
	switch s {
	case SemVer:
		x, errx := semver.StrictNewVersion(a)
		y, erry := semver.StrictNewVersion(b)
		if errx == nil && erry == nil {
			return sign(x.Compare(y))
		}
	case Debian:
		x, errx := deb.NewVersion(a)
		y, erry := deb.NewVersion(b)
		if errx == nil && erry == nil {
			return sign(x.Compare(y))
		}
	case RPM:
		x, y := rpm.NewVersion(a), rpm.NewVersion(b)
		return sign(x.Compare(y))
	}
	return compareDotted(a, b)
}

func compareDotted(a, b string) int {
	pa, pb := parts(a), parts(b)
	for i := 0; i < len(pa) || i < len(pb); i++ {
		x, y := "0", "0"
		if i < len(pa) {
			x = pa[i]
		}
		if i < len(pb) {
			y = pb[i]
		}
		if c := comparePart(x, y); c != 0 {
			return c
		}
	}
	return 0
}

// parts cuts "6.1.2b" into "6", "1", "2", "b", lower case, separators dropped.
func parts(s string) []string {
	var out []string
	start, kind := -1, 0
	flush := func(end int) {
		if start >= 0 {
			out = append(out, strings.ToLower(s[start:end]))
			start = -1
		}
	}
	for i, r := range s {
		k := 0
		if r >= '0' && r <= '9' {
			k = 1
		} else if unicode.IsLetter(r) {
			k = 2
		}
		if k != kind {
			flush(i)
		}
		if k != 0 && start < 0 {
			start = i
		}
		kind = k
	}
	flush(len(s))
	return out
}

// comparePart orders two parts: numbers by size, letters by the alphabet, and letters before numbers, so that 2.0beta
// is older than 2.0.1; a letter part against the missing part, "0", is older as well.
func comparePart(x, y string) int {
	nx, ny := isNumber(x), isNumber(y)
	switch {
	case nx && ny:
		x, y = strings.TrimLeft(x, "0"), strings.TrimLeft(y, "0")
		if len(x) != len(y) {
			if len(x) < len(y) {
				return -1
			}
			return 1
		}
		return strings.Compare(x, y)
	case nx:
		return 1
	case ny:
		return -1
	}
	return strings.Compare(x, y)
}

func isNumber(s string) bool { return s != "" && s[0] >= '0' && s[0] <= '9' }

// Begins reports whether version v begins with prefix, part by part: 5 covers 5 and 5.2 but not 50. The empty prefix
// covers every version.
func Begins(v, prefix string) bool {
	for {
		want, rest := nextPart(prefix)
		if want == "" {
			return true
		}
		have, after := nextPart(v)
		if have == "" || isNumber(have) != isNumber(want) {
			return false
		}
		if isNumber(have) {
			have, want = strings.TrimLeft(have, "0"), strings.TrimLeft(want, "0")
		}
		if have != want && !strings.EqualFold(have, want) {
			return false
		}
		v, prefix = after, rest
	}
}

// nextPart cuts the first part off a version: a run of digits or a run of letters.
func nextPart(s string) (part, rest string) {
	start, kind := -1, 0
	for i, r := range s {
		k := 0
		if r >= '0' && r <= '9' {
			k = 1
		} else if r < 0x80 && (r|0x20 >= 'a' && r|0x20 <= 'z') || r >= 0x80 && unicode.IsLetter(r) {
			k = 2
		}
		switch {
		case start >= 0 && k != kind:
			return s[start:i], s[i:]
		case start < 0 && k != 0:
			start, kind = i, k
		}
	}
	if start < 0 {
		return "", ""
	}
	return s[start:], ""
}

func sign(n int) int { return cmp.Compare(n, 0) }
