package titles

import (
	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
)

// editor is the catalogue opened for writing within a transaction.
type editor struct {
	tx         *sqlite.Tx
	by         titlesdb.By
	products   map[string]int64
	titles     map[string]*titlesdb.KnownTitle // by the ID of their key
	publishers map[string]*catalogue.Known
	touched    map[int64]bool         // products of which something changed
	written    int                    // titles and publishers of which something changed
	kept       []catalogue.Difference // conflicts in which what is here stayed
}

func newEditor(tx *sqlite.Tx, by titlesdb.By) (*editor, error) {
	b := &editor{
		tx:         tx,
		by:         by,
		titles:     map[string]*titlesdb.KnownTitle{},
		publishers: map[string]*catalogue.Known{},
		touched:    map[int64]bool{},
	}
	var err error
	if b.products, err = stored.ProductKeys(tx); err != nil {
		return nil, err
	}
	titles, err := titlesdb.KnownTitles(tx, 0)
	if err != nil {
		return nil, err
	}
	for _, t := range titles {
		b.titles[t.Key.ID()] = t
	}
	publishers, err := snapshot.KnownPublishers(tx)
	for _, p := range publishers {
		b.publishers[p.Key.ID()] = p
	}
	return b, err
}

// known is what the catalogue has of a key, nil where it has nothing.
func (b *editor) known(key catalogue.Key) *catalogue.Known {
	if key.Product == "" {
		return b.publishers[key.ID()]
	}
	if t := b.titles[key.ID()]; t != nil {
		return &t.Known
	}
	return nil
}

// merge takes what a file says of a title or a publisher, as chosen.
func (b *editor) merge(e formats.Entry, choose func(*catalogue.Difference) catalogue.Choice) (sqlite.Change, error) {
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
		return sqlite.Same, nil
	case !changed:
		return sqlite.Same, b.put(before, now)
	}
	b.written++
	if before == nil {
		return sqlite.Added, b.put(nil, now)
	}
	return sqlite.Changed, b.put(before, now)
}

// put writes what is known of a key now.
func (b *editor) put(before, now *catalogue.Known) (err error) {
	if now.Product == "" {
		now.ID, err = titlesdb.PutPublisher(b.tx, before, now, b.by)
		b.publishers[now.Key.ID()] = now
		for key, id := range b.products { // other names of a publisher touch every product of it
			if clean := recognise.CleanPublisher(now.Publisher); len(key) > len(clean) &&
				key[:len(clean)+1] == clean+"|" {
				b.touched[id] = true
			}
		}
		return err
	}
	key := stored.ProductKey(now.Publisher, now.Product)
	product := b.products[key]
	if product == 0 {
		if product, err = titlesdb.AddProduct(b.tx, now.Publisher, now.Product); err != nil {
			return err
		}
		b.products[key] = product
	}
	if now.ID, err = titlesdb.PutTitle(b.tx, product, before, now, b.by); err != nil {
		return err
	}
	b.touched[product] = true
	b.titles[now.Key.ID()] = &titlesdb.KnownTitle{Known: *now, Product: product, ChangedAt: b.by.At}
	return nil
}
