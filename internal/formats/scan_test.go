package formats

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/recognise"

	cdx "github.com/CycloneDX/cyclonedx-go"
	spdxjson "github.com/spdx/tools-golang/json"
	spdx "github.com/spdx/tools-golang/spdx/v2/v2_3"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)

func tagFile(t testing.TB, name string) []byte {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("testdata/swid", name))
	if err != nil {
		t.Fatal(err)
	}
	return text
}

// The example tags of NIST IR 8060 for the fictional Roadrunner Detector: primary, patch, supplemental and corpus
// tag, and a tag made by a discovery tool (written from memory of its text, shortened; the hashes are not those of
// the text). Read, written and read again they mean the same.
func TestTagsOfNISTIR8060(t *testing.T) {
	for _, name := range []string{"roadrunner-primary.swidtag", "roadrunner-patch.swidtag",
		"roadrunner-supplemental.swidtag", "roadrunner-corpus.swidtag", "evidence.swidtag"} {
		tag, err := ReadSWID(bytes.NewReader(tagFile(t, name)))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		var b bytes.Buffer
		if err := WriteSWID(&b, tag); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		again, err := ReadSWID(bytes.NewReader(b.Bytes()))
		if err != nil {
			t.Fatalf("%s: %v\n%s", name, err, b.String())
		}
		if !reflect.DeepEqual(tag, again) {
			t.Errorf("%s means something else after writing:\n%+v\n%+v\n%s", name, tag, again, b.String())
		}
	}
	tag, _ := ReadSWID(bytes.NewReader(tagFile(t, "roadrunner-primary.swidtag"))) // read above
	in := tag.Install("")
	want := ScanInstall{
		Publisher:   "The ACME Corporation",
		Name:        "ACME Roadrunner Detector 2013 Coyote Edition SP1",
		Version:     "4.1.5",
		Edition:     "coyote",
		TagID:       "com.acme.rrd2013-ce-sp1-v4-1-5-0",
		FileName:    "rrdetector.exe",
		InstallPath: "%programdata%/rrdetector/bin",
	}
	if !reflect.DeepEqual(in, want) {
		t.Errorf("got %+v", in)
	}
	if len(tag.Files("")) != 2 || tag.Links[0].Rel != "license" || tag.Meta[0].Get("revision") != "sp1" ||
		tag.Entities[1].RegID != "mycoyote.com" {
		t.Errorf("%+v", tag)
	}
	hash := ""
	for _, a := range tag.Payload.Directories[0].Files[0].Attrs {
		if a.Name == (xml.Name{Space: "http://www.w3.org/2001/04/xmlenc#sha256", Local: "hash"}) {
			hash = a.Value
		}
	}
	if !strings.HasPrefix(hash, "a314fc2d") {
		t.Errorf("the hash is lost: %+v", tag.Payload.Directories[0].Files[0])
	}
	patch, _ := ReadSWID(bytes.NewReader(tagFile(t, "roadrunner-patch.swidtag"))) // read above
	if got := patch.Install("").Name; got != "ACME Roadrunner Detector Fix 1 patch" {
		t.Errorf("a patch is called %q", got)
	}
	found, _ := ReadSWID(bytes.NewReader(tagFile(t, "evidence.swidtag"))) // read above
	if in := found.Install(""); in.FileName != "gauge" || in.InstallPath != "/opt/gauge/bin" ||
		in.Publisher != "Example Inventory" {
		t.Errorf("%+v", in)
	}
}

func readScansOf(t *testing.T, text []byte, device string) ([]*Scan, []*LineError, error) {
	t.Helper()
	r := bytes.NewReader(text)
	form, err := Sniff(r, int64(len(text)))
	if err != nil {
		return nil, nil, err
	}
	return ReadScans(r, int64(len(text)), form, device, noon)
}

