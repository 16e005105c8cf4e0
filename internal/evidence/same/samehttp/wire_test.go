package samehttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, toNamedAs)
	resttest.Translates(t, toSameSide)
	resttest.Translates(t, toSameSign)
	resttest.Translates(t, toSamePair)
	resttest.Translates(t, toSameList)
	resttest.Translates(t, toSameAct)
	resttest.Translates(t, toDeviceNames)
	resttest.Translates(t, fromSameDraft)
	resttest.Translates(t, toSameEffect)
	resttest.Translates(t, toJoinRules)
	resttest.Translates(t, fromJoinRules)
}
