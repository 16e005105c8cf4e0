package api

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/core/access"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// The table of rights: each route, and what it needs.
const rightsTable = "../../docs/rights.md"

// needs are the words by which the table says what a route needs.
var needs = map[string]access.Role{
	"look": access.Viewer, "work": access.Editor, "run": access.Admin, "nothing": "", "a token": "token",
}

// route is a route of the server.
type route struct{ method, path string }

// asked is how a route is asked for: of things that are not there.
func (r route) asked() string {
	return strings.NewReplacer("{id}", "987654321", "{code}", "no-such-thing", "{key}", "no-such-key", "{format}",
		"csv",
		"{kind}", "devices",
		"{of}", "person", "{thing}", "no-such-thing",
		"{name}", "no-such-name", "{unit}", "0", "{metric}", "device", "{device}", "987654321",
		"{title}", "987654321", "{product}", "987654321", "{*}", "", "*", "").Replace(r.path)
}

// routesOf are all routes of a server.
func routesOf(t *testing.T, s *Server) (out []route) {
	t.Helper()
	if err := chi.Walk(s.Router,
		func(method, path string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
			out = append(out, route{method, path})
			return nil
		}); err != nil {
		t.Fatal(err)
	}
	slices.SortFunc(out, func(a, b route) int { return strings.Compare(a.path+" "+a.method, b.path+" "+b.method) })
	return out
}

// table reads what each route needs.
func table(t *testing.T) map[route]access.Role {
	t.Helper()
	text, err := os.ReadFile(rightsTable)
	if err != nil {
		t.Fatal(err)
	}
	out := map[route]access.Role{}
	for line := range strings.Lines(string(text)) {
		cells := strings.Split(line, "|")
		if len(cells) != 7 || !strings.Contains(cells[2], "`/") {
			continue
		}
		role, ok := needs[strings.TrimSpace(cells[3])]
		if !ok {
			t.Errorf("the table says of %s that it needs %q", cells[2], cells[3])
		}
		out[route{strings.TrimSpace(cells[1]), strings.Trim(cells[2], " `")}] = role
	}
	return out
}

// Every route stands in the table of rights and does what stands there: it refuses whoever may not, nobody, a session
// that has ended, and a token where it asks for a person, and asks nothing else before; and whatever it is asked of
// things that are not there, it never answers that something went wrong.
func TestRightsOfEveryRoute(t *testing.T) {
	s, prog := house(t)
	server := New(prog, nil)
	rights := table(t)
	secret, _, err := prog.Collecting.NewToken(t.Context(), "collector", "id", "test")
	if err != nil {
		t.Fatal(err)
	}
	if err := prog.People.SaveAccount(t.Context(), "gone", access.Admin, "a long password"); err != nil {
		t.Fatal(err)
	}
	ended := enter(t, s.URL, "gone")
	if err := prog.People.RemoveAccount(t.Context(), "gone"); err != nil {
		t.Fatal(err)
	}
	token := http.Header{"Authorization": {"Bearer " + secret}}
	if secret, _, err = prog.Collecting.NewToken(t.Context(), "deployment", "id", "test"); err != nil {
		t.Fatal(err)
	}
	deployment := http.Header{"Authorization": {"Bearer " + secret}}
	persons := map[access.Role]person{}
	for _, role := range []access.Role{access.Viewer, access.Editor, access.Admin} {
		persons[role] = enter(t, s.URL, string(role)+"er")
	}
	routes := routesOf(t, server)
	for _, r := range routes {
		need, ok := rights[r]
		if !ok {
			t.Errorf("%s %s has no line in docs/rights.md", r.method, r.path)
			continue
		}
		if r.path == "/api/sign-out" {
			continue // it ends the session that is asked with; TestSignIn asks it
		}
		ask := func(who string, p person, header http.Header, want func(status int) bool) {
			status, text := p.do(r.method, r.asked(), "{}", header)
			if !want(status) || status >= 500 {
				t.Errorf("%s %s (needs %q) answers %s: %d %.200s", r.method, r.asked(), need, who, status, text)
			}
		}
		refused := func(status int) bool { return status == http.StatusUnauthorized }
		allowed := func(status int) bool { return status != http.StatusUnauthorized && status != http.StatusForbidden }
		jar, _ := cookiejar.New(nil)
		nobody := person{t, s.URL, &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error {
			return http.ErrUseLastResponse
		}}}
		switch need {
		case "":
			ask("nobody", nobody, nil, func(status int) bool {
				return allowed(status) || r.path == "/api/sign-in" && refused(status)
			})
		case "token":
			ask("nobody", nobody, nil, refused)
			ask("a person", persons[access.Admin], nil, refused)
			ask("a wrong token", nobody, http.Header{"Authorization": {"Bearer x"}}, refused)
			if r.path == "/api/deployment/outcome" {
				ask("a token of another source", nobody, token, func(status int) bool {
					return status == http.StatusForbidden
				})
				ask("its token", nobody, deployment, allowed)
				continue
			}
			ask("a token", nobody, token, allowed)
		default:
			ask("nobody", nobody, nil, refused)
			ask("an ended session", ended, nil, refused)
			ask("a token", nobody, token, refused)
			for role, p := range persons {
				want := allowed
				if !role.May(need) {
					want = func(status int) bool { return status == http.StatusForbidden }
				}
				ask(string(role), p, nil, want)
			}
		}
	}
	for r := range rights {
		if !slices.Contains(routes, r) {
			t.Errorf("docs/rights.md has a line for %s %s, and there is no such route", r.method, r.path)
		}
	}
}

