package recognise

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
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

// Decision is what a person decided about every record with one key: a product, perhaps in one edition, or that it is
// not software that counts (Product 0).
type Decision struct {
	ID      int64
	Key     string
	Product int64
	Edition string
}

// Result is what a record was recognised as. Product is 0 where nobody knows yet, and where a person decided that the
// record is not software that counts (NotCounted).
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
	Rule         int64 // the rule that decided
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
	Step     string
	LookedAt string
	Outcome  string
}

// Recogniser decides records against a catalogue and people's decisions. It does not change once it is made.
type Recogniser struct {
	catalogue *Catalogue
	decisions map[string]Decision
	rules     []Rule
	limit     float64
}

// New makes a recogniser. Of two decisions with one key, the later in the list holds.
func New(c *Catalogue, decisions []Decision) *Recogniser {
	r := &Recogniser{catalogue: c, decisions: make(map[string]Decision, len(decisions))}
	for _, d := range decisions {
		r.decisions[d.Key] = d
	}
	return r
}

// Worker recognises many records one after another. It keeps what can be used again, so that one serves one goroutine.
type Worker struct {
	g      *Recogniser
	makers map[string]maker
	apart  Apart
	key    []byte

	propose proposer
}

// Worker makes a worker.
func (g *Recogniser) Worker() *Worker { return &Worker{g: g, makers: map[string]maker{}} }

// Decide recognises a record. The first step that answers wins. What is taken apart is good until the next call.
func (w *Worker) Decide(r *Record) (Result, *Apart) {
	w.apart.take(r, w.makerOf(r.Publisher), w.g.catalogue)
	return w.decide(r, nil), &w.apart
}

func (w *Worker) makerOf(raw string) maker {
	m, known := w.makers[raw]
	if !known {
		m = w.g.catalogue.maker(raw)
		w.makers[strings.Clone(raw)] = m
	}
	return m
}

// Decide recognises one record.
func (g *Recogniser) Decide(r Record) (Result, *Apart) { return g.Worker().Decide(&r) }

// Trace recognises a record like Decide and tells every step.
func (g *Recogniser) Trace(r Record) (Result, []TraceStep) {
	w := g.Worker()
	w.apart.take(&r, g.catalogue.maker(r.Publisher), g.catalogue)
	t := trace{
		{"clean", r.Name, Clean(r.Name)},
		{"take apart", Clean(r.Name), describe(&w.apart)},
	}
	res := w.decide(&r, &t)
	return res, t
}

func describe(a *Apart) string {
	out := fmt.Sprintf("publisher %q, words %q", a.Publisher(), strings.Join(a.Words(), " "))
	for _, part := range []struct{ name, value string }{
		{"edition", strings.Join(a.Edition, " ")}, {"version in the name", a.NameVersion},
		{"version field", a.FieldVersion},
		{"architecture", a.Architecture}, {"language", a.Language}, {"kind of piece", string(a.Piece)},
	} {
		if part.value != "" {
			out += fmt.Sprintf(", %s %q", part.name, part.value)
		}
	}
	return out
}

// tries are the forms of a name that the catalogue is asked for, the whole name first: without is what each leaves
// out, and piece whether what is left may be a piece of the product. Each is asked with the publisher's name in front
// and then without.
var tries = [...]struct {
	without class
	piece   bool
}{
	{0, false},
	{outside, false},
	{outside | ofVersion | ofRelease, false},
	{outside | ofVersion | ofRelease | ofMajor, false},
	{outside | ofLanguage, false},
	{outside | ofLanguage | ofVersion | ofRelease, false},
	{aside, false},
	{aside&^ofMajor | ofPlatform | ofEdition | ofFront, false},
	{aside | ofPlatform, false},
	{aside | ofPlatform | ofEdition, false},
	{aside | ofPlatform | ofEdition | ofFront, false},
	{aside | ofPlatform | ofPiece, true},
	{aside | ofPlatform | ofPiece | ofEdition, true},
	{aside | ofPlatform | ofPiece | ofEdition | ofFront, true},
}

// outside is what is about the machine and the installer alone.
const outside = ofArchitecture | ofInstaller

// trace notes the steps of recognition. Where nobody asks for them it is nil, and no words are made.
type trace []TraceStep

func (t *trace) note(step Step, looked, outcome string) {
	*t = append(*t, TraceStep{string(step), looked, outcome})
}

