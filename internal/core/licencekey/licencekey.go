// Package licencekey compares licence keys however they are written, and tells how those that were found stand to those
// that were bought.
package licencekey

import (
	"strings"
	"unicode"
)

// least is how many letters and digits a key has at least: of a shorter one the last five would say too much, and what
// is shorter is seldom a key.
const least = 10

// Fold writes a key as it is compared: its letters and digits alone, in capitals. What is no key that can be compared
// is empty: too short, with signs masked (as in *****-*****-ABCDE), or one sign over and over, as placeholders are
// (common practice).
func Fold(key string) string {
	var b strings.Builder
	signs := map[rune]bool{}
	for _, r := range key {
		switch {
		case unicode.IsLetter(r) || unicode.IsDigit(r):
			r = unicode.ToUpper(r)
			signs[r] = true
			b.WriteRune(r)
		case r == '*' || r == '•' || r == '…' || r == '?' || r == '#':
			return ""
		}
	}
	folded := b.String()
	switch {
	case len([]rune(folded)) < least || len(signs) < 3:
		return ""
	case strings.HasPrefix(folded, strings.Repeat("X", 5)): // masked by letters
		return ""
	}
	return folded
}

// Hint is what may be shown of a folded key: its last five signs.
func Hint(folded string) string {
	r := []rune(folded)
	return string(r[max(0, len(r)-5):])
}

// State is how a key stands.
type State string

// The states.
const (
	Over    State = "over"     // it is on more devices than were bought
	Unknown State = "unbought" // nobody booked it
	InUse   State = "in use"
	Nowhere State = "nowhere" // it was bought, and no device has it
)

// Line is an entitlement line that has keys.
type Line struct {
	ID       int64
	Quantity int64 // licences that it has now; below 0 where it does not count machines: then nothing is compared
}

// Standing is how the keys of some lines stand together: what several keys of a line are found on counts against that
// line once, and what a key that stands on several lines is found on against all of them.
type Standing struct {
	Bought  int64 // licences of all lines of which it has a key; below 0 where they cannot be compared
	Devices int   // on which any of the keys of these lines is
	Lead    int64 // the first of these keys that is found somewhere, for what is said once of all; 0 where none is
	State   State
}

// Judge says of each key how it stands. found are the devices that have it, lines those on which it was booked. A key
// may be in both, or in one of them.
func Judge(found map[int64][]int64, booked map[int64][]Line) map[int64]Standing {
	// keys and lines that hang together: a key by its lines, a line by its keys
	group := map[int64]int64{} // by key, another of its group; itself where it is the first
	top := func(k int64) int64 {
		for group[k] != k {
			group[k] = group[group[k]]
			k = group[k]
		}
		return k
	}
	byLine := map[int64]int64{}
	for k := range found {
		group[k] = k
	}
	for k := range booked {
		group[k] = k
	}
	for k, lines := range booked {
		for _, l := range lines {
			if other, known := byLine[l.ID]; known {
				group[top(k)] = top(other)
			} else {
				byLine[l.ID] = k
			}
		}
	}
	bought, machines := map[int64]int64{}, map[int64]map[int64]bool{}
	counted := map[int64]bool{} // lines
	for k, lines := range booked {
		g := top(k)
		for _, l := range lines {
			if counted[l.ID] {
				continue
			}
			counted[l.ID] = true
			if l.Quantity < 0 || bought[g] < 0 {
				bought[g] = -1
				continue
			}
			bought[g] += l.Quantity
		}
	}
	lead := map[int64]int64{}
	for k, devices := range found {
		g := top(k)
		if first, known := lead[g]; len(devices) > 0 && (!known || k < first) {
			lead[g] = k
		}
		if machines[g] == nil {
			machines[g] = map[int64]bool{}
		}
		for _, d := range devices {
			machines[g][d] = true
		}
	}
	out := make(map[int64]Standing, len(group))
	for k := range group {
		g := top(k)
		s := Standing{Bought: bought[g], Devices: len(machines[g]), Lead: lead[g], State: InUse}
		switch {
		case len(booked[k]) == 0:
			s.Bought, s.State = 0, Unknown
		case len(found[k]) == 0:
			s.State = Nowhere
		case s.Bought >= 0 && int64(s.Devices) > s.Bought:
			s.State = Over
		}
		out[k] = s
	}
	return out
}
