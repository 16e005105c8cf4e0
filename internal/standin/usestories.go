package standin

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"time"
)

// useStories plants what the measuring of use, pools, stances at certain hours and reclaiming must get right. It
// comes last and has a chance of its own, so that the rest of the world stays as it was.
func (w *world) useStories() {
	r := rand.New(rand.NewPCG(seed, 6))
	w.poolStories(r)
	u := &useTeller{w, r, w.unitsOf["Shore/Charting"], w.unitsOf["Shore/Workshop"],
		w.unitsOf["Shore/Administration"], &product{file: "hvbrowse.exe"}}
	u.measureBench()
	for _, tell := range []func(){
		u.awayForWeeks,
		u.oddEvents,
		u.usedBeforeMeasured,
		u.winterSoftware,
		u.filmsInWorkingHours,
		u.requiredAndMissing,
		u.restrictedAndIdle,
		u.begunWork,
		u.exceptions,
	} {
		tell()
	}
}

// useTeller tells of use. That of the browser shows that a machine is measured.
type useTeller struct {
	*world
	r                      *rand.Rand
	staff, workshop, admin []*device
	browser                *product
}

// seen lets a device be measured on days.
func (w *useTeller) seen(d *device, days ...int) { w.useAt(w.r, d, w.browser, days...) }

// every lets a device be measured every week or oftener, from so many days ago to so many.
func (w *useTeller) every(d *device, from, to int) {
	for n := from; n >= to; n -= 5 + w.r.IntN(5) {
		w.seen(d, n)
	}
	w.seen(d, to)
}

// daysAgo is a time so many days before the demo's day, in UTC.
func daysAgo(ago, hour, minute int) time.Time {
	return time.Date(2026, 6, 30, hour, minute, 0, 0, time.UTC).AddDate(0, 0, -ago)
}

// measureBench lets the bench be measured in the last month, though not in the quarter.
func (w *useTeller) measureBench() {
	for _, d := range w.unitsOf["Shore/Workshop/Bench"][:10] {
		w.every(d, 39, 1)
	}
}

func (w *useTeller) awayForWeeks() {
	// A machine that was away for weeks: what nobody measured is no proof of anything.
	caliper := w.newProduct(
		product{
			publisher: "Grimholm Instruments",
			name:      "Sillwatch Caliper",
			category:  "sonar",
			price:     "640",
			file:      "swcalip.exe",
		},
	)
	w.buy(right{p: caliper, quantity: 9})
	for i, d := range w.staff[276:285] {
		w.put(d, caliper, "", "2.2")
		switch {
		case i < 3: // away from 85 days ago until six days ago
			w.every(d, 120, 85)
			w.useAt(w.r, d, caliper, 100, 90)
			w.every(d, 6, 1)
		case i < 6:
			w.every(d, 120, 1)
			w.useAt(w.r, d, caliper, 110, 100)
		default:
			w.every(d, 120, 1)
			w.useAt(w.r, d, caliper, 4, 9, 15, 21, 28, 33, 40, 46, 55, 63, 71, 80, 88)
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "three machines that were away for weeks are not measured, and three at hand idle",
			Publisher: caliper.publisher,
			Product:   caliper.name,
			Metric:    "device",
			Want: map[string]int64{
				"class:not measured": 3,
				"class:unused":       3,
				"class:regular":      3,
				"cases:idle":         3,
			},
		},
	)
}

