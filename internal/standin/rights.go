package standin

import (
	"context"
	"fmt"
	"math/rand/v2"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/own"
	"ensomet/internal/position"
	"ensomet/internal/program"
	"ensomet/internal/snapshot"
	"ensomet/internal/worklist"
)

// rightsStories plants the traps of metrics and rights: cores and clusters, second devices, test and standby
// machines, use at one time, sites, scopes and dates. They draw from chance of their own, so that the rest of the
// world stays as it is.
func (w *world) rightsStories() {
	kept := w.r
	w.r = rand.New(rand.NewPCG(seed, 5))
	defer func() { w.r = kept }()
	s := &rightsTeller{w, w.kind("virtual_machine"), w.kind("container_host"), w.unitsOf["Cloud"]}
	for _, tell := range []func(){
		s.leastCoresOfServers,
		s.mayMove,
		s.pinned,
		s.crowdedHost,
		s.movedWithinTheWindow,
		s.coreFactor,
		s.processorsOfTheHost,
		s.notVirtual,
		s.rightsOnTwoHosts,
		s.secondDevice,
		s.testBench,
		s.standBy,
		s.nineAtOnce,
		s.overlappingSessions,
		s.unmeasuredUse,
		s.siteRight,
		s.twoMetrics,
		s.purchaseHistory,
		s.upgradesInARing,
		s.rightsOfOneCountry,
		s.aboutToLapse,
		s.mayLapse,
		s.noRate,
		s.trueUpOnALine,
		s.renewedInTime,
		s.bookedTwice,
		s.lentWithoutARight,
		s.usedWithoutAnInstall,
		s.expressBesideTheProfessional,
	} {
		tell()
	}
}

// rightsTeller tells of rights, on virtual machines, hosts of containers and machines that are rented.
type rightsTeller struct {
	*world
	vms, boxes, cloud []*device
}

// kind are the devices of a kind.
func (w *world) kind(k string) (out []*device) {
	for _, d := range w.devices {
		if d.kind == k {
			out = append(out, d)
		}
	}
	return out
}

// on puts a product on devices.
func (w *rightsTeller) on(p *product, version string, devices ...*device) {
	for _, d := range devices {
		w.put(d, p, "", version)
	}
}

func (w *rightsTeller) leastCoresOfServers() {
	engine := w.newProduct(
		product{publisher: harrow, name: "Gannet Engine", category: "database", price: "350", metric: "core"},
	)
	w.on(engine, "4.1", w.cloud[10:13]...)
	w.buy(right{p: engine, metric: "core", quantity: 20, price: "600", minProcessor: 8, minServer: 16, pack: 2})
	w.hide(
		"three small servers, each counted with the least that a server must have",
		engine,
		"core",
		map[string]int64{"owned": 40, "needed": 48, "short": 8, "buy": 4, "gap:all used": 8},
	)
}

func (w *rightsTeller) mayMove() {
	keep := w.newProduct(
		product{publisher: harrow, name: "Gannet Store", category: "database", price: "410", metric: "core"},
	)
	w.on(keep, "4.1", w.vms[6])
	w.buy(right{p: keep, metric: "core", quantity: 32, price: "380"})
	w.hide(
		"one machine that may move, and every host of its cluster needs a right",
		keep,
		"core",
		map[string]int64{"owned": 32, "needed": 120, "short": 88},
	)
}

func (w *rightsTeller) pinned() {
	ledger := w.newProduct(
		product{publisher: harrow, name: "Gannet Ledger", category: "database", price: "410", metric: "core"},
	)
	w.vms[0].pinned, w.vms[20].pinned = "true", "true"
	w.on(ledger, "2.0", w.vms[0])
	w.buy(right{p: ledger, metric: "core", quantity: 16})
	w.hide(
		"a machine that is pinned needs its own host alone",
		ledger,
		"core",
		map[string]int64{"owned": 16, "needed": 16, "short": 0, "surplus": 0},
	)
}

