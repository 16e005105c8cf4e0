package program

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/position"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// estate is a small random house, as files say it, so that what a scenario stands for can really be done: by evidence,
// by purchases, by contracts.
type estate struct {
	t        *testing.T
	prog     *Program
	r        *rand.Rand
	installs map[string]map[string]string           // by device, product and edition to version
	devices  map[string]string                      // the lines of devices.csv
	lines    map[string]map[string]string           // by entitlement_id, column
	seats    map[string]map[string]bool             // by entitlement_id, user
	id       map[string]int64                       // by product
	before   map[string]map[string]position.Figures // by product and metric
	hosts    map[string]string                      // of virtual machines
	pinned   map[string]bool
	hour     int
}

const (
	estateDevices = "device_id,kind,primary_user,org_unit,processors,cores,virtual_cores,host_id,cluster,pinned," +
		"portable"
	estateLines = "entitlement_id,publisher,product,edition,version,metric,quantity,kind,start,end,maintenance_end," +
		"unit_price,currency,purchased,scope_unit,rights,min_per_processor,min_per_server,pack_size,capacity,base"
)

// newEstate makes a house by a seed. Product Office is a suite with the parts Words and Cells; Base is counted by
// cores, Draw by users or at one time, Map by devices.
func newEstate(t *testing.T, seed uint64) *estate {
	prog, clock := desk(t)
	today := clock.now
	clock.now = today.AddDate(0, 0, -1) // all of it is known since yesterday
	s := &estate{
		t: t, prog: prog, r: rand.New(rand.NewPCG(seed, 77)),
		installs: map[string]map[string]string{}, devices: map[string]string{}, lines: map[string]map[string]string{},
		seats: map[string]map[string]bool{}, id: map[string]int64{}, hosts: map[string]string{},
		pinned: map[string]bool{}, hour: 29*24 + 4,
	}
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,edition,edition_rank,version,licence_model,list_price,currency,suite,released,"+
			"default_metric",
		"Ostwick,Office,,,,commercial,500,EUR,,,",
		"Ostwick,Words,,,,commercial,50,EUR,Office,,",
		"Ostwick,Cells,,,,commercial,70,EUR,Office,,",
		"Ostwick,Base,Standard,1,,commercial,30,EUR,,,core",
		"Ostwick,Base,Enterprise,2,,commercial,90,EUR,,,core",
		"Ostwick,Draw,,,,commercial,200,EUR,,,",
		"Ostwick,Map,,,5,commercial,100,EUR,,2024-01-10,",
		"Ostwick,Map,,,6,commercial,120,EUR,,2026-02-10,",
		"Ostwick,Tool,,,,free,,,,,",
	)
	var users []string
	for i := range 6 {
		users = append(users, fmt.Sprintf("u%d,U%d,%s", i+1, i+1, s.pick("A", "A/B", "C")))
	}
	take(t, prog, formats.Users, append([]string{"user_id,name,org_unit"}, users...)...)
	s.putDevice("H1", "vm_host", "", 2, "", false)
	s.putDevice("H2", "vm_host", "", 1, "", false)
	for i := range 3 {
		s.putDevice(fmt.Sprint("V", i+1), "virtual_machine", "", 0, s.pick("H1", "H2"), s.r.IntN(2) == 0)
	}
	for i := range 6 {
		s.putDevice(fmt.Sprint("D", i+1), "client", s.pick("", "u1", "u2", "u3", "u4", "u5"), 1, "", false)
	}
	s.sendDevices(slices.Sorted(maps.Keys(s.devices))...)
	for _, code := range slices.Sorted(maps.Keys(s.devices)) {
		has := map[string]string{"Tool|": "1"}
		for product, chance := range map[string]int{"Office|": 3, "Words|": 5, "Cells|": 4, "Draw|": 5, "Map|": 6} {
			if s.r.IntN(10) < chance {
				has[product] = s.pick("5", "5.1", "6")
			}
		}
		if s.r.IntN(3) == 0 || strings.HasPrefix(code, "V") {
			has["Base|"+s.pick("Standard", "Enterprise")] = "12"
		}
		s.installs[code] = has
	}
	s.scan(slices.Sorted(maps.Keys(s.installs))...)
	for i := range 3 + s.r.IntN(6) {
		s.randomLine(fmt.Sprint("L", i+1))
	}
	s.sendLines(slices.Sorted(maps.Keys(s.lines))...)
	s.randomUse()
	for _, p := range []string{"Office", "Words", "Cells", "Base", "Draw", "Map"} {
		s.id[p] = mustProduct(t, prog, p)
	}
	clock.now, s.hour = today, 30*24+4
	s.before = s.figures()
	return s
}

