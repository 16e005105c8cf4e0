package worklisthttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, toMail)
	resttest.Translates(t, toScenario)
	resttest.Translates(t, fromScenario)
	resttest.Translates(t, toScenarioDone)
	resttest.Translates(t, toCaseRules)
	resttest.Translates(t, fromCaseRules)
	resttest.Translates(t, fromCaseAction)
	resttest.Translates(t, toCaseDone)
	resttest.Translates(t, fromWaveSettings)
	resttest.Translates(t, toWaveView)
	resttest.Translates(t, toPolicyList)
	resttest.Translates(t, toPolicyView)
	resttest.Translates(t, fromPolicyDraft)
	resttest.Translates(t, toPolicyEffect)
	resttest.Translates(t, fromReclaimDraft)
	resttest.Translates(t, toReclaimView)
	resttest.Translates(t, toReclaimEffect)
	resttest.Translates(t, toReclaimMoney)
	resttest.Translates(t, toReclaimDifferent)
	resttest.Translates(t, toLedgerSum)
	resttest.Translates(t, toLedger)
	resttest.Translates(t, toCaseCount)
	resttest.Translates(t, toStanceView)
	resttest.Translates(t, toCaseView)
	resttest.Translates(t, toStepView)
	resttest.Translates(t, toRequestView)
	resttest.Translates(t, toRequestLine)
	resttest.Translates(t, fromWanted)
	resttest.Translates(t, toWave)
	resttest.Translates(t, toWaveSofar)
	resttest.Translates(t, toCaseGroup)
	resttest.Translates(t, toSavingRow)
	resttest.Translates(t, toStandingDraft)
	resttest.Translates(t, fromStandingDraft)
	resttest.Translates(t, toStandingView)
	resttest.Translates(t, toStandingGround)
	resttest.Translates(t, toStandingList)
	resttest.Translates(t, toStandingEffect)
}
