package position

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
)

// smallInput is a few devices of a few users and hosts, and lines with any rights.
func smallInput(r *rand.Rand) Input {
	sets := demand.Sets{}
	in := Input{
		AsOf:          today,
		DefaultMetric: entitle.Device,
		Found:         demand.Found{Sets: sets, Hardware: &demand.Hardware{Machines: map[int64]*demand.Machine{}}},
	}
	for i := range 1 + r.IntN(3) {
		l := entitle.Line{
			Code:      fmt.Sprint("L", i),
			Metric:    entitle.Device,
			Quantity:  int64(r.IntN(3)),
			Kind:      entitle.Perpetual,
			ScopeUnit: []string{"", "", "A"}[r.IntN(3)],
			Version:   []string{"", "4", "5"}[r.IntN(3)],
		}
		for _, right := range entitle.Rights {
			if r.IntN(2) == 0 {
				l.Rights = append(l.Rights, right)
			}
		}
		if r.IntN(5) == 0 {
			l.Edition, l.EditionRank = "Pro", 2
		}
		in.Lines = append(in.Lines, l)
	}
	for _, host := range []int64{100, 101} {
		in.Hardware.Machines[host] = &demand.Machine{
			Device: host,
			Kind:   "vm_host",
			Place:  entitle.Place{Unit: []string{"A", "B"}[r.IntN(2)]},
		}
	}
	add := func(id int64, kind evidence.DeviceKind) {
		n := need([]string{"3", "4", "5"}[r.IntN(3)], int64(1+r.IntN(3))*100)
		if r.IntN(4) == 0 {
			n.Edition, n.EditionRank = "Basic", 1
		}
		h := hold(sets, id, int64(min(r.IntN(4), 2)), n)
		h.Kind, h.Place.Unit, h.Portable = kind, []string{"A", "B"}[r.IntN(2)], r.IntN(2) == 0
		h.Environment = []evidence.Environment{"production", "production", "production", "test", "standby"}[r.IntN(5)]
		if kind == "virtual_machine" {
			in.Hardware.Machines[id] = &demand.Machine{Device: id, Kind: kind, Host: 100 + int64(r.IntN(2))}
		}
		if kind == "vm_host" {
			h.User = 0
		}
		in.Holdings = append(in.Holdings, h)
	}
	for i := range 2 + r.IntN(4) {
		add(int64(i+1),
			[]evidence.DeviceKind{"client", "client", "mobile", "virtual_machine", "virtual_machine"}[r.IntN(5)])
	}
	if r.IntN(3) == 0 {
		add(100, "vm_host")
	}
	return in
}

type score struct{ uncovered, used, rank int64 }

func (a score) less(b score) bool {
	if a.uncovered != b.uncovered {
		return a.uncovered < b.uncovered
	}
	if a.used != b.used {
		return a.used < b.used
	}
	return a.rank < b.rank
}