func (s *estate) pick(of ...string) string { return of[s.r.IntN(len(of))] }

func (s *estate) some(of []string) []string {
	out := slices.Clone(of)
	s.r.Shuffle(len(out), func(i, k int) { out[i], out[k] = out[k], out[i] })
	return out[:1+s.r.IntN(min(3, len(out)))]
}

func (s *estate) putDevice(code, kind, user string, processors int, host string, pinned bool) {
	cores, virtual, cluster := fmt.Sprint(8*processors), "", ""
	if kind != "client" {
		cluster = "K"
	}
	if host != "" {
		cores, virtual = "", s.pick("2", "4", "8")
		s.hosts[code], s.pinned[code] = host, pinned
	}
	s.devices[code] = strings.Join(
		[]string{code, kind, user, s.pick("A", "A/B", "C"), fmt.Sprint(processors), cores,
			virtual, "HOST", cluster, "PINNED", fmt.Sprint(s.r.IntN(2) == 0)},
		",",
	)
}

func (s *estate) sendDevices(codes ...string) {
	var lines []string
	for _, code := range codes {
		lines = append(lines, strings.NewReplacer("HOST", s.hosts[code], "PINNED", fmt.Sprint(s.pinned[code])).
			Replace(s.devices[code]))
	}
	s.must(formats.Devices, estateDevices, lines)
}

func (s *estate) must(kind *formats.Kind, header string, lines []string) {
	s.t.Helper()
	res := take(s.t, s.prog, kind, append([]string{header}, lines...)...)
	if len(res.Aside) > 0 {
		s.t.Fatalf("%s: %+v", kind.Name, res.Aside)
	}
}

// scan sends what is on devices, as it is now.
func (s *estate) scan(codes ...string) {
	s.hour++
	var lines []string
	for _, code := range codes {
		for _, key := range slices.Sorted(maps.Keys(s.installs[code])) {
			product, edition, _ := strings.Cut(key, "|")
			lines = append(lines, fmt.Sprintf("%s,Ostwick,%s,%s,%s,2026-06-%02dT%02d:00:00Z", code, product,
				s.installs[code][key], edition, s.hour/24, s.hour%24))
		}
	}
	s.must(formats.Installs, "device_id,publisher,name,version,edition,seen_at", lines)
}

func (s *estate) randomLine(code string) {
	product := s.pick("Office", "Words", "Base", "Draw", "Map", "Map")
	l := map[string]string{"product": product, "metric": "device", "quantity": fmt.Sprint(1 + s.r.IntN(5)),
		"kind": s.pick("perpetual", "subscription"), "start": "2025-01-01", "unit_price": "80", "currency": "EUR",
		"purchased": "2025-01-01"}
	switch product {
	case "Base":
		l["metric"], l["quantity"], l["pack_size"] = s.pick(
			"core",
			"core",
			"processor",
		), fmt.Sprint(
			1+s.r.IntN(12),
		), "2"
		l["min_per_processor"], l["capacity"] = s.pick("", "8"), s.pick("", "full", "sub")
		l["edition"], l["rights"] = s.pick("Standard", "Enterprise"), s.pick("", "lower_editions")
	case "Draw":
		l["metric"] = s.pick("named_user", "device", "concurrent")
	case "Map":
		l["version"], l["rights"] = s.pick("", "5", "6"), s.pick("", "older_versions", "second_device")
		l["maintenance_end"] = s.pick("", "2025-12-31")
		l["metric"] = s.pick("device", "installation", "named_user")
	}
	l["scope_unit"] = s.pick("", "", "A", "C")
	s.lines[code] = l
	if l["metric"] == "named_user" {
		s.seats[code] = map[string]bool{"u1": true, s.pick("u2", "u6"): true}
	}
}

