package api

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"ensomet/internal/core/access"
	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/position"
	"ensomet/internal/program"
)

// owner is a house that owns something: device rights under a contract, and seats of which one is held.
func owner(t *testing.T) (map[access.Role]person, *program.Program) {
	t.Helper()
	prog := begun(t, "owner", func(prog *program.Program) {
		estate(t, prog)
		if err := prog.Pipeline.Refresh(t.Context()); err != nil {
			t.Fatal(err)
		}
		take(
			t,
			prog,
			formats.Users,
			"user_id,name,org_unit,status\nu1,Dagne,Unit/1,active\nu2,Livar,Unit/2,active\nu3,Oddny,Unit/2,left\n",
		)
		take(
			t,
			prog,
			formats.Titles,
			"publisher,product,licence_model,list_price,default_metric\nBrack,Notes,commercial,95,named_user\n",
		)
		take(
			t,
			prog,
			formats.Entitlements,
			"entitlement_id,publisher,product,metric,quantity,kind,start,end,unit_price,currency,contract,scope_unit\n"+
				"E-1,Ostwick,Skerrymap,device,30,perpetual,2025-01-01,,80,EUR,K-1,\n"+
				"E-2,Ostwick,Skerrymap,device,20,perpetual,2025-01-01,,80,EUR,K-1,Unit/0\n"+
				"N-1,Brack,Notes,named_user,2,subscription,2025-10-01,2026-09-30,60,EUR,K-2,\n",
		)
		take(t, prog, formats.Assignments, "entitlement_id,user_id,from\nN-1,u3,2025-10-01\n")
	})
	s := serve(t, prog)
	persons := map[access.Role]person{}
	for _, role := range []access.Role{access.Viewer, access.Editor, access.Admin} {
		persons[role] = enter(t, s.URL, string(role)+"er")
	}
	persons[""] = enter(t, s.URL, "")
	return persons, prog
}

// Each address about rights answers nobody, and refuses who may not do what it does.
func TestRolesAboutRights(t *testing.T) {
	persons, _ := owner(t)
	for _, path := range []string{"/api/entitlements/E-1", "/api/contracts", "/api/renewals", "/api/renewals.ics",
		"/api/licences.cdx.json", "/api/spend", "/api/seats", "/api/seats.csv", "/api/waiting", "/api/people/u1/held",
		"/api/starter-sets", "/api/products/1/parts", "/api/products/1/proof",
		"/api/products/1/steps?from=2026-06-01", "/api/steps?from=2026-06-01", "/api/scenarios",
		"/api/statements"} {
		if status, text := persons[""].do("GET", path, "", nil); status != 401 {
			t.Errorf("%s answers %d %s to nobody", path, status, text)
		}
		if status, text := persons[access.Viewer].do("GET", path, "", nil); status != 200 {
			t.Errorf("%s answers %d %s to who looks", path, status, text)
		}
	}
	for path, need := range map[string]access.Role{"/api/lines/edit": access.Editor,
		"/api/transactions":              access.Editor,
		"/api/entitlements/E-1/withdraw": access.Editor, "/api/entitlements/E-1/notes": access.Editor,
		"/api/entitlements/E-1/proofs?name=x": access.Editor, "/api/entitlements/E-1/keys": access.Admin,
		"/api/keys/1/show": access.Admin, "/api/keys/1/drop": access.Admin, "/api/proofs/1/drop": access.Editor,
		"/api/contracts": access.Editor, "/api/seats/assign": access.Editor, "/api/seats/hand-back": access.Editor,
		"/api/seats/1/move": access.Editor, "/api/waiting": access.Editor, "/api/people/u1/held/mail": access.Editor,
		"/api/starter-sets": access.Editor, "/api/scenarios": access.Editor, "/api/scenarios/1/do": access.Editor,
		"/api/scenarios/1/drop": access.Editor, "/api/requests": access.Editor,
		"/api/statements": access.Editor, "/api/products/1/metric-order": access.Editor} {
		for role, p := range persons {
			status, text := p.do("POST", path, "", nil)
			if role == "" {
				if status != 401 {
					t.Errorf("%s answers %d to nobody", path, status)
				}
				continue
			}
			if refused := status == 403; refused == role.May(need) {
				t.Errorf("%s for the role %s: %d %s", path, role, status, text)
			}
		}
	}
	// Who only looks may try, since trying changes nothing.
	if status, text := persons[access.Viewer].do("POST", "/api/scenarios/try",
		`{"measures":[{"kind":"buy","product":1,"line":"E-1","quantity":5}]}`, nil); status != 200 ||
		!strings.Contains(text, `"cost":"400"`) {
		t.Errorf("%d %s", status, text)
	}
}

