package api

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/casework"
	"ensomet/internal/formats"
	"ensomet/internal/outbox"
	"ensomet/internal/position"
	"ensomet/internal/use/usedb"
	"ensomet/internal/worklist"
)

// post box and tool that take everything at once.
type outside struct {
	letters []string
	orders  []worklist.Order
}

func (o *outside) Send(_ context.Context, l outbox.Letter) error {
	body := l.Body
	o.letters = append(o.letters, body)
	return nil
}

func (o *outside) Take(_ context.Context, order worklist.Order) error {
	o.orders = append(o.orders, order)
	return nil
}

// Each address about the worklist, use and pools answers nobody, and refuses who may not do what it does.
func TestRolesAboutTheWorklist(t *testing.T) {
	persons, prog := owner(t)
	take(t, prog, formats.Pools, "pool,publisher,product,quantity\nhall,Ostwick,Skerrymap,5\n")
	for _, path := range []string{"/api/cases/counts", "/api/cases/groups", "/api/case-rules", "/api/waves",
		"/api/ledger", "/api/savings", "/api/savings.csv", "/api/potential", "/api/products/1/ways-out",
		"/api/products/1/stance?device=D01", "/api/reclaim-rules", "/api/metering", "/api/products/1/use",
		"/api/pools", "/api/pools/1", "/api/pools/1/days", "/api/pools/1/sizing", "/api/pool-watches"} {
		if status, text := persons[""].do("GET", path, "", nil); status != 401 {
			t.Errorf("%s answers %d %s to nobody", path, status, text)
		}
		if status, text := persons[access.Viewer].do("GET", path, "", nil); status != 200 {
			t.Errorf("%s answers %d %s to who looks", path, status, text)
		}
	}
	for path, need := range map[string]access.Role{"/api/waves/1/steer": access.Editor, "/api/policies": access.Editor,
		"/api/policies/preview": access.Editor, "/api/policies/1/end": access.Editor,
		"/api/reclaim-rules":         access.Editor,
		"/api/reclaim-rules/preview": access.Editor, "/api/reclaim-rules/1/end": access.Editor,
		"/api/metering": access.Editor, "/api/metering/preview": access.Editor, "/api/metering/1/end": access.Editor,
		"/api/pools/1/complaints": access.Editor, "/api/pools/1/size": access.Editor,
		"/api/pool-watches":       access.Editor,
		"/api/pool-watches/1/end": access.Editor} {
		for role, p := range persons {
			status, text := p.do("POST", path, "", nil)
			if role == "" && status != 401 || role != "" && (status == 403) == role.May(need) {
				t.Errorf("%s for the role %q: %d %s", path, role, status, text)
			}
		}
	}
	for _, path := range []string{"/api/case-rules", "/api/metering/kept", "/api/history"} {
		if status, _ := persons[access.Editor].do("PUT", path, "{}", nil); status != 403 {
			t.Errorf("%s answers %d to who works", path, status)
		}
	}
}

// The ways out of a shortfall stand side by side, each worked out by itself.
func TestWaysOut(t *testing.T) {
	persons, prog := owner(t)
	take(t, prog, formats.Titles,
		"publisher,product,licence_model,list_price,currency\nOstwick,Plot,commercial,70,EUR\n")
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,start,unit_price,currency\n"+
			"P-1,Ostwick,Plot,device,2,perpetual,2025-01-01,60,EUR\n",
	)
	take(
		t,
		prog,
		formats.Installs,
		"device_id,publisher,name,version,source,seen_at\nD01,Ostwick,Plot,1,second,2026-06-29T10:00:00Z\n"+
			"D02,Ostwick,Plot,1,second,2026-06-29T10:00:00Z\nD03,Ostwick,Plot,1,second,2026-06-29T10:00:00Z\n"+
			"D04,Ostwick,Plot,1,second,2026-06-29T10:00:00Z\nD05,Ostwick,Plot,1,second,2026-06-29T10:00:00Z\n",
	)
	if err := prog.Pipeline.Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	ids, err := prog.Position.FindProducts(t.Context(), "Ostwick Plot")
	if err != nil || len(ids) != 1 {
		t.Fatal(ids, err)
	}
	ways := read[[]position.WayOut](t, persons[access.Viewer], fmt.Sprintf("/api/products/%d/ways-out", ids[0]))
	var words []string
	for _, w := range ways {
		words = append(words, fmt.Sprintf("%s covers %d, left %d, cost %s", w.What, w.Covers, w.Left, w.Cost))
		if w.Covers <= 0 {
			t.Errorf("a way that covers nothing: %+v", w)
		}
	}
	p, err := prog.Position.ProductPosition(t.Context(), ids[0], 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	short := p.Metrics[0].Short
	text := strings.Join(words, "; ")
	if short != 3 || text != "buy covers 3, left 0, cost 180" {
		t.Errorf("short %d: %s", short, text)
	}
}

