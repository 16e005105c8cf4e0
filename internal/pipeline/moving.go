package pipeline

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

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
	"ensomet/internal/used"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// countedForm is the setting of the way in which what is counted of each device is kept, and that way: where the two
// differ everything is counted anew.
const (
	countedForm = "counted_form"
	form        = "2"
)

// fleetMoved is set while how many devices there are of each kind has changed, and the doubt in positions has not.
const fleetMoved = "fleet_moved"

const (
	devicesAtOnce  = 20 // kept in one transaction, so that a writer who waits gets his turn
	devicesRead    = 100
	devicesInMove  = 1000 // before their products are looked at
	productsAtOnce = 25   // computed together, so that memory stays small
	casesAtOnce    = 500
	namesAtOnce    = 200
	leastOfMany    = 2000
	shareOfMany    = 4 // of devices, one in so many
)

// move renews what is touched, and nothing else: first the devices, which move the sums, then the products. What
// changed up to upTo is settled; all says that after it everything is renewed. Where so many devices are touched that
// others would wait for their products, it takes some and says that there are more.
func (svc *Service) move(ctx context.Context, upTo string, all bool) (more bool, err error) {
	began := svc.Clock.Now().Unix()
	var any bool
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		any, err = renewal.AnyTouched(tx)
		return err
	}); err != nil {
		return false, err
	}
	if any {
		if err := svc.DB.Update(ctx, svc.touchUsed); err != nil {
			return false, err
		}
	}
	if more, err = svc.moveDevices(ctx); err != nil {
		return false, err
	}
	if err := svc.moveNames(ctx); err != nil {
		return false, err
	}
	var products, devices []int64
	var seen string
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		if seen, err = tx.Setting(renewal.Changes); err != nil {
			return err
		}
		if devices, err = renewal.CountedDevices(tx); err != nil {
			return err
		}
		products, err = svc.productsToRenew(tx, seen)
		return err
	}); err != nil {
		return false, err
	}
	for done := 0; done < len(products); done += productsAtOnce {
		svc.Progress.Step(fmt.Sprintf("working out the positions that change: %d of %d", done, len(products)))
		some := products[done:min(done+productsAtOnce, len(products))]
		if err := svc.renewProducts(ctx, some, nil, seen); err != nil {
			return false, err
		}
	}
	if len(devices) > 0 {
		svc.Progress.Step("looking at cases")
	}
	for some := range slices.Chunk(devices, casesAtOnce) {
		if err := svc.renewProducts(ctx, nil, some, seen); err != nil {
			return false, err
		}
	}
	return more, svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		moved, err := tx.Setting(fleetMoved)
		if err != nil {
			return err
		}
		if moved != "" {
			if err := errors.Join(facts.PutDoubt(tx), tx.SetSetting(fleetMoved, "")); err != nil {
				return err
			}
		}
		if err := errors.Join(
			directory.MoveFacts(tx, svc.Snapshots.Today()),
			svc.Evidence.QueueChangeMail(tx), svc.Use.QueuePoolMail(tx),
			titlesdb.PutQueueDay(tx, svc.Snapshots.Today()),
		); err != nil {
			return err
		}
		if more {
			return nil
		}
		if all {
			if err := worklist.CasesSeen(tx, began); err != nil {
				return err
			}
		}
		return tx.SetSetting(renewal.ComputedChanges, upTo)
	})
}

// moveDevices counts the devices that are touched, some at once, and says whether there are more. What is on them is
// read and counted while others may write; of a device of which something changes meanwhile nothing is kept, and it is
// counted again.
func (svc *Service) moveDevices(ctx context.Context) (more bool, err error) {
	for counted := 0; counted < devicesInMove; {
		var ids []int64
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			ids, err = svc.devicesToCount(tx)
			return err
		}); err != nil || len(ids) == 0 {
			return false, err
		}
		svc.Progress.Step(fmt.Sprintf("counting devices: %d", counted))
		counted += len(ids)
		if err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error { return renewal.BeginCounting(tx, ids) }); err != nil {
			return false, err
		}
		var c *reckoning
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			c, err = svc.reckonThese(tx, ids)
			return err
		}); err != nil {
			return false, err
		}
		for some := range slices.Chunk(ids, devicesAtOnce) {
			var kept []int64
			if err := svc.write(ctx, func(tx *sqlite.Tx) error {
				touched, err := renewal.AmongTouched(tx, some)
				if err != nil {
					return err
				}
				kept = slices.DeleteFunc(slices.Clone(some), func(id int64) bool {
					return slices.Contains(touched, id)
				})
				if len(kept) == 0 {
					return nil
				}
				return svc.keep(tx, c, kept, true)
			}); err != nil {
				return false, err
			}
			svc.moved.note(kept, nil)
		}
	}
	return true, nil
}

