package demand

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"ensomet/internal/core/entitle"
)

func coresOf(m *Machine, l entitle.Line) int64 {
	s := Sets{}
	f := &Found{
		Sets:     s,
		Hardware: &Hardware{Machines: map[int64]*Machine{m.Device: m}},
		Holdings: []Holding{{Bearer: &Bearer{Device: m.Device, Kind: m.Kind}, Set: s.Of([]Priced{{}})}},
	}
	d := Of(entitle.Core, f, []*entitle.Line{&l})
	return d.Units[0].Count
}

// Core counting as published core licensing guides have it (from memory), with minimums of 8 for a processor and 16
// for a server and packs of two; and a factor without minimums.
func TestCoresPublished(t *testing.T) {
	guide := entitle.Line{Metric: entitle.Core, MinPerProcessor: 8, MinPerServer: 16, PackSize: 2}
	for _, c := range []struct {
		processors, cores, factor int64
		line                      entitle.Line
		want, packs               int64
	}{
		{2, 8, 0, guide, 16, 8},
		{1, 24, 0, guide, 24, 12},
		{4, 24, 0, guide, 32, 16},
		{1, 6, 0, guide, 16, 8},
		{2, 12, 5000, entitle.Line{Metric: entitle.Core}, 6, 6},
		// The following are worked out from the formula.
		{2, 13, 5000, entitle.Line{Metric: entitle.Core}, 7, 7}, // 6.5 is rounded up
		{2, 17, 0, guide, 17, 9},                                // 9 + 8
		{3, 10, 0, entitle.Line{MinPerProcessor: 4}, 12, 12},    // 4 + 3 + 3, at least 4 each
		{0, 0, 0, guide, 16, 8},                                 // nothing known: the least
		{0, 10, 0, entitle.Line{MinPerProcessor: 8}, 10, 10},    // one processor at least
		{2, 16, 2500, entitle.Line{MinPerServer: 20}, 5, 5},     // the factor comes after the minimums
		{1, 64, 0, entitle.Line{MinPerProcessor: 8, PackSize: 16}, 64, 4},
	} {
		got := coresOf(
			&Machine{Device: 1, Kind: "server", Processors: c.processors, Cores: c.cores, Factor: c.factor},
			c.line,
		)
		if got != c.want || Packs(got, c.line.PackSize) != c.packs {
			t.Errorf(
				"%d processors, %d cores: %d cores in %d packs, want %d in %d",
				c.processors,
				c.cores,
				got,
				Packs(got, c.line.PackSize),
				c.want,
				c.packs,
			)
		}
	}
}

func TestVirtualMachines(t *testing.T) {
	s := Sets{}
	set := s.Of([]Priced{{}})
	host := func(id, cores int64, cluster string) *Machine {
		return &Machine{Device: id, Kind: "vm_host", Processors: 2, Cores: cores, Cluster: cluster}
	}
	vm := func(id, host, cores int64, cluster string, pinned bool, seen ...int64) *Machine {
		return &Machine{
			Device:       id,
			Kind:         "virtual_machine",
			Host:         host,
			VirtualCores: cores,
			Cluster:      cluster,
			Pinned:       pinned,
			SeenOn:       seen,
		}
	}
	hosts := []*Machine{host(100, 16, "K"), host(101, 32, "K"), host(102, 24, "K"), host(200, 8, "")}
	full, sub := entitle.Line{Metric: entitle.Core}, entitle.Line{Metric: entitle.Core, Capacity: "sub"}
	for _, c := range []struct {
		name string
		line entitle.Line
		vms  []*Machine
		own  []int64 // hosts that have it themselves
		want string
	}{
		{"a pinned machine takes its host", full, []*Machine{vm(1, 100, 4, "K", true)}, nil, "100:16"},
		{"a moving one takes every host of the cluster", full, []*Machine{vm(1, 100, 4, "K", false)}, nil,
			"100:16 101:32 102:24"},
		{"each host once", full, []*Machine{vm(1, 100, 4, "K", false), vm(2, 101, 4, "K", true)}, nil,
			"100:16 101:32 102:24"},
		{"the cluster is known from the host alone", full, []*Machine{vm(1, 102, 4, "", false)}, nil,
			"100:16 101:32 102:24"},
		{"no cluster", full, []*Machine{vm(1, 200, 2, "", false)}, nil, "200:8"},
		{"virtual cores on a host", sub, []*Machine{vm(1, 200, 2, "", false), vm(2, 200, 3, "", false)}, nil, "200:5"},
		{"never more than the host has", sub, []*Machine{vm(1, 200, 6, "", false), vm(2, 200, 6, "", false)}, nil,
			"200:8"},
		{"seen on two hosts, it counts on both", sub, []*Machine{vm(1, 101, 4, "K", false, 100, 101)}, nil,
			"100:4 101:4"},
		{"a host that has it counts as a physical server", sub, []*Machine{vm(1, 100, 4, "K", false)}, []int64{100},
			"100:16"},
		{"a host that nobody knows", full, []*Machine{vm(1, 0, 6, "", false)}, nil, "1:6"},
		{"virtual cores that nobody knows", sub, []*Machine{vm(1, 200, 0, "", false)}, nil, "200:8"},
	} {
		f := &Found{
			Sets:     s,
			Hardware: &Hardware{Machines: map[int64]*Machine{}, Clusters: map[string][]int64{"K": {100, 101, 102}}},
		}
		for _, h := range hosts {
			f.Hardware.Machines[h.Device] = h
		}
		for _, m := range c.vms {
			f.Hardware.Machines[m.Device] = m
			f.Holdings = append(f.Holdings, Holding{Bearer: &Bearer{Device: m.Device, Kind: m.Kind}, Set: set})
		}
		for _, id := range c.own {
			f.Holdings = append(f.Holdings, Holding{Bearer: &Bearer{Device: id, Kind: "vm_host"}, Set: set})
		}
		got := ""
		for _, u := range Of(entitle.Core, f, []*entitle.Line{&c.line}).Units {
			got += fmt.Sprintf(" %d:%d", u.Device, u.Count)
			lines := u.Cores.Lines()
			if len(lines) == 0 || lines[len(lines)-1].Result != fmt.Sprint(u.Count) {
				t.Errorf("%s: the calculation ends in %+v, not in %d", c.name, lines, u.Count)
			}
		}
		if got != " "+c.want {
			t.Errorf("%s:%s, want %s", c.name, got, c.want)
		}
	}
	f := &Found{
		Sets:     s,
		Hardware: &Hardware{Machines: map[int64]*Machine{1: vm(1, 100, 4, "", false), 100: hosts[0]}},
		Holdings: []Holding{
			{Bearer: &Bearer{Device: 1, Kind: "virtual_machine"}, Set: set},
			{Bearer: &Bearer{Device: 7, Kind: "client"}, Set: set},
		},
	}
	if d := Of(entitle.VirtualMachine, f, nil); len(d.Units) != 1 || len(d.Outside) != 1 {
		t.Errorf("one virtual machine and one that is none: %+v", d)
	}
	if d := Of(entitle.Processor, f, nil); len(d.Units) != 2 || d.Units[1].Count != 2 {
		t.Errorf("the host's two processors and the client's one: %+v", d.Units)
	}
}

