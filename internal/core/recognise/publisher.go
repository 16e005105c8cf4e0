package recognise

import "strings"

// legalForms are the words that say what a company is in law and not who it is (common practice).
var legalForms = wordSet(
	"ab ag aps as asa bv co company corp corporation eirl eurl gmbh inc incorporated kft kg kk limited llc llp ltd " +
		"ltda nv oü oy oyj plc " +
		"pte pty sa sarl sas sc se sl spa spzoo srl sro zoo ооо ао 株式会社 有限公司 有限会社",
)

// sayLittle are words of publishers that say little of who it is: what is left without them is enough to know it by.
var sayLittle = wordSet(
	"the project team developers developer contributors community group software systems technologies technology " +
		"labs international foundation e.v ev org organisation organization",
)

// nobody are words that installers write where they know no publisher.
var nobody = wordSet(
	"unknown unbekannt inconnu none n a na null nil publisher hersteller manufacturer default company your ukjent " +
		"okänd",
)

var ands = wordSet("and und og och et y e")

// CleanPublisher is Clean without legal forms of companies, and with "and" written as an ampersand. A name made of
// nothing else keeps its words.
func CleanPublisher(s string) string {
	words := strings.Fields(strings.ReplaceAll(Clean(s), ".", ""))
	out := words[:0:0]
	for _, w := range words {
		if ands[w] {
			w = "&"
		}
		if !legalForms[w] {
			out = append(out, w)
		}
	}
	for len(out) > 0 && out[len(out)-1] == "&" {
		out = out[:len(out)-1]
	}
	if len(out) == 0 {
		return strings.Join(words, " ")
	}
	return strings.Join(out, " ")
}

// maker is a record's publisher, prepared once for comparing. It is nobody where the source did not know it.
type maker struct {
	clean string   // without legal forms
	words []string // of clean
	core  string   // without words that say little
	id    int64    // of the catalogue's publisher that has this name, former name or other name; 0 for none
}

func (m maker) unknown() bool { return m.clean == "" }

// readMaker prepares a publisher's name.
func readMaker(raw string) maker {
	clean := CleanPublisher(raw)
	words := strings.Fields(clean)
	empty := true
	for _, w := range words {
		empty = empty && nobody[w]
	}
	if empty {
		return maker{}
	}
	return maker{clean: clean, words: words, core: coreOf(words)}
}

func coreOf(words []string) string {
	var b strings.Builder
	for _, w := range words {
		if !sayLittle[w] && w != "&" {
			b.WriteString(w)
		}
	}
	if b.Len() == 0 {
		return strings.Join(words, "")
	}
	return b.String()
}

// same reports whether two publishers are one: the same in the catalogue, equal without legal forms, spaces and words
// that say little, or the shorter one the beginning of the longer at a word's end ("Ostwick" and "Ostwick Foundry").
func (m *maker) same(o *maker) bool {
	switch {
	case m.unknown() || o.unknown():
		return false
	case m.id != 0 && m.id == o.id, m.clean == o.clean, m.core == o.core:
		return true
	}
	short, long := m.words, o.words
	if len(short) > len(long) {
		short, long = long, short
	}
	for i, w := range short {
		if long[i] != w {
			return false
		}
	}
	return len(short) < len(long)
}

// findPublisher marks the publisher's name in front of the product's, where words of the product are left after it.
// Where the source gave no publisher, it is one that the catalogue knows.
func (a *Apart) findPublisher(c *Catalogue) {
	if !a.maker.unknown() {
		a.markPublisher(a.ahead(a.maker.words))
		return
	}
	if len(a.words) < 2 {
		return
	}
	for i := range c.makersByWord[a.words[0].text] {
		m := &c.makersByWord[a.words[0].text][i]
		if n := a.ahead(m.words); n > 0 && a.markPublisher(n) {
			a.front, a.learnt = *m, true
			return
		}
	}
}

// ahead counts the words in front that are a publisher's name: all its words but those that say little.
func (a *Apart) ahead(publisher []string) int {
	i, told := 0, false
	for _, want := range publisher {
		for i < len(a.words) && a.words[i].role&legalWord != 0 && a.words[i].text != want {
			i++
		}
		switch {
		case i < len(a.words) &&
			(a.words[i].text == want || strings.ReplaceAll(a.words[i].text, ".", "") == want ||
				want == "&" && ands[a.words[i].text]):
			told = told || !sayLittle[want]
			i++
		case !sayLittle[want]:
			return 0
		}
	}
	if !told {
		return 0
	}
	for i < len(a.words)-1 && (a.words[i].role&legalWord != 0) {
		i++
	}
	return i
}

// markPublisher marks the first n words, if words of the product are left behind them.
func (a *Apart) markPublisher(n int) bool {
	if n == 0 || n >= len(a.words) {
		return false
	}
	for _, w := range a.words[n:] {
		if w.class == ofName || w.class == ofEdition && w.role&editionWord == 0 {
			for k := range n {
				a.words[k].class = ofPublisher
			}
			return true
		}
	}
	return false
}

// PublishersByName numbers the cleaned names of publishers, their other names too: a name stands for the publisher,
// and one that was taken over for its last successor.
func PublishersByName(publishers []Publisher) map[string]int64 {
	out := map[string]int64{}
	byID := make(map[int64]*Publisher, len(publishers))
	for i := range publishers {
		byID[publishers[i].ID] = &publishers[i]
	}
	for i := range publishers {
		p := &publishers[i]
		last := p
		for range len(publishers) { // a circle ends here too
			next := byID[last.Successor]
			if next == nil {
				break
			}
			last = next
		}
		for _, name := range append([]string{p.Name}, p.Aliases...) {
			if key := CleanPublisher(name); key != "" && out[key] == 0 {
				out[key] = last.ID
			}
		}
	}
	return out
}