// operation is the description of a route, nil where it has none.
func operation(s *Server, r route) *huma.Operation {
	item := s.API.OpenAPI().Paths[r.path]
	if item == nil {
		return nil
	}
	return map[string]*huma.Operation{"GET": item.Get, "POST": item.Post, "PUT": item.Put}[r.method]
}

// fitting is the least body that fits the description of a route, {} where it has none.
func fitting(t *testing.T, s *Server, r route) string {
	t.Helper()
	op := operation(s, r)
	if op == nil || op.RequestBody == nil {
		return "{}"
	}
	text, err := json.Marshal(example(s, op.RequestBody.Content["application/json"].Schema))
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// example is the least value that fits a description.
func example(s *Server, schema *huma.Schema) any {
	if schema.Ref != "" {
		schema = s.API.OpenAPI().Components.Schemas.SchemaFromRef(schema.Ref)
	}
	if len(schema.Enum) > 0 {
		return schema.Enum[0]
	}
	switch schema.Type {
	case huma.TypeObject:
		out := map[string]any{}
		for _, name := range schema.Required {
			out[name] = example(s, schema.Properties[name])
		}
		return out
	case huma.TypeArray:
		return []any{}
	case huma.TypeInteger, huma.TypeNumber:
		if schema.Minimum != nil {
			return *schema.Minimum
		}
		return 0
	case huma.TypeBoolean:
		return false
	}
	if schema.MinLength != nil && *schema.MinLength > 1 {
		return strings.Repeat("x", *schema.MinLength)
	}
	return "x"
}

// query is the least query that a route asks for.
func query(s *Server, r route) string {
	op := operation(s, r)
	if op == nil {
		return ""
	}
	v := url.Values{}
	for _, p := range op.Parameters {
		if p.In == "query" && p.Required {
			if v.Set(p.Name, fmt.Sprint(example(s, p.Schema))); p.Name == "from" {
				v.Set(p.Name, "2026-06-01")
			}
		}
	}
	return "?" + v.Encode()
}

// What is not there is not found, whatever is asked of it.
func TestThingsThatAreNotThere(t *testing.T) {
	s, prog := house(t)
	admin := enter(t, s.URL, "runer")
	server := New(prog, nil)
	for _, r := range routesOf(t, server) {
		if r.asked() == r.path || strings.HasSuffix(r.path, ".{format}") || slices.Contains(notOfThings, r.path) {
			continue
		}
		if status, text := admin.do(r.method, r.asked()+query(server, r), fitting(t, server, r),
			nil); status != http.StatusNotFound {
			t.Errorf("%s %s answers %d %.200s", r.method, r.asked(), status, text)
		}
	}
}

// notOfThings are routes whose address names no thing that could be missing.
var notOfThings = []string{
	"/answer/{key}",      // a wrong key is not found either, and a body that answers nothing is told before
	"/api/how-far/{key}", // work that has not begun yet says nothing
	"/api/import/{kind}",
	"/api/own-fields/{of}",
	"/api/splits/{of}",
}

// A cursor that we did not give is refused, as is a list that does not exist in that form.
func TestForgedCursors(t *testing.T) {
	s, prog := house(t)
	viewer := enter(t, s.URL, "looker")
	lists := 0
	for _, r := range routesOf(t, New(prog, nil)) {
		list, ok := strings.CutSuffix(r.path, ".{format}")
		if !ok || strings.Contains(list, "{") || list == "/api/catalogue" {
			continue
		}
		lists++
		for _, forged := range []string{"x", "e30", "bnVsbA", "W10", "WzEsMl0", "WyJhIl0", "WzEsMiwzLDQsNSw2LDcsOF0",
			"eyJhIjoxfQ", "%00", "%FF%FE", strings.Repeat("W", 5000), "W1tbW1tbW1tbXV1dXV1dXV1dXQ", "WzFlOTk5XQ",
			"J3gnIE9SIDE9MQ"} {
			for _, more := range []string{"", "&desc=true", "&sort=id"} {
				status, text := viewer.do("GET", list+"?cursor="+forged+more, "", nil)
				if status != http.StatusBadRequest {
					t.Errorf("%s answers a cursor %.20q%s with %d %.100s", list, forged, more, status, text)
				}
			}
		}
		for _, bad := range []string{"sort=nothing", "f=nothing%3D1", "f=x", "split=nothing", "limit=0",
			"limit=100000"} {
			if status, text := viewer.do("GET", list+"?"+bad, "", nil); status != http.StatusBadRequest &&
				status != http.StatusUnprocessableEntity {
				t.Errorf("%s answers %s with %d %.100s", list, bad, status, text)
			}
		}
		for _, bad := range []string{".exe", ".", ".csv?sort=nothing", ".csv?f=nothing%3D1"} {
			if status, text := viewer.do("GET", list+bad, "", nil); status < 400 || status >= 500 {
				t.Errorf("%s%s answers %d %.100s", list, bad, status, text)
			}
		}
	}
	if lists < 15 {
		t.Errorf("%d lists", lists)
	}
}

// endless is a body that has no end.
type endless struct{}

func (endless) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = ' '
	}
	return len(p), nil
}

