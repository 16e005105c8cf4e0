package store

import (
	"database/sql"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
)

// addPublisher makes sure that a publisher that has products is listed.
func (tx *Tx) addPublisher(name string) error {
	_, err := tx.exec("INSERT INTO publisher(name, name_key) VALUES (?, ?) ON CONFLICT DO NOTHING", name, recognise.CleanPublisher(name))
	return err
}

// KnownPublishers reads the publishers in the order of their numbers.
func (tx *Tx) KnownPublishers() ([]*catalogue.Known, error) {
	return query(tx, func(r *sql.Rows, v **catalogue.Known) error {
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
		return readBase(base, k)
	}, "SELECT id, name, aliases, successor, base FROM publisher ORDER BY id")
}

// PutPublisher writes a publisher as it is known now, and keeps which values changed. before is nil for a new one.
func (tx *Tx) PutPublisher(before, now *catalogue.Known, by By) (int64, error) {
	base, err := writeBase(now)
	if err != nil {
		return 0, err
	}
	id := now.ID
	aliases, successor := now.Says[catalogue.Aliases], now.Says[catalogue.Successor]
	if id == 0 {
		res, err := tx.exec("INSERT INTO publisher(name, name_key, aliases, successor, base, changed_at) VALUES (?, ?, ?, ?, ?, ?)", now.Publisher, recognise.CleanPublisher(now.Publisher), aliases, successor, base, by.At)
		if err != nil {
			return 0, err
		}
		if id, err = res.LastInsertId(); err != nil {
			return 0, err
		}
	} else if _, err := tx.exec("UPDATE publisher SET aliases = ?, successor = ?, base = ?, changed_at = ? WHERE id = ?", aliases, successor, base, by.At, id); err != nil {
		return 0, err
	}
	return id, tx.keepChanges(CatalogueChange{Publisher: id}, before, now, by)
}

// Houses reads the publishers that have other names, or that one took over from another.
func (tx *Tx) Houses() ([]recognise.Publisher, error) {
	all, err := tx.KnownPublishers()
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

// PublisherRow is a publisher with what the catalogue and the evidence have of it.
type PublisherRow struct {
	ID        int64  `json:"id"`
	Publisher string `json:"publisher"`
	Aliases   string `json:"aliases"`
	Successor string `json:"successor"`
	Products  int64  `json:"products"`
	Installs  int64  `json:"installs"`
	Counted   int64  `json:"counted"`
	Rights    int64  `json:"rights"`
}

// PublisherPage reads a page of publishers.
func (tx *Tx) PublisherPage(q ListQuery) (Page[PublisherRow], error) {
	facts := func(col string) string {
		return "coalesce((SELECT sum(f." + col + ") FROM product p JOIN product_fact f ON f.product_id = p.id WHERE p.publisher_key = b.name_key), 0)"
	}
	l := list[PublisherRow]{from: "publisher b", key: "b.id", sort: "publisher", columns: []column[PublisherRow]{
		{"id", "b.id", func(r *PublisherRow) any { return &r.ID }, false}, {"publisher", "b.name", func(r *PublisherRow) any { return &r.Publisher }, true}, {"aliases", "b.aliases", func(r *PublisherRow) any { return &r.Aliases }, true},
		{"successor", "b.successor", func(r *PublisherRow) any { return &r.Successor }, true}, {"products", "(SELECT count(*) FROM product p WHERE p.publisher_key = b.name_key)", func(r *PublisherRow) any { return &r.Products }, false},
		{"installs", facts("installs"), func(r *PublisherRow) any { return &r.Installs }, false}, {"counted", facts("counted"), func(r *PublisherRow) any { return &r.Counted }, false},
		{"rights", "(SELECT count(*) FROM entitlement e JOIN product p ON p.id = e.product_id WHERE p.publisher_key = b.name_key)", func(r *PublisherRow) any { return &r.Rights }, false},
	}}
	return l.page(tx, q)
}

// ProductKeysByHouse is ProductKeys that also knows products by the other names of their publisher, and by those of the publishers that it took over. A product of that very name comes first.
func (tx *Tx) ProductKeysByHouse() (map[string]int64, error) {
	keys, err := tx.ProductKeys()
	if err != nil {
		return nil, err
	}
	publishers, err := tx.Houses()
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
