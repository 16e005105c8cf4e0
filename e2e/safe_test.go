package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
)

// While the server is away the page says so at once, in one place; what is typed stays, lists do not say 0, and all of
// it goes on by itself when the server is back.
func TestTheServerIsAway(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/groups?group=new")
	fill(page, `[data-group-name]`, "made on a bad line")
	says(t, page, "[data-preview] h2", "devices")
	cuts[url].Store(true)
	says(t, page, "[data-away]", "has not answered since")
	fill(page, `[data-group-name]`, "made on a worse line")
	says(t, page, "form .says", "cannot be reached")
	within(t, page, `() => document.querySelector('[data-group-name]').value === 'made on a worse line'`)
	walk(page, "/evidence")
	within(t, page, `() => !!document.querySelector('[data-missing], [data-total]')`)
	within(t, page, `() => !document.querySelector('[data-total]')?.textContent.startsWith('0 ')`)
	look(t, page, "away")
	cuts[url].Store(false)
	within(t, page, `() => !document.querySelector('[data-away]')`)
	page.MustNavigate(url + "/evidence/groups?group=new")
	says(t, page, "[data-kept]", "not saved")
	within(t, page, `() => document.querySelector('[data-group-name]').value === 'made on a worse line'`)
	says(t, page, "[data-preview] h2", "devices")
	press(t, page, "[data-effect]")
	says(t, page, "[data-says]", "The group is set")
	row(t, page, "made on a worse line")
}

// A session that ends while somebody types is begun again over the page, and he goes on where he was.
func TestTheSessionEnds(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/entitlements/contracts")
	press(t, page, "[data-contracts] td button")
	page.MustElement(`form [name="name"]`)
	fill(page, `form [name="name"]`, "half a name")
	call(page, "POST", "/api/sign-out", "")
	press(t, page, `form button[type="submit"]`)
	says(t, page, "[data-ended], .p-dialog", "Your session has ended")
	within(t, page, `() => document.querySelector('form [name="name"]').value === 'half a name'`)
	look(t, page, "ended")
	press(t, page, `[data-enter="work"]`)
	within(t, page, `() => !document.querySelector('.p-dialog')`)
	within(t, page, `() => document.querySelector('form [name="name"]').value === 'half a name'`)
	press(t, page, `form button[type="submit"]`)
	says(t, page, "[data-contracts]", "half a name")
}

// Two clicks, however fast, save once.
func TestTwoClicksSaveOnce(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/groups?group=new")
	fill(page, `[data-group-name]`, "clicked twice")
	says(t, page, "[data-preview] h2", "devices")
	within(t, page, `() => !!document.querySelector('[data-effect]:not([disabled])')`)
	page.MustEval(`() => { for (let i = 0; i < 5; i++) document.querySelector('[data-effect]').click() }`)
	says(t, page, "[data-says]", "The group is set")
	time.Sleep(500 * time.Millisecond)
	if n := page.MustEval(`() => fetch('/api/groups')
		.then((r) => r.json())
		.then((l) => l.filter((g) => g.name === 'clicked twice').length)`).Int(); n != 1 {
		t.Errorf("there are %d groups", n)
	}
}

