package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/lists"
	"ensomet/internal/people"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

type fixed struct{}

func (fixed) Now() time.Time { return time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC) }

// templates are data files that many tests begin with, made once, by their names.
var (
	templates   = map[string]string{}
	templatesIn string
)

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "ensomet-api")
	if err != nil {
		panic(err)
	}
	templatesIn = dir
	people.HashLightly()
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// begun is a program on a data file of its own that begins as the template of a name; build makes that, once.
func begun(t *testing.T, name string, build func(prog *program.Program)) *program.Program {
	t.Helper()
	ctx := context.Background()
	open := func() *program.Program {
		path := filepath.Join(t.TempDir(), "test.db")
		if from := templates[name]; from != "" {
			text, err := os.ReadFile(from)
			if err == nil {
				err = os.WriteFile(path, text, 0o600)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		db, err := sqlite.Open(ctx, path)
		if err != nil {
			t.Fatal(err)
		}
		return program.New(db, fixed{})
	}
	if templates[name] == "" {
		prog := open()
		build(prog)
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		prog.Close()
		to := filepath.Join(templatesIn, name+".db")
		if err := errors.Join(prog.DB.Backup(ctx, to), prog.DB.Close()); err != nil {
			t.Fatal(err)
		}
		templates[name] = to
	}
	return open()
}

// serve serves a program until the test ends.
func serve(t *testing.T, prog *program.Program) *httptest.Server {
	t.Helper()
	prog.Begin()
	s := httptest.NewServer(New(prog, nil))
	t.Cleanup(func() {
		s.Close()
		prog.Close()
		prog.DB.Close()
	})
	return s
}

// house is a server with a small estate and one account for each role.
func house(t *testing.T) (*httptest.Server, *program.Program) {
	t.Helper()
	prog := begun(t, "house", func(prog *program.Program) { estate(t, prog) })
	return serve(t, prog), prog
}

// estate is what the house has.
func estate(t *testing.T, prog *program.Program) {
	t.Helper()
	for _, role := range []access.Role{access.Viewer, access.Editor, access.Admin} {
		if err := prog.People.SaveAccount(t.Context(), string(role)+"er", role, "a long password"); err != nil {
			t.Fatal(err)
		}
	}
	var devices, installs strings.Builder
	devices.WriteString("device_id,name,kind,org_unit,last_scan\n")
	installs.WriteString("device_id,publisher,name,version,seen_at\n")
	for i := range 57 {
		fmt.Fprintf(&devices, "D%02d,box-%02d,%s,Unit/%d,\n", i, 56-i, []string{"client", "server"}[i%2], i%3)
		for k := range i % 5 {
			fmt.Fprintf(&installs, "D%02d,Ostwick,Skerrymap,%d,2026-06-29T10:00:00Z\n", i, k)
		}
	}
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price\nOstwick,Skerrymap,commercial,100\n")
	take(t, prog, formats.Devices, devices.String())
	take(t, prog, formats.Installs, installs.String())
}

func take(t *testing.T, prog *program.Program, k *formats.Kind, text string) {
	t.Helper()
	res, err := prog.Evidence.Import(
		context.Background(),
		intake.ImportRequest{Kind: k, File: k.Name, In: strings.NewReader(text), Author: "test"},
	)
	if err != nil || len(res.Aside) > 0 {
		t.Fatal(err, res.Aside)
	}
}

// person is a browser of its own.
type person struct {
	t      *testing.T
	base   string
	client *http.Client
}

func enter(t *testing.T, base, name string) person {
	jar, _ := cookiejar.New(nil)
	p := person{t, base, &http.Client{Jar: jar}}
	if name != "" {
		if status, text := p.do("POST", "/api/sign-in", fmt.Sprintf(`{"name":%q,"password":"a long password"}`, name),
			nil); status != 200 {
			t.Fatalf("%s cannot sign in: %s", name, text)
		}
	}
	return p
}

func (p person) do(method, path, body string, header http.Header) (int, string) {
	p.t.Helper()
	req, err := http.NewRequest(method, p.base+path, strings.NewReader(body))
	if err != nil {
		p.t.Fatal(err)
	}
	req.Header = header.Clone()
	if req.Header == nil {
		req.Header = http.Header{}
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := p.client.Do(req)
	if err != nil {
		p.t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		p.t.Fatal(err)
	}
	return res.StatusCode, string(text)
}

func TestSignIn(t *testing.T) {
	s, _ := house(t)
	nobody := enter(t, s.URL, "")
	for _, body := range []string{`{"name":"looker","password":"wrong password"}`,
		`{"name":"nobody","password":"a long password"}`} {
		if status, text := nobody.do("POST", "/api/sign-in", body, nil); status != 401 ||
			!strings.Contains(text, "No account has this name and password") {
			t.Errorf("%s: %d %s", body, status, text)
		}
	}
	if status, _ := nobody.do("POST", "/api/sign-in/demo", `{"role":"run"}`, nil); status != 404 {
		t.Errorf("entering by one click answers %d outside a demo", status)
	}
	for _, path := range []string{"/api/overview", "/api/devices", "/api/devices.csv", "/api/products/1/position",
		"/api/products/1/units.csv"} {
		if status, _ := nobody.do("GET", path, "", nil); status != 401 {
			t.Errorf("%s answers %d to nobody", path, status)
		}
	}
	looker := enter(t, s.URL, "looker")
	if status, text := looker.do("GET", "/api/me", "", nil); status != 200 ||
		!strings.Contains(text, `"role":"look"`) {
		t.Errorf("%d %s", status, text)
	}
	if status, _ := looker.do("POST", "/api/sign-out", "", nil); status != 200 {
		t.Error("signing out fails")
	}
	if status, _ := looker.do("GET", "/api/overview", "", nil); status != 401 {
		t.Error("signed out, one still sees")
	}
}

func TestRoles(t *testing.T) {
	s, _ := house(t)
	persons := map[access.Role]person{}
	for _, role := range []access.Role{access.Viewer, access.Editor, access.Admin} {
		persons[role] = enter(t, s.URL, string(role)+"er")
	}
	for _, c := range []struct {
		path string
		need access.Role
	}{{"/api/names/decide", access.Editor}, {"/api/names/preview", access.Editor}, {"/api/cases/act", access.Editor},
		{"/api/entitlements", access.Editor}, {"/api/policies", access.Editor}, {"/api/titles", access.Editor},
		{"/api/asides/retry", access.Admin}, {"/api/import/devices", access.Admin}} {
		for role, p := range persons {
			status, text := p.do("POST", c.path, "", nil)
			if refused := status == 403; refused == role.May(c.need) {
				t.Errorf("%s for the role %s: %d %s", c.path, role, status, text)
			}
		}
	}
}

func TestHeadersAndOrigins(t *testing.T) {
	s, _ := house(t)
	p := enter(t, s.URL, "worker")
	u, _ := url.Parse(s.URL)
	res, err := p.client.Get(s.URL + "/api/me")
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if csp := res.Header.Get("Content-Security-Policy"); !strings.Contains(csp, "script-src 'self';") {
		t.Errorf("the policy is %q", csp)
	}
	if len(p.client.Jar.Cookies(u)) != 1 {
		t.Error("there is no session cookie")
	}
	res, err = http.Post(
		s.URL+"/api/sign-in",
		"application/json",
		strings.NewReader(`{"name":"worker","password":"a long password"}`),
	)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	for _, c := range res.Cookies() {
		want := map[string]http.SameSite{
			"ensomet": http.SameSiteLaxMode, "ensomet-known": http.SameSiteStrictMode}[c.Name]
		if !c.HttpOnly || want == 0 || c.SameSite != want {
			t.Errorf("the cookie is %v", c)
		}
	}
	for _, h := range []http.Header{{"Sec-Fetch-Site": {"cross-site"}}, {"Origin": {"https://elsewhere.example"}}} {
		if status, _ := p.do("POST", "/api/names/withdraw", `{"key":"x"}`, h); status != 403 {
			t.Errorf("a request from elsewhere (%v) answers %d", h, status)
		}
	}
}

// Pages by key, put together, are the whole list in its order, whatever it is sorted by and however small the pages.
func TestPagesMakeTheWholeList(t *testing.T) {
	s, _ := house(t)
	p := enter(t, s.URL, "looker")
	for _, query := range []string{"sort=name", "sort=installs", "sort=installs&desc=true", "sort=unit&desc=true",
		"sort=kind&f=kind%3Dclient", "sort=lastSeen", "q=box-1"} {
		var whole, parts []string
		read := func(limit int, cursor string) (names []string, next string, total int) {
			_, text := p.do("GET", fmt.Sprintf("/api/devices?%s&limit=%d&cursor=%s", query, limit, cursor), "", nil)
			var page sqlite.Page[lists.DeviceRow]
			if err := json.Unmarshal([]byte(text), &page); err != nil {
				t.Fatal(err, text)
			}
			for _, r := range page.Rows {
				names = append(names, r.Name)
			}
			return names, page.Next, page.Total
		}
		whole, next, total := read(1000, "")
		if next != "" || total != len(whole) || total == 0 {
			t.Fatalf("%s: %d rows of %d, next %q", query, len(whole), total, next)
		}
		for cursor := ""; ; {
			names, next, n := read(7, cursor)
			parts = append(parts, names...)
			if n != total {
				t.Errorf("%s: the total is %d, then %d", query, total, n)
			}
			if next == "" {
				break
			}
			cursor = next
		}
		if !slices.Equal(whole, parts) {
			t.Errorf("%s:\n%v\n%v", query, whole, parts)
		}
	}
	for _, bad := range []string{"sort=colour", "f=colour%3Dred", "f=noequals", "cursor=%21%21", "limit=0"} {
		if status, text := p.do("GET", "/api/devices?"+bad, "", nil); status != 400 && status != 422 {
			t.Errorf("%s: %d %s", bad, status, text)
		}
	}
	if status, text := p.do("GET", "/api/devices.csv?f=kind%3Dclient", "", nil); status != 200 ||
		strings.Count(text, "\n") != 30 {
		t.Errorf("%d, %d lines", status, strings.Count(text, "\n"))
	}
}

func TestBookingIsCheckedLikeAFile(t *testing.T) {
	s, _ := house(t)
	p := enter(t, s.URL, "worker")
	good := `{"entitlement_id":"E1","publisher":"Ostwick","product":"Skerrymap","metric":"device","quantity":"5","kind":"perpetual"}`
	for body, want := range map[string]string{
		strings.Replace(good, `"5"`, `"-5"`, 1):                     "quantity is -5",
		strings.Replace(good, "Skerrymap", "Nothing", 1):            "the catalogue has no product",
		strings.Replace(good, `"device"`, `"wheel"`, 1):             "metric",
		strings.Replace(good, `"kind"`, `"start":"soon","kind"`, 1): "not a date",
	} {
		if status, text := p.do("POST", "/api/entitlements", body, nil); status != 422 ||
			!strings.Contains(text, want) {
			t.Errorf("%s: %d %s", body, status, text)
		}
	}
	if status, text := p.do("POST", "/api/entitlements", good, nil); status != 200 {
		t.Errorf("%d %s", status, text)
	}
	if status, text := p.do("POST", "/api/entitlements", good, nil); status != 422 ||
		!strings.Contains(text, "already") {
		t.Errorf("twice: %d %s", status, text)
	}
	_, text := p.do("GET", "/api/entitlements", "", nil)
	if !strings.Contains(text, `"author":"worker"`) || !strings.Contains(text, `"effective":5`) {
		t.Error(text)
	}
	_, text = p.do("GET", "/api/asides", "", nil)
	if !strings.Contains(text, `"total":0`) {
		t.Errorf("what was typed wrongly is put aside as if it were a file's: %s", text)
	}
}
