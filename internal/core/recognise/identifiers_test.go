package recognise

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/knqyf263/go-cpe/naming"
)

// Both bindings of one name, from the examples of NIST IR 7695, sections 6.1.2.4, 6.1.3.3, 6.2.2.3 and 6.2.3.3.
func TestBindingsOfCPE(t *testing.T) {
	for _, c := range [][2]string{
		{"cpe:/a:microsoft:internet_explorer:8.0.6001:beta",
			"cpe:2.3:a:microsoft:internet_explorer:8.0.6001:beta:*:*:*:*:*:*"},
		{"cpe:/a:microsoft:internet_explorer:8.0.6001:beta::sp2",
			"cpe:2.3:a:microsoft:internet_explorer:8.0.6001:beta:*:sp2:*:*:*:*"},
		{"cpe:/a:microsoft:internet_explorer:8.%02:sp%01",
			"cpe:2.3:a:microsoft:internet_explorer:8.*:sp?:*:*:*:*:*:*"},
		{"cpe:/a:microsoft:internet_explorer:8.%2a:sp%3f",
			`cpe:2.3:a:microsoft:internet_explorer:8.\*:sp\?:*:*:*:*:*:*`},
		{"cpe:/a:hp:insight_diagnostics:7.4.0.1570::~~online~win2003~x64~",
			"cpe:2.3:a:hp:insight_diagnostics:7.4.0.1570:*:*:*:online:win2003:x64:*"},
		{"cpe:/a:hp:insight_diagnostics:7.4.0.1570:-:~~online~win2003~x64~",
			"cpe:2.3:a:hp:insight_diagnostics:7.4.0.1570:-:*:*:online:win2003:x64:*"},
		{"cpe:/a:foo%24bar:insight:7.4.0.1570:-:~~online~win2003~x64~",
			`cpe:2.3:a:foo\$bar:insight:7.4.0.1570:-:*:*:online:win2003:x64:*`},
		{"cpe:/a:hp:openview_network_manager:7.51::~~~linux~~",
			"cpe:2.3:a:hp:openview_network_manager:7.51:*:*:*:*:linux:*:*"},
	} {
		a, ok := readCPE(c[0])
		b, also := readCPE(c[1])
		if !ok || !also || naming.BindToFS(a) != naming.BindToFS(b) || naming.BindToFS(a) != c[1] ||
			cpeKey(a) != cpeKey(b) {
			t.Errorf("%s is %s, want %s", c[0], naming.BindToFS(a), c[1])
		}
	}
	for _, bad := range []string{"", "cpe:", "cpe:/a:foo%5cbar:big%24money_2010%07:::~~special~ipod_touch~80gb~",
		"cpe:/z:vendor:product", "cpe:2.3:a:vendor", "cpe:2.3:a:b*c:p:*:*:*:*:*:*:*:*"} {
		if _, ok := readCPE(bad); ok {
			t.Errorf("%q was read", bad)
		}
	}
}

// Relations of two values of an attribute: the rows of NIST IR 7696, table 6-2, for the product (where the alias must
// be the same or wider) and for the target software (where the two must only not exclude each other).
func TestMatchingOfCPE(t *testing.T) {
	name := func(product, software string) string {
		return "cpe:2.3:a:tvedrun:" + product + ":*:*:*:*:*:" + software + ":*:*"
	}
	for _, c := range []struct {
		alias, record string
		product       bool // the values taken as products
		software      bool // the values taken as target software
	}{
		{"*", "*", true, true},               // row 1: equal
		{"*", "-", true, true},               // row 2: superset
		{"*", "kaldmast", true, true},        // row 3: superset
		{"-", "*", false, true},              // row 5: subset
		{"-", "-", true, true},               // row 6: equal
		{"-", "kaldmast", false, false},      // row 7: disjoint
		{"kaldmast", "kaldmast", true, true}, // row 9: equal
		{"kaldmast", "isrand", false, false}, // row 9: disjoint
		{"kaldmast", "-", false, false},      // row 11: disjoint
		{"kaldmast", "*", false, true},       // row 12: subset
		{"kald*", "kaldmast", true, true},    // row 13: superset
		{"kald*", "isrand", false, false},    // row 13: disjoint
		{"kald????", "kaldmast", true, true},
		{"kald???", "kaldmast", false, false},
		{"kald*", "*", false, true},  // row 15: subset
		{"kald*", "-", false, false}, // row 16: disjoint
	} {
		for i, want := range []bool{c.product, c.software} {
			alias, record := name(c.alias, "*"), name(c.record, "*")
			if i == 1 {
				alias, record = name("p", c.alias), name("p", c.record)
			}
			a, ok := readCPE(alias)
			b, also := readCPE(record)
			if !ok || !also || cpeCovers(a, b) != want {
				t.Errorf("%s takes in %s: %v, want %v", alias, record, !want, want)
			}
		}
	}
}