// The answer page needs no account and no script, shows nothing to a wrong key, changes nothing by being looked at,
// and takes one click.
func TestAnswerPage(t *testing.T) {
	persons, prog := owner(t)
	o := &outside{}
	prog.Outbox.Mail, prog.Worklist.Deploy = o, o
	take(t, prog, formats.Users, "user_id,name,email\nu1,Dagne,dagne@x.example\n")
	take(t, prog, formats.Devices, "device_id,name,kind,primary_user\nD01,box-55,server,u1\nD02,box-54,client,u2\n")
	boss := persons[access.Admin]
	if status, text := boss.do("POST", "/api/policies",
		`{"id":0,"revision":0,"product":1,"stance":"restricted","reason":"<b>not here</b>"}`, nil); status != 200 {
		t.Fatal(status, text)
	}
	if err := prog.Pipeline.Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	cases, err := prog.Worklist.CaseCounts(t.Context())
	if err != nil || len(cases) == 0 || cases[0].Kind != casework.RestrictedTitle {
		t.Fatal(cases, err)
	}
	id := int64(0)
	for _, c := range read[struct {
		Rows []struct {
			ID     int64
			Device string
		}
	}](t, boss, "/api/cases?f=kind%3Drestricted").Rows {
		if c.Device == "box-55" { // D01
			id = c.ID
		}
	}
	if status, text := boss.do("PUT", "/api/case-rules",
		`{"revision":0,"twoPersons":false,"answerDays":7,"reminders":1,"holdMinutes":0,"silentDays":14}`,
		nil); status != 200 {
		t.Fatal(status, text)
	}
	if status, text := persons[access.Editor].do("POST", "/api/cases/act", fmt.Sprintf(`{"ids":[%d],"act":"ask"}`, id),
		nil); status != 200 ||
		!strings.Contains(text, `"count":1`) {
		t.Fatal(status, text)
	}
	for range 100 { // the worker beside may have it in its hands
		if err := prog.Outbox.Deliver(t.Context()); err != nil {
			t.Fatal(err)
		}
		if len(o.letters) > 0 {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	if len(o.letters) != 1 {
		t.Fatal(o.letters)
	}
	if status, text := boss.do("GET", "/api/mail", "", nil); status != 200 || strings.Contains(text, "/answer/") {
		t.Errorf("the list of mail holds the key: %d %s", status, text)
	}
	_, after, _ := strings.Cut(o.letters[0], prog.Worklist.Address)
	address, _, _ := strings.Cut(after, "\n")
	nobody := enter(t, boss.base, "")
	get := func(path string) (*http.Response, string) {
		res, err := http.Get(boss.base + path)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		_, text := nobody.do("GET", path, "", nil)
		return res, text
	}
	res, text := get(address)
	if res.StatusCode != 200 || res.Header.Get("Referrer-Policy") != "same-origin" ||
		res.Header.Get("Cache-Control") != "no-store" ||
		!strings.Contains(res.Header.Get("Content-Security-Policy"), "default-src 'none'") ||
		len(res.Cookies()) > 0 {
		t.Errorf("%d %v", res.StatusCode, res.Header)
	}
	if !strings.Contains(text, "Skerrymap") || strings.Contains(text, "<script") ||
		strings.Contains(text, "Dagne") ||
		strings.Contains(text, "D02") {
		t.Errorf("%s", text)
	}
	wrong, wrongText := get("/answer/" + strings.Repeat("ab", 32))
	short, shortText := get("/answer/x")
	if wrong.StatusCode != 404 || short.StatusCode != 404 || wrongText != shortText {
		t.Errorf("wrong keys look different: %d %d", wrong.StatusCode, short.StatusCode)
	}
	if c, err := prog.Worklist.Case(t.Context(), id); err != nil || c.State != "asked" {
		t.Errorf("looking has changed the case: %s, %v", c.State, err)
	}
	press := func(form url.Values, header http.Header) int {
		req, err := http.NewRequest("POST", boss.base+address, strings.NewReader(form.Encode()))
		if err != nil {
			t.Fatal(err)
		}
		req.Header = header
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	if status := press(url.Values{"case": {fmt.Sprint(id)}, "needed": {"perhaps"}}, http.Header{}); status != 400 {
		t.Errorf("an answer that is none: %d", status)
	}
	if status := press(url.Values{"case": {fmt.Sprint(id)}, "needed": {"no"}},
		http.Header{"Sec-Fetch-Site": {"cross-site"}}); status != 403 {
		t.Errorf("an answer from another site: %d", status)
	}
	if status := press(url.Values{"case": {fmt.Sprint(id)}, "needed": {"no"}, "note": {"<script>alert(1)</script>"}},
		http.Header{}); status != 200 {
		t.Errorf("the answer: %d", status)
	}
	if c, err := prog.Worklist.Case(t.Context(), id); err != nil || c.State != "agreed" || c.AgreedBy != "Dagne" {
		t.Errorf("%+v, %v", c, err)
	}
	if _, text := get(address); !strings.Contains(text, "You said that you do not need it") {
		t.Errorf("%s", text)
	}
}

// Only the deployment tool's own token may say what became of an order.
func TestOutcomes(t *testing.T) {
	persons, prog := owner(t)
	ctx := t.Context()
	base := persons[access.Admin].base
	fleet, _, err := prog.Collecting.NewToken(ctx, "collector", "id", "me")
	if err != nil {
		t.Fatal(err)
	}
	tool, _, err := prog.Collecting.NewToken(ctx, "deployment", "id", "me")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		token, body string
		code        int
	}{{"", `{"order":1,"done":true}`, 401}, {"wrong", `{"order":1,"done":true}`, 401},
		{fleet, `{"order":1,"done":true}`, 403}, {tool, `{"order":1,"done":true}`, 404}, {tool, `{"order":`, 400},
		{tool, strings.Repeat("x", 100_000), 400}} {
		if code, text := machine(t, base, "/api/deployment/outcome", c.token, "", []byte(c.body)); code != c.code {
			t.Errorf("%.40s: %d %s, want %d", c.body, code, text, c.code)
		}
	}
}

// Who is told of a pool is set, refused with a sentence and ended over HTTP; a word that the file's driver uses too
// is no fault of the file.
func TestWatchingPools(t *testing.T) {
	persons, prog := owner(t)
	take(t, prog, formats.Pools, "pool,publisher,product,quantity\nhall,Ostwick,Skerrymap,5\n")
	w := persons[access.Editor]
	for _, c := range []struct {
		path, body, says string
		status           int
	}{
		{"/api/pool-watches", `{"pool":1,"address":"nobody"}`, "mail cannot go to", 422},
		{"/api/pool-watches", `{"pool":9,"address":"a@hho.example"}`, "no such thing", 404},
		{"/api/pool-watches", `{"address":"a@hho.example"}`, "pool", 422},
		{"/api/pool-watches", `{"pool":1,"address":"a@hho.example"}`, "", 200},
		{"/api/pool-watches", `{"pool":1,"address":"a@hho.example"}`, "told of it already", 422},
		{"/api/pool-watches/1/end", ``, "", 200},
		{"/api/pool-watches/1/end", ``, "no such thing", 404},
		{"/api/metering/preview", `{"id":0,"revision":0,"product":1,"on":true,"group":"database"}`,
			`there is no group \"database\"`, 422},
		{"/api/metering/preview", `{"id":0,"revision":0,"product":1,"on":false}`, "choose first what is", 422},
		{"/api/metering/preview", `{"id":0,"revision":0,"product":1,"on":true}`, `"now":0`, 200},
	} {
		status, text := w.do("POST", c.path, c.body, nil)
		if status != c.status && (c.status != 200 || status != 204) || !strings.Contains(text, c.says) {
			t.Errorf("%s %s: %d %s", c.path, c.body, status, text)
		}
	}
	if list := read[[]usedb.PoolWatch](t, persons[access.Viewer], "/api/pool-watches"); len(list) != 0 {
		t.Errorf("%+v are told still", list)
	}
}
