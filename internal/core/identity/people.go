package identity

import (
	"cmp"
	"slices"
	"strings"
)

// Person is what one source says of a person under one identifier.
type Person struct {
	Source string // empty where the key is a user_id of the house, or a name that evidence has instead of one
	Key    string // what the source calls him, often a log-on name
	PersonSigns
	First, Last int64 // when it was said, in seconds since 1970; 0 for unknown
	LetsName    bool  // the house lets it join what it fits by the local part of a log-on name
}

// PersonSigns are the signs of a person, as they were said.
type PersonSigns struct {
	DirectoryID string
	LogOns      []string // in any spelling
	Mail        string
}

// LogOn is a log-on name in the form in which names are compared. Domain is empty where nobody said it.
type LogOn struct{ Local, Domain string }

// FoldLogOn folds a log-on name or a mail address as any source writes it: `HALV\una`, una@halv.example, una.
func FoldLogOn(name string) LogOn {
	name = fold(name)
	if domain, local, is := strings.Cut(name, `\`); is {
		return LogOn{strings.TrimSpace(local), strings.TrimSpace(domain)}
	}
	if i := strings.LastIndexByte(name, '@'); i > 0 {
		return LogOn{name[:i], strings.TrimRight(name[i+1:], ".")}
	}
	return LogOn{Local: name}
}

// first is the first label of a domain: what its short name is.
func (l LogOn) first() string {
	first, _, _ := strings.Cut(l.Domain, ".")
	return first
}

// Fits reports whether two log-on names may be of one person: the local parts are the same, and at most one has a
// domain, or both the same, one of them cut to its short name perhaps.
func (l LogOn) Fits(o LogOn) bool {
	return l.Local != "" && l.Local == o.Local && (l.Domain == "" || o.Domain == "" || l.sameDomain(o))
}

func (l LogOn) sameDomain(o LogOn) bool {
	return l.Domain == o.Domain || flatOf(l.Domain, o.Domain) || flatOf(o.Domain, l.Domain)
}

// serviceNames are accounts that no person is behind (common practice), folded; machines end with a dollar.
var serviceNames = map[string]bool{
	"system":          true,
	"root":            true,
	"administrator":   true,
	"admin":           true,
	"guest":           true,
	"nobody":          true,
	"daemon":          true,
	"local service":   true,
	"network service": true,
	"www-data":        true,
	"postgres":        true,
	"backup":          true,
	"scheduler":       true,
	"gast":            true,
	"gjest":           true,
	"krbtgt":          true,
	"defaultaccount":  true,
	"umfd-0":          true,
	"dwm-1":           true,
}

// IsService reports whether nobody in particular is behind a log-on name, by how it is called: such accounts make no
// named user.
func IsService(name string) bool {
	l := FoldLogOn(name)
	if l.Local == "" || strings.HasSuffix(l.Local, "$") || serviceNames[l.Local] ||
		l.Domain == "nt authority" || l.Domain == "nt service" || l.Domain == "font driver host" ||
		l.Domain == "window manager" {
		return true
	}
	for _, start := range []string{"svc-", "svc_", "svc.", "service-", "service_", "sa-svc", "_"} {
		if strings.HasPrefix(l.Local, start) {
			return true
		}
	}
	return false
}

type people struct {
	list []Person
	said []foldedPerson
	numbered
}

type foldedPerson struct {
	directory, key string
	logOns         []LogOn
	certain        []certainSign
	blocks         []int32
}

// People says which records are one person. Accounts that nobody in particular is behind join nobody by their name.
func People(list []Person, decisions []Decision, opt Options) Result {
	p := &people{list: list, said: make([]foldedPerson, len(list)),
		numbered: numbered{number: make(map[value]int32, 4*len(list))}}
	for i := range list {
		p.fold(i)
	}
	return resolve(p, decisions, opt)
}

func (p *people) fold(i int) {
	r, f := &p.list[i], &p.said[i]
	f.directory, f.key = foldHex(r.DirectoryID), fold(r.Key)
	for _, n := range append(slices.Clone(r.LogOns), r.Mail, r.Key) {
		if l := FoldLogOn(n); l.Local != "" && !IsService(n) && !slices.Contains(f.logOns, l) {
			f.logOns = append(f.logOns, l)
		}
	}
	add := func(kind Kind, source, text string) {
		v := p.of(value{kind, source, text})
		if !slices.ContainsFunc(f.certain, func(s certainSign) bool { return s.value == v }) {
			f.certain = append(f.certain, certainSign{v, false})
		}
	}
	if f.directory != "" {
		add(ByDirectory, "", f.directory)
	}
	// what a source knows people by is an identifier where it has their log-on names besides; else it is one of these
	if f.key != "" && (r.Source == "" || len(r.LogOns) > 0 || r.Mail != "") {
		add(ByIdentifier, r.Source, f.key)
	}
	for _, l := range f.logOns {
		if l.Domain != "" {
			add(ByLogOn, "", l.Local+"@"+l.first())
		}
		if b := p.of(value{ByName, "", l.Local}); !slices.Contains(f.blocks, b) {
			f.blocks = append(f.blocks, b)
		}
	}
}

// Values are the values by which records that may be of one person are found, each with a letter for its kind.
func (r *Person) Values() []string {
	var out []string
	add := func(v string) {
		if !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	if d := foldHex(r.DirectoryID); d != "" {
		add("d:" + d)
	}
	if k := fold(r.Key); k != "" {
		add("k:" + k)
	}
	for _, n := range append(slices.Clone(r.LogOns), r.Mail, r.Key) {
		if l := FoldLogOn(n); l.Local != "" && !IsService(n) {
			add("l:" + l.Local)
		}
	}
	return out
}

func (p *people) size() int                 { return len(p.list) }
func (p *people) signs(i int) []certainSign { return p.said[i].certain }
func (p *people) blocks(i int) []int32      { return p.said[i].blocks }
func (p *people) values() []value           { return p.numbered.list }
func (p *people) byName(i int) bool         { return p.list[i].LetsName }
func (p *people) named(i int) (source, key string, own bool) {
	return p.list[i].Source, p.said[i].key, true
}

func (p *people) order(i, j int) int {
	a, b := &p.list[i], &p.list[j]
	return cmp.Or(
		cmp.Compare(a.Source, b.Source),
		cmp.Compare(a.Key, b.Key),
		cmp.Compare(a.DirectoryID, b.DirectoryID),
		slices.Compare(a.LogOns, b.LogOns),
		cmp.Compare(a.Mail, b.Mail),
		cmp.Compare(a.First, b.First),
	)
}

func (p *people) alike(i, j int) []Sign {
	for _, x := range p.said[i].logOns {
		for _, y := range p.said[j].logOns {
			if x.Fits(y) && (x.Domain == "" || y.Domain == "") {
				return []Sign{{Kind: ByName, Weight: Likely, Value: x.Local}}
			}
		}
	}
	return nil
}

// against returns what speaks against two groups: that one directory has two objects for them; that one source names
// both on the same days; that the log-on names that are alike are of two domains.
func (p *people) against(a, b []int) []Sign {
	var out []Sign
	for _, i := range a {
		for _, j := range b {
			x, y := &p.list[i], &p.list[j]
			if x.Source != y.Source {
				continue
			}
			// a log-on name is given again to somebody else; an object is not
			if d, e := p.said[i].directory, p.said[j].directory; d != "" && e != "" && d != e {
				return append(out, Sign{ByDirectory, Against, x.DirectoryID, y.DirectoryID})
			}
			if spansMeet(x.First, x.Last, y.First, y.Last) && p.said[i].key != p.said[j].key {
				return append(out, Sign{ByIdentifier, Against, x.Key, y.Key})
			}
		}
	}
	for _, i := range a {
		for _, j := range b {
			for _, x := range p.said[i].logOns {
				for _, y := range p.said[j].logOns {
					if x.Local == y.Local && x.Domain != "" && y.Domain != "" && x.first() == y.first() &&
						!x.sameDomain(y) {
						return append(out, Sign{ByLogOn, Against, x.Domain, y.Domain})
					}
				}
			}
		}
	}
	return out
}
