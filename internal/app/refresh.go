package app

import (
	"cmp"
	"context"
	"errors"
	"log"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"
)

// Dirty reports whether anything has changed since figures were computed, or a day has passed.
func (a *App) Dirty(ctx context.Context) (dirty bool, err error) {
	err = a.DB.View(ctx, func(tx *store.Tx) error {
		now, err := tx.Setting(changes)
		if err != nil {
			return err
		}
		computed, err := tx.Setting(computedChanges)
		if err != nil {
			return err
		}
		day, err := tx.Setting("computed_for")
		dirty = now != computed || day != a.Today().String()
		return err
	})
	return dirty, err
}

// Refresh recognises what is new and computes every figure anew as of today. It reads one consistent state and makes the result visible at once at the end.
func (a *App) Refresh(ctx context.Context) error {
	a.refreshing.Lock()
	defer a.refreshing.Unlock()
	defer a.step("")
	if err := a.rollDue(ctx); err != nil {
		return err
	}
	var upTo string
	if err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		upTo, err = tx.Setting(changes)
		return err
	}); err != nil {
		return err
	}
	if err := a.renewTouched(ctx, false); err != nil {
		return err
	}
	a.step("counting installs")
	a.status.Lock()
	a.status.decided = nil
	a.status.Unlock()
	d, err := a.derive(ctx)
	if err != nil {
		return err
	}
	a.step("storing figures")
	err = a.DB.Update(ctx, func(tx *store.Tx) error {
		dirty, err := tx.DirtyDevices(upTo)
		if err != nil {
			return err
		}
		if err := logChanges(tx, dirty); err != nil {
			return err
		}
		if err := tx.Clean(upTo); err != nil {
			return err
		}
		if err := tx.Untouch(nil, upTo); err != nil {
			return err
		}
		if err := errors.Join(a.queueChangeMail(tx), a.queuePoolMail(tx)); err != nil {
			return err
		}
		if err := tx.PutMembers(d.members); err != nil {
			return err
		}
		if err := tx.PutFigures(nil, d.figures, d.ways, d.amounts); err != nil {
			return err
		}
		if err := tx.PutFacts(d.devices, d.names, d.products, d.idle); err != nil {
			return err
		}
		if err := tx.PutReleases(d.versions, d.releases); err != nil {
			return err
		}
		a.status.Lock()
		meanwhile := a.status.decided
		a.status.Unlock()
		if err := a.restate(tx, meanwhile); err != nil {
			return err
		}
		if err := tx.PutProposals(d.proposals, d.madeFor); err != nil {
			return err
		}
		if err := tx.PutQueueDay(d.estate.asOf); err != nil {
			return err
		}
		if err := a.updateCases(tx, d); err != nil {
			return err
		}
		if err := tx.CountCases(); err != nil {
			return err
		}
		if err := tx.SetSetting(computedChanges, upTo); err != nil {
			return err
		}
		return tx.SetSetting("computed_for", d.estate.asOf.String())
	})
	if err != nil {
		return err
	}
	a.status.Lock()
	a.status.renewals++
	a.status.Unlock()
	return a.SendMail(ctx)
}

// derived is the result of a full computation, ready to be stored.
type derived struct {
	estate   *estate
	figures  []store.Figure
	ways     map[int64][]position.Way
	amounts  map[int64][]int64
	devices  []store.DeviceFact
	names    []store.NameFact
	products []store.ProductFact
	idle     []store.IdleFact
	found    []finding
	arrived  map[devicePair]bool // devices that have what is required, by the product that its cases name
	ended    map[devicePair]bool // releases whose support ends and that it is planned to move off, by device and product
	members  []store.Member
	versions []store.VersionFact
	releases []store.ReleaseFact
	// first proposals that were made for this state of the catalogue
	proposals []store.KeptProposal
	madeFor   string
}

func (d *derived) begin(e *estate) {
	d.estate, d.ways, d.amounts = e, map[int64][]position.Way{}, map[int64][]int64{}
}

func (a *App) derive(ctx context.Context) (*derived, error) {
	d := &derived{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		d.begin(e)
		uses, err := e.loadUse(tx)
		if err != nil {
			return err
		}
		yesterday, err := tx.Ways(0)
		if err != nil {
			return err
		}
		a.step("setting owned against needed")
		open, lines, err := d.computeAll(ctx, yesterday)
		if err != nil {
			return err
		}
		a.step("proposing titles")
		if err := a.nameFacts(tx, d); err != nil {
			return err
		}
		d.members = e.conditions.members(e.devices)
		if err := d.facts(tx); err != nil {
			return err
		}
		if err := a.releaseFacts(tx, d); err != nil {
			return err
		}
		d.judgeUse(uses)
		return d.find(tx, uses, open, lines)
	})
	return d, err
}

