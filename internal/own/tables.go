package own

import (
	"cmp"
	"slices"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

// Kind is a kind of things that have fields of the house's own.
type Kind string

// The kinds of things that have fields of the house's own, beside devices.
const (
	Person   Kind = "person"
	Title    Kind = "title"
	Line     Kind = "line"
	Contract Kind = "contract"
)

// source is where files' fields of a kind stand: a table, what a thing is known by, as text, and the column.
type source struct{ table, thing, custom string }

func (k Kind) source() (source, error) {
	switch k {
	case Person:
		return source{"person", "code", "custom"}, nil
	case Title: // of a product; each of its releases may say a field, the first that does holds
		return source{"title", "CAST(product_id AS TEXT)", "custom"}, nil
	case Line:
		return source{"entitlement", "code", "custom"}, nil
	case Contract:
		return source{"contract", "code", "custom"}, nil
	}
	return source{}, refuse.Errorf("%q is no kind of thing that has fields of the house's own", string(k))
}

// there fails where there is no such thing.
func there(tx *sqlite.Tx, kind Kind, thing string) error {
	if _, err := kind.source(); err != nil {
		return err
	}
	found, err := sqlite.Select[bool](tx, map[Kind]string{
		Person: "SELECT EXISTS (SELECT 1 FROM person WHERE code = ?1 UNION ALL SELECT 1 FROM person_record WHERE " +
			"key = ?1)",
		Title: "SELECT EXISTS (SELECT 1 FROM product WHERE CAST(id AS TEXT) = ?1 AND id = CAST(?1 AS INTEGER))",
		Line:  "SELECT EXISTS (SELECT 1 FROM entitlement WHERE code = ?1)",
		Contract: "SELECT EXISTS (SELECT 1 FROM contract WHERE code = ?1 UNION ALL SELECT 1 FROM entitlement WHERE " +
			"contract = ?1)",
	}[kind], thing)
	if err == nil && !found[0] {
		err = sqlite.ErrNotFound
	}
	return err
}

// SQL is the value of a field as SQL: of the thing that thing says, as text.
func SQL(kind Kind, thing string) func(field string) string {
	return func(field string) string {
		name := "'" + strings.ReplaceAll(field, "'", "''") + "'"
		byHand := "(SELECT v.value FROM own_value v WHERE v.kind = '" + string(kind) + "' AND v.thing = " + thing +
			" AND v.field = " + name + ")"
		s, err := kind.source()
		if err != nil {
			return "coalesce(" + byHand + ", '')"
		}
		path := "f." + s.custom + " ->> '" + sqlite.JSONPath(field) + "'"
		same := "f." + s.thing + " = " + thing
		if kind == Title {
			same = "f.product_id = CAST(" + thing + " AS INTEGER)"
		}
		return "coalesce(" + byHand + ", (SELECT " + path + " FROM " + s.table + " f WHERE " + same +
			" AND f." + s.custom + " <> '' AND " + path + " <> '' ORDER BY f.id LIMIT 1), '')"
	}
}

// Values reads the fields of all things of a kind that have some, as they hold.
func Values(tx *sqlite.Tx, kind Kind) (map[string]map[string]string, error) {
	return values(tx, kind, "")
}

// OfUsers reads what conditions may ask of main users: their fields, and their cost centre as a list has it.
func OfUsers(tx *sqlite.Tx) (map[string]map[string]string, error) {
	out, err := Values(tx, Person)
	if err != nil {
		return nil, err
	}
	type row struct{ Code, Centre string }
	list, err := sqlite.Select[row](tx, "SELECT code, cost_centre AS centre FROM person WHERE cost_centre <> ''")
	for _, r := range list {
		if out[r.Code] == nil {
			out[r.Code] = map[string]string{}
		}
		if out[r.Code][CostCentre] == "" {
			out[r.Code][CostCentre] = r.Centre
		}
	}
	return out, err
}

// CostCentre is how conditions call the cost centre of a main user.
const CostCentre = "cost_centre"

// Of reads the fields of one thing, as they hold.
func Of(tx *sqlite.Tx, kind Kind, thing string) (map[string]string, error) {
	all, err := values(tx, kind, thing)
	if err != nil || all[thing] == nil {
		return map[string]string{}, err
	}
	return all[thing], nil
}

type value struct{ Thing, Field, Value, Author, Reason string }

// values reads the fields of one thing, or of all where thing is empty.
func values(tx *sqlite.Tx, kind Kind, thing string) (map[string]map[string]string, error) {
	said, err := saidBy(tx, kind, thing)
	if err != nil {
		return nil, err
	}
	byHand, err := sqlite.Select[value](tx, `SELECT thing, field, value, author, reason FROM own_value
		WHERE kind = ?1 AND (?2 = '' OR thing = ?2)`, kind, thing)
	if err != nil {
		return nil, err
	}
	for _, v := range byHand {
		if said[v.Thing] == nil {
			said[v.Thing] = map[string]string{}
		}
		if said[v.Thing][v.Field] = v.Value; v.Value == "" {
			delete(said[v.Thing], v.Field)
		}
	}
	return said, nil
}

// saidBy reads what files say of one thing, or of all.
func saidBy(tx *sqlite.Tx, kind Kind, thing string) (map[string]map[string]string, error) {
	s, err := kind.source()
	if err != nil {
		return nil, err
	}
	type row struct{ Thing, Custom string }
	text := "SELECT " + s.thing + " AS thing, " + s.custom + " AS custom FROM " + s.table +
		" WHERE " + s.custom + " <> ''"
	var args []any
	switch {
	case thing != "" && kind == Title:
		text, args = text+" AND product_id = CAST(? AS INTEGER)", []any{thing}
	case thing != "":
		text, args = text+" AND "+s.thing+" = ?", []any{thing}
	}
	rows, err := sqlite.Select[row](tx, text+" ORDER BY id", args...)
	out := map[string]map[string]string{}
	for _, r := range rows {
		fields, err := sqlite.Fields(r.Custom)
		if err != nil {
			return nil, err
		}
		if out[r.Thing] == nil {
			out[r.Thing] = map[string]string{}
		}
		for name, v := range fields {
			if v != "" && out[r.Thing][name] == "" {
				out[r.Thing][name] = v
			}
		}
	}
	return out, err
}

// fieldsOf reads the fields of one thing with who says them, by name.
func fieldsOf(tx *sqlite.Tx, kind Kind, thing string) ([]Field, error) {
	said, err := saidBy(tx, kind, thing)
	if err != nil {
		return nil, err
	}
	type row struct {
		Field, Value, Author, Reason string
		At                           int64
	}
	byHand, err := sqlite.Select[row](tx, `SELECT field, value, author, reason, at FROM own_value
		WHERE kind = ? AND thing = ?`, kind, thing)
	if err != nil {
		return nil, err
	}
	out := []Field{}
	for _, v := range byHand {
		out = append(out, Field{v.Field, v.Value, said[thing][v.Field], v.Author, v.Reason, v.At})
		delete(said[thing], v.Field)
	}
	for name, v := range said[thing] {
		out = append(out, Field{Name: name, Value: v, Said: v})
	}
	slices.SortFunc(out, func(a, b Field) int { return cmp.Compare(a.Name, b.Name) })
	return out, nil
}

// Named is a field that things of a kind have, with its values, the most common first; of one with very many, none.
type Named struct {
	Name   string
	Values []string
}

// MostValues is up to how many values of a field are offered to choose from.
const MostValues = 60

// NamesOf lists the fields that things of a kind have.
func NamesOf(tx *sqlite.Tx, kind Kind) ([]Named, error) {
	all, err := Values(tx, kind)
	return named(all), err
}

// UserNames lists what conditions may ask of main users.
func UserNames(tx *sqlite.Tx) ([]Named, error) {
	all, err := OfUsers(tx)
	return named(all), err
}

func named(all map[string]map[string]string) []Named {
	counts := map[string]map[string]int{}
	for _, fields := range all {
		for name, v := range fields {
			if counts[name] == nil {
				counts[name] = map[string]int{}
			}
			counts[name][v]++
		}
	}
	out := []Named{}
	for name, values := range counts {
		n := Named{Name: name, Values: []string{}}
		if len(values) <= MostValues {
			for v := range values {
				n.Values = append(n.Values, v)
			}
			slices.SortFunc(n.Values, func(a, b string) int {
				return cmp.Or(values[b]-values[a], cmp.Compare(a, b))
			})
		}
		out = append(out, n)
	}
	slices.SortFunc(out, func(a, b Named) int { return cmp.Compare(a.Name, b.Name) })
	return out
}
