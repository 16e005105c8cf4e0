package snapshot

import (
	"cmp"
	"fmt"
	"sync"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/persons"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// Inventory is what is known of devices and people on a day. It is the same for every product, does not change once it
// is made, and is kept until something of it changes: working one product out again needs no more than that product's
// own installs and rights.
type Inventory struct {
	state     string // what it was made for
	At        int64  // installs present at this second count
	Devices   []DeviceFacts
	DeviceAt  map[int64]int
	deviceOf  map[string]int64 // by device_id
	persons   []PersonFacts
	personAt  map[string]int           // by user_id
	personID  map[int64]int            // by number
	counts    map[string]persons.As    // names that count as another one, and those behind which nobody is
	strangers map[string]int64         // numbers of people whom no list of users has, by name
	places    map[string]entitle.Place // where users belong
	Fleet     map[evidence.DeviceKind]position.Fleet
	hardware  *demand.Hardware
	part      *part // where it has a part of the estate alone; nil is all of it
}

// DeviceOf finds a device by its device_id; 0 is none.
func (m *Inventory) DeviceOf(code string) int64 { return m.deviceOf[code] }

func newInventory(at int64) *Inventory {
	return &Inventory{
		At:       at,
		DeviceAt: map[int64]int{},
		deviceOf: map[string]int64{},
		personAt: map[string]int{},
		personID: map[int64]int{},
		places:   map[string]entitle.Place{},
		Fleet:    map[evidence.DeviceKind]position.Fleet{},
		hardware: &demand.Hardware{Machines: map[int64]*demand.Machine{}, Clusters: map[string][]int64{}},
	}
}

type keptInventory struct {
	sync.Mutex
	kept *Inventory
}

// lookUp finds the machines of a day among what is kept, nil where something changed since or an hour has passed, and
// for which state they are to be made.
func (svc *Loader) lookUp(tx *sqlite.Tx, asOf civil.Day, at int64) (kept *Inventory, state string, err error) {
	counter, err := tx.Setting(renewal.InventoryChanges)
	if err != nil {
		return nil, "", err
	}
	state = fmt.Sprintf("%s|%s|%d", counter, asOf, at/3600)
	svc.inventory.Lock()
	defer svc.inventory.Unlock()
	if kept = svc.inventory.kept; kept != nil && kept.state != state {
		kept = nil
	}
	return kept, state, nil
}

// someHave lists the devices that have some products where no more than half of the estate has them, and nothing is
// kept of all.
func (svc *Loader) someHave(tx *sqlite.Tx, asOf civil.Day, now int64, products []int64) (some bool, devices []int64,
	err error) {
	kept, _, err := svc.lookUp(tx, asOf, moment(asOf, now))
	if err != nil || kept != nil {
		return false, nil, err
	}
	if devices, err = devicesHaving(tx, moment(asOf, now), products); err != nil {
		return false, nil, err
	}
	fleet, err := KeptFleet(tx)
	if err != nil {
		return false, nil, err
	}
	var all int64
	for _, f := range fleet {
		all += f.Fresh + f.Stale + f.Never
	}
	return 2*int64(len(devices)) <= all, devices, nil
}

// inventoryOf returns the machines of a day, made anew where something changed since, or an hour has passed.
func (svc *Loader) inventoryOf(tx *sqlite.Tx, settings *Settings, asOf civil.Day, now int64) (*Inventory, error) {
	at := moment(asOf, now)
	kept, state, err := svc.lookUp(tx, asOf, at)
	if err != nil || kept != nil {
		return kept, err
	}
	m := newInventory(at)
	m.state = state
	if err := m.load(tx, settings); err != nil {
		return nil, err
	}
	if err := m.loadHardware(tx, settings, asOf); err != nil {
		return nil, err
	}
	if tx.ReadOnly() && asOf == svc.Today() {
		svc.inventory.Lock()
		svc.inventory.kept = m
		svc.inventory.Unlock()
	}
	return m, nil
}

func (m *Inventory) load(tx *sqlite.Tx, settings *Settings) error {
	var err error
	if m.persons, err = AllPersons(tx); err != nil {
		return err
	}
	if m.counts, err = persons.Others(tx); err != nil {
		return err
	}
	for i, p := range m.persons {
		m.personAt[p.Code] = i
	}
	numbers, err := strangerNumbers(tx, nil)
	if err != nil {
		return err
	}
	if m.Devices, err = AllDevices(tx, m.At); err != nil {
		return err
	}
	for i, d := range m.Devices {
		m.DeviceAt[d.ID] = i
		m.deviceOf[d.Code] = d.ID
		if user := m.countsAs(d.PrimaryUser); user != "" {
			if _, known := m.personAt[user]; !known {
				m.personAt[user] = len(m.persons)
				m.persons = append(m.persons, stranger(user, cmp.Or(numbers[user], unheard-int64(len(m.persons)))))
			}
			if _, known := m.places[user]; !known {
				m.places[user] = entitle.Place{Unit: d.OrgUnit, Country: d.Country}
			}
		}
		if d.Status != evidence.InService {
			continue
		}
		f := m.Fleet[d.Kind]
		switch settings.Age(&d, evidence.OfSoftware, m.At) {
		case evidence.Fresh:
			f.Fresh++
		case evidence.Stale:
			f.Stale++
		default:
			f.Never++
		}
		m.Fleet[d.Kind] = f
	}
	m.numberPersons(0)
	m.strangers = numbers
	m.persons = m.persons[:len(m.persons):len(m.persons)] // whoever adds one adds to a copy
	return nil
}

// numberPersons says which people from a place on have which number: what is assigned to a name that counts as somebody
// else is assigned to who he is.
func (m *Inventory) numberPersons(from int) {
	for i := from; i < len(m.persons); i++ {
		m.personID[m.persons[i].ID] = i
		if as, other := m.counts[m.persons[i].Code]; other {
			if at, known := m.personAt[as.Key]; known {
				m.personID[m.persons[i].ID] = at
			}
		}
	}
}

// stranger is a user that evidence names and no list of users does: a user all the same, with a number below zero.
func stranger(code string, number int64) PersonFacts {
	return PersonFacts{number, evidence.Person{Code: code, Name: code}}
}

// countsAs returns the name that stands for the person whom a name means; none where nobody in particular is behind it.
func (m *Inventory) countsAs(name string) string {
	as, other := m.counts[name]
	switch {
	case !other:
		return name
	case as.Nobody:
		return ""
	}
	return as.Key
}

// mainUser is the place in persons of a device's main user, -1 where it has none.
func (m *Inventory) mainUser(d *DeviceFacts) int {
	if i, known := m.personAt[m.countsAs(d.PrimaryUser)]; known {
		return i
	}
	return -1
}

// MainUser is the name that stands for the main user of the device at a place, and where he belongs; empty where it has
// none.
func (e *Snapshot) MainUser(at int) (string, entitle.Place) {
	d := &e.Devices[at]
	if p := e.mainUser(d); p >= 0 {
		return e.persons[p].Code, e.userPlace(&e.persons[p])
	}
	return "", entitle.Place{}
}

// person returns the place in persons of a name that stands for somebody.
func (e *Snapshot) person(code string) int {
	i, known := e.personAt[code]
	if !known {
		i, known = e.strangers[code]
	}
	if !known {
		i = len(e.persons)
		p := stranger(code, cmp.Or(e.Inventory.strangers[code], unheard-int64(i)))
		e.persons = append(e.persons, p)
		e.strangers[code], e.strangerID[p.ID] = i, i
	}
	return i
}

// PersonByID finds a person by number.
func (e *Snapshot) PersonByID(id int64) *PersonFacts {
	if i, ok := e.personID[id]; ok {
		return &e.persons[i]
	}
	if i, ok := e.strangerID[id]; ok {
		return &e.persons[i]
	}
	return nil
}

func (e *Snapshot) age(d *DeviceFacts) evidence.Age {
	return e.Settings.Age(d, evidence.OfSoftware, e.At)
}

// userPlace is where a user belongs: the unit of the directory, the country of a device of his.
func (e *Snapshot) userPlace(p *PersonFacts) entitle.Place {
	at := e.places[p.Code]
	if p.OrgUnit != "" {
		at.Unit = p.OrgUnit
	}
	return at
}
