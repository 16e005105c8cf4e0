package program

import (
	"context"
	"fmt"
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
)

// What a contract costs is what recurs, in the currency of the house: not what was bought for ever, and no sum of
// metrics. Maintenance says what renewing it costs, who runs releases that came out under it, and what is to come.
func TestWhatEndsAndWhatItCosts(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Rates, "currency,on,per_eur", "NOK,2026-01-01,10")
	take(t, prog, formats.Titles, "publisher,product,version,licence_model,list_price,currency,released",
		"Ostwick,Skerrymap,7,commercial,100,EUR,2026-02-01", "Ostwick,Skerrymap,8,commercial,100,EUR,2027-02-01")
	frame := entitlementsdb.Contract{Code: "K", Publisher: "Ostwick", Name: "Frame", End: civil.MustParse("2026-12-31")}
	if err := prog.Entitlements.PutContract(ctx, frame, "me"); err != nil {
		t.Fatal(err)
	}
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,version,metric,quantity,kind,start,end,maintenance_end,unit_price,currency,"+
			"contract,purchased",
		"S,Ostwick,Suite,,device,10,subscription,2026-01-01,2026-12-31,,120,NOK,K,2026-01-01",
		"P,Ostwick,Skerrymap,6,device,5,perpetual,2025-01-01,,2026-12-31,100,EUR,K,2025-01-01",
		"M,Ostwick,Part,,device,4,maintenance,2026-01-01,2026-12-31,,20,EUR,K,2026-01-01")
	take(t, prog, formats.Transactions, "entitlement_id,type,on,quantity,end,price,currency",
		"P,renew,2026-01-01,5,2026-12-31,15,EUR")
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,7,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z")
	renew(t, prog)
	list, err := prog.Entitlements.Renewals(ctx, 0, 400)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]string{}
	for _, r := range list {
		got[r.What+" "+r.Line] = fmt.Sprint(r.Keep, " ", r.Currency, " ", r.KeepHouse, ", rests ", r.Rests, r.Releases,
			r.Coming, " ", r.Advice, " ", r.Quantity)
	}
	for what, want := range map[string]string{
		"right S":       "1200 NOK 120, rests 0 [] [] let go 10",
		"maintenance P": "75 EUR 75, rests 1 [7] [8 on 2027-02-01] keep 5",
		"maintenance M": "80 EUR 80, rests 0 [] [] let go 4",
		"contract ":     "275 EUR 275, rests 0 [] []  0",
	} {
		if got[what] != want {
			t.Errorf("%s: %q, not %q", what, got[what], want)
		}
	}
	contracts, err := prog.Entitlements.Contracts(ctx)
	if err != nil || len(contracts) != 1 || contracts[0].Value != "275" || contracts[0].Once != "500" {
		t.Errorf("%+v, %v", contracts, err)
	}
}
