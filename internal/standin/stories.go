package standin

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// pick gives the next n devices of a unit that no story has taken for this purpose, so that stories do not disturb
// each other.
// The publishers of the demo.
const (
	ostwick = "Ostwick Foundry Ltd"
	pelmar  = "Pelmar & Voss GmbH"
	quern   = "Quernstone AS"
	brack   = "Brackwell Office Inc."
	harrow  = "Harrowmere plc"
	isbrand = "Isbrand AB"
	wex     = "Wexcombe Systems"
	lyst    = "Lystrand AS"
	tarn    = "Tarnquist AB"
	vest    = "Vestermoor BV"
	dunlaw  = "Dunlaw Tools"
)

// picks begins to take devices unit by unit.
func (w *world) picks() *picker { return &picker{w, map[string]int{}} }

type picker struct {
	w    *world
	next map[string]int
}

func (p *picker) take(unit string, n int) []*device {
	list := p.w.unitsOf[unit]
	from := p.next[unit]
	p.next[unit] = from + n
	return slices.Clone(list[from : from+n])
}

func (w *world) hide(story string, p *product, metric string, want map[string]int64) {
	w.truths = append(
		w.truths,
		Truth{Story: story, Publisher: p.publisher, Product: p.name, Metric: metric, Want: want},
	)
}

// stories plants the truths. Each is a trap of the trade with one right answer.
func (w *world) stories() {
	for _, tell := range []func(){
		w.suiteAndParts,
		w.olderVersions,
		w.lapsedSubscription,
		w.silentVessel,
		w.upgradeWithoutBase,
		w.upgradeUsesItsBase,
		w.leaversWithSeats,
		w.games,
		w.firstFitLeavesShort,
		w.higherEdition,
		w.rightsOfAnotherUnit,
		w.lapsedMaintenance,
		w.twoSources,
		w.inStoreAndRetired,
		w.pricedInKroner,
		w.notInForceYet,
		w.fortySpellings,
		w.undecidedName,
		w.idleStories,
	} {
		tell()
	}
}

func (w *world) suiteAndParts() {
	suite := w.newProduct(
		product{
			publisher: ostwick,
			name:      "Skerrymap Suite",
			category:  "charting",
			price:     "1200",
			versions:  []string{"6"},
			released:  []string{"2024-09-01"},
		},
	)
	viewer := w.newProduct(
		product{
			publisher: ostwick,
			name:      "Skerrymap Viewer",
			category:  "charting",
			price:     "300",
			suite:     "Skerrymap Suite",
			versions:  []string{"6"},
			released:  []string{"2024-09-01"},
		},
	)
	plotter := w.newProduct(
		product{
			publisher: ostwick,
			name:      "Skerrymap Plotter",
			category:  "charting",
			price:     "240",
			suite:     "Skerrymap Suite",
			versions:  []string{"6"},
			released:  []string{"2024-09-01"},
		},
	)
	p := w.picks()
	for _, d := range p.take("Shore/Charting", 60) {
		for _, x := range []*product{suite, viewer, plotter} {
			w.put(d, x, "", "6.1.4")
		}
	}
	for i, d := range p.take("Shore/Charting", 45) {
		w.put(d, viewer, "", "6.1.4")
		if i < 10 {
			w.put(d, plotter, "", "6.0.2")
		}
	}
	w.buy(right{p: suite, version: "6", quantity: 55})
	w.buy(right{p: viewer, version: "6", quantity: 60})
	w.buy(right{p: plotter, version: "6", quantity: 10})
	w.hide(
		"a shortfall of the suite that spare rights of its parts would hide",
		suite,
		"device",
		map[string]int64{"owned": 55, "needed": 60, "short": 5, "gap:all used": 5},
	)
	w.hide(
		"parts beside their suite do not count; alone they do",
		viewer,
		"device",
		map[string]int64{"owned": 60, "needed": 45, "surplus": 15},
	)
	w.hide(
		"a part that is even once the suite's machines are out",
		plotter,
		"device",
		map[string]int64{"owned": 10, "needed": 10, "short": 0, "surplus": 0},
	)
}