func (w *rightsTeller) crowdedHost() {
	queue := w.newProduct(
		product{publisher: harrow, name: "Gannet Queue", category: "database", price: "290", metric: "core"},
	)
	w.on(queue, "1.3", w.vms[23], w.vms[43], w.vms[63])
	w.buy(right{p: queue, metric: "core", quantity: 24, capacity: "sub"})
	w.hide(
		"virtual cores of a crowded host are never more than the host has",
		queue,
		"core",
		map[string]int64{"owned": 24, "needed": 16, "surplus": 8},
	)
}

func (w *rightsTeller) movedWithinTheWindow() {
	relay := w.newProduct(
		product{publisher: harrow, name: "Gannet Relay", category: "database", price: "290", metric: "core"},
	)
	w.on(relay, "1.3", w.vms[84])
	w.buy(right{p: relay, metric: "core", quantity: 2, capacity: "sub"})
	w.earlier = append(w.earlier, movedGuest{w.vms[84], hostOf(w.world, 9)})
	w.hide(
		"a machine that moved within the window counts on both hosts",
		relay,
		"core",
		map[string]int64{"owned": 2, "needed": 4, "short": 2},
	)
}

func (w *rightsTeller) coreFactor() {
	solver := w.newProduct(
		product{publisher: pelmar, name: "Tidewheel Solver", category: "tide", price: "220", metric: "core"},
	)
	w.boxes[0].factor, w.boxes[1].factor = "0.5", "0.5"
	w.on(solver, "7.0", w.boxes[0], w.boxes[1])
	w.buy(right{p: solver, metric: "core", quantity: 40})
	w.hide(
		"a core factor halves what large processors need",
		solver,
		"core",
		map[string]int64{"owned": 40, "needed": 32, "surplus": 8},
	)
}

func (w *rightsTeller) processorsOfTheHost() {
	reckoner := w.newProduct(
		product{
			publisher: pelmar,
			name:      "Tidewheel Reckoner",
			category:  "tide",
			price:     "1900",
			metric:    "processor",
		},
	)
	w.on(reckoner, "3.3", w.boxes[2], w.boxes[3], w.boxes[4], w.vms[20])
	w.buy(right{p: reckoner, metric: "processor", quantity: 4})
	w.hide(
		"a virtual machine counts with the processors of its host",
		reckoner,
		"processor",
		map[string]int64{"owned": 4, "needed": 5, "short": 1},
	)
}

func (w *rightsTeller) notVirtual() {
	agent := w.newProduct(
		product{
			publisher: lyst,
			name:      "Saltmark Agent",
			category:  "security",
			price:     "38",
			metric:    "virtual_machine",
		},
	)
	w.on(agent, "5.5", append(w.vms[40:60:60], w.cloud[14], w.cloud[15])...)
	w.buy(right{p: agent, metric: "virtual_machine", quantity: 18})
	w.hide(
		"two machines that are not virtual are not counted, and said so",
		agent,
		"virtual_machine",
		map[string]int64{"owned": 18, "needed": 20, "short": 2, "outside": 2},
	)
}

func (w *rightsTeller) rightsOnTwoHosts() {
	depot := w.newProduct(product{publisher: lyst, name: "Saltmark Depot", category: "utility", price: "700"})
	for i, d := range w.vms {
		if i%20 == 10 || i%20 == 11 {
			w.on(depot, "2.2", d)
		}
	}
	w.buy(right{p: depot, quantity: 2, rights: "virtual_use"})
	w.hide(
		"two rights on two hosts serve all virtual machines there",
		depot,
		"device",
		map[string]int64{"owned": 2, "needed": 12, "covered": 12, "short": 0, "surplus": 0, "free": 12},
	)
}

