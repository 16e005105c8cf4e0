package program

import (
	"context"
	"testing"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
)

const poolHeader = "pool,event,session,user_id,device_id,at,licences"

// What a licence server reported makes the demand: the busiest moment of the window, a lost return lasts, an older
// day falls out of the window.
func TestConcurrentUseFromALicenceServer(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity",
		"C,Ostwick,Skerrymap,concurrent,2",
	)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z")
	if f := figure(t, prog, "Skerrymap"); f.Counted || f.Owned != 2 || f.Short != 0 {
		t.Errorf("use that nobody measured: %+v", f)
	}
	take(t, prog, formats.Pools, "pool,publisher,product,server,quantity", "p,Ostwick,Skerrymap,lic-1,5")
	if f := figure(t, prog, "Skerrymap"); !f.Counted || f.Needed != 0 {
		t.Errorf("a server that gave nothing out: %+v", f)
	}
	take(t, prog, formats.PoolEvents, poolHeader,
		"p,checkout,a,u1,D1,2026-06-10T10:00:00Z,1", "p,return,a,u1,D1,2026-06-10T12:00:00Z,1",
		"p,checkout,b,u2,D2,2026-06-10T11:00:00Z,1", "p,return,b,u2,D2,2026-06-10T11:30:00Z,1",
		// begins as another ends
		"p,checkout,c,u3,D9,2026-06-10T11:30:00Z,1", "p,return,c,u3,D9,2026-06-10T13:00:00Z,1",
		"p,checkout,old,u1,D1,2026-05-01T10:00:00Z,9", "p,return,old,u1,D1,2026-05-01T12:00:00Z,9",
		// before the window
		"p,denial,,u4,,2026-06-10T11:15:00Z,1")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 2 || f.Short != 0 {
		t.Errorf("two at once: %+v", f)
	}
	res := take(
		t,
		prog,
		formats.PoolEvents,
		poolHeader,
		"p,checkout,lost,u3,D3,2026-06-09T10:00:00Z,1",
		"p,checkout,lost,u3,D3,2026-06-09T10:00:00Z,1",
	)
	if res.Added != 1 || res.Same != 1 {
		t.Errorf("the same event twice: %+v", res)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 3 || f.Short != 1 {
		t.Errorf("a checkout that nothing ended is out still: %+v", f)
	}
	id := mustProduct(t, prog, "Skerrymap")
	p, err := prog.Position.ProductPosition(ctx, id, civil.MustParse("2026-05-02"), 0)
	if err != nil || p.Metrics[0].Needed != 9 {
		t.Errorf("on a day of the old window: %+v, %v", p.Metrics, err)
	}
	units, err := prog.Position.Units(ctx, id, "", 0, 0, 0)
	if err != nil || len(units) != 3 || units[0].To == 0 {
		t.Errorf("%+v, %v", units, err)
	}
}

// The order of metrics is the product's own where somebody set it.
func TestTheOrderOfMetrics(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity",
		"U,Ostwick,Skerrymap,named_user,1",
		"D,Ostwick,Skerrymap,device,1",
	)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
	)
	id := mustProduct(t, prog, "Skerrymap")
	last := func() string {
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		p, err := prog.Position.ProductPosition(ctx, id, 0, 0)
		if err != nil || len(p.Metrics) != 2 {
			t.Fatalf("%+v, %v", p, err)
		}
		for _, m := range p.Metrics {
			if m.Short > 0 || m.Needed != 1 {
				t.Errorf("%+v", m)
			}
		}
		return p.Metrics[1].Metric
	}
	if got := last(); got != "device" {
		t.Errorf("by itself %s comes last", got)
	}
	if err := prog.Position.SetMetricOrder(ctx, id, 0, []string{"device", "named_user"}, "test"); err != nil {
		t.Fatal(err)
	}
	if got := last(); got != "named_user" {
		t.Errorf("as set, %s comes last", got)
	}
	if err := prog.Position.SetMetricOrder(ctx, id, 1, []string{"moon"}, "test"); err == nil {
		t.Error("the moon is a metric")
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Errorf("%v, %v", wrong, err)
	}
}

// A machine that moved to another host within the window counts on both; the past shows where it stood then.
func TestAMachineThatMoved(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,list_price,currency,default_metric",
		"Harrow,Queue,290,EUR,core",
	)
	header := "device_id,kind,cores,virtual_cores,host_id,org_unit"
	clock.now = clock.now.AddDate(0, 0, -20)
	take(t, prog, formats.Devices, header, "H1,vm_host,16,,,Hall", "H2,vm_host,16,,,Hall",
		"V1,virtual_machine,,4,H1,Hall")
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,capacity",
		"Q,Harrow,Queue,core,4,sub",
	)
	take(t, prog, formats.Installs, installHeader, "V1,Harrow,Queue,1,,,2026-06-09T10:00:00Z")
	if f := figure(t, prog, "Queue"); f.Needed != 4 || f.Short != 0 {
		t.Errorf("before it moves: %+v", f)
	}
	clock.now = clock.now.AddDate(0, 0, 15)
	take(t, prog, formats.Devices, header, "V1,virtual_machine,,4,H2,Hall")
	take(t, prog, formats.Installs, installHeader, "V1,Harrow,Queue,1,,,2026-06-24T10:00:00Z")
	if f := figure(t, prog, "Queue"); f.Needed != 8 || f.Short != 4 {
		t.Errorf("seen on two hosts: %+v", f)
	}
	p, err := prog.Position.ProductPosition(ctx, mustProduct(t, prog, "Queue"), civil.MustParse("2026-06-20"), 0)
	if err != nil || p.Metrics[0].Needed != 4 {
		t.Errorf("on a day before it moved: %+v, %v", p.Metrics, err)
	}
	clock.now = clock.now.AddDate(0, 0, 40)
	take(t, prog, formats.Installs, installHeader, "V1,Harrow,Queue,1,,,2026-08-03T10:00:00Z")
	if f := figure(t, prog, "Queue"); f.Needed != 4 {
		t.Errorf("once the window has passed: %+v", f)
	}
}

// A machine that was given more cores counts with what it had on the day asked about; before its first report it
// counts with what was known first.
func TestCoresOfAPastDay(t *testing.T) {
	prog, _ := desk(t)
	ctx := context.Background()
	base(t, prog)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,purchased",
		"E1,Ostwick,Skerrymap,core,8,perpetual,2025-01-01",
	)
	for month, cores := range map[time.Month]int64{5: 8, 6: 12} {
		s := scanOf("S1", "hall-1", time.Date(2026, month, 2, 6, 0, 0, 0, time.UTC), "Skerrymap 6.0")
		s.Device.Cores, s.Device.Processors, s.Device.Kind, s.Installs[0].Publisher = cores, 1, "server", "Ostwick"
		if _, err := prog.Evidence.TakeScan(ctx, "agent", "device_id", s); err != nil {
			t.Fatal(err)
		}
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	product := mustProduct(t, prog, "Skerrymap")
	for day, want := range map[string]int64{"2026-05-20": 8, "2026-06-01": 8, "2026-06-02": 12, "2026-06-30": 12} {
		p, err := prog.Position.ProductPosition(ctx, product, civil.MustParse(day), 0)
		if err != nil {
			t.Fatal(err)
		}
		if got := p.Metrics[0].Needed; got != want {
			t.Errorf("on %s %d cores are needed, want %d", day, got, want)
		}
	}
}
