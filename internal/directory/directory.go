// Package directory has the people of the house: who is known, by which names, what they have and use, and which names
// are one person. The rules are those of core/identity, which the room persons keeps.
package directory

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/clock"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/identity"
	"ensomet/internal/edits"
	"ensomet/internal/persons"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Service does what can be done with people.
type Service struct {
	DB        *sqlite.DB
	Clock     clock.Clock
	Snapshots *snapshot.Loader
	Persons   *persons.Room
}

// Machine is a device of a person.
type Machine struct {
	Code, Name, Kind, Status string
}

// Used is a product that a person was the last to use on a device.
type Used struct {
	Product int64
	Name    string
	Device  string // its code
	Class   string
	Last    string // a day, empty for never
}

// Move is a joining, moving or leaving.
type Move struct {
	On             civil.Day
	What, From, To string
}

// Field is a column of a list that is none of ours.
type Field struct{ Name, Value string }

// Person is all that is known of somebody.
type Person struct {
	Row
	Manager  string
	LeftOn   civil.Day
	Mark     persons.Mark
	Account  string // what a list says of it: person, shared or service
	Revision int64  // of the mark
	Named    []Named
	Machines []Machine
	Used     []Used
	Moves    []Move
	Fields   []Field
	Acts     []persons.Act
}

// mostShown is how many lines of one kind a person's page has.
const mostShown = 200

// markThing is what is said of an account by hand.
func markThing(key string) edits.Thing { return edits.Thing{Kind: edits.Account, Key: key} }

// Person returns all that is known of somebody; a name that counts as another person is that person.
func (svc *Service) Person(ctx context.Context, key string) (out Person, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		rec, err := persons.Find(tx, key)
		if err != nil {
			return err
		}
		if rec.CountsAs != "" && rec.CountsAs != rec.Key {
			if rec, err = persons.Find(tx, rec.CountsAs); err != nil {
				return err
			}
		}
		out, err = svc.person(tx, rec)
		return err
	})
	return out, err
}

func (svc *Service) person(tx *sqlite.Tx, rec *persons.Record) (out Person, err error) {
	out.Row = Row{Key: rec.Key, Name: rec.Key, State: Unlisted}
	out.Mark, out.Account = rec.Marked, rec.Account
	type listed struct {
		Name, Email, Unit, Site, Status, Manager, Custom string
		CostCentre                                       string    `db:"cost_centre"`
		LeftOn                                           civil.Day `db:"left_on"`
	}
	rows, err := sqlite.Select[listed](tx, `SELECT name, email, org_unit AS unit, site, status, manager, custom,
		cost_centre, left_on FROM person WHERE code = ?`, rec.Key)
	if err != nil {
		return out, err
	}
	for _, p := range rows {
		out.Mail, out.Unit, out.Site, out.CostCentre = p.Email, p.Unit, p.Site, p.CostCentre
		out.State, out.Manager, out.LeftOn = p.Status, p.Manager, p.LeftOn
		if p.Name != "" {
			out.Name = p.Name
		}
		if out.Fields, err = fieldsOf(p.Custom); err != nil {
			return out, err
		}
	}
	if rec.Nobody {
		out.State = Nobody
	}
	if out.Named, err = named(tx, rec.Key); err != nil {
		return out, err
	}
	var also []string
	for _, n := range out.Named {
		if n.Key != rec.Key {
			also = append(also, n.Key)
		}
	}
	out.Also, out.Names = strings.Join(also, "|"), int64(len(out.Named))
	if out.Machines, err = sqlite.Select[Machine](tx, `SELECT code, name, kind, status FROM device
		WHERE primary_user = ? ORDER BY name LIMIT ?`, rec.Key, mostShown); err != nil {
		return out, err
	}
	if out.Used, err = sqlite.Select[Used](tx, `SELECT i.product_id AS product, p.name, d.code AS device, i.class,
		`+sqlite.Date("i.last_use")+` AS last FROM idle_fact i JOIN product p ON p.id = i.product_id
		JOIN device d ON d.id = i.device_id WHERE i.person_code = ? AND i.last_use > 0
		ORDER BY i.last_use DESC, p.name, d.code LIMIT ?`, rec.Key, mostShown); err != nil {
		return out, err
	}
	if out.Moves, err = sqlite.Select[Move](tx, `SELECT m.on_day AS "on", m.what, m.from_value AS "from",
		m.to_value AS "to" FROM person_move m JOIN person p ON p.id = m.person_id
		JOIN person_record r ON r.key = p.code AND r.counts_as = ? ORDER BY m.on_day DESC LIMIT ?`, rec.Key,
		mostShown); err != nil {
		return out, err
	}
	if err := tx.QueryRowContext(tx.Ctx, `SELECT (SELECT count(*) FROM device WHERE primary_user = ?1),
		(SELECT count(*) FROM assignment a JOIN person p ON p.id = a.person_id JOIN person_record r ON r.key = p.code
			WHERE r.counts_as = ?1 AND a.from_day <= ?2 AND (a.until_day = 0 OR a.until_day >= ?2))`, rec.Key,
		svc.Snapshots.Today()).Scan(&out.Devices, &out.Seats); err != nil {
		return out, err
	}
	if out.Revision, err = edits.Revision(tx, markThing(rec.Key)); err != nil {
		return out, err
	}
	acts, err := persons.Acts(tx, rec.Key, 40)
	out.Acts = append([]persons.Act{}, acts...)
	out.Machines = append([]Machine{}, out.Machines...)
	out.Used, out.Moves = append([]Used{}, out.Used...), append([]Move{}, out.Moves...)
	out.Fields = append([]Field{}, out.Fields...)
	return out, err
}

