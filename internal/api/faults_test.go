package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// safeLog is a log that several write and a test reads.
type safeLog struct {
	sync.Mutex
	bytes.Buffer
}

func (l *safeLog) Write(p []byte) (int, error) {
	l.Lock()
	defer l.Unlock()
	return l.Buffer.Write(p)
}

func (l *safeLog) text() string {
	l.Lock()
	defer l.Unlock()
	return l.String()
}

func logged(t *testing.T) *safeLog {
	t.Helper()
	out, before := &safeLog{}, slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(out, nil)))
	t.Cleanup(func() { slog.SetDefault(before) })
	return out
}

// tables lists the tables of the file, but for that of the browsers that are signed in.
func tables(t *testing.T, prog *program.Program) (out []string) {
	t.Helper()
	if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) error {
		rows, err := tx.Query("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			var name string
			if err := rows.Scan(&name); err != nil {
				return err
			}
			if !strings.HasPrefix(name, "sqlite_") && name != "web_session" && name != "goose_db_version" {
				out = append(out, name)
			}
		}
		return rows.Err()
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

func alter(t *testing.T, prog *program.Program, statement string) {
	t.Helper()
	if err := prog.DB.Update(t.Context(), func(tx *sqlite.Tx) error {
		_, err := tx.Exec(statement)
		return err
	}); err != nil {
		t.Fatal(statement, err)
	}
}

var faultNumber = regexp.MustCompile(`the number ([0-9a-f]{8})`)

// A fault of the file below whatever is asked comes out as 500 with a number, and the log has its cause under it. It is
// never told as an answer, nor as a refusal of what somebody asked.
func TestFaultsOfTheFile(t *testing.T) {
	s, prog := house(t)
	prog.Close() // nothing is renewed beside it
	out := logged(t)
	look := enter(t, s.URL, "looker")
	_, text := look.do("GET", "/openapi.json", "", nil)
	var description struct {
		Paths map[string]map[string]any `json:"paths"`
	}
	if err := json.Unmarshal([]byte(text), &description); err != nil {
		t.Fatal(err)
	}
	var paths []string
	for path, methods := range description.Paths {
		if methods["get"] != nil {
			path = strings.NewReplacer("{id}", "1", "{code}", "D03", "{key}", "x").Replace(path)
			paths = append(paths, path+"?from=2026-06-01&left=D03&right=D04&device=D03&name=x&q=x&key=x")
		}
	}
	slices.Sort(paths)
	before, said := map[string]int{}, map[string]string{}
	for _, path := range paths {
		before[path], said[path] = look.do("GET", path, "", nil)
	}
	faults := 0
	broken := map[string]bool{}
	for _, table := range tables(t, prog) {
		alter(t, prog, fmt.Sprintf("ALTER TABLE %q RENAME TO gone_for_now", table))
		for _, path := range paths {
			code, text := look.do("GET", path, "", nil)
			switch {
			case code == http.StatusInternalServerError:
				faults++
				broken[path] = true
				number := faultNumber.FindStringSubmatch(text)
				if number == nil || !strings.Contains(out.text(), "number="+number[1]) {
					t.Errorf("without %s, %s answers %s, which the log does not have", table, path, text)
				}
				if strings.Contains(text, "no such table") {
					t.Errorf("without %s, %s tells the driver's words: %s", table, path, text)
				}
			case code == http.StatusOK && text != said[path]:
				t.Errorf("without %s, %s answers something else as if nothing were wrong: %s", table, path, text)
			case code != before[path]:
				t.Errorf("without %s, %s answers %d in place of %d: %s", table, path, code, before[path], text)
			}
		}
		alter(t, prog, fmt.Sprintf("ALTER TABLE gone_for_now RENAME TO %q", table))
	}
	if faults < 200 || len(broken) < len(paths)/2 {
		t.Errorf("only %d faults on %d of %d paths came out", faults, len(broken), len(paths))
	}
	t.Logf("%d faults on %d of %d paths", faults, len(broken), len(paths))
	for _, path := range paths {
		if code, text := look.do("GET", path, "", nil); code != before[path] {
			t.Errorf("with all tables again, %s answers %d: %s", path, code, text)
		}
	}
}
