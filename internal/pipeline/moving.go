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
	"ensomet/internal/titles/titlesdb"
	"ensomet/internal/used"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// countedForm is the setting of the way in which what is counted of each device is kept, and that way: where the two
// differ everything is counted anew.
const (
	countedForm = "counted_form"
	form        = "1"
)

// fleetMoved is set while how many devices there are of each kind has changed, and the doubt in positions has not.
const fleetMoved = "fleet_moved"

// derivedFor is the setting of the state of the catalogue that lists were made for.
const derivedFor = "derived_for"

const (
	devicesAtOnce  = 20 // counted in one transaction, so that a writer who waits gets his turn
	productsAtOnce = 25 // computed together, so that memory stays small
	leastOfMany    = 2000
	shareOfMany    = 4 // of devices, one in so many
)

// whole reports whether everything is to be computed from the start: something changed that may touch everything, or
// so much that this is faster.
func (svc *Service) whole(tx *sqlite.Tx) (bool, error) {
	for key, want := range map[string]string{"computed_for": svc.Snapshots.Today().String(), countedForm: form} {
		if is, err := tx.Setting(key); err != nil || is != want {
			return true, err
		}
	}
	catalogue, err := tx.Setting(renewal.CatalogueChanges)
	if err != nil {
		return true, err
	}
	if made, err := tx.Setting(derivedFor); err != nil || made != catalogue {
		return true, err
	}
	all, err := renewal.AllTouched(tx)
	if err != nil || all {
		return true, err
	}
	touched, err := renewal.CountTouched(tx)
	if err != nil || touched < leastOfMany {
		return false, err
	}
	devices, err := evidencedb.CountDevices(tx)
	return int64(touched) > devices/shareOfMany, err
}

// move renews what is touched, and nothing else: first the devices, which move the sums, then the products.
func (svc *Service) move(ctx context.Context, upTo string) error {
	if err := svc.DB.Update(ctx, svc.touchUsed); err != nil {
		return err
	}
	for done, more := 0, true; more; {
		svc.Progress.Step(fmt.Sprintf("counting devices: %d", done))
		if err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
			ids, err := svc.devicesToCount(tx)
			if err != nil {
				return err
			}
			done, more = done+len(ids), len(ids) > 0
			return svc.moveDevices(tx, ids)
		}); err != nil {
			return err
		}
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
		return err
	}
	for done := 0; done < len(products); done += productsAtOnce {
		svc.Progress.Step(fmt.Sprintf("working out the positions that change: %d of %d", done, len(products)))
		some := products[done:min(done+productsAtOnce, len(products))]
		if err := svc.renewProducts(ctx, some, nil, seen); err != nil {
			return err
		}
	}
	svc.Progress.Step("looking at cases")
	if err := svc.renewProducts(ctx, nil, devices, seen); err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
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
			svc.Worklist.CasesSeen(tx),
		); err != nil {
			return err
		}
		return tx.SetSetting(renewal.ComputedChanges, upTo)
	})
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
	return renewal.TouchNow(tx, snapshot.Distinct(products))
}

// devicesToCount lists some devices of which something changed, or whose evidence has become of another age.
func (svc *Service) devicesToCount(tx *sqlite.Tx) ([]int64, error) {
	ids, err := renewal.TouchedDevices(tx, devicesAtOnce)
	if err != nil || len(ids) > 0 {
		return ids, err
	}
	ids, err = counts.Turning(tx, svc.Snapshots.Moment(), devicesAtOnce)
	slices.Sort(ids)
	return append([]int64{}, ids...), err
}

// moveDevices counts some devices anew, moves sums by what differs, and touches the products of which the position or
// a case may be another, and the people who use what changed.
func (svc *Service) moveDevices(tx *sqlite.Tx, ids []int64) error {
	e, err := svc.Snapshots.LoadDevices(tx, ids)
	if err != nil {
		return err
	}
	mentioned, err := e.Mentioned(tx)
	if err != nil {
		return err
	}
	moved, err := svc.Counts.Move(tx, e, ids, mentioned)
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
	sums, err := evidence.SumUpDevices(tx, e, ids)
	if err != nil {
		return err
	}
	uses, err := e.LoadUse(tx)
	if err != nil {
		return err
	}
	idle := snapshot.JudgeUse(e, uses)
	people := map[string]bool{}
	otherwise, err := facts.PutOf(tx, ids, sums, idle, people)
	if err != nil {
		return err
	}
	var members []snapshot.Member
	for _, m := range e.Conditions.Members(e.Devices) {
		if _, is := slices.BinarySearch(ids, m.Device); is {
			members = append(members, m)
		}
	}
	if err := errors.Join(
		evidencedb.PutMembersOf(tx, ids, members),
		counts.PutNamesakes(tx, slices.Sorted(maps.Keys(moved.Names))),
		titlesdb.MoveReleases(tx, moved),
		counts.PutProducts(tx, moved),
		svc.Titles.MoveNames(tx, e, moved.Keys),
		directory.Touch(tx, slices.Sorted(maps.Keys(people))),
	); err != nil {
		return err
	}
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
	if moved.Fleet {
		if err := tx.SetSetting(fleetMoved, "1"); err != nil {
			return err
		}
	}
	return renewal.TouchNow(tx, snapshot.Distinct(touched))
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
	return snapshot.Distinct(out), nil
}

// renewProducts works out the positions and cases of some products, and what some devices lack.
func (svc *Service) renewProducts(ctx context.Context, products, devices []int64, upTo string) error {
	if len(products)+len(devices) == 0 {
		return nil
	}
	d := worklist.Findings{Sizes: svc.Use, Scope: &worklist.Scope{Products: products, Devices: devices}}
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, err := svc.Snapshots.LoadProducts(tx, append([]int64{}, products...))
		if err != nil {
			return err
		}
		d.Positions = snapshot.NewPositions(e)
		uses, err := e.LoadUse(tx)
		if err != nil {
			return err
		}
		open, lines, err := d.ComputeSome(ctx, tx, products)
		if err != nil {
			return err
		}
		if err := d.LookAt(tx); err != nil {
			return err
		}
		return d.Find(tx, uses, open, lines)
	}); err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if products != nil {
			if err := facts.PutFigures(tx, products, d.Figures, d.Ways, d.Amounts); err != nil {
				return err
			}
		}
		if err := svc.Worklist.UpdateCases(tx, &d); err != nil {
			return err
		}
		return errors.Join(
			worklistdb.CountCasesOf(tx, products, devices),
			renewal.Untouch(tx, append([]int64{}, products...), upTo), // nil would be all
			renewal.DevicesSeen(tx, devices),
		)
	})
}
