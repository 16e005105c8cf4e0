package api

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/evidence/evidencehttp"
	"ensomet/internal/rest"
	"ensomet/internal/sqlite"
)

func packed(t *testing.T, text string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if _, err := io.WriteString(z, text); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// machine posts as a collector does.
func machine(t *testing.T, base, path, token, encoding string, body []byte) (int, string) {
	t.Helper()
	req, err := http.NewRequest(http.MethodPost, base+path, bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	if encoding != "" {
		req.Header.Set("Content-Encoding", encoding)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, string(text)
}

const scanText = `{"format":"ensomet-scan/1","at":"2026-06-30T07:00:00Z","device":{"id":"%s","name":"%s","cores":8},"installs":[{"name":"Skerrymap","version":"6"}]}`

func TestScansOverHTTP(t *testing.T) {
	s, prog := house(t)
	boss := enter(t, s.URL, "runer")
	code, text := boss.do(http.MethodPost, "/api/tokens", `{"source":"shore","findsBy":"id"}`, nil)
	var token evidencehttp.NewToken
	if err := json.Unmarshal([]byte(text), &token); err != nil || code != http.StatusOK ||
		!strings.HasPrefix(token.Secret, "ensomet_") {
		t.Fatal(code, text)
	}
	if code, text := boss.do(http.MethodGet, "/api/tokens", "", nil); code != http.StatusOK ||
		strings.Contains(text, token.Secret) {
		t.Errorf("%d %s", code, text)
	}
	byName, _, err := prog.Collecting.NewToken(context.Background(), "gateway", "name", "me")
	if err != nil {
		t.Fatal(err)
	}
	good := []byte(fmt.Sprintf(scanText, "D01", "box-new"))
	half := packed(t, string(good))
	for _, c := range []struct {
		name, token, encoding string
		body                  []byte
		code                  int
		says                  string
	}{
		{"no token", "", "", good, 401, "Show a token"},
		{"a wrong token", "ensomet_nothing", "", good, 401, "not known here"},
		{"plain", token.Secret, "", good, 200, `"outcome":"new"`},
		{"packed, and the same again", token.Secret, "gzip", packed(t, string(good)), 200, `"outcome":"again"`},
		{"half a packed scan", token.Secret, "gzip", half[:len(half)-12], 422, "cut off"},
		{"not packed though it says so", token.Secret, "gzip", good, 422, "not gzip"},
		{"packed in a way of its own", token.Secret, "br", good, 415, "gzip"},
		{"no scan", token.Secret, "", []byte("hello"), 422, "cannot be read"},
		{"nothing", token.Secret, "", nil, 422, "empty"},
		{"too large as it comes", token.Secret, "", bytes.Repeat([]byte(" "), rest.MaxScanBody+10), 413,
			"larger than"},
		{"too large once unpacked", token.Secret, "gzip", packed(t, `{"format":"`+strings.Repeat("x", 17<<20)), 422,
			"larger than"},
		{"a device that nobody listed", token.Secret, "", []byte(fmt.Sprintf(scanText, "N1", "new-box")), 200,
			`"device":"N1"`},
		{"by name", byName, "", []byte(fmt.Sprintf(scanText, "", "new-box")), 200, `"device":"N1"`},
	} {
		code, text := machine(t, s.URL, "/api/scans", c.token, c.encoding, c.body)
		if code != c.code || !strings.Contains(text, c.says) {
			t.Errorf("%s: %d %s", c.name, code, text)
		}
	}
	// two devices of one name are a conflict that says what to do
	if code, text := machine(t, s.URL, "/api/scans", token.Secret, "",
		[]byte(fmt.Sprintf(scanText, "N2", "NEW-box"))); code != 200 {
		t.Fatal(text)
	}
	if code, text := machine(t, s.URL, "/api/scans", byName, "",
		[]byte(fmt.Sprintf(scanText, "", "new-box"))); code != http.StatusConflict ||
		!strings.Contains(text, "device_id") {
		t.Errorf("%d %s", code, text)
	}
	var refused sqlite.Page[evidencedb.Delivery]
	if code, text := boss.do(http.MethodGet, "/api/deliveries?f=outcome%3Drefused", "", nil); code != http.StatusOK ||
		json.Unmarshal([]byte(text), &refused) != nil ||
		refused.Total != 8 {
		t.Errorf("refused deliveries on record: %d %s", refused.Total, text)
	}
	if code, _ := boss.do(http.MethodPost, fmt.Sprintf("/api/tokens/%d/revoke", token.ID), "",
		nil); code != http.StatusOK {
		t.Error(code)
	}
	if code, text := machine(t, s.URL, "/api/scans", token.Secret, "", good); code != http.StatusUnauthorized ||
		!strings.Contains(text, "revoked") {
		t.Errorf("a revoked token: %d %s", code, text)
	}
	limited := 0
	for range rest.BadPerMinute + 5 {
		if code, _ := machine(t, s.URL, "/api/scans", "ensomet_guess", "", nil); code == http.StatusTooManyRequests {
			limited++
		}
	}
	if limited == 0 {
		t.Error("guessing tokens has no limit")
	}
	looker := enter(t, s.URL, "looker")
	for _, path := range []string{"/api/tokens", "/api/schedules", "/api/groups", "/api/scan-orders",
		"/api/change-rules"} {
		if code, _ := looker.do(http.MethodPost, path, `{}`, nil); code == http.StatusOK {
			t.Errorf("who may only look posted to %s", path)
		}
	}
}

func TestAScanComesLaterWhereManyWait(t *testing.T) {
	s, prog := house(t)
	token, _, err := prog.Collecting.NewToken(context.Background(), "shore", "id", "me")
	if err != nil {
		t.Fatal(err)
	}
	good := []byte(fmt.Sprintf(scanText, "D01", "box-new"))
	held, free := make(chan struct{}), make(chan struct{})
	var waiting sync.WaitGroup
	write := func(how func(context.Context, func(*sqlite.Tx) error) error, fn func()) {
		waiting.Go(func() {
			if err := how(context.Background(), func(*sqlite.Tx) error { fn(); return nil }); err != nil {
				t.Error(err)
			}
		})
	}
	write(prog.DB.Update, func() { close(held); <-free })
	<-held
	for range 1_000 {
		write(prog.DB.UpdateTogether, func() {})
	}
	for prog.DB.WaitingTogether() < 1_000 {
		time.Sleep(time.Millisecond)
	}
	if code, text := machine(t, s.URL, "/api/scans", token, "", good); code != 503 || !strings.Contains(text, "again") {
		t.Errorf("while a thousand wait: %d %s", code, text)
	}
	close(free)
	waiting.Wait()
	if code, text := machine(t, s.URL, "/api/scans", token, "", good); code != 200 {
		t.Errorf("after that: %d %s", code, text)
	}
}

func TestACollectorIsAskedAndFails(t *testing.T) {
	s, prog := house(t)
	ctx := context.Background()
	token, _, err := prog.Collecting.NewToken(ctx, "shore", "id", "me")
	if err != nil {
		t.Fatal(err)
	}
	worker := enter(t, s.URL, "worker")
	if code, text := worker.do(http.MethodPost, "/api/scan-orders", `{"devices":["D01","D02"]}`, nil); code != 200 ||
		!strings.Contains(text, `"count":2`) {
		t.Fatal(code, text)
	}
	code, text := machine(t, s.URL, "/api/collector/ask", token, "", []byte(`{"devices":["D01","D99"]}`))
	var tasks evidencehttp.Tasks
	if err := json.Unmarshal([]byte(text), &tasks); err != nil || code != 200 || len(tasks.Orders) != 1 ||
		tasks.Orders[0].Device != "D01" ||
		tasks.Again < 60 {
		t.Fatal(code, text)
	}
	if code, text := machine(t, s.URL, "/api/collector/failed", token, "",
		[]byte(fmt.Sprintf(`{"order":%d,"reason":"no route","detail":"three calls"}`,
			tasks.Orders[0].Order))); code != 200 {
		t.Error(code, text)
	}
	for body, want := range map[string]int{`{"order":999,"reason":"no route"}`: 404,
		`{"order":1,"reason":"bored"}`: 422, `not json`: 422} {
		if code, text := machine(t, s.URL, "/api/collector/failed", token, "", []byte(body)); code != want {
			t.Errorf("%s: %d %s", body, code, text)
		}
	}
	var page sqlite.Page[evidencedb.OrderRow]
	if _, text := worker.do(http.MethodGet, "/api/scan-orders?sort=id&f=code%3DD01", "", nil); json.Unmarshal(
		[]byte(text),
		&page,
	) != nil ||
		page.Rows[0].Reason != "no route" ||
		page.Rows[0].State != "waiting" ||
		page.Rows[0].Detail != "three calls" {
		t.Errorf("%+v", page)
	}
	if code, text := worker.do(http.MethodPost, "/api/scan-orders/act",
		fmt.Sprintf(`{"ids":[%d],"act":"call off"}`, page.Rows[0].ID), nil); code != 200 {
		t.Error(code, text)
	}
}

// A foreign file is looked at, mapped, taken in, and found again by its headers; and a device's software is given as
// documents.
func TestForeignFilesAndDocuments(t *testing.T) {
	s, _ := house(t)
	boss := enter(t, s.URL, "runer")
	text := "Computer;Application;Rel.\nD01;Tide;3.1\n"
	code, body := boss.do(http.MethodPost, "/api/files/look", text, nil)
	var look evidence.FileLook
	if err := json.Unmarshal([]byte(body), &look); err != nil || code != 200 || look.Kind != "installs" ||
		!look.Needs ||
		look.Columns[0].Column != "device_id" ||
		look.Columns[2].Column != "+" {
		t.Fatal(code, body)
	}
	if code, body := boss.do(http.MethodPost, "/api/import/installs?file=x.csv", text, nil); code != 422 {
		t.Errorf("without a mapping: %d %s", code, body)
	}
	mapping := url.QueryEscape(
		`{"columns":{"computer":"device_id","application":"name","rel.":"version"},"constants":{"source":"old list"}}`,
	)
	if code, body := boss.do(http.MethodPost, "/api/import/installs?file=x.csv&dry=true&mapping="+mapping, text,
		nil); code != 200 ||
		!strings.Contains(body, `"added":1`) ||
		!strings.Contains(body, "Tide 3.1") {
		t.Errorf("looked at: %d %s", code, body)
	}
	for _, bad := range []string{"{", url.QueryEscape(`{"columns":{"computer":"colour"}}`)} {
		if code, _ := boss.do(http.MethodPost, "/api/import/installs?file=x.csv&mapping="+bad, text,
			nil); code == 200 {
			t.Errorf("the mapping %s was taken", bad)
		}
	}
	if code, body := boss.do(http.MethodPost, "/api/import/installs?file=x.csv&mapping="+mapping, text,
		nil); code != 200 {
		t.Errorf("%d %s", code, body)
	}
	if code, body := boss.do(http.MethodPost, "/api/import/installs?file=y.csv",
		"Rel.;Computer;Application\n3.2;D02;Tide\n", nil); code != 200 ||
		!strings.Contains(body, `"added":1`) {
		t.Errorf("the same headers again: %d %s", code, body)
	}
	for format, sign := range map[string]string{"cyclonedx": `"specVersion": "1.6"`, "spdx": "SPDX-2.3",
		"swid": "PK"} {
		if code, body := boss.do(http.MethodGet, "/api/devices/D01/software."+format, "", nil); code != 200 ||
			!strings.Contains(body, sign) {
			t.Errorf("%s: %d %.200s", format, code, body)
		}
	}
	if code, _ := boss.do(http.MethodGet, "/api/devices/D01/software.doc", "", nil); code == 200 {
		t.Error("a form that there is not was given")
	}
	for path, want := range map[string]string{
		"/api/devices?split=kind&limit=1": `"parts":[{"value":"client","count":29`,
		"/api/compare?left=D01&right=D02": `"daysOff":0`, "/api/drill": "Ostwick",
		"/api/file-search?name=*":               "at least one letter",
		"/api/devices?f=hasProduct%3D1&limit=1": `"total":`, "/api/devices?f=nothing%3D1": "no column",
		"/api/groups/fields": "virtual_cores",
	} {
		if _, body := boss.do(http.MethodGet, path, "", nil); !strings.Contains(body, want) {
			t.Errorf("%s: %.300s", path, body)
		}
	}
}

// Groups, plans and rules are set by who may work, seen by who may look, and refused with a sentence where they make
// no sense.
func TestGroupsPlansAndRulesOverHTTP(t *testing.T) {
	s, _ := house(t)
	worker, looker := enter(t, s.URL, "worker"), enter(t, s.URL, "looker")
	group := `{"id":0,"revision":0,"name":"servers of one","note":"","byHand":false,"picked":[],"condition":{"all":[{"field":"kind","op":"is","value":"server"},{"field":"unit","op":"under","value":"Unit/1"}]}}`
	code, text := looker.do(http.MethodPost, "/api/groups/preview", group, nil)
	var preview evidence.GroupPreview
	if err := json.Unmarshal([]byte(text), &preview); err != nil || code != 200 || preview.Members == 0 ||
		preview.Joins != preview.Members ||
		!strings.HasPrefix(preview.In[0].Why, "kind server; unit Unit/1") {
		t.Fatal(code, text)
	}
	if code, text := worker.do(http.MethodPost, "/api/groups", group, nil); code != 200 {
		t.Fatal(code, text)
	}
	if _, text := looker.do(http.MethodGet, "/api/devices?limit=1&f=group%3Dservers%20of%20one", "",
		nil); !strings.Contains(
		text,
		fmt.Sprintf(`"total":%d`, preview.Members),
	) {
		t.Errorf("the list narrowed to the group: %.200s", text)
	}
	plan := `{"revision":0,"id":0,"name":"weekly","basis":"calendar","calendar":{"at":"03:00","weekdays":[1]},"ageDays":0,"group":"servers of one","quiet":[{"from":"08:00","until":"17:00"}],"paused":false}`
	if code, text := worker.do(http.MethodPost, "/api/schedules", plan, nil); code != 200 {
		t.Fatal(code, text)
	}
	if _, text := looker.do(http.MethodGet, "/api/schedules", "", nil); !strings.Contains(
		text,
		fmt.Sprintf(`"devices":%d`, preview.Members),
	) ||
		!strings.Contains(text, "Monday at 03:00; no start every day from 08:00 until 17:00") {
		t.Errorf("%s", text)
	}
	for path, body := range map[string]string{
		"/api/groups":         strings.Replace(group, "at_least", "kind", 1),
		"/api/groups/1/drop":  `{"revision":0}`,
		"/api/schedules":      strings.Replace(strings.Replace(plan, "weekly", "x", 1), "servers of one", "nobody", 1),
		"/api/change-rules":   `{"id":0,"revision":0,"what":"mail","kinds":[],"name":"","publisher":"","group":"","address":"not an address"}`,
		"/api/scan-orders":    `{"devices":["D99"]}`,
		"/api/groups/preview": `{"revision":0,"id":0,"name":"","note":"","byHand":false,"picked":[],"condition":{"field":"network","op":"within","value":"10.0.0.0/77"}}`,
	} {
		if code, text := worker.do(http.MethodPost, path, body, nil); code < 400 || code >= 500 ||
			!strings.Contains(text, `"detail"`) {
			t.Errorf("%s %s: %d %s", path, body, code, text)
		}
	}
	rule := `{"id":0,"revision":0,"what":"quiet","kinds":["upgraded"],"name":"Skerry*","publisher":"","group":"servers of one","address":""}`
	if code, text := looker.do(http.MethodPost, "/api/change-rules/preview", rule, nil); code != 200 ||
		!strings.Contains(text, `"count":0`) {
		t.Error(code, text)
	}
	if code, text := worker.do(http.MethodPost, "/api/change-rules", rule, nil); code != 200 {
		t.Error(code, text)
	}
	if _, text := looker.do(http.MethodGet, "/api/change-rules", "", nil); !strings.Contains(
		text,
		"upgraded of Skerry* on servers of one",
	) {
		t.Error(text)
	}
	if _, text := looker.do(http.MethodGet, "/api/groups", "", nil); !strings.Contains(text, "the schedule weekly") ||
		!strings.Contains(text, "a rule for changes") {
		t.Errorf("who rests on the group: %s", text)
	}
	for _, path := range []string{"/api/changes/by-day", "/api/moves", "/api/mail", "/api/scan-orders/counts",
		"/api/devices/D01/evidence", "/api/devices/D01/files"} {
		if code, text := looker.do(http.MethodGet, path, "", nil); code != 200 {
			t.Errorf("%s: %d %s", path, code, text)
		}
	}
	if code, _ := looker.do(http.MethodGet, "/api/devices/nobody/evidence", "", nil); code != http.StatusNotFound {
		t.Errorf("a device that is not there: %d", code)
	}
}

// A small body that unpacks to very much is refused before it fills the memory, on every route that takes packed
// bodies.
func TestABodyThatUnpacksToVeryMuch(t *testing.T) {
	s, prog := house(t)
	token, _, err := prog.Collecting.NewToken(t.Context(), "shore", "id", "me")
	if err != nil {
		t.Fatal(err)
	}
	var bomb bytes.Buffer
	z := gzip.NewWriter(&bomb)
	spaces := bytes.Repeat([]byte(" "), 1<<20)
	for range 300 {
		if _, err := z.Write(spaces); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil || bomb.Len() > 400_000 {
		t.Fatal(err, bomb.Len())
	}
	for _, path := range []string{"/api/scans", "/api/collector/ask", "/api/collector/failed"} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		code, text := machine(t, s.URL, path, token, "gzip", bomb.Bytes())
		runtime.ReadMemStats(&after)
		if code != http.StatusRequestEntityTooLarge && code != http.StatusUnprocessableEntity ||
			!strings.Contains(text, "larger than") {
			t.Errorf("%s: %d %s", path, code, text)
		}
		if grown := (after.TotalAlloc - before.TotalAlloc) >> 20; grown > 150 {
			t.Errorf("%s took %d MB of memory for %d kB", path, grown, bomb.Len()>>10)
		}
	}
}
