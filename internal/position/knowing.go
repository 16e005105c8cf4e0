package position

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/position"
	"ensomet/internal/core/refuse"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// Known says by what was known on which day figures are asked for: of each of two days by what was known at its end,
// or of both by what is known now.
type Known string

// The ways in which two days can be asked for.
const (
	KnownNow  Known = "now"
	KnownThen Known = "then"
)

// KnownSince is the first day of which the file knows what was known at its end; nothing where there is none yet.
func (svc *Service) KnownSince(ctx context.Context) (day string, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		since, err := tx.KnownSince()
		if since.Known() {
			day = since.String()
		}
		return err
	})
	return day, err
}

// markAt finds the mark at which the file was as it was at the end of a day, and the time until which its clock runs;
// of today and what is to come it is what is known now.
func (svc *Service) markAt(ctx context.Context, known civil.Day) (mark, now int64, err error) {
	now = svc.Clock.Now().Unix()
	if known >= svc.Snapshots.Today() {
		return 0, now, nil
	}
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		mark, err = tx.MarkAfter(known)
		if !errors.Is(err, sqlite.ErrNotKept) {
			return err
		}
		since, err := tx.KnownSince()
		if err != nil {
			return err
		}
		if !since.Known() {
			return refuse.New("what was known on earlier days is kept from now on: ask again from tomorrow")
		}
		return refuse.Errorf(
			"what was known on %s was not kept: it is kept since %s. Ask for %s as it is known now",
			known,
			since,
			known,
		)
	})
	return mark, min(now, known.EndUnix()-1), err
}

// at runs fn on the file as it was at a mark (0 is now). Where only is not nil, it reads the installs of these products
// and their kin alone.
func (svc *Service) at(ctx context.Context, mark int64, only []int64, fn func(tx *sqlite.Tx) error) error {
	if mark == 0 {
		return svc.DB.View(ctx, fn)
	}
	var narrow func(tx *sqlite.Tx) error
	if only != nil {
		narrow = func(tx *sqlite.Tx) error {
			c, err := svc.Snapshots.Catalogue(tx)
			if err != nil {
				return err
			}
			var kin []int64
			for _, id := range only {
				kin = append(kin, c.Kin(id)...)
			}
			return positiondb.LayInstallsOf(tx, stored.Distinct(kin))
		}
	}
	return svc.DB.AsKnown(ctx, mark, narrow, fn)
}

// NamesMoved are reported names that are recognised as something else than they were: what machines say has not
// changed, what is made of it has.
type NamesMoved struct {
	Names   []string // at most 20 of them
	Count   int
	Was, Is string // a product, or why it is none
	By      string // what decides now, and since when
	Devices int
}

// recordsBehind lists the records that holdings of a product rest on, by device.
func recordsBehind(f *snapshot.ProductFacts) map[int64][]int64 {
	out := make(map[int64][]int64, len(f.Holdings))
	for i := range f.Holdings {
		out[f.Holdings[i].Device] = f.Units[i].Records
	}
	return out
}

// learning is what two states of knowledge make of the records that they make something else of.
type learning struct {
	mark    int64 // of the earlier state
	was, is map[int64]stored.Recognition
}

// read reads what a state makes of records.
func (l *learning) read(tx *sqlite.Tx, records []int64) (map[int64]stored.Recognition, error) {
	list, err := stored.RecognitionsOf(tx, records)
	out := make(map[int64]stored.Recognition, len(list))
	for _, n := range list {
		out[n.Record] = n
	}
	return out, err
}

// changed reports whether what is made of any of some records of a product is something else; a record that the
// earlier state did not know at all was not recognised otherwise: it came.
func (l *learning) changed(records []int64) bool {
	for _, id := range records {
		was, known := l.was[id]
		if is := l.is[id]; known &&
			(was.Product != is.Product || was.Edition != is.Edition || was.Whole != is.Whole) {
			return true
		}
	}
	return false
}

