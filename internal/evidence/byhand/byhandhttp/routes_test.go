package byhandhttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, toWord)
	resttest.Translates(t, toWords)
	resttest.Translates(t, fromWordDraft)
	resttest.Translates(t, toWordEffect)
}
