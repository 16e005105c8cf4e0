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
	m.hardware = &demand.Hardware{Machines: make(map[int64]*demand.Machine, len(m.Devices)),
		Clusters: map[string][]int64{}}
	all := make([]demand.Machine, len(m.Devices))
	byCode := make(map[string]int64, len(m.Devices))
	for i := range m.Devices {
		byCode[m.Devices[i].Code] = m.Devices[i].ID
	}
	for i := range m.Devices {
		d := &m.Devices[i]
		all[i] = demand.Machine{
			Device:       d.ID,
			Kind:         d.Kind,
			Fresh:        settings.Age(d, evidence.OfSoftware, m.At) == evidence.Fresh,
			Place:        entitle.Place{Unit: d.OrgUnit, Country: d.Country},
			Processors:   d.Processors,
			Cores:        d.Cores,
			VirtualCores: d.VirtualCores,
			Factor:       coreFactor(d.CoreFactor),
			Host:         byCode[d.HostID],
			Cluster:      d.Cluster,
			Pinned:       d.Pinned == evidence.Yes,
		}
		if d.Kind == evidence.VMHost && d.Cluster != "" && d.Status == evidence.InService {
			m.hardware.Clusters[d.Cluster] = append(m.hardware.Clusters[d.Cluster], d.ID)
		}
		m.hardware.Machines[d.ID] = &all[i]
	}
	// Where virtual machines were within the window: each state that lists gave holds from the one before it.
	from := (asOf - civil.Day(settings.DemandDays)).EndUnix()
	were, err := DevicesWere(tx, from)
	if err != nil {
		return err
	}
	since := map[int64]int64{}
	for _, w := range were {
		if x := m.hardware.Machines[w.Device]; x != nil && since[w.Device] <= m.At && byCode[w.HostID] != 0 {
			x.SeenOn = append(x.SeenOn, byCode[w.HostID])
		}
		since[w.Device] = w.Until
	}
	for i := range all {
		if x := &all[i]; len(x.SeenOn) > 0 && x.Host != 0 {
			x.SeenOn = append(x.SeenOn, x.Host)
		}
	}
	return nil
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
