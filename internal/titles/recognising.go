package titles

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"ensomet/internal/core/recognise"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
)

// Recognise recognises new records, or all of them after a change of the catalogue or of rules. Records are looked at
// outside of any writing, so that others can write meanwhile; where they did, they are looked at again, so that no
// decision that was taken meanwhile is overwritten by an older answer. Only what changed is written. It returns,
// where everything was looked at anew, the products that records became or were before.
func (svc *Service) Recognise(ctx context.Context) ([]int64, error) {
	for range 3 {
		products, done, err := svc.recogniseOnce(ctx, svc.DB.View)
		if done || err != nil {
			return products, err
		}
	}
	products, _, err := svc.recogniseOnce(ctx, nil)
	return products, err
}

// recogniseOnce looks at records in a transaction of its own, or within the one that writes. It reports whether
// nothing changed meanwhile.
func (svc *Service) recogniseOnce(
	ctx context.Context,
	look func(context.Context, func(*sqlite.Tx) error) error,
) ([]int64, bool, error) {
	began := time.Now()
	var work recognised
	read := func(tx *sqlite.Tx) (err error) {
		work, err = svc.recogniseRecords(tx, svc.Progress.Step)
		return err
	}
	if look != nil {
		if err := look(ctx, read); err != nil || !work.needed() {
			return nil, true, err
		}
	}
	done := true
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if look == nil {
			if err := read(tx); err != nil {
				return err
			}
		} else if now, err := tx.Setting(renewal.Changes); err != nil || now != work.upTo {
			done = false
			return err
		}
		return svc.storeRecognised(tx, &work, began)
	})
	return work.products(), done, err
}

// recognised is what records are recognised as now, where that differs from before.
type recognised struct {
	k           *snapshot.Knowledge
	keys        map[int64]string // of decisions, where they are made anew
	all         bool
	state, upTo string
	records     int
	changed     []stored.Recognition
	before      map[int64]stored.Recognition
}

// products are those that records became or were before.
func (w *recognised) products() []int64 {
	touched := map[int64]bool{}
	for _, n := range w.changed {
		touched[n.Product], touched[w.before[n.Record].Product] = true, true
	}
	delete(touched, 0)
	return slices.Sorted(maps.Keys(touched))
}

// changedRecords are the records that are something else than before.
func (w *recognised) changedRecords() []int64 {
	out := make([]int64, len(w.changed))
	for i := range w.changed {
		out[i] = w.changed[i].Record
	}
	return out
}

func (w *recognised) needed() bool { return w.all || w.records > 0 }

// recogniseRecords recognises the records that are new, or all of them where what recognition rests on has changed.
func (svc *Service) recogniseRecords(tx *sqlite.Tx, progress func(string)) (work recognised, err error) {
	if work.upTo, err = tx.Setting(renewal.Changes); err != nil {
		return work, err
	}
	if work.all, work.state, work.k, err = svc.recognisedBefore(tx); err != nil {
		return work, err
	}
	records, err := stored.AllRecords(tx, !work.all)
	if err != nil {
		return work, err
	}
	if work.records = len(records); work.all {
		if work.before, err = recognitionsByRecord(tx); err != nil {
			return work, err
		}
		if work.keys, err = rekeyed(tx, work.k); err != nil {
			return work, err
		}
	}
	work.changed, err = decideAll(tx.Context(), work.k.Recogniser(), records, work.before, progress)
	return work, err
}

// decideAll recognises records on every processor, tells how far it is, and returns those that are not what they were
// before, in the order of their records.
func decideAll(
	ctx context.Context,
	g *recognise.Recogniser,
	records []stored.RawRecord,
	before map[int64]stored.Recognition,
	progress func(string),
) ([]stored.Recognition, error) {
	const batch = 2000
	batches := (len(records) + batch - 1) / batch
	found := make([][]stored.Recognition, batches)
	var next, done atomic.Int64
	var group sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			w := g.Worker()
			for {
				i := int(next.Add(1)) - 1
				if i >= batches || ctx.Err() != nil {
					return
				}
				part := records[i*batch : min((i+1)*batch, len(records))]
				for j := range part {
					n := Recognition(w, &part[j])
					if old, known := before[n.Record]; !known || old != n {
						found[i] = append(found[i], n)
					}
				}
				if n := int(done.Add(int64(len(part)))); progress != nil && len(records) > 10*batch {
					progress(fmt.Sprintf("recognising names: %d of %d thousand", n/1000, len(records)/1000))
				}
			}
		})
	}
	group.Wait()
	return slices.Concat(found...), ctx.Err()
}

