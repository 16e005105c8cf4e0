package position

import (
	"cmp"
	"context"
	"slices"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/position"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// MachineView is what licences by processor and core depend on of a device, and every licence that they need for it.
// A number that is not known is 0.
type MachineView struct {
	Virtual                         bool // it runs on a host, known or not
	Processors, Cores, VirtualCores int64
	Factor                          int64 // core factor in ten-thousandths
	Pinned                          bool  // it stays on its host
	Host                            GuestView
	SeenOn                          []GuestView // other hosts that it was seen on in the window of demand
	Cluster                         string      // its own, or that of its host
	ClusterHosts                    int64
	Guests                          []GuestView // what runs on it now, with its virtual cores
	Charges                         []ChargeView
	Done, Titles                    int   // how many of the titles that may be charged were worked out so far
	Next                            int64 // asks for those of further titles; 0 is none
}

// ChargeView is what one product needs by processors or cores of one machine: of the device itself, or of one that
// counts because of the device.
type ChargeView struct {
	ProductID          int64
	Publisher, Product string
	Here               bool // it counts on the device itself
	Metric             string
	Unit               UnitView
}

// chargedAtOnce is of how many installs at most charges are worked out in one answer, of one title at least: whole
// positions have to be, since what covers a machine depends on all others.
const chargedAtOnce = 10_000

// Charges lists licences by processor or core that a device is asked for, and those that other machines are asked for
// because of it, with the calculation of each, as of today: of the first titles after one, by number, and Next asks for
// more.
func (svc *Service) Charges(ctx context.Context, code string, after int64) (MachineView, error) {
	out := MachineView{SeenOn: []GuestView{}, Guests: []GuestView{}, Charges: []ChargeView{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		device, err := snapshot.FindDevice(tx, code)
		if err != nil {
			return err
		}
		if device == 0 {
			return sqlite.ErrNotFound
		}
		counted, err := positiondb.CountedByMachine(tx, device)
		if err != nil {
			return err
		}
		if len(counted) == 0 {
			// of most machines there is nothing to say, and no need to read what all the others are
			alone, err := positiondb.StandsAlone(tx, device)
			if err != nil || alone {
				return err
			}
		}
		products := out.next(counted, after, svc.chargedAtOnce())
		e, err := svc.Snapshots.LoadToday(tx, products)
		if err != nil {
			return err
		}
		guests, err := positiondb.Guests(tx, device)
		if err != nil {
			return err
		}
		if err := e.Need(tx, append([]int64{device}, guests...), nil); err != nil {
			return err
		}
		ways, err := snapshot.Ways(tx, 0)
		if err != nil {
			return err
		}
		out.machine(e, device, guests)
		for _, f := range e.Ordered() {
			if !slices.Contains(products, f.Id) {
				continue // a suite or a part of one, which it was loaded with
			}
			positions := e.Compute(f, ways[f.Id])
			for i := range positions {
				p := &positions[i]
				p.Units = slices.DeleteFunc(slices.Clone(p.Units), func(u position.UnitResult) bool {
					return u.Cores == nil || u.Device != device &&
						!slices.ContainsFunc(u.Cores.Guests, func(g demand.Guest) bool { return g.Device == device })
				})
				for j, u := range unitViews(e, f, positions[i:i+1], "", 0) {
					out.Charges = append(out.Charges, ChargeView{f.Id, f.Product.Publisher, f.Product.Name,
						p.Units[j].Device == device, string(p.Metric), u})
				}
			}
		}
		return nil
	})
	return out, err
}

func (svc *Service) chargedAtOnce() int64 { return cmp.Or(svc.ChargedAtOnce, chargedAtOnce) }

// next takes the titles that one answer is about, by number.
func (m *MachineView) next(counted []positiondb.Counted, after, most int64) []int64 {
	products := []int64{}
	installs := int64(0)
	m.Titles = len(counted)
	for _, c := range counted {
		if c.ProductID > after {
			if installs += c.Counted; installs > most && len(products) > 0 {
				m.Next = products[len(products)-1]
				break
			}
			products = append(products, c.ProductID)
		}
		m.Done++
	}
	return products
}

// machine says what the hardware of a device is, and what it runs on and beside.
func (m *MachineView) machine(e *snapshot.Snapshot, device int64, guests []int64) {
	x := e.Machine(device)
	if x == nil {
		return
	}
	named := func(id int64) GuestView {
		if d, ok := e.DeviceAt[id]; ok {
			return GuestView{e.Devices[d].Code, e.Devices[d].Name, e.Devices[d].VirtualCores}
		}
		return GuestView{}
	}
	m.Virtual, m.Processors, m.Cores, m.VirtualCores, m.Pinned = x.Virtual(), x.Processors, x.Cores, x.VirtualCores,
		x.Pinned
	m.Host, m.Cluster = named(x.Host), x.Cluster
	on := x
	if host := e.Machine(x.Host); host != nil {
		if on = host; m.Cluster == "" {
			m.Cluster = host.Cluster
		}
	}
	if m.Factor = on.Factor; m.Factor == 0 {
		m.Factor = demand.One
	}
	m.ClusterHosts = int64(len(e.HostsOf(m.Cluster)))
	for _, host := range x.SeenOn {
		if v := named(host); host != x.Host && !slices.Contains(m.SeenOn, v) {
			m.SeenOn = append(m.SeenOn, v)
		}
	}
	for _, g := range guests {
		m.Guests = append(m.Guests, named(g))
	}
}
