package e2e

import "testing"

// A bare name that a classroom's machines write counts as somebody else until a person says whose it is: the position
// that moves shows before, and the person has the name afterwards. Parted again, and both taken back, all is as before.
func TestTwoNamesAreOnePerson(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/people")
	row(t, page, "Aslo Alkeskar", "works here")
	page.MustNavigate(url + "/evidence/alike")
	says(t, page, `[data-pair="u0246 tbrattmyr"]`, "likely: the same bare name tbrattmyr")
	press(t, page, `[data-pair="u0246 tbrattmyr"] input`)
	says(t, page, "[data-decide] .effect", "people")
	says(t, page, "[data-decide]", "Turnstone Sketch")
	says(t, page, "[data-decide] .effect", "say why, then press")
	look(t, page, "two-names")
	page.MustElement("[data-reason]").MustInput("she teaches there")
	press(t, page, "[data-decide] .effect:not(:disabled)")
	says(t, page, "[data-says]", "Decided")
	says(t, page, "[data-acts]", "she teaches there")
	page.MustNavigate(url + "/evidence/people/tbrattmyr")
	says(t, page, "h1", "Fenja Ytterbekk")
	says(t, page, "[data-names]", "tbrattmyr")
	// it was another after all
	press(t, page, `[data-named="tbrattmyr"] input`)
	page.MustElement("[data-reason]").MustInput("she was on leave")
	says(t, page, "[data-names-form] .effect", "people")
	press(t, page, "[data-names-form] .effect:not(:disabled)")
	says(t, page, "[data-says]", "tbrattmyr is the person now")
	page.MustNavigate(url + "/evidence/people/tbrattmyr")
	says(t, page, "h1", "tbrattmyr")
	says(t, page, "[data-state]", "in no list")
	for range 2 {
		page.MustNavigate(url + "/evidence/alike")
		press(t, page, `[data-acts] tbody tr:not(.soft) button`, "^take it back$")
		press(t, page, `[data-acts] tbody tr:not(.soft) button`, "^take it back$")
		says(t, page, "[data-taken-back]", "Taken back")
	}
	says(t, page, `[data-pair="u0246 tbrattmyr"]`, "bare name")
}

// An account behind which nobody in particular is says so, and somebody who knows better says who it is; a colleague
// who said it meanwhile is not written over.
func TestAnAccountIsSomebodys(t *testing.T) {
	page, url := open(t, "work", false)
	path := "/evidence/people/HALV%5Csvc_render"
	page.MustNavigate(url + path)
	says(t, page, "[data-state]", "no person")
	says(t, page, "[data-nobody]", "makes no named user")
	press(t, page, "[data-mark]")
	press(t, page, ".p-select-option", "one person uses it")
	says(t, page, "[data-says]", "It holds from now on")
	says(t, page, "[data-state]", "in no list")
	other := second(t, page, url, "run")
	if status := other.MustEval(`async () => {` + sent + `const p = await read('/api' + '/people/HALV%5Csvc_render')
		return send('/api/people/HALV%5Csvc_render/mark', { mark: 'nobody', revision: p.revision }, 'PUT')}`).String(); status != "200" {
		t.Fatal(status)
	}
	press(t, page, "[data-mark]")
	press(t, page, ".p-select-option", "as lists and its name say")
	says(t, page, "[data-says]", "changed it on")
	says(t, page, "[data-state]", "no person")
}
