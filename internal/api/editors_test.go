package api

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"ensomet/internal/core/access"
	"ensomet/internal/formats"
	"ensomet/internal/worklist"
)

// edited is a kind of thing that people change: how it is read and how it is saved.
type edited struct {
	make   string // paths and bodies of requests that make one, a line each, where there is none
	read   string // the path that has it
	in     string // where it stands in the answer: a key, or nothing
	save   string // the path to which it is saved
	put    bool
	field  string // a field that the test changes
	within string // a field of that, where it has some
	a, b   any    // two values of it
	extras map[string]any
	rename map[string]string // what stands under another name in the answer
	hidden bool              // the answer does not have the field as it was saved
	// the form of a thing with another value of its field, where it is not the answer with that
	form func(thing map[string]any, value any) map[string]any
	// other routes that end the thing as it was seen, or act on it; {id} and {code} are its own
	acts map[string]map[string]any
}

// ends are the acts on a thing that an address ends.
func ends(path string) map[string]map[string]any { return map[string]map[string]any{path: {}} }

// nobody is a deployment tool that takes orders and does nothing.
type nobody struct{}

func (nobody) Take(context.Context, worklist.Order) error { return nil }

// kinds are all kinds of things that people change.
var kinds = map[string]edited{
	"rules of the worklist": {
		read:  "/api/case-rules",
		save:  "/api/case-rules",
		put:   true,
		field: "answerDays",
		a:     8,
		b:     9,
	},
	"what joins by itself": {
		read: "/api/same/rules", save: "/api/same/rules", put: true, field: "names", a: true, b: false,
	},
	"who is behind an account": {
		read: "/api/people/u1", save: "/api/people/u1/mark", put: true, field: "mark", a: "nobody", b: "person",
	},
	"which names are one person by themselves": {
		read: "/api/alike/rules", save: "/api/alike/rules", put: true, field: "names", a: true, b: false,
	},
	"source":           {read: "/api/sources", in: "0", save: "/api/sources", field: "silentDays", a: 40, b: 50},
	"rules of figures": {read: "/api/rules", save: "/api/rules", put: true, field: "useWindow", a: 80, b: 85},
	"how long use is kept": {
		read: "/api/metering", save: "/api/metering/kept", put: true, field: "dayDays", a: 900, b: 901,
	},
	"how far back days can be asked for": {
		read: "/api/history", save: "/api/history", put: true, field: "days", a: 400, b: 500,
	},
	"how names are decided": {read: "/api/names/settings", save: "/api/names/settings", field: "limit", a: 0.9,
		b: 0.95},
	"group": {
		make: `/api/groups {"id":0,"revision":0,"name":"quay","note":"","byHand":true,"condition":{},"picked":[]}`,
		read: "/api/groups", in: "0", save: "/api/groups", field: "note", a: "one", b: "another",
		acts: ends("/api/groups/{id}/drop"),
	},
	"schedule": {
		make: `/api/schedules {"id":0,"revision":0,"name":"weekly","basis":"age","calendar":{"at":"03:00"},"ageDays":7,` +
			`"group":"","quiet":[],"paused":false}`,
		read: "/api/schedules", in: "0", save: "/api/schedules", field: "ageDays", a: 8, b: 9,
		acts: ends("/api/schedules/{id}/drop"),
	},
	"contract": {read: "/api/contracts", in: "0", save: "/api/contracts", field: "name", a: "one", b: "another"},
	"starter set": {
		make: `/api/starter-sets {"id":0,"revision":0,"name":"clerk","note":"","products":[1],"author":"","at":0}`,
		read: "/api/starter-sets", in: "0", save: "/api/starter-sets", field: "note", a: "one", b: "another",
	},
	"line of entitlements": {
		read: "/api/entitlements/E-1", save: "/api/lines/edit", field: "values", within: "unit_price", a: "81",
		b: "82", acts: map[string]map[string]any{"/api/entitlements/{code}/withdraw": {"why": "twice"}},
	},
	"product": {
		read: "/api/products/1", save: "/api/catalogue/products", field: "name", a: "Skerry One", b: "Skerry Two",
		extras: map[string]any{"product": 1, "dry": false}, rename: map[string]string{"product": "name"},
	},
	"title": {
		read: "/api/products/1", in: "lines.0", save: "/api/catalogue/titles", field: "says", within: "category",
		a: "a",
		b: "b", extras: map[string]any{"product": 1, "title": 1, "drop": false, "dry": false},
	},
	"tags": {
		read: "/api/products/1", save: "/api/products/1/tags", field: "tags", a: []string{"one"}, b: []string{"two"},
		rename: map[string]string{"tagRevision": "revision"},
	},
	"order of metrics": {
		read: "/api/products/1/position", save: "/api/products/1/metric-order", field: "order",
		a: []string{"device"}, b: []string{"core"}, rename: map[string]string{"metrics": "order"}, hidden: true,
	},
	"suite": {
		make: `/api/suites {"id":0,"revision":0,"product":1,"edition":"","version":"","need":0,` +
			`"parts":[{"product":2,"edition":"","version":""}]}`,
		read: "/api/products/1", in: "definitions.0", save: "/api/suites", field: "edition", a: "one", b: "another",
		acts: ends("/api/suites/{id}/drop"),
	},
	"stance": {
		make: `/api/policies {"id":0,"revision":0,"product":1,"stance":"restricted","reason":"one"}`,
		read: "/api/policies", in: "policies.0.says", save: "/api/policies", field: "reason", a: "two", b: "three",
		acts: ends("/api/policies/{id}/end"),
	},
	"rule for reclaim": {
		make: `/api/reclaim-rules {"id":0,"revision":0,"product":1,"propose":true,"window":90,"grace":30,"least":0.8,` +
			`"poolShare":0.6}`,
		read: "/api/reclaim-rules", in: "1.says", save: "/api/reclaim-rules", field: "window", a: 60, b: 50,
		acts: ends("/api/reclaim-rules/{id}/end"),
	},
	"standing decision": {
		make: `/api/standing {"id":0,"revision":0,"kind":"reclaim","ground":0,"perDay":5,"maxFails":20,` +
			`"holdMinutes":60}`,
		read: "/api/standing", in: "decisions.0.says", save: "/api/standing", field: "perDay", a: 6, b: 7,
		acts: map[string]map[string]any{"/api/standing/{id}/steer": {"to": "pause"}},
	},
	"choice of what is measured": {
		make: `/api/metering {"id":0,"revision":0,"product":1,"on":true}`,
		read: "/api/metering", in: "choices.0.says", save: "/api/metering", field: "note", a: "one", b: "another",
		acts: ends("/api/metering/{id}/end"),
	},
	"rule for changes": {
		make: `/api/change-rules {"id":0,"revision":0,"what":"quiet","kinds":["hardware"],"name":"x","publisher":"",` +
			`"group":"","address":""}`,
		read: "/api/change-rules", in: "0", save: "/api/change-rules", field: "name", a: "y*", b: "z*",
		acts: ends("/api/change-rules/{id}/end"),
	},
	"rule for names": {
		make:  aRule,
		read:  "/api/name-rules",
		in:    "rules.0",
		save:  "/api/name-rules",
		field: "reason",
		a:     "one",
		b:     "another",
		acts:  map[string]map[string]any{"/api/name-rules/change": {"change": "end"}},
	},
	"order of rules for names": {
		make: aRule + "\n" + strings.Replace(aRule, "odd", "even", 1), read: "/api/name-rules",
		save: "/api/name-rules/change", field: "order", a: []string{"even", "odd"}, b: []string{"odd", "even"},
		hidden: true, rename: map[string]string{"orderRevision": "revision"},
		form: func(thing map[string]any, value any) map[string]any {
			var ids []any
			for _, name := range value.([]string) {
				for _, r := range thing["rules"].([]any) {
					if r := r.(map[string]any); r["name"] == name {
						ids = append(ids, r["id"])
					}
				}
			}
			return map[string]any{"id": 0, "revision": thing["revision"], "change": "order", "order": ids}
		},
	},
	"publisher": {
		read: "/api/publishers?limit=1", in: "rows.0", save: "/api/catalogue/publishers", field: "aliases",
		a: []string{"One"}, b: []string{"Another"}, hidden: true,
		form: func(thing map[string]any, value any) map[string]any {
			return map[string]any{
				"publisher": thing["id"],
				"revision":  thing["revision"],
				"name":      thing["publisher"],
				"aliases":   value,
				"successor": "",
				"dry":       false,
			}
		},
	},
	"name": {
		read: "/api/names?limit=1", in: "rows.0", save: "/api/names/decide", field: "note", a: "one", b: "another",
		hidden: true,
		form: func(thing map[string]any, value any) map[string]any {
			return map[string]any{"keys": []any{thing["key"]}, "revisions": []any{thing["revision"]}, "product": 1,
				"edition": "", "note": value}
		},
		acts: map[string]map[string]any{"/api/names/later": {"days": 3}, "/api/names/withdraw": {}},
	},
	"exclusion": {
		read: "/api/devices/D01", in: "software.0", save: "/api/left-out", field: "reason", a: "one", b: "another",
		hidden: true, rename: map[string]string{"exclusion": "revision"},
		form: func(thing map[string]any, value any) map[string]any {
			return map[string]any{"devices": []string{"D01"}, "revisions": []any{thing["exclusion"]},
				"product": thing["productId"], "reason": value, "again": false}
		},
	},
	"scenario": {
		make: `/api/scenarios {"id":0,"revision":0,"name":"fewer","note":"","measures":[],"author":"","at":0,` +
			`"changedAt":0,"doneAt":0,"doneBy":""}`,
		read: "/api/scenarios", in: "0", save: "/api/scenarios", field: "note", a: "one", b: "another",
		acts: map[string]map[string]any{"/api/scenarios/{id}/drop": {}, "/api/scenarios/{id}/do": {}},
	},
}

