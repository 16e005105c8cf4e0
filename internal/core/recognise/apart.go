package recognise

import (
	"strings"
)

// Record is one distinct raw software record, as a source wrote it.
type Record struct {
	Publisher, Name, Version, Edition, Architecture, Language, FileName, TagID, PURL, CPE string
}

// class says what a word of a name is about.
type class uint16

const (
	ofName class = 1 << iota
	ofArchitecture
	ofPlatform
	ofLanguage
	ofVersion
	ofMajor   // a single number right behind the name, which may be part of it
	ofRelease // the word version, release, build
	ofEdition
	ofPiece
	ofFront     // an edition word before the name
	ofPublisher // the publisher before the name
	ofInstaller
)

type word struct {
	text    string
	class   class
	role    role
	bracket bool
}

// Apart is a record taken apart. Every word of the cleaned name has a class; what decisions hold on to and what the
// catalogue is asked for are the words of some classes.
type Apart struct {
	words        []word
	maker        maker
	front        maker // whose name stands in front, where the source gave no publisher
	has          class // the classes that occur
	record       *Record
	learnt       bool     // some class was known from the catalogue alone
	Edition      []string // edition words, of the name or else of the edition field
	Architecture string
	Language     string
	FieldVersion string // the version field
	NameVersion  string // the version read out of the name
	Piece        Piece
}

// Publisher is the record's publisher without legal forms, empty where the source did not know it.
func (a *Apart) Publisher() string { return a.maker.clean }

// without joins the words of other classes.
func (a *Apart) without(out class) string {
	return string(a.appendWithout(nil, out))
}

func (a *Apart) appendWithout(to []byte, out class) []byte {
	for _, w := range a.words {
		if w.class&out != 0 {
			continue
		}
		if len(to) > 0 {
			to = append(to, ' ')
		}
		to = append(to, w.text...)
	}
	return to
}

// aside is what makes no other decision of a name: the same name on another machine, in another language or version.
const aside = ofArchitecture | ofLanguage | ofVersion | ofMajor | ofRelease | ofPublisher | ofInstaller

// KeyForm numbers the way in which keys are made. Where a program with another one comes upon decisions, it makes
// their keys anew from the records that they were taken on.
const KeyForm = "2"

// Key is what decisions hold on to: the same for every version, architecture and language of a name, and the same
// whatever the catalogue holds, so that no decision is lost when it grows.
func (a *Apart) Key() string {
	if a.learnt {
		plain := TakeApart(*a.record, nil)
		return plain.Key()
	}
	b := make([]byte, 0, 64)
	b = append(append(b, a.maker.clean...), '|')
	first := true
	for _, w := range a.words {
		if w.class&aside == 0 {
			if !first {
				b = append(b, ' ')
			}
			b = append(b, w.text...)
			first = false
		}
	}
	return string(b)
}

// Words are the product's own words.
func (a *Apart) Words() []string {
	var out []string
	for _, w := range a.words {
		if w.class == ofName {
			out = append(out, w.text)
		}
	}
	return out
}

// Version reconciles the two versions: the field, unless it is empty.
func (a *Apart) Version() string {
	if a.FieldVersion != "" {
		return a.FieldVersion
	}
	return a.NameVersion
}

// TakeApart reads architecture, language, version, edition and kind of piece out of a record's name, with the edition
// words and publishers that a catalogue knows. It is also right without a catalogue, for what is common to all.
func TakeApart(r Record, c *Catalogue) Apart {
	var a Apart
	if c == nil {
		c = &Catalogue{}
	}
	a.take(&r, c.maker(r.Publisher), c)
	return a
}

// take fills a, reusing its words.
func (a *Apart) take(r *Record, m maker, c *Catalogue) {
	*a = Apart{
		words:        a.words[:0],
		record:       r,
		maker:        m,
		FieldVersion: strings.TrimSpace(r.Version),
		Architecture: r.Architecture,
		Language:     r.Language,
		Edition:      a.Edition[:0],
	}
	name := r.Name
	if !isASCII(name) {
		name = compose(name)
	}
	name = a.cutLanguages(name)
	roles := vocabulary()
	scanWords(fold(name), func(w string, bracket bool) {
		if len(w) > 3 && w[0] == 'v' && strings.HasPrefix(w, "v.") {
			w = w[2:]
		}
		a.words = append(a.words, word{w, ofName, roles[w], bracket})
	})
	a.findArchitecture()
	a.findPieces()
	a.findTail(c.editions)
	a.findVersion()
	a.findTail(c.editions) // what stood before a version may be at the end now
	a.findPublisher(c)
	for _, w := range a.words {
		a.has |= w.class
	}
	a.keepName()
	if len(a.Edition) == 0 && r.Edition != "" {
		a.Edition = append(a.Edition, strings.Fields(Clean(r.Edition))...)
	}
}

// keepName gives a name that is made of nothing but an architecture, an edition and the like its first word back.
func (a *Apart) keepName() {
	if a.has&ofName != 0 || len(a.words) == 0 {
		return
	}
	for i := range a.words {
		a.words[i].class = ofName
		a.has |= ofName
		return
	}
}

