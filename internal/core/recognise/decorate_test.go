package recognise

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// decorations are what installers write around a product's name. None of them makes another product of it.
var decorations = []struct {
	name string
	put  func(name, publisher, version string) string
}{
	{"version behind", func(n, _, v string) string { return n + " " + v }},
	{"version with v", func(n, _, v string) string { return n + " v" + v }},
	{"the word version", func(n, _, v string) string { return n + " Version " + v }},
	{"64-bit in brackets", func(n, _, _ string) string { return n + " (64-bit)" }},
	{"x64", func(n, _, _ string) string { return n + " x64" }},
	{"x86_64", func(n, _, _ string) string { return n + " (x86_64)" }},
	{"32 bit", func(n, _, _ string) string { return n + " 32 Bit" }},
	{"a language tag", func(n, _, _ string) string { return n + " de-DE" }},
	{"a language tag with underscore", func(n, _, _ string) string { return n + " nb_NO" }},
	{"a language in brackets", func(n, _, _ string) string { return n + " (fr)" }},
	{"a language in itself", func(n, _, _ string) string { return n + " (Deutsch)" }},
	{"a registered mark", func(n, _, _ string) string { return strings.Replace(n, " ", "® ", 1) }},
	{"a trade mark", func(n, _, _ string) string { return n + "™" }},
	{"written marks", func(n, _, _ string) string { return n + " (R) (TM)" }},
	{"capitals", func(n, _, _ string) string { return strings.ToUpper(n) }},
	{"hyphens", func(n, _, _ string) string { return strings.ReplaceAll(n, " ", "-") }},
	{"underscores", func(n, _, _ string) string { return strings.ReplaceAll(n, " ", "_") }},
	{"wide letters", func(n, _, _ string) string { return wide(n) }},
	{"the publisher in front", func(n, p, _ string) string { return p + " " + n }},
	{"spaces", func(n, _, _ string) string { return "  " + strings.ReplaceAll(n, " ", "   ") + " " }},
}

// wide writes ASCII letters as their full-width forms, which NFKC takes back.
func wide(s string) string {
	return strings.Map(func(r rune) rune {
		if r > ' ' && r < 0x7f {
			return r + 0xfee0
		}
		return r
	}, s)
}

func decorCatalogue() (*Catalogue, []Product) {
	var products []Product
	heads, tails := strings.Fields(
		"Brine Fathom Skarn Holm Vane Quoin",
	), strings.Fields(
		"weft latch spindle Map Wheel Pen",
	)
	for i, h := range heads {
		for j, tl := range tails {
			id := int64(1 + i*len(tails) + j)
			products = append(
				products,
				Product{
					ID:        id,
					Publisher: fmt.Sprintf("Maker %s & Sons Ltd", h),
					Name:      h + " " + tl,
					Titles:    []Title{{ID: id, Product: id, Version: "3", Model: Commercial}},
				},
			)
		}
	}
	return NewCatalogue(Source{Products: products}), products
}

// However a name is decorated, up to three times over, it stays the same product and keeps the key that decisions
// hold on to.
func TestDecorationsDoNotMakeAnotherProduct(t *testing.T) {
	c, products := decorCatalogue()
	g := New(c, nil)
	r := rand.New(rand.NewPCG(4, 2))
	for range 6000 {
		p := products[r.IntN(len(products))]
		v := fmt.Sprintf("%d.%d", 3+r.IntN(3), r.IntN(10))
		name := p.Name
		var used []string
		for _, which := range r.Perm(len(decorations))[:1+r.IntN(3)] {
			d := decorations[which]
			name = d.put(name, p.Publisher, v)
			used = append(used, d.name)
		}
		rec := Record{
			Publisher: []string{p.Publisher, strings.ToUpper(p.Publisher),
				strings.TrimSuffix(p.Publisher, " Ltd")}[r.IntN(3)],
			Name:    name,
			Version: v,
		}
		res, a := g.Decide(rec)
		if res.Product != p.ID {
			t.Fatalf("%q (%s) is recognised as %d, not %d", name, strings.Join(used, ", "), res.Product, p.ID)
		}
		if res.WhyNot() != "" {
			t.Fatalf("%q does not count: %s", name, res.WhyNot())
		}
		if want := keyOf(Record{Publisher: p.Publisher, Name: p.Name}); a.Key() != want {
			t.Fatalf("%q (%s) has the key %q, want %q", name, strings.Join(used, ", "), a.Key(), want)
		}
	}
}

// A product that the catalogue lacks is never decided to be another one, however near its name.
func TestStrangersAreNotDecided(t *testing.T) {
	c, products := decorCatalogue()
	g := New(c, nil)
	r := rand.New(rand.NewPCG(6, 6))
	for range 2000 {
		p := products[r.IntN(len(products))]
		words := strings.Fields(p.Name)
		name := []string{words[0], words[0] + " " + words[1] + " Tools", "New " + p.Name, words[1] + " " + words[0],
			p.Name + "s"}[r.IntN(5)]
		if res, _ := g.Decide(Record{Publisher: p.Publisher, Name: name}); res.Recognised() {
			t.Fatalf("%q is decided to be %s", name, c.Product(res.Product).Name)
		}
		if res, _ := g.Decide(Record{Publisher: "Somebody Else", Name: p.Name}); res.Recognised() {
			t.Fatalf("%q of somebody else is decided", p.Name)
		}
	}
}

// One decision serves every decorated form of a name that the catalogue lacks.
func TestADecisionHoldsForEveryForm(t *testing.T) {
	c, _ := decorCatalogue()
	plain := Record{Publisher: "Strangers Ltd", Name: "Odd Thing"}
	key := keyOf(plain)
	g := New(c, []Decision{{ID: 1, Key: key, Product: 3}})
	for _, d := range decorations {
		for _, v := range []string{"1.0", "2024", "7.11.3"} {
			r := Record{Publisher: plain.Publisher, Name: d.put(plain.Name, plain.Publisher, v), Version: v}
			res, a := g.Decide(r)
			if res.Product != 3 || res.By != ByDecision {
				t.Errorf("%s: %q has the key %q, not %q", d.name, r.Name, a.Key(), key)
			}
		}
	}
}

func TestProposalsRankTheRightOneFirst(t *testing.T) {
	c, products := decorCatalogue()
	g := New(c, nil)
	first := 0
	for _, p := range products {
		words := strings.Fields(p.Name)
		list := g.Propose(Record{Publisher: p.Publisher, Name: words[0] + " " + words[1] + " Workbench"}, 5)
		if len(list) == 0 || len(list) > 5 {
			t.Fatalf("%s: %d proposals", p.Name, len(list))
		}
		if list[0].Product == p.ID {
			first++
		}
		for i, pr := range list {
			if pr.Score <= 0 || pr.Score > 1 || i > 0 && pr.Score > list[i-1].Score {
				t.Fatalf("%s: scores %v", p.Name, list)
			}
		}
	}
	if first < len(products) {
		t.Errorf("%d of %d are proposed first", first, len(products))
	}
}
