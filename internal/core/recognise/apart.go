package recognise

import (
	"regexp"
	"strings"

	"ensomet/internal/core/version"
)

// Record is one distinct raw software record, as a source wrote it.
type Record struct {
	Publisher, Name, Version, Edition, Architecture, Language, FileName, TagID, PURL, CPE string
}

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

// Apart is a record taken apart. Publisher and Words are cleaned. Words are what is left of the name when architecture,
// language, version, edition and kind of piece are out.
type Apart struct {
	Publisher    string
	Words        []string // the product's own words
	EditionWords []string
	PieceWords   []string
	Full         []string // all words but architecture, language and version
	All          []string // all words but architecture and language
	Architecture string
	Language     string
	FieldVersion string // the version field
	NameVersion  string // the version read out of the name
	Piece        Piece
}

// Key is what decisions hold on to: the same for every version, architecture and language of a name.
func (a Apart) Key() string {
	return a.Publisher + "|" + strings.Join(a.Full, " ")
}

// Version reconciles the two versions: the field, unless it is empty.
func (a Apart) Version() string {
	if a.FieldVersion != "" {
		return a.FieldVersion
	}
	return a.NameVersion
}

var architectures = map[string]string{
	"x64": "x64", "64 bit": "x64", "64bit": "x64", "amd64": "x64", "x86 64": "x64", "x86_64": "x64", "win64": "x64",
	"x86": "x86", "32 bit": "x86", "32bit": "x86", "i386": "x86", "i686": "x86", "win32": "x86",
	"arm64": "arm64", "aarch64": "arm64",
}

// languages maps names of languages, in English and in themselves, to BCP 47 tags. Common practice in installer names.
var languages = map[string]string{
	"english": "en", "deutsch": "de", "german": "de", "français": "fr", "francais": "fr", "french": "fr", "español": "es", "spanish": "es",
	"italiano": "it", "italian": "it", "norsk": "nb", "norwegian": "nb", "bokmål": "nb", "svenska": "sv", "swedish": "sv", "dansk": "da",
	"danish": "da", "suomi": "fi", "finnish": "fi", "nederlands": "nl", "dutch": "nl", "polski": "pl", "polish": "pl", "português": "pt",
	"portuguese": "pt", "íslenska": "is", "icelandic": "is", "русский": "ru", "russian": "ru", "日本語": "ja", "japanese": "ja",
	"multilingual": "mul", "mui": "mul",
}

// generalEditions are edition words that stand for an edition whatever the product is (common practice).
var generalEditions = wordSet("basic standard professional pro enterprise premium ultimate home business starter express advanced lite student academic master desktop")

// languageCodes are the codes of ISO 639-1 that installers carry; two other letters in front of a region are no language.
var languageCodes = wordSet("ar bg ca cs da de el en es et eu fi fr ga gl he hr hu id is it ja ko lt lv mt nb nl nn no pl pt ro ru se sk sl sr sv th tr uk vi zh")

type pieceRule struct {
	words []string
	piece Piece
}

var pieceRules = []pieceRule{
	{[]string{"language", "pack"}, LanguagePack}, {[]string{"language", "module"}, LanguagePack}, {[]string{"sprachpaket"}, LanguagePack}, {[]string{"språkpakke"}, LanguagePack},
	{[]string{"service", "pack"}, Update}, {[]string{"security", "update"}, Update}, {[]string{"update"}, Update}, {[]string{"hotfix"}, Update}, {[]string{"patch"}, Update},
	{[]string{"runtime"}, Runtime}, {[]string{"redistributable"}, Runtime},
	{[]string{"driver"}, Driver}, {[]string{"drivers"}, Driver},
	{[]string{"plug", "in"}, PlugIn}, {[]string{"plugin"}, PlugIn}, {[]string{"add", "in"}, PlugIn}, {[]string{"extension"}, PlugIn},
	{[]string{"trial"}, Trial}, {[]string{"evaluation"}, Trial}, {[]string{"demo"}, Trial},
}

var (
	languageTag   = regexp.MustCompile(`(?:^|[ \-_(\[])([a-zA-Z]{2})[-_]([A-Z]{2})(?:$|[ \-_)\]])`)
	bracketedTag  = regexp.MustCompile(`[(\[]([a-zA-Z]{2})[)\]]`)
	versionToken  = regexp.MustCompile(`^v?\d+(?:\.\d+)*[a-z]?$`)
	releaseWords  = wordSet("version ver release build v")
	numberedToken = regexp.MustCompile(`^(?:kb|r|sp|u)?\d+(?:\.\d+)*$`)
)

// TakeApart reads architecture, language, version, edition and kind of piece out of a record's name. editions are cleaned
// edition words known from the catalogue, besides the general ones.
func TakeApart(r Record, editions map[string]bool) Apart {
	a := Apart{Publisher: CleanPublisher(r.Publisher), FieldVersion: strings.TrimSpace(r.Version), Architecture: r.Architecture, Language: r.Language}
	name := r.Name
	if !isPlain(name) {
		name = compose(name)
	}
	name = a.cutLanguage(name, languageTag)
	name = a.cutLanguage(name, bracketedTag)
	words := strings.Fields(Clean(name))
	words = a.dropArchitecture(words)
	words = a.dropLanguage(words)
	words = dropPublisher(words, a.Publisher)
	a.All = words
	words = a.dropVersion(words)
	a.Full = words
	words = a.dropPiece(words)
	a.Words, a.EditionWords = splitEdition(words, editions)
	if a.EditionWords == nil && r.Edition != "" {
		a.EditionWords = strings.Fields(Clean(r.Edition))
	}
	return a
}