func (w *rightsTeller) secondDevice() {
	mail := w.newProduct(product{publisher: brack, name: "Fjordpen Mail", category: "office", price: "80"})
	for i := range 20 {
		owner := w.unitsOf["Shore/Charting"][i*3]
		w.on(mail, "12.0", owner)
		for _, d := range w.unitsOf["Shore/Charting"] {
			if i < 15 && d.portable == "true" && d.user == owner.user {
				w.on(mail, "12.0", d)
			}
		}
	}
	w.buy(right{p: mail, quantity: 20, rights: "second_device"})
	w.hide(
		"the laptop of who has it on a desktop needs no right of its own",
		mail,
		"device",
		map[string]int64{"owned": 20, "needed": 35, "covered": 35, "short": 0, "surplus": 0, "free": 15},
	)
}

func (w *rightsTeller) testBench() {
	tracer := w.newProduct(product{publisher: isbrand, name: "Kelpline Tracer", category: "compiler", price: "540"})
	w.on(tracer, "2.8", w.unitsOf["Shore/Workshop"][60:66]...)
	w.on(tracer, "2.8", w.unitsOf["Shore/Workshop/Bench"][12:24]...)
	w.buy(right{p: tracer, quantity: 6, rights: "test_use"})
	w.hide(
		"the test bench needs no rights where the right says so",
		tracer,
		"device",
		map[string]int64{"owned": 6, "needed": 18, "covered": 18, "short": 0, "surplus": 0, "free": 12},
	)
}

func (w *rightsTeller) standBy() {
	mirror := w.newProduct(product{publisher: harrow, name: "Gannet Mirror", category: "database", price: "1500"})
	w.on(mirror, "4.1", w.vms[1], w.vms[2], w.vms[5], w.vms[11], w.vms[17])
	w.buy(right{p: mirror, quantity: 2, rights: "standby_use"})
	w.hide(
		"machines that stand by need no right of their own",
		mirror,
		"device",
		map[string]int64{"owned": 2, "needed": 5, "covered": 5, "short": 0, "free": 3},
	)
}

func (w *rightsTeller) nineAtOnce() {
	post := w.newProduct(
		product{
			publisher: quern,
			name:      "Lodeglass Post",
			category:  "sonar",
			price:     "3100",
			metric:    "concurrent",
			file:      "lgpost.exe",
		},
	)
	w.on(post, "9.2", w.unitsOf["Shore/Charting"][210:240]...)
	w.buy(right{p: post, metric: "concurrent", quantity: 8})
	w.pools = append(
		w.pools,
		[]string{"sonar-post", post.publisher, post.name, "lic-1.halvorsund.example", "10", "2027-03-31"},
	)
	checkout := func(n int, at time.Time, minutes int) {
		d := w.unitsOf["Shore/Charting"][210+n]
		s := fmt.Sprintf("s%05d", len(w.poolEvents))
		w.poolEvents = append(
			w.poolEvents,
			[]string{"sonar-post", "checkout", s, d.user, d.id, at.Format(time.RFC3339), "1", ""},
			[]string{
				"sonar-post",
				"return",
				s,
				d.user,
				d.id,
				at.Add(time.Duration(minutes) * time.Minute).Format(time.RFC3339),
				"1",
				"",
			},
		)
	}
	for day := 1; day <= 26; day++ {
		morning := time.Date(2026, 6, 30, 7, 30, 0, 0, time.UTC).AddDate(0, 0, -day)
		for n := range 6 {
			checkout((day+n)%30, morning.Add(time.Duration(12*n)*time.Minute), 55+5*n)
		}
	}
	busiest := time.Date(2026, 6, 18, 13, 0, 0, 0, time.UTC)
	for n := range 9 {
		checkout(20+n, busiest.Add(time.Duration(3*n)*time.Minute), 40)
	}
	w.hide(
		"nine at once on one afternoon of June, and eight licences",
		post,
		"concurrent",
		map[string]int64{"owned": 8, "needed": 9, "short": 1},
	)
}

