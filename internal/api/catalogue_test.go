package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"
)

// What changes the catalogue is for those who work; a look is for everybody; every refusal is a plain sentence.
func TestTheCatalogueOverHTTP(t *testing.T) {
	s, prog := house(t)
	look, work := enter(t, s.URL, "looker"), enter(t, s.URL, "worker")
	for path, body := range map[string]string{
		"/api/catalogue/titles":         `{"product":1,"title":0,"edition":"","version":"9","says":{},"revision":0,"drop":false,"dry":true}`,
		"/api/catalogue/products":       `{"product":1,"publisher":"Ostwick","name":"X","revision":0,"dry":true}`,
		"/api/catalogue/publishers":     `{"publisher":0,"revision":0,"name":"New House","aliases":[],"successor":"","dry":true}`,
		"/api/catalogue/updates/take":   `{"update":1,"all":true,"take":[],"keep":[],"leave":[],"dry":true}`,
		"/api/catalogue/starter":        ``,
		"/api/catalogue/updates?file=x": "publisher,product\nA,B\n",
		"/api/products/1/tags":          `{"tags":["a"]}`,
		"/api/products/1/watch":         `{"on":true}`,
		"/api/products/1/remarks":       `{"device":"","text":"x"}`,
		"/api/plans":                    `{"title":1,"what":"remove","toProduct":0,"toVersion":"","since":"","due":"2027-01-01","owner":"me","note":"","revision":0}`,
	} {
		if code, _ := look.do("POST", path, body, nil); code != http.StatusForbidden {
			t.Errorf("%s as looker: %d", path, code)
		}
	}
	ask := func(p person, path string, into any) {
		t.Helper()
		code, text := p.do("GET", path, "", nil)
		if code != 200 {
			t.Fatalf("%s: %d %s", path, code, text)
		}
		if err := json.Unmarshal([]byte(text), into); err != nil {
			t.Fatal(err)
		}
	}
	tell := func(path, body string, want int) string {
		t.Helper()
		code, text := work.do("POST", path, body, nil)
		if code != want {
			t.Fatalf("%s: %d %s", path, code, text)
		}
		return text
	}

	made := tell(
		"/api/catalogue/updates?file=newer.csv",
		"publisher,product,version,category\nOstwick,Skerrymap,,charts\nOstwick,Newcomer,,\n",
		200,
	)
	var update struct {
		New, Changed, Conflicts, Shown int
		File                           string
		Rows                           []struct{ ID, Field, Theirs, Sort string }
	}
	if made != "{\"id\":1}\n" && made != `{"id":1}` {
		t.Error(made)
	}
	ask(look, "/api/catalogue/updates/1?sort=changed", &update)
	if update.New != 1 || update.Changed != 1 || update.Shown != 1 || update.File != "newer.csv" ||
		update.Rows[0].Theirs != "charts" {
		t.Errorf("%+v", update)
	}
	if text := tell("/api/catalogue/updates/take",
		`{"update":1,"all":true,"take":[],"keep":[],"leave":[],"dry":false}`,
		200); !strings.Contains(
		text,
		`"titles":2`,
	) {
		t.Error(text)
	}
	ask(look, "/api/catalogue/updates/1", &update)
	if update.New+update.Changed+update.Conflicts != 0 {
		t.Errorf("%+v", update)
	}
	tell("/api/catalogue/updates/1/close", "", 200)
	tell("/api/catalogue/updates/1/close", "", 404)
	if text := tell("/api/catalogue/updates?file=x.txt", "neither,nor\n1,2\n", 422); !strings.Contains(
		text,
		"publisher",
	) {
		t.Error(text)
	}
	if text := tell("/api/catalogue/titles",
		`{"product":1,"title":0,"edition":"","version":"9","says":{"released":"soon"},"revision":0,"drop":false,"dry":false}`, 422); !strings.Contains(
		text,
		"not a date",
	) {
		t.Error(text)
	}
	tell(
		"/api/catalogue/titles",
		`{"product":1,"title":0,"edition":"","version":"9","says":{"released":"2026-01-01","end_of_life":"2027-01-31"},"revision":0,"drop":false,"dry":false}`,
		200,
	)

	for format, begins := range map[string]string{"csv": "publisher,product,", "xlsx": "PK",
		"json": "{\n \"format\": \"ensomet-catalogue-1\"", "cyclonedx": "{\n  \"$schema\""} {
		if code, text := look.do("GET", "/api/catalogue."+format, "", nil); code != 200 ||
			!strings.HasPrefix(text, begins) {
			t.Errorf("%s: %d %.60s", format, code, text)
		}
	}
	if code, _ := look.do("GET", "/api/catalogue.odt", "", nil); code != 404 {
		t.Errorf("a form that there is none of: %d", code)
	}
	if code, _ := (person{t, s.URL, http.DefaultClient}).do("GET", "/api/catalogue.csv", "", nil); code != 401 {
		t.Errorf("without signing in: %d", code)
	}

	var life struct{ On, Until string }
	ask(look, "/api/life-cycle?on=2026-02-28&months=12", &life)
	if life.On != "2026-02-28" || life.Until != "2027-02-28" {
		t.Errorf("%+v", life)
	}
	if code, text := look.do("GET", "/api/life-cycle?on=soon", "", nil); code != 422 ||
		!strings.Contains(text, "not a date") {
		t.Errorf("%d %s", code, text)
	}
	var versions []struct{ Version string }
	ask(look, "/api/products/1/versions", &versions)
	if len(versions) != 4 {
		t.Errorf("%+v", versions)
	}
	var publishers struct {
		Rows []struct {
			Publisher string
			Installs  int
		}
	}
	ask(look, "/api/publishers?q=ost", &publishers)
	if len(publishers.Rows) != 1 || publishers.Rows[0].Installs == 0 {
		t.Errorf("%+v", publishers)
	}
	tell("/api/products/1/tags", `{"tags":["audit"],"revision":0}`, 200)
	tell("/api/products/1/watch", `{"on":true}`, 200)
	if text := tell("/api/products/1/remarks", `{"device":"D01","text":"kept"}`, 200); !strings.Contains(text, "id") {
		t.Error(text)
	}
	var d struct{ Remarks []struct{ Text string } }
	ask(look, "/api/devices/D01", &d)
	if len(d.Remarks) != 1 || d.Remarks[0].Text != "kept" {
		t.Errorf("%+v", d)
	}
	// figures follow a moment later
	for wait := time.Now(); prog.Renewal.Status().Running && time.Since(wait) < time.Minute; {
		time.Sleep(10 * time.Millisecond)
	}
	var list bytes.Buffer
	code, text := look.do("GET", "/api/releases.csv", "", nil)
	fmt.Fprint(&list, text)
	if code != 200 || !strings.Contains(list.String(), "2027-01-31") {
		t.Errorf("%d %s", code, text)
	}
}
