package demand

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
)

// One is a core factor of 1: factors are in ten-thousandths of a licence for a core.
const One = 10_000

// Machine is what licences by processor, core and virtual machine depend on. A number that is not known is 0.
type Machine struct {
	Device                          int64
	Kind                            evidence.DeviceKind
	Fresh                           bool
	Place                           entitle.Place
	Processors, Cores, VirtualCores int64
	Factor                          int64 // core factor in ten-thousandths; 0 is One
	Host                            int64 // of a virtual machine, 0 where it is not known
	Cluster                         string
	Pinned                          bool
	SeenOn                          []int64 // hosts that it was seen on in the window, the present one included
}

// Virtual reports whether the machine runs on a host.
func (m *Machine) Virtual() bool { return m.Kind == evidence.VirtualMachine || m.Host != 0 }

// Hardware has all machines by device, and the hosts of each cluster.
type Hardware struct {
	Machines map[int64]*Machine
	Clusters map[string][]int64
}

// Machine returns a machine, nil where it is not known.
func (p *Hardware) Machine(device int64) *Machine {
	if p == nil {
		return nil
	}
	return p.Machines[device]
}

// Virtual reports whether a device of a kind runs on a host.
func (p *Hardware) Virtual(device int64, kind evidence.DeviceKind) bool {
	m := p.Machine(device)
	return m != nil && m.Virtual() || m == nil && kind == evidence.VirtualMachine
}

// Guest is a virtual machine that makes demand on a host. Cores are its virtual cores, 0 where they are not known.
type Guest struct{ Device, Cores int64 }

// Cores says how the count of one machine came about.
type Cores struct {
	Metric     entitle.Metric
	Machine    *Machine // nil where the machine is not known
	Terms      entitle.Terms
	Guests     []Guest
	Why        string // physical, host, cluster, virtual cores, host not known
	Sum, Count int64  // before the factor; whole licences
}

// machines counts processors or cores. A physical machine counts by itself, and a virtual machine as its host; where
// it may move within a cluster, as every host of it. Under sub-capacity a virtual machine counts with its virtual
// cores on each host that it was seen on in the window, at most the cores of that host. A machine counts once.
func (f *Found) machines(m entitle.Metric, terms entitle.Terms) Demand {
	type load struct {
		unit  Unit
		cores Cores
		sets  []*Set
		whole bool
	}
	var order []int64
	at := map[int64]*load{}
	on := func(device int64, i int32, why string, whole bool, guest *Guest) {
		l := at[device]
		h := &f.Holdings[i]
		if l == nil {
			l = &load{
				unit:  Unit{Device: device, Kind: h.Kind, Place: h.Place},
				cores: Cores{Metric: m, Machine: f.Hardware.Machine(device), Terms: terms, Why: why},
			}
			if x := l.cores.Machine; x != nil {
				l.unit.Kind, l.unit.Place = x.Kind, x.Place
			}
			at[device] = l
			order = append(order, device)
		}
		if whole && !l.whole {
			l.cores.Why = why
		}
		l.whole = l.whole || whole
		l.unit.Fresh = l.unit.Fresh || h.Fresh
		l.unit.Holdings = append(l.unit.Holdings, i)
		l.sets = append(l.sets, h.Set)
		if guest != nil && !slices.Contains(l.cores.Guests, *guest) {
			l.cores.Guests = append(l.cores.Guests, *guest)
		}
	}
	for i := range f.Holdings {
		h, k := &f.Holdings[i], int32(i)
		x := f.Hardware.Machine(h.Device)
		if !f.Hardware.Virtual(h.Device, h.Kind) {
			on(h.Device, k, "physical", true, nil)
			continue
		}
		guest := &Guest{Device: h.Device}
		var hosts []int64
		why, whole := "virtual cores", false
		if x != nil {
			guest.Cores = x.VirtualCores
			hosts = x.SeenOn
			if x.Host != 0 && !slices.Contains(hosts, x.Host) {
				hosts = append(slices.Clone(hosts), x.Host)
			}
			if !terms.Sub {
				why, whole, hosts = "host", true, nil
				if x.Host != 0 {
					hosts = []int64{x.Host}
				}
				cluster := x.Cluster
				if host := f.Hardware.Machine(x.Host); cluster == "" && host != nil {
					cluster = host.Cluster
				}
				if all := f.Hardware.Clusters[cluster]; cluster != "" && !x.Pinned && len(all) > 0 {
					why, hosts = "cluster", all
				}
			}
		}
		if len(hosts) == 0 {
			on(h.Device, k, "host not known", true, nil)
			continue
		}
		for _, host := range hosts {
			on(host, k, why, whole, guest)
		}
	}
	slices.Sort(order)
	var d Demand
	for _, device := range order {
		l := at[device]
		l.cores.count(l.whole)
		l.unit.Set, l.unit.Count = f.Sets.Union(l.sets), l.cores.Count
		l.unit.Why = l.cores.Why
		l.unit.Cores = &l.cores
		slices.SortFunc(l.cores.Guests, func(a, b Guest) int { return cmp.Compare(a.Device, b.Device) })
		d.Units = append(d.Units, l.unit)
	}
	return d
}

