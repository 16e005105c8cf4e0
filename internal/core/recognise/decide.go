package recognise

import (
	"fmt"
	"strings"

	"ensomet/internal/core/civil"

	cpe "github.com/knqyf263/go-cpe/naming"
	"github.com/package-url/packageurl-go"
)

// Step names the step of recognition that answered.
type Step string

// The steps, in the order in which they are asked.
const (
	ByIdentifier Step = "identifier"
	BySignature  Step = "signature"
	ByDecision   Step = "decision"
	ByCatalogue  Step = "catalogue"
)

// Decision is what a person decided about every record with one key: a product, perhaps in one edition, or that it is not
// software that counts (Product 0).
type Decision struct {
	ID      int64
	Key     string
	Product int64
	Edition string
}

// Result is what a record was recognised as. Product is 0 where nobody knows yet, and where a person decided that the record
// is not software that counts (NotCounted).
type Result struct {
	Product      int64
	Title        int64 // the catalogue's line, 0 where the catalogue has none for this release
	Edition      string
	EditionRank  int
	TitleVersion string // the catalogue's version where it has one, else the record's
	Version      string // the record's version, which rights are checked against
	Released     civil.Day
	Model        LicenceModel
	Piece        Piece
	By           Step
	NotCounted   bool
	Line         *Title // the line that price and category come from; nil without product
}

// Recognised reports whether a record needs nobody's attention any more.
func (r Result) Recognised() bool { return r.Product != 0 || r.NotCounted }

// WhyNot says why an install of this record does not count by itself, or is empty where it does. Folding and
// leaving out depend on the device and come on top.
func (r Result) WhyNot() string {
	switch {
	case r.NotCounted:
		return "decided: not software that counts"
	case r.Product == 0:
		return "not recognised"
	case r.Piece == Trial:
		return "a trial"
	case r.Piece != Whole:
		article := "a "
		if r.Piece == Update {
			article = "an "
		}
		return article + string(r.Piece) + ", not the program itself"
	case !r.Model.Licensable():
		return "licence model " + strings.ReplaceAll(string(r.Model), "_", " ")
	}
	return ""
}

// TraceStep is one step of recognition: what it looked at and what came of it.
type TraceStep struct {
	Step     string `json:"step"`
	LookedAt string `json:"lookedAt"`
	Outcome  string `json:"outcome"`
}

// Recogniser decides records against a catalogue and people's decisions.
type Recogniser struct {
	catalogue *Catalogue
	decisions map[string]Decision
}

// New makes a recogniser. Of two decisions with one key, the later in the list holds.
func New(c *Catalogue, decisions []Decision) *Recogniser {
	r := &Recogniser{catalogue: c, decisions: make(map[string]Decision, len(decisions))}
	for _, d := range decisions {
		r.decisions[d.Key] = d
	}
	return r
}

// Decide recognises a record. The first step that answers wins.
func (g *Recogniser) Decide(r Record) (Result, Apart) {
	a := TakeApart(r, g.catalogue.editions)
	res, _ := g.decide(r, a, nil)
	return res, a
}

// Trace recognises a record like Decide and tells every step.
func (g *Recogniser) Trace(r Record) (Result, []TraceStep) {
	a := TakeApart(r, g.catalogue.editions)
	steps := []TraceStep{
		{"clean", r.Name, Clean(r.Name)},
		{"take apart", Clean(r.Name), describe(a)},
	}
	return g.decide(r, a, steps)
}

func describe(a Apart) string {
	out := fmt.Sprintf("publisher %q, words %q", a.Publisher, strings.Join(a.Words, " "))
	for _, part := range []struct{ name, value string }{
		{"edition", strings.Join(a.EditionWords, " ")}, {"version in the name", a.NameVersion}, {"version field", a.FieldVersion},
		{"architecture", a.Architecture}, {"language", a.Language}, {"kind of piece", string(a.Piece)},
	} {
		if part.value != "" {
			out += fmt.Sprintf(", %s %q", part.name, part.value)
		}
	}
	return out
}