func (w *useTeller) oddEvents() {
	// Process events: a clock that ran ahead and was put back, a stop that never came, everything twice, two programs
	// of one title at once.
	tracer := w.newProduct(
		product{
			publisher: "Dunlaw Tools",
			name:      "Threadgauge",
			category:  "drawing",
			price:     "210",
			file:      "thgauge.exe",
		},
	)
	w.buy(right{p: tracer, quantity: 4})
	process := func(d *device, what string, at time.Time, pid int, file string, active int) {
		row := []string{d.id, what, at.Format(time.RFC3339), fmt.Sprint(pid), file, d.user, "", ""}
		if active > 0 {
			row[7] = fmt.Sprint(active)
		}
		if what == "boot" {
			row[3], row[4], row[5] = "", "", ""
		}
		w.processes = append(w.processes, row)
	}
	for i, d := range w.staff[285:289] {
		w.put(d, tracer, "", "5.0")
		for n := 12; n >= 1; n-- { // an ordinary program, which runs on workdays
			process(d, "start", daysAgo(n, 7, 0), 100+n, "hvbrowse.exe", 0)
			process(d, "stop", daysAgo(n, 14, 0), 100+n, "hvbrowse.exe", 9000)
		}
		switch i {
		case 0: // its clock was six weeks ahead for an hour
			process(d, "start", daysAgo(5, 9, 0), 7001, "thgauge.exe", 0)
			process(d, "stop", daysAgo(5, 9, 40), 7001, "thgauge.exe", 1200)
			process(d, "start", daysAgo(5, 10, 0).AddDate(0, 0, 42), 7002, "thgauge.exe", 0)
			process(d, "stop", daysAgo(5, 11, 0).AddDate(0, 0, 42), 7002, "thgauge.exe", 1800)
			process(d, "start", daysAgo(4, 9, 0), 7003, "thgauge.exe", 0)
			process(d, "stop", daysAgo(4, 9, 30), 7003, "thgauge.exe", 900)
		case 1: // nobody saw it end
			process(d, "start", daysAgo(6, 8, 0), 7100, "thgauge.exe", 0)
			process(d, "boot", daysAgo(3, 6, 0), 0, "", 0)
		case 2: // a flood: every event five times
			for range 5 {
				process(d, "start", daysAgo(2, 8, 0), 7200, "thgauge.exe", 0)
				process(d, "stop", daysAgo(2, 9, 0), 7200, "thgauge.exe", 3000)
			}
		case 3: // two runs that overlap: 08:00 to 10:00 and 09:00 to 11:00 are three hours
			process(d, "start", daysAgo(2, 8, 0), 7300, "thgauge.exe", 0)
			process(d, "start", daysAgo(2, 9, 0), 7301, "thgauge.exe", 0)
			process(d, "stop", daysAgo(2, 10, 0), 7300, "thgauge.exe", 0)
			process(d, "stop", daysAgo(2, 11, 0), 7301, "thgauge.exe", 0)
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "a clock that ran ahead: what lies in the future is no use, and waits",
			Publisher: tracer.publisher,
			Product:   tracer.name,
			Want:      map[string]int64{"use:future": 2, "days:" + w.staff[285].id: 2},
		},
		Truth{
			Story:     "a run whose end nobody saw is use on its first day alone",
			Publisher: tracer.publisher,
			Product:   tracer.name,
			Want:      map[string]int64{"use:cut": 1, "days:" + w.staff[286].id: 1},
		},
		Truth{
			Story:     "a flood of one event is one run",
			Publisher: tracer.publisher,
			Product:   tracer.name,
			Want:      map[string]int64{"minutes:" + w.staff[287].id: 60},
		},
		Truth{
			Story:     "what overlaps counts once",
			Publisher: tracer.publisher,
			Product:   tracer.name,
			Want:      map[string]int64{"minutes:" + w.staff[288].id: 180},
		},
	)
}

func (w *useTeller) usedBeforeMeasured() {
	// Used long before anybody measured: the scan's own date speaks.
	almanac := w.newProduct(product{publisher: "Aldercombe Ltd", name: "Tidalmanac", category: "tide", price: "130"})
	w.buy(right{p: almanac, quantity: 5})
	for _, d := range w.staff[289:294] {
		w.put(d, almanac, "", "4.0").lastUsed = w.today - 210
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "last used before anybody measured: the scans' own dates say so",
			Publisher: almanac.publisher,
			Product:   almanac.name,
			Metric:    "device",
			Want:      map[string]int64{"class:unused": 5, "cases:idle": 5},
		},
	)
}

func (w *useTeller) winterSoftware() {
	// Software of a season: a rule looks at a whole year.
	sounder := w.newProduct(
		product{publisher: "Grimholm Instruments", name: "Frostsounder", category: "sonar", price: "980"},
	)
	w.buy(right{p: sounder, quantity: 4})
	for _, d := range w.staff[294:298] {
		w.put(d, sounder, "", "1.4").lastUsed = w.today - 140
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "winter software is not idle in June, where a rule looks at a year",
			Publisher: sounder.publisher,
			Product:   sounder.name,
			Metric:    "device",
			Want:      map[string]int64{"class:unused": 4, "cases:idle": 0},
		},
	)
}