// What is too large is told as such, with a sentence, on every route that takes something.
func TestTooLarge(t *testing.T) {
	s, prog := house(t)
	secret, _, err := prog.Collecting.NewToken(t.Context(), "deployment", "id", "test")
	if err != nil {
		t.Fatal(err)
	}
	admin, rights := enter(t, s.URL, "runer"), table(t)
	for _, r := range routesOf(t, New(prog, nil)) {
		if r.method == "GET" || r.path == "/answer/{key}" || r.path == "/api/sign-out" ||
			r.path == "/api/import/{kind}" ||
			operation(New(prog, nil), r) != nil && operation(New(prog, nil), r).RequestBody == nil {
			continue // a file to be taken in may be as large as the disk lets it; what asks for nothing reads nothing
		}
		req, err := http.NewRequest(r.method, s.URL+r.asked(), io.MultiReader(strings.NewReader(`{"a": "`), endless{}))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		if rights[r] == "token" {
			req.Header.Set("Authorization", "Bearer "+secret)
		}
		res, err := admin.client.Do(req)
		if err != nil {
			t.Errorf("%s %s: %v", r.method, r.path, err)
			continue
		}
		text, _ := io.ReadAll(res.Body)
		res.Body.Close()
		if res.StatusCode != http.StatusRequestEntityTooLarge || !strings.Contains(string(text), "detail") {
			t.Errorf("%s %s answers %d %.200s", r.method, r.path, res.StatusCode, text)
		}
	}
}