func (a *Apart) findArchitecture() {
	for i := range a.words {
		w := &a.words[i]
		if w.class != ofName {
			continue
		}
		if w.role&bitsWord != 0 && i+1 < len(a.words) {
			if arch := architecturePair(w.text, a.words[i+1].text); arch != "" && i > 0 {
				a.Architecture, w.class, a.words[i+1].class = arch, ofArchitecture, ofArchitecture
				continue
			}
		}
		if w.role&architectureWord != 0 && len(a.words) > 1 {
			a.Architecture, w.class = architectures[w.text], ofArchitecture
		}
	}
}

// findPieces marks the first words that say that this is a piece of something.
func (a *Apart) findPieces() {
	for i := range a.words {
		if a.words[i].class != ofName || a.words[i].role&pieceWord == 0 {
			continue
		}
		for _, rule := range piecesByFirst[a.words[i].text] {
			end := i + len(rule.words)
			if end > len(a.words) || !a.hasWords(i, rule.words) {
				continue
			}
			if i == a.firstName() { // "Update for X", but not a name that begins so
				end = a.forWhat(end)
				if end == 0 {
					continue
				}
			}
			a.Piece = rule.piece
			for j := i; j < end; j++ {
				a.words[j].class = ofPiece
			}
			for j := i - 1; j > a.firstName() && a.words[j].text == "for"; j-- {
				a.words[j].class = ofPiece
			}
			// the number of the update is no version of the program, and makes no other name of it
			if rule.piece == Update {
				for j := end; j < len(a.words); j++ {
					if w := a.words[j].text; numbered(w) &&
						(j == end && strings.IndexByte(w, '.') < 0 || strings.HasPrefix(w, "kb")) {
						a.words[j].class = ofVersion
					}
				}
			}
			return
		}
	}
}

// forWhat returns the place behind "for" or the like after the words of a piece, 0 where there is none.
func (a *Apart) forWhat(at int) int {
	for ; at < len(a.words)-1 && at < 4; at++ {
		switch a.words[at].text {
		case "for", "für", "pour", "para", "per", "till", "til", "dla", "voor":
			return at + 1
		}
		if !numbered(a.words[at].text) {
			return 0
		}
	}
	return 0
}

func (a *Apart) firstName() int {
	for i := range a.words {
		if a.words[i].class == ofName {
			return i
		}
	}
	return 0
}

func (a *Apart) hasWords(at int, want []string) bool {
	for i, w := range want {
		if a.words[at+i].text != w {
			return false
		}
	}
	return true
}

// findTail walks back from the end, and through words in brackets, for languages, editions, platforms and words of
// installers.
func (a *Apart) findTail(editions map[string]bool) {
	first := a.firstName()
	open := true // nothing but marked words follows
	for i := len(a.words) - 1; i > first; i-- {
		w := &a.words[i]
		if w.class != ofName {
			continue
		}
		if !open && !w.bracket {
			continue
		}
		next := class(0)
		if i+1 < len(a.words) {
			next = a.words[i+1].class
		}
		switch text := w.text; {
		case (w.role&editionWord != 0 || editions[text]) && (text != "lt" || !w.bracket): // (lt) is Lithuanian
			a.learnt = a.learnt || w.role&editionWord == 0
			w.class = ofEdition
			a.Edition = append(a.Edition, "")
			copy(a.Edition[1:], a.Edition)
			a.Edition[0] = text
		case w.role&callsEdition != 0:
			w.class = ofEdition
		case w.role&installerWord != 0 || text == "only" && a.words[i-1].text == "remove" ||
			text == "remove" && next == ofInstaller:
			w.class = ofInstaller
		case w.role&platformWord != 0 && (w.bracket || a.words[i-1].text == "for"), text == "for" &&
			next == ofPlatform:
			w.class = ofPlatform
		case text == "language" && (w.bracket || a.words[i-1].role&languageWord != 0),
			w.role&languageSide != 0 && (next == ofLanguage || a.words[i-1].role&languageWord != 0):
			w.class = ofLanguage
		default:
			tag := ""
			if w.role&languageWord != 0 {
				tag = spokenNames()[text]
			}
			if len(text) == 2 && languageCodes[text] && (!wordsToo[text] || a.words[i-1].class != ofName) {
				tag = text
			}
			if tag == "" {
				open = false
				continue
			}
			w.class, a.Language = ofLanguage, tag
		}
	}
	if words := a.words[first:]; len(words) > 1 && (words[0].role&editionWord != 0 || editions[words[0].text]) &&
		a.words[first].class == ofName {
		for _, w := range words[1:] {
			if w.class == ofName {
				a.learnt = a.learnt || words[0].role&editionWord == 0
				a.words[first].class = ofFront
				break
			}
		}
	}
}

// Gather is what similar names have in common: the publisher and the product's own words without spaces, accents and
// endings. Names that nobody has recognised are shown together by it.
func (a *Apart) Gather() string {
	return a.maker.core + ": " + Squash(string(a.appendWithout(nil, aside|ofPlatform|ofEdition|ofFront|ofPiece)))
}
