package placeshttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, fromPlaceDraft)
	resttest.Translates(t, toPlaceDraft)
	resttest.Translates(t, toPlaceFile)
	resttest.Translates(t, toPlaceView)
}
