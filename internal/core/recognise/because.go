package recognise

import (
	"fmt"
	"strings"
)

// why says how a name that the catalogue may know did not decide.
type why int

const (
	unheard why = iota
	ofOthers
	ofSeveral
	tooPlain
	apartByLanguage
)

// unknownWords are the words that the trade uses for editions (common practice) among those of a record's edition,
// which no edition of a product is called by. Such a record is a program that costs another price, or none: it is not
// decided as the product, but proposed.
func (p *entry) unknownWords(words []string) (out []string) {
	for _, w := range words {
		if generalEditions[w] && !p.calls(w) {
			out = append(out, w)
		}
	}
	return out
}

// calls reports whether some edition of a product has a word in its name.
func (p *entry) calls(word string) bool {
	for _, e := range p.editions {
		for _, own := range strings.Fields(e.clean) {
			if own == word || shortForm(own) == shortForm(word) {
				return true
			}
		}
	}
	return false
}

func unknownEditionWords(words []string) string {
	return fmt.Sprintf("%q is an edition, and the catalogue has none of that name: it may be another product, at "+
		"another "+
		"price", strings.Join(words, " "))
}

func (c *Catalogue) because(w why, targets []target, m *maker) string {
	switch w {
	case ofOthers:
		return fmt.Sprintf("the name is known, but of %s, not of %q", targets[0].Publisher, m.clean)
	case ofSeveral:
		return "several products have this name"
	case apartByLanguage:
		return "the catalogue tells products of this name apart by their language"
	case tooPlain:
		return "not telling enough without the same publisher beside it"
	}
	return "no product or other name like this"
}

// pick chooses among the products of one name by the publisher: those of the same publisher; where there is none,
// those of which either side does not know the publisher. It answers only where one product is left. A name that
// began with the record's publisher is none of a product that has no publisher.
func (c *Catalogue) pick(targets []target, m *maker, signed bool) (target, why, bool) {
	if len(targets) == 0 {
		return target{}, unheard, false
	}
	var found target
	var reason why
	for _, unknown := range []bool{false, true} {
		n := 0
		for i := range targets {
			own := &targets[i].maker
			fits := !unknown && m.same(own) || unknown && !signed && (m.unknown() || own.unknown())
			if !fits || n > 0 && targets[i].entry == found.entry {
				continue
			}
			found = targets[i]
			n++
		}
		switch {
		case n == 1:
			return found, 0, true
		case n > 1:
			return target{}, ofSeveral, false
		}
		reason = ofOthers
	}
	return target{}, reason, false
}
