package main

import (
	"fmt"
	"math/rand/v2"
	"strings"

	"ensomet/internal/core/recognise"
)

// editionsBehind are editions as installers write them behind a name (common practice).
var editionsBehind = []string{
	"Express", "LT", "Community", "Community Edition", "Starter", "Lite", "Enterprise", "(Express)",
	"- Starter Edition",
	"Professional", "Home Edition", "Express 2024", "Developer Edition", "Enterprise Edition 12.2", "Student",
}

// unknownEditions makes records of editions that the catalogue does not have: each product's name with an edition
// behind it, distorted like every other name. A name that the catalogue has as it is, is left out.
func unknownEditions(products []recognise.Product) (out []named) {
	known := map[string]bool{}
	for i := range products {
		known[recognise.Squash(recognise.Clean(products[i].Name))] = true
		for _, t := range products[i].Titles {
			for _, a := range t.Aliases {
				known[recognise.Squash(recognise.Clean(a))] = true
			}
		}
	}
	r := rand.New(rand.NewPCG(20261129, 4))
	for i := range products {
		p := &products[i]
		for range 4 {
			name := p.Name + " " + editionsBehind[r.IntN(len(editionsBehind))]
			a := recognise.TakeApart(recognise.Record{Name: name}, nil)
			if known[recognise.Squash(recognise.Clean(name))] || len(a.Edition) == 0 {
				continue
			}
			rec := distort(r, p.Publisher, name, "en")
			if !strings.Contains(recognise.Squash(recognise.Clean(rec.Name)), a.Edition[0][:2]) {
				continue // the end is cut off, and with it the edition
			}
			out = append(out, named{rec, 0, 1})
		}
	}
	return out
}

// printEditions says how often one was decided as the product whose name it has.
func (t *tally) printEditions(show int) {
	fmt.Printf("\n(d) editions that nobody knows\n------------------------------\n")
	fmt.Printf("names                        %d\n", t.names)
	fmt.Printf("decided without a person     %s (%d), each of them wrong\n", share(t.strangersDecided, t.names),
		t.strangersDecided)
	for i := 0; i < min(show, len(t.wrong)); i++ {
		fmt.Println("  ", t.wrong[i])
	}
}