// fieldsOf reads the house's own fields of a person, by their names.
func fieldsOf(custom string) ([]Field, error) {
	values, err := sqlite.Fields(custom)
	out := []Field{}
	for name, value := range values {
		out = append(out, Field{name, value})
	}
	slices.SortFunc(out, func(a, b Field) int { return strings.Compare(a.Name, b.Name) })
	return out, err
}

// Sign is a sign in words. Weight is certain, likely or against.
type Sign struct{ Weight, Words string }

// Side is one of two people who may be one.
type Side struct {
	Key, Name, Mail, Unit, State string
	Devices                      int64
	Named                        []Named
}

// Pair is two people who may be one, with what speaks for it and against it.
type Pair struct {
	A, B  Side
	Waits bool // a sign that is certain speaks for it, and another one against
	Signs []Sign
}

// Alike is who may be one person: how many pairs there are, and the first of them.
type Alike struct {
	Total, Waits int64
	Pairs        []Pair
}

// shownPairs is how many pairs are listed at once.
const shownPairs = 60

// signWords say what a sign is.
func signWords(s identity.Sign) Sign {
	names := map[identity.Kind]string{identity.ByDirectory: "object in the directory",
		identity.ByIdentifier: "user_id", identity.ByLogOn: "log-on name", identity.ByName: "bare name"}
	out := Sign{"likely", "the same " + names[s.Kind] + " " + s.Value}
	switch {
	case s.Weight == identity.Certain:
		out.Weight = "certain"
	case s.Weight == identity.Against && s.Kind == identity.ByLogOn:
		out = Sign{"against", fmt.Sprintf("two domains: %s and %s", s.Value, s.Other)}
	case s.Weight == identity.Against:
		out = Sign{"against", fmt.Sprintf("two objects in the directory: %s and %s", s.Value, s.Other)}
	}
	return out
}

// Alike lists people who may be one: those that wait for somebody first.
func (svc *Service) Alike(ctx context.Context) (Alike, error) {
	out := Alike{Pairs: []Pair{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		pairs, total, waits, err := persons.Pairs(tx, shownPairs)
		if err != nil {
			return err
		}
		out.Total, out.Waits = total, waits
		for _, p := range pairs {
			one := Pair{Waits: p.Waits, Signs: []Sign{}}
			for _, s := range p.Signs {
				one.Signs = append(one.Signs, signWords(s))
			}
			for i, side := range []*Side{&one.A, &one.B} {
				rec, err := persons.Find(tx, []string{p.A, p.B}[i])
				if err != nil {
					return err
				}
				who, err := svc.person(tx, rec)
				if err != nil {
					return err
				}
				*side = Side{who.Key, who.Name, who.Mail, who.Unit, who.State, who.Devices, who.Named}
			}
			out.Pairs = append(out.Pairs, one)
		}
		return nil
	})
	return out, err
}

// Acts lists the newest decisions.
func (svc *Service) Acts(ctx context.Context) ([]persons.Act, error) {
	out := []persons.Act{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		acts, err := persons.Acts(tx, "", 60)
		out = append(out, acts...)
		return err
	})
	return out, err
}
