// Package catalogue merges what files say of titles and publishers into what is known of them, so that a newer file
// never undoes what a person decided.
//
// Each value of a title is merged from three sides: what the last file that was taken said (the base), what is known
// here (ours), and what the newer file says (theirs). Where ours is the base, nobody has touched it, and theirs may
// take its place. Where ours is not the base, a person changed it, and theirs is only shown.
package catalogue

import (
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/recognise"
)

// Key names a title of the catalogue, or a publisher where Product is empty.
type Key struct {
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Edition   string `json:"edition"`
	Version   string `json:"version"`
}

// ID is the same for keys that differ only in how their publisher and product are written.
func (k Key) ID() string {
	return strings.Join(
		[]string{recognise.CleanPublisher(k.Publisher), recognise.Clean(k.Product), k.Edition, k.Version},
		"\x1f",
	)
}

// String writes a key for people.
func (k Key) String() string {
	return strings.Join(strings.Fields(k.Publisher+" "+k.Product+" "+k.Edition+" "+k.Version), " ")
}

// Says is what a file or the catalogue says of a key, by the names of the columns of titles.csv; a list price has its
// currency behind it. What is not there is unknown.
type Says map[string]string

// The names that have a meaning here. Aliases is a set, separated by |.
const (
	Aliases   = "aliases"
	Successor = "successor" // of a publisher: the one that took it over
)

// Known is what the catalogue has of a key. Base is what the last file said of it; nil is the same as Says, for what
// came from a file before bases were kept.
type Known struct {
	ID int64
	Key
	Says, Base Says
}

// Sort says what a difference is.
type Sort string

// The sorts of differences.
const (
	New      Sort = "new"      // the catalogue has no such title
	Changed  Sort = "changed"  // nobody has touched the value here
	Conflict Sort = "conflict" // somebody changed the value here, and the file says something else again
)

// Difference is one thing in which a file differs from the catalogue. Field is empty for a new title.
type Difference struct {
	Key
	Field  string `json:"field"`
	Ours   string `json:"ours"`
	Theirs string `json:"theirs"`
	Sort   Sort   `json:"sort"`
}

// ID names the difference within its comparison.
func (d *Difference) ID() string { return d.Key.ID() + "\x1f" + d.Field }

// Choice is what is done about a difference.
type Choice int

// The choices. What is left for later is found again by the next comparison; what is kept is not, until a file says
// something else again.
const (
	Later Choice = iota
	Take
	Keep
)

// Usual takes what nobody has touched here, and leaves conflicts alone.
func Usual(d *Difference) Choice {
	if d.Sort == Conflict {
		return Later
	}
	return Take
}

// base is what the last file said of a field.
func (k *Known) base(field string) string {
	if k.Base == nil {
		return k.Says[field]
	}
	return k.Base[field]
}

// Compare lists the differences between what is known of a key, nil for nothing, and what a file says of it. A value
// that the file does not have says nothing.
func Compare(known *Known, key Key, says Says) []Difference {
	if known == nil {
		return []Difference{{Key: key, Sort: New, Theirs: words(says)}}
	}
	var out []Difference
	for _, field := range slices.Sorted(maps.Keys(says)) {
		theirs, ours, base := says[field], known.Says[field], known.base(field)
		d := Difference{Key: known.Key, Field: field, Ours: ours, Theirs: theirs, Sort: Changed}
		switch {
		case theirs == "" || theirs == base || theirs == ours:
			continue
		case field == Aliases:
			if d.Theirs = mergeSets(ours, theirs, base); d.Theirs == ours {
				continue
			}
		case ours != base:
			d.Sort = Conflict
		}
		out = append(out, d)
	}
	return out
}

// Merge takes the chosen differences of a file into what is known. It returns what is known then, and whether a
// value, or what is remembered of the file alone, changed; nil where nothing is known and nothing was taken.
func Merge(known *Known, key Key, says Says, choose func(*Difference) Choice) (out *Known, changed, remembered bool) {
	differences := Compare(known, key, says)
	if known == nil {
		if choose(&differences[0]) != Take {
			return nil, false, false
		}
		own := filled(says)
		return &Known{Key: key, Says: own, Base: maps.Clone(own)}, true, false
	}
	next := &Known{known.ID, known.Key, maps.Clone(known.Says), maps.Clone(known.Base)}
	if next.Base == nil {
		next.Base = maps.Clone(known.Says)
	}
	if next.Says == nil {
		next.Says, next.Base = Says{}, Says{}
	}
	open := map[string]bool{}
	for i := range differences {
		d := &differences[i]
		switch choose(d) {
		case Take:
			next.Says[d.Field] = d.Theirs
			changed = true
		case Later:
			open[d.Field] = true
		}
	}
	for field, theirs := range says {
		if theirs != "" && !open[field] && next.Base[field] != theirs {
			next.Base[field] = theirs
			remembered = true
		}
	}
	return next, changed, remembered
}

// Edit changes values as a person does: the base stays, so that later files know them as changed here. An empty value
// is unknown from then on.
func Edit(known *Known, says Says) (out *Known, changed bool) {
	next := &Known{known.ID, known.Key, maps.Clone(known.Says), maps.Clone(known.Base)}
	if next.Base == nil {
		next.Base = maps.Clone(known.Says)
		if next.Base == nil {
			next.Base = Says{}
		}
	}
	if next.Says == nil {
		next.Says = Says{}
	}
	for field, value := range says {
		value = strings.TrimSpace(value)
		if field == Aliases {
			value = mergeSets("", value, "")
		}
		if next.Says[field] == value {
			continue
		}
		changed = true
		if value == "" {
			delete(next.Says, field)
		} else {
			next.Says[field] = value
		}
	}
	return next, changed
}

// Touched lists the fields that somebody changed here, in order.
func (k *Known) Touched() []string {
	out := []string{}
	if k.Base == nil {
		return out
	}
	for _, says := range []Says{k.Says, k.Base} {
		for field := range says {
			if k.Says[field] != k.Base[field] && !slices.Contains(out, field) {
				out = append(out, field)
			}
		}
	}
	slices.Sort(out)
	return out
}

// mergeSets brings a set up to date with a newer one: what theirs adds to the base comes in, what it takes from the
// base goes, and what was added or taken away here stays so. The order is ours, then theirs.
func mergeSets(ours, theirs, base string) string {
	split := func(s string) []string {
		return slices.DeleteFunc(strings.Split(s, "|"), func(w string) bool { return strings.TrimSpace(w) == "" })
	}
	was, says := split(base), split(theirs)
	var out []string
	add := func(w string) {
		if w = strings.TrimSpace(w); !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	for _, w := range split(ours) {
		if !slices.Contains(was, w) || slices.Contains(says, w) {
			add(w)
		}
	}
	for _, w := range says {
		if !slices.Contains(was, w) {
			add(w)
		}
	}
	return strings.Join(out, "|")
}

func filled(says Says) Says {
	out := maps.Clone(says)
	maps.DeleteFunc(out, func(_, v string) bool { return v == "" })
	if out == nil {
		return Says{}
	}
	return out
}

// words shows what is said of a new title.
func words(says Says) string {
	var out []string
	for _, field := range slices.Sorted(maps.Keys(says)) {
		if says[field] != "" {
			out = append(out, strings.ReplaceAll(field, "_", " ")+" "+says[field])
		}
	}
	return strings.Join(out, ", ")
}
