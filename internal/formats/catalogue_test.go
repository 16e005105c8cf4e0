package formats

import (
	"bytes"
	"maps"
	"reflect"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
)

// Expressions of the SPDX specification 2.3, annex D (D.4 and D.5), and others; what is open source follows from the
// list of the Open Source Initiative.
func TestModelOfLicence(t *testing.T) {
	open := recognise.OpenSource
	for expression, want := range map[string]recognise.LicenceModel{
		"MIT": open, "mit": open, "GPL-2.0-or-later": open, "GPL-3.0+": open, "CDDL-1.0": open,
		"LGPL-2.1-only OR MIT": open, "LGPL-2.1-only AND MIT AND BSD-2-Clause": open,
		"GPL-2.0-or-later WITH Bison-exception-2.2":   open,
		"MIT AND (LGPL-2.1-or-later OR BSD-3-Clause)": open, "LGPL-2.1-only OR BSD-3-Clause AND MIT": open,
		"(MIT)": open, "MIT OR LicenseRef-proprietary": open,
		"": "", "LicenseRef-proprietary": "", "MIT AND LicenseRef-proprietary": "",
		"DocumentRef-spdx-tool-1.2:LicenseRef-MIT-Style-2": "", "MIT OR": open, "MIT OR MIT": open, "(MIT": "",
		"MIT)": "", "AND": "", "MIT WITH": "", "()": "",
		"CC-BY-NC-4.0": "", "MIT LGPL-2.1-only": "", strings.Repeat("(", 400) + "MIT": "",
	} {
		if got := ModelOfLicence(expression); got != want {
			t.Errorf("%q is %q, want %q", expression, got, want)
		}
	}
}

func readCatalogue(t *testing.T, text string) ([]Entry, []*LineError, error) {
	t.Helper()
	form, err := Sniff(strings.NewReader(text), int64(len(text)))
	if err != nil {
		t.Fatal(err)
	}
	return ReadCatalogue(strings.NewReader(text), int64(len(text)), form)
}

