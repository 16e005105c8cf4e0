package snapshot

import (
	"database/sql"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
)

// KnownPublishers reads the publishers in the order of their numbers.
func KnownPublishers(tx *sqlite.Tx) ([]*catalogue.Known, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v **catalogue.Known) error {
		p, k := formats.Publisher{}, &catalogue.Known{}
		var aliases string
		var base sql.NullString
		if err := r.Scan(&k.ID, &p.Name, &aliases, &p.Successor, &base); err != nil {
			return err
		}
		if aliases != "" {
			p.Aliases = strings.Split(aliases, "|")
		}
		e := p.Entry()
		k.Key, k.Says = e.Key, e.Says
		*v = k
		return ReadBase(base, k)
	}, "SELECT id, name, aliases, successor, base FROM publisher ORDER BY id")
}

// Houses reads the publishers that have other names, or that one took over from another.
func Houses(tx *sqlite.Tx) ([]recognise.Publisher, error) {
	all, err := KnownPublishers(tx)
	if err != nil {
		return nil, err
	}
	numbers, heirs := map[string]int64{}, map[int64]bool{}
	for _, k := range all {
		numbers[recognise.CleanPublisher(k.Publisher)] = k.ID
	}
	for _, k := range all {
		if s := k.Says[catalogue.Successor]; s != "" {
			heirs[numbers[recognise.CleanPublisher(s)]] = true
		}
	}
	var out []recognise.Publisher
	for _, k := range all {
		aliases, successor := k.Says[catalogue.Aliases], k.Says[catalogue.Successor]
		if aliases == "" && successor == "" && !heirs[k.ID] {
			continue
		}
		p := recognise.Publisher{ID: k.ID, Name: k.Publisher}
		if aliases != "" {
			p.Aliases = strings.Split(aliases, "|")
		}
		if successor != "" {
			p.Successor = numbers[recognise.CleanPublisher(successor)]
		}
		out = append(out, p)
	}
	return out, nil
}

// ProductKeysByHouse is ProductKeys that also knows products by the other names of their publisher, and by those of
// the publishers that it took over. A product of that very name comes first.
func ProductKeysByHouse(tx *sqlite.Tx) (map[string]int64, error) {
	keys, err := ProductKeys(tx)
	if err != nil {
		return nil, err
	}
	publishers, err := Houses(tx)
	if err != nil {
		return nil, err
	}
	houses, names := recognise.Houses(publishers), map[int64][]string{}
	for _, name := range slices.Sorted(maps.Keys(houses)) {
		names[houses[name]] = append(names[houses[name]], name)
	}
	out := maps.Clone(keys)
	for _, key := range slices.Sorted(maps.Keys(keys)) {
		publisher, product, _ := strings.Cut(key, "|")
		for _, other := range names[houses[publisher]] {
			if _, taken := out[other+"|"+product]; !taken {
				out[other+"|"+product] = keys[key]
			}
		}
	}
	return out, nil
}