func (w *useTeller) filmsInWorkingHours() {
	// Forbidden hours, in the zone of each device: 15:30 UTC is 17:30 in Halvorsund and 15:30 in Reyksker.
	tern := w.newProduct(
		product{
			publisher: "Fennick Play",
			name:      "Ternvision",
			category:  "pastime",
			model:     "free",
			file:      "ternvis.exe",
		},
	)
	w.policies = append(
		w.policies,
		[]string{
			tern.publisher,
			tern.name,
			"",
			"",
			"restricted",
			"mon-fri",
			"08:00",
			"16:00",
			"Films may be watched in free time only",
			"",
			"",
		},
	)
	at := func(d *device, start time.Time, minutes int) {
		w.sessions = append(
			w.sessions,
			[]string{
				d.id,
				d.user,
				tern.file,
				"",
				start.Format(time.RFC3339),
				start.Add(time.Duration(minutes) * time.Minute).Format(time.RFC3339),
				"",
			},
		)
	}
	for i, d := range w.staff[298:304] {
		w.put(d, tern, "", "2.1")
		if i < 3 {
			at(d, daysAgo(4+i%2, 9, 10), 45) // a Thursday or a Friday, in working hours
		} else {
			at(d, daysAgo(4, 15, 30), 60) // half past five
			at(d, daysAgo(2, 10, 0), 60)  // a Sunday
		}
	}
	for _, d := range w.workshop[101:103] {
		w.put(d, tern, "", "2.1")
		at(d, daysAgo(4, 15, 30), 60)
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "films in working hours, by the clock of each site",
			Publisher: tern.publisher,
			Product:   tern.name,
			Want:      map[string]int64{"cases:hours": 5, "cases:restricted": 0},
		},
	)
}

func (w *useTeller) requiredAndMissing() {
	// Required, and missing on some; one of those was never scanned, which says nothing.
	guard := w.newProduct(
		product{publisher: "Vestermoor BV", name: "Sternpost Guard", category: "security", model: "free"},
	)
	w.policies = append(
		w.policies,
		[]string{
			guard.publisher,
			guard.name,
			"",
			"Shore/Workshop",
			"required",
			"",
			"",
			"",
			"Every machine of the workshop is guarded",
			"",
			"",
		},
	)
	with := map[*device]bool{}
	for i, d := range append(append([]*device{}, w.workshop...), w.unitsOf["Shore/Workshop/Bench"]...) {
		if i%30 != 7 && len(d.scans) > 0 {
			w.put(d, guard, "", "3.3")
			with[d] = true
		}
	}
	missing := int64(0)
	for _, d := range w.devices {
		if (d.unit == "Shore/Workshop" || d.unit == "Shore/Workshop/Bench") && d.status == "in_service" &&
			len(d.scans) > 0 &&
			!with[d] {
			missing++
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "required and missing, where somebody has looked",
			Publisher: guard.publisher,
			Product:   guard.name,
			Want:      map[string]int64{"cases:missing": missing},
		},
	)
}

func (w *useTeller) restrictedAndIdle() {
	// What a licence does on a machine where it must not be is one case, not two.
	plume := w.newProduct(
		product{publisher: "Fennick Play", name: "Plumecaster", category: "pastime", price: "60", file: "plume.exe"},
	)
	w.buy(right{p: plume, quantity: 6})
	w.policies = append(
		w.policies,
		[]string{
			plume.publisher,
			plume.name,
			"",
			"Shore/Administration",
			"restricted",
			"",
			"",
			"",
			"Bought for the school alone",
			"",
			"",
		},
	)
	for i, d := range w.admin[131:137] {
		w.put(d, plume, "", "1.0")
		if i < 2 {
			w.every(d, 120, 1)
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "restricted and idle at once is one case",
			Publisher: plume.publisher,
			Product:   plume.name,
			Want:      map[string]int64{"cases:restricted": 6, "cases:idle": 0},
		},
	)
}

