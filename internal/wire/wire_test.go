package wire

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, ToCondition)
	resttest.Translates(t, FromCondition)
	resttest.Translates(t, ToDeviceRow)
	resttest.Translates(t, ToPositionChange)
	resttest.Translates(t, ToNameRow)
	resttest.Translates(t, ToPositionRow)
	resttest.Translates(t, ToCaseRow)
	resttest.Translates(t, ToMeasure)
	resttest.Translates(t, FromMeasure)
	resttest.Translates(t, ToRemark)
}
