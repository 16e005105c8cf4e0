package usehttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, toMeteringEffect)
	resttest.Translates(t, fromMeteringDraft)
	resttest.Translates(t, toMeteringView)
	resttest.Translates(t, toMetered)
	resttest.Translates(t, toPoolSizing)
	resttest.Translates(t, toPoolSizeView)
	resttest.Translates(t, toPoolDayView)
	resttest.Translates(t, toPoolHour)
	resttest.Translates(t, toPoolShare)
	resttest.Translates(t, toPoolOut)
	resttest.Translates(t, toPoolView)
	resttest.Translates(t, toPoolLost)
	resttest.Translates(t, toUseKept)
	resttest.Translates(t, fromUseKept)
	resttest.Translates(t, toUseRow)
	resttest.Translates(t, toPoolRow)
	resttest.Translates(t, toPoolComplaint)
	resttest.Translates(t, toPoolSize)
	resttest.Translates(t, toPoolWatch)
	resttest.Translates(t, toUseMonth)
	resttest.Translates(t, toUserOfTitle)
	resttest.Translates(t, toUseView)
}