func (w *world) olderVersions() {
	desk := w.newProduct(
		product{
			publisher: pelmar,
			name:      "Tidewheel Desk",
			category:  "tide",
			price:     "410",
			versions:  []string{"4", "5"},
			released:  []string{"2021-03-01", "2024-03-01"},
		},
	)
	for _, d := range w.picks().take("Shore/Administration", 40) {
		w.put(d, desk, "", "4.2.1")
	}
	w.buy(right{p: desk, version: "5", quantity: 50, rights: "older_versions"})
	w.hide(
		"a surplus that only the right to older versions reveals",
		desk,
		"device",
		map[string]int64{"owned": 50, "needed": 40, "short": 0, "surplus": 10},
	)
}

func (w *world) lapsedSubscription() {
	view := w.newProduct(
		product{publisher: quern, name: "Lodeglass View", category: "sonar", price: "880", versions: []string{"3"}},
	)
	for _, d := range w.picks().take("Shore/Workshop", 35) {
		w.put(d, view, "", "3.0.9")
	}
	w.buy(right{p: view, kind: "subscription", quantity: 40, start: "2025-06-16", end: "2026-06-15", price: "310"})
	w.hide(
		"a subscription that lapsed a fortnight ago",
		view,
		"device",
		map[string]int64{"owned": 0, "needed": 35, "short": 35, "gap:expired": 35},
	)
}

func (w *world) silentVessel() {
	sonar := w.newProduct(
		product{publisher: quern, name: "Lodeglass Sonar", category: "sonar", price: "2600", versions: []string{"9"}},
	)
	for _, u := range units {
		if strings.HasPrefix(u.unit, "Sea/") {
			for _, d := range w.picks().take(u.unit, 12) {
				w.put(d, sonar, "", "9.2")
			}
		}
	}
	w.buy(right{p: sonar, version: "9", quantity: 75})
	w.hide(
		"a vessel whose silence makes a figure doubtful",
		sonar,
		"device",
		map[string]int64{"owned": 75, "needed": 72, "surplus": 3, "low": 60},
	)
}

func (w *world) upgradeWithoutBase() {
	draft := w.newProduct(
		product{publisher: wex, name: "Murrelet Draft", category: "drawing", price: "700", versions: []string{"4"}},
	)
	for _, d := range w.picks().take("Shore/Charting", 12) {
		w.put(d, draft, "", "4.4")
	}
	w.buy(right{p: draft, version: "4", kind: "upgrade", quantity: 20, price: "200"})
	w.hide(
		"an upgrade bought without its base",
		draft,
		"device",
		map[string]int64{"owned": 0, "needed": 12, "short": 12},
	)
}

func (w *world) upgradeUsesItsBase() {
	shade := w.newProduct(
		product{
			publisher: wex,
			name:      "Murrelet Shade",
			category:  "drawing",
			price:     "350",
			versions:  []string{"3", "4"},
		},
	)
	for i, d := range w.picks().take("Shore/Charting", 30) {
		w.put(d, shade, "", map[bool]string{true: "4.1", false: "3.7"}[i < 10])
	}
	base := w.buy(right{p: shade, version: "3", quantity: 30})
	w.buy(right{p: shade, version: "4", kind: "upgrade", quantity: 10, base: base, price: "90"})
	w.hide(
		"an upgrade uses up its base",
		shade,
		"device",
		map[string]int64{"owned": 30, "needed": 30, "short": 0, "surplus": 0},
	)
}

