package entitlementshttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

// What is sent and taken is what the service says and asks, each value under its own name.
func TestTranslations(t *testing.T) {
	resttest.Translates(t, toRenewal)
	resttest.Translates(t, toLineChange)
	resttest.Translates(t, toLineNote)
	resttest.Translates(t, toProof)
	resttest.Translates(t, toKeptKey)
	resttest.Translates(t, toContract)
	resttest.Translates(t, fromContract)
	resttest.Translates(t, toSeatRow)
	resttest.Translates(t, toWaitRow)
	resttest.Translates(t, toStarterSet)
	resttest.Translates(t, fromStarterSet)
	resttest.Translates(t, toHeld)
	resttest.Translates(t, toHeldDevice)
	resttest.Translates(t, toStarted)
	resttest.Translates(t, toStarterLacks)
	resttest.Translates(t, toLineCheck)
	resttest.Translates(t, fromLineEdit)
	resttest.Translates(t, toLineDetail)
	resttest.Translates(t, toLineDay)
	resttest.Translates(t, toLineTransaction)
	resttest.Translates(t, fromTransactionDraft)
	resttest.Translates(t, toTradeEffect)
	resttest.Translates(t, toFreeSeats)
	resttest.Translates(t, fromSeatDraft)
	resttest.Translates(t, toHandedBack)
	resttest.Translates(t, toSeatGift)
	resttest.Translates(t, toSpendRow)
	resttest.Translates(t, toSpend)
	resttest.Translates(t, toUnconverted)
	resttest.Translates(t, toUseSpend)
	resttest.Translates(t, toSpendByUse)
	resttest.Translates(t, toContractView)
	resttest.Translates(t, toEntitlementRow)
	resttest.Translates(t, toKeyRow)
}
