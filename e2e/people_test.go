package e2e

import (
	"testing"
)

// Who may only look finds nothing to press, and the server refuses what the page does not offer.
func TestLookingChangesNothing(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/worklist?f=kind%3Didle")
	pressIn(t, page, "", "Murrelet Survey")
	says(t, page, "aside", "Working on cases needs the role")
	if page.MustHas("[data-act]") || page.MustHas(`input[type="checkbox"]`) {
		t.Error("a case can be worked on")
	}
	page.MustNavigate(url + "/evidence/files")
	says(t, page, ".page", "taken in by the role")
	if page.MustHas(`input[type="file"]`) {
		t.Error("a file can be sent")
	}
	for _, call := range []string{"/api/cases/act", "/api/names/decide", "/api/entitlements", "/api/policies",
		"/api/demo/move-on", "/api/asides/1/mend", "/api/import/devices?file=x.csv"} {
		status := page.MustEval(`async (path) => (await fetch(path, {method: 'POST', headers: {'Content-Type': 'application/json'}, body: JSON.stringify({ids: [1], act: 'agree', key: 'x', product: 1, edition: '', note: '', days: 1, content: 'x', until: ''})})).status`, call).
			Int()
		if status != 403 {
			t.Errorf("%s answers %d to somebody who may only look", call, status)
		}
	}
	page.MustNavigate(url + "/worklist?case=1")
	says(t, page, "[data-case-state]", "open")
}