func (w *world) leaversWithSeats() {
	assign := w.newProduct(
		product{
			publisher: brack,
			name:      "Fjordpen Notes",
			category:  "office",
			price:     "95",
			metric:    "named_user",
			versions:  []string{"12"},
		},
	)
	seat := w.buy(
		right{
			p:        assign,
			metric:   "named_user",
			quantity: 25,
			kind:     "subscription",
			start:    "2025-10-01",
			end:      "2026-09-30",
			price:    "60",
		},
	)
	for i, d := range w.unitsOf["Shore/Charting"] {
		if i%3 == 0 && i < 60 { // twenty users, five of whom have it on a second device too
			w.put(d, assign, "", "12.1")
			w.assigned = append(w.assigned, []string{seat, d.user, "", "2025-10-01", ""})
		}
		if d.portable == "true" && d.name < "hal-lap-006" {
			w.put(d, assign, "", "12.1")
		}
	}
	leavers := 0
	for _, u := range w.users {
		if u[5] == "left" && leavers < 4 && u[3] == "Sea/Tjeld" || u[5] == "left" && leavers < 4 && u[3] == "School" {
			leavers++
			w.assigned = append(w.assigned, []string{seat, u[0], "", "2025-10-01", ""})
		}
	}
	w.hide(
		"leavers with seats, and users with two devices who count once",
		assign,
		"named_user",
		map[string]int64{"owned": 25, "needed": int64(20 + leavers), "surplus": int64(5 - leavers)},
	)
}

func (w *world) firstFitLeavesShort() {
	console := w.newProduct(
		product{
			publisher: harrow,
			name:      "Gannet Console",
			category:  "database",
			price:     "520",
			versions:  []string{"3", "5"},
		},
	)
	for i, d := range w.picks().take("Hall", 14) {
		w.put(d, console, "", map[bool]string{true: "3.3", false: "5.0"}[i < 6])
	}
	w.buy(right{p: console, version: "5", quantity: 8, rights: "older_versions"})
	w.buy(right{p: console, version: "3", quantity: 6})
	w.hide(
		"first-fit leaves machines short, the best allocation none",
		console,
		"device",
		map[string]int64{"owned": 14, "needed": 14, "short": 0},
	)
}

func (w *world) higherEdition() {
	studio := w.newProduct(
		product{
			publisher: isbrand,
			name:      "Kelpline Studio",
			category:  "compiler",
			price:     "300",
			editions:  []string{"Standard", "Professional"},
		},
	)
	for i, d := range w.picks().take("Shore/Workshop", 33) {
		w.put(d, studio, map[bool]string{true: "Professional", false: "Standard"}[i < 18], "2.8")
	}
	w.buy(right{p: studio, edition: "Professional", quantity: 30, rights: "lower_editions", price: "600"})
	w.buy(right{p: studio, edition: "Standard", quantity: 5})
	w.hide(
		"a higher edition covers the lower",
		studio,
		"device",
		map[string]int64{"owned": 35, "needed": 33, "short": 0, "surplus": 2},
	)
}

func (w *world) rightsOfAnotherUnit() {
	gauge := w.newProduct(product{publisher: lyst, name: "Saltmark Gauge", category: "tide", price: "190"})
	for _, d := range w.picks().take("Shore/Workshop", 12) {
		w.put(d, gauge, "", "1.9")
	}
	for _, d := range w.picks().take("Shore/Charting", 9) {
		w.put(d, gauge, "", "1.9")
	}
	w.buy(right{p: gauge, quantity: 40, scope: "Shore/Workshop"})
	w.hide(
		"short in one unit beside spare rights of another",
		gauge,
		"device",
		map[string]int64{"owned": 40, "needed": 21, "covered": 12, "short": 9, "surplus": 28, "gap:out of scope": 9},
	)
}

func (w *world) lapsedMaintenance() {
	oyster := w.newProduct(
		product{
			publisher: tarn,
			name:      "Oyster Tide",
			category:  "tide",
			price:     "640",
			versions:  []string{"6", "7", "8"},
			released:  []string{"2022-06-01", "2025-03-01", "2026-02-01"},
		},
	)
	for i, d := range w.picks().take("Shore/Charting", 27) {
		v := "8.0.1"
		if i < 10 {
			v = "6.4"
		} else if i < 22 {
			v = "7.1"
		}
		w.put(d, oyster, "", v)
	}
	w.buy(right{p: oyster, version: "6", quantity: 30, start: "2023-01-01", maintenance: "2025-12-31"})
	w.hide(
		"maintenance lapsed before the newest release",
		oyster,
		"device",
		map[string]int64{"owned": 30, "needed": 27, "covered": 22, "short": 5, "gap:version too new": 5},
	)
}

