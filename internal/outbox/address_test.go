package outbox

import (
	"strings"
	"testing"
)

// Addresses after RFC 5321 and RFC 3696 (with its errata) that are one mailbox, and what is none, or more than one.
func TestReachable(t *testing.T) {
	for _, good := range []string{"a@x.example", "dagne.of-shore+licences@sub.house.example", "o'neil@x.example",
		"root@localhost", "customer/department=shipping@example.com", "!def!xyz%abc@example.com",
		"\u00e5sa@h\u00f6gskolan.example"} {
		if !Reachable(good) {
			t.Errorf("%q is not reachable", good)
		}
	}
	for _, bad := range []string{"", "@", "a@", "@x.example", "a b@x.example", "a@x.example, b@x.example",
		"a@x.example;b@x.example", "A <a@x.example>", "<a@x.example>", "a@x.example\r\nBcc: b@x.example",
		"a@x@y.example",
		"a@x..example", ".a@x.example", `"a b"@x.example`, "a@x.example (home)", "a@[10.0.0.1]", "mailto:a@x.example",
		strings.Repeat("a", 250) + "@x.example"} {
		if Reachable(bad) {
			t.Errorf("%q is reachable", bad)
		}
	}
}
