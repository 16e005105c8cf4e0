package snapshot

import (
	"database/sql"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/lifecycle"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// KnownPublishers reads the publishers in the order of their numbers.
func KnownPublishers(tx *sqlite.Tx) ([]*catalogue.Known, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v **catalogue.Known) error {
		p, k := formats.Publisher{}, &catalogue.Known{}
		var aliases string
		var base sql.NullString
		if err := r.Scan(&k.ID, &p.Name, &aliases, &p.Successor, &base); err != nil {
			return err
		}
		if aliases != "" {
			p.Aliases = strings.Split(aliases, "|")
		}
		e := p.Entry()
		k.Key, k.Says = e.Key, e.Says
		*v = k
		return ReadBase(base, k)
	}, "SELECT id, name, aliases, successor, base FROM publisher ORDER BY id")
}

// Publishers reads the publishers that have other names, or that one took over from another.
func Publishers(tx *sqlite.Tx) ([]recognise.Publisher, error) {
	all, err := KnownPublishers(tx)
	if err != nil {
		return nil, err
	}
	numbers, heirs := map[string]int64{}, map[int64]bool{}
	for _, k := range all {
		numbers[recognise.CleanPublisher(k.Publisher)] = k.ID
	}
	for _, k := range all {
		if s := k.Says[catalogue.Successor]; s != "" {
			heirs[numbers[recognise.CleanPublisher(s)]] = true
		}
	}
	var out []recognise.Publisher
	for _, k := range all {
		aliases, successor := k.Says[catalogue.Aliases], k.Says[catalogue.Successor]
		if aliases == "" && successor == "" && !heirs[k.ID] {
			continue
		}
		p := recognise.Publisher{ID: k.ID, Name: k.Publisher}
		if aliases != "" {
			p.Aliases = strings.Split(aliases, "|")
		}
		if successor != "" {
			p.Successor = numbers[recognise.CleanPublisher(successor)]
		}
		out = append(out, p)
	}
	return out, nil
}

// ProductKeysByAnyName is ProductKeys that also knows products by the other names of their publisher, and by those of
// the publishers that it took over. A product of that very name comes first.
func ProductKeysByAnyName(tx *sqlite.Tx) (map[string]int64, error) {
	keys, err := stored.ProductKeys(tx)
	if err != nil {
		return nil, err
	}
	publishers, err := Publishers(tx)
	if err != nil {
		return nil, err
	}
	ids, names := recognise.PublishersByName(publishers), map[int64][]string{}
	for _, name := range slices.Sorted(maps.Keys(ids)) {
		names[ids[name]] = append(names[ids[name]], name)
	}
	out := maps.Clone(keys)
	for _, key := range slices.Sorted(maps.Keys(keys)) {
		publisher, product, _ := strings.Cut(key, "|")
		for _, other := range names[ids[publisher]] {
			if _, taken := out[other+"|"+product]; !taken {
				out[other+"|"+product] = keys[key]
			}
		}
	}
	return out, nil
}

// SumUpProducts says of each product that is installed, or there as a suite by its parts, how often it is, and how much
// of that counts.
func (e *Snapshot) SumUpProducts() (out []ProductFact) {
	for _, f := range e.Ordered() {
		if f.installs > 0 || f.counted > 0 || f.Folded > 0 || f.leftOut > 0 {
			out = append(out, ProductFact{
				Product:  f.Id,
				Installs: f.installs,
				Devices:  f.devices,
				Stale:    f.stale,
				Counted:  f.counted,
				Folded:   f.Folded,
				LeftOut:  f.leftOut,
				Versions: f.versionCount(),
			})
		}
	}
	return out
}

// FindProduct finds a product by publisher, under any of its names, and name; without publisher, by a name that one
// product alone has.
func FindProduct(products map[string]int64, publisher, name string) (int64, string) {
	if publisher != "" {
		if id := products[stored.ProductKey(publisher, name)]; id != 0 {
			return id, ""
		}
		return 0, fmt.Sprintf(
			"the catalogue has no product %q of publisher %q: add its title, or mend the name; the line is tried "+
				"again when titles come in",
			name,
			publisher,
		)
	}
	var found int64
	suffix := stored.ProductKey("", name)
	for key, id := range products {
		if strings.HasSuffix(key, suffix) {
			if found != 0 && found != id {
				return 0, fmt.Sprintf("several publishers have a product %q: name the publisher", name)
			}
			found = id
		}
	}
	if found == 0 {
		return 0, fmt.Sprintf(
			"the catalogue has no product %q: add its title, or mend the name; the line is tried again when titles "+
				"come in",
			name,
		)
	}
	return found, ""
}

// versionCount counts the versions of a product that were found.
func (f *ProductFacts) versionCount() int64 {
	different := map[string]bool{}
	for _, s := range f.Versions {
		if s.Installs > 0 {
			different[s.Version] = true
		}
	}
	return int64(len(different))
}

func DatesOf(t *recognise.Title) lifecycle.Dates {
	return lifecycle.Dates{Released: t.Released, General: t.GeneralEnd, Extended: t.ExtendedEnd, End: t.EndOfLife}
}

// Plan is what is planned about a release whose support ends.
type Plan struct {
	ID          int64
	Product     int64
	Edition     string
	Version     string
	What        string // move, remove, extend, keep
	ToProduct   int64
	ToVersion   string
	Due         civil.Day
	Owner       string
	Note        string
	DevicesThen int64
	Author      string
	At          int64
	EndedAt     int64
	EndedBy     string
	EndedWhy    string
}

const PlanColumns = "SELECT id, product_id, edition, version, what, to_product, to_version, due, owner, note, " +
	"devices_then, author, at, ended_at, ended_by, ended_why FROM release_plan"

func ScanPlan(r *sql.Rows, p *Plan) error {
	return r.Scan(
		&p.ID,
		&p.Product,
		&p.Edition,
		&p.Version,
		&p.What,
		&p.ToProduct,
		&p.ToVersion,
		&p.Due,
		&p.Owner,
		&p.Note,
		&p.DevicesThen,
		&p.Author,
		&p.At,
		&p.EndedAt,
		&p.EndedBy,
		&p.EndedWhy,
	)
}

// Effective is what the lines of a product come to on the day, by their codes; nothing where the product is not known.
func (e *Snapshot) Effective(product int64) map[string]entitle.Effect {
	if f := e.Products[product]; f != nil {
		return entitle.Effective(f.Lines, e.AsOf)
	}
	return nil
}
