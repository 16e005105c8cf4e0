package recognise

import (
	"cmp"
	"slices"
)

// Proposal is a product that a record may be, with the share of words that agree, in 0..1.
type Proposal struct {
	Product int64
	Edition string
	Score   float64
	Shared  []string // words that both have
	Missing []string // words of the product that the record lacks
}

// Propose ranks products by how many words they share with a record's publisher and name: twice the shared words over
// the words of both (the Dice coefficient, 1945), a word found only inside a longer one
// counting half. It only proposes: nothing is decided by a score.
func (g *Recogniser) Propose(r Record, limit int) []Proposal {
	c := g.catalogue
	a := TakeApart(r, c.editions)
	have := map[string]bool{}
	for _, w := range append(fieldsOf(a.Publisher), a.Words...) {
		have[w] = true
	}
	scores := map[int64]bool{}
	within := map[string]bool{} // words of the catalogue inside longer words of the name
	for w := range have {
		if ids := c.tokens[w]; len(ids) <= 200 {
			for _, id := range ids {
				scores[id] = true
			}
		}
	}
	for w := range have {
		for _, inner := range innerWords(w) {
			if ids := c.tokens[inner]; len(ids) > 0 && len(ids) <= 200 && !have[inner] {
				within[inner] = true
				for _, id := range ids {
					scores[id] = true
				}
			}
		}
	}
	out := make([]Proposal, 0, len(scores))
	for id := range scores {
		p := c.products[id]
		want := map[string]bool{}
		for _, w := range append(fieldsOf(CleanPublisher(p.Publisher)), fieldsOf(Clean(p.Name))...) {
			want[w] = true
		}
		pr := Proposal{Product: id, Edition: p.edition(a.EditionWords), Shared: []string{}, Missing: []string{}}
		half := 0
		for w := range want {
			if within[w] {
				half++
			}
			if have[w] || within[w] {
				pr.Shared = append(pr.Shared, w)
			} else {
				pr.Missing = append(pr.Missing, w)
			}
		}
		slices.Sort(pr.Shared)
		slices.Sort(pr.Missing)
		pr.Score = (2*float64(len(pr.Shared)) - float64(half)) / float64(len(want)+len(have))
		out = append(out, pr)
	}
	slices.SortFunc(out, func(a, b Proposal) int {
		return cmp.Or(cmp.Compare(b.Score, a.Score), cmp.Compare(a.Product, b.Product))
	})
	if len(out) > limit {
		out = out[:limit]
	}
	return out
}

func fieldsOf(s string) []string {
	var out []string
	start := -1
	for i := range len(s) + 1 {
		if i < len(s) && s[i] != ' ' {
			if start < 0 {
				start = i
			}
		} else if start >= 0 {
			out = append(out, s[start:i])
			start = -1
		}
	}
	return out
}

// Fold says, for the products on one device, which of them fold under which suite there. present holds the products that
// are on the device as whole programs. A part of several suites folds under the one with the lowest number.
func (c *Catalogue) Fold(present map[int64]bool) map[int64]int64 {
	var folded map[int64]int64
	for part := range present {
		for suite := range c.suites[part] {
			if !present[suite] {
				continue
			}
			if folded == nil {
				folded = map[int64]int64{}
			}
			if old, ok := folded[part]; !ok || suite < old {
				folded[part] = suite
			}
		}
	}
	return folded
}

// innerWords lists the beginnings and ends of a word that are four letters or longer, without the word itself.
func innerWords(w string) []string {
	rs := []rune(w)
	var out []string
	for n := 4; n < len(rs); n++ {
		out = append(out, string(rs[:n]), string(rs[len(rs)-n:]))
	}
	return out
}