func (s *estate) sendLines(codes ...string) {
	var lines, seats []string
	for _, code := range codes {
		l := s.lines[code]
		var cells []string
		for _, c := range strings.Split(estateLines, ",") {
			switch c {
			case "entitlement_id":
				cells = append(cells, code)
			case "publisher":
				cells = append(cells, "Ostwick")
			default:
				cells = append(cells, l[c])
			}
		}
		lines = append(lines, strings.Join(cells, ","))
		for _, u := range slices.Sorted(maps.Keys(s.seats[code])) {
			seats = append(seats, fmt.Sprintf("%s,%s,2026-01-01,%s", code, u,
				map[bool]string{true: "", false: "2026-06-29"}[s.seats[code][u]]))
		}
	}
	s.must(formats.Entitlements, estateLines, lines)
	if len(seats) > 0 {
		s.must(formats.Assignments, "entitlement_id,user_id,from,until", seats)
	}
}

func (s *estate) randomUse() {
	var lines []string
	for range s.r.IntN(12) {
		day := 5 + s.r.IntN(23)
		lines = append(lines, fmt.Sprintf("%s,%s,%s,2026-06-%02dT%02d:00:00Z,2026-06-%02dT18:00:00Z",
			s.pick("D1", "D2", "D3", "D4"), s.pick("u1", "u4", "u6", ""), s.pick("Draw", "Draw", "Map"), day,
			8+s.r.IntN(9), day))
	}
	s.must(formats.Usage, "device_id,user_id,product,started_at,ended_at", lines)
}

// figures are all stored figures, computed anew.
func (s *estate) figures() map[string]map[string]position.Figures {
	s.t.Helper()
	ctx := context.Background()
	if err := s.prog.Pipeline.Refresh(ctx); err != nil {
		s.t.Fatal(err)
	}
	names := map[int64]string{}
	for name, id := range s.id {
		names[id] = name
	}
	out := map[string]map[string]position.Figures{}
	err := s.prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, err := s.prog.Snapshots.Load(tx, s.prog.Snapshots.Today(), s.prog.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		for id, name := range names {
			ways, err := snapshot.Ways(tx, id)
			if err != nil {
				return err
			}
			out[name] = map[string]position.Figures{}
			for _, p := range e.Compute(e.Products[id], ways[id]) {
				out[name][string(p.Metric)] = p.Figures()
			}
		}
		return nil
	})
	if err != nil {
		s.t.Fatal(err)
	}
	return out
}

// basket is measures at random.
func (s *estate) basket() []snapshot.Measure {
	var out []snapshot.Measure
	codes := slices.Sorted(maps.Keys(s.lines))
	for range 1 + s.r.IntN(4) {
		kind := position.MeasureKinds[s.r.IntN(len(position.MeasureKinds))]
		line := codes[s.r.IntN(len(codes))]
		product := s.lines[line]["product"]
		m := snapshot.Measure{Kind: string(kind), Product: s.id[product], Line: line, Quantity: 1 + s.r.Int64N(3)}
		switch kind {
		case position.Remove, position.Reversion, position.LeaveOut:
			product = s.pick("Office", "Office", "Words", "Base", "Draw", "Map")
			m = snapshot.Measure{
				Kind:    m.Kind,
				Product: s.id[product],
				Devices: s.some(slices.Sorted(maps.Keys(s.devices))),
			}
			if kind == position.Reversion {
				m.Version = s.pick("5", "6", "7.5")
			}
			if kind == position.LeaveOut {
				m.Reason = "not in use"
			}
		case position.Reclaim:
			m = snapshot.Measure{Kind: m.Kind, Product: m.Product, Users: s.some([]string{"u1", "u2", "u6"})}
		case position.Move:
			m.Unit = s.pick("A", "C", "A/B")
		case position.Buy:
			if s.r.IntN(3) == 0 {
				m.Line, m.Metric = "", s.pick("device", "named_user")
			}
		case position.UpgradeTo:
			m.Version, m.Edition = s.pick("6", ""), map[bool]string{true: "Enterprise"}[product == "Base"]
		case position.Metric:
			m.Metric = s.pick("device", "named_user", "concurrent", "installation")
			if product == "Base" {
				m.Metric = s.pick("core", "processor", "device")
			}
		case position.Right:
			m.Right = string(entitle.Rights[s.r.IntN(len(entitle.Rights))])
		case position.Maintain:
			m.Until = s.pick("2026-12-31", "2026-01-31")
		case position.Capacity:
			m.Capacity = s.pick("full", "sub")
		case position.Pin, position.Host:
			m = snapshot.Measure{Kind: m.Kind, Product: s.id["Base"], Devices: s.some([]string{"V1", "V2", "V3"})}
			if kind == position.Host {
				m.Host = s.pick("H1", "H2")
			}
		}
		out = append(out, m)
	}
	return out
}

