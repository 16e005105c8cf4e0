package app

import (
	"fmt"
	"sync"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/store"
)

// machines is what is known of devices and people on a day. It is the same for every product, does not change once it is made, and is kept until something of it changes: working one product out again
// needs no more than that product's own installs and rights.
type machines struct {
	state    string // what it was made for
	at       int64  // installs present at this second count
	devices  []store.DeviceFacts
	deviceAt map[int64]int
	deviceOf map[string]int64 // by device_id
	persons  []store.PersonFacts
	personAt map[string]int           // by user_id
	personID map[int64]int            // by number
	places   map[string]entitle.Place // where users belong
	fleet    map[string]position.Fleet
	plant    *demand.Plant
}

type keptMachines struct {
	sync.Mutex
	kept *machines
}

// machinesOf returns the machines of a day, made anew where something changed since, or an hour has passed.
func (a *App) machinesOf(tx *store.Tx, settings *Settings, asOf civil.Day, now int64) (*machines, error) {
	at := min(asOf.EndUnix()-1, now)
	counter, err := tx.Setting(machineChanges)
	if err != nil {
		return nil, err
	}
	state := fmt.Sprintf("%s|%s|%d", counter, asOf, at/3600)
	a.machines.Lock()
	kept := a.machines.kept
	a.machines.Unlock()
	if kept != nil && kept.state == state {
		return kept, nil
	}
	m := &machines{state: state, at: at, deviceAt: map[int64]int{}, deviceOf: map[string]int64{}, personAt: map[string]int{}, personID: map[int64]int{}, places: map[string]entitle.Place{}, fleet: map[string]position.Fleet{}}
	if err := m.load(tx, settings); err != nil {
		return nil, err
	}
	if err := m.loadPlant(tx, settings, asOf); err != nil {
		return nil, err
	}
	if tx.ReadOnly() && asOf == a.Today() {
		a.machines.Lock()
		a.machines.kept = m
		a.machines.Unlock()
	}
	return m, nil
}

func (m *machines) load(tx *store.Tx, settings *Settings) error {
	var err error
	if m.persons, err = tx.AllPersons(); err != nil {
		return err
	}
	for i, p := range m.persons {
		m.personAt[p.Code] = i
	}
	if m.devices, err = tx.AllDevices(m.at); err != nil {
		return err
	}
	for i, d := range m.devices {
		m.deviceAt[d.ID] = i
		m.deviceOf[d.Code] = d.ID
		if d.PrimaryUser != "" {
			if _, known := m.personAt[d.PrimaryUser]; !known {
				m.personAt[d.PrimaryUser] = len(m.persons)
				m.persons = append(m.persons, stranger(d.PrimaryUser, len(m.persons)))
			}
			if _, known := m.places[d.PrimaryUser]; !known {
				m.places[d.PrimaryUser] = entitle.Place{Unit: d.OrgUnit, Country: d.Country}
			}
		}
		if d.Status != "in_service" {
			continue
		}
		f := m.fleet[d.Kind]
		switch settings.age(&d, evidence.OfSoftware, m.at) {
		case evidence.Fresh:
			f.Fresh++
		case evidence.Stale:
			f.Stale++
		default:
			f.Never++
		}
		m.fleet[d.Kind] = f
	}
	for i := range m.persons {
		m.personID[m.persons[i].ID] = i
	}
	m.persons = m.persons[:len(m.persons):len(m.persons)] // whoever adds one adds to a copy
	return nil
}

// stranger is a user that evidence names and no list of users does: a user all the same, with a number below zero.
func stranger(code string, place int) store.PersonFacts {
	return store.PersonFacts{ID: -int64(place) - 1, Code: code, Name: code}
}

// person returns the place in persons of a user_id.
func (e *estate) person(code string) int {
	i, known := e.personAt[code]
	if !known {
		i, known = e.strangers[code]
	}
	if !known {
		i = len(e.persons)
		e.persons = append(e.persons, stranger(code, i))
		e.strangers[code] = i
	}
	return i
}

// personByID finds a person by number.
func (e *estate) personByID(id int64) *store.PersonFacts {
	if i, ok := e.personID[id]; ok {
		return &e.persons[i]
	}
	if i := int(-id) - 1; id < 0 && i < len(e.persons) {
		return &e.persons[i]
	}
	return nil
}

func (e *estate) age(d *store.DeviceFacts) evidence.Age {
	return e.settings.age(d, evidence.OfSoftware, e.at)
}

// userPlace is where a user belongs: the unit of the directory, the country of a device of his.
func (e *estate) userPlace(p *store.PersonFacts) entitle.Place {
	at := e.places[p.Code]
	if p.OrgUnit != "" {
		at.Unit = p.OrgUnit
	}
	return at
}
