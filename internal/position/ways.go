package position

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/core/version"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// WayOut is one way out of a shortfall, tried as a what-if by itself.
type WayOut struct {
	What     string
	Words    string
	Covers   int64  // by how much the shortfall shrinks, what else becomes short counted in
	Left     int64  // what stays short
	Cost     string // in the currency of the house; 0 where it costs nothing, empty where nobody knows
	Currency string
	Saves    string
	Time     string
	Agree    string             // who has to agree
	Measures []snapshot.Measure // to be tried together with others
	Cases    []int64            // cases that do it
	cost     decimal.Decimal
}

// The kinds of ways out.
const (
	wayTogether = "together"
	wayTakeBack = "take back"
	wayRemove   = "remove"
	waySeats    = "seats"
	wayTransfer = "transfer"
	wayMachines = "machines"
	wayVersion  = "version"
	wayLeaveOut = "leave out"
	wayUpgrade  = "upgrade"
	wayMaintain = "renew maintenance"
	wayContract = "contract"
	wayBuy      = "buy"
)

// How long ways take and who has to agree.
const (
	untilScan  = "days: until the next scan shows it"
	publisher  = "the publisher, in the contract"
	asPublish  = "as long as the publisher takes"
	asContract = "at once, once the contract allows it"
)

// With more virtual machines than mostGuests, or more products on them than mostBeside, pinning or moving them is not
// tried: everything that is on them would have to be worked out again for each way.
const (
	mostGuests = 500
	mostBeside = 100
)

// mostTried is how many of one kind of way are tried, such as the lines that more could be bought of.
const mostTried = 3

// WaysOut lists the ways out of a product's shortfall: each tried as a what-if, from the installs on, so that it says
// what it really covers. Those that cover nothing are left out. The best comes first: what costs least for what it
// covers, what nobody knows the cost of last. Where none alone is both enough and free, ways together come before all,
// as many as are needed. removals are what cases of the worklist would do anyway.
func (svc *Service) WaysOut(ctx context.Context, product int64, removals []casework.Removal) ([]WayOut, error) {
	out := []WayOut{}
	parts, err := svc.Parts(ctx, product, "unit", 0, 0)
	if err != nil {
		return out, err
	}
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		w, err := svc.outward(tx, product)
		if err != nil || w.own() == 0 {
			return err
		}
		list := slices.Concat(w.byCases(removals), w.byTransfer(parts))
		for i := range w.first[product] {
			if p := &w.first[product][i]; p.Short > 0 {
				list = slices.Concat(list, w.byMachines(p), w.byInstalls(p), w.byLines(p), w.byBuying(p))
			}
		}
		seen := map[string]bool{}
		for i := range list {
			if seen[list[i].Words] {
				continue
			}
			seen[list[i].Words] = true
			mark := w.mark()
			if err := w.try(&list[i]); err != nil {
				return err
			}
			w.back(mark)
			if list[i].Covers > 0 {
				out = append(out, list[i])
			}
		}
		slices.SortStableFunc(out, better)
		out = dearer(out)
		together, err := w.together(out)
		if err == nil && together != nil {
			out = slices.Insert(out, 0, *together)
		}
		return err
	})
	return out, err
}

// better puts the way first that costs less for each unit that it covers. What stands only if a contract says so, and
// what nobody knows the cost of, is last.
func better(a, b WayOut) int {
	group := func(w *WayOut) int {
		switch {
		case w.What == wayLeaveOut:
			return 1
		case w.Cost == "":
			return 2
		}
		return 0
	}
	each := func(w *WayOut) decimal.Decimal { return w.cost.Div(decimal.NewFromInt(w.Covers)) }
	return cmp.Or(cmp.Compare(group(&a), group(&b)), each(&a).Cmp(each(&b)), cmp.Compare(b.Covers, a.Covers))
}

// dearer drops what buys as much as another way of buying does, for no less.
func dearer(list []WayOut) []WayOut {
	var out []WayOut
	for _, w := range list {
		if w.What != wayBuy || !slices.ContainsFunc(out, func(o WayOut) bool {
			return o.What == wayBuy && o.Cost != "" && o.Covers >= w.Covers &&
				(w.Cost == "" || !w.cost.LessThan(o.cost))
		}) {
			out = append(out, w)
		}
	}
	return out
}