func (w *rightsTeller) overlappingSessions() {
	plan := w.newProduct(
		product{
			publisher: wex,
			name:      "Murrelet Plan",
			category:  "drawing",
			price:     "1200",
			metric:    "concurrent",
			file:      "mplan.exe",
		},
	)
	w.on(plan, "4.0", w.unitsOf["Shore/Charting"][240:252]...)
	w.buy(right{p: plan, metric: "concurrent", quantity: 4})
	for n, d := range w.unitsOf["Shore/Charting"][240:245] {
		start := time.Date(2026, 6, 22, 9, 4*n, 0, 0, time.UTC)
		for part := range 3 { // opened again and again by one user, it is one
			from := start.Add(time.Duration(15*part) * time.Minute)
			w.sessions = append(
				w.sessions,
				[]string{
					d.id,
					d.user,
					plan.file,
					"",
					from.Format(time.RFC3339),
					from.Add(20 * time.Minute).Format(time.RFC3339),
					"600",
				},
			)
		}
	}
	w.hide(
		"sessions of one user that overlap are one, and five users are five",
		plan,
		"concurrent",
		map[string]int64{"owned": 4, "needed": 5, "short": 1},
	)
}

func (w *rightsTeller) unmeasuredUse() {
	loft := w.newProduct(
		product{publisher: wex, name: "Murrelet Loft", category: "drawing", price: "1400", metric: "concurrent"},
	)
	w.on(loft, "4.0", w.unitsOf["Shore/Workshop"][70:76]...)
	w.buy(right{p: loft, metric: "concurrent", quantity: 5})
	w.hide(
		"use that nobody measured is not called none",
		loft,
		"concurrent",
		map[string]int64{"owned": 5, "needed": 0, "short": 0, "surplus": 5, "counted": 0},
	)
}

func (w *rightsTeller) siteRight() {
	atlas := w.newProduct(
		product{publisher: ostwick, name: "Skerrymap Atlas", category: "charting", price: "9000", metric: "site"},
	)
	w.on(atlas, "3", w.unitsOf["Shore/Workshop"][80:90]...)
	w.on(atlas, "3", w.unitsOf["School"][20:25]...)
	w.buy(right{p: atlas, metric: "site", quantity: 1, scope: "Shore/Workshop"})
	w.hide(
		"a site right of the workshop does not reach the school",
		atlas,
		"site",
		map[string]int64{"owned": 1, "needed": 2, "covered": 1, "short": 1, "gap:out of scope": 1},
	)
}

func (w *rightsTeller) twoMetrics() {
	tally := w.newProduct(product{publisher: tarn, name: "Oyster Ledger", category: "office", price: "150"})
	w.on(tally, "6.1", w.unitsOf["Shore/Administration"][60:75]...)
	w.buy(right{p: tally, metric: "named_user", quantity: 10})
	w.buy(right{p: tally, metric: "device", quantity: 8})
	w.hide(
		"what named users cover makes no demand on device rights",
		tally,
		"device",
		map[string]int64{"owned": 8, "needed": 5, "short": 0, "surplus": 3},
	)
	w.hide(
		"and the named users are just so many as there are rights",
		tally,
		"named_user",
		map[string]int64{"owned": 10, "needed": 10, "short": 0},
	)
}

func (w *rightsTeller) purchaseHistory() {
	sound := w.newProduct(product{publisher: tarn, name: "Oyster Sound", category: "tide", price: "260"})
	w.on(sound, "2.4", w.unitsOf["Shore/Administration"][76:107]...)
	traded := w.buy(right{p: sound, quantity: 30})
	for _, t := range [][]string{{"buy", "2024-02-01", "30"}, {"true_up", "2025-03-01", "6"},
		{"transfer_out", "2025-11-15", "4"}, {"retire", "2026-01-31", "2"}} {
		w.booked(map[string]string{"entitlement_id": traded, "type": t[0], "on": t[1], "quantity": t[2],
			"price": "240", "currency": "EUR"})
	}
	w.hide(
		"bought, trued up, given away and retired: thirty are left",
		sound,
		"device",
		map[string]int64{"owned": 30, "needed": 31, "short": 1},
	)
}

