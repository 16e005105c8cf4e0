package app

import (
	"ensomet/internal/core/money"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// nameFacts sums up the raw names.
type nameFacts struct {
	names []store.NameFact
	// first proposals that were made for this state of the catalogue
	proposals []store.KeptProposal
	madeFor   string
}

// sumUpNames sums up the raw names; those that nobody has recognised get their first proposal, and what would follow if it were right.
func (a *App) sumUpNames(tx *store.Tx, e *estate) (d nameFacts, err error) {
	k, err := a.know(tx)
	if err != nil {
		return d, err
	}
	if d.madeFor, err = tx.Setting(catalogueChanges); err != nil {
		return d, err
	}
	kept, err := tx.Proposals(d.madeFor)
	if err != nil {
		return d, err
	}
	later, err := tx.Later()
	if err != nil {
		return d, err
	}
	states := k.states(later)
	w := k.recogniser().Worker()
	records, err := tx.AllRecords(false)
	if err != nil {
		return d, err
	}
	for i := range records {
		r := &records[i]
		if r.ID >= int64(len(e.recs)) || e.recs[r.ID].key < 0 {
			continue
		}
		key := &e.keys[e.recs[r.ID].key]
		if key.sample != r.ID {
			continue
		}
		n := store.NameFact{Key: key.key, Publisher: r.Publisher, Name: r.Name, Versions: int64(len(key.versions)), Records: key.records, Installs: key.installs, Devices: key.devices, Stale: key.stale, State: key.state}
		if n.State == "unrecognised" {
			if err := tx.Context().Err(); err != nil { // proposing takes long where many names wait
				return d, err
			}
			p, known := kept[n.Key]
			if !known || p.Record != r.ID {
				p = firstProposal(w, n.Key, r)
				d.proposals = append(d.proposals, p)
			}
			e.worth(&n, p)
		}
		if s := states[n.Key]; s != "" {
			n.State = s
		}
		d.names = append(d.names, n)
	}
	return d, nil
}

func firstProposal(w *recognise.Worker, key string, r *store.StoredRecord) store.KeptProposal {
	out := store.KeptProposal{Key: key, Record: r.ID}
	if list := w.Propose(&r.Record, 1); len(list) > 0 {
		out.Product, out.Edition, out.Score = list[0].Product, list[0].Edition, list[0].Score
	}
	_, apart := w.Decide(&r.Record)
	out.Gather = apart.Gather()
	return out
}

// worth says what a name's first proposal would change if it were right: devices that would need a right, at list price in euros, and devices where the title is restricted.
func (e *estate) worth(n *store.NameFact, p store.KeptProposal) {
	n.Gather, n.Score = p.Gather, p.Score
	f := e.products[p.Product]
	if f == nil {
		return
	}
	n.Likely = f.product.Publisher + " " + f.product.Name
	if as := e.catalogue.As(f.id, p.Edition, ""); as.Line != nil && as.Line.ListPrice.Valid && as.Model.Licensable() {
		if amount, err := e.rates.Convert(as.Line.ListPrice.Decimal, as.Line.Currency, money.Base, e.asOf); err == nil {
			n.Money = amount.InexactFloat64() * float64(n.Devices)
		}
	}
	if f.restricting {
		n.Findings = n.Devices
	}
}
