package recognise

import (
	"cmp"
	"slices"
	"strings"
	"sync"
)

// Publisher is a publisher with its former and other names. Successor is the publisher that took it over, 0 for none.
type Publisher struct {
	ID        int64
	Name      string
	Aliases   []string
	Successor int64
}

// Catalogue finds products by name, alias, identifier and file name. It does not change once it is made, and serves any
// number of callers at once.
type Catalogue struct {
	products   map[int64]*entry
	publishers map[string]int64
	byName     map[string][]target
	bySquash   map[string][]target
	byID       map[string]target // identifiers, written as swid: or pkg: keys
	byCPE      map[string][]cpeAlias
	byFile     map[string]target
	editions   map[string]bool
	suites     map[int64]map[int64]bool // by part
	suiteOf    map[int64][]*Suite       // by part
	wordOf     map[string]int64         // the product whose names alone have a word, -1 for several
	index      func() *index

	spokenApart  map[string]bool    // names of products that differ in a language alone, without it
	makersByWord map[string][]maker // publishers by the first word of their name that says who they are, longest first
}

// entry is a product with what is made of it once.
type entry struct {
	*Product
	maker    maker
	editions []editionName
}

// target is what a name stands for: a product, and perhaps one edition or version of it.
type target struct {
	*entry
	edition string
	version string
	hasEd   bool
	alias   string
}

// Source is what a catalogue is made of.
type Source struct {
	Products   []Product
	Publishers []Publisher
	Suites     []Suite // besides those that titles name
}

// NewCatalogue indexes products. An alias that begins with swid:, cpe: or pkg: is an identifier; one that ends in
// .exe, .app, .bin, .dll or .jar is a file signature; any other is another name of its line.
func NewCatalogue(from Source) *Catalogue {
	products := from.Products
	c := &Catalogue{
		products: make(map[int64]*entry, len(products)),
		byName:   make(map[string][]target, 2*len(products)),
		bySquash: make(map[string][]target, 2*len(products)),
		byID:     map[string]target{},
		byCPE:    map[string][]cpeAlias{},
		byFile:   map[string]target{},
		editions: map[string]bool{},
		suites:   map[int64]map[int64]bool{},
		wordOf:   map[string]int64{},
	}
	c.publishers = PublishersByName(from.Publishers)
	products = slices.Clone(products)
	slices.SortFunc(products, func(a, b Product) int { return cmp.Compare(a.ID, b.ID) })
	for i := range products {
		p := &products[i]
		c.products[p.ID] = &entry{p, c.maker(p.Publisher), editionNames(p)}
		for _, t := range p.Titles {
			for _, w := range strings.Fields(Clean(t.Edition)) {
				if !isVersion(w) && w != "edition" {
					c.editions[w] = true
				}
			}
		}
	}
	for i := range products {
		p := &products[i]
		c.addName(p.Name, target{entry: c.products[p.ID]})
		for _, t := range p.Titles {
			for _, alias := range t.Aliases {
				c.addAlias(p, t, alias)
			}
		}
	}
	for i := range products {
		c.linkSuites(&products[i])
	}
	c.setSuites(from.Suites)
	c.indexMakers()
	c.spokenApart = map[string]bool{}
	for i := range products {
		if a := TakeApart(Record{Publisher: products[i].Publisher, Name: products[i].Name}, c); a.has&ofLanguage != 0 {
			c.spokenApart[a.without(outside|ofLanguage)] = true
		}
	}
	c.index = sync.OnceValue(func() *index { return newIndex(products) })
	return c
}

// indexMakers finds publishers by their first word. One of a single short word is left out: it may as well be a word
// of a product.
func (c *Catalogue) indexMakers() {
	c.makersByWord = map[string][]maker{}
	seen := map[string]bool{}
	for _, p := range c.products {
		m := p.maker
		if m.unknown() || seen[m.clean] || len(m.core) < 3 {
			continue
		}
		seen[m.clean] = true
		for i, w := range m.words {
			if i == 0 || sayLittle[m.words[i-1]] && i < 2 {
				c.makersByWord[w] = append(c.makersByWord[w], m)
			}
		}
	}
	for _, list := range c.makersByWord {
		slices.SortFunc(list, func(a, b maker) int {
			return cmp.Or(cmp.Compare(len(b.words), len(a.words)), strings.Compare(a.clean, b.clean))
		})
	}
}

