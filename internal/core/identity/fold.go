package identity

import (
	"net/netip"
	"strings"
	"unicode"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// HostName is the name of a machine in the form in which names are compared: the first label, and the domain, which is
// empty where nobody said it.
type HostName struct{ Label, Domain string }

// cut is how long the short names are that older networks give machines (common practice).
const cut = 15

// noNames are names that say nothing, since any machine has them until somebody gives it one (common practice).
var noNames = map[string]bool{
	"localhost":   true,
	"localhost6":  true,
	"unknown":     true,
	"none":        true,
	"computer":    true,
	"pc":          true,
	"desktop":     true,
	"laptop":      true,
	"server":      true,
	"host":        true,
	"debian":      true,
	"ubuntu":      true,
	"raspberrypi": true,
	"macbook":     true,
	"macbook-pro": true,
	"macbook-air": true,
	"imac":        true,
	"default":     true,
	"hostname":    true,
	"workstation": true,
	"template":    true,
	"minint":      true,
	"win":         true,
}

var folder = cases.Fold()

// FoldName folds the name of a machine as any source writes it: `HALV\PC1$`, PC1.example.org, pc1. An address is no
// name.
func FoldName(name string) HostName {
	name = fold(name)
	flat := ""
	if before, after, is := strings.Cut(name, `\`); is {
		flat, name = before, after
	}
	name = strings.TrimRight(strings.TrimSuffix(name, "$"), ".")
	if name == "" || strings.Trim(name, "0123456789abcdef.:%") == "" {
		if _, err := netip.ParseAddr(name); err == nil {
			return HostName{}
		}
	}
	label, domain, _ := strings.Cut(name, ".")
	if domain == "" {
		domain = flat
	}
	if domain == "local" || domain == "localdomain" || domain == "lan" || domain == "home" ||
		domain == "workgroup" {
		domain = ""
	}
	if noNames[label] {
		return HostName{}
	}
	return HostName{label, domain}
}

// fold folds a text: white space around it, case and forms of letters.
func fold(s string) string {
	s = strings.TrimSpace(s)
	for i := range len(s) {
		if s[i] >= 0x80 {
			return folder.String(norm.NFKC.String(s))
		}
	}
	return strings.ToLower(s)
}

// Fits reports whether two names may be of one machine: their first labels are the same, or one was cut, and at most
// one has a domain, or both the same.
func (n HostName) Fits(o HostName) bool {
	if n.Label == "" || o.Label == "" {
		return false
	}
	if n.Label != o.Label && !(len(n.Label) == cut && strings.HasPrefix(o.Label, n.Label)) &&
		!(len(o.Label) == cut && strings.HasPrefix(n.Label, o.Label)) {
		return false
	}
	return n.Domain == "" || o.Domain == "" || n.Domain == o.Domain || flatOf(n.Domain, o.Domain) ||
		flatOf(o.Domain, n.Domain)
}

// flatOf reports whether a domain is another one's short name: its first label.
func flatOf(flat, domain string) bool {
	first, _, more := strings.Cut(domain, ".")
	return more && !strings.Contains(flat, ".") && first == flat
}

func (n HostName) block() string {
	if len(n.Label) > cut {
		return n.Label[:cut]
	}
	return n.Label
}

// noSerials are what makers leave where a serial number belongs (common practice), folded.
var noSerials = map[string]bool{"TOBEFILLEDBYOEM": true, "DEFAULTSTRING": true, "NONE": true, "NOTSPECIFIED": true,
	"NOTAVAILABLE": true, "NOTAPPLICABLE": true, "SYSTEMSERIALNUMBER": true, "SERIALNUMBER": true, "UNKNOWN": true,
	"CHASSISSERIALNUMBER": true, "BASEBOARDSERIALNUMBER": true, "OEM": true, "INVALID": true, "EMPTY": true,
	"123456789": true, "1234567890": true, "0123456789": true, "12345678": true, "1234567": true, "123456": true,
	"SYSSERIALNUMBER": true, "NOSERIAL": true, "TOBEFILLEDBYOEMSERIAL": true, "PERMISSIONDENIED": true, "NULL": true,
	"UNDEFINED": true, "FILLBYOEM": true, "NIL": true, "TEST": true, "QEMU": true, "VIRTUALBOX": true}

// FoldSerial folds a serial number: capitals, letters and digits alone. What is none, as placeholders of makers, a sign
// repeated, or fewer than four signs, is empty.
func FoldSerial(s string) string {
	s = alphanumeric(strings.ToUpper(fold(s)))
	if len(s) < 4 || noSerials[s] || strings.Count(s, s[:1]) == len(s) {
		return ""
	}
	return s
}

func alphanumeric(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' || r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z' {
			return r
		}
		return -1
	}, s)
}

// noMachineIDs are machine ids that boards carry from the works (from memory), folded.
var noMachineIDs = map[string]bool{"03000200040005000006000700080009": true, "uninitialized": true}

// FoldMachineID folds the id that an operating system or a board gives a machine.
func FoldMachineID(s string) string {
	s = foldHex(s)
	if noMachineIDs[s] || len(s) < 8 {
		return ""
	}
	return s
}

// foldHex folds an id: small letters and digits; one sign repeated is none.
func foldHex(s string) string {
	s = strings.ToLower(alphanumeric(s))
	if s != "" && strings.Count(s, s[:1]) == len(s) {
		return ""
	}
	return s
}

// makers are names under which one maker goes (common practice).
var makers = map[string]string{
	"hp":             "hewlett",
	"hpe":            "hewlett",
	"hewlettpackard": "hewlett",
	"qemu":           "",
	"vmware":         "",
	"to":             "",
	"system":         "",
	"default":        "",
	"not":            "",
	"unknown":        "",
	"standard":       "",
	"intl":           "",
	"o":              "",
}

// foldMaker folds a maker to the first word of its name; what is no maker's is empty.
func foldMaker(s string) string {
	words := strings.FieldsFunc(fold(s),
		func(r rune) bool { return unicode.IsSpace(r) || r == '.' || r == ',' })
	if len(words) == 0 {
		return ""
	}
	word := strings.ReplaceAll(words[0], "-", "")
	if one, known := makers[word]; known {
		return one
	}
	return word
}

// FoldAddress folds a hardware address to its twelve hexadecimal digits. One that is made up where it is needed
// (locally administered, IEEE 802), of many machines, or empty is no sign.
func FoldAddress(s string) string {
	s = strings.ToLower(alphanumeric(s))
	if len(s) != 12 || strings.Trim(s, "0123456789abcdef") != "" || strings.Count(s, s[:1]) == 12 {
		return ""
	}
	if strings.ContainsRune("2367abef", rune(s[1])) || strings.ContainsRune("13579bdf", rune(s[1])) {
		return ""
	}
	return s
}