// everyWay tries every way to give rights to devices and hosts, unit by unit, and lets each right serve what the
// rules say that it serves beside.
func everyWay(in Input) score {
	left := make([]int64, len(in.Lines))
	for i := range in.Lines {
		left[i] = in.Lines[i].Quantity
	}
	var hs []demand.Holding
	for _, h := range in.Holdings {
		freed := false
		for i := range in.Lines {
			l := &in.Lines[i]
			_, gaps := l.Covers(h.Set.Needs, h.Place)
			if l.Quantity > 0 && len(gaps) == 0 &&
				(l.Has(entitle.TestUse) && h.Environment == "test" ||
					l.Has(entitle.StandbyUse) && h.Environment == "standby") {
				freed = true
			}
		}
		if !freed {
			hs = append(hs, h)
		}
	}
	bare := []int64{} // hosts that have none of it themselves
	for host := int64(100); host <= 101; host++ {
		has := false
		for _, h := range hs {
			has = has || h.Device == host
		}
		if !has {
			bare = append(bare, host)
		}
	}
	given := make([]int, len(hs)+len(bare)) // line+1, 0 for none
	best := score{uncovered: 1 << 60}
	judge := func() {
		var s score
		serves := map[int64]bool{} // users whose second device is taken
		covered := make([]bool, len(hs))
		for i, g := range given {
			if g == 0 {
				continue
			}
			s.used++
			if i < len(hs) {
				covered[i] = true
				r, _ := in.Lines[g-1].Covers(hs[i].Set.Needs, hs[i].Place)
				s.rank += int64(r)
			}
		}
		for i, g := range given {
			host := int64(0)
			if i >= len(hs) {
				host = bare[i-len(hs)]
			} else if hs[i].Kind == "vm_host" {
				host = hs[i].Device
			}
			if g == 0 || host == 0 || !in.Lines[g-1].Has(entitle.VirtualUse) {
				continue
			}
			for k := range hs {
				m := in.Hardware.Machine(hs[k].Device)
				if covered[k] || m == nil || m.Host != host {
					continue
				}
				if _, gaps := in.Lines[g-1].Covers(hs[k].Set.Needs, hs[k].Place); len(gaps) == 0 {
					covered[k] = true
					s.rank += int64(entitle.OtherUse)
				}
			}
		}
		physical := func(k int) bool { return hs[k].Kind == "client" || hs[k].Kind == "mobile" }
		for user := int64(1); user < 3; user++ { // the dearest device that may be the second one
			pick := -1
			for i, g := range given[:len(hs)] {
				if g == 0 || hs[i].User != user || !physical(i) || !in.Lines[g-1].Has(entitle.SecondDevice) ||
					serves[user] {
					continue
				}
				for k := range hs {
					if covered[k] || hs[k].User != user || !physical(k) || !hs[k].Portable {
						continue
					}
					if _, gaps := in.Lines[g-1].Covers(hs[k].Set.Needs, hs[k].Place); len(gaps) == 0 &&
						(pick < 0 || hs[k].Set.Value > hs[pick].Set.Value) {
						pick = k
					}
				}
			}
			if pick >= 0 {
				covered[pick] = true
				s.rank += int64(entitle.SecondDeviceUse)
			}
		}
		for k := range hs {
			if !covered[k] {
				s.uncovered += hs[k].Set.Value
			}
		}
		if s.less(best) {
			best = s
		}
	}
	var try func(i int)
	try = func(i int) {
		if i == len(given) {
			judge()
			return
		}
		given[i] = 0
		try(i + 1)
		for j := range in.Lines {
			if left[j] == 0 {
				continue
			}
			if i < len(hs) {
				if _, gaps := in.Lines[j].Covers(hs[i].Set.Needs, hs[i].Place); len(gaps) > 0 {
					continue
				}
			} else if _, gaps := in.Lines[j].Covers(nil, in.Hardware.Machines[bare[i-len(hs)]].Place); len(gaps) > 0 ||
				!in.Lines[j].Has(entitle.VirtualUse) {
				continue
			}
			left[j]--
			given[i] = j + 1
			try(i + 1)
			given[i] = 0
			left[j]++
		}
	}
	try(0)
	return best
}

