package api

import (
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/rest"
)

// A power that is taken away ends at once, in all browsers: with the account, with its role, with its password.
func TestPowersEndAtOnce(t *testing.T) {
	s, prog := house(t)
	take := map[string]func(name string) error{
		"removed": func(name string) error { return prog.People.RemoveAccount(t.Context(), name) },
		"demoted": func(name string) error {
			return prog.People.SaveAccount(t.Context(), name, access.Viewer, "a long password")
		},
		"given a new password": func(name string) error {
			return prog.People.SaveAccount(t.Context(), name, access.Admin, "a newer password")
		},
	}
	for what, do := range take {
		if err := prog.People.SaveAccount(t.Context(), what, access.Admin, "a long password"); err != nil {
			t.Fatal(err)
		}
		browsers := []person{enter(t, s.URL, what), enter(t, s.URL, what)}
		for _, b := range browsers {
			if status, text := b.do("GET", "/api/case-rules", "", nil); status != 200 {
				t.Fatal(status, text)
			}
		}
		if err := do(what); err != nil {
			t.Fatal(err)
		}
		for _, b := range browsers {
			for _, ask := range [][2]string{{"GET", "/api/devices"}, {"PUT", "/api/case-rules"},
				{"GET", "/api/devices.csv"},
				{"POST", "/api/import/devices?file=x.csv&dry=true"}} {
				if status, text := b.do(ask[0], ask[1], "{}", nil); status != 401 {
					t.Errorf("%s, %s %s answers %d %s", what, ask[0], ask[1], status, text)
				}
			}
			if _, text := b.do("GET", "/api/me", "", nil); strings.Contains(text, what) {
				t.Errorf("%s, and still signed in: %s", what, text)
			}
		}
	}
	again := enter(t, s.URL, "demoted")
	if status, text := again.do("POST", "/api/keys/1/show", "", nil); status != 403 {
		t.Errorf("with fewer powers: %d %s", status, text)
	}
}

// at is a server that the house reaches at a site.
func at(t *testing.T, address string, proxies ...string) (*httptest.Server, *Server) {
	t.Helper()
	_, prog := house(t)
	site, err := rest.ParseSite(address, proxies)
	if err != nil {
		t.Fatal(err)
	}
	server := At(site, prog, nil)
	s := httptest.NewServer(server)
	t.Cleanup(s.Close)
	return s, server
}