// do really does a measure: by what machines report next, by what is bought and by what contracts say.
func (s *estate) do(m *snapshot.Measure, at int) {
	product := ""
	for name, id := range s.id {
		if id == m.Product {
			product = name
		}
	}
	code := fmt.Sprint("measure-", at+1)
	like := func() map[string]string {
		l := maps.Clone(s.lines[m.Line])
		l["quantity"], l["start"], l["purchased"], l["end"] = fmt.Sprint(m.Quantity), "2026-06-30", "2026-06-30", ""
		return l
	}
	switch position.MeasureKind(m.Kind) {
	case position.Remove, position.Reversion:
		for _, device := range m.Devices {
			for key := range s.installs[device] {
				if strings.HasPrefix(key, product+"|") {
					if delete(s.installs[device], key); m.Version != "" {
						s.installs[device][key] = m.Version
					}
				}
			}
		}
		s.scan(m.Devices...)
	case position.LeaveOut:
		for _, device := range m.Devices {
			_, err := s.prog.Titles.Exclude(context.Background(),
				titles.ExclusionDraft{Product: m.Product, Devices: []string{device}, Reason: m.Reason}, "me")
			if err != nil {
				s.t.Fatal(err)
			}
		}
	case position.Reclaim:
		for line, seats := range s.seats {
			for _, u := range m.Users {
				if _, held := seats[u]; held && s.lines[line]["product"] == product {
					seats[u] = false
				}
			}
			s.sendLines(line)
		}
	case position.Move:
		s.must(formats.Transactions, "entitlement_id,type,on,quantity,note", // an equal one would be the same one
			[]string{fmt.Sprintf("%s,transfer_out,2026-06-30,%d,for %s", m.Line, m.Quantity, code)})
		l := maps.Clone(s.lines[m.Line])
		l["quantity"], l["scope_unit"] = fmt.Sprint(m.Quantity), m.Unit
		s.lines[code] = l
		s.sendLines(code)
	case position.Buy:
		l := map[string]string{"product": product, "metric": m.Metric, "quantity": fmt.Sprint(m.Quantity),
			"kind": "perpetual", "start": "2026-06-30", "purchased": "2026-06-30"}
		if m.Line != "" {
			l = like()
		}
		s.lines[code] = l
		s.sendLines(code)
	case position.UpgradeTo:
		l := like()
		l["kind"], l["base"], l["version"] = "upgrade", m.Line, m.Version
		if m.Edition != "" {
			l["edition"] = m.Edition
		}
		if pack := l["pack_size"]; pack != "" { // what is upgraded is counted in the line's packs
			l["quantity"], l["pack_size"] = fmt.Sprint(2*m.Quantity), ""
		}
		s.lines[code] = l
		s.sendLines(code)
	case position.Metric:
		s.lines[m.Line]["metric"], s.lines[m.Line]["quantity"] = m.Metric, fmt.Sprint(m.Quantity)
		s.sendLines(m.Line)
	case position.Right:
		s.lines[m.Line]["rights"] = strings.Trim(s.lines[m.Line]["rights"]+"|"+m.Right, "|")
		s.sendLines(m.Line)
	case position.Maintain:
		s.lines[m.Line]["maintenance_end"] = m.Until
		s.sendLines(m.Line)
	case position.Capacity:
		s.lines[m.Line]["capacity"] = m.Capacity
		s.sendLines(m.Line)
	case position.Lapse:
		s.lines[m.Line]["end"] = "2026-06-29"
		s.sendLines(m.Line)
	case position.Pin:
		for _, v := range m.Devices {
			s.pinned[v] = true
		}
		s.sendDevices(m.Devices...)
	case position.Host:
		for _, v := range m.Devices {
			s.hosts[v] = m.Host
		}
		s.sendDevices(m.Devices...)
	}
}

