package main

import (
	"fmt"
	"os/exec"
	"slices"
	"strings"

	"ensomet/internal/core/recognise"
)

// packageNames makes a catalogue of the source packages that this machine's packages were built from, each known by
// its own name and by the first of its packages alone, and takes all packages as raw names. So a package of another
// name than its source's is something that the catalogue has only heard of by a cousin.
func packageNames() (products []recognise.Product, list []named, err error) {
	out, err := exec.Command("dpkg-query", "-W", "-f", "${source:Package}\t${Package}\t${Version}\t${Maintainer}\n").
		Output()
	if err != nil {
		return nil, nil, fmt.Errorf("dpkg-query: %w", err)
	}
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	slices.Sort(lines)
	ids := map[string]int64{}
	for _, line := range lines {
		f := strings.SplitN(line, "\t", 4)
		maker, _, _ := strings.Cut(f[3], " <")
		if ids[f[0]] == 0 {
			id := int64(len(products) + 1)
			ids[f[0]] = id
			products = append(
				products,
				recognise.Product{
					ID:        id,
					Publisher: maker,
					Name:      f[0],
					Titles:    []recognise.Title{{ID: id, Product: id, Aliases: []string{f[1]}}},
				},
			)
		}
		list = append(list, named{recognise.Record{Publisher: maker, Name: f[1], Version: f[2]}, ids[f[0]], 1})
	}
	return products, list, nil
}