// maker prepares a publisher's name, with its number in the catalogue.
func (c *Catalogue) maker(raw string) maker {
	m := readMaker(raw)
	m.id = c.publishers[m.clean]
	return m
}

func (c *Catalogue) addAlias(p *Product, t Title, alias string) {
	tg := target{entry: c.products[p.ID], edition: t.Edition, version: t.Version, hasEd: t.Edition != "", alias: alias}
	switch key := identifierKey(alias); {
	case strings.HasPrefix(alias, "cpe:") && c.addCPE(alias, tg):
	case key != "":
		if _, taken := c.byID[key]; !taken {
			c.byID[key] = tg
		}
	case isFileName(alias):
		if _, taken := c.byFile[Clean(alias)]; !taken {
			tg.version, tg.hasEd, tg.edition = "", false, ""
			c.byFile[Clean(alias)] = tg
		}
	default:
		c.addName(alias, tg)
	}
}

func (c *Catalogue) addName(name string, t target) {
	key := Clean(name)
	if key == "" {
		return
	}
	addTarget(c.byName, key, t)
	for _, w := range strings.Fields(key) {
		if id, known := c.wordOf[w]; !known {
			c.wordOf[w] = t.ID
		} else if id != t.ID {
			c.wordOf[w] = -1
		}
	}
	if s := Squash(key); len(s) >= leastSquash {
		addTarget(c.bySquash, s, t)
	}
}

// leastSquash is the length in bytes from which a name without its spaces and accents is still telling.
const leastSquash = 5

func addTarget(to map[string][]target, key string, t target) {
	for _, old := range to[key] {
		if old.entry == t.entry && old.edition == t.edition {
			return
		}
	}
	to[key] = append(to[key], t)
}

// linkSuites notes which products each title's suite names: of the same publisher first, else of any.
func (c *Catalogue) linkSuites(p *Product) {
	for _, t := range p.Titles {
		if t.Suite == "" {
			continue
		}
		for _, tg := range c.sameName(t.Suite, p) {
			if c.suites[p.ID] == nil {
				c.suites[p.ID] = map[int64]bool{}
			}
			c.suites[p.ID][tg] = true
		}
	}
}

func (c *Catalogue) sameName(name string, near *Product) []int64 {
	var same, other []int64
	for _, tg := range c.byName[Clean(name)] {
		if tg.ID == near.ID {
			continue
		}
		if tg.maker.clean == c.products[near.ID].maker.clean {
			same = append(same, tg.ID)
		} else {
			other = append(other, tg.ID)
		}
	}
	if len(same) > 0 {
		return same
	}
	return other
}

func isFileName(s string) bool {
	s = strings.ToLower(s)
	for _, end := range []string{".exe", ".app", ".bin", ".dll", ".jar"} {
		if strings.HasSuffix(s, end) {
			return true
		}
	}
	return false
}

// Products lists all products in the order of their numbers.
func (c *Catalogue) Products() []*Product {
	out := make([]*Product, 0, len(c.products))
	for _, e := range c.products {
		out = append(out, e.Product)
	}
	slices.SortFunc(out, func(a, b *Product) int { return cmp.Compare(a.ID, b.ID) })
	return out
}

// Product returns a product by its number, or nil.
func (c *Catalogue) Product(id int64) *Product {
	if e := c.products[id]; e != nil {
		return e.Product
	}
	return nil
}

// SuitesOf returns the products that a product may be part of.
func (c *Catalogue) SuitesOf(id int64) map[int64]bool { return c.suites[id] }

// PartsOf returns the products that may fold under a suite, in order of their numbers.
func (c *Catalogue) PartsOf(suite int64) []int64 {
	var out []int64
	for part, suites := range c.suites {
		if suites[suite] {
			out = append(out, part)
		}
	}
	slices.Sort(out)
	return out
}

// KnowsProgramOf reports whether a file name is a signature of a product.
func (c *Catalogue) KnowsProgramOf(p *Product) bool {
	for i := range p.Titles {
		for _, alias := range p.Titles[i].Aliases {
			if tg, ok := c.byFile[Clean(alias)]; ok && tg.ID == p.ID {
				return true
			}
		}
	}
	return false
}

// ByFile returns the product that a file name is a signature of.
func (c *Catalogue) ByFile(name string) (int64, bool) {
	tg, ok := c.byFile[Clean(name)]
	if !ok {
		return 0, false
	}
	return tg.ID, true
}
