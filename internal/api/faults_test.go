package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"ensomet/internal/core/access"
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

// everything is all rows of all tables.
func everything(t *testing.T, prog *program.Program) string {
	t.Helper()
	var out strings.Builder
	if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) error {
		for _, table := range tables(t, prog) {
			if table == "mark" || table == "blank" { // a point in time, which a statement takes first, says nothing
				continue
			}
			rows, err := tx.Query("SELECT * FROM " + table)
			if err != nil {
				return err
			}
			columns, err := rows.Columns()
			if err != nil {
				return err
			}
			for rows.Next() {
				row, into := make([]any, len(columns)), make([]any, len(columns))
				for i := range row {
					into[i] = &row[i]
				}
				if err := rows.Scan(into...); err != nil {
					return err
				}
				fmt.Fprintf(&out, "%s %v\n", table, row)
			}
			if err := rows.Err(); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

// A fault of the file while somebody changes something comes out as 500 with its cause in the log, and leaves nothing
// of the change behind: what was written before the fault is taken back with it.
func TestFaultsWhileWriting(t *testing.T) {
	persons, prog := owner(t)
	prog.Close()
	out := logged(t)
	boss := persons[access.Admin]
	changes := map[string]string{
		"/api/contracts": `{"code":"K-9","publisher":"","name":"n","start":"","end":"","noticeDays":0,"renews":false,` +
			`"owner":"","note":"","author":"","at":0,"revision":0}`,
		"/api/groups":                  `{"revision":0,"id":0,"name":"quay","note":"","byHand":true,"condition":{},"picked":[]}`,
		"/api/products/1/tags":         `{"tags":["dear"],"revision":0}`,
		"/api/products/1/watch":        `{"on":true}`,
		"/api/products/1/remarks":      `{"device":"","text":"look again"}`,
		"/api/products/1/metric-order": `{"order":["device"],"revision":0}`,
		"/api/entitlements/E-1/notes":  `{"text":"seen"}`,
		"/api/statements":              `{"asOf":"","products":[1],"handedTo":"auditor","note":""}`,
		"/api/policies": `{"id":0,"revision":0,"product":1,"publisher":"","category":"","group":"","stance":"restricted","days":"",` +
			`"from":"","to":"","reason":"r","owner":"","until":""}`,
		"/api/policies/1/end": `{"revision":0}`,
		"/api/metering":       `{"id":0,"revision":0,"product":1,"on":true}`,
		"/api/reclaim-rules": `{"id":0,"revision":0,"product":1,"publisher":"","category":"","group":"","propose":true,"window":90,` +
			`"grace":30,"least":0.5,"poolShare":0.5,"note":""}`,
		"/api/change-rules":              `{"id":0,"revision":0,"what":"quiet","kinds":["upgraded"],"name":"x*","publisher":"","group":"","address":""}`,
		"/api/entitlements/E-2/withdraw": `{"why":"typed twice","revision":0}`,
		"/api/seats/assign":              `{"product":2,"line":"","user":"u1","device":""}`,
		"/api/names/settings":            `{"revision":0,"signOff":[],"limit":0}`,
	}
	type fault struct{ table, path string }
	var faults []fault
	taken := 0
	for _, table := range tables(t, prog) {
		if table == "past" { // what writes it is made anew meanwhile, and SQLite then does not let it come back
			continue
		}
		alter(t, prog, fmt.Sprintf("ALTER TABLE %q RENAME TO gone_for_now", table))
		for _, path := range slices.Sorted(maps.Keys(changes)) {
			switch code, text := boss.do("POST", path, changes[path], nil); {
			case code == http.StatusInternalServerError:
				faults = append(faults, fault{table, path})
				number := faultNumber.FindStringSubmatch(text)
				if number == nil || !strings.Contains(out.text(), "number="+number[1]) {
					t.Errorf("without %s, %s answers %s, which the log does not have", table, path, text)
				}
			case code == http.StatusOK: // it does not ask this table
				taken++
			case strings.Contains(text, "no such table"):
				t.Errorf("without %s, %s tells the driver's words: %s", table, path, text)
			}
		}
		alter(t, prog, fmt.Sprintf("ALTER TABLE gone_for_now RENAME TO %q", table))
	}
	if len(faults) < 60 || taken < 15 {
		t.Errorf("only %d faults came out, and %d changes were made", len(faults), taken)
	}
	if err := prog.Pipeline.Refresh(t.Context()); err != nil { // else what asks for current figures would write them
		t.Fatal(err)
	}
	before, held := everything(t, prog), 0
	for _, f := range faults {
		alter(t, prog, fmt.Sprintf("ALTER TABLE %q RENAME TO gone_for_now", f.table))
		code, _ := boss.do("POST", f.path, changes[f.path], nil)
		alter(t, prog, fmt.Sprintf("ALTER TABLE gone_for_now RENAME TO %q", f.table))
		after := everything(t, prog)
		switch {
		case code == http.StatusOK: // with figures that are current it does not ask this table
			before = after
		case after != before:
			t.Fatalf("without %s, %s answers %d and leaves something behind", f.table, f.path, code)
		default:
			held++
		}
	}
	if held < 50 {
		t.Errorf("only %d faults were looked at", held)
	}
}
