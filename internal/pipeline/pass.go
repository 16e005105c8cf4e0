package pipeline

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/counts"
	"ensomet/internal/directory"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/facts"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// pass computes everything in pieces: first device by device, then product by product. Memory holds what is known of
// all devices, and the installs of one piece; whoever else writes waits for one piece at most. Between two pieces it
// may go on with a newer state of the file: what changed since it began is touched, and is counted again for that.
type pass struct {
	*Service
	ctx             context.Context
	tx              *sqlite.Tx // that reads
	e               *snapshot.Snapshot
	began           int64  // when it began to read, in seconds since 1970
	upTo, catalogue string // the states that it reads
	fromNought      bool
	write           func(func(tx *sqlite.Tx) error) error
	between         func() error // lets what is touched go first
}

// The pieces of a pass.
const (
	devicesPut    = 40 // in one transaction
	peopleInPiece = 400
)

// Pieces are those in which everything is computed. The zero value is the usual.
type Pieces struct {
	Devices  int    // in a piece of devices; 0 is 1,000
	Installs int    // in a piece of titles, one at least; 0 is two for each device, and 100,000 at least
	Before   func() // is called before each
	Newer    bool   // each sees the newest state
}

func (p Pieces) before() {
	if p.Before != nil {
		p.Before()
	}
}

// errElsewhere says that another program wrote something that is derived while this one computed everything anew.
var errElsewhere = errors.New("another program works on the same file and renews its figures, too: try again, or let " +
	"one of them do it")

// moved is what was written since a pass began to read, which it must not write over with something older.
type moved struct {
	devices, products map[int64]bool // nil where no pass runs
	writes            int64
}

func (m *moved) note(devices, products []int64) {
	if m.devices == nil {
		return
	}
	for _, id := range devices {
		m.devices[id] = true
	}
	for _, id := range products {
		m.products[id] = true
	}
}

// computeAll computes everything from nothing: what is kept of devices, the sums, the positions and cases. What is
// touched meanwhile waits.
func (svc *Service) computeAll(ctx context.Context) error {
	if err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		return errors.Join(renewal.Forget(tx), tx.SetSetting(countedForm, ""))
	}); err != nil {
		return err
	}
	return svc.pass(ctx, true, ctx.Err)
}

// computeAnew computes everything anew and writes what differs. Between its pieces what is touched is renewed, so that
// figures do not become old meanwhile.
func (svc *Service) computeAnew(ctx context.Context) error {
	return svc.pass(ctx, false, func() error {
		var any bool
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			if any, err = renewal.AnyTouched(tx); err != nil || any {
				return err
			}
			now, err := tx.Setting(renewal.Changes)
			if err != nil {
				return err
			}
			done, err := tx.Setting(renewal.ComputedChanges)
			any = now != done
			return err
		}); err != nil || !any {
			return err
		}
		return svc.settleAndMove(ctx)
	})
}

func (svc *Service) pass(ctx context.Context, fromNought bool, goesFirst func() error) error {
	svc.moved = moved{devices: map[int64]bool{}, products: map[int64]bool{}}
	defer func() { svc.moved = moved{} }()
	var p *pass
	if err := svc.DB.ViewLong(ctx, func(tx *sqlite.Tx) (err error) {
		began, err := renewal.Moves(tx)
		if err != nil {
			return err
		}
		p, err = svc.newPass(ctx, tx, fromNought)
		if err != nil {
			return err
		}
		p.between = func() error {
			svc.Pieces.before()
			if err := goesFirst(); err != nil {
				return err
			}
			if svc.Pieces.Newer || tx.KeepsMuch() {
				return tx.Newer()
			}
			return nil
		}
		p.write = func(fn func(tx *sqlite.Tx) error) error {
			return svc.write(ctx, func(tx *sqlite.Tx) error {
				if n, err := renewal.Moves(tx); err != nil || n != began+svc.moved.writes {
					return errors.Join(err, errElsewhere)
				}
				return fn(tx)
			})
		}
		return p.run()
	}); err != nil {
		return err
	}
	if err := p.write(p.finish); err != nil {
		return err
	}
	return svc.DB.Analyse(ctx)
}

// newPass begins to read.
func (svc *Service) newPass(ctx context.Context, tx *sqlite.Tx, fromNought bool) (*pass, error) {
	p := &pass{Service: svc, ctx: ctx, tx: tx, began: svc.Clock.Now().Unix(), fromNought: fromNought}
	var err error
	if p.upTo, err = tx.Setting(renewal.Changes); err != nil {
		return nil, err
	}
	if p.catalogue, err = tx.Setting(renewal.CatalogueChanges); err != nil {
		return nil, err
	}
	p.e, err = svc.Snapshots.LoadToCount(tx)
	return p, err
}