func (w *rightsTeller) upgradesInARing() {
	trim := w.newProduct(
		product{publisher: wex, name: "Murrelet Trim", category: "drawing", price: "330", versions: []string{"5"}},
	)
	w.on(trim, "5.0", w.unitsOf["Shore/Charting"][252:257]...)
	first := w.buy(
		right{p: trim, version: "5", kind: "upgrade", quantity: 5, base: fmt.Sprintf("L-%04d", w.rightsMade+2)},
	)
	w.buy(right{p: trim, version: "5", kind: "upgrade", quantity: 5, base: first})
	w.hide(
		"two upgrades that rest on each other are no right",
		trim,
		"device",
		map[string]int64{"owned": 0, "needed": 5, "short": 5},
	)
}

func (w *rightsTeller) rightsOfOneCountry() {
	level := w.newProduct(product{publisher: pelmar, name: "Tidewheel Level", category: "tide", price: "170"})
	w.on(level, "1.0", w.unitsOf["Shore/Charting"][257:269]...)
	w.on(level, "1.0", w.unitsOf["Shore/Workshop"][90:98]...)
	w.buy(right{p: level, quantity: 20, country: "NO"})
	w.hide(
		"rights of one country beside machines of another",
		level,
		"device",
		map[string]int64{"owned": 20, "needed": 20, "covered": 12, "short": 8, "surplus": 8, "gap:out of scope": 8},
	)
}

func (w *rightsTeller) aboutToLapse() {
	courier := w.newProduct(product{publisher: vest, name: "Sternpost Courier", category: "office", price: "70"})
	w.on(courier, "3.1", w.unitsOf["Shore/Administration"][107:127]...)
	w.buy(
		right{p: courier, kind: "subscription", quantity: 20, start: "2025-07-11", end: "2026-07-10", price: "48"},
	)
	w.hide(
		"a subscription about to lapse that everybody needs",
		courier,
		"device",
		map[string]int64{"owned": 20, "needed": 20, "short": 0, "renewal:keep": 1},
	)
}

func (w *rightsTeller) mayLapse() {
	almanac := w.newProduct(product{publisher: vest, name: "Sternpost Almanac", category: "office", price: "64"})
	w.on(almanac, "8.0", w.unitsOf["Shore/Administration"][127:131]...)
	w.buy(right{p: almanac, quantity: 5, start: "2023-05-01"})
	w.buy(
		right{p: almanac, kind: "subscription", quantity: 12, start: "2025-08-16", end: "2026-08-15", price: "30"},
	)
	w.hide(
		"a subscription that may lapse, since older rights are enough",
		almanac,
		"device",
		map[string]int64{"owned": 17, "needed": 4, "surplus": 13, "renewal:let go": 1},
	)
}

func (w *rightsTeller) noRate() {
	sextant := w.newProduct(
		product{publisher: dunlaw, name: "Dunlaw Sextant", category: "tide", price: "900", currency: "SEK"},
	)
	w.on(sextant, "1.1", w.unitsOf["Shore/Workshop"][98:101]...)
	w.hide(
		"a price in a currency that nobody has a rate for",
		sextant,
		"device",
		map[string]int64{"owned": 0, "needed": 3, "short": 3},
	)
	w.truths[len(w.truths)-1].Exposure = "2700 SEK"
}

// movedGuest is a virtual machine that an earlier list had on another host.
type movedGuest struct {
	guest *device
	host  string // device_id
}

// hostOf is the device_id of the n-th host.
func hostOf(w *world, n int) string {
	for _, d := range w.devices {
		if d.kind == "vm_host" {
			if n == 0 {
				return d.id
			}
			n--
		}
	}
	return ""
}

