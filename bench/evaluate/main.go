// Evaluate measures how well names are recognised: what is decided without a person, what is proposed for the rest,
// and how far scores can be believed. Run it with make evaluate.
package main

import (
	"flag"
	"fmt"
	"log"
	"os"

	"ensomet/internal/core/recognise"
	"ensomet/internal/opendata"
)

func main() {
	log.SetFlags(0)
	appstream := flag.String("appstream", "", "a DEP-11 file; without it, the one that apt has fetched")
	fitting := flag.Bool("fit", false, "fit the weights of the score on the half that is not reported")
	show := flag.Int("show", 0, "print so many wrong and missed names of each set")
	flag.Parse()
	if err := run(*appstream, *fitting, *show); err != nil {
		log.Println(err)
		os.Exit(1)
	}
}

func run(appstream string, fitting bool, show int) (err error) {
	if appstream == "" {
		if appstream, err = opendata.FindComponents(); err != nil {
			return err
		}
	}
	if fitting {
		return fit(appstream)
	}
	products, list := demoNames()
	var demo tally
	demo.measure(recognise.New(recognise.NewCatalogue(recognise.Source{Products: products}), nil), list)
	demo.print("(a) the demo's names", show)
	products, list, err = packageNames()
	if err != nil {
		return err
	}
	var packages tally
	packages.measure(recognise.New(recognise.NewCatalogue(recognise.Source{Products: products}), nil), list)
	packages.print("(c) packages of this machine against their source packages", show)
	var reported, chosen, base, editions tally
	for fold := range uint32(10) {
		products, choose, report, err := openData(appstream, fold)
		if err != nil {
			return err
		}
		g := recognise.New(recognise.NewCatalogue(recognise.Source{Products: products}), nil)
		reported.measure(g, report)
		chosen.measure(g, choose)
		base.plain(products, report)
		if fold == 0 {
			editions.measure(g, unknownEditions(products))
		}
	}
	reported.print("(b) open data, the half that is reported, over ten folds", show)
	fmt.Printf(
		"plain keys after cleaning      precision %s, recall %s\n",
		share(base.right, base.decided),
		share(base.right, base.known),
	)
	chosen.print("(b) open data, the half that weights were chosen on", show)
	editions.printEditions(show)
	return nil
}

// plain decides by the cleaned name alone, taken apart, where one product has it and the publisher does not speak
// against it: what a program with a table of names would do.
func (t *tally) plain(products []recognise.Product, list []named) {
	byKey := map[string]map[int64]bool{}
	add := func(publisher, name string, id int64) {
		a := recognise.TakeApart(recognise.Record{Publisher: publisher, Name: name}, nil)
		key := a.Key()
		if byKey[key] == nil {
			byKey[key] = map[int64]bool{}
		}
		byKey[key][id] = true
	}
	for _, p := range products {
		add(p.Publisher, p.Name, p.ID)
		for _, n := range p.Titles[0].Aliases {
			add(p.Publisher, n, p.ID)
		}
	}
	for _, n := range list {
		if n.product != 0 {
			t.known++
		}
		a := recognise.TakeApart(n.record, nil)
		if ids := byKey[a.Key()]; len(ids) == 1 {
			t.decided++
			if ids[n.product] {
				t.right++
			}
		}
	}
}