// touchUsed touches the products of which some use changed. Where the use of one is measurable from now on, that
// touches whatever has it.
func (svc *Service) touchUsed(tx *sqlite.Tx) error {
	names, fresh, err := counts.TakeTouchedUse(tx)
	if err != nil || len(names) == 0 {
		return err
	}
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return err
	}
	var products []int64
	for _, n := range names {
		id := snapshot.ProductOfUse(c, n)
		if id == 0 {
			continue
		}
		products = append(products, id)
		if fresh[n.ID] {
			if err := renewal.TouchHolders(tx, id); err != nil {
				return err
			}
		}
	}
	return renewal.TouchNow(tx, stored.Distinct(products))
}

// devicesToCount lists some devices of which something changed, or whose evidence has become of another age.
func (svc *Service) devicesToCount(tx *sqlite.Tx) ([]int64, error) {
	ids, err := renewal.TouchedDevices(tx, devicesRead)
	if err != nil || len(ids) > 0 {
		return ids, err
	}
	ids, err = counts.Turning(tx, svc.Snapshots.Moment(), devicesRead)
	slices.Sort(ids)
	return append([]int64{}, ids...), err
}

// reckoning is what some devices are counted as by one state of the file.
type reckoning struct {
	*snapshot.Snapshot
	sums      []snapshot.DeviceFact
	idle      []snapshot.IdleFact
	members   []snapshot.Member
	mentioned []int64 // products that a device's having them decides what holds on it
	counts.InTime
}

// reckonThese counts what is on some devices, by what a transaction sees.
func (svc *Service) reckonThese(tx *sqlite.Tx, ids []int64) (*reckoning, error) {
	e, err := svc.Snapshots.LoadDevices(tx, ids)
	if err != nil {
		return nil, err
	}
	return reckon(tx, e, ids)
}

// reckon sums up what a snapshot counted on some devices.
func reckon(tx *sqlite.Tx, e *snapshot.Snapshot, ids []int64) (*reckoning, error) {
	c := &reckoning{Snapshot: e}
	var err error
	if c.mentioned, err = e.Mentioned(tx); err != nil {
		return nil, err
	}
	if c.InTime, err = counts.ReadInTime(tx, e, ids); err != nil {
		return nil, err
	}
	if c.sums, err = evidence.SumUpDevices(tx, e, ids); err != nil {
		return nil, err
	}
	uses, err := e.LoadUse(tx)
	if err != nil {
		return nil, err
	}
	c.idle = snapshot.JudgeUse(e, uses)
	for _, id := range ids {
		if at, known := e.DeviceAt[id]; known {
			c.members = append(c.members, e.Conditions.Members(e.Devices[at:at+1])...)
		}
	}
	return c, nil
}

// of is what some of the devices, in order, are counted as.
func (c *reckoning) of(ids []int64) (sums []snapshot.DeviceFact, idle []snapshot.IdleFact, members []snapshot.Member) {
	for i := range c.sums {
		if among(ids, c.sums[i].Device) {
			sums = append(sums, c.sums[i])
		}
	}
	for i := range c.idle {
		if among(ids, c.idle[i].Device) {
			idle = append(idle, c.idle[i])
		}
	}
	for _, m := range c.members {
		if among(ids, m.Device) {
			members = append(members, m)
		}
	}
	return sums, idle, members
}

func among(ordered []int64, id int64) bool {
	_, is := slices.BinarySearch(ordered, id)
	return is
}

// keep keeps what some devices, in order, are counted as, and moves sums by what differs. touch says that the products
// of which the position or a case may be another are touched, and the people who use what changed.
func (svc *Service) keep(tx *sqlite.Tx, c *reckoning, ids []int64, touch bool) error {
	e := c.Snapshot
	moved, err := svc.Counts.Move(tx, e, ids, c.mentioned, c.InTime)
	if err != nil {
		return err
	}
	dirty, err := renewal.DevicesCounted(tx, ids)
	if err != nil {
		return err
	}
	if err := evidence.LogChanges(tx, dirty); err != nil {
		return err
	}
	sums, idle, members := c.of(ids)
	people := map[string]bool{}
	otherwise, err := facts.PutOf(tx, ids, sums, idle, people)
	if err != nil {
		return err
	}
	if err := errors.Join(
		evidencedb.PutMembersOf(tx, ids, members),
		counts.PutNamesakes(tx, slices.Sorted(maps.Keys(moved.Names))),
		titlesdb.MoveReleases(tx, moved),
		counts.PutProducts(tx, moved),
		counts.PutSourced(tx, e, ids, idle),
		svc.Titles.MoveNames(tx, e, moved.Keys),
		directory.Touch(tx, slices.Sorted(maps.Keys(people))),
	); err != nil {
		return err
	}
	if moved.Fleet {
		if err := tx.SetSetting(fleetMoved, "1"); err != nil {
			return err
		}
	}
	if !touch {
		return nil
	}
	return svc.touchMoved(tx, e, ids, moved, otherwise)
}