// outward is a product whose shortfall ways are looked for.
type outward struct {
	*trial
	product int64
	f       *snapshot.ProductFacts
	still   bool // its virtual machines stay where they are
}

// outward begins to look for the ways out of a product's shortfall.
func (svc *Service) outward(tx *sqlite.Tx, product int64) (*outward, error) {
	touch := []snapshot.Measure{{Kind: string(position.Remove), Product: product}}
	t, err := svc.begin(tx, touch)
	if err != nil {
		return nil, err
	}
	w := &outward{trial: t, product: product, f: t.Products[product]}
	guests := w.guests()
	if len(guests) == 0 {
		return w, nil
	}
	if w.still = len(guests) > mostGuests; !w.still {
		beside, err := positiondb.ProductsOn(tx, guests)
		if err != nil {
			return nil, err
		}
		w.still = beside > mostBeside
	}
	if w.still {
		return w, nil
	}
	// what else is on them is touched too
	touch = append(touch, snapshot.Measure{Kind: string(position.Pin), Product: product, Devices: guests})
	if w.trial, err = svc.begin(tx, touch); err != nil {
		return nil, err
	}
	w.f = w.trial.Products[product]
	return w, nil
}

// guests are the virtual machines that what is short counts hosts for.
func (w *outward) guests() (out []string) {
	for i := range w.first[w.product] {
		if p := &w.first[w.product][i]; p.Metric == entitle.Core || p.Metric == entitle.Processor {
			out = append(out, w.guestsOf(p)...)
		}
	}
	return out
}

// own is how much of the product is short now, all how much of what is touched.
func (w *outward) own() int64 { return snapshot.SumShort(w.now[w.product]) }

func (w *outward) all() (n int64) {
	for _, ps := range w.now {
		n += snapshot.SumShort(ps)
	}
	return n
}

// marked is a trial at one moment.
type marked struct {
	trial snapshot.Mark
	Tried
	now         map[int64][]position.Position
	cost, saves decimal.Decimal
}

func (w *outward) mark() marked {
	return marked{w.Mark(slices.Collect(maps.Keys(w.first))), w.Tried, maps.Clone(w.now), w.cost, w.saves}
}

func (w *outward) back(m marked) {
	w.Back(m.trial)
	w.Tried, w.now, w.cost, w.saves = m.Tried, maps.Clone(m.now), m.cost, m.saves
}

// uncounted reports whether a metric counts what is not measured, and did not before.
func (w *outward) uncounted() bool {
	not := func(p position.Position) bool { return !p.Counted }
	return slices.ContainsFunc(w.now[w.product], not) && !slices.ContainsFunc(w.first[w.product], not)
}

// try takes the measures of a way after what is taken already, and says what that covers and costs. One that cannot be
// covers nothing.
func (w *outward) try(way *WayOut) error {
	before, cost, saves, without := w.all(), w.cost, w.saves, w.Without
	if way.Cases == nil {
		way.Cases = []int64{}
	}
	for i := range way.Measures {
		v, err := w.take(&way.Measures[i])
		if err != nil {
			return err
		}
		if v.Error != "" {
			return nil
		}
	}
	if w.uncounted() {
		return nil // nobody knows what it would be short of
	}
	way.Left, way.Covers, way.Currency = w.own(), before-w.all(), w.Rates.House()
	way.cost = w.cost.Sub(cost)
	way.Cost, way.Saves = way.cost.Round(2).String(), w.saves.Sub(saves).Round(2).String()
	free := slices.Contains([]string{wayTakeBack, wayRemove, waySeats, wayTransfer, wayMachines, wayVersion,
		wayLeaveOut}, way.What)
	if w.Without > without || way.cost.IsZero() && !free {
		way.Cost = "" // no price is on record
	}
	return nil
}

