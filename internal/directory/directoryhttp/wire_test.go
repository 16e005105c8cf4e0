package directoryhttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, toPersonRow)
	resttest.Translates(t, toPersonName)
	resttest.Translates(t, toPersonMachine)
	resttest.Translates(t, toPersonUse)
	resttest.Translates(t, toPersonMove)
	resttest.Translates(t, toAlikeAct)
	resttest.Translates(t, toPerson)
	resttest.Translates(t, fromAccountMark)
	resttest.Translates(t, toAlikeSign)
	resttest.Translates(t, toAlikeSide)
	resttest.Translates(t, toAlikePair)
	resttest.Translates(t, toAlike)
	resttest.Translates(t, fromAlikeDraft)
	resttest.Translates(t, toAlikeEffect)
	resttest.Translates(t, toAlikeRules)
	resttest.Translates(t, fromAlikeRules)
	resttest.Translates(t, fromDirectoryDraft)
	resttest.Translates(t, toDirectoryDraft)
	resttest.Translates(t, toGonePerson)
	resttest.Translates(t, toDirectoryView)
	resttest.Translates(t, toDirectorySample)
	resttest.Translates(t, toDirectoryReading)
}
