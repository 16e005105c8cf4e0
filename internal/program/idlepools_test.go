package program

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
)

// A pool of which nobody ever had more than a part out is proposed with what can be given back, worth its lines at
// their renewal; one that is busy, one that has hardly reported, and one that reported nothing say nothing. Once the
// pool has fewer licences, the case is done; a pool whose server was lost says so in its list.
func TestIdleAndUnhealthyPools(t *testing.T) {
	ctx := context.Background()
	prog, clock := meterDesk(t)
	clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
	pools := []string{"pool,publisher,product,server,quantity,expires"}
	for _, name := range []string{"idle", "busy", "young", "silent", "lost"} {
		pools = append(pools, fmt.Sprintf("%s,Dunlaw,Gauge,lic-%s,20,2027-06-30", name, name))
	}
	take(t, prog, formats.Pools, pools...)
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,start,end,unit_price,currency",
		"P-1,Dunlaw,Gauge,concurrent,100,subscription,2025-10-01,2026-09-30,120,EUR")
	events := []string{"pool,event,session,user_id,device_id,at,licences"}
	for name, days := range map[string][2]int{"idle": {29, 4}, "busy": {29, 19}, "young": {3, 4}, "lost": {29, 19}} {
		for d := range days[0] {
			for n := range days[1] {
				at := time.Date(2026, 6, 1+d, 9, n, 0, 0, time.UTC)
				events = append(events,
					fmt.Sprintf("%s,checkout,%s-%d-%d,u%d,D1,%s,1", name, name, d, n, n, at.Format(time.RFC3339)),
					fmt.Sprintf("%s,return,%s-%d-%d,u%d,D1,%s,", name, name, d, n, n,
						at.Add(2*time.Hour).Format(time.RFC3339)))
			}
		}
	}
	take(t, prog, formats.PoolEvents, append(events, "lost,lost,,,,2026-06-30T12:00:00Z,")...)
	renew(t, prog)
	alerts, proposed := map[string]string{}, map[string]int64{}
	read := func() {
		t.Helper()
		clear(proposed)
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			list, err := usedb.PoolList(prog.Snapshots.Today()).Page(tx, sqlite.ListQuery{})
			if err != nil {
				return err
			}
			for _, p := range list.Rows {
				alerts[p.Code] = p.Alert
			}
			cases, err := lists.CaseList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"kind": "pool"}})
			for _, c := range cases.Rows {
				if c.State != string(casework.Gone) {
					proposed[c.Pool] = c.Quantity
				}
				if c.Worth != "at renewal" || !strings.HasSuffix(c.Amount, "0") || c.Currency != "EUR" {
					t.Errorf("%+v", c)
				}
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
	}
	read()
	if len(proposed) != 1 || proposed["idle"] == 0 || proposed["idle"] > 16 {
		t.Errorf("proposed: %v", proposed)
	}
	if alerts["lost"] != "lost" || alerts["busy"] == "lost" {
		t.Errorf("alerts: %v", alerts)
	}
	clock.now = clock.now.Add(time.Hour)
	pools[1] = strings.Replace(pools[1], ",20,", ",4,", 1)
	take(t, prog, formats.Pools, pools...)
	renew(t, prog)
	read()
	if len(proposed) != 0 {
		t.Errorf("what was given back is still proposed: %v", proposed)
	}
}

// A pool that denies is a case with the size that would have served, by replay, and what the licences cost that are
// missing; it is not idle at the same time, and ends when nobody was denied for a month, but not by silence.
func TestAPoolThatDeniesIsACase(t *testing.T) {
	prog, clock := meterDesk(t)
	clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,purchased,unit_price,currency",
		"G,Dunlaw,Gauge,concurrent,2,perpetual,2026-01-01,310,EUR")
	take(t, prog, formats.Pools, "pool,publisher,product,server,quantity,expires", "tight,Dunlaw,Gauge,lic-1,2,")
	var lines []string
	for d := 2; d <= 29; d++ { // each day three people want one at the same hours
		for u := 1; u <= 3; u++ {
			if u == 3 {
				lines = append(lines, fmt.Sprintf("tight,denial,,u3,D1,2026-06-%02dT10:05:00Z,1", d))
				continue
			}
			lines = append(lines, fmt.Sprintf("tight,checkout,s%d-%d,u%d,D1,2026-06-%02dT10:00:00Z,1", d, u, u, d),
				fmt.Sprintf("tight,return,s%d-%d,u%d,D1,2026-06-%02dT11:00:00Z,1", d, u, u, d))
		}
	}
	header := "pool,event,session,user_id,device_id,at,licences"
	take(t, prog, formats.PoolEvents, append([]string{header}, lines...)...)
	of := func(kind casework.Kind) (out []lists.CaseRow) {
		t.Helper()
		if err := prog.Pipeline.Refresh(context.Background()); err != nil {
			t.Fatal(err)
		}
		page, err := listed(prog, caseList, sqlite.ListQuery{Filters: map[string]string{"kind": string(kind)}})
		if err != nil {
			t.Fatal(err)
		}
		return page.Rows
	}
	list := of(casework.DeniedPool)
	if len(list) != 1 || list[0].Quantity != 1 || list[0].Amount != "310" || list[0].Currency != "EUR" ||
		list[0].Pool != "tight" {
		t.Fatalf("%+v", list)
	}
	c, err := prog.Worklist.Case(context.Background(), list[0].ID)
	if err != nil || !strings.Contains(strings.Join(c.Proof, " "), "denied 28 times") ||
		!strings.Contains(strings.Join(c.Proof, " "), "3 licences would deny at most one request in a hundred") {
		t.Errorf("%q, %v", c.Proof, err)
	}
	if idle := of(casework.IdlePool); len(idle) != 0 {
		t.Errorf("it denies and is idle: %+v", idle)
	}
	clock.now = clock.now.AddDate(0, 0, 32)
	if list = of(casework.DeniedPool); list[0].State != "lapsed" {
		t.Errorf("a server that tells nothing ends it as %q", list[0].State)
	}
	// it denies again, and then has one more
	day := clock.now.Format("2006-01-02")
	take(t, prog, formats.PoolEvents, header, "tight,checkout,a,u1,D1,"+day+"T10:00:00Z,1",
		"tight,checkout,b,u2,D1,"+day+"T10:00:00Z,1", "tight,denial,,u3,D1,"+day+"T10:05:00Z,1",
		"tight,return,a,u1,D1,"+day+"T11:00:00Z,1", "tight,return,b,u2,D1,"+day+"T11:00:00Z,1")
	if list = of(casework.DeniedPool); list[0].State != "open" || list[0].CameBack != 0 {
		t.Errorf("it denies again: %+v", list[0])
	}
	clock.now = clock.now.AddDate(0, 0, 30)
	day = clock.now.Format("2006-01-02")
	take(t, prog, formats.PoolEvents, header, "tight,checkout,c,u1,D1,"+day+"T10:00:00Z,1",
		"tight,return,c,u1,D1,"+day+"T11:00:00Z,1")
	if list = of(casework.DeniedPool); list[0].State != "gone" {
		t.Errorf("nobody was denied for a month: %+v", list[0])
	}
}
