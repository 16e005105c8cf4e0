package recognise

import (
	"strings"
)

// cutLanguages takes language tags (BCP 47: with a region or a script, or in brackets) out of a name that still has its
// capitals and brackets.
func (a *Apart) cutLanguages(name string) string {
	for i := 0; i+2 <= len(name); i++ {
		if !isLetter(name[i]) || !isLetter(name[i+1]) || i > 0 && strings.IndexByte(" -_([{,;", name[i-1]) < 0 {
			continue
		}
		end := i + 2
		if end == len(name) || strings.IndexByte("-_@)]}", name[end]) < 0 {
			continue
		}
		code := lower2(name[i:])
		if !languageCodes[code] {
			continue
		}
		tag := code
		bracketed := i > 0 && strings.IndexByte("([{", name[i-1]) >= 0
		if end < len(name) && (name[end] == '-' || name[end] == '_' || name[end] == '@') {
			from := end + 1
			to := from
			for to < len(name) && isLetter(name[to]) {
				to++
			}
			sub := name[from:to]
			closed := to == len(name) || strings.IndexByte(" -_)]},;.", name[to]) >= 0
			switch {
			case closed && len(sub) == 2 && (isUpper(sub) || bracketed || isLower(sub) && isLower(name[i:i+2])):
				tag, end = code+"-"+strings.ToUpper(sub), to
			case closed && len(sub) == 4 && (sub[0] >= 'A' && sub[0] <= 'Z' && isLower(sub[1:])):
				tag, end = code+"-"+sub, to
			case closed && name[from-1] == '@' && len(sub) > 3:
				tag, end = code, to
			}
		}
		if end == i+2 && !(bracketed && end < len(name) && strings.IndexByte(")]}", name[end]) >= 0) {
			continue
		}
		if i == 0 {
			continue
		}
		a.Language = tag
		name = name[:i] + " " + name[end:]
	}
	return name
}

func isLetter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

func isUpper(s string) bool { return s == strings.ToUpper(s) }

func isLower(s string) bool { return s == strings.ToLower(s) }

func lower2(s string) string {
	b := [2]byte{s[0] | 0x20, s[1] | 0x20}
	return string(b[:])
}
