package titles

import (
	"maps"
	"slices"

	"ensomet/internal/core/recognise"
	"ensomet/internal/counts"
	"ensomet/internal/facts"
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

// MoveNames moves how often raw names are installed by differences. Names of which more than that changed, and those
// that nobody has recognised, which are worth what their installs are, are summed up anew; e has what the worth of a
// name rests on.
func (svc *Service) MoveNames(tx *sqlite.Tx, e *snapshot.Snapshot, moved map[string]counts.Sums) error {
	marked, err := titlesdb.TakeMarkedNames(tx)
	if err != nil {
		return err
	}
	anew := map[string]bool{}
	for _, key := range marked {
		anew[key] = true
	}
	keys := slices.Compact(slices.Sorted(slices.Values(slices.AppendSeq(marked, maps.Keys(moved)))))
	a := again{svc: svc, tx: tx, e: e}
	for _, key := range keys {
		by := moved[key]
		s, err := titlesdb.SumsOfName(tx, key)
		if err != nil {
			return err
		}
		open := s.State == "unrecognised" || s.State == "later" || s.State == "waiting"
		if by == (counts.Sums{}) && s.Stored && !anew[key] {
			continue
		}
		s.Installs, s.Devices, s.Stale = s.Installs+by.Installs, s.Devices+by.Devices, s.Stale+by.Stale
		if s.Stored && !open && !anew[key] {
			err = titlesdb.PutSumsOfName(tx, key, s)
		} else {
			err = a.sumUp(key, s)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// again sums names up anew, one by one.
type again struct {
	svc     *Service
	tx      *sqlite.Tx
	e       *snapshot.Snapshot
	worker  *recognise.Worker // nil until a proposal is to be made
	madeFor string
}

// sumUp writes what is known of a name; s says how often it is installed.
func (a *again) sumUp(key string, s titlesdb.NameSums) error {
	records, err := snapshot.RecordsOfKey(a.tx, key)
	if err != nil {
		return err
	}
	if len(records) == 0 {
		return facts.DropName(a.tx, key)
	}
	ids := make([]int64, len(records))
	for i := range records {
		ids[i] = records[i].ID
	}
	list, err := snapshot.RecognitionsOf(a.tx, ids)
	if err != nil {
		return err
	}
	versions := map[string]bool{}
	n := snapshot.NameFact{Key: key, Publisher: records[0].Publisher, Name: records[0].Name,
		Records: int64(len(records)), Installs: s.Installs, Devices: s.Devices, Stale: s.Stale}
	for i := range list {
		versions[list[i].TitleVersion] = true
		n.State = list[i].StateOfName(n.State)
	}
	n.Versions = int64(len(versions))
	if n.State == "unrecognised" {
		p, err := a.proposal(key, &records[0])
		if err != nil {
			return err
		}
		worth(a.e, &n, p)
	}
	state, err := titlesdb.StateByPeople(a.tx, key, a.e.AsOf)
	if err != nil {
		return err
	}
	if state != "" {
		n.State = state
	}
	return facts.PutName(a.tx, n)
}

// proposal is the first proposal for a name, which is made where none is kept.
func (a *again) proposal(key string, r *snapshot.StoredRecord) (titlesdb.KeptProposal, error) {
	if a.madeFor == "" {
		var err error
		if a.madeFor, err = a.tx.Setting(renewal.CatalogueChanges); err != nil {
			return titlesdb.KeptProposal{}, err
		}
	}
	p, err := titlesdb.ProposalFor(a.tx, key, a.madeFor)
	if err != nil || p.Record == r.ID {
		return p, err
	}
	if a.worker == nil {
		k, err := a.svc.Snapshots.Knowledge(a.tx)
		if err != nil {
			return p, err
		}
		a.worker = k.Recogniser().Worker()
	}
	p = firstProposal(a.worker, key, r)
	return p, titlesdb.PutProposals(a.tx, []titlesdb.KeptProposal{p}, a.madeFor)
}
