package recognise

import (
	"cmp"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/version"

	"github.com/shopspring/decimal"
)

// LicenceModel says on what terms a title may be used.
type LicenceModel string

// The licence models. An unknown one is treated as commercial: what is not known to be free needs a right.
const (
	Commercial LicenceModel = "commercial"
	Free       LicenceModel = "free"
	OpenSource LicenceModel = "open_source"
	TrialModel LicenceModel = "trial"
	InHouse    LicenceModel = "in_house"
)

// Licensable reports whether a title of this model needs a right before it may be used.
func (m LicenceModel) Licensable() bool { return m == Commercial || m == "" }

// Title is one line of the catalogue: a product in one edition and one release. Version is empty for a line that stands
// for every version.
type Title struct {
	ID                                           int64
	Product                                      int64
	Edition                                      string
	EditionRank                                  int
	Version                                      string
	Category                                     string
	Model                                        LicenceModel
	ListPrice                                    decimal.NullDecimal // for one unit of the default metric
	Currency                                     string
	DefaultMetric                                string
	Suite                                        string
	Released, GeneralEnd, ExtendedEnd, EndOfLife civil.Day
	Aliases                                      []string
}

// Product is a publisher's product with its titles.
type Product struct {
	ID              int64
	Publisher, Name string
	Titles          []Title
}

// Catalogue finds products by name, alias, identifier and file name.
type Catalogue struct {
	products    map[int64]*Product
	byName      map[string][]target
	byID        map[string]target // identifiers, written as swid:, cpe: or pkg: keys
	byFile      map[string]target
	editions    map[string]bool
	byPublisher map[string][]int64
	tokens      map[string][]int64 // products by a word of their name, for proposals
	suites      map[int64]map[int64]bool
}

// target is what a name stands for: a product, and perhaps one edition or version of it.
type target struct {
	product int64
	edition string
	version string
	hasEd   bool
	alias   string
}

// NewCatalogue indexes products. An alias that begins with swid:, cpe:2.3: or pkg: is an identifier; one that ends in
// .exe, .app, .bin, .dll or .jar is a file signature; any other is another name of its line.
func NewCatalogue(products []Product) *Catalogue {
	c := &Catalogue{
		products: map[int64]*Product{}, byName: map[string][]target{}, byID: map[string]target{}, byFile: map[string]target{},
		editions: map[string]bool{}, byPublisher: map[string][]int64{}, tokens: map[string][]int64{}, suites: map[int64]map[int64]bool{},
	}
	products = slices.Clone(products)
	slices.SortFunc(products, func(a, b Product) int { return cmp.Compare(a.ID, b.ID) })
	for i := range products {
		p := &products[i]
		c.products[p.ID] = p
		pub := CleanPublisher(p.Publisher)
		c.byPublisher[pub] = append(c.byPublisher[pub], p.ID)
		for _, t := range p.Titles {
			for _, w := range strings.Fields(Clean(t.Edition)) {
				c.editions[w] = true
			}
		}
	}
	for i := range products {
		p := &products[i]
		c.addName(p.Name, target{product: p.ID})
		for _, w := range strings.Fields(Clean(p.Publisher + " " + p.Name)) {
			if ids := c.tokens[w]; len(ids) == 0 || ids[len(ids)-1] != p.ID {
				c.tokens[w] = append(c.tokens[w], p.ID)
			}
		}
		for _, t := range p.Titles {
			for _, alias := range t.Aliases {
				c.addAlias(p, t, alias)
			}
		}
	}
	for i := range products {
		c.linkSuites(&products[i])
	}
	return c
}

func (c *Catalogue) addAlias(p *Product, t Title, alias string) {
	tg := target{product: p.ID, edition: t.Edition, version: t.Version, hasEd: t.Edition != "", alias: alias}
	switch key := identifierKey(alias); {
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
	for _, old := range c.byName[key] {
		if old.product == t.product && old.edition == t.edition {
			return
		}
	}
	c.byName[key] = append(c.byName[key], t)
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
		if tg.product == near.ID {
			continue
		}
		if CleanPublisher(c.products[tg.product].Publisher) == CleanPublisher(near.Publisher) {
			same = append(same, tg.product)
		} else {
			other = append(other, tg.product)
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

// Product returns a product by its number, or nil.
func (c *Catalogue) Product(id int64) *Product { return c.products[id] }

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

// FindProduct returns the product with exactly this publisher and name after cleaning.
func (c *Catalogue) FindProduct(publisher, name string) *Product {
	pub := CleanPublisher(publisher)
	for _, tg := range c.byName[Clean(name)] {
		if p := c.products[tg.product]; tg.alias == "" && CleanPublisher(p.Publisher) == pub {
			return p
		}
	}
	return nil
}

// ByFile returns the product that a file name is a signature of.
func (c *Catalogue) ByFile(name string) (int64, bool) {
	tg, ok := c.byFile[Clean(name)]
	return tg.product, ok
}

// release finds the catalogue's line for an edition and the versions a record has: the line with the longest version that
// one of them begins with, else the line for every version, else nil. The second result is the version that counts for
// rights: the one that a line answered to, else the first that is known.
func (p *Product) release(edition string, versions ...string) (*Title, string) {
	var best *Title
	counts := ""
	for _, v := range versions {
		if v == "" {
			continue
		}
		if counts == "" {
			counts = v
		}
		for i := range p.Titles {
			t := &p.Titles[i]
			if t.Edition != edition || t.Version == "" || !version.Begins(v, t.Version) {
				continue
			}
			if best == nil || len(t.Version) > len(best.Version) {
				best, counts = t, v
			}
		}
		if best != nil {
			return best, counts
		}
	}
	for i := range p.Titles {
		if t := &p.Titles[i]; t.Edition == edition && t.Version == "" {
			return t, counts
		}
	}
	return nil, counts
}

// model is the line whose price, category and licence model an uncatalogued version takes over: the highest version of the
// same edition, else of any edition.
func (p *Product) model(edition string) *Title {
	var best *Title
	for i := range p.Titles {
		t := &p.Titles[i]
		if best == nil || better(t, best, edition) {
			best = t
		}
	}
	return best
}

func better(t, than *Title, edition string) bool {
	if (t.Edition == edition) != (than.Edition == edition) {
		return t.Edition == edition
	}
	return version.Compare(version.Dotted, t.Version, than.Version) > 0
}

// edition resolves edition words to an edition of the product: by its whole name, else the only edition there is, else
// unknown ("").
func (p *Product) edition(words []string) string {
	want := strings.Join(words, " ")
	only, count := "", 0
	for _, t := range p.Titles {
		if t.Edition != "" && (want != "" && (Clean(t.Edition) == want || shortForm(want) == shortForm(Clean(t.Edition)))) {
			return t.Edition
		}
		if t.Edition != only || count == 0 {
			only = t.Edition
			count++
		}
	}
	if count == 1 {
		return only
	}
	return ""
}

func shortForm(s string) string {
	if s == "pro" {
		return "professional"
	}
	return strings.TrimSuffix(s, " edition")
}