func TestCataloguesOfSeveralForms(t *testing.T) {
	price := catalogue.Says{
		"list_price":    "120.5 NOK",
		"licence_model": "commercial",
		"aliases":       "Kald Mast|swid:km",
		"our_code":      "7",
	}
	want := []Entry{{catalogue.Key{Publisher: "Tvedrun", Product: "Kaldmast", Edition: "Pro", Version: "5"}, price},
		{catalogue.Key{Publisher: "Tvedrun", Product: "Isrand"}, catalogue.Says{}}}
	for name, text := range map[string]string{
		"csv": "publisher,product,edition,version,list_price,currency,licence_model,aliases,our_code\n" +
			"Tvedrun,Kaldmast,Pro,5,120.50,NOK,commercial,Kald Mast|swid:km,7\nTvedrun,Isrand,,,,,,,\n",
		"json": `{"format":"ensomet-catalogue-1","titles":[{"publisher":"Tvedrun","product":"Kaldmast","edition":"Pro","version":"5","list_price":"120.50","currency":"NOK","licence_model":"commercial","aliases":"Kald Mast|swid:km","our_code":"7"},{"publisher":"Tvedrun","product":"Isrand"}]}`,
		"cyclonedx": `{"bomFormat":"CycloneDX","specVersion":"1.6","components":[{"type":"application","publisher":"Tvedrun","name":"Kaldmast","version":"5","swid":{"tagId":"km","name":"x"},"properties":[{"name":"ensomet:edition","value":"Pro"},
			{"name":"ensomet:list_price","value":"120.50 NOK"},{"name":"ensomet:licence_model","value":"commercial"},{"name":"ensomet:aliases","value":"Kald Mast"},{"name":"ensomet:our_code","value":"7"}]},
			{"type":"application","publisher":"Tvedrun","name":"Isrand"},{"type":"file","name":"/usr/bin/x"}]}`,
	} {
		got, bad, err := readCatalogue(t, text)
		if err != nil || len(bad) > 0 || !reflect.DeepEqual(got, want) {
			t.Errorf("%s: %v %v %v", name, got, bad, err)
		}
	}
	// a document of somebody else: who made it stands in several places, and its licence says the model
	got, bad, err := readCatalogue(
		t,
		`{"bomFormat":"CycloneDX","specVersion":"1.6","components":[{"type":"library","supplier":{"name":"Havn"},"name":"kelp","version":"1.2","purl":"pkg:npm/kelp@1.2","licenses":[{"license":{"id":"MIT"}}]},
		{"type":"library","group":"org.havn","name":"weed","cpe":"cpe:2.3:a:havn:weed:*:*:*:*:*:*:*:*","licenses":[{"expression":"MIT AND LicenseRef-x"}]},{"type":"library","name":"nobody"}]}`,
	)
	if err != nil || len(got) != 2 || got[0].Publisher != "Havn" || got[0].Says["licence_model"] != "open_source" ||
		got[0].Says["aliases"] != "pkg:npm/kelp@1.2" || got[1].Publisher != "org.havn" ||
		got[1].Says["licence_model"] != "" ||
		got[1].Says["aliases"] != "cpe:2.3:a:havn:weed:*:*:*:*:*:*:*:*" ||
		len(bad) != 1 ||
		!strings.Contains(bad[0].Reason, "publisher is empty") {
		t.Errorf("%v %v %v", got, bad, err)
	}
	got, _, err = readCatalogue(t, "publisher,aliases,successor\nTvedrun,Old Tved,\nGone,,Tvedrun\nSelf,,Self\n")
	if err != nil || len(got) != 2 || got[0].Says["aliases"] != "Old Tved" || got[1].Says["successor"] != "Tvedrun" {
		t.Errorf("%v %v", got, err)
	}
	for _, text := range []string{`{"format":"ensomet-catalogue-1","titles":{}}`, "<SoftwareIdentity/>",
		`{"spdxVersion":"SPDX-2.3"}`, `{"bomFormat":"CycloneDX","components":3}`, "name,size\nx,1\n"} {
		if _, _, err := readCatalogue(t, text); err == nil {
			t.Errorf("%s was read", text)
		}
	}
}

func FuzzCatalogueComesBack(f *testing.F) {
	f.Add("Tvedrun", "Kaldmast", "Pro", "5", "tides", "a|b", "custom", "x")
	f.Add("A\"b", "C,d\ne", "", "", "", "|", "price", "<&>")
	f.Fuzz(func(t *testing.T, publisher, product, edition, version, category, aliases, field, value string) {
		row := titleRow(
			Entry{
				catalogue.Key{Publisher: publisher, Product: product, Edition: edition, Version: version},
				catalogue.Says{"category": category, "aliases": aliases, field: value},
			},
		)
		title, err := ParseTitle(row)
		if err != nil {
			return
		}
		e := title.Entry()
		again, err := TitleOf(e)
		if err != nil {
			t.Fatalf("%v: %v", e, err)
		}
		if got := again.Entry(); got.Key != e.Key || !maps.Equal(got.Says, e.Says) {
			t.Fatalf("%v, then %v", e, got)
		}
		for _, asCycloneDX := range []bool{false, true} {
			var b bytes.Buffer
			write := WriteCatalogueJSON
			if asCycloneDX {
				write = WriteCatalogueCycloneDX
			}
			if err := write(&b, []Entry{e}, time.Unix(0, 0)); err != nil {
				t.Fatal(err)
			}
			form, err := Sniff(bytes.NewReader(b.Bytes()), int64(b.Len()))
			if err != nil {
				t.Fatal(err)
			}
			if _, _, err := ReadCatalogue(bytes.NewReader(b.Bytes()), int64(b.Len()), form); err != nil {
				t.Fatalf("%v: %v\n%s", e, err, b.String())
			}
		}
	})
}
