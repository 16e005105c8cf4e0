package e2e

import (
	"testing"

	"github.com/go-rod/rod"
)

// Two put a tag on one title: the second is told who was faster, and his tag is kept and goes beside the other one.
func TestTwoTagOneTitle(t *testing.T) {
	first, url := open(t, "work", false)
	other := second(t, first, url, "run")
	id := first.MustEval(`() => fetch('/api/products?q=Fjordpen%20Scribe').then((r) => r.json())
		.then((l) => l.rows[0].id)`).Str()
	for _, page := range []*rod.Page{first, other} {
		page.MustNavigate(url + "/titles/" + id)
		page.MustElement("[data-tags] input")
	}
	tag := func(page *rod.Page, text string) {
		page.MustElement("[data-tags] input").MustInput(text)
		press(t, page, "[role=option]", "^"+text+"$")
	}
	tag(first, "first here")
	within(t, first, `() => document.querySelector('[data-tags]').textContent.includes('first here')`)
	tag(other, "second here")
	says(t, other, "[data-tags-other]", "Worker changed the tags meanwhile")
	look(t, other, "two-tags")
	press(t, other, "[data-tags-other] button")
	within(t, other, `() => ['first here', 'second here'].every((x) =>
		document.querySelector('[data-tags]').textContent.includes(x))`)
	within(t, other, `() => !document.querySelector('[data-tags-other]')`)
}