// storeRecognised writes what differs, and what it amounts to where everything was looked at.
func (svc *Service) storeRecognised(tx *sqlite.Tx, work *recognised, began time.Time) error {
	if work.all {
		if err := putKeys(tx, work.keys); err != nil {
			return err
		}
	}
	if err := storeRecognitions(tx, renewal.TouchNow, work.changed, work.before); err != nil {
		return err
	}
	if work.all {
		run, err := work.run(tx)
		if err != nil {
			return err
		}
		run.At, run.TookMS = svc.Clock.Now().Unix(), time.Since(began).Milliseconds()
		if run.Found+run.Moved+run.Lost > 0 {
			if err := titlesdb.AddRecognitionRun(tx, run); err != nil {
				return err
			}
		}
	}
	return tx.SetSetting(renewal.RecognisedFor, work.state)
}

// mostMoves is how many ways from product to product a summary tells apart.
const mostMoves = 40

// run sums up which records are another product than before.
func (w *recognised) run(tx *sqlite.Tx) (titlesdb.RecognitionRun, error) {
	run := titlesdb.RecognitionRun{Records: int64(w.records), Detail: []titlesdb.RecordsMoved{}}
	moved := map[[2]int64][]int64{}
	var all []int64
	for _, n := range w.changed {
		from := w.before[n.Record].Product
		switch {
		case from == n.Product:
			continue
		case from == 0:
			run.Found++
		case n.Product == 0:
			run.Lost++
		default:
			run.Moved++
		}
		way := [2]int64{from, n.Product}
		moved[way] = append(moved[way], n.Record)
		all = append(all, n.Record)
	}
	if len(all) == 0 || len(w.before) == 0 { // the first time everything is new
		return run, nil
	}
	installs, err := titlesdb.InstallsByRecord(tx, all)
	if err != nil {
		return run, err
	}
	name := func(id int64) string {
		if p := w.k.Catalogue.Product(id); p != nil {
			return p.Publisher + " " + p.Name
		}
		return ""
	}
	for way, records := range moved {
		m := titlesdb.RecordsMoved{
			From:     way[0],
			To:       way[1],
			FromName: name(way[0]),
			ToName:   name(way[1]),
			Records:  int64(len(records)),
		}
		for _, id := range records {
			m.Installs += installs[id]
		}
		run.Installs += m.Installs
		run.Detail = append(run.Detail, m)
	}
	slices.SortFunc(run.Detail, func(x, y titlesdb.RecordsMoved) int {
		return cmp.Or(
			cmp.Compare(y.Installs, x.Installs),
			cmp.Compare(y.Records, x.Records),
			cmp.Compare(x.To, y.To),
			cmp.Compare(x.From, y.From),
		)
	})
	run.Detail = run.Detail[:min(len(run.Detail), mostMoves)]
	return run, nil
}

// recognisedBefore reports whether anything that recognition rests on has changed since records were recognised, and
// the state that they are recognised for now.
func (svc *Service) recognisedBefore(tx *sqlite.Tx) (changed bool, state string, k *snapshot.Knowledge, err error) {
	if k, err = svc.Snapshots.Knowledge(tx); err != nil {
		return false, "", nil, err
	}
	catalogue, err := tx.Setting(renewal.CatalogueChanges)
	if err != nil {
		return false, "", nil, err
	}
	state = k.State(catalogue)
	done, err := tx.Setting(renewal.RecognisedFor)
	return done != state, state, k, err
}

// keyForm is the setting of the way in which the keys of decisions were made.
const keyForm = "key_form"

// rekeyed makes the keys of decisions anew from the records that they were taken on, where a program that made keys
// otherwise took them, and returns the new ones by the decisions' numbers. What is known goes by them at once, so that
// no record loses its decision.
func rekeyed(tx *sqlite.Tx, k *snapshot.Knowledge) (map[int64]string, error) {
	form, err := tx.Setting(keyForm)
	if err != nil || form == recognise.KeyForm {
		return nil, err
	}
	keys := map[int64]string{}
	for i := range k.Decisions {
		d := &k.Decisions[i]
		if d.Record == 0 {
			continue
		}
		r, err := stored.RecordOf(tx, d.Record)
		if err != nil {
			return nil, err
		}
		apart := recognise.TakeApart(r.Record, nil)
		if key := apart.Key(); key != d.Key &&
			!slices.ContainsFunc(
				k.Decisions,
				func(o snapshot.Decided) bool { return o.Key == key && o.State == d.State },
			) {
			d.Key, keys[d.ID] = key, key
		}
	}
	return keys, nil
}