func (w *world) twoSources() {
	archive := w.newProduct(product{publisher: vest, name: "Sternpost Archive", category: "office", price: "75"})
	for _, d := range w.picks().take("Shore/Administration", 15) {
		w.put(d, archive, "", "5.5").source2 = "register"
	}
	w.buy(right{p: archive, quantity: 15})
	w.hide(
		"one install reported by two sources counts once",
		archive,
		"device",
		map[string]int64{"owned": 15, "needed": 15, "short": 0},
	)
}

func (w *world) inStoreAndRetired() {
	lookout := w.newProduct(product{publisher: vest, name: "Sternpost Lookout", category: "security", price: "55"})
	for _, d := range append(w.picks().take("Shore/Administration", 10), w.picks().take("Store", 4)...) {
		w.put(d, lookout, "", "2.0")
	}
	w.buy(right{p: lookout, quantity: 12})
	w.hide(
		"machines in store and retired ones make no demand",
		lookout,
		"device",
		map[string]int64{"owned": 12, "needed": 10, "surplus": 2},
	)
}

func (w *world) pricedInKroner() {
	pilot := w.newProduct(
		product{publisher: harrow, name: "Gannet Pilot", category: "database", price: "4800", currency: "NOK"},
	)
	for _, d := range w.picks().take("Hall", 8) {
		w.put(d, pilot, "", "1.1")
	}
	w.hide(
		"nobody owns it, and it is priced in another currency",
		pilot,
		"device",
		map[string]int64{"owned": 0, "needed": 8, "short": 8, "gap:none owned": 8},
	)
	w.truths[len(w.truths)-1].Exposure = "38400 NOK"
}

func (w *world) notInForceYet() {
	later := w.newProduct(product{publisher: tarn, name: "Oyster Berth", category: "tide", price: "130"})
	for _, d := range w.picks().take("Sea/Skarv", 6) {
		w.put(d, later, "", "1.0")
	}
	w.buy(right{p: later, quantity: 10, kind: "subscription", start: "2026-08-01", end: "2027-07-31", price: "40"})
	w.hide("bought, but not in force yet", later, "device", map[string]int64{"owned": 0, "needed": 6, "short": 6})
}

func (w *world) fortySpellings() {
	scribe := w.newProduct(
		product{
			publisher: brack,
			name:      "Fjordpen Scribe",
			category:  "office",
			price:     "120",
			versions:  []string{"11", "12"},
			aliases:   "Fjord Pen Scribe|FJPScribe",
		},
	)
	mess := []string{
		"Fjordpen Scribe",
		"FJORDPEN SCRIBE 12.0.%d (64-bit)",
		"Fjordpen® Scribe 11",
		"Brackwell Office Fjordpen Scribe v12.0",
		"Fjord Pen Scribe 12 x64 de-DE",
		"FJPScribe 11.%d",
		"Fjordpen Scribe (Deutsch)",
		"fjordpen  scribe  12.1.%d  win64",
		"Fjordpen Scribe 12 nb-NO",
		"Fjordpen Scribe™ Version 11.2",
	}
	for i, d := range w.picks().take("Shore/Administration", 60) {
		s := w.put(d, scribe, "", fmt.Sprintf("%d.%d", 11+i%2, i%4))
		s.names[0] = mess[i%len(mess)]
		if strings.Contains(s.names[0], "%d") {
			s.names[0] = fmt.Sprintf(s.names[0], i%4)
		}
	}
	w.buy(right{p: scribe, quantity: 64})
	w.hide(
		"one program under forty spellings",
		scribe,
		"device",
		map[string]int64{"owned": 64, "needed": 60, "surplus": 4},
	)
}

func (w *world) undecidedName() {
	echo := w.newProduct(product{publisher: quern, name: "Lodeglass Echo", category: "sonar", price: "1500"})
	for i, d := range w.picks().take("Shore/Workshop", 25) {
		s := w.put(d, echo, "", "2.2")
		if i >= 14 {
			s.pub, s.names[0] = "QSTONE", "LGECHO Workstation"
		}
	}
	w.buy(right{p: echo, quantity: 20})
	w.hide(
		"a name that nobody has decided hides a shortfall of five",
		echo,
		"device",
		map[string]int64{"owned": 20, "needed": 14, "surplus": 6},
	)
}

