// Package recognise turns raw software records into titles of the catalogue: it cleans and takes apart names, decides by
// the first step that answers, keeps a trace of every step, proposes titles for what is left, and folds parts of suites.
package recognise

import (
	"strings"
	"unicode"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// marks are taken out before normalisation: NFKC would turn a trade mark sign into the letters "TM".
var marks = strings.NewReplacer("®", " ", "™", " ", "©", " ", "℠", " ", "(R)", " ", "(r)", " ", "(TM)", " ", "(tm)", " ", "(C)", " ", "(c)", " ")

// legalForms are the words that say what a company is in law and not who it is (common practice).
var legalForms = wordSet("ab ag aps as asa bv co company corp corporation gmbh inc incorporated kg kk limited llc llp ltd nv oy oyj plc " +
	"pty sa sarl sas se spa srl sro")

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
	plain := isPlain(s)
	if !plain {
		s = cases.Fold().String(compose(s))
	}
	var b strings.Builder
	b.Grow(len(s))
	rs := []rune(s)
	space := true
	for i, r := range rs {
		keep := unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r)
		if !keep {
			switch r {
			case '.':
				keep = i+1 < len(rs) && isWord(rs[i+1]) && (i == 0 || isWord(rs[i-1]))
			case '+', '#':
				keep = i > 0 && (isWord(rs[i-1]) || rs[i-1] == r)
			case '&':
				keep = true
			}
		}
		if keep {
			b.WriteRune(r)
			space = false
		} else if !space {
			b.WriteByte(' ')
			space = true
		}
	}
	return strings.TrimRight(b.String(), " ")
}

// compose takes marks out and brings letters to Unicode NFKC; marks again, since wide brackets become plain ones only then.
func compose(s string) string { return marks.Replace(norm.NFKC.String(marks.Replace(s))) }

func isWord(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }

// isPlain reports whether s is lower-case ASCII without anything in brackets, which needs no normalisation.
func isPlain(s string) bool {
	for i := range len(s) {
		if c := s[i]; c >= 0x80 || c == '(' || c >= 'A' && c <= 'Z' {
			return false
		}
	}
	return true
}

// CleanPublisher is Clean without legal forms of companies, and with "and" written as an ampersand. A name made of
// nothing else keeps its words.
func CleanPublisher(s string) string {
	words := strings.Fields(strings.ReplaceAll(Clean(s), ".", ""))
	out := words[:0:0]
	for _, w := range words {
		if w == "and" {
			w = "&"
		}
		if !legalForms[w] {
			out = append(out, w)
		}
	}
	for len(out) > 0 && out[len(out)-1] == "&" {
		out = out[:len(out)-1]
	}
	if len(out) == 0 {
		return strings.Join(words, " ")
	}
	return strings.Join(out, " ")
}
