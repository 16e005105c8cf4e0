package program

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// kept are the files of services and tables whose types are written as JSON themselves: into a table, or to the
// deployment tool. Nothing else there knows how it is sent.
var kept = []string{
	"evidence/evidencedb/sources.go",
	"evidence/rules.go",
	"position/statementcontent.go",
	"titles/titlesdb/runs.go",
	"worklist/deploying.go",
}

// What is sent and taken over HTTP is a type of the routes: services and tables have no names of JSON.
func TestServicesKnowNoWire(t *testing.T) {
	for _, station := range stations {
		for _, dir := range []string{station, station + "/" + station + "db"} {
			for _, f := range parsed(t, filepath.Join("..", dir)) {
				path := dir + "/" + filepath.Base(f.name)
				tagged := 0
				ast.Inspect(f.file, func(n ast.Node) bool {
					field, ok := n.(*ast.Field)
					if ok && field.Tag != nil && strings.Contains(field.Tag.Value, "json:") {
						tagged++
					}
					return true
				})
				if listed := slices.Contains(kept, path); listed != (tagged > 0) {
					t.Errorf("%s has %d names of JSON; is it listed: %t", path, tagged, listed)
				}
			}
		}
	}
}

// A translation between what a service says and what is sent names every field of what is sent: one that is forgotten
// would be empty without a word.
func TestTranslationsAreWhole(t *testing.T) {
	translated := 0
	for _, dir := range append([]string{"wire"}, routesOf(stations)...) {
		for _, f := range parsed(t, filepath.Join("..", dir)) {
			if filepath.Base(f.name) != "wire.go" {
				continue
			}
			list, err := os.ReadFile(strings.Replace(f.name, "wire.go", "wire_test.go", 1))
			if err != nil {
				t.Fatal(err)
			}
			tests, fields := string(list), map[string][]string{}
			for _, d := range f.file.Decls {
				for name, list := range structs(d) {
					fields[name] = list
				}
			}
			for _, d := range f.file.Decls {
				fn, ok := d.(*ast.FuncDecl)
				if !ok {
					continue
				}
				name := strings.TrimPrefix(strings.TrimPrefix(strings.ToLower(fn.Name.Name[:1])+fn.Name.Name[1:], "to"),
					"from")
				if fields[name] == nil {
					t.Errorf("%s: %s translates nothing that stands there", f.name, fn.Name.Name)
				}
				named, whole := taken(fn)
				for _, field := range fields[name] {
					if !whole && !named[field] {
						t.Errorf("%s: %s forgets %s", f.name, fn.Name.Name, field)
					}
				}
				if !strings.Contains(tests, "resttest.Translates(t, "+fn.Name.Name+")") {
					t.Errorf("%s: nothing tests %s", f.name, fn.Name.Name)
				}
				translated++
			}
		}
	}
	if translated < 200 {
		t.Errorf("%d translations were looked at", translated)
	}
}

// taken are the fields that a translation sets or reads; whole is one that takes all at once, which the compiler holds.
func taken(fn *ast.FuncDecl) (named map[string]bool, whole bool) {
	named = map[string]bool{}
	literals := 0
	ast.Inspect(fn.Body, func(n ast.Node) bool {
		switch x := n.(type) {
		case *ast.CompositeLit:
			literals++
		case *ast.KeyValueExpr:
			if id, ok := x.Key.(*ast.Ident); ok {
				named[id.Name] = true
			}
		}
		return true
	})
	return named, literals == 0
}

type source struct {
	name string
	file *ast.File
}

// parsed are the sources of a folder, without its tests.
func parsed(t *testing.T, dir string) []source {
	t.Helper()
	names, err := filepath.Glob(filepath.Join(dir, "*.go"))
	if err != nil {
		t.Fatal(err)
	}
	var out []source
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		f, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, source{name, f})
	}
	return out
}

// structs are the fields of the structs that a declaration declares; an embedded one goes by its type's name.
func structs(d ast.Decl) map[string][]string {
	out := map[string][]string{}
	g, ok := d.(*ast.GenDecl)
	if !ok {
		return out
	}
	for _, spec := range g.Specs {
		ts, ok := spec.(*ast.TypeSpec)
		if !ok {
			continue
		}
		s, ok := ts.Type.(*ast.StructType)
		if !ok {
			continue
		}
		out[ts.Name.Name] = []string{}
		for _, f := range s.Fields.List {
			for _, name := range f.Names {
				out[ts.Name.Name] = append(out[ts.Name.Name], name.Name)
			}
			switch x := f.Type.(type) {
			case *ast.Ident:
				if len(f.Names) == 0 {
					out[ts.Name.Name] = append(out[ts.Name.Name], x.Name)
				}
			case *ast.SelectorExpr:
				if len(f.Names) == 0 {
					out[ts.Name.Name] = append(out[ts.Name.Name], x.Sel.Name)
				}
			}
		}
	}
	return out
}

func routesOf(stations []string) []string {
	out := make([]string, len(stations))
	for i, s := range stations {
		out[i] = s + "/" + s + "http"
	}
	return out
}