// Over all rights, from holdings to figures: nothing leaves less value uncovered, of those nothing uses fewer rights,
// and of those nothing has a lower sum of ranks.
func TestAllRightsAgainstEveryWay(t *testing.T) {
	var second, virtual, freed, short int
	for seed := range uint64(10_000) {
		in := smallInput(rand.New(rand.NewPCG(seed, 2026)))
		ps := Compute(in)
		if len(ps) != 1 {
			t.Fatalf("seed %d: %d positions", seed, len(ps))
		}
		p := ps[0]
		var got score
		for _, l := range p.Lines {
			got.used += l.Used
		}
		for _, u := range p.Units {
			switch {
			case u.Line < 0:
				got.uncovered += u.Set.Value
				short++
			case u.Free && u.With == 0:
				freed++
			default:
				got.rank += int64(u.Reason)
				if u.Reason == entitle.SecondDeviceUse {
					second++
				} else if u.Free {
					virtual++
				}
			}
		}
		if want := everyWay(in); got != want {
			t.Fatalf("seed %d: %+v, trying every way finds %+v\n%+v\n%+v", seed, got, want, in.Lines, in.Holdings)
		}
		if !p.Proof.Best {
			t.Fatalf("seed %d: the best, but not shown to be: %+v", seed, p.Proof)
		}
		checkIdentities(t, seed, &p)
	}
	if second < 250 || virtual < 300 || freed < 300 || short < 3000 {
		t.Errorf(
			"%d second devices, %d virtual, %d freed, %d short: the cases are too easy",
			second,
			virtual,
			freed,
			short,
		)
	}
}

func checkIdentities(t *testing.T, seed uint64, p *Position) {
	t.Helper()
	var used, covered, needed, free int64
	for _, l := range p.Lines {
		if l.Used < 0 || l.Spare < 0 || l.Used+l.Spare != l.Effect.Quantity {
			t.Fatalf("seed %d: line %+v", seed, l)
		}
		used += l.Used
	}
	for _, u := range p.Units {
		needed += u.Part
		if u.Line >= 0 {
			covered += u.Part
			if u.Free {
				free += u.Part
			}
		}
		if (u.Line < 0) == (u.Gap == 0) || u.Device == 0 && u.User == 0 || u.Part < 1 {
			t.Fatalf("seed %d: unit %+v says nothing", seed, u)
		}
	}
	if needed != p.Needed || covered != p.Covered || p.Covered+p.Short != p.Needed || used+p.Surplus != p.Owned ||
		free != p.Free ||
		p.Counted && used+p.Free < p.Covered ||
		p.Low > p.Needed ||
		p.High < p.Needed {
		t.Fatalf("seed %d: %+v", seed, p)
	}
}