// cutLanguage takes language tags, with or without a region, out of a name that still has its capitals and brackets.
func (a *Apart) cutLanguage(name string, tag *regexp.Regexp) string {
	for {
		m := tag.FindStringSubmatchIndex(name)
		if m == nil || !languageCodes[strings.ToLower(name[m[2]:m[3]])] {
			return name
		}
		a.Language = strings.ToLower(name[m[2]:m[3]])
		end := m[3]
		if len(m) > 4 {
			a.Language += "-" + name[m[4]:m[5]]
			end = m[5]
		}
		name = name[:m[2]] + " " + name[end:]
	}
}

func (a *Apart) dropArchitecture(words []string) []string {
	out := words[:0:0]
	for i := 0; i < len(words); i++ {
		if i+1 < len(words) {
			if arch, ok := architectures[words[i]+" "+words[i+1]]; ok {
				a.Architecture = arch
				i++
				continue
			}
		}
		if arch, ok := architectures[words[i]]; ok && len(words) > 1 {
			a.Architecture = arch
			continue
		}
		out = append(out, words[i])
	}
	return out
}

func (a *Apart) dropLanguage(words []string) []string {
	out := words[:0:0]
	for i, w := range words {
		if tag, ok := languages[w]; ok && i > 0 {
			a.Language = tag
			continue
		}
		out = append(out, w)
	}
	return out
}

// dropPublisher takes the publisher's name off the front of the product's, where something is left after it.
func dropPublisher(words []string, publisher string) []string {
	p := strings.Fields(publisher)
	if len(p) == 0 || len(words) <= len(p) {
		return words
	}
	for i := range p {
		w := words[i]
		if w == "and" {
			w = "&"
		}
		if w != p[i] {
			return words
		}
	}
	rest := words[len(p):]
	for len(rest) > 1 && legalForms[rest[0]] {
		rest = rest[1:]
	}
	return rest
}

// dropVersion takes version words off the end, and from anywhere where they agree with the version field.
func (a *Apart) dropVersion(words []string) []string {
	var out []string
	for i, w := range words {
		if i == 0 {
			out = append(out, w)
			continue
		}
		bare := strings.TrimPrefix(w, "v")
		isVersion := versionToken.MatchString(w)
		agrees := isVersion && a.FieldVersion != "" && (version.Begins(a.FieldVersion, bare) || version.Begins(bare, a.FieldVersion))
		year := isVersion && len(bare) == 4 && (strings.HasPrefix(bare, "19") || strings.HasPrefix(bare, "20"))
		dotted := isVersion && strings.Contains(bare, ".")
		if agrees || year || dotted || isVersion && tail(words[i+1:]) {
			if a.NameVersion == "" || year && !strings.Contains(a.NameVersion, ".") {
				a.NameVersion = bare
			}
			if n := len(out); n > 1 && releaseWords[out[n-1]] {
				out = out[:n-1]
			}
			continue
		}
		out = append(out, w)
	}
	for len(out) > 1 && releaseWords[out[len(out)-1]] {
		out = out[:len(out)-1]
	}
	return out
}

// tail reports whether words are only such as may follow a version: editions, pieces and more numbers.
func tail(words []string) bool {
	for _, w := range words {
		if !generalEditions[w] && w != "edition" && !numberedToken.MatchString(w) && !isPieceWord(w) {
			return false
		}
	}
	return true
}

func isPieceWord(w string) bool {
	for _, r := range pieceRules {
		for _, x := range r.words {
			if x == w {
				return true
			}
		}
	}
	return false
}

func (a *Apart) dropPiece(words []string) []string {
	for _, rule := range pieceRules {
		for i := 1; i+len(rule.words) <= len(words); i++ {
			if !hasWords(words[i:], rule.words) {
				continue
			}
			a.Piece = rule.piece
			end := i + len(rule.words)
			for end < len(words) && numberedToken.MatchString(words[end]) {
				end++
			}
			a.PieceWords = words[i:end]
			out := append(append([]string(nil), words[:i]...), words[end:]...)
			for len(out) > 1 && (out[len(out)-1] == "for" || numberedToken.MatchString(out[len(out)-1]) && rule.piece == Update) {
				out = out[:len(out)-1]
			}
			return out
		}
	}
	return words
}

func hasWords(words, want []string) bool {
	for i := range want {
		if words[i] != want[i] {
			return false
		}
	}
	return true
}

// splitEdition takes edition words off the end of a name, with the word "edition" itself.
func splitEdition(words []string, known map[string]bool) (rest, edition []string) {
	end := len(words)
	for end > 1 {
		w := words[end-1]
		if w != "edition" && w != "ed" && !generalEditions[w] && !known[w] {
			break
		}
		end--
	}
	for _, w := range words[end:] {
		if w != "edition" && w != "ed" {
			edition = append(edition, w)
		}
	}
	return words[:end], edition
}