// decide runs the steps: the first that answers wins.
func (w *Worker) decide(r *Record, t *trace) Result {
	if res, ok := w.byIdentifier(r, t); ok {
		return res
	}
	if res, ok := w.bySignature(r, t); ok {
		return res
	}
	if res, ok := w.byDecision(t); ok {
		return res
	}
	if res, ok := w.byRule(r, t); ok {
		return res
	}
	if res, ok := w.byCatalogue(r, t); ok {
		return res
	}
	if res, ok := w.byScore(t); ok {
		return res
	}
	return Result{Version: w.apart.Version(), TitleVersion: w.apart.Version(), Piece: w.apart.Piece}
}

// byIdentifier asks for the identifiers that the record has.
func (w *Worker) byIdentifier(r *Record, t *trace) (Result, bool) {
	c, a := w.g.catalogue, &w.apart
	if r.TagID != "" || r.PURL != "" || r.CPE != "" {
		if tg, how, ok := c.byIdentifiers(r); ok {
			res := c.result(tg, a, a.Edition, Whole, ByIdentifier)
			if t != nil {
				t.note(ByIdentifier, how, c.name(res))
			}
			return res, true
		}
	}
	if t != nil {
		t.note(ByIdentifier, strings.TrimSpace(r.TagID+" "+r.CPE+" "+r.PURL), "no identifier that the catalogue knows")
	}
	return Result{}, false
}

// bySignature asks for the file that the record names.
func (w *Worker) bySignature(r *Record, t *trace) (Result, bool) {
	c, a := w.g.catalogue, &w.apart
	if r.FileName != "" {
		if tg, ok := c.byFile[Clean(r.FileName)]; ok {
			if words := tg.unknownWords(a.Edition); len(words) > 0 {
				if t != nil {
					t.note(BySignature, r.FileName, unknownEditionWords(words))
				}
				return Result{}, false
			}
			res := c.result(tg, a, a.Edition, a.Piece, BySignature)
			if t != nil {
				t.note(BySignature, r.FileName, c.name(res))
			}
			return res, true
		}
	}
	if t != nil {
		t.note(BySignature, r.FileName, "no file that the catalogue knows")
	}
	return Result{}, false
}

// byDecision asks whether somebody decided about the name.
func (w *Worker) byDecision(t *trace) (Result, bool) {
	c, a := w.g.catalogue, &w.apart
	if len(w.g.decisions) > 0 {
		key := a.Key()
		if d, ok := w.g.decisions[key]; ok {
			if d.Product == 0 {
				if t != nil {
					t.note(ByDecision, key, "decided: not software that counts")
				}
				return a.nothing(ByDecision, 0), true
			}
			if p := c.products[d.Product]; p != nil {
				tg := target{entry: p, edition: d.Edition, hasEd: d.Edition != ""}
				res := c.result(tg, a, a.Edition, Whole, ByDecision)
				if t != nil {
					t.note(ByDecision, key, c.name(res))
				}
				return res, true
			}
		}
	}
	if t != nil {
		t.note(ByDecision, a.Key(), "nobody has decided this name")
	}
	return Result{}, false
}

// byRule asks the rules, in their order.
func (w *Worker) byRule(r *Record, t *trace) (Result, bool) {
	c, a := w.g.catalogue, &w.apart
	if rule := w.byRules(r); rule != nil {
		if rule.Outcome == IsNothing {
			if t != nil {
				t.note(ByRule, rule.Name, "not software that counts")
			}
			return a.nothing(ByRule, rule.ID), true
		}
		if p := c.products[rule.Product]; p != nil {
			tg := target{entry: p, edition: rule.Edition, hasEd: rule.Edition != ""}
			res := c.result(tg, a, a.Edition, Whole, ByRule)
			res.Rule = rule.ID
			if t != nil {
				t.note(ByRule, rule.Name, c.name(res))
			}
			return res, true
		}
	}
	if t != nil && len(w.g.rules) > 0 {
		t.note(ByRule, fmt.Sprintf("%d rules", len(w.g.rules)), "none fits")
	}
	return Result{}, false
}

// byScore takes the first proposal where it scores as much as people ask for.
func (w *Worker) byScore(t *trace) (Result, bool) {
	c, a := w.g.catalogue, &w.apart
	if w.g.limit == 0 {
		return Result{}, false
	}
	list := w.candidates(1)
	if len(list) == 0 || list[0].Features.Score() < w.g.limit {
		return Result{}, false
	}
	p := c.products[list[0].Product]
	if words := p.unknownWords(a.Edition); len(words) > 0 {
		if t != nil {
			t.note(ByScore, fmt.Sprintf("the first proposal scores %.2f", list[0].Features.Score()),
				unknownEditionWords(words))
		}
		return Result{}, false
	}
	res := c.result(target{entry: p}, a, a.Edition, a.Piece, ByScore)
	if t != nil {
		t.note(ByScore, fmt.Sprintf("the first proposal scores %.2f, the limit is %.2f", list[0].Features.Score(),
			w.g.limit), c.name(res))
	}
	return res, true
}

