package reclaim

import (
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/usage"

	"github.com/shopspring/decimal"
)

var day = civil.MustParse("2026-06-30")

func TestPropose(t *testing.T) {
	idle := usage.Finding{Class: usage.Unused}
	old := day - 200
	for _, c := range []struct {
		in  Install
		why string
	}{
		{Install{InstalledOn: old, Use: idle}, ""},
		{Install{InstalledOn: old, Use: usage.Finding{Class: usage.NeverUsed}}, ""},
		{Install{InstalledOn: old, Use: usage.Finding{Class: usage.Light}}, "light"},
		{Install{InstalledOn: old, Use: usage.Finding{Class: usage.NotMeasured}}, "not measured"},
		{Install{InstalledOn: day - 30, Use: idle}, "installed within the grace"},
		{Install{InstalledOn: day - 31, Use: idle}, ""},
		{Install{Use: idle}, "installed within the grace"},
		{Install{InstalledOn: old, Use: idle, Stance: policy.Required}, "required by policy"},
		{Install{InstalledOn: old, Use: idle, SuiteUsed: true}, "part of a suite that is used"},
		{Install{InstalledOn: old, Use: idle, Excepted: true}, "excepted"},
	} {
		if ok, why := Propose(c.in, Rule{GraceDays: 30}, day); why != c.why || ok != (c.why == "") {
			t.Errorf("%+v: %v %q, want %q", c.in, ok, why, c.why)
		}
	}
}

func TestValue(t *testing.T) {
	price := decimal.NewNullDecimal(decimal.RequireFromString("180.50"))
	sub := &entitle.Line{
		Kind:      entitle.Subscription,
		End:       day + 90,
		UnitPrice: decimal.NewNullDecimal(decimal.RequireFromString("60")),
	}
	ended := &entitle.Line{Kind: entitle.Subscription, End: day - 1, UnitPrice: sub.UnitPrice}
	bought := &entitle.Line{Kind: entitle.Perpetual, UnitPrice: price}
	for i, c := range []struct {
		avoids decimal.Decimal
		line   *entitle.Line
		worth  Worth
		amount string
		on     civil.Day
	}{
		{price.Decimal, sub, PurchaseAvoided, "180.5", day}, {decimal.Zero, sub, AtRenewal, "60", day + 90},
		{decimal.Zero, ended, Reuse, "0", 0},
		{decimal.Zero, bought, Reuse, "0", 0}, {decimal.Zero, nil, Reuse, "0", 0},
	} {
		if w, amount, on := Value(c.avoids, c.line, day); w != c.worth || amount.String() != c.amount ||
			on != c.on {
			t.Errorf("case %d: %s %s %s", i, w, amount, on)
		}
	}
}
