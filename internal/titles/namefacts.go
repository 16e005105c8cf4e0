package titles

import (
	"errors"
	"maps"
	"slices"

	"ensomet/internal/core/recognise"
	"ensomet/internal/counts"
	"ensomet/internal/facts"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
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
	records, err := stored.AllRecords(tx, false)
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

func firstProposal(w *recognise.Worker, key string, r *stored.RawRecord) titlesdb.KeptProposal {
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

// MoveNames moves how often raw names are installed by differences, and with it what those would be worth that nobody
// has recognised. Names of which more than that changed are summed up anew; e has what the worth of a name rests on.
func (svc *Service) MoveNames(tx *sqlite.Tx, e *snapshot.Snapshot, moved map[string]counts.Sums) error {
	keys := slices.Sorted(maps.Keys(moved))
	if len(keys) == 0 {
		return nil
	}
	marked, err := titlesdb.TakeMarkedNames(tx, keys)
	if err != nil {
		return err
	}
	sums, err := titlesdb.SumsOfNames(tx, keys)
	if err != nil {
		return err
	}
	madeFor, err := tx.Setting(renewal.CatalogueChanges)
	if err != nil {
		return err
	}
	kept, err := titlesdb.ProposalsFor(tx, keys, madeFor)
	if err != nil {
		return err
	}
	var anew []string
	for _, key := range keys {
		by, s := moved[key], sums[key]
		_, is := slices.BinarySearch(marked, key)
		if by == (counts.Sums{}) && s.Stored && !is {
			continue
		}
		s.Installs, s.Devices, s.Stale = s.Installs+by.Installs, s.Devices+by.Devices, s.Stale+by.Stale
		sums[key] = s
		p, proposed := kept[key]
		switch {
		case is || !s.Stored || s.State == "later" || s.State == "waiting" || s.State == "unrecognised" && !proposed:
			anew = append(anew, key)
			continue
		case s.State == "unrecognised":
			n := snapshot.NameFact{Devices: s.Devices}
			worth(e, &n, p)
			s.Money, s.Findings = n.Money, n.Findings
		}
		if err := titlesdb.PutSumsOfName(tx, key, s); err != nil {
			return err
		}
	}
	return svc.sumUpAnew(tx, e, anew, sums)
}

// RenewNames sums some raw names up anew.
func (svc *Service) RenewNames(tx *sqlite.Tx, e *snapshot.Snapshot, keys []string) error {
	slices.Sort(keys)
	if _, err := titlesdb.TakeMarkedNames(tx, keys); err != nil {
		return err
	}
	sums, err := titlesdb.SumsOfNames(tx, keys)
	if err != nil {
		return err
	}
	return svc.sumUpAnew(tx, e, keys, sums)
}

// sumUpAnew writes what is known of some names, in order; sums says how often they are installed.
func (svc *Service) sumUpAnew(tx *sqlite.Tx, e *snapshot.Snapshot, keys []string,
	sums map[string]titlesdb.NameSums) error {
	if len(keys) == 0 {
		return nil
	}
	records, err := stored.RecordsOfKeys(tx, keys)
	if err != nil {
		return err
	}
	madeFor, err := tx.Setting(renewal.CatalogueChanges)
	if err != nil {
		return err
	}
	kept, err := titlesdb.ProposalsFor(tx, keys, madeFor)
	if err != nil {
		return err
	}
	states, err := titlesdb.StatesByPeople(tx, keys, e.AsOf)
	if err != nil {
		return err
	}
	var worker *recognise.Worker // nil until a proposal is to be made
	var names []snapshot.NameFact
	var made []titlesdb.KeptProposal
	for from := 0; from < len(records); {
		first, key, versions := &records[from], records[from].Key, map[string]bool{}
		s := sums[key]
		n := snapshot.NameFact{Key: key, Publisher: first.RawRecord.Publisher, Name: first.Name,
			Installs: s.Installs, Devices: s.Devices, Stale: s.Stale}
		to := from
		for ; to < len(records) && records[to].Key == key; to++ {
			versions[records[to].TitleVersion] = true
			n.State = records[to].StateOfName(n.State)
		}
		n.Records, n.Versions, from = int64(to-from), int64(len(versions)), to
		if n.State == "unrecognised" {
			p, known := kept[key]
			if !known || p.Record != first.ID {
				if worker == nil {
					k, err := svc.Snapshots.Knowledge(tx)
					if err != nil {
						return err
					}
					worker = k.Recogniser().Worker()
				}
				p = firstProposal(worker, key, &first.RawRecord)
				made = append(made, p)
			}
			worth(e, &n, p)
		}
		if state := states[key]; state != "" {
			n.State = state
		}
		names = append(names, n)
	}
	return errors.Join(titlesdb.PutProposals(tx, made, madeFor), facts.PutNames(tx, keys, names))
}