// mixedInput has every metric, with clusters, sessions and several metrics for one product.
func mixedInput(r *rand.Rand) Input {
	sets := demand.Sets{}
	in := Input{
		AsOf:          today,
		DefaultMetric: entitle.Metrics[r.IntN(len(entitle.Metrics))],
		Fleet: map[evidence.DeviceKind]Fleet{
			"client":  {Fresh: 30, Never: int64(r.IntN(4))},
			"vm_host": {Fresh: 4, Never: int64(r.IntN(2))},
		},
	}
	in.Found = demand.Found{
		Sets:     sets,
		Measured: r.IntN(4) > 0,
		Hardware: &demand.Hardware{
			Machines: map[int64]*demand.Machine{},
			Clusters: map[string][]int64{"K": {100, 101, 102}},
		},
	}
	for host := int64(100); host < 104; host++ {
		m := &demand.Machine{
			Device:     host,
			Kind:       "vm_host",
			Processors: int64(r.IntN(3)),
			Cores:      int64(r.IntN(20)),
			Factor:     []int64{0, 5000, 2500}[r.IntN(3)],
			Place:      entitle.Place{Unit: "A"},
		}
		if host < 103 {
			m.Cluster = "K"
		}
		in.Hardware.Machines[host] = m
	}
	for i := range r.IntN(5) {
		l := entitle.Line{
			Code:      fmt.Sprint("L", i),
			Metric:    entitle.Metrics[r.IntN(len(entitle.Metrics))],
			Quantity:  int64(r.IntN(8)),
			Kind:      entitle.Perpetual,
			ScopeUnit: []string{"", "", "A", "C"}[r.IntN(4)],
			Version:   []string{"", "3", "5"}[r.IntN(3)],
			MinPerProcessor: int64(
				r.IntN(2) * 8,
			),
			MinPerServer: int64(r.IntN(2) * 16),
			PackSize:     int64(r.IntN(3)),
			Capacity:     []string{"", "sub"}[r.IntN(2)],
		}
		for _, right := range entitle.Rights {
			if r.IntN(3) == 0 {
				l.Rights = append(l.Rights, right)
			}
		}
		in.Lines = append(in.Lines, l)
	}
	for d := range r.IntN(12) {
		id := int64(d + 1)
		kind := []evidence.DeviceKind{"client", "client", "server", "virtual_machine", "virtual_machine"}[r.IntN(5)]
		h := hold(sets, id, int64(r.IntN(5)), need(fmt.Sprint(3+r.IntN(3)), int64(r.IntN(3)*100)))
		h.Kind, h.Fresh, h.Portable, h.Place.Unit = kind, r.IntN(
			4,
		) > 0, r.IntN(
			2,
		) == 0, []string{"A", "A/B", "C"}[r.IntN(3)]
		h.Environment = []evidence.Environment{"production", "production", "test", "standby"}[r.IntN(4)]
		m := &demand.Machine{
			Device:       id,
			Kind:         kind,
			Processors:   int64(r.IntN(3)),
			Cores:        int64(r.IntN(9)),
			VirtualCores: int64(r.IntN(5)),
			Place:        h.Place,
		}
		if kind == "virtual_machine" && r.IntN(5) > 0 {
			m.Host = int64(100 + r.IntN(4))
			m.SeenOn = []int64{m.Host, int64(100 + r.IntN(4))}
			m.Pinned = r.IntN(2) == 0
		}
		in.Hardware.Machines[id] = m
		in.Holdings = append(in.Holdings, h)
		for range r.IntN(3) {
			from := int64(r.IntN(50))
			in.Sessions = append(
				in.Sessions,
				demand.Session{
					Device:   id,
					User:     h.User,
					Kind:     kind,
					Fresh:    true,
					From:     from,
					To:       from + int64(r.IntN(30)),
					Licences: int64(1 + r.IntN(3)),
					Place:    h.Place,
					Set:      h.Set,
					Holding:  int32(d),
				},
			)
		}
	}
	for range r.IntN(3) {
		in.Persons = append(
			in.Persons,
			demand.Person{User: int64(1 + r.IntN(8)), Set: sets.Of([]demand.Priced{need("4", 100)}), Why: "used"},
		)
	}
	return in
}

// Over random estates with every metric and right: the identities hold, nothing is short in a metric that another
// follows, and the same input gives the same output.
func TestIdentitiesOverAllMetrics(t *testing.T) {
	seen := map[entitle.Metric]int{}
	for seed := range uint64(4000) {
		in := mixedInput(rand.New(rand.NewPCG(seed, 9)))
		ps := Compute(in)
		in.Yesterday = map[Way]int64{}
		for i := range ps {
			p := &ps[i]
			checkIdentities(t, seed, p)
			if p.Needed > 0 {
				seen[p.Metric]++
			}
			for _, u := range p.Units {
				if u.Device != 0 && len(u.Holdings) == 1 && u.Cores == nil && u.Session == nil &&
					p.Metric != entitle.Site &&
					in.Holdings[u.Holdings[0]].Device != u.Device {
					t.Fatalf("seed %d: a unit of device %d points at the holding of another", seed, u.Device)
				}
			}
			if i < len(ps)-1 && p.Short > 0 {
				t.Fatalf("seed %d: %s is short though %s follows", seed, p.Metric, ps[i+1].Metric)
			}
			for w, n := range p.Ways {
				in.Yesterday[w] += n
			}
		}
		if again := Compute(in); !sameFigures(ps, again) {
			t.Fatalf("seed %d: computed on top of itself, it moved", seed)
		}
	}
	for _, m := range entitle.Metrics {
		if seen[m] < 50 {
			t.Errorf("only %d positions by %s needed anything", seen[m], m)
		}
	}
}

