// Package edits lets several people change one thing: each thing has a revision, a counter, and a save that began with
// an older one is refused with what the others changed meanwhile, field by field.
package edits

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"ensomet/internal/sqlite"
)

// Thing names a thing that people change: its kind, and its number or code within the kind. A kind of which there is
// one has no key.
type Thing struct{ Kind, Key string }

// The kinds of things that people change.
const (
	CaseRules    = "rules of the worklist"
	HouseRules   = "rules of figures"
	KeptUse      = "how long use is kept"
	KeptHistory  = "how far back days can be asked for"
	Naming       = "how names are decided"
	Group        = "group"
	Schedule     = "schedule"
	Contract     = "contract"
	StarterSet   = "starter set"
	Suite        = "suite"
	Line         = "line of entitlements"
	Title        = "title"
	Product      = "product"
	Tags         = "tags"
	Order        = "order of metrics"
	Publisher    = "publisher"
	Plan         = "plan"
	Stance       = "stance"
	Reclaim      = "rule for reclaim"
	Standing     = "standing decision"
	Metering     = "choice of what is measured"
	ChangeRule   = "rule for changes"
	NameRule     = "rule for names"
	RuleOrder    = "order of rules for names"
	Name         = "name"
	Scenario     = "scenario"
	Exclusion    = "exclusion"
	Source       = "source"
	Joining      = "what joins by itself"
	Device       = "device"
	JoiningNames = "which names are one person by themselves"
	Account      = "who is behind an account"
	Directory    = "directory"
	Place        = "watched place"
	OwnFields    = "fields of the house's own"
)

// Of names a thing by its number.
func Of(kind string, id int64) Thing { return Thing{kind, sqlite.Itoa(id)} }

// Made is the revision of a thing that nobody changed since it was made.
const Made = 0

// Change is a save of a thing.
type Change struct {
	Thing
	Seen int64 // the revision that its editor saw
	Who  string
	At   time.Time
	Was  any // the thing as it is stored now; what its fields are called is what a person sees changed
	Is   any // the thing as it will be, of the same type
}

// Difference is a field that somebody else changed: what it was in the revision that was seen, and what it is now, as
// JSON.
type Difference struct {
	Field string
	Was   json.RawMessage
	Is    json.RawMessage
}

// Conflict says that somebody else changed a thing since the revision that was seen.
type Conflict struct {
	Thing
	Revision int64 // that it has now
	Who      string
	At       int64 // seconds since 1970
	Changed  []Difference
}

func (c *Conflict) Error() string {
	return fmt.Sprintf("%s changed this while you did: look at both, and save again what is to hold", c.Who)
}

// Is tells that it is a change by somebody else.
func (c *Conflict) Is(target error) bool { return target == sqlite.ErrChangedMeanwhile }

// Revision reads the revision of a thing.
func Revision(tx *sqlite.Tx, t Thing) (revision int64, err error) {
	err = tx.QueryRow("SELECT coalesce(max(revision), 0) FROM edit WHERE kind = ? AND thing = ?", t.Kind, t.Key).
		Scan(&revision)
	return revision, err
}

// Revisions reads the revisions of all things of a kind that were changed, by their keys.
func Revisions(tx *sqlite.Tx, kind string) (map[string]int64, error) {
	type row struct {
		Thing    string
		Revision int64
	}
	list, err := sqlite.Select[row](tx,
		"SELECT thing, max(revision) AS revision FROM edit WHERE kind = ? GROUP BY thing", kind)
	out := make(map[string]int64, len(list))
	for _, r := range list {
		out[r.Thing] = r.Revision
	}
	return out, err
}

// Check fails with a *Conflict where somebody else changed a thing since the revision that was seen.
func Check(tx *sqlite.Tx, c Change) error {
	revision, err := Revision(tx, c.Thing)
	if err == nil && c.Seen != revision {
		err = conflict(tx, &c, revision)
	}
	return err
}

// Between is the conflict of two states of a thing whose revisions are kept elsewhere.
func Between(t Thing, revision int64, who string, at int64, was, is any) error {
	before, err := fieldsOf(was)
	if err != nil {
		return err
	}
	after, err := fieldsOf(is)
	if err != nil {
		return err
	}
	changed, err := differences(before, after)
	if err != nil {
		return err
	}
	return &Conflict{t, revision, who, at, changed}
}

