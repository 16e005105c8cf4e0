package recognise

import (
	"maps"
	"slices"
	"strings"
	"sync"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// Piece says what kind of thing a record is besides a program of its own.
type Piece string

// The pieces that are read out of names.
const (
	Whole        Piece = ""
	Update       Piece = "update"
	LanguagePack Piece = "language pack"
	Runtime      Piece = "runtime"
	Driver       Piece = "driver"
	PlugIn       Piece = "plug-in"
	Trial        Piece = "trial"
)

// architectures are single words; pairs of words are read by architecturePair.
var architectures = map[string]string{
	"x64": "x64", "64bit": "x64", "64bits": "x64", "amd64": "x64", "win64": "x64", "em64t": "x64", "intel64": "x64",
	"64位": "x64", "w64": "x64", "linux64": "x64",
	"x86": "x86", "32bit": "x86", "32bits": "x86", "i386": "x86", "i486": "x86", "i586": "x86", "i686": "x86",
	"win32": "x86", "ia32": "x86", "32位": "x86", "w32": "x86",
	"arm64": "arm64", "aarch64": "arm64", "armhf": "arm", "armv7l": "arm", "armel": "arm", "ia64": "ia64",
	"ppc64le": "ppc64le", "ppc64el": "ppc64le", "s390x": "s390x", "riscv64": "riscv64",
}

var bitWords = wordSet("bit bits бит битная битный ビット 비트")

// architecturePair reads two words that say an architecture together.
func architecturePair(a, b string) string {
	switch {
	case a == "64" && bitWords[b], a == "x86" && b == "64":
		return "x64"
	case a == "32" && bitWords[b]:
		return "x86"
	case a == "ia" && b == "32":
		return "x86"
	}
	return ""
}

// platformWords name what a program runs on; with "for" before them they say nothing of what it is.
var platformWords = wordSet("windows win linux gnu macos mac osx unix desktop")

// generalEditions are edition words that stand for an edition whatever the product is (common practice).
var generalEditions = wordSet(
	"basic standard professional pro enterprise premium ultimate home business starter express advanced lite student " +
		"academic master desktop community corporate personal essential essentials lt developer education " +
		"educational datacenter datacentre unlimited",
)

// installerWords are about the installation and not about what is installed.
var installerWords = wordSet("setup installer installation uninstall uninstaller msi")

var releaseWords = wordSet("version ver release build v rel vers versión versione versjon wersja версия")

type pieceRule struct {
	words []string
	piece Piece
}

// pieceRules are asked in their order (common practice of installers in several languages).
var pieceRules = pieces(map[Piece]string{
	LanguagePack: "language interface pack|language pack|language packs|language module|language " +
		"files|sprachpaket|sprachmodul|språkpakke|språkpaket|sprogpakke|taalpakket|pack de langue|paquete de " +
		"idioma|pacchetto lingua|pakiet językowy|kielipaketti",
	Update: "cumulative update|security update|service pack|service release|feature pack|update rollup|maintenance " +
		"release|update|updates|hotfix|hot fix|patch|aktualisierung|mise à " +
		"jour|oppdatering|uppdatering|opdatering|actualización|aggiornamento|päivitys",
	Runtime: "runtime environment|runtime|runtimes|redistributable|redistributables|laufzeitumgebung",
	Driver:  "driver|drivers|treiber|pilote|drivrutin",
	PlugIn:  "plug in|plugin|plugins|add in|addin|add on|addon|extension",
	Trial: "trial version|trial edition|trial|evaluation version|evaluation|testversion|prøveversjon|demo " +
		"version|demo",
}, LanguagePack, Update, Runtime, Driver, PlugIn, Trial)

func pieces(words map[Piece]string, order ...Piece) []pieceRule {
	var out []pieceRule
	for _, p := range order {
		for _, w := range strings.Split(words[p], "|") {
			out = append(out, pieceRule{strings.Fields(w), p})
		}
	}
	return out
}

// piecesByFirst finds the rules that begin with a word.
var piecesByFirst = func() map[string][]pieceRule {
	out := map[string][]pieceRule{}
	for _, r := range pieceRules {
		out[r.words[0]] = append(out[r.words[0]], r)
	}
	return out
}()

// languageCodes are the codes of ISO 639-1 that installers carry; two other letters in front of a region are no
// language.
var languageCodes = wordSet(
	"ar be bg bs ca cs cy da de el en eo es et eu fa fi fr ga gl he hi hr hu hy id is it ja ka kk ko lt lv mk mt nb " +
		"nl nn no pl pt ro ru se sk sl sq sr sv th tr uk vi zh",
)

// role is what a word may be about, whatever stands around it.
type role uint16

const (
	architectureWord role = 1 << iota
	bitsWord              // 32 or 64, of which more follows
	platformWord
	editionWord  // the name of an edition
	callsEdition // the word edition itself
	installerWord
	releaseWord
	pieceWord // the first of a piece's
	languageWord
	languageSide
	legalWord
)

// vocabulary has the roles of every word that has one.
var vocabulary = sync.OnceValue(func() map[string]role {
	out := map[string]role{"32": bitsWord, "64": bitsWord, "x86": bitsWord, "ia": bitsWord}
	put := func(words map[string]bool, r role) {
		for w := range words {
			out[w] |= r
		}
	}
	put(platformWords, platformWord)
	put(generalEditions, editionWord)
	put(wordSet("edition ed ausgabe édition edición utgave utgåva"), callsEdition)
	put(installerWords, installerWord)
	put(releaseWords, releaseWord)
	put(languageSides, languageSide)
	put(legalForms, legalWord)
	for w := range architectures {
		out[w] |= architectureWord
	}
	for w := range piecesByFirst {
		out[w] |= pieceWord
	}
	for w := range spokenNames() {
		out[w] |= languageWord
	}
	return out
})

// wordsToo are codes of languages that are words or endings of names as well: they are read as languages only behind
// a version or the like.
var wordsToo = wordSet("ar be bs ca cs da el et he hi id is it mt no se sl sr th")

// languageSides qualify the language beside them.
var languageSides = wordSet(
	"brazil brasil brazilian simplified traditional latin cyrillic us uk usa international int'l",
)

// spokenNames maps names of languages, in English, in themselves and in the languages of languageCodes, to BCP 47
// tags. They come from the Unicode Common Locale Data Repository as golang.org/x/text carries it; names of several
// words are left out.
var spokenNames = sync.OnceValue(func() map[string]string {
	out := map[string]string{
		"francais":      "fr",
		"espanol":       "es",
		"norsk":         "nb",
		"norwegian":     "nb",
		"bokmål":        "nb",
		"nynorsk":       "nn",
		"multilingual":  "mul",
		"multilanguage": "mul",
		"mui":           "mul",
		"mehrsprachig":  "mul",
		"flerspråklig":  "mul",
		"multilingue":   "mul",
	}
	var tags []language.Tag
	for _, code := range slices.Sorted(maps.Keys(languageCodes)) {
		tags = append(tags, language.Make(code))
	}
	for _, in := range tags {
		names := display.Languages(in)
		if names == nil {
			continue
		}
		for _, of := range tags {
			name := Clean(names.Name(of))
			if name == "" || strings.Contains(name, " ") || len(name) < 4 {
				continue
			}
			if old, known := out[name]; !known || of.String() < old { // the map's order must not matter
				out[name] = of.String()
			}
		}
	}
	for _, of := range tags { // what a language calls itself wins
		if name := Clean(display.Self.Name(of)); name != "" && !strings.Contains(name, " ") {
			out[name] = of.String()
		}
	}
	return out
})
