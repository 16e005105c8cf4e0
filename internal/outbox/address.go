package outbox

import (
	"net/mail"
	"strings"

	"ensomet/internal/core/refuse"
)

// longestAddress is how long an address may be, in bytes (RFC 5321, 4.5.3.1.3: a path of 256 with its two brackets).
const longestAddress = 254

// Reachable reports whether mail can go to an address: one mailbox of RFC 5321, without a name, a comment or quotes.
func Reachable(address string) bool {
	a, err := mail.ParseAddress(address)
	return err == nil && a.Name == "" && a.Address == address && len(address) <= longestAddress &&
		!strings.ContainsAny(address, "\"<>()[],;: \t\r\n")
}

// CheckAddress refuses an address that mail cannot go to.
func CheckAddress(address string) error {
	if !Reachable(address) {
		return refuse.Errorf("mail cannot go to %.100q: write one address, such as name@house.example", address)
	}
	return nil
}
