package recognise

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/version"
)

func suiteCatalogue(suites ...Suite) *Catalogue {
	var products []Product
	for i, name := range []string{"Fjordpen Suite", "Fjordpen Writer", "Fjordpen Table", "Fjordpen Slides",
		"Fjordpen Mail", "Holm Suite"} {
		id := int64(i + 1)
		products = append(
			products,
			Product{ID: id, Publisher: "Fjordpen", Name: name, Titles: []Title{{ID: id, Product: id}}},
		)
	}
	products[5].Titles = []Title{{ID: 6, Product: 6}}
	return NewCatalogue(Source{Products: products, Suites: suites})
}

func under(f Folds, i int) int64 {
	if f.Under == nil || f.Under[i] == nil {
		return 0
	}
	return f.Under[i].Product
}

func TestSuitesByMarkerPartsVersionAndEdition(t *testing.T) {
	parts := []SuitePart{{Product: 2}, {Product: 3}, {Product: 4, Version: "16"}, {Product: 5, Edition: "Pro"}}
	for _, c := range []struct {
		what    string
		suite   Suite
		present []Present
		under   []int64
		found   int // suites that are there by their parts alone
	}{
		{"a marker", Suite{Product: 1, Parts: parts}, []Present{{Product: 1}, {Product: 2},
			{Product: 6}}, []int64{0, 1, 0}, 0},
		{"no marker", Suite{Product: 1, Parts: parts}, []Present{{Product: 2}, {Product: 3}}, []int64{0, 0}, 0},
		{"two of four", Suite{Product: 1, Parts: parts, Need: 2}, []Present{{Product: 2},
			{Product: 3}}, []int64{1, 1}, 1},
		{"one of four", Suite{Product: 1, Parts: parts, Need: 2}, []Present{{Product: 2}}, []int64{0}, 0},
		{"one part in two versions is one part", Suite{Product: 1, Parts: parts, Need: 2},
			[]Present{{Product: 2, Version: "1"}, {Product: 2, Version: "2"}}, []int64{0, 0}, 0},
		{"all of them, a version and an edition wrong", Suite{Product: 1, Parts: parts, Need: 4},
			[]Present{{Product: 2}, {Product: 3}, {Product: 4, Version: "15.1"}, {Product: 5, Edition: "Basic"}},
			[]int64{0, 0, 0, 0}, 0},
		{"all of them", Suite{Product: 1, Parts: parts, Need: 4}, []Present{{Product: 2}, {Product: 3},
			{Product: 4, Version: "16.2"}, {Product: 5, Edition: "Pro"}}, []int64{1, 1, 1, 1}, 1},
		{"only the version that belongs to it folds", Suite{Product: 1, Parts: parts}, []Present{{Product: 1},
			{Product: 4, Version: "15"}, {Product: 4, Version: "16.0"}}, []int64{0, 0, 1}, 0},
		{"the suite in another version", Suite{Product: 1, Version: "2019", Parts: parts},
			[]Present{{Product: 1, Version: "2016"}, {Product: 2}}, []int64{0, 0}, 0},
		{"the suite in its edition", Suite{Product: 1, Edition: "Plus", Parts: parts},
			[]Present{{Product: 1, Edition: "Plus"}, {Product: 2}}, []int64{0, 1}, 0},
		{"a marker beside enough parts is no second suite", Suite{Product: 1, Parts: parts, Need: 1},
			[]Present{{Product: 1}, {Product: 2}}, []int64{0, 1}, 0},
	} {
		cat := suiteCatalogue(c.suite)
		f := cat.Fold(c.present)
		for i, want := range c.under {
			if got := under(f, i); got != want {
				t.Errorf("%s: %+v folds under %d, want %d", c.what, c.present[i], got, want)
			}
			if why := strings.Join(cat.WhyFold(c.present[i], c.present), "; "); c.present[i].Product != 1 &&
				c.present[i].Product != 6 &&
				strings.HasPrefix(why, "part of") != (want != 0) {
				t.Errorf("%s: %+v: %q", c.what, c.present[i], why)
			}
		}
		if len(f.Inferred) != c.found {
			t.Errorf("%s: %d suites are there by parts, want %d", c.what, len(f.Inferred), c.found)
		}
	}
}

func TestSuitesThatTitlesName(t *testing.T) {
	c := testCatalogue()
	if f := c.Fold([]Present{{Product: 1}, {Product: 2}}); under(f, 1) != 1 || under(f, 0) != 0 {
		t.Errorf("the viewer folds under the suite: %+v", f)
	}
	if f := c.Fold([]Present{{Product: 2}}); under(f, 0) != 0 {
		t.Errorf("a part alone does not fold: %+v", f)
	}
	if kin := c.Kin(2); !slices.Equal(kin, []int64{1, 2}) {
		t.Errorf("kin %v", kin)
	}
}

