package entitle

import (
	"math/rand/v2"
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/version"
)

func randomLine(r *rand.Rand) Line {
	l := Line{
		Version:      []string{"", "3", "5", "5.2"}[r.IntN(4)],
		Edition:      []string{"", "Basic", "Pro"}[r.IntN(3)],
		ScopeUnit:    []string{"", "A", "A/B"}[r.IntN(3)],
		ScopeCountry: []string{"", "", "NO"}[r.IntN(3)],
		Start:        civil.MustParse("2024-01-01"),
	}
	l.EditionRank = map[string]int{"Basic": 1, "Pro": 2}[l.Edition]
	if r.IntN(2) == 0 {
		l.MaintenanceEnd = civil.MustParse("2026-01-01")
	}
	for _, right := range []Right{OlderVersions, LowerEditions} {
		if r.IntN(2) == 0 {
			l.Rights = append(l.Rights, right)
		}
	}
	return l
}

func randomNeed(r *rand.Rand) Need {
	n := Need{
		Version: []string{"2", "3.1", "5", "5.2.9", "5.3", "6"}[r.IntN(6)],
		Edition: []string{"", "Basic", "Pro"}[r.IntN(3)],
	}
	n.EditionRank = map[string]int{"Basic": 1, "Pro": 2}[n.Edition]
	if r.IntN(2) == 0 {
		n.Released = civil.MustParse([]string{"2023-06-01", "2025-06-01", "2026-06-01"}[r.IntN(3)])
	}
	return n
}

// Covers against the rules of rights, written down once more as plain sentences.
func TestCoversAgainstTheRules(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 5))
	covered := 0
	for range 30_000 {
		l, n := randomLine(r), randomNeed(r)
		at := Place{Unit: []string{"A", "A/B", "A/B/C", "AB", ""}[r.IntN(5)], Country: []string{"NO", "IS"}[r.IntN(2)]}
		inScope := (l.ScopeUnit == "" || at.Unit == l.ScopeUnit ||
			len(at.Unit) > len(l.ScopeUnit) && at.Unit[:len(l.ScopeUnit)+1] == l.ScopeUnit+"/") &&
			(l.ScopeCountry == "" || l.ScopeCountry == at.Country)
		sameEdition := l.Edition == n.Edition
		lower := l.Has(LowerEditions) && n.Edition != "" && n.EditionRank < l.EditionRank
		begins := l.Version == "" || version.Begins(n.Version, l.Version)
		older := l.Has(OlderVersions) && version.Compare(version.Dotted, n.Version, l.Version) < 0
		maintained := l.MaintenanceEnd.Known() && n.Released.Known() && n.Released >= l.Start &&
			n.Released <= l.MaintenanceEnd &&
			version.Compare(version.Dotted, n.Version, l.Version) >= 0
		want := inScope && (sameEdition || lower) && (begins || older || maintained)
		reason, gaps := l.Covers([]Need{n}, at)
		if (len(gaps) == 0) != want {
			t.Fatalf("%+v for %+v at %+v: %v, want covered %v", l, n, at, gaps, want)
		}
		if !want {
			continue
		}
		covered++
		best := Exact
		switch {
		case !sameEdition:
			best = LowerEdition
		case begins:
		case older:
			best = OlderVersion
		default:
			best = NewerVersion
		}
		if reason != best {
			t.Fatalf("%+v for %+v: %v, want %v", l, n, reason, best)
		}
	}
	if covered < 2000 {
		t.Errorf("only %d were covered: the cases are too hard", covered)
	}
}

// A right more never takes anything away, and a unit with more needs is never easier to cover.
func TestCoversIsMonotone(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for range 10_000 {
		l, needs, at := randomLine(r), []Need{randomNeed(r)}, Place{Unit: "A/B", Country: "NO"}
		_, before := l.Covers(needs, at)
		more := l
		more.Rights = append(append([]Right{}, l.Rights...), OlderVersions, LowerEditions)
		if _, after := more.Covers(needs, at); len(before) == 0 && len(after) > 0 {
			t.Fatalf("%+v covers, with more rights it does not", l)
		}
		if _, after := l.Covers(append(needs, randomNeed(r)), at); len(before) > 0 && len(after) == 0 {
			t.Fatalf("%+v covers two needs, but not one of them", l)
		}
	}
}