func (w *useTeller) begunWork() {
	// Work that was begun before today: some were asked, some are gone, one came back.
	bollard := w.newProduct(
		product{publisher: "Dunlaw Tools", name: "Bollardkit", category: "drawing", price: "360", file: "bollard.exe"},
	)
	w.buy(right{p: bollard, quantity: 16, kind: "subscription", start: "2025-11-01", end: "2026-10-31", price: "150"})
	for i, d := range w.admin[137:153] {
		w.put(d, bollard, "", "6.1")
		if n := len(d.scans); n > 0 && i%2 == 0 { // its last scan was before the work began
			d.scans[n-1] = Now.AddDate(0, 0, -5)
		}
		w.every(d, 120, 1)
		if i < 2 {
			w.useAt(w.r, d, bollard, 3, 9, 17, 24, 30, 38, 45, 52, 60, 66, 73, 80)
		} else {
			w.useAt(w.r, d, bollard, 112)
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "fourteen idle, of which some are on their way and some gone",
			Publisher: bollard.publisher,
			Product:   bollard.name,
			Want: map[string]int64{
				"cases:idle": 14,
				"realised":   1,
				"answered":   1,
				"silent":     1,
				"back":       1,
				"failed":     1,
			},
		},
		Truth{
			Story:     "a shortfall is a case of its own",
			Publisher: "Lystrand AS",
			Product:   "Saltmark Gauge",
			Metric:    "device",
			Want:      map[string]int64{"cases:uncovered": 1, "short": 9},
		},
		Truth{
			Story:     "leavers' seats are cases",
			Publisher: "Brackwell Office Inc.",
			Product:   "Fjordpen Notes",
			Metric:    "named_user",
			Want:      map[string]int64{"cases:leaver": 4},
		},
		Truth{
			Story:     "a release that it is planned to move off makes work on each of its machines",
			Publisher: "Grimholm Instruments",
			Product:   "Sillwatch Relay",
			Want:      map[string]int64{"cases:ended": 14},
		},
	)
}

// poolStories plants licence servers with their pools.
func (w *world) poolStories(r *rand.Rand) {
	u := &poolTeller{w, r, w.unitsOf["Shore/Charting"]}
	for _, tell := range []func(){
		u.poolThatDenies,
		u.idlePool,
		u.tokensAndSilence,
	} {
		tell()
	}
}

// poolTeller tells of pools of concurrent licences.
type poolTeller struct {
	*world
	r     *rand.Rand
	staff []*device
}

// concurrent makes a product that is bought as so many concurrent licences: for good, or at a price for a year.
func (w *poolTeller) concurrent(p product, owned int, price string) *product {
	p.metric = "concurrent"
	v := w.newProduct(p)
	if price == "" {
		w.buy(right{p: v, metric: "concurrent", quantity: owned})
	} else {
		w.buy(right{
			p:        v,
			metric:   "concurrent",
			quantity: owned,
			kind:     "subscription",
			start:    "2025-12-01",
			end:      "2026-11-30",
			price:    price,
		})
	}
	return v
}

func (w *poolTeller) poolThatDenies() {
	solver := w.concurrent(
		product{publisher: "Pelmar & Voss GmbH", name: "Tidewheel Harmonic", category: "tide", price: "5200"},
		6,
		"",
	)
	w.serve(
		w.r,
		pool{
			code:     "tide-harmonic",
			server:   "lic-1.halvorsund.example",
			product:  solver,
			quantity: 6,
			expires:  "2027-03-31",
			devices:  w.staff[40:70],
			mornings: 11,
			spread:   5,
			minutes:  75,
			tokens:   1,
			days:     120,
		},
	)
	w.truths = append(
		w.truths,
		Truth{
			Story:     "a pool that denies at ten and idles at noon",
			Publisher: solver.publisher,
			Product:   solver.name,
			Want: map[string]int64{
				"pool:denied at ten": 1,
				"pool:idle at noon":  1,
				"alert:denied":       1,
				"told:denied":        1,
				"cases:pool":         0,
			},
		},
	)
}

func (w *poolTeller) idlePool() {
	mosaic := w.concurrent(
		product{publisher: "Quernstone AS", name: "Lodeglass Mosaic", category: "sonar", price: "2400"},
		20,
		"900",
	)
	w.serve(
		w.r,
		pool{
			code:     "sonar-mosaic",
			server:   "lic-1.halvorsund.example",
			product:  mosaic,
			quantity: 20,
			expires:  "2026-11-30",
			devices:  w.staff[70:95],
			spread:   14,
			minutes:  60,
			tokens:   1,
			days:     120,
		},
	)
	w.truths = append(
		w.truths,
		Truth{
			Story:     "an idle pool gives back 40 % of its rights, and no more",
			Publisher: mosaic.publisher,
			Product:   mosaic.name,
			Want:      map[string]int64{"cases:pool": 1, "quantity:pool": 8, "worth:at renewal": 1},
		},
	)
}