// run computes everything.
func (p *pass) run() error {
	if err := p.devices(); err != nil {
		return err
	}
	if err := p.names(); err != nil {
		return err
	}
	if err := p.products(); err != nil {
		return err
	}
	if err := p.keys(); err != nil {
		return err
	}
	return p.people()
}

// devices counts what is on devices, and what they lack.
func (p *pass) devices() error {
	if err := p.Counts.Know(p.tx); err != nil {
		return err
	}
	named := map[string]int64{}
	ids := make([]int64, len(p.e.Devices))
	for i := range p.e.Devices {
		ids[i] = p.e.Devices[i].ID
		named[strings.ToLower(p.e.Devices[i].Name)]++
	}
	slices.Sort(ids)
	done := 0
	for piece := range slices.Chunk(ids, cmp.Or(p.Pieces.Devices, 1000)) {
		if err := p.between(); err != nil {
			return err
		}
		p.Progress.Step(fmt.Sprintf("counting installs: %d of %d devices", done, len(ids)))
		done += len(piece)
		if err := p.e.CountDevices(p.tx, piece); err != nil {
			return err
		}
		c, err := reckon(p.tx, p.e, piece)
		if err != nil {
			return err
		}
		for i := range c.sums {
			d := &c.sums[i]
			d.Namesakes = named[strings.ToLower(p.e.Devices[p.e.DeviceAt[d.Device]].Name)] - 1
		}
		put := p.putDevices
		if !p.fromNought {
			put = p.keepDiffering
		}
		if err := errors.Join(put(c, piece), p.lacking(piece)); err != nil {
			return err
		}
	}
	if !p.fromNought {
		return nil // a device that is gone is touched
	}
	return p.forgetLeft()
}

// putDevices stores what devices are counted as.
func (p *pass) putDevices(c *reckoning, piece []int64) error {
	for some := range slices.Chunk(piece, devicesPut) {
		sums, idle, members := c.of(some)
		if err := p.write(func(tx *sqlite.Tx) error {
			// of what came since, the changes are worked out when it is counted
			touched, err := renewal.AmongTouched(tx, some)
			if err != nil {
				return err
			}
			dirty, err := renewal.TakeDirty(tx, slices.DeleteFunc(slices.Clone(some), func(id int64) bool {
				return slices.Contains(touched, id)
			}))
			if err != nil {
				return err
			}
			return errors.Join(
				evidence.LogChanges(tx, dirty),
				p.Counts.Put(tx, p.e, some, c.InTime),
				counts.PutSourced(tx, p.e, some, idle),
				facts.PutDevices(tx, some, sums, idle),
				evidencedb.PutMembersOf(tx, some, members),
			)
		}); err != nil {
			return err
		}
	}
	return nil
}

// forgetLeft forgets devices that are there no more.
func (p *pass) forgetLeft() error {
	kept, err := counts.Left(p.tx)
	if err != nil {
		return err
	}
	listed, err := facts.Left(p.tx)
	if err != nil {
		return err
	}
	if left := stored.Distinct(slices.Concat(kept, listed)); len(left) > 0 {
		return p.putDevices(&reckoning{Snapshot: p.e}, left)
	}
	return nil
}

// keepDiffering keeps those devices that are counted otherwise than before, and that nothing touched meanwhile.
func (p *pass) keepDiffering(c *reckoning, piece []int64) error {
	counted, err := p.Counts.Differing(p.tx, p.e, piece, c.InTime)
	if err != nil {
		return err
	}
	listed, err := facts.Differing(p.tx, piece, c.sums, c.idle)
	if err != nil {
		return err
	}
	grouped, err := evidencedb.MembersDiffering(p.tx, piece, c.members)
	if err != nil {
		return err
	}
	for some := range slices.Chunk(stored.Distinct(slices.Concat(counted, listed, grouped)), devicesAtOnce) {
		if err := p.write(func(tx *sqlite.Tx) error {
			ids, err := p.untouched(tx, some)
			if err != nil || len(ids) == 0 {
				return err
			}
			return errors.Join(p.keep(tx, c, ids, false), renewal.DevicesSeen(tx, ids))
		}); err != nil {
			return err
		}
	}
	return nil
}

// untouched are those of some devices of which nothing changed since the pass began to read.
func (p *pass) untouched(tx *sqlite.Tx, ids []int64) ([]int64, error) {
	touched, err := renewal.AmongTouched(tx, ids)
	return slices.DeleteFunc(slices.Clone(ids), func(id int64) bool {
		return p.moved.devices[id] || slices.Contains(touched, id)
	}), err
}

// lacking looks for what devices lack.
func (p *pass) lacking(piece []int64) error {
	d, err := p.find(p.ctx, p.tx, p.e, &worklist.Scope{Devices: piece, Keys: worklist.KeysApart})
	if err != nil {
		return err
	}
	return p.write(func(tx *sqlite.Tx) error {
		ids, err := p.untouched(tx, piece)
		if err != nil {
			return err
		}
		return p.putFound(tx, d.Of(nil, ids))
	})
}