func read[T any](t *testing.T, p person, path string) (v T) {
	t.Helper()
	status, text := p.do("GET", path, "", nil)
	if status != 200 {
		t.Fatalf("%s: %d %s", path, status, text)
	}
	if err := json.Unmarshal([]byte(text), &v); err != nil {
		t.Fatal(path, err)
	}
	return v
}

// A proof comes back as it was attached, for download alone; a key is shown to one role, and not in any other answer.
func TestPapersOfALine(t *testing.T) {
	persons, _ := owner(t)
	worker, runner := persons[access.Editor], persons[access.Admin]
	if status, text := worker.do("POST", "/api/entitlements/E-1/proofs?name=invoice+%22x%22.html",
		"<script>alert(1)</script>", nil); status != 200 {
		t.Fatal(status, text)
	}
	if status, _ := worker.do("POST", "/api/entitlements/E-1/proofs?name=empty.pdf", "", nil); status != 422 {
		t.Error("an empty file is proof")
	}
	line := read[entitlements.LineDetail](t, worker, "/api/entitlements/E-1")
	if len(line.Proofs) != 1 || len(line.Proofs[0].SHA256) != 64 {
		t.Fatalf("%+v", line.Proofs)
	}
	path := fmt.Sprintf("/api/proofs/%d", line.Proofs[0].ID)
	res, err := worker.client.Get(worker.base + path)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if h := res.Header; !strings.HasPrefix(h.Get("Content-Disposition"), "attachment") ||
		h.Get("Content-Type") != "application/octet-stream" ||
		h.Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("%v", h)
	}
	if status, text := worker.do("GET", path, "", nil); status != 200 || text != "<script>alert(1)</script>" {
		t.Errorf("%d %q", status, text)
	}
	if status, text := runner.do("POST", "/api/entitlements/E-1/keys", `{"key":"AAAA-BBBB-HIDDEN-CCCC","note":""}`,
		nil); status != 200 {
		t.Fatal(status, text)
	}
	status, text := runner.do("GET", "/api/entitlements/E-1", "", nil)
	if status != 200 || strings.Contains(text, "HIDDEN") {
		t.Errorf("%d %s", status, text)
	}
	if status, text := runner.do("POST", "/api/keys/1/show", "", nil); status != 200 ||
		!strings.Contains(text, "HIDDEN") {
		t.Errorf("%d %s", status, text)
	}
	if status, _ := worker.do("GET", "/api/entitlements/Q-9", "", nil); status != 404 {
		t.Errorf("a line that is not there answers %d", status)
	}
}