// decide runs the steps. It notes each in steps where that is not nil.
func (g *Recogniser) decide(r Record, a Apart, steps []TraceStep) (Result, []TraceStep) {
	tracing := steps != nil
	note := func(step Step, looked, outcome string) {
		if tracing {
			steps = append(steps, TraceStep{string(step), looked, outcome})
		}
	}
	c := g.catalogue
	if tg, how, ok := c.byIdentifiers(r); ok {
		res := c.result(tg, a, a.EditionWords, Whole, ByIdentifier)
		note(ByIdentifier, how, c.name(res))
		return res, steps
	}
	note(ByIdentifier, strings.TrimSpace(r.TagID+" "+r.CPE+" "+r.PURL), "no identifier that the catalogue knows")
	if r.FileName != "" {
		if tg, ok := c.byFile[Clean(r.FileName)]; ok {
			res := c.result(tg, a, a.EditionWords, a.Piece, BySignature)
			note(BySignature, r.FileName, c.name(res))
			return res, steps
		}
	}
	note(BySignature, r.FileName, "no file that the catalogue knows")
	if d, ok := g.decisions[a.Key()]; ok {
		if d.Product == 0 {
			note(ByDecision, a.Key(), "decided: not software that counts")
			return Result{By: ByDecision, NotCounted: true, Version: a.Version(), TitleVersion: a.Version(), Piece: a.Piece}, steps
		}
		if c.products[d.Product] != nil {
			tg := target{product: d.Product, edition: d.Edition, hasEd: d.Edition != ""}
			res := c.result(tg, a, a.EditionWords, Whole, ByDecision)
			note(ByDecision, a.Key(), c.name(res))
			return res, steps
		}
	}
	note(ByDecision, a.Key(), "nobody has decided this name")
	for _, try := range []struct {
		words   []string
		edition []string
		piece   Piece
	}{
		{a.All, nil, Whole}, {a.Full, nil, Whole}, {withoutEdition(a.Full, a.EditionWords), a.EditionWords, Whole},
		{append(a.Words[:len(a.Words):len(a.Words)], a.EditionWords...), nil, a.Piece}, {a.Words, a.EditionWords, a.Piece},
	} {
		key := strings.Join(try.words, " ")
		if key == "" {
			continue
		}
		tg, why, ok := c.pick(key, a.Publisher)
		if !ok {
			note(ByCatalogue, key, why)
			continue
		}
		edition := try.edition
		if edition == nil && r.Edition != "" {
			edition = strings.Fields(Clean(r.Edition))
		}
		res := c.result(tg, a, edition, try.piece, ByCatalogue)
		if tg.alias != "" {
			note(ByCatalogue, key, c.name(res)+fmt.Sprintf(", by its other name %q", tg.alias))
		} else {
			note(ByCatalogue, key, c.name(res))
		}
		return res, steps
	}
	return Result{Version: a.Version(), TitleVersion: a.Version(), Piece: a.Piece}, steps
}

// withoutEdition cuts trailing edition words off a full name.
func withoutEdition(full, edition []string) []string {
	end := len(full)
	for end > 1 && (full[end-1] == "edition" || full[end-1] == "ed" || contains(edition, full[end-1])) {
		end--
	}
	return full[:end]
}

func contains(list []string, w string) bool {
	for _, x := range list {
		if x == w {
			return true
		}
	}
	return false
}

// pick chooses among the products of one name by the publisher. A record without publisher is decided only where one
// product alone has the name.
func (c *Catalogue) pick(key, publisher string) (target, string, bool) {
	targets := c.byName[key]
	if len(targets) == 0 {
		return target{}, "no product or other name like this", false
	}
	var fit []target
	for _, t := range targets {
		if publisher == "" || samePublisher(publisher, CleanPublisher(c.products[t.product].Publisher)) {
			fit = append(fit, t)
		}
	}
	switch {
	case len(fit) == 0:
		return target{}, fmt.Sprintf("the name is known, but of %s, not of %q", c.products[targets[0].product].Publisher, publisher), false
	case len(fit) == 1:
		return fit[0], "", true
	}
	for _, t := range fit[1:] {
		if t.product != fit[0].product {
			return target{}, "several products have this name", false
		}
	}
	return fit[0], "", true
}