// names sums up names, titles and releases from nothing, or the names anew of which what they are worth may be another.
func (p *pass) names() error {
	p.Progress.Step("proposing titles")
	if p.fromNought {
		names, err := p.Titles.SumUpNames(p.tx, p.e)
		if err != nil {
			return err
		}
		releases, err := p.Catalogue.SumUpReleases(p.tx, p.e)
		if err != nil {
			return err
		}
		products := p.e.SumUpProducts()
		return p.write(func(tx *sqlite.Tx) error {
			return errors.Join(
				facts.PutSums(tx, names.Names, products),
				titlesdb.PutReleases(tx, releases.Versions, releases.Releases),
				titlesdb.PutProposals(tx, names.Proposals, names.MadeFor),
				counts.PutFleet(tx, p.e.Fleet),
			)
		})
	}
	open, err := titlesdb.OpenNames(p.tx)
	if err != nil {
		return err
	}
	for some := range slices.Chunk(open, namesAtOnce) {
		if err := p.between(); err != nil {
			return err
		}
		if err := p.write(func(tx *sqlite.Tx) error { return p.renewNames(tx, some) }); err != nil {
			return err
		}
	}
	return nil
}

// products works out positions and cases.
func (p *pass) products() error {
	most := cmp.Or(p.Pieces.Installs, max(100_000, 2*len(p.e.Devices)))
	var piece []int64
	installs, done := 0, 0
	all := p.e.Ordered()
	sizes := map[int64]int64{}
	for _, s := range p.e.SumUpProducts() {
		sizes[s.Product] = s.Installs
	}
	flush := func() error {
		if len(piece) == 0 {
			return nil
		}
		if err := p.between(); err != nil {
			return err
		}
		p.Progress.Step(fmt.Sprintf("setting owned against needed: %d of %d titles", done, len(all)))
		done += len(piece)
		err := p.productsOf(piece)
		piece, installs = nil, 0
		return err
	}
	for _, f := range all {
		if installs > 0 && installs+int(sizes[f.Id]) > most {
			if err := flush(); err != nil {
				return err
			}
		}
		piece = append(piece, f.Id)
		installs += int(sizes[f.Id])
	}
	return flush()
}

func (p *pass) productsOf(piece []int64) error {
	if err := p.e.CountProducts(p.tx, piece); err != nil {
		return err
	}
	d, err := p.find(p.ctx, p.tx, p.e, &worklist.Scope{Products: piece, Keys: worklist.KeysApart})
	if err != nil {
		return err
	}
	for some := range slices.Chunk(piece, productsAtOnce) {
		if err := p.write(func(tx *sqlite.Tx) error {
			dirty, err := renewal.AmongDirty(tx, some)
			if err != nil {
				return err
			}
			ids := slices.DeleteFunc(slices.Clone(some), func(id int64) bool { // a newer state is there, or comes
				return p.moved.products[id] || slices.Contains(dirty, id)
			})
			if len(ids) == 0 {
				return nil
			}
			return p.putFound(tx, d.Of(ids, nil))
		}); err != nil {
			return err
		}
	}
	return nil
}

// keys looks at licence keys.
func (p *pass) keys() error {
	d, err := p.find(p.ctx, p.tx, p.e, &worklist.Scope{Keys: worklist.KeysToo})
	if err != nil {
		return err
	}
	return p.write(func(tx *sqlite.Tx) error { return p.putFound(tx, d) })
}

// people makes the list of people anew.
func (p *pass) people() error {
	people, err := directory.Known(p.tx)
	if err != nil {
		return err
	}
	done := 0
	for some := range slices.Chunk(people, peopleInPiece) {
		if err := p.between(); err != nil {
			return err
		}
		p.Progress.Step(fmt.Sprintf("listing people: %d of %d", done, len(people)))
		done += len(some)
		if err := p.write(func(tx *sqlite.Tx) error { return directory.PutFactsOf(tx, p.e.AsOf, some) }); err != nil {
			return err
		}
	}
	return nil
}

// finish says that everything is computed.
func (p *pass) finish(tx *sqlite.Tx) error {
	if p.fromNought {
		if err := tx.SetSetting(renewal.ComputedChanges, p.upTo); err != nil {
			return err
		}
	}
	return errors.Join(
		facts.PutDoubt(tx),
		worklistdb.PutInOrder(tx),
		p.Evidence.QueueChangeMail(tx),
		p.Use.QueuePoolMail(tx),
		titlesdb.PutQueueDay(tx, p.e.AsOf),
		worklist.CasesSeen(tx, p.began),
		renewal.AllRenewed(tx, p.upTo),
		tx.SetSetting(countedForm, form),
		tx.SetSetting(renewal.DerivedFor, p.catalogue),
		tx.SetSetting(renewal.ComputedFor, p.e.AsOf.String()),
	)
}