const aRule = `/api/name-rules {"id":0,"revision":0,"name":"odd","outcome":"nothing","records":` +
	`{"field":"name","op":"is","value":"odd"},"devices":{},"product":0,"edition":"","reason":"","from":"","until":"",` +
	`"off":false}`

// at reads a thing as an answer has it, by its place in it.
func (e edited) at(t *testing.T, p person) map[string]any {
	t.Helper()
	status, text := p.do("GET", e.read, "", nil)
	if status != 200 {
		t.Fatal(e.read, status, text)
	}
	var v any
	if err := json.Unmarshal([]byte(text), &v); err != nil {
		t.Fatal(err)
	}
	for part := range strings.SplitSeq(e.in, ".") {
		switch {
		case part == "":
		case part == "0" || part == "1":
			list, at := v.([]any), int(part[0]-'0')
			if len(list) <= at {
				t.Fatalf("%s has none: %s", e.read, text)
			}
			v = list[at]
		default:
			v = v.(map[string]any)[part]
		}
	}
	thing := v.(map[string]any)
	for from, to := range e.rename {
		thing[to] = thing[from]
	}
	return thing
}

// route is what it is saved by, as the description of routes has it.
func (e edited) route() string {
	return strings.NewReplacer("/1/", "/{id}/", "/u1/", "/{code}/").Replace(e.save)
}