// samePublisher compares cleaned publishers: equal, equal without spaces, or the shorter one the beginning of the longer at
// a word's end ("Ostwick" and "Ostwick Foundry").
func samePublisher(a, b string) bool {
	if a == b || strings.ReplaceAll(a, " ", "") == strings.ReplaceAll(b, " ", "") {
		return true
	}
	if len(a) > len(b) {
		a, b = b, a
	}
	return a != "" && strings.HasPrefix(b, a+" ")
}

func (c *Catalogue) result(t target, a Apart, editionWords []string, piece Piece, by Step) Result {
	p := c.products[t.product]
	edition := t.edition
	if !t.hasEd {
		edition = p.edition(editionWords)
	}
	line, v := p.release(edition, a.FieldVersion, a.NameVersion, t.version)
	if v == "" && t.version != "" {
		v = t.version
	}
	res := Result{Product: p.ID, Edition: edition, Version: v, TitleVersion: v, Piece: piece, By: by, Line: line}
	if line != nil {
		res.Title, res.Released = line.ID, line.Released
		if line.Version != "" {
			res.TitleVersion = line.Version
		}
	} else {
		res.Line = p.model(edition)
	}
	if res.Line != nil {
		res.Model = res.Line.Model
	}
	for i := range p.Titles {
		if p.Titles[i].Edition == edition {
			res.EditionRank = p.Titles[i].EditionRank
			break
		}
	}
	return res
}

func (c *Catalogue) name(r Result) string {
	p := c.products[r.Product]
	return strings.Join(strings.Fields(p.Publisher+" "+p.Name+" "+r.Edition+" "+r.TitleVersion), " ")
}

// identifierKey brings an identifier of the catalogue to the form it is looked up by: a SWID tag as it stands, a CPE as
// part, vendor and product, a package URL without version and qualifiers. Other text gives "".
func identifierKey(s string) string {
	switch {
	case strings.HasPrefix(s, "swid:"):
		return s
	case strings.HasPrefix(s, "cpe:"):
		return cpeKey(s)
	case strings.HasPrefix(s, "pkg:"):
		return purlKey(s)
	}
	return ""
}

func cpeKey(s string) string {
	wfn, err := cpe.UnbindFS(s)
	if err != nil {
		return ""
	}
	return "cpe:" + wfn.GetString("part") + ":" + wfn.GetString("vendor") + ":" + wfn.GetString("product")
}

func purlKey(s string) string {
	p, err := packageurl.FromString(s)
	if err != nil {
		return ""
	}
	return "pkg:" + p.Type + "/" + p.Namespace + "/" + p.Name
}

// byIdentifiers looks a record up by its identifiers. A CPE that is no alias is also tried by its vendor and product as
// publisher and name, underscores as spaces.
func (c *Catalogue) byIdentifiers(r Record) (target, string, bool) {
	if r.TagID != "" {
		if t, ok := c.byID["swid:"+r.TagID]; ok {
			return t, "tag " + r.TagID, true
		}
	}
	if r.PURL != "" {
		if t, ok := c.byID[purlKey(r.PURL)]; ok {
			return t, r.PURL, true
		}
	}
	if r.CPE != "" {
		if t, ok := c.byID[cpeKey(r.CPE)]; ok {
			return t, r.CPE, true
		}
		if wfn, err := cpe.UnbindFS(r.CPE); err == nil {
			plain := func(attr string) string {
				return strings.NewReplacer("_", " ", "\\", "").Replace(wfn.GetString(attr))
			}
			for _, t := range c.byName[Clean(plain("product"))] {
				if CleanPublisher(c.products[t.product].Publisher) == CleanPublisher(plain("vendor")) {
					return t, r.CPE, true
				}
			}
		}
	}
	return target{}, "", false
}