// What is tried is what the figures say once it is really done: random baskets on random estates, tried, then done by
// evidence, purchases and contracts. What is named as changed is all that changes.
func TestTriedIsDone(t *testing.T) {
	seeds := uint64(25)
	if testing.Short() {
		seeds = 5
	}
	for seed := range seeds {
		t.Run(fmt.Sprint(seed), func(t *testing.T) { triedIsDone(t, seed) })
	}
}

func triedIsDone(t *testing.T, seed uint64) {
	s := newEstate(t, seed)
	basket := s.basket()
	tried, err := s.prog.Position.TryScenario(context.Background(), basket)
	if err != nil {
		t.Fatalf("%v: %+v", err, basket)
	}
	if now := s.figures(); fmt.Sprint(now) != fmt.Sprint(s.before) {
		t.Fatalf("trying changed what is there: %v, was %v", now, s.before)
	}
	want := s.before
	for _, p := range tried.Positions {
		if want[p.Product] == nil {
			want[p.Product] = map[string]position.Figures{}
		}
		a := p.After
		f := position.Figures{
			Owned:   a.Owned,
			Needed:  a.Needed,
			Covered: a.Covered,
			Short:   a.Short,
			Surplus: a.Surplus,
			Low:     a.Low,
			High:    a.High,
		}
		want[p.Product][p.Metric] = f
	}
	taken := 0
	for i := range basket {
		if tried.Measures[i].Error == "" {
			s.do(&basket[i], taken)
			taken++
		}
	}
	got := s.figures()
	for product := range s.id {
		for _, m := range entitle.Metrics {
			w, g := want[product][string(m)], got[product][string(m)]
			w.Free, g.Free, w.Exposure, g.Exposure = 0, 0, 0, 0
			if w != g {
				t.Errorf("%s by %s: tried %+v, done %+v, was %+v\n%+v\n%+v", product, m, w, g,
					s.before[product][string(m)], basket, tried.Measures)
			}
		}
	}
}

// A way out is a what-if: tried by itself it leaves what it says. None covers less than nothing, the best comes first,
// buying is in whole packs, and ways together cover more than one alone, or cost less.
func TestWaysOutAreTried(t *testing.T) {
	ctx := context.Background()
	ways, kinds := 0, map[string]int{}
	all := func() bool {
		for _, kind := range []string{"buy", "contract", "version", "machines", "renew maintenance", "transfer"} {
			if kinds[kind] == 0 {
				return false
			}
		}
		return true
	}
	// a dozen houses at least, and as many more as it takes until each kind of way was found
	for seed := uint64(0); seed < 12 || seed < 80 && !all(); seed++ {
		s := newEstate(t, 1000+seed)
		for product, id := range s.id {
			list, err := s.prog.Position.WaysOut(ctx, id, nil)
			if err != nil {
				t.Fatal(err)
			}
			var short int64
			for _, f := range s.before[product] {
				short += f.Short
			}
			if short == 0 && len(list) > 0 {
				t.Errorf("seed %d: %s is not short, and there are ways out", seed, product)
			}
			for _, w := range list {
				ways++
				kinds[w.What]++
				tried, err := s.prog.Position.TryScenario(ctx, w.Measures)
				if err != nil {
					t.Fatal(err)
				}
				var left, change int64
				for _, p := range tried.Positions {
					if change += p.After.Short - p.Before.Short; p.ProductID == id {
						left += p.After.Short
					}
				}
				if w.Covers <= 0 || w.Covers != -change || w.Left != left || strings.HasPrefix(w.Cost, "-") {
					t.Errorf(
						"seed %d, %s: %+v leaves %d of %d and changes %d",
						seed,
						product,
						w,
						left,
						short,
						change,
					)
				}
				if w.Cost != "" && w.Cost != tried.Cost {
					t.Errorf("seed %d, %s: %+v costs %s", seed, product, w, tried.Cost)
				}
			}
			if len(list) > 1 && list[0].What == "together" && list[0].Left > list[1].Left {
				t.Errorf("seed %d, %s: together is no better: %+v", seed, product, list[:2])
			}
		}
	}
	t.Log(ways, "ways:", kinds)
	if !all() {
		t.Errorf("some way out was found in none of the houses: %v", kinds)
	}
}