// nothing is what is not software that counts, by a decision or a rule.
func (a *Apart) nothing(by Step, rule int64) Result {
	return Result{
		By:           by,
		Rule:         rule,
		NotCounted:   true,
		Version:      a.Version(),
		TitleVersion: a.Version(),
		Piece:        a.Piece,
	}
}

// byCatalogue asks the catalogue for the forms of the name, as they are and then without spaces and accents.
func (w *Worker) byCatalogue(r *Record, t *trace) (Result, bool) {
	c, a := w.g.catalogue, &w.apart
	for _, squashed := range []bool{false, true} {
		var asked [2 * len(tries)]class
		for i := range asked {
			try, m := &tries[i/2], &a.maker
			out := try.without & a.has
			if i%2 == 1 {
				if a.has&ofPublisher == 0 {
					continue
				}
				out |= ofPublisher
				if m.unknown() {
					m = &a.front
				}
			}
			if out&ofName != 0 || try.piece && a.has&ofPiece == 0 || i > 0 && slices.Contains(asked[:i], out|ofName) {
				continue
			}
			asked[i] = out | ofName
			w.key = a.appendWithout(w.key[:0], out)
			var targets []target
			if squashed {
				key := Squash(string(w.key))
				if len(key) < leastSquash {
					continue
				}
				targets = c.bySquash[key]
			} else {
				targets = c.byName[string(w.key)]
			}
			tg, why, ok := c.pick(targets, m, out&ofPublisher != 0)
			if ok && out&ofLanguage != 0 && c.spokenApart[string(w.key)] {
				ok, why = false, apartByLanguage
			}
			if ok {
				if own := &tg.maker; !m.same(own) &&
					(try.piece || own.unknown() && !m.unknown() && bytes.IndexByte(w.key, ' ') < 0 ||
						m.unknown() != own.unknown() && c.generic(w.key)) {
					ok, why = false, tooPlain
				}
			}
			edition := a.editionWords(out, r.Edition)
			if ok {
				if words := tg.unknownWords(edition); len(words) > 0 {
					if t != nil {
						t.note(ByCatalogue, how(string(w.key), squashed), unknownEditionWords(words))
					}
					continue
				}
			}
			if !ok {
				if t != nil {
					t.note(ByCatalogue, how(string(w.key), squashed), c.because(why, targets, m))
				}
				continue
			}
			piece := Whole
			if try.piece {
				piece = a.Piece
			}
			res := c.result(tg, a, edition, piece, ByCatalogue)
			if t != nil {
				said := c.name(res)
				if tg.alias != "" {
					said += fmt.Sprintf(", by its other name %q", tg.alias)
				}
				t.note(ByCatalogue, how(string(w.key), squashed), said)
			}
			return res, true
		}
	}
	return Result{}, false
}

// editionWords are the words of the edition where the name was asked for without them, or where the source gave it
// apart.
func (a *Apart) editionWords(out class, field string) []string {
	if out&(ofEdition|ofFront) == 0 && field == "" {
		return nil
	}
	if out&ofFront != 0 {
		for i := range a.words {
			if a.words[i].class == ofFront {
				return append([]string{a.words[i].text}, a.Edition...)
			}
		}
	}
	return a.Edition
}

func how(key string, squashed bool) string {
	if squashed {
		return key + " (spaces and accents aside)"
	}
	return key
}

func (c *Catalogue) result(t target, a *Apart, editionWords []string, piece Piece, by Step) Result {
	p := t.entry
	edition := t.edition
	if !t.hasEd {
		edition = p.edition(strings.Join(editionWords, " "))
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
	for _, e := range p.editions {
		if e.name == edition {
			res.EditionRank = e.rank
			break
		}
	}
	return res
}

func (c *Catalogue) name(r Result) string {
	p := c.products[r.Product]
	return strings.Join(strings.Fields(p.Publisher+" "+p.Name+" "+r.Edition+" "+r.TitleVersion), " ")
}

// generic reports whether a name is a single word that occurs in the names of other products as well.
func (c *Catalogue) generic(key []byte) bool {
	return c.wordOf[string(key)] < 0
}