// Against the definition read aloud: a part folds if some suite lists it in this edition and version and is there.
func TestFoldAgainstTheDefinition(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 4000 {
		var suites []Suite
		for i := range 1 + r.IntN(3) {
			s := Suite{
				ID:      int64(i + 1),
				Product: []int64{1, 6}[r.IntN(2)],
				Need:    r.IntN(4),
				Version: []string{"", "2"}[r.IntN(2)],
			}
			for _, p := range r.Perm(4)[:1+r.IntN(4)] {
				s.Parts = append(
					s.Parts,
					SuitePart{Product: int64(p + 2), Version: []string{"", "", "1", "2"}[r.IntN(4)]},
				)
			}
			suites = append(suites, s)
		}
		var present []Present
		for range r.IntN(6) {
			present = append(present, Present{Product: int64(1 + r.IntN(6)), Version: []string{"1", "2.1"}[r.IntN(2)]})
		}
		f := suiteCatalogue(suites...).Fold(present)
		for i, h := range present {
			want := false
			for _, s := range suites {
				lists, marker, have := false, false, 0
				for _, p := range s.Parts {
					lists = lists || p.Product == h.Product && version.Begins(h.Version, p.Version)
					for _, o := range present {
						if o.Product == p.Product && version.Begins(o.Version, p.Version) {
							have++
							break
						}
					}
				}
				for _, o := range present {
					marker = marker || o.Product == s.Product && version.Begins(o.Version, s.Version)
				}
				want = want || lists && (marker || s.Need > 0 && have >= s.Need)
			}
			if got := under(f, i) != 0; got != want {
				t.Fatalf("%+v of %+v with %+v folds: %v, want %v", h, present, suites, got, want)
			}
		}
	}
}

func TestRules(t *testing.T) {
	like := func(field, v string) condition.Condition {
		return condition.Condition{Field: field, Op: "like", Value: v}
	}
	g := New(testCatalogue(), []Decision{{ID: 1, Key: "|tidy special", Product: 3}}).WithRules([]Rule{
		{ID: 1, Name: "codecs are nothing", Outcome: IsNothing, Records: like("name", "*codec*")},
		{
			ID:      2,
			Name:    "tidy is Tidewheel",
			Outcome: IsTitle,
			Product: 3,
			Edition: "Professional",
			Records: condition.Condition{
				All: []condition.Condition{like("name", "tidy*"), like("publisher", "pelmar*")},
			},
		},
		{ID: 3, Name: "tidy is a map", Outcome: IsTitle, Product: 1, Records: like("name", "tidy*")},
		{ID: 4, Name: "test machines", Outcome: IsExcluded, Records: like("name", "*")},
		{
			ID:      5,
			Name:    "drivers",
			Outcome: IsNothing,
			Records: condition.Condition{Field: "piece", Op: "is", Value: "driver"},
		},
	})
	for _, c := range []struct {
		r       Record
		product int64
		edition string
		by      Step
		rule    int64
	}{
		{Record{Name: "Sea Codec 3"}, 0, "", ByRule, 1},
		{Record{Publisher: "Pelmar & Voss", Name: "Tidy 4.0"}, 3, "Professional", ByRule, 2},
		{Record{Publisher: "Other", Name: "Tidy 4.0"}, 1, "", ByRule, 3},
		// a decision on this very name goes first
		{Record{Name: "Tidy Special"}, 3, "", ByDecision, 0},
		// and the catalogue comes last
		{Record{Publisher: "Quernstone", Name: "Lodeglass Runtime"}, 4, "", ByCatalogue, 0},
		{Record{Publisher: "Quernstone", Name: "Sound Driver 2"}, 0, "", ByRule, 5},
		{Record{Name: "Unheard of"}, 0, "", "", 0},
	} {
		res, _ := g.Decide(c.r)
		if res.Product != c.product || res.Edition != c.edition || res.By != c.by || res.Rule != c.rule {
			t.Errorf("%+v: %+v", c.r, res)
		}
		if traced, _ := g.Trace(c.r); traced != res {
			t.Errorf("%+v: the trace says %+v", c.r, traced)
		}
	}
	if !(&Rule{From: 10, Until: 20}).InForce(10) || (&Rule{From: 10, Until: 20}).InForce(20) || !(&Rule{}).InForce(5) {
		t.Error("a rule holds from its first day until before its last")
	}
	if err := (condition.Condition{Field: "title", Op: "has", Value: "1"}).CheckRecord(false); err == nil {
		t.Error("a rule that finds the title cannot ask for it")
	}
	if err := (condition.Condition{Field: "cores", Op: "is", Value: "1"}).CheckRecord(true); err == nil {
		t.Error("a record has no cores")
	}
}

// A score alone decides only from the limit that the users set, and the trace says so.
func TestScoreDecidesOnlyWithALimit(t *testing.T) {
	g := New(testCatalogue(), nil)
	r := Record{Publisher: "Ostwick Foundry", Name: "Skerrymap Mastr 6"}
	if res, _ := g.Decide(r); res.Product != 0 {
		t.Fatal("decided without a limit")
	}
	score := g.Propose(r, 1)[0].Score
	if res, _ := g.WithLimit(score + 0.001).Decide(r); res.Product != 0 {
		t.Error("decided below the limit")
	}
	res, steps := g.WithLimit(score).Trace(r)
	if res.Product != 1 || res.By != ByScore || !strings.Contains(steps[len(steps)-1].LookedAt, "limit") {
		t.Errorf("%+v %v", res, steps[len(steps)-1])
	}
}