func TestRecordsByCPE(t *testing.T) {
	c := NewCatalogue(Source{Products: []Product{
		{
			ID:        1,
			Publisher: "Tvedrun Verk",
			Name:      "Kaldmast",
			Titles:    []Title{{ID: 1, Product: 1, Aliases: []string{"cpe:2.3:a:tvedrun:kald_mast:*:*:*:*:*:*:*:*"}}},
		},
		{
			ID:        2,
			Publisher: "Tvedrun Verk",
			Name:      "Isrand",
			Titles: []Title{
				{
					ID:      2,
					Product: 2,
					Aliases: []string{
						"cpe:/a:tvedrun:isrand:4::~~~linux~~",
						"cpe:2.3:a:tvedrun:isrand_*:*:*:*:*:*:*:*:*",
					},
				},
			},
		},
	}})
	for _, x := range []struct {
		cpe  string
		want int64
	}{
		{"cpe:2.3:a:tvedrun:kald_mast:3.1:*:*:*:*:*:*:*", 1}, {"cpe:/a:tvedrun:kald_mast:3.1", 1},
		{"cpe:/a:tvedrun_verk:kaldmast", 1}, {"cpe:2.3:a:tvedrun:isrand:5.2:*:*:*:*:linux:*:*", 2},
		{"cpe:2.3:a:tvedrun:isrand:5.2:*:*:*:*:android:*:*", 0},
		{"cpe:2.3:a:tvedrun:isrand_viewer:1:*:*:*:*:*:*:*", 2}, {"cpe:2.3:a:other:kald_mast:3:*:*:*:*:*:*:*", 0},
		{"no cpe", 0},
	} {
		res, _ := New(c, nil).Decide(Record{Name: "zzz", CPE: x.cpe})
		if res.Product != x.want {
			t.Errorf("%s is %d, want %d", x.cpe, res.Product, x.want)
		}
	}
}

// The test suite of the package URL specification, as packageurl-go 0.1.1 carries it: a URL and its canonical form
// name one package, of the type, namespace and name that it says.
func TestPackageURLs(t *testing.T) {
	text, err := os.ReadFile("testdata/purl-test-suite.json")
	if err != nil {
		t.Fatal(err)
	}
	var suite []struct {
		Description, Purl, Type, Namespace, Name string
		Canonical                                string `json:"canonical_purl"`
		Invalid                                  bool   `json:"is_invalid"`
	}
	if err := json.Unmarshal(text, &suite); err != nil {
		t.Fatal(err)
	}
	for _, c := range suite {
		key := purlKey(c.Purl)
		switch {
		case c.Invalid && (c.Type == "cran" || c.Type == "swift" || c.Type == "conan"):
			// Asks of these types for a version or a channel, which an identifier of a title has not; the library
			// reads them since 0.1.2.
		case c.Invalid && key != "":
			t.Errorf("%s: %s was read as %s", c.Description, c.Purl, key)
		case c.Invalid:
		case key == "" || key != purlKey(c.Canonical):
			t.Errorf("%s: %s is %q, its canonical form %q", c.Description, c.Purl, key, purlKey(c.Canonical))
		case key != "pkg:"+c.Type+"/"+c.Namespace+"/"+c.Name:
			t.Errorf("%s: %s is %q", c.Description, c.Purl, key)
		}
	}
	if len(suite) < 25 {
		t.Errorf("only %d cases", len(suite))
	}
}