func (w *world) games() {
	game := w.newProduct(product{publisher: "Fennick Play", name: "Puffin Derby", category: "game", model: "free"})
	w.policies = append(
		w.policies,
		[]string{"", "", "game", "", "restricted", "", "", "", "Games have no place on work machines", "", ""},
		[]string{"", "", "game", "training", "allowed", "", "", "", "Used in the school's reaction course", "", ""},
	)
	devices := append(append([]*device{}, w.unitsOf["Shore/Charting"][200:206]...), w.unitsOf["Sea/Lomvi"][20:23]...)
	for _, d := range append(devices, w.unitsOf["School"][:6]...) {
		w.put(d, game, "", "1.3")
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "restricted everywhere but in the school",
			Publisher: game.publisher,
			Product:   game.name,
			Want:      map[string]int64{"cases:restricted": 9},
		},
	)
}

// idleStories plants what metering shows. The devices are metered, if at all, from 120 days ago up to yesterday.
func (w *world) idleStories() {
	for _, tell := range []func(){
		w.idleAndLight,
		w.idleWhereShort,
		w.windowLongerThanTheData,
		w.newInstalls,
		w.suiteUsedByAPart,
		w.backByItself,
	} {
		tell()
	}
}

func (w *world) idleAndLight() {
	profiler := w.newProduct(
		product{
			publisher: "Isbrand AB",
			name:      "Kelpline Profiler",
			category:  "compiler",
			price:     "480",
			file:      "klprof.exe",
		},
	)
	w.buy(right{p: profiler, quantity: 30, kind: "subscription", start: "2025-10-01", end: "2026-09-30", price: "240"})
	list := w.unitsOf["Shore/Charting"][100:130]
	for i, d := range list {
		w.put(d, profiler, "", "7.2")
		d.metered = i != 29
		switch {
		case i < 18:
			w.use(d, profiler, 3, 4, 7, 10, 14, 20, 24, 31, 35, 40, 45, 51, 58, 66, 71, 80)
		case i < 21:
			w.use(d, profiler, 5, 33, 70)
		case i < 27:
			w.use(d, profiler, 105, 110)
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "idle and light use kept apart, and a device that was never metered is not unused",
			Publisher: profiler.publisher,
			Product:   profiler.name,
			Metric:    "device",
			Want: map[string]int64{
				"needed":             30,
				"short":              0,
				"cases:idle":         8,
				"class:unused":       6,
				"class:never used":   2,
				"class:light":        3,
				"class:regular":      18,
				"class:not measured": 1,
				"worth:at renewal":   8,
			},
		},
	)
}

func (w *world) idleWhereShort() {
	survey := w.newProduct(
		product{
			publisher: "Wexcombe Systems",
			name:      "Murrelet Survey",
			category:  "drawing",
			price:     "900",
			file:      "mursurv.exe",
		},
	)
	w.buy(right{p: survey, quantity: 15})
	for i, d := range w.unitsOf["Shore/Charting"][130:150] {
		w.put(d, survey, "", "3.1")
		d.metered = true
		if i >= 4 {
			w.use(d, survey, 2, 6, 9, 13, 16, 22, 29, 37, 44, 52, 60, 75)
		} else {
			w.use(d, survey, 118)
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "idle installs of a product that is short: taking them back avoids a purchase",
			Publisher: survey.publisher,
			Product:   survey.name,
			Metric:    "device",
			Want:      map[string]int64{"needed": 20, "short": 5, "cases:idle": 4, "worth:purchase avoided": 4},
		},
	)
}

func (w *world) windowLongerThanTheData() {
	bench := w.newProduct(
		product{publisher: "Lystrand AS", name: "Saltmark Bench", category: "tide", price: "260", file: "smbench.exe"},
	)
	w.buy(right{p: bench, quantity: 10})
	for _, d := range w.unitsOf["Shore/Workshop/Bench"][:10] {
		w.put(d, bench, "", "1.2")
		w.use(d, bench, 39, 38)
		w.use(d, &product{name: "", file: "hvbrowse.exe"}, 20, 1)
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "a window longer than the data: forty days of ninety say nothing",
			Publisher: bench.publisher,
			Product:   bench.name,
			Metric:    "device",
			Want:      map[string]int64{"needed": 10, "cases:idle": 0, "class:not measured": 10},
		},
	)
}

