// Package directory has the people of the house: who is known, by which names, what they have and use, and which names
// are one person. The rules are those of core/identity, which the room persons keeps.
package directory

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"ensomet/internal/clock"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/identity"
	"ensomet/internal/directory/directorydb"
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

// What the list and a page of people have, as the tables give it.
type (
	Row     = directorydb.Row
	Machine = directorydb.Machine
	Used    = directorydb.Used
	Move    = directorydb.Move
)

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
	Acts     []persons.Act
}

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
	out.Row = Row{Key: rec.Key, Name: rec.Key, State: directorydb.Unlisted}
	out.Mark, out.Account = rec.Marked, rec.Account
	rows, err := directorydb.ListedAs(tx, rec.Key)
	if err != nil {
		return out, err
	}
	for _, p := range rows {
		out.Mail, out.Unit, out.Site, out.CostCentre = p.Email, p.Unit, p.Site, p.CostCentre
		out.State, out.Manager, out.LeftOn = p.Status, p.Manager, p.LeftOn
		if p.Name != "" {
			out.Name = p.Name
		}
	}
	if rec.Nobody {
		out.State = directorydb.Nobody
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
	if out.Machines, err = directorydb.Machines(tx, rec.Key); err != nil {
		return out, err
	}
	if out.Used, err = directorydb.UsedBy(tx, rec.Key); err != nil {
		return out, err
	}
	if out.Moves, err = directorydb.Moves(tx, rec.Key); err != nil {
		return out, err
	}
	if out.Devices, out.Seats, err = directorydb.Has(tx, rec.Key, svc.Snapshots.Today()); err != nil {
		return out, err
	}
	if out.Revision, err = edits.Revision(tx, markThing(rec.Key)); err != nil {
		return out, err
	}
	acts, err := persons.Acts(tx, rec.Key, 40)
	out.Acts = append([]persons.Act{}, acts...)
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

// Named is what a list or evidence calls a person, with the signs that it gave.
type Named struct {
	Key         string
	Listed      bool // a list of users has it
	LogOns      []string
	Mail        string
	DirectoryID string
	Devices     int64 // on which it logged on, or of which it is said to be the main user
}

func named(tx *sqlite.Tx, person string) ([]Named, error) {
	list, err := persons.Of(tx, person)
	out := []Named{}
	for _, r := range list {
		n := Named{Key: r.Key, Listed: r.Listed, LogOns: r.LogOns, Mail: r.Mail, DirectoryID: r.DirectoryID}
		if n.LogOns == nil {
			n.LogOns = []string{}
		}
		if n.Devices, err = directorydb.LoggedOn(tx, r.Key); err != nil {
			return nil, err
		}
		out = append(out, n)
	}
	return out, err
}

// List is the list of people.
func List() *sqlite.List[Row] { return directorydb.List() }

// Known lists everybody who is known, or was when the list of people was made.
func Known(tx *sqlite.Tx) ([]string, error) { return directorydb.Known(tx) }

// PutFactsOf makes the rows of some people in the list of people anew as of a day.
func PutFactsOf(tx *sqlite.Tx, today civil.Day, keys []string) error {
	return directorydb.PutFacts(tx, today, keys)
}

// Touch notes that something of people has changed that the list of people has.
func Touch(tx *sqlite.Tx, keys []string) error { return directorydb.Touch(tx, keys) }

// MoveFacts makes those rows of the list of people anew of which something changed.
func MoveFacts(tx *sqlite.Tx, today civil.Day) error {
	keys, err := directorydb.Touched(tx)
	if err != nil || len(keys) == 0 {
		return err
	}
	return errors.Join(directorydb.PutFacts(tx, today, keys), directorydb.ForgetTouched(tx))
}
