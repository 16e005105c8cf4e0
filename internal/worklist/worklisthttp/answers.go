package worklisthttp

import (
	"errors"
	"html/template"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"ensomet/internal/rest"
	"ensomet/internal/worklist"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"
)

// The page on which a user answers needs no account and no script. It can be opened by its key alone; a wrong key and
// one that is over look the same. Looking at it changes nothing, so that programs that open the links of mail answer
// nothing; one click on a button does.

// answersPerMinute is how often one address may open such pages.
const answersPerMinute = 60

const answerPolicy = "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'; " +
	"base-uri 'none'"

var answerPage = template.Must(template.New("answer").Parse(`<!doctype html>
<html lang="en-GB"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><meta name="robots" content="noindex"><title>Do you still need it?</title>
<style>
:root { color-scheme: light dark; }
body { font: 17px/1.5 system-ui, sans-serif; max-width: 42rem; margin: 2.5rem auto; padding: 0 1rem; color: #1b2a33; background: #f4f3ee; }
h1 { font-size: 1.5rem; } section { border-top: 1px solid #b9c3c6; padding: 1rem 0; } h2 { font-size: 1.1rem; margin: 0; } p { margin: 0.3rem 0; }
form { display: flex; flex-wrap: wrap; gap: 0.6rem; margin-top: 0.6rem; align-items: center; }
button { font: inherit; padding: 0.5rem 1rem; border-radius: 4px; border: 1px solid #14505f; cursor: pointer; } .no { background: #14505f; color: #fff; } .yes { background: #fff; color: #14505f; }
input { font: inherit; padding: 0.4rem 0.6rem; flex: 1 1 14rem; border: 1px solid #6b7c84; border-radius: 4px; background: #fff; color: inherit; } .said { font-weight: 650; }
:focus-visible { outline: 3px solid #b4541a; outline-offset: 2px; }
@media (prefers-color-scheme: dark) { body { background: #14191c; color: #dfe6e8; } .yes, input { background: #1f272b; color: #dfe6e8; } }
</style></head><body>
{{if .Gone}}<h1>Nothing is asked here</h1><p>This address opens nothing, or no longer. If you were asked something by mail, use the address of the newest one.</p>
{{else}}<h1>Do you still need it?</h1><p>One click is enough. {{if .Page.Over}}The time to answer is over; what you say is still passed on.{{else}}Please answer by {{.Page.Until}}; until somebody has acted on it you can change your answer.{{end}}</p>
{{range .Page.Lines}}<section><h2>{{.Product}}</h2><p>on {{.Device}}{{if .Why}}: {{.Why}}{{end}}</p>
{{if eq .Answer "needed"}}<p class="said" role="status">You said that you need it. Thank you.</p>{{else if eq .Answer "not needed"}}<p class="said" role="status">You said that you do not need it. Thank you.</p>{{end}}{{if .Closed}}<p class="said">{{if .Answer}}Somebody has acted on it; it is no longer asked.{{else}}This is no longer asked.{{end}}</p>{{else}}
<form method="post"><input type="hidden" name="case" value="{{.Case}}"><button class="no" name="needed" value="no">I do not need it</button><button class="yes" name="needed" value="yes">I still need it</button><input name="note" maxlength="500" aria-label="what for, if you like" placeholder="what for, if you like"></form>{{end}}</section>
{{end}}{{end}}</body></html>
`))

// answers registers the page.
func (s *routes) answers() {
	s.Router.Group(func(r chi.Router) {
		r.Use(httprate.LimitBy(answersPerMinute, time.Minute, rest.ByAddress))
		r.Get("/answer/{key}", s.showAnswer)
		r.Post("/answer/{key}", s.takeAnswer)
	})
}

func (s *routes) showAnswer(w http.ResponseWriter, r *http.Request) {
	page, err := s.Worklist.AnswerPage(r.Context(), chi.URLParam(r, "key"))
	s.writeAnswer(w, page, err)
}

func (s *routes) writeAnswer(w http.ResponseWriter, page worklist.AnswerPage, err error) {
	h := w.Header()
	h.Set("Content-Security-Policy", answerPolicy)
	h.Set("Referrer-Policy", "same-origin") // with none, a browser would not say that the answer comes from here
	h.Set("Cache-Control", "no-store")
	h.Set("X-Robots-Tag", "noindex")
	h.Set("Content-Type", "text/html; charset=utf-8")
	gone := err != nil
	if gone {
		if !errors.Is(err, worklist.ErrNoQuestion) {
			slog.Error("a user's page could not be shown", "error", err)
		}
		w.WriteHeader(http.StatusNotFound)
	}
	if err := answerPage.Execute(w, struct {
		Gone bool
		Page worklist.AnswerPage
	}{gone, page}); err != nil {
		slog.Error("a user's page could not be written", "error", err)
	}
}

func (s *routes) takeAnswer(w http.ResponseWriter, r *http.Request) {
	key := chi.URLParam(r, "key")
	r.Body = http.MaxBytesReader(w, r.Body, 16<<10)
	id, err := strconv.ParseInt(r.FormValue("case"), 10, 64)
	needed := r.FormValue("needed")
	if err != nil || needed != "yes" && needed != "no" {
		http.Error(w, "press one of the two buttons", http.StatusBadRequest)
		return
	}
	if err := s.Worklist.Answer(r.Context(), key, id, needed == "yes", r.FormValue("note")); err != nil {
		s.writeAnswer(w, worklist.AnswerPage{}, err)
		return
	}
	http.Redirect(w, r, "/answer/"+key, http.StatusSeeOther)
}
