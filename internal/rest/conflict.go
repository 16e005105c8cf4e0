package rest

import (
	"encoding/json"
	"net/http"
	"strings"
	"time"
	"unicode"

	"ensomet/internal/edits"

	"github.com/danielgtaylor/huma/v2"
)

// Conflict is the answer to a save that began with an older revision of a thing: problem details (RFC 9457) with who
// changed it, when, and what, field by field.
type Conflict struct {
	huma.ErrorModel
	Thing    string   `json:"thing" doc:"its number or code; one of a kind has none"`
	Revision int64    `json:"revision" doc:"of the thing as it is now: a save that names it is taken"`
	Who      string   `json:"who"`
	At       int64    `json:"at"`
	Changed  []Change `json:"changed"`
}

// Change is a field that somebody else changed.
type Change struct {
	Field string          `json:"field"`
	Was   json.RawMessage `json:"was"`
	Is    json.RawMessage `json:"is"`
}

func conflict(c *edits.Conflict) *Conflict {
	out := &Conflict{
		ErrorModel: huma.ErrorModel{
			Status: http.StatusConflict,
			Title:  http.StatusText(http.StatusConflict),
			Detail: c.Who + " changed this on " + time.Unix(c.At, 0).UTC().Format("2006-01-02 15:04") +
				" UTC, while you did. What you typed is still here: look at both, and save again what is to hold.",
		},
		Thing:    c.Key,
		Revision: c.Revision,
		Who:      c.Who,
		At:       c.At,
		Changed:  []Change{},
	}
	for _, d := range c.Changed {
		out.Changed = append(out.Changed, Change{fieldName(d.Field), orNull(d.Was), orNull(d.Is)})
	}
	return out
}

func orNull(v json.RawMessage) json.RawMessage {
	if v == nil {
		return json.RawMessage("null")
	}
	return v
}

// fieldName is what a field is called in JSON: as in Go, with small letters in front. What is no name of a Go field,
// such as the column of a table, stays.
func fieldName(name string) string {
	r := []rune(name)
	n := 0
	for n < len(r) && unicode.IsUpper(r[n]) {
		n++
	}
	if n > 1 && n < len(r) {
		n-- // the last capital begins the next word
	}
	return strings.ToLower(string(r[:n])) + string(r[n:])
}