func TestTagsBecomeScans(t *testing.T) {
	one, _, err := readScansOf(t, tagFile(t, "evidence.swidtag"), "")
	if err != nil || len(one) != 1 || one[0].Device.ID != "mm123-pc.acme.com" || one[0].At.Hour() != 10 ||
		!reflect.DeepEqual(one[0].Covers, []string{"tag legacy-gauge-1"}) ||
		len(one[0].Files) != 2 {
		t.Errorf("%+v %v", one, err)
	}
	if _, _, err := readScansOf(t, tagFile(t, "roadrunner-primary.swidtag"), ""); err == nil ||
		!strings.Contains(err.Error(), "choose the device") {
		t.Errorf("a tag of no device: %v", err)
	}
	if _, _, err := readScansOf(t, tagFile(t, "roadrunner-corpus.swidtag"), "D1"); err == nil ||
		!strings.Contains(err.Error(), "corpus") {
		t.Errorf("a corpus tag: %v", err)
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, m := range []struct{ name, from string }{{"D1/regid/a.swidtag", "roadrunner-primary.swidtag"},
		{"D1/b.swidtag", "roadrunner-patch.swidtag"}, {"D2/a.swidtag", "roadrunner-primary.swidtag"},
		{"D2/c.swidtag", "roadrunner-corpus.swidtag"}} {
		w, err := z.Create(m.name)
		if err != nil {
			t.Fatal(err)
		}
		w.Write(tagFile(t, m.from))
	}
	w, _ := z.Create("D2/broken.swidtag") // the archive is in memory
	w.Write([]byte("<SoftwareIdentity"))
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	many, bad, err := readScansOf(t, b.Bytes(), "")
	if err != nil || len(many) != 2 || len(many[0].Installs) != 2 || len(many[1].Installs) != 1 ||
		many[0].Covers != nil ||
		len(bad) != 1 {
		t.Errorf("%+v %v %v", many, bad, err)
	}
}

func sample() *Scan {
	return &Scan{
		Format: ScanFormat,
		At:     noon,
		Source: "collector",
		Device: ScanDevice{ID: "D0007", Name: "hal-tide-07"},
		Installs: []ScanInstall{
			{
				Publisher:    "Pelmar & Voss GmbH",
				Name:         "Tidewheel Desk <4>",
				Version:      "4.2.1",
				Edition:      "Professional",
				Architecture: "x64",
				Language:     "nb-NO",
				InstallDate:  "2026-01-02",
				InstallPath:  "/opt/tidewheel",
				FileName:     "twdesk",
				TagID:        "pelmar-tidewheel-4",
				LastUsed:     "2026-05-01",
				Part:         "packages",
			},
			{
				Name:    "libtide",
				Version: "1:2.0-3",
				PURL:    "pkg:deb/debian/libtide@1%3A2.0-3?arch=amd64",
				CPE:     "cpe:2.3:a:pelmar:libtide:2.0:*:*:*:*:*:*:*",
			},
		},
	}
}

// A device's software goes out and comes back through the documents, and the reference libraries read what is written.
func TestBillsOfMaterialsRoundTrip(t *testing.T) {
	for _, form := range []struct {
		name  string
		write func(*bytes.Buffer, *Scan) error
		check func([]byte) (int, error)
	}{
		{"CycloneDX JSON", func(b *bytes.Buffer, s *Scan) error { return WriteCycloneDX(b, s, false) },
			func(text []byte) (int, error) {
				var bom cdx.BOM
				err := cdx.NewBOMDecoder(bytes.NewReader(text), cdx.BOMFileFormatJSON).Decode(&bom)
				if err == nil && bom.SpecVersion != cdx.SpecVersion1_6 {
					err = fmt.Errorf("version %v", bom.SpecVersion)
				}
				return len(*bom.Components), err
			}},
		{"CycloneDX XML", func(b *bytes.Buffer, s *Scan) error { return WriteCycloneDX(b, s, true) },
			func(text []byte) (int, error) {
				var bom cdx.BOM
				err := cdx.NewBOMDecoder(bytes.NewReader(text), cdx.BOMFileFormatXML).Decode(&bom)
				return len(*bom.Components), err
			}},
		{"SPDX", func(b *bytes.Buffer, s *Scan) error { return WriteSPDX(b, s) }, func(text []byte) (int, error) {
			var doc spdx.Document
			err := spdxjson.ReadInto(bytes.NewReader(text), &doc)
			return len(doc.Packages) - 1, err
		}},
	} {
		var b bytes.Buffer
		if err := form.write(&b, sample()); err != nil {
			t.Fatalf("%s: %v", form.name, err)
		}
		if n, err := form.check(b.Bytes()); err != nil || n != 2 {
			t.Errorf("%s: the library reads %d installs, %v", form.name, n, err)
		}
		back, _, err := readScansOf(t, b.Bytes(), "")
		if err != nil || len(back) != 1 {
			t.Fatalf("%s: %v\n%s", form.name, err, b.String())
		}
		if !reflect.DeepEqual(back[0], sample()) {
			t.Errorf("%s came back as %+v\nnot %+v", form.name, back[0], sample())
		}
		other, _, err := readScansOf(t, b.Bytes(), "D9")
		if err != nil || other[0].Device.ID != "D9" || other[0].Device.Name != "" {
			t.Errorf("%s for another device: %+v %v", form.name, other, err)
		}
	}
	r := recognise.Record{Publisher: "Pelmar", Name: "Tidewheel", Version: "4", Edition: "Pro", FileName: "tw.exe"}
	var b bytes.Buffer
	if err := WriteSWID(&b, TagOf(r, noon, "D0007")); err != nil {
		t.Fatal(err)
	}
	back, _, err := readScansOf(t, b.Bytes(), "")
	if err != nil || back[0].Device.ID != "D0007" {
		t.Fatalf("%v\n%s", err, b.String())
	}
	got := back[0].Installs[0].Record()
	if got.TagID = ""; got != r {
		t.Errorf("as a tag %+v came back as %+v", r, got)
	}
}

// Documents that others write: what the libraries encode, with fields that we do not know and values that say nothing.
func TestDocumentsOfOthers(t *testing.T) {
	cyclone := `{"bomFormat":"CycloneDX","specVersion":"1.6","metadata":{"component":{"type":"operating-system","name":"Debian"}},"components":[
		{"type":"library","group":"org.example","name":"tide","version":"1","supplier":{"name":"Example Org"},"components":[{"type":"library","name":"inner"}]},{"type":"file","name":"/opt/tide/bin/tide"},{"type":"data","name":"table"}]}`
	if _, _, err := readScansOf(t, []byte(cyclone), ""); err == nil {
		t.Error("a document of no device was taken")
	}
	s, _, err := readScansOf(t, []byte(cyclone), "D1")
	if err != nil || len(s[0].Installs) != 2 || s[0].Installs[1].Publisher != "Example Org" ||
		s[0].Files[0] != (ScanFile{Folder: "/opt/tide/bin", Name: "tide"}) ||
		!s[0].At.Equal(noon) {
		t.Errorf("%+v %v", s, err)
	}
	spdxText := `{"spdxVersion":"SPDX-2.3","dataLicense":"CC0-1.0","SPDXID":"SPDXRef-DOCUMENT","name":"x","documentNamespace":"urn:x","creationInfo":{"created":"2026-05-04T10:00:00Z","creators":["Tool: x"]},
		"packages":[{"name":"glibc","SPDXID":"SPDXRef-1","versionInfo":"2.36","downloadLocation":"NOASSERTION","supplier":"NOASSERTION","originator":"Organization: Example Org","comment":"a remark","filesAnalyzed":false},
		{"name":"sources","SPDXID":"SPDXRef-2","downloadLocation":"NOASSERTION","primaryPackagePurpose":"SOURCE","filesAnalyzed":false}]}`
	s, _, err = readScansOf(t, []byte(spdxText), "D1")
	if err != nil || len(s[0].Installs) != 1 || s[0].Installs[0].Publisher != "Example Org" || s[0].At.Hour() != 10 {
		t.Errorf("%+v %v", s, err)
	}
}

// The bill of materials of an application speaks for that application alone, which is an install itself; in another
// form it is the same bill.
func TestBillsOfApplications(t *testing.T) {
	cyclone := `{"bomFormat":"CycloneDX","specVersion":"1.6","serialNumber":"urn:uuid:3e671687-395b-41f5-a30f-a58921a69b79",
		"metadata":{"timestamp":"2026-05-04T10:00:00Z","component":{"type":"application","name":"tide","version":"2",
			"purl":"pkg:npm/%40pelmar/tide@2","components":[{"type":"library","name":"inside"}]}},
		"components":[{"type":"library","name":"wave","version":"1","purl":"pkg:npm/wave@1"},{"type":"file","name":"/opt/a"}]}`
	spdxText := `{"spdxVersion":"SPDX-2.3","dataLicense":"CC0-1.0","SPDXID":"SPDXRef-DOCUMENT","name":"tide@2",
		"documentNamespace":"urn:x","creationInfo":{"created":"2026-05-05T10:00:00Z","creators":["Tool: x"]},
		"packages":[{"name":"tide","SPDXID":"SPDXRef-1","versionInfo":"2","downloadLocation":"NOASSERTION","filesAnalyzed":false,
			"externalRefs":[{"referenceCategory":"PACKAGE-MANAGER","referenceType":"purl","referenceLocator":"pkg:npm/%40pelmar/tide@2"}]},
		{"name":"wave","SPDXID":"SPDXRef-2","versionInfo":"1","downloadLocation":"NOASSERTION","filesAnalyzed":false}],
		"relationships":[{"spdxElementId":"SPDXRef-DOCUMENT","relationshipType":"DESCRIBES","relatedSpdxElement":"SPDXRef-1"}]}`
	for form, text := range map[string]string{"CycloneDX": cyclone, "SPDX": spdxText} {
		list, _, err := readScansOf(t, []byte(text), "D1")
		if err != nil {
			t.Fatal(form, err)
		}
		s := list[0]
		if s.Source != "bill of materials" || !slices.Equal(s.Covers, []string{"npm/@pelmar/tide"}) ||
			s.Installs[0].Name != "tide" || s.Installs[1].Name != "wave" || s.Installs[0].PURL == "" {
			t.Errorf("%s: %+v", form, s)
		}
		for _, in := range s.Installs {
			if in.Part != "npm/@pelmar/tide" {
				t.Errorf("%s: %s stands in part %q", form, in.Name, in.Part)
			}
		}
	}
	// without anything that it is about, a bill stands by its number
	const number = "urn:uuid:3e671687-395b-41f5-a30f-a58921a69b79"
	list, _, err := readScansOf(t, []byte(`{"bomFormat":"CycloneDX","specVersion":"1.6","serialNumber":"`+number+`",
		"components":[{"type":"library","name":"wave"}]}`), "D1")
	if err != nil || list[0].Covers[0] != number || len(list[0].Installs) != 1 {
		t.Errorf("%+v, %v", list, err)
	}
}

// What npm writes of this project's own pages: the same packages in both forms, under one part.
func TestBillsThatNPMWrites(t *testing.T) {
	web := filepath.Join("..", "..", "web")
	if _, err := os.Stat(filepath.Join(web, "node_modules", ".package-lock.json")); err != nil {
		t.Skip("the packages of the pages are not installed")
	}
	named := map[string][]string{}
	parts := map[string]bool{}
	for _, form := range []string{"cyclonedx", "spdx"} {
		cmd := exec.CommandContext(t.Context(), "npm", "sbom", "--sbom-format", form, "--omit", "dev")
		cmd.Dir = web
		text, err := cmd.Output()
		if err != nil {
			t.Fatalf("npm writes no bill of materials: %v", err)
		}
		list, _, err := readScansOf(t, text, "D1")
		if err != nil || len(list) != 1 || len(list[0].Installs) < 20 {
			t.Fatalf("%s: %v, %v", form, list, err)
		}
		parts[list[0].Covers[0]] = true
		for _, in := range list[0].Installs {
			named[form] = append(named[form], in.PURL)
		}
		slices.Sort(named[form])
	}
	if len(parts) != 1 || !slices.Equal(named["cyclonedx"], named["spdx"]) {
		t.Errorf("parts %v; %d and %d packages", parts, len(named["cyclonedx"]), len(named["spdx"]))
	}
}

func TestScansThatAreRefused(t *testing.T) {
	ok := func() map[string]any {
		return map[string]any{
			"format":   ScanFormat,
			"at":       "2026-05-04T10:00:00Z",
			"device":   map[string]any{"id": "D1"},
			"installs": []any{map[string]any{"name": "a"}},
		}
	}
	for name, change := range map[string]func(m map[string]any){
		"another format":     func(m map[string]any) { m["format"] = "x/9" },
		"no time":            func(m map[string]any) { delete(m, "at") },
		"a time in no form":  func(m map[string]any) { m["at"] = "yesterday" },
		"no device":          func(m map[string]any) { m["device"] = map[string]any{} },
		"a nameless install": func(m map[string]any) { m["installs"] = []any{map[string]any{"version": "1"}} },
		"a text too long": func(m map[string]any) {
			m["installs"] = []any{map[string]any{"name": strings.Repeat("x",
				5000)}}
		},
		"outside its parts": func(m map[string]any) { m["covers"] = []string{"dpkg"} },
		"a list of numbers": func(m map[string]any) { m["installs"] = []int{1} },
		"a date in no form": func(m map[string]any) {
			m["installs"] = []any{map[string]any{"name": "a",
				"install_date": "1/2/26"}}
		},
		"backwards session": func(m map[string]any) {
			m["sessions"] = []any{map[string]any{"file_name": "a", "start": "2026-05-04T10:00:00Z",
				"end": "2026-05-03T10:00:00Z"}}
		},
		"cores below zero": func(m map[string]any) { m["device"] = map[string]any{"id": "D1", "cores": -4} },
	} {
		m := ok()
		change(m)
		text, err := json.Marshal(m)
		if err != nil {
			t.Fatal(err)
		}
		var file *FileError
		if _, err := ReadScan(bytes.NewReader(text)); err == nil || !asFile(err, &file) {
			t.Errorf("%s: %v", name, err)
		}
	}
	good, err := json.Marshal(ok())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := ReadScan(bytes.NewReader(good)); err != nil {
		t.Fatal(err)
	}
	for i := range len(good) {
		if _, err := ReadScan(bytes.NewReader(good[:i])); err == nil {
			t.Fatalf("the first %d bytes were taken for a scan", i)
		}
	}
	if _, err := ReadScan(bytes.NewReader(append(good, good...))); err == nil {
		t.Error("two scans in one were taken")
	}
	if _, err := ReadScan(strings.NewReader(`{"format":"` + strings.Repeat("x", MaxScan+10))); err == nil ||
		!strings.Contains(err.Error(), "larger") {
		t.Errorf("a scan without end: %v", err)
	}
}

// Entities, and archives and workbooks that grow a thousandfold, are refused before they grow.
func TestBombs(t *testing.T) {
	laughs := `<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]><SoftwareIdentity xmlns="` + swidSpace + `" name="&b;" tagId="x"><Entity name="x" role="tagCreator"/></SoftwareIdentity>`
	outside := strings.Replace(laughs, `"ha"`, `SYSTEM "file:///etc/passwd"`, 1)
	cyclone := `<?xml version="1.0"?><!DOCTYPE bom [<!ENTITY a "ha">]><bom xmlns="http://cyclonedx.org/schema/bom/1.6"><components/></bom>`
	for _, text := range []string{laughs, outside, cyclone, strings.Repeat("<a>", 1000),
		`<?xml version="1.0" encoding="utf-16"?><a/>`} {
		if _, _, err := readScansOf(t, []byte(text), "D1"); err == nil {
			t.Errorf("%.80q was read", text)
		}
	}
	bomb := func(name string, size int) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		zeros := make([]byte, 1<<20)
		for range size >> 20 {
			w.Write(zeros)
		}
		if err := z.Close(); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	for _, text := range [][]byte{bomb("D1/a.swidtag", 64<<20), bomb("xl/worksheets/sheet1.xml", 64<<20),
		bomb("D1/a.swidtag", 300<<20)} {
		r := bytes.NewReader(text)
		if form, err := Sniff(r, int64(len(text))); err == nil || !strings.Contains(err.Error(), "expand") {
			t.Errorf("%d bytes that expand were taken for %s: %v", len(text), form, err)
		}
		if err := wholeSheet(text); err == nil {
			t.Error("a workbook that expands was read")
		}
	}
	// an archive whose directory lies about a size
	text := bomb("D1/a.swidtag", 2<<20)
	small := bytes.Replace(text, []byte{0, 0, 0x20, 0}, []byte{16, 0, 0, 0}, -1)
	if bytes.Equal(small, text) {
		t.Fatal("the size was not found in the archive")
	}
	z, err := zip.NewReader(bytes.NewReader(small), int64(len(small)))
	if err != nil {
		t.Fatal(err)
	}
	if got, err := readMember(z.File[0]); err == nil {
		t.Errorf("a member that is larger than it says was read: %d bytes", len(got))
	}
}

func FuzzScanDocuments(f *testing.F) {
	for _, name := range []string{"roadrunner-primary.swidtag", "roadrunner-patch.swidtag",
		"roadrunner-supplemental.swidtag", "roadrunner-corpus.swidtag", "evidence.swidtag"} {
		f.Add(tagFile(f, name))
	}
	documents, err := filepath.Glob("testdata/documents/*")
	if err != nil || len(documents) < 4 {
		f.Fatal(documents, err)
	}
	for _, name := range documents {
		text, err := os.ReadFile(name)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		r := bytes.NewReader(text)
		form, err := Sniff(r, int64(len(text)))
		if err != nil || !form.IsScan() {
			return
		}
		scans, _, err := ReadScans(r, int64(len(text)), form, "D1", noon)
		if err != nil {
			return
		}
		for _, s := range scans {
			for i := range s.Installs {
				s.Installs[i].Record()
			}
			s.Device.Facts()
		}
	})
}