// touchMoved touches the products of which the position or a case may be another, after some devices are counted.
func (svc *Service) touchMoved(tx *sqlite.Tx, e *snapshot.Snapshot, ids []int64, moved *counts.Moved,
	otherwise []int64) error {
	cases, err := worklistdb.ProductsOfCasesOn(tx, ids)
	if err != nil {
		return err
	}
	touched := slices.Concat(slices.Collect(maps.Keys(moved.Touched)), otherwise, cases)
	if moved.Users || len(moved.Others) > 0 {
		on := moved.Others
		if moved.Users {
			on = nil
		}
		names, err := counts.NamesUsedOn(tx, on)
		if err != nil {
			return err
		}
		for _, n := range names {
			if id := snapshot.ProductOfUse(e.Catalogue, n); id != 0 {
				touched = append(touched, id)
			}
		}
		pools, err := used.Pools(tx)
		if err != nil {
			return err
		}
		for _, p := range pools {
			touched = append(touched, p.Product)
		}
	}
	return renewal.TouchNow(tx, stored.Distinct(touched))
}

// moveNames sums raw names up anew of which more has changed than how often they are installed.
func (svc *Service) moveNames(ctx context.Context) error {
	for done := 0; ; done += namesAtOnce {
		var keys []string
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			keys, err = titlesdb.MarkedNames(tx, namesAtOnce)
			return err
		}); err != nil || len(keys) == 0 {
			return err
		}
		svc.Progress.Step(fmt.Sprintf("summing up names: %d", done))
		if err := svc.write(ctx, func(tx *sqlite.Tx) error { return svc.renewNames(tx, keys) }); err != nil {
			return err
		}
	}
}

func (svc *Service) renewNames(tx *sqlite.Tx, keys []string) error {
	e, err := svc.Snapshots.LoadDevices(tx, []int64{})
	if err != nil {
		return err
	}
	return svc.Titles.RenewNames(tx, e, keys)
}

// productsToRenew lists the products that are touched, with what folds under them and what they fold under.
func (svc *Service) productsToRenew(tx *sqlite.Tx, upTo string) (out []int64, err error) {
	touched, err := renewal.Touched(tx, upTo)
	if err != nil {
		return nil, err
	}
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return nil, err
	}
	for _, id := range touched {
		if id != 0 {
			out = append(out, c.Kin(id)...)
		}
	}
	return stored.Distinct(out), nil
}

// renewProducts works out the positions and cases of some products, and what some devices lack.
func (svc *Service) renewProducts(ctx context.Context, products, devices []int64, upTo string) error {
	if len(products)+len(devices) == 0 {
		return nil
	}
	var d *worklist.Findings
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, err := svc.Snapshots.LoadProducts(tx, append([]int64{}, products...))
		if err != nil {
			return err
		}
		d, err = svc.find(ctx, tx, e, &worklist.Scope{Products: products, Devices: devices})
		return err
	}); err != nil {
		return err
	}
	if err := svc.write(ctx, func(tx *sqlite.Tx) error {
		if err := svc.putFound(tx, d); err != nil {
			return err
		}
		return errors.Join(renewal.Untouch(tx, append([]int64{}, products...), upTo), renewal.DevicesSeen(tx, devices))
	}); err != nil {
		return err
	}
	svc.moved.note(nil, products)
	return nil
}

// find works out the positions and cases of what a snapshot loaded.
func (svc *Service) find(ctx context.Context, tx *sqlite.Tx, e *snapshot.Snapshot, of *worklist.Scope) (
	*worklist.Findings, error) {
	d := &worklist.Findings{Positions: snapshot.NewPositions(e), Sizes: svc.Use, Scope: of}
	if len(of.Products) == 0 {
		return d, d.Find(tx, nil, nil, nil)
	}
	uses, err := e.LoadUse(tx)
	if err != nil {
		return nil, err
	}
	open, lines, err := d.ComputeSome(ctx, tx, of.Products)
	if err != nil {
		return nil, err
	}
	if err := d.LookAt(tx); err != nil {
		return nil, err
	}
	return d, d.Find(tx, uses, open, lines)
}

// putFound stores positions and cases.
func (svc *Service) putFound(tx *sqlite.Tx, d *worklist.Findings) error {
	if len(d.Scope.Products) > 0 {
		if err := facts.PutFigures(tx, d.Scope.Products, d.Figures, d.Ways, d.Amounts); err != nil {
			return err
		}
	}
	if err := svc.Worklist.UpdateCases(tx, d); err != nil {
		return err
	}
	return worklistdb.CountCasesOf(tx, d.Scope.Products, d.Scope.Devices)
}

// write writes something that is derived, so that whoever computes everything anew knows whether it was this program.
func (svc *Service) write(ctx context.Context, fn func(tx *sqlite.Tx) error) error {
	if err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := fn(tx); err != nil {
			return err
		}
		return renewal.CountMove(tx)
	}); err != nil {
		return err
	}
	svc.moved.writes++
	return nil
}