// computeAll works out every position, until ctx ends. It returns how much of each product is short, and which line covers each device.
func (d *derived) computeAll(ctx context.Context, yesterday map[int64]map[position.Way]int64) (open map[int64]int64, lines map[devicePair]*position.LineResult, err error) {
	e := d.estate
	open, lines = map[int64]int64{}, map[devicePair]*position.LineResult{}
	for _, f := range e.ordered() {
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		positions := e.compute(f, yesterday[f.id])
		for i := range positions {
			p := &positions[i]
			d.figures = append(d.figures, e.figure(f, p))
			open[f.id] += p.Short
			d.keepWays(f.id, p)
			for _, u := range p.Units {
				if u.Line >= 0 && u.Device != 0 {
					lines[devicePair{u.Device, f.id}] = &p.Lines[u.Line]
				}
			}
		}
	}
	return open, lines, nil
}

// keepWays gathers an allocation in a fixed order.
func (d *derived) keepWays(product int64, p *position.Position) {
	var list []position.Way
	for w := range p.Ways {
		list = append(list, w)
	}
	slices.SortFunc(list, func(a, b position.Way) int { return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Class, b.Class)) })
	for _, w := range list {
		d.ways[product] = append(d.ways[product], w)
		d.amounts[product] = append(d.amounts[product], p.Ways[w])
	}
}

// ordered lists the products by their numbers.
func (e *estate) ordered() []*productFacts {
	out := make([]*productFacts, 0, len(e.products))
	for _, f := range e.products {
		out = append(out, f)
	}
	slices.SortFunc(out, func(a, b *productFacts) int { return cmp.Compare(a.id, b.id) })
	return out
}

func (d *derived) facts(tx *store.Tx) error {
	e := d.estate
	differ, err := disagreements(tx)
	if err != nil {
		return err
	}
	named := map[string]int64{}
	for i := range e.devices {
		named[strings.ToLower(e.devices[i].Name)]++
	}
	for i := range e.devices {
		dev, c := &e.devices[i], e.facts[i]
		age := func(k evidence.Kind) string { return string(e.settings.age(dev, k, e.at)) }
		d.devices = append(d.devices, store.DeviceFact{Device: dev.ID, LastSeen: dev.LastScan, Age: age(evidence.OfSoftware), HardwareSeen: dev.HardwareSeen, HardwareAge: age(evidence.OfHardware), UseSeen: dev.UseSeen, UseAge: age(evidence.OfUse),
			ListedAt: dev.ListedAt, DirectoryAge: age(evidence.OfDirectory), Installs: c.installs, Unrecognised: c.unrecognised, Counted: c.counted, Namesakes: named[strings.ToLower(dev.Name)] - 1, Disagreements: differ[dev.ID]})
	}
	for _, f := range e.ordered() {
		if f.installs > 0 {
			d.products = append(d.products, store.ProductFact{Product: f.id, Installs: f.installs, Devices: f.devices, Stale: f.stale, Counted: f.counted, Folded: f.folded, LeftOut: f.leftOut, Versions: d.versionsOf(f)})
		}
	}
	return nil
}

// judgeUse classifies the use of every counted product on every device.
func (d *derived) judgeUse(uses map[devicePair]*use) {
	e := d.estate
	w := usage.Window{AsOf: e.asOf, Days: e.settings.UseWindow, LeastShare: e.settings.LeastShare}
	for _, f := range e.ordered() {
		for _, h := range f.holdings {
			u := uses[devicePair{h.Device, f.id}]
			if u == nil {
				u = &use{}
			}
			person := u.person
			if person == "" {
				person = e.devices[e.deviceAt[h.Device]].PrimaryUser
			}
			c := usage.Classify(u.Facts, w)
			d.idle = append(d.idle, store.IdleFact{Device: h.Device, Product: f.id, Person: person, Class: string(c.Class), Used: c.Used, Measured: c.Measured, Last: c.Last})
		}
	}
}

// Tick renews figures when a day has passed, and turns what is due into orders for scans, until ctx ends.
func (a *App) Tick(ctx context.Context) {
	t := time.NewTicker(time.Minute)
	defer t.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-t.C:
			if dirty, err := a.Dirty(ctx); err == nil && dirty {
				a.RefreshSoon()
			}
			if _, err := a.Plan(ctx); err != nil && ctx.Err() == nil {
				log.Printf("schedules could not be followed: %v", err)
			}
			if err := errors.Join(a.FollowUp(ctx), a.SendMail(ctx), a.ForgetDeliveries(ctx), a.forgetUseDaily(ctx)); err != nil && ctx.Err() == nil {
				log.Printf("worklist, mail or old notes: %v", err)
			}
		}
	}
}
