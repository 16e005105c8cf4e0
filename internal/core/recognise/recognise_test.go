package recognise

import (
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

func testCatalogue() *Catalogue {
	return NewCatalogue(Source{Products: []Product{
		{ID: 1, Publisher: "Ostwick Foundry Ltd", Name: "Skerrymap Master", Titles: []Title{
			{ID: 11, Product: 1, Version: "5", Model: Commercial, Suite: ""},
			{
				ID:      12,
				Product: 1,
				Version: "6",
				Model:   Commercial,
				Aliases: []string{"Skerry Map Master", "swid:ostwick.example+skm6", "skmaster.exe"},
			},
		}},
		{
			ID:        2,
			Publisher: "Ostwick Foundry Ltd",
			Name:      "Skerrymap Viewer",
			Titles:    []Title{{ID: 21, Product: 2, Suite: "Skerrymap Master", Model: Commercial}},
		},
		{ID: 3, Publisher: "Pelmar & Voss", Name: "Tidewheel", Titles: []Title{
			{ID: 31, Product: 3, Edition: "Standard", EditionRank: 1, Model: Commercial},
			{ID: 32, Product: 3, Edition: "Professional", EditionRank: 2, Model: Commercial},
		}},
		{ID: 4, Publisher: "Quernstone", Name: "Lodeglass Runtime",
			Titles: []Title{{ID: 41, Product: 4, Model: Free}}},
		{
			ID:        5,
			Publisher: "Quernstone",
			Name:      "Notch 3 Modeller",
			Titles:    []Title{{ID: 51, Product: 5, Model: Commercial}},
		},
		{ID: 6, Publisher: "Harrowmere", Name: "Viewer", Titles: []Title{{ID: 61, Product: 6, Model: Commercial}}},
		{
			ID:        7,
			Publisher: "Isbrand",
			Name:      "Viewer",
			Titles: []Title{
				{
					ID:      71,
					Product: 7,
					Model:   Commercial,
					Aliases: []string{"cpe:2.3:a:isbrand:ibview:*:*:*:*:*:*:*:*", "pkg:deb/debian/ibview"},
				},
			},
		},
	}})
}

func TestDecide(t *testing.T) {
	g := New(testCatalogue(), []Decision{{ID: 1, Key: "|skm special", Product: 1},
		{ID: 2, Key: "|colour tool", Product: 0}})
	for _, c := range []struct {
		r       Record
		product int64
		edition string
		version string // of the title
		by      Step
		whyNot  string
	}{
		{Record{Publisher: "Ostwick Foundry Ltd.", Name: "Skerrymap Master 6.1 (64-bit)", Version: "6.1.204"}, 1, "",
			"6", ByCatalogue, ""},
		{Record{Publisher: "OSTWICK FOUNDRY", Name: "Skerrymap® Master 5 x86 de-DE"}, 1, "", "5", ByCatalogue, ""},
		{Record{Publisher: "Ostwick Foundry", Name: "Ostwick Foundry Skerrymap Master", Version: "7.0"}, 1, "", "7.0",
			ByCatalogue, ""},
		{Record{Name: "Skerry Map Master v5.2"}, 1, "", "5", ByCatalogue, ""},
		{Record{Name: "whatever", TagID: "ostwick.example+skm6", Version: "6.2"}, 1, "", "6", ByIdentifier, ""},
		{Record{Name: "???", FileName: "SKMaster.exe", Version: "5.0"}, 1, "", "5", BySignature, ""},
		{Record{Name: "SKM Special 4.4", Version: "4.4.1"}, 1, "", "4.4.1", ByDecision, ""},
		{Record{Name: "Colour-Tool 3"}, 0, "", "3", ByDecision, "decided: not software that counts"},
		{Record{Publisher: "Pelmar and Voss GmbH", Name: "Tidewheel Pro 2.0"}, 3, "Professional", "2.0", ByCatalogue,
			""},
		{Record{Publisher: "Pelmar & Voss", Name: "Tidewheel Standard Edition"}, 3, "Standard", "", ByCatalogue, ""},
		{Record{Publisher: "Pelmar & Voss", Name: "Tidewheel", Edition: "Professional"}, 3, "Professional", "",
			ByCatalogue, ""},
		{Record{Publisher: "Pelmar & Voss", Name: "Tidewheel"}, 3, "", "", ByCatalogue, ""},
		{Record{Publisher: "Quernstone", Name: "Lodeglass Runtime 2.1"}, 4, "", "2.1", ByCatalogue,
			"licence model free"},
		{Record{Publisher: "Quernstone", Name: "Notch 3 Modeller 8.1", Version: "8.1"}, 5, "", "8.1", ByCatalogue, ""},
		{Record{Publisher: "Ostwick Foundry", Name: "Security Update for Skerrymap Master 6 (KB20431)"}, 1, "", "6",
			ByCatalogue, "an update, not the program itself"},
		{Record{Publisher: "Ostwick Foundry", Name: "Sprachpaket für Skerrymap Master"}, 1, "", "", ByCatalogue,
			"a language pack, not the program itself"},
		{Record{Publisher: "Ostwick Foundry", Name: "Skerrymap Master 6 Update 3"}, 1, "", "6", ByCatalogue,
			"an update, not the program itself"},
		{Record{Publisher: "Ostwick Foundry", Name: "Skerrymap Master Language Pack"}, 1, "", "", ByCatalogue,
			"a language pack, not the program itself"},
		{Record{Publisher: "Ostwick Foundry", Name: "Skerrymap Master Trial"}, 1, "", "", ByCatalogue, "a trial"},
		{Record{Name: "Viewer 2.0"}, 0, "", "2.0", "", "not recognised"},
		{Record{Publisher: "Isbrand AS", Name: "Viewer 2.0"}, 7, "", "2.0", ByCatalogue, ""},
		{Record{Publisher: "Somebody Else", Name: "Viewer"}, 0, "", "", "", "not recognised"},
		{Record{Name: "x", CPE: "cpe:2.3:a:isbrand:ibview:4.0:*:*:*:*:*:*:*", Version: "4.0"}, 7, "", "4.0",
			ByIdentifier, ""},
		{Record{Name: "x", CPE: "cpe:2.3:a:quernstone:lodeglass_runtime:2.1:*:*:*:*:*:*:*"}, 4, "", "", ByIdentifier,
			"licence model free"},
		{Record{Name: "x", PURL: "pkg:deb/debian/ibview@4.0-1?arch=amd64"}, 7, "", "", ByIdentifier, ""},
	} {
		res, _ := g.Decide(c.r)
		if res.Product != c.product || res.Edition != c.edition || res.TitleVersion != c.version || res.By != c.by ||
			res.WhyNot() != c.whyNot {
			_, steps := g.Trace(c.r)
			t.Errorf(
				"%+v:\n got product %d edition %q version %q by %q why %q\nwant %d %q %q %q %q\n%v",
				c.r,
				res.Product,
				res.Edition,
				res.TitleVersion,
				res.By,
				res.WhyNot(),
				c.product,
				c.edition,
				c.version,
				c.by,
				c.whyNot,
				steps,
			)
		}
	}
}

func TestTraceNamesEveryStepUpToTheAnswer(t *testing.T) {
	g := New(testCatalogue(), nil)
	res, steps := g.Trace(Record{Publisher: "Ostwick", Name: "Skerry Map Master 6"})
	if res.Product != 1 {
		t.Fatal("not recognised")
	}
	var names []string
	for _, s := range steps {
		names = append(names, s.Step)
	}
	if got := strings.Join(names, ","); !strings.HasPrefix(
		got,
		"clean,take apart,identifier,signature,decision,catalogue",
	) {
		t.Errorf("steps %s", got)
	}
	if last := steps[len(steps)-1].Outcome; !strings.Contains(last, "other name") {
		t.Errorf("the last step does not say that an alias decided: %s", last)
	}
}

func TestTakeApart(t *testing.T) {
	for _, c := range []struct {
		r                             Record
		words, arch, lang, ver, piece string
	}{
		{Record{Name: "Gannet Database 2019 (x64) en-US", Version: "15.0.2000"}, "gannet database", "x64", "en-US",
			"15.0.2000", ""},
		{Record{Name: "Oyster Ledger Deutsch 32 Bit 4.1"}, "oyster ledger", "x86", "de", "4.1", ""},
		{Record{Name: "Kelpline C++ Compiler v12"}, "kelpline c++ compiler", "", "", "12", ""},
		{Record{Name: "Murrelet (fr) Version 3"}, "murrelet", "", "fr", "3", ""},
		{Record{Name: "7th Wave"}, "7th wave", "", "", "", ""},
		{Record{Name: "Saltmark Agent Hotfix 12", Version: "4.0"}, "saltmark agent", "", "", "4.0", "update"},
		{Record{Name: "Ｆｊｏｒｄｐｅｎ　Suite"}, "fjordpen suite", "", "", "", ""},
	} {
		a := TakeApart(c.r, nil)
		if got := strings.Join(a.Words(), " "); got != c.words || a.Architecture != c.arch || a.Language != c.lang ||
			a.Version() != c.ver ||
			string(a.Piece) != c.piece {
			t.Errorf("%q: %q %q %q %q %q", c.r.Name, got, a.Architecture, a.Language, a.Version(), a.Piece)
		}
	}
}

func keyOf(r Record) string {
	a := TakeApart(r, nil)
	return a.Key()
}

func TestKeyIsTheSameForEveryVersionArchitectureAndLanguage(t *testing.T) {
	want := keyOf(Record{Publisher: "Tarnquist", Name: "Oyster Payroll"})
	for _, r := range []Record{
		{Publisher: "Tarnquist AB", Name: "Oyster Payroll 4.2", Version: "4.2.0"},
		{Publisher: "TARNQUIST", Name: "Oyster Payroll (64-bit)", Version: "9"},
		{Publisher: "Tarnquist", Name: "Oyster Payroll 2024 x64 nb-NO", Version: "24.1"},
		{Publisher: "Tarnquist", Name: "Tarnquist Oyster Payroll (Deutsch)"},
	} {
		if got := keyOf(r); got != want {
			t.Errorf("%+v: key %q, want %q", r, got, want)
		}
	}
}

// Whatever the catalogue learns, the key that a decision holds on to stays.
func TestKeysDoNotDependOnTheCatalogue(t *testing.T) {
	c := NewCatalogue(Source{Products: []Product{
		{ID: 1, Publisher: "Tarnquist AB", Name: "Oyster", Titles: []Title{{ID: 1, Product: 1, Edition: "Payroll"},
			{ID: 2, Product: 1, Edition: "Modeller"}, {ID: 3, Product: 1, Edition: "Oyster"}}},
		{ID: 2, Publisher: "Notch", Name: "Payroll"},
	}, Publishers: []Publisher{{ID: 1, Name: "Tarnquist", Aliases: []string{"Oyster Works"}}}})
	for _, r := range []Record{
		{Publisher: "Tarnquist", Name: "Oyster Payroll 4.2"}, {Name: "Tarnquist Oyster 3 Modeller"},
		{Name: "Notch 3 Modeller 8"}, {Publisher: "Oyster Works", Name: "Oyster Payroll 3 x64"},
		{Name: "Payroll Oyster 7"},
	} {
		a := TakeApart(r, c)
		if got, want := a.Key(), keyOf(r); got != want {
			t.Errorf("%+v: key %q beside the catalogue, %q without", r, got, want)
		}
	}
}

func TestClean(t *testing.T) {
	// Unicode NFKC (UAX #15) turns U+2122 into "TM": marks must go first.
	if norm.NFKC.String("™") != "TM" {
		t.Fatal("the reason for taking marks out first no longer holds")
	}
	for in, want := range map[string]string{
		"Skerrymap™ Master®": "skerrymap master", "  A  -- B_c ": "a b c", "node.js (LTS).": "node.js lts",
		"C#/C++":  "c# c++",
		"STRASSE": "strasse", "Straße": "strasse", "ﬁne": "fine", "": "", "v1.0 ": "v1.0",
	} {
		if got := Clean(in); got != want {
			t.Errorf("Clean(%q) = %q, want %q", in, got, want)
		}
	}
	for in, want := range map[string]string{
		"Ostwick Foundry, Ltd.": "ostwick foundry", "Pelmar and Voss GmbH & Co. KG": "pelmar & voss", "AS": "as",
		"Lystrand A.S.": "lystrand",
	} {
		if got := CleanPublisher(in); got != want {
			t.Errorf("CleanPublisher(%q) = %q, want %q", in, got, want)
		}
	}
}

func TestPropose(t *testing.T) {
	c := testCatalogue()
	p := New(c, nil).Propose(Record{Publisher: "Ostwik", Name: "Skerrymap Mastr"}, 5)
	if len(p) == 0 || p[0].Product > 2 {
		t.Errorf("proposals %v", p)
	}
}

// A word for an edition that the catalogue has no edition of that name for keeps a record from being decided, by its
// name and by its file; the trace and the proposal say so. A decision and an exact identifier decide all the same.
func TestEditionsThatNobodyKnows(t *testing.T) {
	c := NewCatalogue(Source{Products: []Product{
		{ID: 1, Publisher: "Brack", Name: "Sheet", Titles: []Title{
			{ID: 1, Product: 1, Edition: "Professional", EditionRank: 2,
				Aliases: []string{"sheetwork.exe", "pkg:generic/sheet"}}}},
		{ID: 2, Publisher: "Brack", Name: "Plotboard", Titles: []Title{{ID: 2, Product: 2}}},
		{ID: 3, Publisher: "Brack", Name: "Quillstand Express", Titles: []Title{{ID: 3, Product: 3}}},
		{ID: 4, Publisher: "Brack", Name: "Inkwell", Titles: []Title{{ID: 4, Product: 4, Edition: "Community"},
			{ID: 5, Product: 4, Edition: "Enterprise", EditionRank: 2}}},
	}})
	g := New(c, nil)
	for _, x := range []struct {
		record  Record
		product int64
		edition string
	}{
		{Record{Publisher: "Brack", Name: "Sheet Pro 6.1"}, 1, "Professional"},
		{Record{Publisher: "Brack", Name: "Sheet"}, 1, "Professional"},
		{Record{Publisher: "Brack", Name: "Sheet Express 6.1"}, 0, ""},
		{Record{Publisher: "Brack", Name: "Sheet LT"}, 0, ""},
		{Record{Publisher: "Brack", Name: "Sheet (lt)"}, 1, "Professional"}, // in Lithuanian
		{Record{Publisher: "Brack", Name: "Sheet", Edition: "Starter"}, 0, ""},
		{Record{Publisher: "Brack", Name: "Sheet Express", FileName: "sheetwork.exe"}, 0, ""},
		{Record{Publisher: "Brack", Name: "Sheet Express", PURL: "pkg:generic/sheet"}, 1, "Professional"},
		{Record{Publisher: "Brack", Name: "Plotboard Community Edition"}, 0, ""},
		{Record{Publisher: "Brack", Name: "Enterprise Plotboard"}, 0, ""},
		{Record{Publisher: "Brack", Name: "Plotboard"}, 2, ""},
		{Record{Publisher: "Brack", Name: "Quillstand Express 3"}, 3, ""},
		{Record{Publisher: "Brack", Name: "Inkwell Community"}, 4, "Community"},
		{Record{Publisher: "Brack", Name: "Inkwell Student"}, 0, ""},
	} {
		res, _ := g.Decide(x.record)
		if res.Product != x.product || res.Edition != x.edition {
			t.Errorf("%+v: product %d, edition %q, want %d, %q", x.record, res.Product, res.Edition, x.product,
				x.edition)
		}
	}
	r := Record{Publisher: "Brack", Name: "Sheet Express"}
	_, steps := g.Trace(r)
	said := false
	for _, s := range steps {
		said = said || strings.Contains(s.Outcome, `"express" is an edition, and the catalogue has none of that name`)
	}
	if !said {
		t.Errorf("the trace does not say why: %+v", steps)
	}
	p := g.Propose(r, 3)
	if len(p) == 0 || p[0].Product != 1 || !slices.Equal(p[0].OtherEdition, []string{"express"}) ||
		p[0].Edition != "" {
		t.Errorf("%+v", p)
	}
	decided := New(c, []Decision{{Key: "brack|sheet express", Product: 1}})
	if res, apart := decided.Decide(r); res.Product != 1 {
		t.Errorf("%q was decided by somebody, and is %+v", apart.Key(), res)
	}
}

func FuzzTakeApart(f *testing.F) {
	f.Add("Ostwick", "Skerrymap® Master 6.1 (64-bit) de-DE", "6.1")
	f.Add("", "(x64)", "")
	g := New(testCatalogue(), nil)
	f.Fuzz(func(t *testing.T, publisher, name, v string) {
		r := Record{Publisher: publisher, Name: name, Version: v}
		res, a := g.Decide(r)
		again, b := g.Decide(r)
		if res.Product != again.Product || a.Key() != b.Key() {
			t.Fatal("two answers to one record")
		}
		if utf8.ValidString(name) && Clean(Clean(name)) != Clean(name) {
			t.Fatalf("cleaning %q twice gives %q, then %q", name, Clean(name), Clean(Clean(name)))
		}
		traced, _ := g.Trace(r)
		if traced.Product != res.Product || traced.By != res.By {
			t.Fatal("the trace says otherwise than the decision")
		}
	})
}