// saves saves a thing with another value of its field, and returns what is answered.
func (e edited) saves(t *testing.T, server *Server, p person, thing map[string]any, value any) (int, string) {
	t.Helper()
	body := maps.Clone(thing)
	maps.Copy(body, e.extras)
	if body[e.field] = value; e.within != "" {
		values := maps.Clone(thing[e.field].(map[string]any))
		values[e.within] = value
		body[e.field] = values
	}
	method := http.MethodPost
	if e.put {
		method = http.MethodPut
	}
	// what an answer has besides is none of the form
	if e.form != nil {
		body = e.form(thing, value)
	}
	known := formFields(server, route{method, e.route()})
	maps.DeleteFunc(body, func(name string, _ any) bool { return !slices.Contains(known, name) })
	text, err := json.Marshal(body)
	if err != nil {
		t.Fatal(err)
	}
	return p.do(method, e.save, string(text), nil)
}

// formFields are the fields of what a route takes.
func formFields(s *Server, r route) []string {
	schema := operation(s, r).RequestBody.Content["application/json"].Schema
	if schema.Ref != "" {
		schema = s.API.OpenAPI().Components.Schemas.SchemaFromRef(schema.Ref)
	}
	return slices.Collect(maps.Keys(schema.Properties))
}

// Of every kind, whoever saves second on what he saw before is told who changed it, when and what; nothing of his is
// stored, and what is saved on what it is now is taken.
func TestSecondEditorsAreTold(t *testing.T) {
	for name, e := range kinds {
		t.Run(name, func(t *testing.T) {
			persons, prog := owner(t)
			prog.Worklist.Deploy = nobody{}
			server := New(prog, nil)
			first, second := persons[access.Admin], persons[access.Editor]
			if strings.Contains(e.save, "case-rules") || strings.Contains(e.save, "kept") ||
				strings.Contains(e.save, "settings") || strings.Contains(e.save, "history") {
				second = enter(t, first.base, "runer")
			}
			for line := range strings.Lines(e.make) {
				path, body, _ := strings.Cut(line, " ")
				if status, text := first.do("POST", path, body, nil); status != 200 {
					t.Fatal(status, text)
				}
			}
			saw := e.at(t, second)
			if status, text := e.saves(t, server, first, e.at(t, first), e.a); status != 200 {
				t.Fatal(status, text)
			}
			status, text := e.saves(t, server, second, saw, e.b)
			var told struct {
				Who      string
				At       int64
				Revision int64
				Changed  []struct {
					Field   string
					Was, Is any
				}
			}
			if err := json.Unmarshal([]byte(text), &told); err != nil || status != http.StatusConflict {
				t.Fatal(status, text, err)
			}
			changed := false
			for _, c := range told.Changed {
				changed = changed || c.Field == cmp.Or(e.within, e.field) && fmt.Sprint(c.Is) == fmt.Sprint(e.a)
			}
			if told.Who != "runer" || told.At != (fixed{}).Now().Unix() || !changed {
				t.Errorf("%s", text)
			}
			now := e.at(t, second)
			is := now[e.field]
			if e.within != "" {
				is = is.(map[string]any)[e.within]
			}
			if !e.hidden && strings.Trim(fmt.Sprint(is), "[]") != strings.Trim(fmt.Sprint(e.a), "[]") {
				t.Errorf("it is %v now", is)
			}
			if fmt.Sprint(now["revision"]) != fmt.Sprint(told.Revision) {
				t.Errorf("its revision is %v, and he was told %d", now["revision"], told.Revision)
			}
			if status, text := e.saves(t, server, second, now, e.b); status != 200 {
				t.Errorf("on what it is now: %d %s", status, text)
			}
		})
	}
}