// whyLearnt says why the holding of a product on a device is another one in a later state of knowledge of the same
// day, where happened says why it would be on another day.
func (d *twoDays) whyLearnt(was, is *snapshot.ProductFacts, happened position.Why) position.Why {
	before, after := recordsBehind(was), recordsBehind(is)
	return func(device int64) position.Cause {
		cause := happened(device)
		switch {
		case cause == position.InstallsGone && d.learning.changed(before[device]):
			return position.RecogniseLost
		case cause == position.Appeared && d.learning.changed(after[device]):
			return position.Recognised
		}
		return cause
	}
}

// namesMoved lists what the names behind the holdings of some devices became, what is on most devices first.
func (d *twoDays) namesMoved(tx *sqlite.Tx, product int64, devices []int64) ([]NamesMoved, error) {
	on := map[int64]map[int64]bool{} // by record, its devices
	for _, state := range []*snapshot.Snapshot{d.before, d.after} {
		if state.Products[product] == nil {
			continue
		}
		behind := recordsBehind(state.Products[product])
		for _, device := range devices {
			for _, id := range behind[device] {
				if !d.learning.changed([]int64{id}) {
					continue
				}
				if on[id] == nil {
					on[id] = map[int64]bool{}
				}
				on[id][device] = true
			}
		}
	}
	type way struct{ was, is, by string }
	type gathered struct{ names, devices map[any]bool }
	by := map[way]gathered{}
	for id, devices := range on {
		r, err := stored.RecordOf(tx, id)
		if err != nil {
			return nil, err
		}
		is := d.learning.is[id]
		decided, err := positiondb.DecidedBy(tx, is)
		if err != nil {
			return nil, err
		}
		w := way{d.recognisedAs(d.learning.was[id]), d.recognisedAs(is), decided}
		if by[w].names == nil {
			by[w] = gathered{map[any]bool{}, map[any]bool{}}
		}
		by[w].names[strings.TrimSpace(r.Publisher+" "+r.Name)] = true
		for device := range devices {
			by[w].devices[device] = true
		}
	}
	out := []NamesMoved{}
	for w, g := range by {
		m := NamesMoved{Count: len(g.names), Was: w.was, Is: w.is, By: w.by, Devices: len(g.devices)}
		for name := range g.names {
			m.Names = append(m.Names, name.(string))
		}
		slices.Sort(m.Names)
		m.Names = m.Names[:min(len(m.Names), mostNames)]
		out = append(out, m)
	}
	slices.SortFunc(out, func(a, b NamesMoved) int {
		return cmp.Or(cmp.Compare(b.Devices, a.Devices), cmp.Compare(a.Was+a.Is+a.By, b.Was+b.Is+b.By))
	})
	return out, nil
}

// recognisedAs says in words what a record is recognised as.
func (d *twoDays) recognisedAs(n stored.Recognition) string {
	for _, e := range []*snapshot.Snapshot{d.after, d.before} {
		if p := e.Products[n.Product]; p != nil {
			return strings.TrimSpace(p.Product.Publisher + " " + p.Product.Name + " " + n.Edition)
		}
	}
	if n.NotSoftware {
		return "not counted"
	}
	return "not recognised"
}

const mostNames = 20

// reasonsMoved says how many installs each reason leaves out more or fewer than in the earlier state.
func (d *twoDays) reasonsMoved(product int64) []string {
	by := map[string]int64{}
	if f := d.after.Products[product]; f != nil {
		for why, n := range f.LeftOutBy {
			by[why] += n
		}
	}
	if f := d.before.Products[product]; f != nil {
		for why, n := range f.LeftOutBy {
			by[why] -= n
		}
	}
	var out []string
	for why, n := range by {
		switch {
		case n > 0:
			out = append(out, fmt.Sprintf("%d %s", n, why))
		case n < 0:
			out = append(out, fmt.Sprintf("%d no longer %s", -n, why))
		}
	}
	slices.Sort(out)
	return out
}