// Save keeps that a thing is changed, in the transaction that changes it, and returns its new revision. Where somebody
// else changed it since the revision that was seen, it fails with a *Conflict, and nothing may be stored. In a preview
// it keeps nothing.
func Save(tx *sqlite.Tx, c Change) (int64, error) {
	revision, err := Revision(tx, c.Thing)
	if err != nil {
		return 0, err
	}
	if c.Seen != revision {
		return 0, conflict(tx, &c, revision)
	}
	if tx.Previewed() {
		return revision, nil
	}
	was, err := fieldsOf(c.Was)
	if err != nil {
		return 0, err
	}
	is, err := fieldsOf(c.Is)
	if err != nil {
		return 0, err
	}
	if revision == Made && c.Was != nil {
		if err := keep(tx, c.Thing, Made, "", c.At, was); err != nil {
			return 0, err
		}
	}
	return revision + 1, keep(tx, c.Thing, revision+1, c.Who, c.At, is)
}

func keep(tx *sqlite.Tx, t Thing, revision int64, who string, at time.Time, fields []byte) error {
	_, err := tx.Exec("INSERT INTO edit(kind, thing, revision, who, at, fields) VALUES (?, ?, ?, ?, ?, ?)",
		t.Kind, t.Key, revision, who, at.Unix(), string(fields))
	return err
}

// Touch keeps that something else than a person's form changed a thing, such as an import.
func Touch(tx *sqlite.Tx, t Thing, who string, at time.Time, was, is any) error {
	revision, err := Revision(tx, t)
	if err == nil {
		_, err = Save(tx, Change{Thing: t, Seen: revision, Who: who, At: at, Was: was, Is: is})
	}
	return err
}

// Drop keeps that a thing is gone. Its number may be another's later: whoever still has the old one in a form must not
// write it over the new one.
func Drop(tx *sqlite.Tx, t Thing, who string, at time.Time) error {
	return Touch(tx, t, who, at, nil, nil)
}

// End keeps that somebody ends a thing, or takes it away. Where somebody else changed it since the revision that was
// seen, it fails with a *Conflict, and nothing may be stored.
func End(tx *sqlite.Tx, c Change) error {
	if err := Check(tx, c); err != nil {
		return err
	}
	return Drop(tx, c.Thing, c.Who, c.At)
}

// conflict says what is otherwise now than in the revision that was seen.
func conflict(tx *sqlite.Tx, c *Change, revision int64) error {
	out := &Conflict{Thing: c.Thing, Revision: revision}
	err := tx.QueryRow("SELECT who, at FROM edit WHERE kind = ? AND thing = ? AND revision = ?",
		c.Kind, c.Key, revision).Scan(&out.Who, &out.At)
	if errors.Is(err, sql.ErrNoRows) { // a revision that never was: nothing can be said of it
		out.Who, err = "somebody", nil
	}
	if err != nil {
		return err
	}
	var seen string
	err = tx.QueryRow("SELECT fields FROM edit WHERE kind = ? AND thing = ? AND revision = ?", c.Kind, c.Key, c.Seen).
		Scan(&seen)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	now, err := fieldsOf(c.Was)
	if err != nil {
		return err
	}
	if out.Changed, err = differences([]byte(seen), now); err != nil {
		return err
	}
	return out
}

// beside are fields of things that are none of what a person changes: they are kept beside.
var beside = []string{"ID", "Revision", "Author", "At"}

// fieldsOf writes the fields of a thing as JSON.
func fieldsOf(thing any) ([]byte, error) {
	text, err := json.Marshal(thing)
	if err != nil || thing == nil {
		return text, err
	}
	fields := map[string]json.RawMessage{}
	if err := json.Unmarshal(text, &fields); err != nil {
		return nil, err
	}
	for _, name := range beside {
		delete(fields, name)
	}
	return json.Marshal(fields)
}

// differences compares two things field by field. Where nothing is known of the first, all fields differ.
func differences(was, is []byte) ([]Difference, error) {
	before, after := map[string]json.RawMessage{}, map[string]json.RawMessage{}
	if len(was) > 0 {
		if err := json.Unmarshal(was, &before); err != nil {
			return nil, err
		}
	}
	if err := json.Unmarshal(is, &after); err != nil {
		return nil, err
	}
	all := maps.Clone(after)
	maps.Copy(all, before)
	out := []Difference{}
	for _, field := range slices.Sorted(maps.Keys(all)) {
		if w, i := before[field], after[field]; !bytes.Equal(w, i) {
			out = append(out, Difference{field, w, i})
		}
	}
	return out, nil
}