// Whoever ends a thing, or acts on it, as it was before somebody else changed it is told, and nothing is done; as it is
// now it is.
func TestNobodyEndsWhatHeDidNotSee(t *testing.T) {
	for name, e := range kinds {
		for path, extras := range e.acts {
			t.Run(name+" "+path, func(t *testing.T) {
				persons, prog := owner(t)
				prog.Worklist.Deploy = nobody{}
				server := New(prog, nil)
				first, second := persons[access.Admin], persons[access.Editor]
				for line := range strings.Lines(e.make) {
					path, body, _ := strings.Cut(line, " ")
					if status, text := first.do("POST", path, body, nil); status != 200 {
						t.Fatal(status, text)
					}
				}
				act := func(saw map[string]any) (int, string) {
					body := map[string]any{"id": saw["id"], "revision": saw["revision"], "key": saw["key"],
						"keys": []any{saw["key"]}, "revisions": []any{saw["revision"]}}
					maps.Copy(body, extras)
					known := formFields(server, route{"POST", path})
					maps.DeleteFunc(body, func(name string, _ any) bool { return !slices.Contains(known, name) })
					text, err := json.Marshal(body)
					if err != nil {
						t.Fatal(err)
					}
					return second.do("POST", strings.NewReplacer("{id}", fmt.Sprint(saw["id"]), "{code}", "E-1").
						Replace(path), string(text), nil)
				}
				saw := e.at(t, second)
				if status, text := e.saves(t, server, first, saw, e.a); status != 200 {
					t.Fatal(status, text)
				}
				if status, text := act(saw); status != http.StatusConflict || !strings.Contains(text, "runer") {
					t.Errorf("as it was: %d %s", status, text)
				}
				if strings.HasSuffix(path, "/do") {
					return // there is nothing in this one to be done
				}
				if status, text := act(e.at(t, second)); status != 200 {
					t.Errorf("as it is: %d %s", status, text)
				}
			})
		}
	}
}

// Whoever signs off a rule agrees to the rule that he saw, not to what it was made meanwhile.
func TestNobodySignsWhatHeDidNotSee(t *testing.T) {
	persons, _ := owner(t)
	admin, signer := persons[access.Admin], persons[access.Editor]
	ask := func(p person, path, body string) string {
		t.Helper()
		status, text := p.do("POST", path, body, nil)
		if status != 200 {
			t.Fatal(path, status, text)
		}
		return text
	}
	ask(admin, "/api/names/settings", `{"signOff":["rule"],"limit":0,"revision":0}`)
	path, body, _ := strings.Cut(aRule, " ")
	ask(admin, path, body)
	ask(admin, path, strings.NewReplacer(`"id":0`, `"id":1`, `"value":"odd"`, `"value":"all"`).Replace(body))
	status, text := signer.do(
		"POST",
		"/api/unsigned/sign",
		`{"kind":"rule","id":1,"revision":0,"agreed":true}`,
		nil,
	)
	if status != http.StatusConflict || !strings.Contains(text, `"field":"records"`) {
		t.Errorf("%d %s", status, text)
	}
	ask(signer, "/api/unsigned/sign", `{"kind":"rule","id":1,"revision":1,"agreed":true}`)
}