// No key does anything while a list to choose from or a dialog has the focus; all can be switched off, and each can be
// another.
func TestKeysKeepOutOfLists(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/titles/names")
	row(t, page, "Vaneburrow LE", "open")
	page.Keyboard.MustType(input.KeyN)
	within(t, page, `() => !!new URLSearchParams(location.search).get('key')`)
	before := call(page, "GET", "/api/names/queue", "")
	for _, focus := range []string{".list .p-select [role='combobox']", "[data-list-search]"} {
		page.MustElement(focus).MustEval(`() => this.focus()`)
		page.Keyboard.MustType(input.KeyL, input.KeyX, input.Digit4, input.KeyA, input.Enter)
		page.Keyboard.MustType(input.Escape)
	}
	time.Sleep(time.Second)
	if after := call(page, "GET", "/api/names/queue", ""); after != before {
		t.Errorf("keys in a list decided something: %s, before %s", after, before)
	}
	if at := page.MustEval(`() => location.pathname`).Str(); at != "/titles/names" {
		t.Errorf("a key in a list went to %s", at)
	}
	page.MustNavigate(url + "/entitlements?book=1")
	page.MustElement(`.p-dialog [name="order"]`)
	fill(page, `.p-dialog [name="order"]`, "PO-1")
	page.MustElement(`.p-dialog [aria-label="kind"]`).MustEval(`() => this.focus()`)
	page.Keyboard.MustType(input.Digit4)
	time.Sleep(300 * time.Millisecond)
	if at := page.MustEval(`() => location.pathname`).Str(); at != "/entitlements" {
		t.Errorf("a key in the booking dialog went to %s", at)
	}
	page.MustNavigate(url + "/help")
	press(t, page, `[data-key-row="station.6"] button`)
	within(t, page, `() => !!document.activeElement?.textContent.includes('press the key')`)
	page.Keyboard.MustType(input.KeyW)
	says(t, page, `[data-key-row="station.6"]`, "w")
	page.MustEval(`() => document.activeElement?.blur()`)
	page.Keyboard.MustType(input.KeyW)
	within(t, page, `() => location.pathname === '/worklist'`)
	page.MustNavigate(url + "/help")
	page.MustElement("[data-keys-on] input").MustEval(`() => this.click()`)
	page.MustEval(`() => document.activeElement?.blur()`)
	page.Keyboard.MustType(input.KeyW, input.Digit1)
	time.Sleep(500 * time.Millisecond)
	if at := page.MustEval(`() => location.pathname`).Str(); at != "/help" {
		t.Errorf("keys that are off went to %s", at)
	}
}

// A user answers over plain http under the house's own name, where the browser says less of where a request comes from
// than it does on the machine itself; under any other name the program is not there.
func TestAnswersUnderANameOfTheHouse(t *testing.T) {
	page, url := openAt(t, "software.example", "work", false)
	if page.MustEval(`() => window.isSecureContext`).Bool() {
		t.Fatal("the browser takes the name for its own machine")
	}
	page.MustNavigate(url + "/position/changes?from=2026-03-31") // it needs a name that nobody else has
	says(t, page, "[data-step-bars]", "rights expired")
	page.MustNavigate(url + "/worklist?f=kind%3Didle")
	id := page.MustEval(`() => fetch('/api/cases?f=kind%3Didle&f=state%3Dopen&limit=200').then((r) => r.json())
		.then(async (p) => {
			for (const c of p.rows) {
				const body = JSON.stringify({ ids: [c.id], act: 'ask', note: '' })
				const headers = { 'Content-Type': 'application/json' }
				const done = await fetch('/api/cases/act', { method: 'POST', headers, body }).then((r) => r.json())
				if (done.count) return c.id
			}
			return 0
		})`).Int()
	if id == 0 {
		t.Fatal("nobody can be asked")
	}
	call(page, "POST", "/api/demo/move-on", `{"days":1}`)
	letters := outsides[url].Letters()
	answer := letters[len(letters)-1].AnswerAt()
	if !strings.HasPrefix(answer, url+"/answer/") {
		t.Fatalf("the letter leads to %q", answer)
	}
	user := chromium.MustIncognito().MustPage(answer).Timeout(patience()).Sleeper(quickly)
	t.Cleanup(func() { _ = user.Close() })
	says(t, user, "body", "One click is enough")
	press(t, user, "button.no")
	says(t, user, "body", "You said that you do not need it")
	look(t, user, "answered")
	other := strings.Replace(answer, "software.example", "elsewhere.example", 1)
	user.MustNavigate(other)
	says(t, user, "body", "is not reached as")
}