func (w *poolTeller) tokensAndSilence() {
	tokens := w.newProduct(
		product{
			publisher: "Wexcombe Systems",
			name:      "Murrelet Engine",
			category:  "drawing",
			price:     "75",
			metric:    "token",
		},
	)
	w.buy(right{p: tokens, metric: "token", quantity: 60})
	w.serve(
		w.r,
		pool{
			code:     "engine-tokens",
			server:   "lic-2.halvorsund.example",
			product:  tokens,
			quantity: 60,
			expires:  "2027-01-31",
			devices:  w.staff[95:125],
			spread:   18,
			minutes:  50,
			tokens:   12,
			days:     90,
		},
	)
	w.truths = append(
		w.truths,
		Truth{
			Story:     "tokens count with their weight",
			Publisher: tokens.publisher,
			Product:   tokens.name,
			Metric:    "token",
			Want:      map[string]int64{"owned": 60, "short": 0, "pool:peak is needed": 1},
		},
	)

	hull := w.concurrent(
		product{publisher: "Harrowmere plc", name: "Gannet Hull", category: "drawing", price: "3300"},
		12,
		"",
	)
	w.serve(
		w.r,
		pool{
			code:     "hull",
			server:   "lic-3.halvorsund.example",
			product:  hull,
			quantity: 12,
			expires:  "2027-06-30",
			devices:  w.staff[125:140],
			spread:   6,
			minutes:  60,
			tokens:   1,
			days:     90,
			lost:     20,
		},
	)
	w.truths = append(
		w.truths,
		Truth{
			Story:     "a pool whose server is silent is not idle",
			Publisher: hull.publisher,
			Product:   hull.name,
			Want:      map[string]int64{"cases:pool": 0, "alert:lost": 1, "told:lost": 1},
		},
	)

	wave := w.concurrent(product{publisher: "Tarnquist AB", name: "Oyster Wave", category: "tide", price: "1900"}, 5,
		"")
	w.serve(
		w.r,
		pool{
			code:     "wave-lab",
			server:   "lic-2.halvorsund.example",
			product:  wave,
			quantity: 5,
			expires:  "2026-07-25",
			devices:  w.staff[140:155],
			spread:   9,
			minutes:  60,
			tokens:   1,
			days:     90,
			lost:     40,
			found:    38,
		},
	)
	w.truths = append(
		w.truths,
		Truth{
			Story:     "a pool whose licences expire soon",
			Publisher: wave.publisher,
			Product:   wave.name,
			Want:      map[string]int64{"alert:expires soon": 1, "told:expires soon": 1},
		},
	)
}

// useAt books sessions as use does, by a chance of its own.
func (w *world) useAt(r *rand.Rand, d *device, p *product, daysAgo ...int) {
	for _, n := range daysAgo {
		start := Now.Add(-time.Duration(n)*24*time.Hour + time.Duration(r.IntN(240))*time.Minute)
		end := start.Add(time.Duration(10+r.IntN(60)) * time.Minute)
		w.sessions = append(
			w.sessions,
			[]string{
				d.id,
				d.user,
				p.file,
				"",
				start.Format(time.RFC3339),
				end.Format(time.RFC3339),
				fmt.Sprint(60 * (5 + r.IntN(5))),
			},
		)
	}
}

// exceptions are a game that may be there for a while: one holds against the restriction of the same title on the same
// devices, one is over.
func (w *useTeller) exceptions() {
	skua := w.newProduct(product{publisher: "Fennick Play", name: "Skua Rally", category: "game", model: "free"})
	answers := w.admin[160].user
	stance := func(group, stance, reason, owner, until string) {
		w.policies = append(w.policies,
			[]string{skua.publisher, skua.name, "", group, stance, "", "", "", reason, owner, until})
	}
	stance("Shore/Administration", "restricted", "It was brought in on somebody's own stick", "", "")
	stance("Shore/Administration", "allowed", "The staff party shows it on the large screen", answers, "2026-12-31")
	stance("Sea/Lomvi", "allowed", "The crew's game night in spring", answers, "2026-05-31")
	for _, d := range slices.Concat(w.admin[160:163], w.unitsOf["Sea/Lomvi"][23:25]) {
		w.put(d, skua, "", "2.0")
	}
	w.truths = append(w.truths, Truth{
		Story:     "an exception holds against the restriction of the same title and group until it is over",
		Publisher: skua.publisher,
		Product:   skua.name,
		Want:      map[string]int64{"cases:restricted": 2},
	})
}