// A calculation as it is read.
func TestCalculationInWords(t *testing.T) {
	c := Cores{
		Metric:  entitle.Core,
		Machine: &Machine{Kind: "server", Processors: 2, Cores: 9, Factor: 5000},
		Terms:   entitle.Terms{PerProcessor: 4, PerServer: 11},
		Why:     "physical",
	}
	c.count(true)
	want := "[{2 processors with 9 cores, at least 4 each: 1 × 5 + 1 × 4 9} {at least 11 for a server 11} {times " +
		"core factor 0.5 5.5} {rounded up to whole licences 6}]"
	if got := fmt.Sprint(c.Lines()); got != want || c.Count != 6 {
		t.Errorf("%s, count %d", got, c.Count)
	}
}

// Full capacity against a plain walk over hosts, on random plants.
func TestFullCapacityAgainstAWalk(t *testing.T) {
	for seed := range uint64(500) {
		r := rand.New(rand.NewPCG(seed, 4))
		s := Sets{}
		f := &Found{Sets: s, Hardware: &Hardware{Machines: map[int64]*Machine{}, Clusters: map[string][]int64{}}}
		for id := int64(100); id < 106; id++ {
			m := &Machine{
				Device:     id,
				Kind:       "vm_host",
				Processors: int64(1 + r.IntN(3)),
				Cores:      int64(1 + r.IntN(40)),
				Cluster:    []string{"", "K", "L"}[r.IntN(3)],
			}
			f.Hardware.Machines[id] = m
			if m.Cluster != "" {
				f.Hardware.Clusters[m.Cluster] = append(f.Hardware.Clusters[m.Cluster], id)
			}
		}
		need := map[int64]bool{}
		for id := int64(1); id < 8; id++ {
			m := &Machine{Device: id, Kind: "virtual_machine", Host: int64(100 + r.IntN(6)), Pinned: r.IntN(2) == 0}
			f.Hardware.Machines[id] = m
			f.Holdings = append(f.Holdings,
				Holding{Bearer: &Bearer{Device: id, Kind: m.Kind}, Set: s.Of([]Priced{{}})})
			cluster := f.Hardware.Machines[m.Host].Cluster
			for h := int64(100); h < 106; h++ {
				if h == m.Host || !m.Pinned && cluster != "" && f.Hardware.Machines[h].Cluster == cluster {
					need[h] = true
				}
			}
		}
		minimum := int64(r.IntN(10))
		want := int64(0)
		for h := range need {
			x := f.Hardware.Machines[h]
			left, sum := x.Cores, int64(0)
			if left < x.Processors {
				left = x.Processors
			}
			for p := x.Processors; p > 0; p-- {
				part := (left + p - 1) / p
				left -= part
				sum += max(minimum, part)
			}
			want += sum
		}
		got := int64(0)
		for _, u := range Of(entitle.Core, f,
			[]*entitle.Line{{Metric: entitle.Core, MinPerProcessor: minimum}}).Units {
			got += u.Count
		}
		if got != want {
			t.Fatalf("seed %d: %d cores, a walk finds %d", seed, got, want)
		}
	}
}