// Parts, proof, order of metrics and two days, as pages ask for them.
func TestAPositionFromAllSides(t *testing.T) {
	persons, _ := owner(t)
	looker, worker := persons[access.Viewer], persons[access.Editor]
	p := read[position.ProductPosition](t, looker, "/api/products/1/position")
	m := p.Metrics[0]
	if m.Covered+m.Short != m.Needed || !m.Proof.Best || m.Proof.Covered != m.Proof.Bound || len(m.Lines) != 2 {
		t.Errorf("%+v", m)
	}
	var needed, owned int64
	for _, x := range read[[]position.PartsOfMetric](t, looker, "/api/products/1/parts?by=unit")[0].Parts {
		needed, owned = needed+x.Needed, owned+x.Owned
	}
	if needed != m.Needed || owned > m.Owned {
		t.Errorf("the parts need %d and own %d, the whole %d and %d", needed, owned, m.Needed, m.Owned)
	}
	if status, _ := looker.do("GET", "/api/products/1/parts?by=moon", "", nil); status != 422 {
		t.Errorf("by something else: %d", status)
	}
	for _, r := range read[[]position.ProofRun](t, looker, "/api/products/1/proof") {
		if !r.Allowed || !r.Best || !r.Same {
			t.Errorf("%+v", r)
		}
	}
	if status, text := worker.do("POST", "/api/products/1/metric-order", `{"order":["device","device"],"revision":0}`,
		nil); status != 422 ||
		!strings.Contains(text, "once") {
		t.Errorf("%d %s", status, text)
	}
	if status, text := worker.do("POST", "/api/products/1/metric-order", `{"order":["core","device"],"revision":0}`,
		nil); status != 200 {
		t.Errorf("%d %s", status, text)
	}
	steps := read[position.ProductSteps](t, looker, "/api/products/1/steps?from=2026-05-01")
	if len(steps.Metrics) != 1 || steps.Metrics[0].Before.Needed != 0 || steps.Metrics[0].After.Needed != m.Needed {
		t.Errorf("%+v", steps)
	}
	for _, bad := range []string{"/api/products/1/steps?from=2026-07-01", "/api/products/1/steps?from=soon",
		"/api/steps?from=2026-06-30&to=2026-06-01", "/api/products/1/position?asOf=31.12.2025"} {
		if status, text := looker.do("GET", bad, "", nil); status != 422 {
			t.Errorf("%s: %d %s", bad, status, text)
		}
	}
	for _, bad := range []string{"/api/products/999/position", "/api/products/999/steps?from=2026-05-01",
		"/api/statements/7"} {
		if status, text := looker.do("GET", bad, "", nil); status != 404 {
			t.Errorf("%s: %d %s", bad, status, text)
		}
	}
}

// Seats and statements over HTTP, and what is said when something cannot be.
func TestSeatsAndStatements(t *testing.T) {
	persons, _ := owner(t)
	worker := persons[access.Editor]
	notes := read[struct {
		Rows []struct {
			ProductID int64 `json:"productId"`
			ID        int64 `json:"id"`
		} `json:"rows"`
	}](t, worker, "/api/seats").Rows[0]
	for body, want := range map[string]string{`{"product":%d,"line":"","user":"u3","device":""}`: "has left",
		`{"product":%d,"line":"","user":"u9","device":""}`:    "no user",
		`{"product":%d,"line":"E-1","user":"u1","device":""}`: "gives no seat"} {
		if status, text := worker.do("POST", "/api/seats/assign", fmt.Sprintf(body, notes.ProductID),
			nil); status != 422 ||
			!strings.Contains(text, want) {
			t.Errorf("%s: %d %s", body, status, text)
		}
	}
	if status, text := worker.do("POST", fmt.Sprintf("/api/seats/%d/move", notes.ID), `{"user":"u2"}`,
		nil); status != 200 {
		t.Errorf("%d %s", status, text)
	}
	if h := read[entitlements.Held](t, worker, "/api/people/u2/held"); len(h.Seats) != 1 {
		t.Errorf("%+v", h)
	}
	if status, text := worker.do("POST", "/api/seats/hand-back", `{"ids":[],"give":true}`, nil); status != 422 {
		t.Errorf("nothing is handed back: %d %s", status, text)
	}
	if status, text := worker.do("POST", "/api/statements",
		`{"asOf":"2027-01-01","products":[],"handedTo":"auditor","note":""}`, nil); status != 422 ||
		!strings.Contains(text, "has not come yet") {
		t.Errorf("%d %s", status, text)
	}
	if status, text := worker.do("POST", "/api/statements",
		`{"asOf":"","products":[1],"handedTo":"auditor","note":""}`, nil); status != 200 {
		t.Fatalf("%d %s", status, text)
	}
	v := read[position.StatementView](t, worker, "/api/statements/1?today=true")
	if v.Differ != 0 || len(v.Compared) != 1 || v.Against != "2026-06-30" {
		t.Errorf("%+v", v)
	}
}