// together takes ways one after another, the best first, until nothing is short; nil where that is no more than one
// way, or no better than the best that is enough by itself. What nobody knows the cost of, or what a contract would
// have to allow first, is not in it.
func (w *outward) together(list []WayOut) (*WayOut, error) {
	out := WayOut{What: wayTogether, Cases: []int64{}, Currency: w.Rates.House()}
	var words, agree, times []string
	mark, before := w.mark(), w.all()
	defer w.back(mark)
	add := func(list *[]string, text string) {
		if text != "" && !slices.Contains(*list, text) {
			*list = append(*list, text)
		}
	}
	for i := range list {
		if w.own() == 0 {
			break
		}
		way := list[i]
		if way.Cost == "" || way.What == wayContract || way.What == wayLeaveOut {
			continue
		}
		here := w.mark()
		if way.What == wayBuy { // what the others left
			w.fewer(&way)
		}
		if err := w.try(&way); err != nil {
			return nil, err
		}
		if way.Covers <= 0 {
			w.back(here)
			continue
		}
		out.Measures, out.Cases = append(out.Measures, way.Measures...), append(out.Cases, way.Cases...)
		out.cost = out.cost.Add(way.cost)
		add(&words, way.Words)
		add(&agree, way.Agree)
		add(&times, way.Time)
	}
	out.Left, out.Covers = w.own(), before-w.all()
	for i := range list {
		if way := &list[i]; way.Cost != "" && way.Left <= out.Left && !out.cost.LessThan(way.cost) {
			return nil, nil // that one alone does as much for no more
		}
	}
	if len(words) < 2 {
		return nil, nil
	}
	out.Words, out.Agree, out.Time = strings.Join(words, ", then "), strings.Join(agree, "; "), times[len(times)-1]
	out.Cost, out.Saves = out.cost.Round(2).String(), w.saves.Round(2).String()
	return &out, nil
}

// fewer buys no more than what is short now asks for.
func (w *outward) fewer(way *WayOut) {
	m := &way.Measures[0]
	way.Measures = []snapshot.Measure{*m}
	m = &way.Measures[0]
	for _, p := range w.now[w.product] {
		if string(p.Metric) == m.Metric {
			m.Quantity = min(m.Quantity, packsFor(p.Short, w.line(m.Line)))
		}
	}
	way.Words = w.buyWords(m)
}

// line finds a line of the product by its code; nil is none.
func (w *outward) line(code string) *entitle.Line {
	i := slices.IndexFunc(w.f.Lines, func(l entitle.Line) bool { return l.Code == code })
	if i < 0 {
		return nil
	}
	return &w.f.Lines[i]
}

func packsFor(units int64, l *entitle.Line) int64 {
	pack := int64(1)
	if l != nil {
		pack = max(1, l.PackSize)
	}
	return (units + pack - 1) / pack
}

// measure is one measure about the product.
func (w *outward) measure(kind position.MeasureKind) snapshot.Measure {
	return snapshot.Measure{Kind: string(kind), Product: w.product}
}

// byCases are the ways that cases of the worklist open: idle licences and leavers' seats to take back, and what must
// go anyway.
func (w *outward) byCases(removals []casework.Removal) (out []WayOut) {
	add := func(what, words string, kinds ...casework.Kind) {
		way := WayOut{What: what, Time: untilScan, Agree: "who uses the machines"}
		remove, seats := w.measure(position.Remove), w.measure(position.Reclaim)
		for _, r := range removals {
			switch {
			case !slices.Contains(kinds, r.Kind):
				continue
			case r.Device != "":
				remove.Devices = append(remove.Devices, r.Device)
			case r.Person != "":
				seats.Users = append(seats.Users, r.Person)
			}
			way.Cases = append(way.Cases, r.Case)
		}
		if len(remove.Devices) > 0 {
			way.Measures = append(way.Measures, remove)
		}
		if len(seats.Users) > 0 {
			way.Measures = append(way.Measures, seats)
		}
		if len(way.Measures) > 0 {
			way.Words = fmt.Sprintf(words, len(way.Cases))
			out = append(out, way)
		}
	}
	add(wayTakeBack, "take back the %d that nobody uses", casework.IdleLicence)
	add(
		wayRemove,
		"remove the %d that are to go anyway",
		casework.RestrictedTitle,
		casework.EndOfLife,
		casework.Planned,
	)
	add(waySeats, "take back the %d seats of people who left", casework.Leaver)
	for i := range out {
		if out[i].What == waySeats {
			out[i].Time, out[i].Agree = "at once", ""
		}
	}
	return out
}

