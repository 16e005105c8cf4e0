package app

import (
	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// book is the catalogue opened for writing within a transaction.
type book struct {
	tx         *store.Tx
	by         store.By
	products   map[string]int64
	titles     map[string]*store.KnownTitle // by the ID of their key
	publishers map[string]*catalogue.Known
	touched    map[int64]bool         // products of which something changed
	written    int                    // titles and publishers of which something changed
	kept       []catalogue.Difference // conflicts in which what is here stayed
}

func openBook(tx *store.Tx, by store.By) (*book, error) {
	b := &book{tx: tx, by: by, titles: map[string]*store.KnownTitle{}, publishers: map[string]*catalogue.Known{}, touched: map[int64]bool{}}
	var err error
	if b.products, err = tx.ProductKeys(); err != nil {
		return nil, err
	}
	titles, err := tx.KnownTitles(0)
	if err != nil {
		return nil, err
	}
	for _, t := range titles {
		b.titles[t.Key.ID()] = t
	}
	publishers, err := tx.KnownPublishers()
	for _, p := range publishers {
		b.publishers[p.Key.ID()] = p
	}
	return b, err
}

// known is what the catalogue has of a key, nil where it has nothing.
func (b *book) known(key catalogue.Key) *catalogue.Known {
	if key.Product == "" {
		return b.publishers[key.ID()]
	}
	if t := b.titles[key.ID()]; t != nil {
		return &t.Known
	}
	return nil
}

// merge takes what a file says of a title or a publisher, as chosen.
func (b *book) merge(e formats.Entry, choose func(*catalogue.Difference) catalogue.Choice) (store.Change, error) {
	before := b.known(e.Key)
	now, changed, remembered := catalogue.Merge(before, e.Key, e.Says, func(d *catalogue.Difference) catalogue.Choice {
		c := choose(d)
		if d.Sort == catalogue.Conflict && c != catalogue.Take {
			b.kept = append(b.kept, *d)
		}
		return c
	})
	switch {
	case now == nil || !changed && !remembered:
		return store.Same, nil
	case !changed:
		return store.Same, b.put(before, now)
	}
	b.written++
	if before == nil {
		return store.Added, b.put(nil, now)
	}
	return store.Changed, b.put(before, now)
}

// put writes what is known of a key now.
func (b *book) put(before, now *catalogue.Known) (err error) {
	if now.Product == "" {
		now.ID, err = b.tx.PutPublisher(before, now, b.by)
		b.publishers[now.Key.ID()] = now
		for key, id := range b.products { // other names of a publisher touch every product of it
			if clean := recognise.CleanPublisher(now.Publisher); len(key) > len(clean) && key[:len(clean)+1] == clean+"|" {
				b.touched[id] = true
			}
		}
		return err
	}
	key := store.ProductKey(now.Publisher, now.Product)
	product := b.products[key]
	if product == 0 {
		if product, err = b.tx.AddProduct(now.Publisher, now.Product); err != nil {
			return err
		}
		b.products[key] = product
	}
	if now.ID, err = b.tx.PutTitle(product, before, now, b.by); err != nil {
		return err
	}
	b.touched[product] = true
	b.titles[now.Key.ID()] = &store.KnownTitle{Known: *now, Product: product, ChangedAt: b.by.At}
	return nil
}
