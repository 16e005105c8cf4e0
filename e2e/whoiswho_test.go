package e2e

import (
	"testing"

	"ensomet/internal/directory/ldaptest"
)

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
		says(t, page, "[data-acts]", "Take this decision back?")
		page.MustWaitStable() // the question moves the button
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
	letGo := heldBack(page, "/people/")
	other := second(t, page, url, "run")
	if status := other.MustEval(`async () => {` + sent + `const p = await read('/api' + '/people/HALV%5Csvc_render')
		return send('/api/people/HALV%5Csvc_render/mark', { mark: 'nobody', revision: p.revision }, 'PUT')}`).String(); status != "200" {
		t.Fatal(status)
	}
	press(t, page, "[data-mark]")
	press(t, page, ".p-select-option", "as lists and its name say")
	says(t, page, "[data-says]", "changed it on")
	letGo()
	says(t, page, "[data-state]", "no person")
}

// A device is put right by hand: the positions that move show before, the word stands beside what sources say, a
// colleague who saw an older state is told, and taken back the sources hold again. Several are put right at once.
func TestADeviceIsPutRightByHand(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/D0246")
	press(t, page, "[data-edit]")
	press(t, page, "[data-value]")
	press(t, page, ".p-select-option", "^retired$")
	says(t, page, "[data-put-right] .effect", "say why, then press")
	says(t, page, "[data-put-right] .effect", "→")
	page.MustElement("[data-put-right] [data-reason]").MustInput("it lies in the skip")
	look(t, page, "put-right")
	// meanwhile a colleague says something else of it
	heldBack(page, "/devices/")
	other := second(t, page, url, "run")
	if status := other.MustEval(`async () => {` + sent + `return send('/api/words', { devices: ['D0246'], field: 'site',
		value: 'Isle', drop: false, from: '', reason: 'moved', revisions: [0] })}`).String(); status != "200" {
		t.Fatal(status)
	}
	press(t, page, "[data-put-right] .effect:not(:disabled)")
	says(t, page, "[data-put-right] [data-said]", "changed it on")
	page.MustReload()
	says(t, page, `[data-word="site"]`, "sources say Halvorsund")
	press(t, page, "[data-edit]")
	press(t, page, "[data-value]")
	press(t, page, ".p-select-option", "^retired$")
	page.MustElement("[data-put-right] [data-reason]").MustInput("it lies in the skip")
	says(t, page, "[data-put-right] .effect", "→")
	press(t, page, "[data-put-right] .effect:not(:disabled)")
	says(t, page, `[data-word="status"]`, "it lies in the skip")
	says(t, page, `[data-word="status"]`, "sources say in service")
	says(t, page, "table", "the device is retired")
	press(t, page, `[data-word="status"] button`, "^take it back$")
	press(t, page, `[data-word="status"] button`, "^take it back$")
	says(t, page, "[data-facts] [data-says]", "Taken back")
	within(t, page, `() => !document.querySelector('[data-word="status"]')`)
	// two at once, in a field of the house's own
	page.MustNavigate(url + "/evidence?q=hal-chart-24")
	pressIn(t, page, "input[type=checkbox]", "hal-chart-241")
	pressIn(t, page, "input[type=checkbox]", "hal-chart-242")
	press(t, page, "[data-put]")
	press(t, page, "[data-put-right] [data-field]")
	press(t, page, ".p-select-option", "a field of our own")
	page.MustElement("[data-own]").MustInput("asset number")
	page.MustElement("[data-put-right] input[data-value]").MustInput("77")
	page.MustElement("[data-put-right] [data-reason]").MustInput("the label")
	says(t, page, "[data-put-right] .effect", "2 of 2 devices change today")
	press(t, page, "[data-put-right] .effect:not(:disabled)")
	within(t, page, `() => !document.querySelector('[data-put-right]')`)
	page.MustNavigate(url + "/evidence/D0242")
	says(t, page, "[data-facts]", "asset number")
}

// A field of the house's own narrows and splits the list of devices, and makes a group.
func TestAFieldOfOurOwn(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence")
	press(t, page, `[aria-label="lease"]`)
	press(t, page, ".p-select-option", "^leased to 2027$")
	says(t, page, "[data-total]", "344 devices")
	press(t, page, `[aria-label="split the count by"]`)
	press(t, page, ".p-select-option", "^split by lease$")
	says(t, page, "[data-split]", "leased to 2027")
	look(t, page, "own-field")
	page.MustNavigate(url + "/evidence?split=own%3Alease")
	says(t, page, "[data-split]", "owned")
	press(t, page, "[data-split] button", "leased to 2028")
	says(t, page, "[data-total]", "345 devices")
	page.MustNavigate(url + "/evidence/groups?group=new")
	page.MustElement("[data-group-name]").MustInput("leased to 2028")
	press(t, page, "[data-add-line]")
	choose(t, page.MustElement("[data-line]"), "what is asked about", "lease")
	page.MustElement("[data-line] .p-autocomplete input").MustInput("leased to 2028")
	says(t, page, "[data-preview] h2", "345 devices")
	look(t, page, "own-group")
	press(t, page, "[data-effect]")
	says(t, page, "[data-says]", "The group is set")
}

// A directory is added: a look says what it has before anything is kept; read now, its people are in the list; and one
// that goes away says so, and what is known stays.
func TestADirectoryOnThePage(t *testing.T) {
	server := ldaptest.Start(t, 30)
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/evidence/directories")
	press(t, page, "[data-add]")
	for field, value := range map[string]string{"name": "Kartverket", "address": server.Plain, "base": ldaptest.Base,
		"user": ldaptest.Reader, "password": "wrong", "attributes": "houseCentre = departmentNumber"} {
		page.MustElement("[data-" + field + "]").MustSelectAllText().MustInput(value)
	}
	page.MustElement("[data-ca]").MustEval(`(text) => { this.value = text; this.dispatchEvent(new Event('input')) }`,
		server.CA)
	press(t, page, "[data-look]")
	says(t, page, "[data-read-says]", "choose StartTLS")
	press(t, page, "[data-start-tls]")
	press(t, page, "[data-look]")
	says(t, page, "[data-read-says]", "does not let in "+ldaptest.Reader)
	page.MustElement("[data-password]").MustSelectAllText().MustInput(ldaptest.Password)
	press(t, page, "[data-look]")
	says(t, page, "[data-seen]", "people and 0 machines")
	says(t, page, "[data-samples]", "Ægir Blåskjær")
	look(t, page, "directory")
	press(t, page, "[data-save]")
	says(t, page, "[data-says]", "Kept")
	press(t, page, `[data-of="Kartverket"] [data-read]`)
	says(t, page, `[data-of="Kartverket"]`, "new")
	server.Stop()
	press(t, page, `[data-of="Kartverket"] [data-read]`)
	says(t, page, "[data-read-says]", "cannot be reached")
	says(t, page, `[data-of="Kartverket"]`, "last read whole on")
	page.MustNavigate(url + "/evidence/people?q=p0003")
	row(t, page, "Ægir Blåskjær", "p0003")
}
