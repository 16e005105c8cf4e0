package api

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"ensomet/internal/core/access"
	"ensomet/internal/rest"
)

func key(k string) http.Header { return http.Header{rest.RequestKey: {k}} }

// What comes again under its key is done once and answered as before, also while the first is under way; under another
// key, from another account or with other words it is another request.
func TestRepeatedRequests(t *testing.T) {
	persons, _ := owner(t)
	worker, admin := persons[access.Editor], persons[access.Admin]
	const path = "/api/products/1/remarks"
	remarks := func() int {
		t.Helper()
		_, text := worker.do("GET", "/api/products/1", "", nil)
		return strings.Count(text, `"look again`)
	}
	add := func(p person, k, words string) string {
		t.Helper()
		status, text := p.do("POST", path, fmt.Sprintf(`{"device":"","text":%q}`, words), key(k))
		if status != 200 {
			t.Errorf("%d %s", status, text)
		}
		return text
	}
	first := add(worker, "one", "look again")
	if again := add(worker, "one", "look again"); again != first || remarks() != 1 {
		t.Errorf("%s and %s; %d remarks", first, again, remarks())
	}
	add(worker, "two", "look again")
	add(admin, "one", "look again")
	add(worker, "one", "look again, please")
	if n := remarks(); n != 4 {
		t.Errorf("%d remarks, want 4: other requests are other requests", n)
	}
	var all sync.WaitGroup
	answers := make([]string, 12)
	for i := range answers {
		p := enter(t, worker.base, "worker")
		all.Go(func() { answers[i] = add(p, "many", "look again, all") })
	}
	all.Wait()
	if n := remarks(); n != 5 {
		t.Errorf("%d remarks after twelve at once", n)
	}
	for _, a := range answers {
		if a != answers[0] {
			t.Errorf("%s and %s", answers[0], a)
		}
	}
}

// A token that was asked for twice is one token, and its secret is told both times; the file has the secret nowhere.
func TestATokenAskedForTwice(t *testing.T) {
	persons, prog := owner(t)
	admin := persons[access.Admin]
	ask := func() string {
		t.Helper()
		status, text := admin.do("POST", "/api/tokens", `{"source":"yard","findsBy":"id"}`, key("token"))
		if status != 200 {
			t.Fatal(status, text)
		}
		return text
	}
	if first, again := ask(), ask(); first != again || !strings.Contains(first, "secret") {
		t.Errorf("%s and %s", first, again)
	}
	if _, text := admin.do("GET", "/api/tokens", "", nil); strings.Count(text, `"yard"`) != 1 {
		t.Errorf("%s", text)
	}
	_, secret, _ := strings.Cut(ask(), `"secret":"`)
	secret, _, _ = strings.Cut(secret, `"`)
	if secret == "" || strings.Contains(everything(t, prog), secret) {
		t.Errorf("the file has the secret %q", secret)
	}
}

// A request whose answer is gone, since the server was started anew between, is told that it was done, and is not done
// again.
func TestRepeatedAfterANewStart(t *testing.T) {
	persons, prog := owner(t)
	const body = `{"device":"","text":"once"}`
	if status, text := persons[access.Editor].do("POST", "/api/products/1/remarks", body, key("k")); status != 200 {
		t.Fatal(status, text)
	}
	again := httptest.NewServer(New(prog, nil))
	defer again.Close()
	worker := enter(t, again.URL, "worker")
	status, text := worker.do("POST", "/api/products/1/remarks", body, key("k"))
	if status != http.StatusConflict || !strings.Contains(text, "This was done when you asked before") {
		t.Errorf("%d %s", status, text)
	}
	if _, text := worker.do("GET", "/api/products/1", "", nil); strings.Count(text, `"once"`) != 1 {
		t.Errorf("it was done twice: %s", text)
	}
}

// What was refused, or changed nothing, is looked at anew; a key without end is refused, and who is nobody has none.
func TestKeysOfWhatWasNotDone(t *testing.T) {
	persons, _ := owner(t)
	worker := persons[access.Editor]
	const body = `{"id":0,"revision":0,"name":"quay","note":"","byHand":true,"condition":{},"picked":[]}`
	for range 2 {
		if status, text := worker.do("POST", "/api/groups", strings.Replace(body, "quay", "a|b", 1),
			key("k")); status != http.StatusUnprocessableEntity {
			t.Errorf("%d %s", status, text)
		}
	}
	if status, text := worker.do("POST", "/api/groups", body, key("k")); status != 200 {
		t.Errorf("%d %s", status, text)
	}
	ask := strings.Replace(body, `"id":0`, `"id":1`, 1)
	if status, text := worker.do("POST", "/api/groups/preview", ask, key("p")); status != 200 {
		t.Fatal(status, text)
	}
	take := `{"id":1,"revision":0,"name":"quay","note":"","byHand":true,"condition":{},` +
		`"picked":[{"device":"D01","inside":true}]}`
	if status, text := worker.do("POST", "/api/groups", take, nil); status != 200 {
		t.Fatal(status, text)
	}
	_, before := worker.do("POST", "/api/groups/preview", ask, key("p"))
	if _, now := worker.do("POST", "/api/groups/preview", ask, nil); now != before {
		t.Errorf("a preview is answered as it was: %s, and is now %s", before, now)
	}
	if status, _ := worker.do("POST", "/api/groups", body, key(strings.Repeat("k", 300))); status != 400 {
		t.Errorf("a long key: %d", status)
	}
	if status, _ := persons[""].do("POST", "/api/groups", body, key("k")); status != http.StatusUnauthorized {
		t.Errorf("nobody: %d", status)
	}
}

// A fault of the file while the key is written leaves nothing of the change behind, and the request may come again.
func TestAFaultLeavesNoKey(t *testing.T) {
	persons, prog := owner(t)
	worker := persons[access.Editor]
	const path, body = "/api/products/1/remarks", `{"device":"","text":"after all"}`
	alter(t, prog, "ALTER TABLE request RENAME TO gone_for_now")
	if status, text := worker.do("POST", path, body, key("k")); status != http.StatusInternalServerError {
		t.Errorf("%d %s", status, text)
	}
	alter(t, prog, "ALTER TABLE gone_for_now RENAME TO request")
	if status, text := worker.do("POST", path, body, key("k")); status != 200 {
		t.Errorf("%d %s", status, text)
	}
	if _, text := worker.do("GET", "/api/products/1", "", nil); strings.Count(text, `"after all"`) != 1 {
		t.Errorf("%s", text)
	}
}
