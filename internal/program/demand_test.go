package program

import (
	"context"
	"fmt"
	"testing"

	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// figuresOf says all positions of a product, as they are stored: by metric, owned, needed and short, and the exposure.
func figuresOf(t *testing.T, prog *Program, product string) []string {
	t.Helper()
	ctx := context.Background()
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	id := mustProduct(t, prog, product)
	out := []string{}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := snapshot.StoredFigures(tx)
		for _, f := range list {
			if f.Product == id {
				out = append(out, fmt.Sprint(f.Metric, " ", f.Owned, " ", f.Needed, " ", f.Short, " ", f.Exposure))
			}
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// What a licence server gives out, and what people use, is demand without an install; what nobody owns is worth its
// list price. What is free, or there under a suite, asks for nothing.
func TestDemandWithoutInstalls(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog) // Skerrymap 100, Suite 500 with Part 50
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency,default_metric",
		"Brack,Notes,commercial,40,EUR,", "Brack,Gadget,free,,,", "Brack,Sheet,commercial,70,EUR,concurrent")
	is := func(product string, want ...string) {
		t.Helper()
		if got := figuresOf(t, prog, product); fmt.Sprint(got) != fmt.Sprint(want) {
			t.Errorf("%s: %q, want %q", product, got, want)
		}
	}
	is("Notes")
	const header = "device_id,user_id,product,started_at,ended_at"
	take(t, prog, formats.Usage, header,
		"D1,u1,Notes,2026-06-20T10:00:00Z,2026-06-20T11:00:00Z",
		"D2,u2,Notes,2026-06-20T10:00:00Z,2026-06-20T11:00:00Z",
		"D3,u2,Notes,2026-06-21T10:00:00Z,2026-06-21T11:00:00Z",
		"D1,u1,Gadget,2026-06-21T10:00:00Z,2026-06-21T11:00:00Z",
		"D1,u1,Sheet,2026-06-20T10:00:00Z,2026-06-20T11:00:00Z",
		"D2,u2,Sheet,2026-06-20T10:30:00Z,2026-06-20T11:30:00Z",
		"D1,u1,Part,2026-06-21T10:00:00Z,2026-06-21T11:00:00Z")
	is("Notes", "named_user 0 2 2 80")
	is("Gadget")
	is("Sheet", "concurrent 0 2 2 140")
	is("Part", "named_user 0 1 1 50")
	// under the suite it asks for nothing; installed somewhere, its installs are what counts
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Suite,1,,,2026-06-22T08:00:00Z",
		"D1,Ostwick,Part,1,,,2026-06-22T08:00:00Z", "D3,Brack,Notes,1,,,2026-06-22T08:00:00Z")
	is("Part")
	is("Notes", "device 0 1 1 40")
	// a licence server that nobody booked a right for
	take(t, prog, formats.Pools, "pool,publisher,product,server,quantity", "p,Ostwick,Skerrymap,lic-1,5")
	is("Skerrymap")
	take(t, prog, formats.PoolEvents, "pool,event,session,user_id,device_id,at,licences",
		"p,checkout,a,u1,D1,2026-06-10T10:00:00Z,1", "p,return,a,u1,D1,2026-06-10T12:00:00Z,1",
		"p,checkout,b,u2,elsewhere,2026-06-10T11:00:00Z,2", "p,return,b,u2,elsewhere,2026-06-10T11:30:00Z,2")
	is("Skerrymap", "concurrent 0 3 3 300")
	// beside an install that a right by device covers, what was given out elsewhere is short by itself
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Suite,1,,,2026-06-23T08:00:00Z",
		"D1,Ostwick,Skerrymap,6,,,2026-06-23T08:00:00Z")
	is("Skerrymap", "concurrent 0 2 2 200", "device 0 1 1 100")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"K-1,Ostwick,Skerrymap,device,1")
	is("Skerrymap", "concurrent 0 2 2 200", "device 1 1 0 0")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"K-2,Ostwick,Skerrymap,concurrent,2")
	is("Skerrymap", "concurrent 2 2 0 0", "device 1 1 0 0")
}