// Every route that changes something says so in the table, and what several people may have open is changed by routes
// that name the revision that was seen: each of them is asked above. A new route that changes a thing by its number and
// names none fails here.
func TestWhatChangesNamesARevision(t *testing.T) {
	_, prog := house(t)
	server := New(prog, nil)
	tried := map[string]bool{
		"/api/plans":         true,
		"/api/unsigned/sign": true,
		"/api/words":         true, "/api/directories": true,
		"/api/directories/{id}/drop": true, "/api/places": true, "/api/own-fields/{of}/{thing}": true,
		"/api/places/{id}/drop": true} // by tests of their own
	for _, e := range kinds {
		tried[e.route()] = true
		for path := range e.acts {
			tried[path] = true
		}
	}
	text, err := os.ReadFile(rightsTable)
	if err != nil {
		t.Fatal(err)
	}
	how := map[route]string{}
	for line := range strings.Lines(string(text)) {
		if cells := strings.Split(line, "|"); len(cells) == 7 {
			how[route{strings.TrimSpace(cells[1]), strings.Trim(cells[2], " `")}] = strings.TrimSpace(cells[4])
		}
	}
	asked := 0
	for _, r := range routesOf(t, server) {
		if r.method == http.MethodGet {
			continue
		}
		var fields []string
		if op := operation(server, r); op != nil && op.RequestBody != nil &&
			op.RequestBody.Content["application/json"] != nil {
			fields = required(server, r)
		}
		names := slices.Contains(fields, "revision") || slices.Contains(fields, "revisions")
		switch how[r] {
		case "revision":
			if asked++; !names || !tried[r.path] {
				t.Errorf("%s asks for no revision, or no test tries it: it needs %q", r.path, fields)
			}
		case "adds", "moves":
			if names || slices.Contains(fields, "id") && r.path != "/api/deployment/outcome" || r.method == "PUT" {
				t.Errorf("%s changes a thing by its number, and the table says that it %s", r.path, how[r])
			}
		case "reads":
		default:
			t.Errorf("docs/rights.md does not say what %s %s changes, but %q", r.method, r.path, how[r])
		}
	}
	if asked < 35 {
		t.Errorf("%d routes ask for a revision", asked)
	}
}

// required are the fields that a route asks for.
func required(s *Server, r route) []string {
	schema := operation(s, r).RequestBody.Content["application/json"].Schema
	if schema.Ref != "" {
		schema = s.API.OpenAPI().Components.Schemas.SchemaFromRef(schema.Ref)
	}
	return schema.Required
}

// Eight people save one thing a thousand times: each save is taken or told, and none is lost without a word.
func TestEightPeopleSaveOneThing(t *testing.T) {
	persons, prog := owner(t)
	server := New(prog, nil)
	e := kinds["contract"]
	var taken, told atomic.Int64
	var all sync.WaitGroup
	var mu sync.Mutex
	kept := map[int64]string{} // by revision
	for i := range 8 {
		p := enter(t, persons[access.Editor].base, "worker")
		all.Go(func() {
			r := rand.New(rand.NewPCG(uint64(i), 7))
			saw := e.at(t, p)
			for k := range 125 {
				value := fmt.Sprintf("by %d, %d", i, k)
				switch status, text := e.saves(t, server, p, saw, value); status {
				case 200:
					taken.Add(1)
					mu.Lock()
					revision := int64(saw["revision"].(float64)) + 1
					if before, twice := kept[revision]; twice {
						t.Errorf("the revision %d is %q and %q", revision, before, value)
					}
					kept[revision] = value
					mu.Unlock()
				case http.StatusConflict:
					told.Add(1)
				default:
					t.Error(status, text)
				}
				if r.IntN(3) > 0 {
					saw = e.at(t, p)
				}
			}
		})
	}
	all.Wait()
	if taken.Load()+told.Load() != 1000 || int64(len(kept)) != taken.Load() || taken.Load() < 100 ||
		told.Load() < 100 {
		t.Errorf("%d were taken and %d told", taken.Load(), told.Load())
	}
	last := e.at(t, persons[access.Editor])
	if revision := int64(last["revision"].(float64)); revision != taken.Load() || kept[revision] != last["name"] {
		t.Errorf("it is %v in the revision %v, want %q in %d", last["name"], last["revision"], kept[taken.Load()],
			taken.Load())
	}
	t.Logf("of 1,000 saves %d were taken and %d told", taken.Load(), told.Load())
}

