package program

import (
	"os/exec"
	"slices"
	"strings"
	"testing"
)

const module = "ensomet/internal/"

// stations stand in the order of the work. None imports another: what one needs of another it declares as an interface.
var stations = []string{
	"evidence", "titles", "entitlements", "use", "position", "worklist", "reports", "people",
	"directory", "places",
}

// allowed says what a package of the project may import of the project, core and what lies below it apart.
var allowed = map[string][]string{
	"clock":       {},
	"fetch":       {},
	"progress":    {},
	"secret":      {},
	"formats":     {},
	"sqlite":      {},
	"renewal":     {"sqlite", "progress"},
	"own":         {"sqlite", "renewal", "edits", "clock"},
	"splits":      {"sqlite", "counts"},
	"own/ownhttp": {"own", "rest"},
	"used":        {"sqlite", "renewal"},
	"past":        {"sqlite"},
	"stored":      {"sqlite", "renewal", "formats"},
	"snapshot":    {"sqlite", "renewal", "formats", "clock", "persons", "own", "used", "past", "stored"},
	"facts":       {"sqlite", "snapshot", "stored"},
	"counts":      {"sqlite", "snapshot", "facts", "used"},
	"lists":       {"sqlite", "snapshot", "own"},
	"edits":       {"sqlite"},
	"export":      {"sqlite", "snapshot", "formats", "stored"},
	"intake":      {"sqlite", "snapshot", "formats"},
	"machines":    {"sqlite", "renewal"},
	"evidence/arriving": {
		"sqlite", "snapshot", "renewal", "formats", "intake", "machines", "clock", "secret", "past",
		"stored", "evidence/evidencedb",
	},
	"persons":  {"sqlite", "renewal"},
	"outbox":   {"sqlite", "clock"},
	"opendata": {"formats"},
	"starter":  {"formats"},
	"collect":  {"formats"},
	"rest":     {"sqlite", "formats", "clock", "edits"},
	"wire":     {"snapshot", "lists", "rest"},
}

// service is what a station's service may import besides its own tables.
var service = []string{
	"snapshot", "outbox", "intake", "renewal", "edits", "sqlite", "formats", "clock", "progress", "secret", "starter",
	"export", "lists", "facts", "counts", "machines", "persons", "own", "splits", "used", "past", "stored",
}

// tables is what a station's tables may import.
var tables = []string{
	"snapshot", "lists", "facts", "counts", "renewal", "edits", "sqlite", "formats", "machines", "persons", "own",
	"used", "stored",
}

// routes is what a station's routes may import besides the station itself: never its tables, nor the snapshot's.
var routes = []string{"rest", "wire", "intake", "outbox", "renewal", "formats", "progress", "persons", "own"}

// withTables are the rooms besides the stations' tables that have SQL.
var withTables = []string{
	"sqlite",
	"snapshot",
	"lists",
	"facts",
	"counts",
	"renewal",
	"outbox",
	"edits",
	"export",
	"machines",
	"persons",
	"own",
	"splits",
	"past",
	"used", "stored",
}

// outside is what the core must not reach: no SQL, HTTP, files, clock of its own or randomness.
var outside = []string{"database/sql", "net/http", "os", "math/rand", "math/rand/v2"}

// Imports point one way: commands to stations, stations to what all of them stand on, all of it to the core, and the
// core to nothing.
func TestImportsPointOneWay(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}}: {{join .Imports \" \"}}", "ensomet/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	looked := map[string]bool{}
	for line := range strings.Lines(string(out)) {
		path, imports, _ := strings.Cut(strings.TrimSpace(line), ": ")
		pkg, ours := strings.CutPrefix(path, module)
		if !ours {
			continue
		}
		may, judged := mayImport(pkg)
		looked[pkg] = judged
		for _, im := range strings.Fields(imports) {
			to, project := strings.CutPrefix(im, module)
			switch {
			case strings.HasPrefix(pkg, "core/") &&
				(slices.Contains(outside, im) || project && !strings.HasPrefix(to, "core/")):
				t.Errorf("the core's %s imports %s", pkg, im)
			case judged && project && !strings.HasPrefix(to, "core/") && !slices.Contains(may, to):
				t.Errorf("%s imports %s", pkg, to)
			case im == "database/sql" && !strings.HasSuffix(pkg, "db") &&
				!slices.Contains(withTables, pkg):
				t.Errorf("%s has SQL", pkg)
			case im == "net/http" && slices.Contains(stations, pkg):
				t.Errorf("the service %s knows HTTP", pkg)
			}
		}
	}
	for _, s := range stations {
		if !looked[s] {
			t.Errorf("there is no station %s", s)
		}
	}
}

func mayImport(pkg string) (may []string, judged bool) {
	if may, ok := allowed[pkg]; ok {
		return may, true
	}
	station, rest, inside := strings.Cut(pkg, "/")
	if !slices.Contains(stations, station) {
		return nil, false
	}
	if !inside {
		return append(slices.Clone(service), station+"/"+station+"db", station+"/ldapread", station+"/arriving",
			"fetch"), true
	}
	if rest == station+"http" {
		return append(slices.Clone(routes), station, station+"/arriving"), true
	}
	return tables, rest == station+"db"
}