// byTransfer is the way of transferring what is spare in other parts of the house, where anything is.
func (w *outward) byTransfer(parts []PartsOfMetric) []WayOut {
	var moves []snapshot.Measure
	var from []string
	for _, m := range parts {
		for _, t := range m.Transfers {
			move := w.measure(position.Move)
			move.Line, move.Quantity, move.Unit, move.Country = t.Line, t.Quantity, t.Unit, t.Country
			moves = append(moves, move)
			if t.From != "" && !slices.Contains(from, t.From) {
				from = append(from, t.From)
			}
		}
	}
	if len(moves) == 0 {
		return nil
	}
	return []WayOut{{
		What:     wayTransfer,
		Words:    fmt.Sprintf("transfer what is spare elsewhere, of %s", linesOf(moves)),
		Time:     asContract,
		Agree:    strings.TrimPrefix("who has it now: "+strings.Join(from, ", "), "who has it now: , "),
		Measures: moves,
	}}
}

func linesOf(ms []snapshot.Measure) string {
	var codes []string
	for _, m := range ms {
		if !slices.Contains(codes, m.Line) {
			codes = append(codes, m.Line)
		}
	}
	return strings.Join(codes, ", ")
}

// guestsOf are the virtual machines that what is short counts hosts for, by their device_ids, in order.
func (w *outward) guestsOf(p *position.Position) (out []string) {
	for i := range p.Units {
		if u := &p.Units[i]; u.Line < 0 && u.Cores != nil {
			for _, g := range u.Cores.Guests {
				out = append(out, w.code(g.Device))
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func (w *outward) code(device int64) string { return w.Devices[w.DeviceAt[device]].Code }

// byMachines are the ways of a product that is counted by machines: pinning virtual ones, and bringing them together
// on one of the hosts.
func (w *outward) byMachines(p *position.Position) (out []WayOut) {
	if p.Metric != entitle.Core && p.Metric != entitle.Processor {
		return nil
	}
	guests := w.guestsOf(p)
	if len(guests) == 0 || w.still {
		return nil
	}
	if !p.Terms.Sub {
		pin := w.measure(position.Pin)
		for _, code := range guests {
			if at, ok := w.device(code); ok && at.Pinned != evidence.Yes && at.HostID != "" {
				pin.Devices = append(pin.Devices, code)
			}
		}
		if len(pin.Devices) > 0 {
			out = append(out, WayOut{
				What:     wayMachines,
				Words:    snapshot.MeasureWords(&pin, w.f.Product.Name),
				Time:     "days: until the next list of hosts shows it",
				Agree:    "who runs the hosts: the machines cannot move any more",
				Measures: []snapshot.Measure{pin},
			})
		}
	}
	return append(out, w.byHosts(p, guests)...)
}

func (w *outward) device(code string) (*snapshot.DeviceFacts, bool) {
	at, known := w.DeviceAt[w.DeviceOf(code)]
	if !known {
		return nil, false
	}
	return &w.Devices[at], true
}

// byHosts moves the virtual machines of all hosts that are counted to one of them that is counted anyway, the fullest
// first.
func (w *outward) byHosts(p *position.Position, guests []string) (out []WayOut) {
	load := map[string]int{}
	var hosts []string
	for i := range p.Units {
		u := &p.Units[i]
		if u.Cores == nil || u.Cores.Machine == nil || u.Cores.Machine.Kind != evidence.VMHost {
			continue
		}
		if code := w.code(u.Device); load[code] == 0 {
			load[code] = 1 + len(u.Cores.Guests)
			hosts = append(hosts, code)
		}
	}
	slices.SortFunc(hosts, func(a, b string) int {
		return cmp.Or(cmp.Compare(load[b], load[a]), cmp.Compare(a, b))
	})
	for _, host := range hosts[:min(len(hosts), mostTried)] {
		move := w.measure(position.Host)
		move.Host = host
		for _, code := range guests {
			if d, ok := w.device(code); ok && d.HostID != host {
				move.Devices = append(move.Devices, code)
			}
		}
		if len(move.Devices) == 0 {
			continue
		}
		out = append(out, WayOut{
			What:     wayMachines,
			Words:    snapshot.MeasureWords(&move, w.f.Product.Name),
			Time:     "days; where virtual cores count, the hosts before count until the window is over",
			Agree:    "who runs the hosts: there must be room on " + host,
			Measures: []snapshot.Measure{move},
		})
	}
	return out
}

// distinct are texts, each once, in the order in which they came.
type distinct struct {
	list []string
	has  map[string]bool
}

func (d *distinct) add(text string) {
	if d.has == nil {
		d.has = map[string]bool{}
	}
	if !d.has[text] {
		d.has[text], d.list = true, append(d.list, text)
	}
}

// byInstalls are the ways about machines that nothing covers: another version, and leaving out what is not in
// production.
func (w *outward) byInstalls(p *position.Position) (out []WayOut) {
	tooNew, test := distinct{}, distinct{}
	lower := ""
	for i := range p.Units {
		u := &p.Units[i]
		if u.Line >= 0 {
			continue
		}
		for _, h := range u.Holdings {
			holding := &w.f.Holdings[h]
			code := w.code(holding.Device)
			if u.Gap == entitle.VersionTooNew {
				tooNew.add(code)
			}
			if e := holding.Environment; e != "" && e != evidence.Production {
				test.add(code)
			}
		}
	}
	for i := range p.Lines {
		if l := &p.Lines[i]; l.Spare > 0 && version.Compare(version.Dotted, l.Line.Version, lower) > 0 {
			lower = l.Line.Version
		}
	}
	if len(tooNew.list) > 0 && lower != "" {
		m := w.measure(position.Reversion)
		m.Devices, m.Version = tooNew.list, lower
		out = append(
			out,
			WayOut{What: wayVersion, Words: snapshot.MeasureWords(&m, w.f.Product.Name), Time: untilScan,
				Agree: "who uses the machines", Measures: []snapshot.Measure{m}},
		)
	}
	if len(test.list) > 0 {
		m := w.measure(position.LeaveOut)
		m.Devices, m.Reason = test.list, "not in production"
		out = append(
			out,
			WayOut{What: wayLeaveOut, Words: snapshot.MeasureWords(&m, w.f.Product.Name), Time: "at once",
				Agree:    "whoever answers for it: the contract must not count such machines",
				Measures: []snapshot.Measure{m}},
		)
	}
	return out
}

// byLines are the ways that lines of the product open: upgrading what is spare, renewing maintenance, and what a
// contract would have to allow.
func (w *outward) byLines(p *position.Position) (out []WayOut) {
	gaps := map[entitle.Gap]int64{}
	var edition, newest string
	rank := -1
	for i := range p.Units {
		u := &p.Units[i]
		if u.Line >= 0 {
			continue
		}
		gaps[u.Gap] += u.Part
		for _, n := range u.Set.Needs {
			if n.EditionRank > rank {
				rank, edition = n.EditionRank, n.Edition
			}
			if version.Compare(version.Dotted, n.Version, newest) > 0 {
				newest = n.Version
			}
		}
	}
	one := func(what, time string, m snapshot.Measure) {
		out = append(out, WayOut{What: what, Words: snapshot.MeasureWords(&m, w.f.Product.Name), Time: time,
			Agree: publisher, Measures: []snapshot.Measure{m}})
	}
	for i := range p.Lines {
		l := &p.Lines[i]
		if l.Effect.Quantity == 0 {
			continue
		}
		m := w.measure("")
		m.Line = l.Line.Code
		if n := packsFor(min(l.Spare, p.Short), l.Line); n > 0 &&
			(gaps[entitle.VersionTooNew]+gaps[entitle.EditionTooHigh]+gaps[entitle.OtherEdition] > 0) {
			up := m
			up.Kind, up.Quantity, up.Edition, up.Version = string(position.UpgradeTo), n, edition, newest
			up.Price, up.Currency = w.upgradePrice()
			one(wayUpgrade, asPublish, up)
		}
		if gaps[entitle.VersionTooNew] > 0 {
			keep := m
			keep.Kind, keep.Until = string(position.Maintain), (w.AsOf + 365).String()
			one(wayMaintain, asPublish, keep)
		}
		if gaps[entitle.OutOfScope] > 0 && l.Spare > 0 {
			wide := m
			wide.Kind, wide.Quantity = string(position.Move), packsFor(min(l.Spare, p.Short), l.Line)
			one(wayContract, asContract, wide)
		}
		w.byContract(p, l, m, func(m snapshot.Measure) { one(wayContract, asContract, m) })
	}
	return out
}

// byContract are changes of a line that its contract would have to allow: sub-capacity, another metric, a right more.
func (w *outward) byContract(p *position.Position, l *position.LineResult, m snapshot.Measure,
	add func(snapshot.Measure)) {
	byMachine := p.Metric == entitle.Core || p.Metric == entitle.Processor
	if byMachine && l.Line.Capacity != "sub" && len(w.guestsOf(p)) > 0 {
		m := m
		m.Kind, m.Capacity = string(position.Capacity), "sub"
		add(m)
	}
	for _, other := range []entitle.Metric{entitle.NamedUser, entitle.Device, entitle.Concurrent} {
		if byMachine || other == p.Metric || p.Metric == entitle.Site || p.Metric == entitle.Token {
			continue
		}
		m := m
		m.Kind, m.Metric = string(position.Metric), string(other)
		add(m)
	}
	for _, r := range entitle.Rights {
		if l.Line.Has(r) {
			continue
		}
		m := m
		m.Kind, m.Right = string(position.Right), string(r)
		add(m)
	}
}

// upgradePrice is what the newest upgrade of the product cost; empty where nobody knows.
func (w *outward) upgradePrice() (price, currency string) {
	newest := -1
	for i := range w.f.Lines {
		l := &w.f.Lines[i]
		if l.Kind == entitle.Upgrade && l.UnitPrice.Valid &&
			(newest < 0 || l.BoughtOn() > w.f.Lines[newest].BoughtOn()) {
			newest = i
		}
	}
	if newest < 0 {
		return "", ""
	}
	return w.f.Lines[newest].UnitPrice.Decimal.String(), w.f.Lines[newest].Currency
}

// byBuying are the ways of buying, in whole packs: more of a line, at its price, and rights for everything at list
// price.
func (w *outward) byBuying(p *position.Position) (out []WayOut) {
	add := func(m snapshot.Measure) {
		m.Kind = string(position.Buy)
		m.Product, m.Metric = w.product, string(p.Metric)
		m.Quantity = max(1, packsFor(p.Short, w.line(m.Line)))
		out = append(out, WayOut{What: wayBuy, Words: w.buyWords(&m), Time: "as long as buying takes",
			Agree: "who pays", Measures: []snapshot.Measure{m}})
	}
	lines := slices.Clone(p.Lines)
	slices.SortStableFunc(lines, func(a, b position.LineResult) int { // the newest price first
		return cmp.Compare(b.Line.BoughtOn(), a.Line.BoughtOn())
	})
	n := 0
	for i := range lines {
		l := lines[i].Line
		if n == mostTried || !l.UnitPrice.Valid || l.Kind == entitle.Upgrade || l.Kind == entitle.Maintenance {
			continue
		}
		add(snapshot.Measure{Line: l.Code})
		n++
	}
	add(snapshot.Measure{})
	return out
}

func (w *outward) buyWords(m *snapshot.Measure) string {
	l := w.line(m.Line)
	switch {
	case l == nil:
		return fmt.Sprintf("buy %d by %s, at list price", m.Quantity, strings.ReplaceAll(m.Metric, "_", " "))
	case l.PackSize > 1:
		return fmt.Sprintf("buy %d packs of %d like %s", m.Quantity, l.PackSize, l.Code)
	}
	return fmt.Sprintf("buy %d like %s", m.Quantity, l.Code)
}
