package snapshot

import (
	"cmp"
	"database/sql"
	"encoding/json"
	"maps"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/persons"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// part is what an inventory of a part of the estate needs to have more of it: what is said of devices and people is
// read where it is asked for, so that a change of one device does not cost what all of them cost. What is not read is
// not there; who asks for it says so first.
type part struct {
	settings *Settings
	asOf     civil.Day
	alone    bool            // of hosts only the numbers are known
	clusters map[string]bool // of which all hosts are there
	names    map[string]bool // of people, of which it is known whom they count as
}

// partOfEstate is an inventory that has nothing yet but how many devices there are of each kind, which is kept. alone
// says that of hosts nothing but their numbers is needed.
func partOfEstate(tx *sqlite.Tx, settings *Settings, asOf civil.Day, at int64, alone bool) (*Inventory, error) {
	m := newInventory(at)
	m.part = &part{alone: alone, settings: settings, asOf: asOf, clusters: map[string]bool{}, names: map[string]bool{}}
	m.counts, m.strangers = map[string]persons.As{}, map[string]int64{}
	var err error
	m.Fleet, err = KeptFleet(tx)
	return m, err
}

// needDevices reads devices, with the hosts that licences by processor hang on, and their main users.
func (m *Inventory) needDevices(tx *sqlite.Tx, devices []int64) error {
	if m.part == nil {
		return nil
	}
	fresh := slices.DeleteFunc(stored.Distinct(slices.Clone(devices)), func(id int64) bool {
		_, known := m.DeviceAt[id]
		return known
	})
	if len(fresh) == 0 {
		return nil
	}
	list, err := readDeviceFacts(tx, m.At, fresh)
	if err != nil {
		return err
	}
	from := len(m.Devices)
	m.Devices = append(m.Devices, list...)
	for i := from; i < len(m.Devices); i++ {
		d := &m.Devices[i]
		m.DeviceAt[d.ID], m.deviceOf[d.Code] = i, d.ID
		x := machine(d, m.part.settings, m.At)
		m.hardware.Machines[d.ID] = &x
	}
	if err := m.needMainUsers(tx, from); err != nil {
		return err
	}
	return m.needHosts(tx, from, fresh)
}

// Need reads devices that somebody will ask for, by number and by device_id.
func (e *Snapshot) Need(tx *sqlite.Tx, devices []int64, codes []string) error {
	if e.part == nil {
		return nil
	}
	more, err := e.needCodes(tx, codes)
	if err != nil {
		return err
	}
	if err := e.needDevices(tx, append(slices.Clone(devices), more...)); err != nil {
		return err
	}
	e.growDevices()
	return nil
}

// Lacks reports whether a device was not read that may be there.
func (e *Snapshot) Lacks(code string) bool {
	_, known := e.deviceOf[code]
	return e.part != nil && !known
}

// LacksDevice reports whether a device was not read: it came since, or nobody asked for it.
func (e *Snapshot) LacksDevice(id int64) bool {
	_, known := e.DeviceAt[id]
	return !known
}

// needHosts reads the hosts of the devices from a place on, and those to which they may move.
func (m *Inventory) needHosts(tx *sqlite.Tx, from int, devices []int64) error {
	list, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	were, err := devicesWere(tx, someDevicesWere, seenSince(m.part.settings, m.part.asOf), string(list))
	if err != nil {
		return err
	}
	to := len(m.Devices)
	var codes []string
	clusters := map[string]bool{}
	for i := from; i < to; i++ {
		codes = append(codes, m.Devices[i].HostID)
		clusters[m.Devices[i].Cluster] = true
	}
	for _, w := range were {
		codes = append(codes, w.HostID)
	}
	hosts, err := m.needCodes(tx, codes)
	if err != nil {
		return err
	}
	if !m.part.alone {
		if err := m.needDevices(tx, hosts); err != nil {
			return err
		}
	}
	m.putOnHosts(from, to, were)
	if m.part.alone {
		return nil
	}
	return m.needClusters(tx, slices.Sorted(maps.Keys(clusters)))
}

// By what is known of a large house a status looks as rare as a cluster to SQLite, which looks at a few hundred rows of
// each index: the plus keeps it from going by status.
const hostsOfClusters = "SELECT id, cluster FROM device WHERE cluster IN (SELECT value FROM json_each(?)) " +
	"AND +kind = ? AND +status = ? ORDER BY id"

// needClusters reads the hosts of clusters.
func (m *Inventory) needClusters(tx *sqlite.Tx, clusters []string) error {
	fresh := slices.DeleteFunc(clusters, func(cluster string) bool {
		return cluster == "" || m.part.clusters[cluster]
	})
	if len(fresh) == 0 {
		return nil
	}
	for _, cluster := range fresh {
		m.part.clusters[cluster] = true
	}
	list, err := json.Marshal(fresh)
	if err != nil {
		return err
	}
	rows, err := tx.QueryContext(tx.Ctx, hostsOfClusters, string(list), string(evidence.VMHost),
		string(evidence.InService))
	if err != nil {
		return err
	}
	var hosts []int64
	if err := sqlite.Each(rows, func() error {
		var id int64
		var cluster string
		err := rows.Scan(&id, &cluster)
		m.hardware.Clusters[cluster] = append(m.hardware.Clusters[cluster], id)
		hosts = append(hosts, id)
		return err
	}); err != nil {
		return err
	}
	return m.needDevices(tx, hosts)
}

// needCodes finds devices by their device_id; those that are not there are left out.
func (m *Inventory) needCodes(tx *sqlite.Tx, codes []string) ([]int64, error) {
	var out []int64
	fresh := slices.DeleteFunc(slices.Compact(slices.Sorted(slices.Values(codes))), func(code string) bool {
		id, known := m.deviceOf[code]
		if known {
			out = append(out, id)
		}
		return known || code == ""
	})
	if m.part == nil || len(fresh) == 0 {
		return out, nil
	}
	list, err := json.Marshal(fresh)
	if err != nil {
		return nil, err
	}
	rows, err := tx.QueryContext(tx.Ctx, "SELECT id, code FROM device WHERE code IN (SELECT value FROM json_each(?))",
		string(list))
	if err != nil {
		return nil, err
	}
	return out, sqlite.Each(rows, func() error {
		var id int64
		var code string
		err := rows.Scan(&id, &code)
		m.deviceOf[code] = id
		out = append(out, id)
		return err
	})
}

// needMainUsers reads the main users of the devices from a place on. One whom no list of users has is a user all the
// same.
func (m *Inventory) needMainUsers(tx *sqlite.Tx, from int) error {
	var names []string
	for i := from; i < len(m.Devices); i++ {
		names = append(names, m.Devices[i].PrimaryUser)
	}
	if err := m.needNames(tx, names); err != nil {
		return err
	}
	var strangers []string
	for i := from; i < len(m.Devices); i++ {
		user := m.countsAs(m.Devices[i].PrimaryUser)
		if _, known := m.personAt[user]; user != "" && !known {
			strangers = append(strangers, user)
		}
	}
	m.addStrangers(strangers)
	return nil
}

// needNames reads whom names count as, what lists of users say of these people, and where they belong.
func (m *Inventory) needNames(tx *sqlite.Tx, names []string) error {
	if m.part == nil {
		return nil
	}
	fresh := slices.DeleteFunc(slices.Compact(slices.Sorted(slices.Values(names))), func(name string) bool {
		return name == "" || m.part.names[name]
	})
	if len(fresh) == 0 {
		return nil
	}
	as, err := persons.CountAs(tx, fresh)
	if err != nil {
		return err
	}
	read := slices.Clone(fresh)
	var keys []string
	for _, name := range fresh {
		m.part.names[name] = true
		if a, known := as[name]; known && (a.Key != name || a.Nobody) {
			m.counts[name] = a
		}
		if key := m.countsAs(name); key != "" {
			keys = append(keys, key)
			if key != name && !m.part.names[key] {
				m.part.names[key] = true
				read = append(read, key)
			}
		}
	}
	list, err := json.Marshal(read)
	if err != nil {
		return err
	}
	listed, err := sqlite.Select[PersonFacts](tx, selectPersons+
		" WHERE code IN (SELECT value FROM json_each(?)) ORDER BY id", string(list))
	if err != nil {
		return err
	}
	from := len(m.persons)
	for _, p := range listed {
		if _, known := m.personAt[p.Code]; !known {
			m.personAt[p.Code] = len(m.persons)
			m.persons = append(m.persons, p)
		}
	}
	m.numberPersons(from)
	unlisted := slices.DeleteFunc(slices.Clone(keys), func(key string) bool {
		_, listed := m.personAt[key]
		return listed
	})
	numbers, err := strangerNumbers(tx, unlisted)
	if err != nil {
		return err
	}
	maps.Copy(m.strangers, numbers)
	return m.placeUsers(tx, keys)
}

// needPeople reads people by their numbers.
func (m *Inventory) needPeople(tx *sqlite.Tx, numbers []int64) error {
	if m.part == nil || len(numbers) == 0 {
		return nil
	}
	list, err := json.Marshal(stored.Distinct(slices.Clone(numbers)))
	if err != nil {
		return err
	}
	names, err := sqlite.Select[string](tx, "SELECT code FROM person WHERE id IN (SELECT value FROM json_each(?))",
		string(list))
	if err != nil {
		return err
	}
	return m.needNames(tx, names)
}

// placeUsers says where main users belong: where the first of their devices is.
func (m *Inventory) placeUsers(tx *sqlite.Tx, keys []string) error {
	list, err := json.Marshal(keys)
	if err != nil || len(keys) == 0 {
		return err
	}
	first := map[string]int64{}
	rows, err := tx.QueryContext(tx.Ctx, `SELECT r.counts_as, min(d.id) FROM person_record r
			JOIN device d ON d.primary_user = r.key WHERE r.counts_as IN (SELECT value FROM json_each(?1))
			AND r.nobody = 0 GROUP BY r.counts_as
		UNION ALL SELECT d.primary_user, min(d.id) FROM json_each(?1) k JOIN device d ON d.primary_user = k.value
			WHERE NOT EXISTS (SELECT 1 FROM person_record r WHERE r.key = k.value AND r.counts_as <> '')
			GROUP BY d.primary_user`, string(list))
	if err != nil {
		return err
	}
	if err := sqlite.Each(rows, func() error {
		var key string
		var id int64
		err := rows.Scan(&key, &id)
		if was, known := first[key]; !known || id < was {
			first[key] = id
		}
		return err
	}); err != nil || len(first) == 0 {
		return err
	}
	at, unread := map[int64]entitle.Place{}, []int64{}
	for _, id := range first {
		if i, read := m.DeviceAt[id]; read {
			at[id] = entitle.Place{Unit: m.Devices[i].OrgUnit, Country: m.Devices[i].Country}
		} else {
			unread = append(unread, id)
		}
	}
	if len(unread) > 0 {
		facts, err := readDeviceFacts(tx, m.At, stored.Distinct(unread))
		if err != nil {
			return err
		}
		for i := range facts {
			at[facts[i].ID] = entitle.Place{Unit: facts[i].OrgUnit, Country: facts[i].Country}
		}
	}
	for key, id := range first {
		m.places[key] = at[id]
	}
	return nil
}

// addStrangers adds users whom no list of users has.
func (m *Inventory) addStrangers(names []string) {
	for _, name := range slices.Compact(slices.Sorted(slices.Values(names))) {
		i := len(m.persons)
		m.personAt[name] = i
		m.persons = append(m.persons, stranger(name, cmp.Or(m.strangers[name], unheard-int64(i))))
		m.personID[m.persons[i].ID] = i
	}
}

// unheard is the number, less its place, of somebody whose name no evidence of the file has.
const unheard = -1 << 50

// strangerNumbers gives people whom no list of users has, by their names, numbers below zero that stay the same; nil
// is all of them.
func strangerNumbers(tx *sqlite.Tx, names []string) (map[string]int64, error) {
	if names != nil && len(names) == 0 {
		return nil, nil
	}
	where, args := "NOT EXISTS (SELECT 1 FROM person p WHERE p.code = r.key)", []any{}
	if names != nil {
		list, err := json.Marshal(names)
		if err != nil {
			return nil, err
		}
		where, args = "r.key IN (SELECT value FROM json_each(?))", append(args, string(list))
	}
	type row struct {
		key string
		id  int64
	}
	list, err := sqlite.Query(tx, func(r *sql.Rows, v *row) error { return r.Scan(&v.key, &v.id) },
		"SELECT r.key, r.id FROM person_record r WHERE "+where, args...)
	out := make(map[string]int64, len(list))
	for _, v := range list {
		out[v.key] = -v.id
	}
	return out, err
}

// KeptFleet reads how many devices of each kind are in service, by the age of their evidence, as figures counted them
// last.
func KeptFleet(tx *sqlite.Tx) (map[evidence.DeviceKind]position.Fleet, error) {
	type row struct {
		kind                string
		fresh, stale, never int64
	}
	list, err := sqlite.Query(tx, func(r *sql.Rows, v *row) error {
		return r.Scan(&v.kind, &v.fresh, &v.stale, &v.never)
	}, "SELECT kind, fresh, stale, never FROM fleet")
	out := make(map[evidence.DeviceKind]position.Fleet, len(list))
	for _, v := range list {
		out[evidence.DeviceKind(v.kind)] = position.Fleet{Fresh: v.fresh, Stale: v.stale, Never: v.never}
	}
	return out, err
}
