package app

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// loadPlant gathers what licences by processor, core and virtual machine depend on, of machines that may matter: those in service and the hosts of others.
func (e *estate) loadPlant(tx *store.Tx) error {
	e.plant = &demand.Plant{Machines: make(map[int64]*demand.Machine, len(e.devices)), Clusters: map[string][]int64{}}
	byCode := make(map[string]int64, len(e.devices))
	for i := range e.devices {
		byCode[e.devices[i].Code] = e.devices[i].ID
	}
	for i := range e.devices {
		d := &e.devices[i]
		m := &demand.Machine{Device: d.ID, Kind: d.Kind, Fresh: e.age(d) == evidence.Fresh, Place: entitle.Place{Unit: d.OrgUnit, Country: d.Country}, Processors: d.Processors, Cores: d.Cores, VirtualCores: d.VirtualCores,
			Factor: coreFactor(d.CoreFactor), Host: byCode[d.HostID], Cluster: d.Cluster, Pinned: d.Pinned == "true"}
		if d.Kind == "vm_host" && d.Cluster != "" && d.Status == "in_service" {
			e.plant.Clusters[d.Cluster] = append(e.plant.Clusters[d.Cluster], d.ID)
		}
		e.plant.Machines[d.ID] = m
	}
	seen, err := tx.HostsSeen()
	if err != nil {
		return err
	}
	from := (e.asOf - civil.Day(e.settings.DemandDays) + 1).EndUnix() - 86400
	for i, s := range seen {
		until := e.at + 1
		if i+1 < len(seen) && seen[i+1].Device == s.Device {
			until = seen[i+1].Since
		}
		m := e.plant.Machines[s.Device]
		if m == nil || s.Since > e.at || until <= from {
			continue
		}
		if host := byCode[s.Host]; host != 0 {
			m.SeenOn = append(m.SeenOn, host)
		}
		if until > e.at { // where it was on that day
			m.Host = byCode[s.Host]
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
