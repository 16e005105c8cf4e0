package opendata

import (
	"bytes"
	"compress/gzip"
	"os"
	"path/filepath"
	"testing"
)

// A document in the form of DEP-11 (AppStream specification, section on collection metadata), with invented software.
const sample = `---
File: DEP-11
Version: '0.16'
---
Type: desktop-application
ID: org.invented.Kelpline
Package: kelpline
Name:
  C: Kelpline
  de: Tanglinie
Summary:
  C: "Draws lines:\n Name: not a key"
DeveloperName:
  C: The Kelp People
ProjectLicense: GPL-3.0+
Categories:
- Graphics
Releases:
- version: '2.0'
  unix-timestamp: 1600128000
---
Type: desktop-application
ID: io.github.someone.Murrelet
Package: murrelet
Name:
  C: Murrelet
---
Type: addon
ID: nameless
Package: nameless
`

func TestReadComponents(t *testing.T) {
	dir := t.TempDir()
	plain, packed := filepath.Join(dir, "a.yml"), filepath.Join(dir, "a.yml.gz")
	var zipped bytes.Buffer
	w := gzip.NewWriter(&zipped)
	if _, err := w.Write([]byte(sample)); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	for path, content := range map[string][]byte{plain: []byte(sample), packed: zipped.Bytes()} {
		if err := os.WriteFile(path, content, 0o600); err != nil {
			t.Fatal(err)
		}
		list, err := ReadComponents(path)
		if err != nil || len(list) != 2 {
			t.Fatalf("%s: %+v, %v", path, list, err)
		}
		m, k := list[0], list[1]
		if k.Names["de"] != "Tanglinie" || k.Maker() != "The Kelp People" || k.Licence != "GPL-3.0+" ||
			len(k.Category) != 1 ||
			len(k.Releases) != 1 ||
			k.Releases[0].On.Format("2006-01-02") != "2020-09-15" {
			t.Errorf("%+v", k)
		}
		if m.Maker() != "someone" || m.Names["C"] != "Murrelet" {
			t.Errorf("%+v", m)
		}
	}
	if err := os.WriteFile(plain, []byte("---\nName:\n C: [broken\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := ReadComponents(plain); err == nil {
		t.Error("a broken document is read")
	}
	if _, err := ReadComponents(filepath.Join(dir, "none")); err == nil {
		t.Error("a file that there is not is read")
	}
}
