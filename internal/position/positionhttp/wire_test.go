package positionhttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, toCalcStep)
	resttest.Translates(t, toStoredStatement)
	resttest.Translates(t, toProductPosition)
	resttest.Translates(t, toExcluded)
	resttest.Translates(t, toHostingSplit)
	resttest.Translates(t, toMetricPosition)
	resttest.Translates(t, toProofView)
	resttest.Translates(t, toLineView)
	resttest.Translates(t, toGroupView)
	resttest.Translates(t, toDoubtView)
	resttest.Translates(t, toUnitView)
	resttest.Translates(t, toGuestView)
	resttest.Translates(t, toMachineView)
	resttest.Translates(t, toChargeView)
	resttest.Translates(t, toStatementEvidence)
	resttest.Translates(t, toComparedPosition)
	resttest.Translates(t, toStatementView)
	resttest.Translates(t, toStatementUnit)
	resttest.Translates(t, toCheckedStatement)
	resttest.Translates(t, toNamesMoved)
	resttest.Translates(t, toCauseStep)
	resttest.Translates(t, toStepRef)
	resttest.Translates(t, toStepLine)
	resttest.Translates(t, toProductSteps)
	resttest.Translates(t, toMetricStep)
	resttest.Translates(t, toMovedPosition)
	resttest.Translates(t, toCauseSum)
	resttest.Translates(t, toAllSteps)
	resttest.Translates(t, toPartView)
	resttest.Translates(t, toTransferView)
	resttest.Translates(t, toPartsOfMetric)
	resttest.Translates(t, toProofRun)
	resttest.Translates(t, toTriedPosition)
	resttest.Translates(t, toTriedMeasure)
	resttest.Translates(t, toTried)
	resttest.Translates(t, toWayOut)
	resttest.Translates(t, toFigures)
}