// putKeys writes keys of decisions that were made anew.
func putKeys(tx *sqlite.Tx, keys map[int64]string) error {
	for _, id := range slices.Sorted(maps.Keys(keys)) {
		if err := titlesdb.Rekey(tx, id, keys[id]); err != nil {
			return err
		}
	}
	return tx.SetSetting(keyForm, recognise.KeyForm)
}

func recognitionsByRecord(tx *sqlite.Tx) (map[int64]stored.Recognition, error) {
	list, err := stored.Recognitions(tx)
	out := make(map[int64]stored.Recognition, len(list))
	for _, n := range list {
		out[n.Record] = n
	}
	return out, err
}

// putRecognitions recognises records and stores what they are, where that differs from before.
func putRecognitions(tx *sqlite.Tx, w *recognise.Worker, records []stored.RawRecord) error {
	known, err := stored.RecognitionsOf(tx, ids(records))
	if err != nil {
		return err
	}
	before := make(map[int64]stored.Recognition, len(known))
	for _, n := range known {
		before[n.Record] = n
	}
	var changed []stored.Recognition
	for i := range records {
		n := Recognition(w, &records[i])
		if old, known := before[n.Record]; !known || old != n {
			changed = append(changed, n)
		}
	}
	return storeRecognitions(tx, renewal.Touch, changed, before)
}

// mostChanged is of how many records that mean something else the devices are counted one by one.
const mostChanged = 2000

// storeRecognitions writes recognitions, and marks the products that they were or are by touch. Where a record is
// another version or goes by another key than before, the changes between scans of the devices that have or had it
// are worked out anew.
func storeRecognitions(
	tx *sqlite.Tx,
	touch func(*sqlite.Tx, []int64) error,
	changed []stored.Recognition,
	before map[int64]stored.Recognition,
) error {
	b, err := stored.NewRecognitions(tx)
	if err != nil {
		return err
	}
	var otherwise, fresh, products, records []int64
	var keys []string
	for _, n := range changed {
		records, keys = append(records, n.Record), append(keys, n.Key)
		if old, known := before[n.Record]; known && old.Key != n.Key {
			keys = append(keys, old.Key)
		}
		products = append(products, n.Product, before[n.Record].Product)
		if err := stored.AddRecognition(b, n); err != nil {
			return err
		}
		if old, known := before[n.Record]; !known {
			fresh = append(fresh, n.Record)
		} else if old.Version != n.Version || old.Key != n.Key {
			otherwise = append(otherwise, n.Record)
		}
	}
	if products = slices.DeleteFunc(stored.Distinct(products), func(id int64) bool { return id == 0 }); len(
		products,
	) > 0 {
		if err := touch(tx, products); err != nil {
			return err
		}
	}
	if err := b.Flush(); err != nil {
		return err
	}
	if err := titlesdb.MarkNames(tx, keys); err != nil {
		return err
	}
	if len(fresh) > 0 {
		if err := renewal.MarkCountedDevicesOf(tx, fresh); err != nil {
			return err
		}
	}
	if len(changed) > mostChanged { // then everything is counted anew
		if err := renewal.TouchNow(tx, []int64{0}); err != nil {
			return err
		}
	} else if err := renewal.TouchDevicesOf(tx, records); err != nil {
		return err
	}
	if len(otherwise) == 0 {
		return nil
	}
	return renewal.MarkDevicesOf(tx, otherwise)
}

func Recognition(w *recognise.Worker, r *stored.RawRecord) stored.Recognition {
	res, apart := w.Decide(&r.Record)
	n := stored.Recognition{
		Record:       r.ID,
		Key:          apart.Key(),
		Product:      res.Product,
		Title:        res.Title,
		Edition:      res.Edition,
		EditionRank:  res.EditionRank,
		TitleVersion: res.TitleVersion,
		Version:      res.Version,
		Step:         res.By,
		WhyNot:       res.WhyNot(),
		Whole:        res.Piece == recognise.Whole,
		NotSoftware:  res.NotCounted,
		Rule:         res.Rule,
	}
	if res.Line != nil {
		n.Line = res.Line.ID
	}
	return n
}

// changedRecognitions says which of some records would be recognised otherwise by a recogniser, and which products that
// touches on either side.
func changedRecognitions(
	w *recognise.Worker,
	records []stored.RawRecord,
	before map[int64]stored.Recognition,
) (changed []stored.Recognition, products []int64) {
	touched := map[int64]bool{}
	for i := range records {
		n := Recognition(w, &records[i])
		old := before[n.Record]
		if old == n {
			continue
		}
		changed = append(changed, n)
		touched[old.Product], touched[n.Product] = true, true
	}
	delete(touched, 0)
	return changed, slices.Sorted(maps.Keys(touched))
}