// makeRights makes what people keep about rights: contracts, a set for starters, who waits, a scenario, and a statement
// that was handed over.
func makeRights(ctx context.Context, prog *program.Program) error {
	day := civil.MustParse
	for _, c := range []entitlementsdb.Contract{
		{
			Code:       "K-05",
			Publisher:  "Quernstone AS",
			Name:       "Sonar frame agreement",
			Start:      day("2024-01-01"),
			End:        day("2026-12-31"),
			NoticeDays: 90,
			Renews:     true,
			Owner:      "Dagne Laverud",
		},
		{
			Code:       "K-11",
			Publisher:  "Harrowmere plc",
			Name:       "Databases of the hall",
			Start:      day("2025-09-01"),
			End:        day("2026-08-31"),
			NoticeDays: 45,
			Owner:      "Kettil Pilskog",
			Note:       "terms by core are in annex 2",
		},
		{
			Code:       "K-17",
			Publisher:  "Brackwell Office Inc.",
			Name:       "Office seats",
			Start:      day("2025-10-01"),
			End:        day("2026-09-30"),
			NoticeDays: 60,
			Renews:     true,
			Owner:      "Dagne Laverud",
		},
	} {
		if err := prog.Entitlements.PutContract(ctx, c, "Worker"); err != nil {
			return err
		}
	}
	for _, d := range []own.Draft{
		{Kind: own.Contract, Thing: "K-05", Field: "counsel", Value: "Sunniva Hagenes", Reason: "since the renewal"},
		{Kind: own.Contract, Thing: "K-11", Field: "counsel", Value: "Brage Tofterud", Reason: "databases are his"},
		{Kind: own.Contract, Thing: "K-17", Field: "counsel", Value: "Sunniva Hagenes", Reason: "since the renewal"},
		{Kind: own.Line, Thing: "L-0004", Field: "budget", Value: "projects", Reason: "paid by the survey of 2025"},
		{Kind: own.Person, Thing: "u0006", Field: "building", Value: "quay house", Reason: "moved in June"},
	} {
		if _, err := prog.Own.Say(ctx, d, "Worker"); err != nil {
			return err
		}
	}
	id := func(name string) (int64, error) {
		ids, err := prog.Position.FindProducts(ctx, name)
		if err != nil || len(ids) != 1 {
			return 0, fmt.Errorf("the demo's catalogue has %d products named %s: %w", len(ids), name, err)
		}
		return ids[0], nil
	}
	notes, err := id("Fjordpen Notes")
	if err != nil {
		return err
	}
	ledger, err := id("Oyster Ledger")
	if err != nil {
		return err
	}
	if _, err := prog.Entitlements.PutStarterSet(ctx,
		entitlementsdb.StarterSet{
			Name:     "charting, first day",
			Note:     "agreed with the head of charting",
			Products: []int64{notes, ledger},
		}, "Worker"); err != nil {
		return err
	}
	for i, user := range []string{"u0301", "u0312"} {
		if err := prog.Entitlements.Wait(ctx, ledger, user, []string{"works on the tide tables", "asked twice"}[i],
			"Worker"); err != nil {
			return err
		}
	}
	engine, err := id("Gannet Engine")
	if err != nil {
		return err
	}
	if _, err := prog.Worklist.SaveScenario(ctx,
		worklist.Scenario{
			Name: "Databases before the audit",
			Note: "which way out is cheaper?",
			Measures: []snapshot.Measure{{
				Kind:     "buy",
				Product:  engine,
				Line:     lineOfEngine(ctx, prog, engine),
				Quantity: 4,
			}},
		}, "Worker"); err != nil {
		return err
	}
	if _, err := prog.Position.MakeStatement(
		ctx,
		civil.Of(Now)-30,
		position.StatementScope{},
		"Skrubbholt Revision",
		"for the yearly audit",
		"Worker",
	); err != nil {
		return err
	}
	grid, err := id(gridName)
	if err != nil {
		return err
	}
	return undoBookedTwice(ctx, prog, grid)
}

func lineOfEngine(ctx context.Context, prog *program.Program, product int64) string {
	p, err := prog.Position.ProductPosition(ctx, product, 0, 0)
	if err != nil || len(p.Metrics) == 0 || len(p.Metrics[0].Lines) == 0 {
		return ""
	}
	return p.Metrics[0].Lines[0].Code
}
