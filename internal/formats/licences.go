package formats

import (
	_ "embed"
	"strings"

	"ensomet/internal/core/recognise"
)

// osiApproved are the identifiers of the SPDX licence list 3.28 that the Open Source Initiative has approved, one a
// line.
//
//go:embed osi.txt
var osiApproved string

// ModelOfLicence reads the licence model out of an SPDX licence expression (SPDX 2.3, annex D): open source where
// each part that must hold is an approved licence, and of several to choose from at least one is. Anything else is
// unknown.
func ModelOfLicence(expression string) recognise.LicenceModel {
	words := strings.Fields(strings.NewReplacer("(", " ( ", ")", " ) ").Replace(expression))
	e := licenceExpression{words: words}
	if len(words) > 0 && e.either() && len(e.words) == 0 {
		return recognise.OpenSource
	}
	return ""
}

// licenceExpression reads an expression from left to right; AND binds closer than OR.
type licenceExpression struct {
	words []string
	depth int
}

func (e *licenceExpression) next(word string) bool {
	if len(e.words) > 0 && strings.EqualFold(e.words[0], word) {
		e.words = e.words[1:]
		return true
	}
	return false
}

func (e *licenceExpression) either() bool {
	ok := e.both()
	for e.next("OR") {
		more := e.both()
		ok = ok || more
	}
	return ok
}

func (e *licenceExpression) both() bool {
	ok := e.one()
	for e.next("AND") {
		more := e.one()
		ok = ok && more
	}
	return ok
}

func (e *licenceExpression) one() bool {
	if e.depth < 50 && e.next("(") {
		e.depth++
		ok := e.either()
		e.depth--
		return e.next(")") && ok
	}
	if len(e.words) == 0 {
		return false
	}
	id := strings.TrimSuffix(e.words[0], "+")
	e.words = e.words[1:]
	if e.next("WITH") {
		if len(e.words) == 0 {
			return false
		}
		e.words = e.words[1:]
	}
	for known := range strings.Lines(osiApproved) {
		if strings.EqualFold(strings.TrimSpace(known), id) || strings.EqualFold(strings.TrimSpace(known), id+"-only") {
			return true
		}
	}
	return false
}
