package e2e

import (
	"cmp"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"
)

// aim finds the element that is meant, waits for it to stand still where a pointer reaches it, and gives the point to
// press; a listener notes whether the click met it. A page that is drawn anew in between moves its parts: a click
// that met nothing, or something else, may be tried again.
const aim = `async (selector, text, parts) => {
	const pattern = text.match(/^\/(.*)\/(\w*)$/)
	const fits = text ? new RegExp(pattern ? pattern[1] : text, pattern ? pattern[2] : '') : null
	const find = () => {
		const roots = parts.length ? [...document.querySelectorAll('tbody tr')].filter((r) => parts.every((p) => r.textContent.includes(p))) : [document]
		for (const root of roots)
			for (const e of selector ? root.querySelectorAll(selector) : [root])
				if (!fits || fits.test(e.textContent.trim())) return e
	}
	const place = () => {
		const e = find()
		if (!e || e.disabled) return null
		e.scrollIntoViewIfNeeded()
		const r = e.getClientRects()[0]
		return r && r.width && r.height ? { e, x: r.left + r.width / 2, y: r.top + r.height / 2 } : null
	}
	const frame = () => new Promise((done) => requestAnimationFrame(done))
	const first = place()
	await frame()
	await frame()
	const then = place()
	if (!first || !then || first.e !== then.e || first.x !== then.x || first.y !== then.y) return null
	const under = document.elementFromPoint(then.x, then.y)
	if (!under || !(then.e.contains(under) || under.contains(then.e))) return null
	const kinds = ['mousedown', 'click']
	for (const kind of kinds) removeEventListener(kind, window.pressing, true)
	window.pressed = false
	window.pressing = (event) => {
		const meant = find()
		if (!meant || meant.disabled || !event.composedPath().includes(meant)) return
		if (event.type === 'click' || meant.role === 'option') window.pressed = true // an option is chosen, and gone, before the button comes up
	}
	for (const kind of kinds) addEventListener(kind, window.pressing, true)
	return { x: then.x, y: then.y }
}`

// press clicks the first element of a selector, if need be the first whose text fits a pattern, and sees that the
// click met it.
func press(t *testing.T, page *rod.Page, selector string, text ...string) {
	t.Helper()
	pattern := ""
	if len(text) > 0 {
		pattern = text[0]
	}
	pressAt(t, page, selector, pattern, []any{})
}

// pressIn clicks an element in the row of a list whose text has all the parts; without a selector, the row itself.
func pressIn(t *testing.T, page *rod.Page, selector string, parts ...string) {
	t.Helper()
	pressAt(t, page, selector, "", toAny(parts))
}

// pickOption types into a field that offers what fits, and presses the offer; where the offers went away meanwhile,
// it types again.
func pickOption(t *testing.T, page *rod.Page, field, text, option string) {
	t.Helper()
	for {
		page.MustElement(field).MustSelectAllText().MustInput(text)
		err := tryPress(page.Timeout(8*time.Second), ".p-autocomplete-option", option, []any{})
		if err == nil {
			return
		}
		if page.GetContext().Err() != nil {
			t.Fatalf("%q is not offered as %q: %v", text, option, err)
		}
	}
}

func pressAt(t *testing.T, page *rod.Page, selector, text string, parts []any) {
	t.Helper()
	if err := tryPress(page, selector, text, parts); err != nil {
		t.Fatal(err)
	}
}

func tryPress(page *rod.Page, selector, text string, parts []any) error {
	for {
		at, err := page.Eval(aim, selector, text, parts)
		if err == nil && !at.Value.Nil() {
			point := proto.NewPoint(at.Value.Get("x").Num(), at.Value.Get("y").Num())
			if err = page.Mouse.MoveTo(point); err == nil {
				err = page.Mouse.Click(proto.InputMouseButtonLeft, 1)
			}
			if err == nil {
				// another page has no note of it: the click has led there
				if met, e := page.Eval(`() => window.pressed !== false`); e != nil || met.Value.Bool() {
					return nil
				}
			}
		}
		select {
		case <-page.GetContext().Done():
			return fmt.Errorf(
				"%q %q in the row %v cannot be pressed: %w",
				selector,
				text,
				parts,
				cmp.Or(err, page.GetContext().Err()),
			)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// heldBack keeps from the page what it reads of a path, as a slow line does, until the function that it returns is
// called: what a colleague changes meanwhile it does not know.
func heldBack(page *rod.Page, part string) (letGo func()) {
	page.MustEval(`(part) => {
		const real = fetch, gate = new Promise((go) => (window.letGo = go))
		window.fetch = async (r, init) => {
			if ((r.method ?? 'GET') === 'GET' && (r.url ?? r).includes(part)) await gate
			return real(r, init)
		}
	}`, part)
	return func() { page.MustEval(`() => letGo()`) }
}

// look keeps a picture of the page at a step in the folder that E2E_LOOK names, for whoever wants to see what a
// journey sees.
func look(t *testing.T, page *rod.Page, name string) {
	t.Helper()
	if dir := os.Getenv("E2E_LOOK"); dir != "" {
		page.MustScreenshot(filepath.Join(dir, name+".png"))
	}
}

// put writes into a field of a form, a date too.
func put(page *rod.Page, name, value string) {
	page.MustElement(`input[name="`+name+`"]`).
		MustEval(`(v) => { this.value = v; this.dispatchEvent(new Event('input', { bubbles: true })); this.dispatchEvent(new Event('change', { bubbles: true })) }`, value)
}