// The traps of rights that go beyond a device, each with its answer.
func TestRightsThatServeMore(t *testing.T) {
	sets := demand.Sets{}
	device := func(id, user int64, kind evidence.DeviceKind, environment evidence.Environment,
		portable bool) demand.Holding {
		h := hold(sets, id, user, need("1", 100))
		h.Kind, h.Environment, h.Portable = kind, environment, portable
		return h
	}
	hardware := &demand.Hardware{Machines: map[int64]*demand.Machine{9: {Device: 9, Kind: "vm_host"}}}
	for id := int64(1); id <= 4; id++ {
		hardware.Machines[id] = &demand.Machine{Device: id, Kind: "virtual_machine", Host: 9}
	}
	line := func(quantity int64, rights ...entitle.Right) []entitle.Line {
		return []entitle.Line{
			{Code: "a", Metric: entitle.Device, Quantity: quantity, Kind: entitle.Perpetual, Rights: rights},
		}
	}
	for _, c := range []struct {
		name                   string
		lines                  []entitle.Line
		holdings               []demand.Holding
		hardware               *demand.Hardware
		needed, short, surplus int64
	}{
		{"a desktop and a laptop of one user", line(3, entitle.SecondDevice),
			[]demand.Holding{device(11, 7, "client", "", false), device(12, 7, "client", "", true)}, nil, 2, 0, 2},
		{"two desktops of one user", line(1, entitle.SecondDevice),
			[]demand.Holding{device(11, 7, "client", "", false), device(12, 7, "client", "", false)}, nil, 2, 1, 0},
		{"one portable device more, not two", line(1, entitle.SecondDevice),
			[]demand.Holding{device(11, 7, "client", "", true), device(12, 7, "client", "", true),
				device(13, 7, "client", "", true)}, nil, 3, 1, 0},
		{"laptops of nobody known", line(1, entitle.SecondDevice),
			[]demand.Holding{device(11, 0, "client", "", true), device(12, 0, "client", "", true)}, nil, 2, 1, 0},
		{"test machines beside one right", line(1, entitle.TestUse),
			[]demand.Holding{device(11, 7, "server", "test", false), device(12, 8, "server", "development", false),
				device(13, 9, "server", "standby", false)}, nil, 3, 0, 0},
		{"test machines without any right in force", line(0, entitle.TestUse),
			[]demand.Holding{device(11, 7, "server", "test", false)}, nil, 1, 1, 0},
		{"standby machines", line(5, entitle.StandbyUse), []demand.Holding{device(11, 0, "server", "standby", false)},
			nil, 1, 0, 5},
		{"four virtual machines on a host that one right covers", line(2, entitle.VirtualUse),
			[]demand.Holding{device(1, 0, "virtual_machine", "", false), device(2, 0, "virtual_machine", "", false),
				device(3, 0, "virtual_machine", "", false), device(9, 0, "vm_host", "", false)}, hardware, 4, 0, 1},
		{"the host has none of it itself", line(1, entitle.VirtualUse),
			[]demand.Holding{device(1, 0, "virtual_machine", "", false), device(2, 0, "virtual_machine", "", false)},
			hardware, 2, 0, 0},
		{"no such right", line(1),
			[]demand.Holding{device(1, 0, "virtual_machine", "", false), device(2, 0, "virtual_machine", "", false)},
			hardware, 2, 1, 0},
	} {
		p := Compute(Input{AsOf: today, Lines: c.lines,
			Found: demand.Found{Sets: sets, Holdings: c.holdings, Hardware: c.hardware}})[0]
		if p.Needed != c.needed || p.Short != c.short || p.Surplus != c.surplus {
			t.Errorf(
				"%s: needed %d short %d spare %d, want %d, %d, %d",
				c.name,
				p.Needed,
				p.Short,
				p.Surplus,
				c.needed,
				c.short,
				c.surplus,
			)
		}
	}
}
