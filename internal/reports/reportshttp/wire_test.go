package reportshttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, toRefreshStatus)
	resttest.Translates(t, toOverview)
	resttest.Translates(t, toImportView)
	resttest.Translates(t, toCounts)
	resttest.Translates(t, toMoneyRow)
	resttest.Translates(t, toHit)
	resttest.Translates(t, toSplitRow)
	resttest.Translates(t, toSplit)
}
