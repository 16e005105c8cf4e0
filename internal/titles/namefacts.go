package titles

import (
	"ensomet/internal/core/recognise"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// NameFacts sums up the raw names.
type NameFacts struct {
	Names []snapshot.NameFact
	// first proposals that were made for this state of the catalogue
	Proposals []titlesdb.KeptProposal
	MadeFor   string
}

// SumUpNames sums up the raw names; those that nobody has recognised get their first proposal, and what would follow
// if it were right.
func (svc *Service) SumUpNames(tx *sqlite.Tx, e *snapshot.Snapshot) (d NameFacts, err error) {
	k, err := svc.Snapshots.Knowledge(tx)
	if err != nil {
		return d, err
	}
	if d.MadeFor, err = tx.Setting(renewal.CatalogueChanges); err != nil {
		return d, err
	}
	kept, err := titlesdb.Proposals(tx, d.MadeFor)
	if err != nil {
		return d, err
	}
	later, err := titlesdb.Later(tx)
	if err != nil {
		return d, err
	}
	states := states(k, later)
	w := k.Recogniser().Worker()
	records, err := snapshot.AllRecords(tx, false)
	if err != nil {
		return d, err
	}
	for i := range records {
		r := &records[i]
		if r.ID >= int64(len(e.Recs)) || e.Recs[r.ID].Key < 0 {
			continue
		}
		key := &e.Keys[e.Recs[r.ID].Key]
		if key.Sample != r.ID {
			continue
		}
		n := snapshot.NameFact{
			Key:       key.Key,
			Publisher: r.Publisher,
			Name:      r.Name,
			Versions:  int64(len(key.Versions)),
			Records:   key.Records,
			Installs:  key.Installs,
			Devices:   key.Devices,
			Stale:     key.Stale,
			State:     key.State,
		}
		if n.State == "unrecognised" {
			if err := tx.Context().Err(); err != nil { // proposing takes long where many names wait
				return d, err
			}
			p, known := kept[n.Key]
			if !known || p.Record != r.ID {
				p = firstProposal(w, n.Key, r)
				d.Proposals = append(d.Proposals, p)
			}
			worth(e, &n, p)
		}
		if s := states[n.Key]; s != "" {
			n.State = s
		}
		d.Names = append(d.Names, n)
	}
	return d, nil
}

func firstProposal(w *recognise.Worker, key string, r *snapshot.StoredRecord) titlesdb.KeptProposal {
	out := titlesdb.KeptProposal{Key: key, Record: r.ID}
	if list := w.Propose(&r.Record, 1); len(list) > 0 {
		out.Product, out.Edition, out.Score = list[0].Product, list[0].Edition, list[0].Score
	}
	_, apart := w.Decide(&r.Record)
	out.Gather = apart.Gather()
	return out
}

// worth says what a name's first proposal would change if it were right: devices that would need a right, at list
// price in the currency of the house, and devices where the title is restricted.
func worth(e *snapshot.Snapshot, n *snapshot.NameFact, p titlesdb.KeptProposal) {
	n.Gather, n.Score = p.Gather, p.Score
	f := e.Products[p.Product]
	if f == nil {
		return
	}
	n.Likely = f.Product.Publisher + " " + f.Product.Name
	if as := e.Catalogue.As(f.Id, p.Edition, ""); as.Line != nil && as.Line.ListPrice.Valid && as.Model.Licensable() {
		if amount, err := e.Rates.InHouse(as.Line.ListPrice.Decimal, as.Line.Currency, e.AsOf); err == nil {
			n.Money = amount.InexactFloat64() * float64(n.Devices)
		}
	}
	if f.Restricting {
		n.Findings = n.Devices
	}
}
