// Package recognise turns raw software records into titles of the catalogue: it cleans and takes apart names, decides
// by the first step that answers, keeps a trace of every step, proposes titles for what is left, and folds parts of
// suites.
package recognise

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// marks are taken out before normalisation: NFKC would turn a trade mark sign into the letters "TM".
var marks = strings.NewReplacer(
	"®",
	" ",
	"™",
	" ",
	"©",
	" ",
	"℠",
	" ",
	"(R)",
	" ",
	"(r)",
	" ",
	"(TM)",
	" ",
	"(tm)",
	" ",
	"(C)",
	" ",
	"(c)",
	" ",
)

func wordSet(s string) map[string]bool {
	set := map[string]bool{}
	for _, w := range strings.Fields(s) {
		set[w] = true
	}
	return set
}

// Clean brings a name to one form for comparing: trade marks out, Unicode NFKC, case folded, punctuation and runs of
// white space to single spaces. Dots, plus signs, hashes and ampersands inside a word stay, since they carry meaning.
func Clean(s string) string {
	var b strings.Builder
	b.Grow(len(s))
	scanWords(fold(s), func(w string, _ bool) {
		if b.Len() > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(w)
	})
	return b.String()
}

// fold takes trade marks out, brings letters to Unicode NFKC and folds case. Names of ASCII alone need only the latter.
func fold(s string) string {
	if isASCII(s) {
		return strings.ToLower(unmarked(s))
	}
	return cases.Fold().String(compose(s))
}

// compose takes marks out and brings letters to Unicode NFKC; marks again, since wide brackets become plain ones only
// then.
func compose(s string) string { return unmarked(norm.NFKC.String(unmarked(s))) }

// unmarked takes trade marks out. Most names have none.
func unmarked(s string) string {
	for i := range len(s) {
		switch s[i] {
		case '(':
			if i+2 < len(s) && (s[i+2] == ')' || i+3 < len(s) && s[i+3] == ')') {
				return marks.Replace(s)
			}
		case 0xc2, 0xe2: // ® and ©, ™ and ℠
			return marks.Replace(s)
		}
	}
	return s
}

func isASCII(s string) bool {
	for i := range len(s) {
		if s[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

// scanWords hands over the words of a folded name, each with whether it stands in brackets. Words are pieces of s.
func scanWords(s string, word func(w string, bracket bool)) {
	start, depth, startDepth := -1, 0, 0
	before := rune(0)
	for i := 0; i < len(s); {
		r, n := rune(s[i]), 1
		if r >= utf8.RuneSelf {
			r, n = utf8.DecodeRuneInString(s[i:])
		}
		keep := isWord(r) || unicode.IsMark(r) && r >= utf8.RuneSelf
		if !keep {
			switch r {
			case '.':
				next, _ := utf8.DecodeRuneInString(s[i+1:])
				keep = i+1 < len(s) && isWord(next) && (i == 0 || isWord(before))
			case '+', '#':
				keep = i > 0 && (isWord(before) || before == r)
			case '&':
				keep = true
			case '(', '[', '{':
				depth++
			case ')', ']', '}':
				depth = max(depth-1, 0)
			}
		}
		if keep && start < 0 {
			start, startDepth = i, depth
		} else if !keep && start >= 0 {
			word(s[start:i], startDepth > 0)
			start = -1
		}
		before = r
		i += n
	}
	if start >= 0 {
		word(s[start:], startDepth > 0)
	}
}

func isWord(r rune) bool {
	if r < utf8.RuneSelf {
		return 'a' <= r && r <= 'z' || '0' <= r && r <= '9' || 'A' <= r && r <= 'Z'
	}
	return unicode.IsLetter(r) || unicode.IsDigit(r)
}

// Squash writes a clean name without spaces, dots and accents: "Skerry Map" and "SkerryMap", "Café" and "Cafe" become
// the same.
func Squash(clean string) string {
	if !isASCII(clean) {
		clean = norm.NFD.String(clean)
	}
	var b strings.Builder
	b.Grow(len(clean))
	for _, r := range clean {
		switch {
		case r == ' ' || r == '.' || unicode.Is(unicode.Mn, r):
		case r == 'ø':
			b.WriteByte('o')
		case r == 'ł':
			b.WriteByte('l')
		case r == 'đ':
			b.WriteByte('d')
		case r == 'ı':
			b.WriteByte('i')
		case r == 'æ':
			b.WriteString("ae")
		case r == 'œ':
			b.WriteString("oe")
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}
