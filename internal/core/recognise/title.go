package recognise

import (
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

// release finds the catalogue's line for an edition and the versions a record has: the line with the longest version
// that one of them begins with, else the line for every version, else nil. The second result is the version that
// counts for rights: the one that a line answered to, else the first that is known.
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

// model is the line whose price, category and licence model an uncatalogued version takes over: the highest version
// of the same edition, else of any edition.
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

// editionName is an edition of a product, in the forms that it is known by.
type editionName struct {
	name, clean, short string
	rank               int
}

// editionNames lists the editions of a product, the first line of each.
func editionNames(p *Product) []editionName {
	var out []editionName
	for i := range p.Titles {
		t := &p.Titles[i]
		if !slices.ContainsFunc(out, func(e editionName) bool { return e.name == t.Edition }) {
			clean := Clean(t.Edition)
			out = append(out, editionName{t.Edition, clean, shortForm(clean), t.EditionRank})
		}
	}
	return out
}

// edition finds an edition of a product: by its whole name, else the only edition there is, unless another one is
// wanted; else unknown ("").
func (p *entry) edition(want string) string {
	list := p.editions
	if want != "" {
		short := shortForm(want)
		for _, e := range list {
			if e.name != "" && (e.clean == want || e.short == short) {
				return e.name
			}
		}
	}
	if len(list) == 1 && len(p.unknownWords(strings.Fields(want))) == 0 {
		return list[0].name
	}
	return ""
}

func shortForm(s string) string {
	if s == "pro" {
		return "professional"
	}
	return strings.TrimSuffix(s, " edition")
}
