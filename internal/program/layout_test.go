package program

import (
	"cmp"
	"go/ast"
	"go/parser"
	"go/scanner"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"
)

// The limits that keep a reader oriented: columns of a line (a tab is four), lines of code of a package, methods of a
// type.
const (
	mostColumns = 120
	mostLines   = 6000
	mostMethods = 60
)

// sources are the project's own files of Go, by their path below the root of the project.
func sources(t *testing.T) map[string][]byte {
	t.Helper()
	out := map[string][]byte{}
	root := filepath.Join("..", "..")
	for _, dir := range []string{"bench", "cmd", "e2e", "internal", "web"} {
		err := filepath.WalkDir(filepath.Join(root, dir), func(path string, d fs.DirEntry, err error) error {
			if err != nil {
				return err
			}
			if d.IsDir() && d.Name() == "node_modules" {
				return filepath.SkipDir
			}
			if filepath.Ext(path) != ".go" {
				return nil
			}
			text, err := os.ReadFile(path)
			name, _ := filepath.Rel(root, path)
			out[filepath.ToSlash(name)] = text
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	return out
}

// Lines end before column 120. What stands between back quotes cannot be broken: tags, and texts in other languages.
func TestLinesEnd(t *testing.T) {
	for name, text := range sources(t) {
		quoted := map[int]bool{}
		set := token.NewFileSet()
		file := set.AddFile(name, -1, len(text))
		var s scanner.Scanner
		s.Init(file, text, nil, scanner.ScanComments)
		for {
			pos, tok, lit := s.Scan()
			if tok == token.EOF {
				break
			}
			if tok == token.STRING && lit[0] == '`' {
				for n := range 1 + strings.Count(lit, "\n") {
					quoted[file.Line(pos)+n] = true
				}
			}
		}
		n := 0
		for line := range strings.Lines(string(text)) {
			n++
			line = strings.ReplaceAll(strings.TrimSuffix(line, "\n"), "\t", "    ")
			if width := utf8.RuneCountInString(line); width > mostColumns && !quoted[n] {
				t.Errorf("%s:%d has %d columns", name, n, width)
			}
		}
	}
}

type size struct {
	name string
	n    int
}

// largest prints the three largest and fails for each that is over the limit.
func largest(t *testing.T, what string, most int, sizes map[string]int) {
	t.Helper()
	var list []size
	for name, n := range sizes {
		list = append(list, size{name, n})
		if n > most {
			t.Errorf("%s has %d %s; %d at the most", name, n, what, most)
		}
	}
	slices.SortFunc(list, func(a, b size) int { return cmp.Or(cmp.Compare(b.n, a.n), cmp.Compare(a.name, b.name)) })
	for _, s := range list[:3] {
		t.Logf("%6d %s: %s", s.n, what, s.name)
	}
}

// No package but the core as a whole, and no type, is a room in which nobody finds anything.
func TestRoomsAreSmall(t *testing.T) {
	lines, methods := map[string]int{}, map[string]int{}
	for name, text := range sources(t) {
		dir, isCore := strings.CutPrefix(filepath.ToSlash(filepath.Dir(name)), "internal/")
		if !isCore || strings.HasPrefix(dir, "core/") || strings.HasSuffix(name, "_test.go") {
			continue
		}
		for line := range strings.Lines(string(text)) {
			if strings.TrimSpace(line) != "" {
				lines["internal/"+dir]++
			}
		}
		f, err := parser.ParseFile(token.NewFileSet(), name, text, parser.SkipObjectResolution)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok || fn.Recv == nil {
				continue
			}
			recv := fn.Recv.List[0].Type
			if star, ok := recv.(*ast.StarExpr); ok {
				recv = star.X
			}
			if id, ok := recv.(*ast.Ident); ok {
				methods["internal/"+dir+"."+id.Name]++
			}
		}
	}
	largest(t, "lines", mostLines, lines)
	largest(t, "methods", mostMethods, methods)
}

// Cases move in one place: nothing outside of core/casework gives a case a state or makes one that has a state.
func TestCasesMoveInOnePlace(t *testing.T) {
	mentions := func(n ast.Node) (found bool) {
		ast.Inspect(n, func(n ast.Node) bool {
			if s, ok := n.(*ast.SelectorExpr); ok {
				if x, ok := s.X.(*ast.Ident); ok && x.Name == "casework" {
					found = true
				}
			}
			return !found
		})
		return found
	}
	looked := 0
	for name, text := range sources(t) {
		if strings.HasPrefix(name, "internal/core/casework/") || !strings.Contains(string(text), "casework.") {
			continue
		}
		looked++
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, name, text, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(file, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.AssignStmt:
				for i, left := range n.Lhs {
					s, ok := left.(*ast.SelectorExpr)
					if ok && s.Sel.Name == "State" && i < len(n.Rhs) && mentions(n.Rhs[i]) {
						t.Errorf("%s moves a case", set.Position(n.Pos()))
					}
				}
			case *ast.CompositeLit:
				if n.Type == nil || !mentions(n.Type) {
					return true
				}
				for _, e := range n.Elts {
					if kv, ok := e.(*ast.KeyValueExpr); ok {
						if key, ok := kv.Key.(*ast.Ident); ok && key.Name == "State" {
							t.Errorf("%s makes a case with a state", set.Position(kv.Pos()))
						}
					}
				}
			}
			return true
		})
	}
	if looked < 10 {
		t.Errorf("only %d files speak of cases", looked)
	}
}
