package recognise

import (
	"fmt"
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