func send(t *testing.T, method, address, host string, header http.Header) *http.Response {
	t.Helper()
	req, err := http.NewRequest(method, address, strings.NewReader(`{"name":"looker","password":"a long password"}`))
	if err != nil {
		t.Fatal(err)
	}
	if req.Header = header.Clone(); req.Header == nil {
		req.Header = http.Header{}
	}
	req.Header.Set("Content-Type", "application/json")
	req.Host = host
	res, err := http.DefaultTransport.RoundTrip(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	return res
}

// A browser that another name led here gets nothing; the house's own name, numbers and the machine itself do.
func TestHostsAreChecked(t *testing.T) {
	for _, c := range []struct {
		site string
		ours []string
		not  []string
	}{
		{"", []string{"localhost", "localhost:8321", "127.0.0.1:8321", "[::1]:8321", "10.1.2.3", "[fd00::1]"},
			[]string{"evil.example", "evil.example:8321", "localhost.evil.example", "127.0.0.1.evil.example", ""}},
		{"https://software.example",
			[]string{"software.example", "SOFTWARE.example:443", "localhost", "127.0.0.1:8321"},
			[]string{"evil.example", "software.example.evil.example", "software.example:444", "10.1.2.3"}},
		{"http://software.example:8321", []string{"software.example:8321", "software.example"},
			[]string{"evil.example:8321", "software.example:80"}},
	} {
		s, _ := at(t, c.site)
		for _, host := range c.ours {
			if res := send(t, "GET", s.URL+"/api/me", host, nil); res.StatusCode != 200 {
				t.Errorf("%s at %q: %d", host, c.site, res.StatusCode)
			}
		}
		for _, host := range c.not {
			if host == "" {
				continue // the client would put its own
			}
			for _, path := range []string{"/api/me", "/", "/answer/x", "/api/sign-in/demo"} {
				if res := send(t, "GET", s.URL+path, host, nil); res.StatusCode != http.StatusMisdirectedRequest {
					t.Errorf("%s%s at %q: %d", host, path, c.site, res.StatusCode)
				}
			}
		}
		// a page of that name may show whatever it likes: it gets in nowhere
		for _, path := range []string{"/api/sign-in", "/api/sign-in/demo", "/api/me", "/api/scans/../me"} {
			if res := send(t, "POST", s.URL+path, "evil.example", http.Header{
				"Authorization": {"Bearer x"}}); res.StatusCode != http.StatusMisdirectedRequest {
				t.Errorf("%s with a token of its own: %d", path, res.StatusCode)
			}
		}
		if res := send(t, "POST", s.URL+"/api/scans", "evil.example", http.Header{
			"Authorization": {"Bearer x"}}); res.StatusCode != 401 {
			t.Errorf("a collector that knows us by another name: %d", res.StatusCode)
		}
	}
}

// Under https cookies go over https alone and browsers come back by https; over http neither is said.
func TestCookiesUnderHTTPS(t *testing.T) {
	s, _ := at(t, "https://software.example")
	res := send(t, "POST", s.URL+"/api/sign-in", "software.example", nil)
	if res.StatusCode != 200 || res.Header.Get("Strict-Transport-Security") == "" {
		t.Errorf("%d %v", res.StatusCode, res.Header)
	}
	names := map[string]bool{}
	for _, c := range res.Cookies() {
		names[c.Name] = c.Secure && c.HttpOnly
	}
	if len(names) != 2 || !names["__Host-ensomet"] || !names["ensomet-known"] {
		t.Errorf("%v", names)
	}
	s, _ = at(t, "http://software.example")
	if res := send(t, "POST", s.URL+"/api/sign-in", "software.example", nil); res.StatusCode != 200 ||
		res.Header.Get("Strict-Transport-Security") != "" {
		t.Errorf("%d %v", res.StatusCode, res.Header)
	}
}

// Who asks is told by a proxy that was named, and by nobody else: so nobody has as many addresses as he likes, and
// nobody behind a proxy is taken for his neighbour.
func TestProxies(t *testing.T) {
	wrong := func(s *httptest.Server, forwarded string) int {
		req, err := http.NewRequest("POST", s.URL+"/api/sign-in",
			strings.NewReader(`{"name":"`+forwarded+`","password":"a wrong password"}`))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("X-Forwarded-For", forwarded)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	last := func(s *httptest.Server, of func(i int) string) (status int) {
		for i := range 24 {
			status = wrong(s, of(i))
		}
		return status
	}
	many := func(i int) string { return fmt.Sprintf("10.0.0.%d", i) }
	s, _ := at(t, "")
	if got := last(s, many); got != 429 {
		t.Errorf("an address that is made up each time: %d", got)
	}
	s, _ = at(t, "", "127.0.0.0/8")
	if got := last(s, many); got != 401 {
		t.Errorf("24 neighbours behind a proxy: %d", got)
	}
	if got := last(s, func(i int) string { return fmt.Sprintf("10.9.9.%d, 10.0.1.1", i) }); got != 429 {
		t.Errorf("one behind a proxy who makes up what stands before: %d", got)
	}
	for _, bad := range []string{"x", "10.0.0.0/33", "10.0.0"} {
		if _, err := rest.ParseSite("", []string{bad}); err == nil {
			t.Errorf("%q is a proxy", bad)
		}
	}
	for _, bad := range []string{"software.example", "ftp://x", "https://", "https://x/path", "https://u:p@x",
		"https://x?q"} {
		if _, err := rest.ParseSite(bad, nil); err == nil {
			t.Errorf("%q is a site", bad)
		}
	}
}

// Wrong tokens are refused at once when they are too many, and right ones of the same address are not.
func TestWrongTokensDoNotBlockRightOnes(t *testing.T) {
	s, prog := house(t)
	secret, _, err := prog.Collecting.NewToken(t.Context(), "collector", "id", "test")
	if err != nil {
		t.Fatal(err)
	}
	status := func(token string) int {
		res := send(t, "POST", s.URL+"/api/scans", "localhost", http.Header{"Authorization": {"Bearer " + token}})
		return res.StatusCode
	}
	counts := map[int]int{}
	for range 3 * rest.BadPerMinute {
		counts[status("no token")]++
	}
	if counts[429] < rest.BadPerMinute || counts[401] < rest.BadPerMinute || len(counts) != 2 {
		t.Errorf("wrong ones: %v", counts)
	}
	if got := status(secret); got == 401 || got == 429 {
		t.Errorf("the right one: %d", got)
	}
}

// Who signs in and who fails to is in the log, with the address; no password is, nor what somebody typed as a name that
// nobody has.
func TestSignInsAreLogged(t *testing.T) {
	s, _ := house(t)
	out := logged(t)
	p := enter(t, s.URL, "looker")
	for _, body := range []string{`{"name":"looker","password":"wrong horse"}`, `{"name":"secret","password":"x"}`} {
		if status, text := p.do("POST", "/api/sign-in", body, nil); status != http.StatusUnauthorized {
			t.Errorf("%d %s", status, text)
		}
	}
	text := out.text()
	for _, want := range []string{`msg="somebody signed in" account=looker address=127.0.0.1`,
		`msg="a sign-in was refused" account=looker address=127.0.0.1`,
		`msg="a sign-in was refused" account="" address=127.0.0.1`} {
		if !strings.Contains(text, want) {
			t.Errorf("the log does not say %s: %s", want, text)
		}
	}
	for _, never := range []string{"horse", "secret", "a long password"} {
		if strings.Contains(text, never) {
			t.Errorf("the log says %q: %s", never, text)
		}
	}
}

// Whoever tries the old password again and again while it is being changed is in with none of his tries afterwards.
func TestAPasswordChangesWhileItIsTried(t *testing.T) {
	s, prog := house(t)
	var all sync.WaitGroup
	var stop atomic.Bool
	browsers := make(chan person, 1000)
	for range 3 {
		all.Go(func() {
			for !stop.Load() {
				jar, _ := cookiejar.New(nil)
				p := person{t, s.URL, &http.Client{Jar: jar}}
				if status, _ := p.do("POST", "/api/sign-in", `{"name":"looker","password":"a long password"}`,
					nil); status == 200 {
					select {
					case browsers <- p:
					default: // there are enough
					}
				}
			}
		})
	}
	time.Sleep(time.Second)
	if err := prog.People.SaveAccount(t.Context(), "looker", access.Viewer, "another password"); err != nil {
		t.Fatal(err)
	}
	time.Sleep(300 * time.Millisecond)
	stop.Store(true)
	all.Wait()
	close(browsers)
	entered := 0
	for p := range browsers {
		entered++
		if _, text := p.do("GET", "/api/me", "", nil); strings.Contains(text, "looker") {
			t.Errorf("he is in by the old password: %s", text)
		}
	}
	if entered == 0 {
		t.Error("nobody was in before; this shows nothing")
	}
}
