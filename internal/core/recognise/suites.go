package recognise

import (
	"cmp"
	"fmt"
	"slices"

	"ensomet/internal/core/version"
)

// SuitePart is a product that a suite contains, perhaps in one edition or in versions that begin with one.
type SuitePart struct {
	Product int64  `json:"product"`
	Edition string `json:"edition"`
	Version string `json:"version"`
}

func (p *SuitePart) fits(h *Present) bool {
	return p.Product == h.Product && (p.Edition == "" || p.Edition == h.Edition) &&
		version.Begins(h.Version, p.Version)
}

// Suite says what a suite contains and how one knows that it is there: by a record of its own (Need 0), or also by
// Need of its parts on one device, where nothing of the suite itself is seen.
type Suite struct {
	ID      int64
	Product int64
	Edition string // empty is any
	Version string // what versions of the suite begin with; empty is any
	Need    int
	Parts   []SuitePart
}

// Present is a product on a device as a whole program, in one edition and version.
type Present struct {
	Product          int64
	Edition, Version string
}

// Folds says what folds on one device.
type Folds struct {
	Under    []*Suite // for each of what is present, the suite that it folds under; nil where it stands alone
	Inferred []*Suite // suites that are there by their parts alone
}

// setSuites joins users' suites with those that titles name, in a fixed order.
func (c *Catalogue) setSuites(suites []Suite) {
	byProduct := map[int64][]SuitePart{}
	for part, in := range c.suites {
		for suite := range in {
			byProduct[suite] = append(byProduct[suite], SuitePart{Product: part})
		}
	}
	all := slices.Clone(suites)
	for product, parts := range byProduct {
		slices.SortFunc(parts, func(a, b SuitePart) int { return cmp.Compare(a.Product, b.Product) })
		all = append(all, Suite{Product: product, Parts: parts})
	}
	slices.SortFunc(
		all,
		func(a, b Suite) int { return cmp.Or(cmp.Compare(a.Product, b.Product), cmp.Compare(a.ID, b.ID)) },
	)
	c.suiteOf = map[int64][]*Suite{}
	for i := range all {
		s := &all[i]
		if c.products[s.Product] == nil {
			continue
		}
		for _, p := range s.Parts {
			if p.Product == s.Product || c.products[p.Product] == nil {
				continue
			}
			if list := c.suiteOf[p.Product]; len(list) == 0 || list[len(list)-1] != s {
				c.suiteOf[p.Product] = append(list, s)
			}
			if c.suites[p.Product] == nil {
				c.suites[p.Product] = map[int64]bool{}
			}
			c.suites[p.Product][s.Product] = true
		}
	}
}

// Suites lists the suites that a product may be part of.
func (c *Catalogue) Suites(part int64) []*Suite { return c.suiteOf[part] }

// Kin lists the products whose presence may change what a product comes to on a device: its suites, their parts, and
// its own parts.
func (c *Catalogue) Kin(id int64) []int64 {
	seen := map[int64]bool{}
	var visit func(id int64, depth int)
	visit = func(id int64, depth int) {
		if seen[id] {
			return
		}
		seen[id] = true
		for _, s := range c.suiteOf[id] {
			visit(s.Product, depth)
			for _, p := range s.Parts {
				visit(p.Product, depth)
			}
		}
		for _, p := range c.PartsOf(id) {
			visit(p, depth)
		}
	}
	visit(id, 0)
	out := make([]int64, 0, len(seen))
	for k := range seen {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// there reports whether a suite is on a device, and whether only its parts say so. have is how many of its parts are.
func (s *Suite) there(present []Present) (ok, byParts bool, have int) {
	for i := range present {
		if h := &present[i]; h.Product == s.Product && (s.Edition == "" || s.Edition == h.Edition) &&
			version.Begins(h.Version, s.Version) {
			return true, false, 0
		}
	}
	for i := range s.Parts {
		if slices.ContainsFunc(present, func(h Present) bool { return s.Parts[i].fits(&h) }) {
			have++
		}
	}
	return s.Need > 0 && have >= s.Need, true, have
}

// Fold says which of the products on one device fold under which suite there. A part of several suites that are there
// folds under the first in the order of their products and numbers.
func (c *Catalogue) Fold(present []Present) Folds {
	var out Folds
	for i := range present {
		h := &present[i]
		for _, s := range c.suiteOf[h.Product] {
			if !slices.ContainsFunc(s.Parts, func(p SuitePart) bool { return p.fits(h) }) {
				continue
			}
			ok, byParts, _ := s.there(present)
			if !ok {
				continue
			}
			if out.Under == nil {
				out.Under = make([]*Suite, len(present))
			}
			out.Under[i] = s
			if byParts && !slices.Contains(out.Inferred, s) {
				out.Inferred = append(out.Inferred, s)
			}
			break
		}
	}
	// two rules of one suite that are both met by parts make one suite
	slices.SortFunc(
		out.Inferred,
		func(a, b *Suite) int { return cmp.Or(cmp.Compare(a.Product, b.Product), cmp.Compare(a.ID, b.ID)) },
	)
	return out
}

// As is what a product in an edition and version comes to where nothing but parts of it were seen.
func (c *Catalogue) As(product int64, edition, v string) Result {
	p := c.products[product]
	if p == nil {
		return Result{}
	}
	return c.result(target{entry: p, edition: edition, version: v, hasEd: edition != ""}, &Apart{}, nil, Whole,
		ByParts)
}

// WhyFold says of a product on a device, for each suite that it may be part of, why it folds under it there or does
// not.
func (c *Catalogue) WhyFold(h Present, present []Present) []string {
	var out []string
	for _, s := range c.suiteOf[h.Product] {
		name := c.products[s.Product].Name
		switch ok, byParts, have := s.there(present); {
		case !slices.ContainsFunc(s.Parts, func(p SuitePart) bool { return p.fits(&h) }):
			out = append(out, fmt.Sprintf("not a part of %s in this edition and version", name))
		case ok && !byParts:
			out = append(out, fmt.Sprintf("part of %s, which is on this device", name))
		case ok:
			out = append(
				out,
				fmt.Sprintf(
					"part of %s, which is on this device by %d of its %d parts (%d are enough)",
					name,
					have,
					len(s.Parts),
					s.Need,
				),
			)
		case s.Need > 0:
			out = append(
				out,
				fmt.Sprintf(
					"stands alone: nothing of %s itself is on this device, and %d of its %d parts are, of which %d "+
						"are needed",
					name,
					have,
					len(s.Parts),
					s.Need,
				),
			)
		default:
			out = append(out, fmt.Sprintf("stands alone: %s is not on this device", name))
		}
	}
	return out
}
