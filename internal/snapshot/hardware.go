package snapshot

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// loadHardware gathers what licences by processor, core and virtual machine depend on.
func (m *Inventory) loadHardware(tx *sqlite.Tx, settings *Settings, asOf civil.Day) error {
	m.hardware.Machines = make(map[int64]*demand.Machine, len(m.Devices))
	all := make([]demand.Machine, len(m.Devices))
	for i := range m.Devices {
		d := &m.Devices[i]
		all[i] = machine(d, settings, m.At)
		m.hardware.Machines[d.ID] = &all[i]
		if d.hosts() {
			m.hardware.Clusters[d.Cluster] = append(m.hardware.Clusters[d.Cluster], d.ID)
		}
	}
	were, err := DevicesWere(tx, seenSince(settings, asOf))
	if err == nil {
		m.putOnHosts(0, len(m.Devices), were)
	}
	return err
}

// seenSince is from when on it counts where virtual machines were, in seconds since 1970.
func seenSince(settings *Settings, asOf civil.Day) int64 {
	return (asOf - civil.Day(settings.DemandDays)).EndUnix()
}

// machine is a device as licences by processor and core see it, of which it is not said yet where it runs.
func machine(d *DeviceFacts, settings *Settings, now int64) demand.Machine {
	return demand.Machine{
		Device:       d.ID,
		Kind:         d.Kind,
		Fresh:        settings.Age(d, evidence.OfSoftware, now) == evidence.Fresh,
		Place:        entitle.Place{Unit: d.OrgUnit, Country: d.Country},
		Processors:   d.Processors,
		Cores:        d.Cores,
		VirtualCores: d.VirtualCores,
		Factor:       coreFactor(d.CoreFactor),
		Cluster:      d.Cluster,
		Pinned:       d.Pinned == evidence.Yes,
	}
}

// hosts reports whether virtual machines of its cluster may move to the device.
func (d *DeviceFacts) hosts() bool {
	return d.Kind == evidence.VMHost && d.Cluster != "" && d.Status == evidence.InService
}

// putOnHosts says of the devices from a place up to another on which hosts they are, and were within the window: each
// state that lists gave holds from the one before it.
func (m *Inventory) putOnHosts(from, to int, were []DeviceWas) {
	for i := from; i < to; i++ {
		d := &m.Devices[i]
		m.hardware.Machines[d.ID].Host = m.deviceOf[d.HostID]
	}
	since := map[int64]int64{}
	for _, w := range were {
		x := m.hardware.Machines[w.Device]
		if x != nil && since[w.Device] <= m.At && m.deviceOf[w.HostID] != 0 {
			x.SeenOn = append(x.SeenOn, m.deviceOf[w.HostID])
		}
		since[w.Device] = w.Until
	}
	for i := from; i < to; i++ {
		if x := m.hardware.Machines[m.Devices[i].ID]; len(x.SeenOn) > 0 && x.Host != 0 {
			x.SeenOn = append(x.SeenOn, x.Host)
		}
	}
}

// coreFactor reads a factor in ten-thousandths; 0 where there is none, or none that can be meant.
func coreFactor(text string) int64 {
	d, err := decimal.NewFromString(text)
	if err != nil || !d.IsPositive() {
		return 0
	}
	return d.Mul(decimal.NewFromInt(demand.One)).Round(0).IntPart()
}

// Machine is what licences by processor and core depend on of a device; nil where it is not there.
func (m *Inventory) Machine(device int64) *demand.Machine { return m.hardware.Machine(device) }

// HostsOf are the hosts of a cluster.
func (m *Inventory) HostsOf(cluster string) []int64 { return m.hardware.Clusters[cluster] }
