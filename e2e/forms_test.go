package e2e

import (
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
)

// editing is a form in which somebody types while another changes the same thing.
type editing struct {
	path   string
	begin  string // what is pressed before the form is there
	field  string // a field in which something is typed
	types  string
	number bool   // the field takes numbers alone
	other  string // what the other does, in JavaScript
	save   string // what is pressed
	text   string // what stands on that
}

// sent is how the other asks and sends.
const sent = `
	const read = (path) => fetch(path).then((r) => r.json())
	const send = (path, body, method = 'POST') => fetch(path, {
		method, headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body),
	}).then(async (r) => (r.ok ? r.status : r.status + ' ' + await r.text()))
	const some = (from, names) => Object.fromEntries(names.split(' ').map((n) => [n, from[n]]))
`

// Every form tells whoever saves second what the first changed: on the page, with what he typed still there.
func TestEveryFormTellsTheSecondEditor(t *testing.T) {
	page, url := open(t, "run", false)
	other := second(t, page, url, "run")
	for _, prepare := range []string{
		`return send('/api/metering', { id: 0, revision: 0, product: 1, on: true, note: '' })`,
		`return send('/api/suites', { id: 0, revision: 0, product: 1, edition: '', version: '', need: 0,
			parts: [{ product: 2, edition: '', version: '' }] })`,
	} {
		if status := other.MustEval(`async () => {` + sent + prepare + `}`).String(); status != "200" {
			t.Fatal(prepare, status)
		}
	}
	plan := `{ title: 69, what: 'remove', toProduct: 0, toVersion: '', since: '', due: '2027-01-01', owner: 'Dagne',
		note: '', revision: 0 }`
	for name, e := range map[string]editing{
		"rules of figures": {path: "/evidence/scans", begin: "details summary", field: "[data-house-zone]",
			types: "Europe/Oslo", save: "details button", text: "Set these", other: `const r = await read('/api/rules')
			return send('/api/rules', { ...r, demandDays: 77 }, 'PUT')`},
		"rules of the worklist": {path: "/worklist/orders", field: "form input.few", types: "9", number: true,
			save: `form button[type="submit"]`, other: `const r = await read('/api/case-rules')
			return send('/api/case-rules', { ...r, reminders: 4 }, 'PUT')`},
		"how long use is kept": {path: "/use/measured", field: `[data-kept="sessions"] input, input[data-kept="sessions"]`,
			types: "91", number: true, save: "[data-keep]", other: `const m = await read('/api/metering')
			return send('/api/metering/kept', { ...some(m, 'revision eventDays sessionDays'), dayDays: 900 }, 'PUT')`},
		"how far back days can be asked for": {path: "/evidence/scans", begin: "[data-history] summary",
			field: "[data-history-days] input, input[data-history-days]", types: "400", number: true,
			save: "[data-keep-history]", other: `const h = await read('/api/history')
			return send('/api/history', { revision: h.revision, days: 500 }, 'PUT')`},
		"source": {path: "/evidence/sources?source=register", field: "[data-why]", types: "mine",
			save: "[data-save-source]",
			other: `const s = (await read('/api/sources')).find((x) => x.name === 'register')
			return send('/api/sources', { ...some(s, 'name covers trust retiredOn reason revision'), silentDays: 44 })`},
		"schedule": {path: "/evidence/scans?plan=3", field: "[data-plan-name]", types: "mine", save: "[data-save-plan]",
			other: `const s = (await read('/api/schedules')).find((x) => x.id === 3)
			return send('/api/schedules', { ...some(s, 'id revision name basis calendar group quiet paused'), ageDays: 15 })`},
		"starter set": {path: "/entitlements/seats", begin: ".set button/change",
			field: `[placeholder="note"]`, types: "mine", save: `form button[type="submit"]`, text: "Keep the set",
			other: `const s = (await read('/api/starter-sets'))[0]
			return send('/api/starter-sets', { ...s, name: 'theirs' })`},
		"line": {path: "/entitlements/line/L-0001", begin: ".head button", field: `form [name="order"]`, types: "mine",
			save: `form button[type="submit"]`, text: "Keep the change",
			other: `const l = await read('/api/entitlements/L-0001')
			return send('/api/lines/edit', { revision: l.revision, values: { ...l.values, unit_price: '1100' } })`},
		"product": {path: "/titles/3?rename=yes", field: "[data-rename-name]", types: "Mine",
			save: "form [data-effect], form .effect", other: `const p = await read('/api/products/3')
			return send('/api/catalogue/products', { product: 3, publisher: p.publisher, name: 'Theirs',
				revision: p.revision, dry: false })`},
		"title": {path: "/titles/4", begin: "[data-title-change]", field: `[data-title-field="category"]`, types: "mine",
			save: "[data-title-form] .effect", other: `const p = await read('/api/products/4'), l = p.lines[0]
			return send('/api/catalogue/titles', { product: 4, title: l.id, edition: l.edition, version: l.version,
				says: { ...l.says, released: '2020-01-01' }, revision: l.revision, drop: false, dry: false })`},
		"suite": {path: "/titles/1", begin: "[data-suite] button/change", field: `[aria-label="edition of the suite"]`,
			types: "mine", save: "[data-suite-save]", other: `const s = (await read('/api/products/1')).definitions[0]
			return send('/api/suites', { ...some(s, 'id revision product edition need parts'), version: '9' })`},
		"publisher": {path: "/titles/publishers?publisher=2", field: "[data-publisher-aliases]", types: "Mine",
			save: "[data-publisher] .effect", other: `const b = (await read('/api/publishers?f=id%3D2')).rows[0]
			return send('/api/catalogue/publishers', { publisher: 2, revision: b.revision, name: b.publisher,
				aliases: ['Theirs'], successor: '', dry: false })`},
		"plan": {path: "/titles/life?release=69", field: "[data-plan-owner]", types: "Livar", save: "[data-plan-save]",
			other: `return send('/api/plans', ` + plan + `)`},
		"reclaim": {path: "/worklist/reclaim?edit=1", field: `[aria-label="note"]`, types: "mine", save: "[data-effect]",
			other: `const r = (await read('/api/reclaim-rules'))[1].says
			return send('/api/reclaim-rules', { ...r, window: 300 })`},
		"standing": {path: "/worklist/standing?edit=1", field: `[aria-label="note"]`, types: "mine",
			save: "[data-standing-form] [data-effect]", other: `const d = (await read('/api/standing')).decisions[0].says
			return send('/api/standing', { ...d, perDay: 9 })`},
		"metering": {path: "/use/measured?edit=1", field: `[aria-label="note"]`, types: "mine",
			save: "[data-meter-form] [data-effect]", other: `const c = (await read('/api/metering')).choices[0].says
			return send('/api/metering', { ...c, note: 'theirs' })`},
		"changes": {path: "/evidence/changes?rules=yes&rule=1", field: `[data-rule-form] [aria-label="publisher"]`,
			types: "mine", save: "[data-add-rule]", other: `const r = (await read('/api/change-rules'))[0]
			return send('/api/change-rules', { ...some(r, 'id revision what kinds publisher group address'), name: 'x*' })`},
		"rule for names": {path: "/titles/rules?rule=1", field: "[data-reason]", types: "mine", save: "[data-effect]",
			other: `const r = (await read('/api/name-rules')).rules[0]
			return send('/api/name-rules', { ...some(r, 'id revision name outcome records devices product edition from ' +
				'until off'), reason: 'theirs' })`},
		"scenario": {path: "/position/try?scenario=1", field: `[name="scenario"]`, types: "mine",
			save: `.keep button[type="submit"]`, other: `const s = (await read('/api/scenarios'))[0]
			return send('/api/scenarios', { ...s, note: 'theirs' })`},
	} {
		t.Run(name, func(t *testing.T) {
			page, other := page.Timeout(patience()), other.Timeout(patience())
			page.MustNavigate(url + e.path)
			if e.begin != "" {
				begin(t, page, e.begin)
			}
			field := page.MustElement(e.field)
			if e.number {
				field.MustSelectAllText().MustInput(e.types)
				page.Keyboard.MustType(input.Tab)
			} else {
				fill(page, e.field, e.types)
			}
			if status := other.MustEval(`async () => {` + sent + e.other + `}`).String(); status != "200" {
				t.Fatalf("the other could not: %s", status)
			}
			within(t, page, `(save) => !!document.querySelector(save) && !document.querySelector(save).disabled`, e.save)
			if e.text != "" {
				press(t, page, e.save, e.text)
			} else {
				press(t, page, e.save)
			}
			says(t, page, "[data-conflict]", "changed this on")
			within(t, page, `(field, value) => document.querySelector(field).value.includes(value)`, e.field, e.types)
		})
	}
}

// begin presses what opens a form: a selector, and after a stroke what stands on it.
func begin(t *testing.T, page *rod.Page, what string) {
	t.Helper()
	for i := range what {
		if what[i] == '/' {
			press(t, page, what[:i], what[i+1:])
			return
		}
	}
	press(t, page, what)
}
