package core

import (
	"os/exec"
	"strings"
	"testing"
)

// Imports point one way. The core imports nothing of the project but the core, and nothing that reaches outside: no SQL, HTTP, files, clock of its own or randomness.
func TestImportsPointOneWay(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}}: {{join .Imports \" \"}}", "ensomet/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	forbidden := map[string][]string{
		"ensomet/internal/core/":   {"ensomet/internal/formats", "ensomet/internal/store", "ensomet/internal/app", "ensomet/internal/api", "ensomet/internal/standin", "ensomet/web", "database/sql", "net/http", "os", "math/rand", "math/rand/v2"},
		"ensomet/internal/formats": {"ensomet/internal/store", "ensomet/internal/app", "ensomet/internal/api", "ensomet/internal/standin", "database/sql"},
		"ensomet/internal/store":   {"ensomet/internal/app", "ensomet/internal/api", "ensomet/internal/standin", "net/http"},
		"ensomet/internal/app":     {"ensomet/internal/api", "ensomet/internal/standin", "net/http", "database/sql"},
		"ensomet/internal/api":     {"ensomet/internal/standin", "database/sql"},
	}
	packages := 0
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		pkg, imports, _ := strings.Cut(line, ": ")
		for prefix, list := range forbidden {
			if !strings.HasPrefix(pkg, prefix) {
				continue
			}
			packages++
			for _, im := range strings.Fields(imports) {
				for _, no := range list {
					if im == no || strings.HasPrefix(no, "ensomet/") && strings.HasPrefix(im, no+"/") {
						t.Errorf("%s imports %s", pkg, im)
					}
				}
			}
		}
	}
	if packages < 15 {
		t.Errorf("only %d packages were looked at", packages)
	}
}
