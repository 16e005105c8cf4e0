package recognise

import (
	"strings"

	"ensomet/internal/core/version"
)

// findVersion marks version words at the end, and anywhere where they agree with the version field or can be nothing
// else.
func (a *Apart) findVersion() {
	first := a.firstName()
	for i := first + 1; i < len(a.words); i++ {
		w := &a.words[i]
		if w.class != ofName || !isVersion(w.text) {
			continue
		}
		bare := strings.TrimPrefix(w.text, "v")
		year := len(bare) == 4 && allDigits(bare) && bare >= "1980" && bare < "2040"
		agrees := a.FieldVersion != "" &&
			(version.Begins(a.FieldVersion, bare) || version.Begins(bare, a.FieldVersion))
		if !year && !agrees && strings.IndexByte(bare, '.') < 0 && !a.tail(i+1) {
			continue
		}
		w.class = ofVersion
		if a.NameVersion == "" || year && strings.IndexByte(a.NameVersion, '.') < 0 {
			a.NameVersion = bare
		}
		if !year && allDigits(bare) && a.words[i-1].class == ofName && a.words[i-1].role&releaseWord == 0 {
			w.class = ofMajor
		}
		for j := i - 1; j > first && a.words[j].role&releaseWord != 0 && a.words[j].class == ofName; j-- {
			a.words[j].class = ofRelease
		}
		for j := i + 1; j < len(a.words) && numbered(a.words[j].text) && a.words[j].class == ofName &&
			!allDigits(a.words[j].text); j++ {
			a.words[j].class = ofVersion // 2012 R2, 2019 SP1
		}
	}
	for i := len(a.words) - 1; i > first && (a.words[i].class != ofName || a.words[i].role&releaseWord != 0); i-- {
		if a.words[i].class == ofName {
			a.words[i].class = ofRelease
		}
	}
}

// tail reports whether the words from here on are only such as may follow a version.
func (a *Apart) tail(from int) bool {
	for _, w := range a.words[from:] {
		if w.class == ofName && !isVersion(w.text) && !numbered(w.text) {
			return false
		}
	}
	return true
}

// isVersion reports whether a word reads like a version: digits first, perhaps behind a v, then digits, dots, and a
// short word of letters such as rc1. What is a size or a count of dimensions is none.
func isVersion(w string) bool {
	if len(w) > 1 && (w[0] == 'v' || w[0] == 'r') {
		w = w[1:]
	}
	if w[0] < '0' || w[0] > '9' {
		return false
	}
	letters, dots := 0, false
	for i := range len(w) {
		switch c := w[i]; {
		case c >= '0' && c <= '9':
		case c == '.' || c == '+':
			dots = true
		case c >= 'a' && c <= 'z':
			letters++
		default:
			return false
		}
	}
	if letters == 0 {
		return true
	}
	if len(w) == 2 && (w[1] == 'd' || w[1] == 'k') {
		return false
	}
	return letters == 1 && w[len(w)-1] > '9' || dots
}

// numbered reports whether a word is a number, perhaps with the letters of a service pack, an update or a release
// before it.
func numbered(w string) bool {
	for _, p := range [...]string{"kb", "sp", "r", "u"} {
		if len(w) > len(p) && strings.HasPrefix(w, p) {
			w = w[len(p):]
			break
		}
	}
	for i := range len(w) {
		if c := w[i]; (c < '0' || c > '9') && (c != '.' || i == 0) {
			return false
		}
	}
	return true
}

func allDigits(w string) bool {
	for i := range len(w) {
		if w[i] < '0' || w[i] > '9' {
			return false
		}
	}
	return true
}
