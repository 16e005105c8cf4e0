package snapshot

import (
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/own"
	"ensomet/internal/sqlite"
)

// ConditionFacts is what conditions on devices are asked of: the titles that they mention with the devices that have
// them, and the groups.
type ConditionFacts struct {
	Settings *Settings
	Now      int64
	Sets     map[string]*condition.Set
	Ids      map[string]int64
	has      map[int64]map[int64]bool     // by product, the devices
	users    map[string]map[string]string // fields of the house's own, where conditions ask for those of main users
}

// LoadConditions loads the groups, and what they and more conditions mention.
func LoadConditions(tx *sqlite.Tx, settings *Settings, now int64, more []condition.Condition) (*ConditionFacts,
	error) {
	return LoadConditionsOn(tx, settings, now, more, nil)
}

// LoadConditionsOn loads what conditions mention as they are asked of some devices; nil is all.
func LoadConditionsOn(tx *sqlite.Tx, settings *Settings, now int64, more []condition.Condition, devices []int64) (
	*ConditionFacts, error) {
	groups, err := DeviceGroups(tx)
	if err != nil {
		return nil, err
	}
	c := &ConditionFacts{
		Settings: settings,
		Now:      now,
		Sets:     map[string]*condition.Set{},
		Ids:      map[string]int64{},
		has:      map[int64]map[int64]bool{},
	}
	var titles []int64
	for i := range groups {
		g := &groups[i]
		c.Sets[g.Name], c.Ids[g.Name] = &g.Set, g.ID
		titles = append(titles, g.Condition.Titles()...)
	}
	users := false
	for _, m := range more {
		titles = append(titles, m.Titles()...)
		users = users || m.AsksUser()
	}
	for i := range groups {
		users = users || groups[i].Condition.AsksUser()
	}
	if users {
		if c.users, err = own.OfUsers(tx); err != nil {
			return nil, err
		}
	}
	slices.Sort(titles)
	for _, id := range slices.Compact(titles) {
		if c.has[id], err = DevicesWith(tx, id, now, devices); err != nil {
			return nil, err
		}
	}
	return c, nil
}

// Asked is what conditions on the snapshot's devices are asked of, with what some more conditions mention.
func (e *Snapshot) Asked(tx *sqlite.Tx, more []condition.Condition) (*ConditionFacts, error) {
	c := e.Conditions
	var devices []int64
	if e.part != nil {
		for i := range e.Devices {
			devices = append(devices, e.Devices[i].ID)
		}
	}
	var err error
	for _, m := range more {
		if m.AsksUser() && c.users == nil {
			if c.users, err = own.OfUsers(tx); err != nil {
				return nil, err
			}
		}
		for _, id := range m.Titles() {
			if c.has[id] != nil {
				continue
			}
			if c.has[id], err = DevicesWith(tx, id, c.Now, devices); err != nil {
				return nil, err
			}
		}
	}
	return c, nil
}

// Titles lists the products that the conditions mention.
func (c *ConditionFacts) Titles() []int64 { return slices.Sorted(maps.Keys(c.has)) }

// deviceFacts answers conditions for one device.
type deviceFacts struct {
	d *DeviceFacts
	c *ConditionFacts
}

func (c *ConditionFacts) Of(d *DeviceFacts) condition.Facts {
	return condition.WithGroups(d.ID, deviceFacts{d, c}, c.Sets)
}

// Text returns a fact of the device.
func (f deviceFacts) Text(field string) string {
	d := f.d
	if name, own := strings.CutPrefix(field, condition.UserField); own {
		return f.c.users[d.PrimaryUser][name]
	}
	if name, own := strings.CutPrefix(field, condition.OwnField); own {
		values, _ := sqlite.Fields(d.Custom) // what cannot be read has none
		return values[name]
	}
	switch field {
	case "name":
		return d.Name
	case "unit":
		return d.OrgUnit
	case "site":
		return d.Site
	case "country":
		return d.Country
	case "environment":
		return string(d.Environment)
	case "kind":
		return string(d.Kind)
	case "status":
		return string(d.Status)
	case "directory_path":
		return d.DirectoryPath
	case "user":
		return d.PrimaryUser
	case "network":
		return d.IPAddress
	case "hosting":
		return d.Hosting
	case "os":
		return d.OS()
	case "portable":
		return string(d.Portable)
	case "cluster":
		return d.Cluster
	case "age":
		return string(f.c.Settings.Age(d, evidence.OfSoftware, f.c.Now))
	}
	return ""
}

// Number returns a figure of the device.
func (f deviceFacts) Number(field string) int64 {
	return map[string]int64{"processors": f.d.Processors, "cores": f.d.Cores, "virtual_cores": f.d.VirtualCores,
		"memory_mb": f.d.MemoryMB}[field]
}

// Has reports whether the product is on the device.
func (f deviceFacts) Has(product int64) bool { return f.c.has[product][f.d.ID] }

// In is answered by condition.WithGroups.
func (f deviceFacts) In(string) bool { return false }

// Members works out who is in which group.
func (c *ConditionFacts) Members(devices []DeviceFacts) []Member {
	var out []Member
	names := make([]string, 0, len(c.Sets))
	for name := range c.Sets {
		names = append(names, name)
	}
	slices.Sort(names)
	for i := range devices {
		f := c.Of(&devices[i])
		for _, name := range names {
			if f.In(name) {
				out = append(out, Member{Group: c.Ids[name], Device: devices[i].ID})
			}
		}
	}
	return out
}