// A file that changes a line while somebody has it in a form is told like a colleague.
func TestAFileChangesWhatIsBeingEdited(t *testing.T) {
	persons, prog := owner(t)
	server := New(prog, nil)
	e := kinds["line of entitlements"]
	saw := e.at(t, persons[access.Editor])
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,purchased,unit_price,currency\n"+
			"E-1,Ostwick,Skerrymap,device,31,perpetual,2025-01-01,80,EUR\n")
	status, text := e.saves(t, server, persons[access.Editor], saw, "90")
	var told struct {
		Changed []struct{ Field, Was, Is string }
	}
	if err := json.Unmarshal([]byte(text), &told); err != nil || status != http.StatusConflict ||
		!strings.Contains(text, `"who":"test"`) {
		t.Fatalf("%d %s %v", status, text, err)
	}
	quantity := false
	for _, c := range told.Changed {
		if quantity = quantity || c.Field == "quantity" && c.Was == "30" && c.Is == "31"; c.Was == c.Is {
			t.Errorf("%+v is told as a change", c)
		}
	}
	if !quantity || len(told.Changed) > 5 {
		t.Errorf("what the file changed is %+v", told.Changed)
	}
}

// Whoever plans about a release that somebody else planned about meanwhile is told of that plan, and can plan on it.
func TestTwoPlansAboutOneRelease(t *testing.T) {
	persons, _ := owner(t)
	plan := func(role access.Role, owner string, revision int64) (int, string) {
		return persons[role].do("POST", "/api/plans", fmt.Sprintf(`{"title":1,"what":"remove","toProduct":0,`+
			`"toVersion":"","since":"","due":"2027-01-01","owner":%q,"note":"","revision":%d}`, owner, revision), nil)
	}
	if status, text := plan(access.Admin, "Dagne", 0); status != 200 {
		t.Fatal(status, text)
	}
	status, text := plan(access.Editor, "Livar", 0)
	if status != http.StatusConflict || !strings.Contains(text, `"who":"runer"`) ||
		!strings.Contains(text, "Dagne") {
		t.Errorf("%d %s", status, text)
	}
	if status, text := plan(access.Editor, "Livar", 1); status != 200 {
		t.Error(status, text)
	}
}

// Whoever has a thing in a form that is gone meanwhile does not write it over a new one that got its number.
func TestNumbersThatAreGivenAgain(t *testing.T) {
	for _, name := range []string{"group", "schedule", "suite", "starter set"} {
		persons, prog := owner(t)
		server, p := New(prog, nil), persons[access.Editor]
		e := kinds[name]
		path, body, _ := strings.Cut(e.make, " ")
		anew := func() map[string]any {
			if status, text := p.do("POST", path, body, nil); status != 200 {
				t.Fatal(name, status, text)
			}
			return e.at(t, p)
		}
		saw := anew()
		gone := func() (int, string) {
			return p.do("POST", fmt.Sprintf("%s/%v/drop", path, saw["id"]),
				fmt.Sprintf(`{"revision":%v}`, saw["revision"]), nil)
		}
		if name == "starter set" { // one without titles is taken away
			gone = func() (int, string) {
				return p.do("POST", path, fmt.Sprintf(
					`{"id":%v,"revision":0,"name":"clerk","note":"","products":[],"author":"","at":0}`, saw["id"]),
					nil)
			}
		}
		if status, text := gone(); status != 200 {
			t.Fatal(name, status, text)
		}
		if again := anew(); again["id"] != saw["id"] {
			t.Fatalf("%s: the number %v is not given again but %v: nothing is asked", name, saw["id"], again["id"])
		}
		if status, text := e.saves(t, server, p, saw, e.a); status != http.StatusConflict {
			t.Errorf("%s: the one that is gone is saved over the new one: %d %s", name, status, text)
		}
	}
}
