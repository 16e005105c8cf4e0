package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// The starter catalogue and the open sets come in by command, twice is once, and what was booked by a file with dates
// alone keeps the rest.
func TestCataloguesByCommand(t *testing.T) {
	d := desk{t, t.TempDir()}
	if _, says := d.must(0, "catalogue", "starter"); !strings.Contains(says, " new, 0 changed") {
		t.Error(says)
	}
	if _, says := d.must(0, "catalogue", "starter"); !strings.Contains(says, " 0 new, 0 changed") {
		t.Error(says)
	}
	if _, says := d.must(1, "catalogue", "distro-info", d.dir); !strings.Contains(
		says,
		"apt-get install distro-info-data",
	) {
		t.Error(says)
	}
	sets := filepath.Join("..", "..", "internal", "opendata", "testdata")
	d.must(0, "catalogue", "distro-info", sets)
	d.must(0, "catalogue", "node-releases", filepath.Join(sets, "node-release-schedule.json"))
	if code, _, says := d.run("catalogue", "node-releases", filepath.Join(sets, "debian.csv")); code == 0 ||
		!strings.Contains(says, "release schedule cannot be read") {
		t.Errorf("%d %s", code, says)
	}
	dates := d.file(
		"dates.csv",
		"publisher,product,version,end_of_life\nOpenJS Foundation,Node.js,20,2026-05-31\n"+
			"Ostwick,Skerrymap,6,2027-01-31\n",
	)
	if _, says := d.must(0, "import", "titles", dates); !strings.Contains(says, "2 lines, 1 new, 1 changed") {
		t.Error(says)
	}
	out, _ := d.must(0, "export", "titles")
	if !strings.Contains(
		out,
		"OpenJS Foundation,Node.js,,,20,runtime,open_source,,,,,2023-04-18,2024-10-21,2026-04-30,2026-05-31,",
	) {
		t.Error("a file with dates alone took something else away")
	}
	d.must(0, "check")
}

// A catalogue goes out as JSON and CycloneDX, and comes in by the same command as a table; publishers have a file of
// their own.
func TestCataloguesInSeveralForms(t *testing.T) {
	d := small(t)
	d.must(
		0,
		"import",
		"publishers",
		d.file("publishers.csv", "publisher,aliases,successor\nOstwick,Old Wick|Owk,\nGone,,Ostwick\n"),
	)
	for _, format := range []string{"json", "cyclonedx"} {
		out, _ := d.must(0, "catalogue", "write", "--format", format)
		if !json.Valid([]byte(out)) {
			t.Fatalf("%s is no JSON", format)
		}
		other := desk{t, t.TempDir()}
		path := other.file("catalogue.json", out)
		other.must(0, "import", "titles", path)
		if format == "json" {
			other.must(0, "import", "publishers", path)
			if a, _ := other.must(0, "export",
				"publishers"); a != "publisher,aliases,successor\r\nGone,,Ostwick\r\nOstwick,Old Wick|Owk,\r\n" {
				t.Errorf("%q", a)
			}
		}
		want, _ := d.must(0, "export", "titles")
		if got, _ := other.must(0, "export", "titles"); got != want {
			t.Errorf("%s: %s, want %s", format, got, want)
		}
	}
	if code, _, says := d.run("import", "installs",
		d.file("wrong.json", `{"format":"ensomet-catalogue-1","titles":[]}`)); code == 0 ||
		!strings.Contains(says, "holds titles and publishers, not installs") {
		t.Errorf("%d %s", code, says)
	}
	if _, says := d.must(3, "import", "titles",
		d.file("bad.json",
			`{"format":"ensomet-catalogue-1","titles":[{"publisher":"A"},{"publisher":"A","product":"B","released":"soon"},{"publisher":"A","product":"C"}]}`)); !strings.Contains(
		says,
		"1 new",
	) ||
		!strings.Contains(says, "product is empty") ||
		!strings.Contains(says, "not a date") {
		t.Error(says)
	}
	if _, err := os.Stat(filepath.Join(d.dir, "data", "test.db")); err != nil {
		t.Error(err)
	}
}