func (w *world) newInstalls() {
	rivet := w.newProduct(
		product{publisher: "Dunlaw Tools", name: "Rivetmark", category: "drawing", price: "310", file: "rivet.exe"},
	)
	w.buy(right{p: rivet, quantity: 6})
	for i, d := range w.unitsOf["Shore/Charting"][150:156] {
		s := w.put(d, rivet, "", "2.0")
		d.metered = true
		if i < 5 {
			s.from = w.today - 12
		} else {
			w.use(d, rivet, 1, 2, 3, 8, 9, 15, 22, 30, 41, 55)
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "new installs are not proposed for reclaim within their grace",
			Publisher: rivet.publisher,
			Product:   rivet.name,
			Metric:    "device",
			Want:      map[string]int64{"needed": 6, "cases:idle": 0},
		},
	)
}

func (w *world) suiteUsedByAPart() {
	pen := w.newProduct(
		product{
			publisher: "Brackwell Office Inc.",
			name:      "Fjordpen Studio",
			category:  "office",
			price:     "420",
			file:      "fjstudio.exe",
		},
	)
	sheet := w.newProduct(
		product{
			publisher: "Brackwell Office Inc.",
			name:      "Fjordpen Sheet",
			category:  "office",
			price:     "140",
			suite:     "Fjordpen Studio",
			file:      "fjsheet.exe",
		},
	)
	w.buy(right{p: pen, quantity: 8})
	for _, d := range w.unitsOf["Shore/Charting"][156:164] {
		w.put(d, pen, "", "9.0")
		w.put(d, sheet, "", "9.0")
		d.metered = true
		w.use(d, pen, 115)
		w.use(d, sheet, 1, 3, 6, 8, 14, 21, 33, 40, 48)
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "a suite is in use where a part of it is",
			Publisher: pen.publisher,
			Product:   pen.name,
			Metric:    "device",
			Want:      map[string]int64{"needed": 8, "cases:idle": 0},
		},
	)
}

func (w *world) backByItself() {
	back := w.newProduct(product{publisher: "Dunlaw Tools", name: "Clampweave", category: "drawing", price: "85"})
	w.buy(right{p: back, quantity: 5})
	for _, d := range w.unitsOf["Shore/Administration"][100:105] {
		s := w.put(d, back, "", "1.1")
		s.until, s.again = w.today-200, w.today-60
	}
	w.truths = append(
		w.truths,
		Truth{
			Story:     "removed, and back by itself",
			Publisher: back.publisher,
			Product:   back.name,
			Metric:    "device",
			Want:      map[string]int64{"needed": 5, "needed@2026-03-15": 0, "needed@2025-06-01": 5},
		},
	)
}

// use books sessions of a product so many days ago, some forty minutes each.
func (w *world) use(d *device, p *product, daysAgo ...int) {
	for _, n := range daysAgo {
		start := Now.Add(-time.Duration(n)*24*time.Hour + time.Duration(w.r.IntN(240))*time.Minute)
		end := start.Add(time.Duration(10+w.r.IntN(60)) * time.Minute)
		w.sessions = append(
			w.sessions,
			[]string{
				d.id,
				d.user,
				p.file,
				"",
				start.Format(time.RFC3339),
				end.Format(time.RFC3339),
				fmt.Sprint(60 * (5 + w.r.IntN(5))),
			},
		)
	}
}

// meter gives every metered device the sessions of an ordinary program, so that the days on which it was measured are
// known.
func (w *world) meter() {
	browser := &product{file: "hvbrowse.exe"}
	for _, d := range w.devices {
		if !d.metered {
			continue
		}
		w.use(d, browser, 120, 1)
		for n := 5; n < 118; n += 4 + w.r.IntN(5) {
			w.use(d, browser, n)
		}
	}
}