// size is the machine's processors and cores, with what is not known filled in by the least that it can be. A virtual
// machine whose host is not known counts with its virtual cores.
func (c *Cores) size() (processors, cores int64) {
	if c.Machine == nil {
		return 1, 1
	}
	processors, cores = max(1, c.Machine.Processors), c.Machine.Cores
	if c.Machine.Virtual() {
		cores = cmp.Or(c.Machine.VirtualCores, cores)
	}
	return processors, max(cores, processors)
}

// Known reports whether the cores of the machine are known.
func (c *Cores) Known() bool {
	return c.Machine != nil && (c.Machine.Cores > 0 || c.Machine.Virtual() && c.Machine.VirtualCores > 0)
}

func (c *Cores) factor() int64 {
	if c.Machine == nil || c.Machine.Factor == 0 {
		return One
	}
	return c.Machine.Factor
}

// alike is a number of processors that have as many cores each.
type alike struct{ processors, cores int64 }

// each splits the machine's cores over its processors: the cores divided by the processors, the remainder spread one
// each. So there are at most two sorts of processors, however many a source says there are.
func (c *Cores) each() []alike {
	processors, cores := c.size()
	out := []alike{{cores % processors, cores/processors + 1}, {processors - cores%processors, cores / processors}}
	return slices.DeleteFunc(out, func(a alike) bool { return a.processors == 0 })
}

// guests sums the virtual cores of the guests. One whose cores are not known counts as all cores of the host.
func (c *Cores) guests() int64 {
	_, cores := c.size()
	sum := int64(0)
	for _, g := range c.Guests {
		sum += cmp.Or(g.Cores, cores)
	}
	return sum
}

func (c *Cores) count(whole bool) {
	processors, cores := c.size()
	switch {
	case c.Metric == entitle.Processor:
		c.Sum, c.Count = processors, processors
		return
	case whole:
		for _, a := range c.each() {
			c.Sum += a.processors * max(c.Terms.PerProcessor, a.cores)
		}
		c.Sum = max(c.Terms.PerServer, c.Sum)
	default:
		c.Sum = min(c.guests(), cores)
		if !c.Known() {
			c.Sum = max(1, c.guests())
		}
	}
	c.Count = (c.Sum*c.factor() + One - 1) / One
}

// CalcStep is one step of a calculation: what is done, and what comes out.
type CalcStep struct {
	What   string
	Result string
}

// Lines writes the calculation down, step by step.
func (c *Cores) Lines() []CalcStep {
	processors, cores := c.size()
	var out []CalcStep
	say := func(result int64, format string, args ...any) {
		out = append(out, CalcStep{fmt.Sprintf(format, args...), strconv.FormatInt(result, 10)})
	}
	if !c.Known() && c.Metric == entitle.Core {
		out = append(
			out,
			CalcStep{"its cores are not known: counted as the least that it can have", strconv.FormatInt(cores, 10)},
		)
	}
	switch {
	case c.Metric == entitle.Processor:
		if c.Machine == nil || c.Machine.Processors == 0 {
			say(1, "its processors are not known: at least")
		} else {
			say(processors, "processors")
		}
		return out
	case c.Why == "virtual cores":
		for _, g := range c.Guests {
			if g.Cores == 0 {
				say(cores, "a virtual machine whose cores are not known: all of the host")
			}
		}
		say(c.guests(), "virtual cores of %s", plural(int64(len(c.Guests)), "virtual machine"))
		if c.Known() {
			say(c.Sum, "at most the %d cores of the host", cores)
		}
	default:
		sum := int64(0)
		var parts []string
		for _, a := range c.each() {
			sum += a.processors * max(c.Terms.PerProcessor, a.cores)
			parts = append(parts, fmt.Sprintf("%d × %d", a.processors, max(c.Terms.PerProcessor, a.cores)))
		}
		text := fmt.Sprintf("%s with %s", plural(processors, "processor"), plural(cores, "core"))
		if c.Terms.PerProcessor > 0 {
			text += fmt.Sprintf(", at least %d each", c.Terms.PerProcessor)
		}
		say(sum, "%s: %s", text, strings.Join(parts, " + "))
		if c.Terms.PerServer > 0 {
			say(c.Sum, "at least %d for a server", c.Terms.PerServer)
		}
	}
	if f := c.factor(); f != One {
		product := strconv.FormatFloat(float64(c.Sum*f)/One, 'f', -1, 64)
		out = append(out, CalcStep{"times core factor " + strconv.FormatFloat(float64(f)/One, 'f', -1, 64), product})
		if c.Sum*f%One != 0 {
			say(c.Count, "rounded up to whole licences")
		}
	}
	return out
}

func plural(n int64, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// Packs is what there is to buy for so many of a metric.
func Packs(n, size int64) int64 {
	if size < 2 {
		return n
	}
	return (n + size - 1) / size
}
