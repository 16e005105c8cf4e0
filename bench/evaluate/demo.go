package main

import (
	"ensomet/internal/core/recognise"
	"ensomet/internal/standin"
)

// demoNames makes the demo's catalogue and its raw names with what the generator knows of them.
func demoNames() (products []recognise.Product, list []named) {
	ids := map[[2]string]int64{}
	for i, p := range standin.Catalogue() {
		id := int64(i + 1)
		editions := p.Editions
		if len(editions) == 0 {
			editions = []string{""}
		}
		product := recognise.Product{ID: id, Publisher: p.Publisher, Name: p.Name}
		for k, e := range editions {
			t := recognise.Title{ID: id*10 + int64(k), Product: id, Edition: e}
			if k == 0 {
				t.Aliases = p.Aliases
			}
			product.Titles = append(product.Titles, t)
		}
		products = append(products, product)
		ids[[2]string{p.Publisher, p.Name}] = id
	}
	for _, n := range standin.Names() {
		list = append(
			list,
			named{
				recognise.Record{Publisher: n.Publisher, Name: n.Name, Version: n.Version},
				ids[[2]string{n.Maker, n.Product}],
				n.Installs,
			},
		)
	}
	return products, list
}
