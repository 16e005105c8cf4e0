package recognise

import (
	"slices"
	"strings"
	"testing"

	"ensomet/internal/core/condition"
)

// A rule may ask for every field of a record. What a source does not give apart is asked for as the name says it.
func TestRulesAskForEveryField(t *testing.T) {
	r := Record{
		Publisher:    "Ostwick",
		Name:         "Odd Thing (x64) German",
		Version:      "7.1",
		Edition:      "Master",
		Architecture: "arm64",
		Language:     "de",
		FileName:     "odd.exe",
		TagID:        "tag-7",
		PURL:         "pkg:deb/debian/odd@7",
		CPE:          "cpe:2.3:a:ostwick:odd:7:*:*:*:*:*:*:*",
	}
	want := map[string]string{
		"publisher":    r.Publisher,
		"name":         r.Name,
		"version":      r.Version,
		"edition":      r.Edition,
		"architecture": r.Architecture,
		"language":     r.Language,
		"file_name":    r.FileName,
		"tag_id":       r.TagID,
		"purl":         r.PURL,
		"cpe":          r.CPE,
		"piece":        string(Whole),
	}
	ask := func(r Record, field, value string) bool {
		g := New(testCatalogue(), nil).WithRules([]Rule{{
			ID:      9,
			Outcome: IsNothing,
			Records: condition.Condition{Field: field, Op: "is", Value: value},
		}})
		res, _ := g.Decide(r)
		return res.By == ByRule && res.Rule == 9
	}
	for _, f := range condition.RecordFields {
		if f.Type == condition.Title {
			if facts := FactsOf(&r, Whole, 5); !facts.Has(5) || facts.Has(4) || facts.In("any") ||
				facts.Number("cores") != 0 {
				t.Error("a record is one title, in no group, and has no cores")
			}
			continue
		}
		value, known := want[f.Name]
		if !known {
			t.Errorf("nothing is said of the field %s", f.Name)
		}
		bare := r // identifiers of the catalogue come first
		if !ask(bare, f.Name, value) {
			t.Errorf("%s is %q, and the rule does not say so", f.Name, value)
		}
		if ask(bare, f.Name, value+" not") {
			t.Errorf("%s is %q, and the rule says otherwise", f.Name, value)
		}
	}
	r.Architecture, r.Language = "", ""
	apart := TakeApart(r, nil)
	if apart.Architecture == "" || !ask(r, "architecture", apart.Architecture) {
		t.Errorf("the name says %q of the architecture", apart.Architecture)
	}
	if apart.Language != "" && !ask(r, "language", apart.Language) {
		t.Errorf("the name says %q of the language", apart.Language)
	}
}

// A name that the catalogue does not decide says why: it has not heard of it, knows it of others, or of several.
func TestTraceSaysWhyNot(t *testing.T) {
	g := New(testCatalogue(), nil)
	for _, c := range []struct {
		r    Record
		says string
	}{
		{Record{Publisher: "Nobody", Name: "Unheard Of"}, "no product or other name like this"},
		{Record{Publisher: "Somebody Else", Name: "Viewer"}, "the name is known, but of"},
	} {
		res, steps := g.Trace(c.r)
		if res.Product != 0 || !slices.ContainsFunc(steps, func(s TraceStep) bool {
			return s.Step == string(ByCatalogue) && strings.Contains(s.Outcome, c.says)
		}) {
			t.Errorf("%+v: product %d, %+v", c.r, res.Product, steps)
		}
	}
}
