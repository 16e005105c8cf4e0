package program

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/position"
	"ensomet/internal/titles"
)

// What comes with the place that it runs in, by column, by scan or by rule, makes no demand and says why; machines are
// split by own right and included, and days before keep what was so then.
func TestARightThatComesWithThePlace(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency",
		"Ostwick,Skerrymap,commercial,100,EUR")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"E,Ostwick,Skerrymap,device,2")
	take(
		t,
		prog,
		formats.Devices,
		"device_id,kind,hosting,site",
		"D1,client,,Brenn",
		"D2,client,,",
		"C1,server,north cloud,",
		"C2,server,north cloud,",
		"C3,server,north cloud,",
	)
	const header = "device_id,name,version,source,seen_at,install_path,licence"
	at := clock.now.AddDate(0, 0, -10).Format(time.RFC3339)
	res := take(
		t,
		prog,
		formats.Installs,
		header,
		"D1,Skerrymap,6,scan,"+at+",,",
		"D2,Skerrymap,6,scan,"+at+",,own",
		"C1,Skerrymap,6,scan,"+at+",/opt,included",
		"C2,Skerrymap,6,scan,"+at+",/opt,Included",
		"C3,Skerrymap,6,scan,"+at+",/opt,",
		"C3,Skerrymap,6,scan,"+at+",/srv,included",
		"D2,Skerrymap,6,scan,"+at+",,rented",
	)
	if len(res.Aside) != 1 || !strings.Contains(res.Aside[0].Reason, `licence is "rented"`) {
		t.Errorf("%+v", res.Aside)
	}
	product := mustProduct(t, prog, "Skerrymap")
	is := func(needed int64, excluded []string, split ...position.HostingSplit) {
		t.Helper()
		renew(t, prog)
		p, err := prog.Position.ProductPosition(ctx, product, 0, 0)
		if err != nil || p.Metrics[0].Needed != needed || !slices.Equal(p.Hosting, split) {
			t.Errorf("needed %d, %+v, %v", p.Metrics[0].Needed, p.Hosting, err)
		}
		var said []string
		for _, e := range p.Excluded {
			said = append(said, e.Reason)
		}
		if !slices.Equal(said, excluded) {
			t.Errorf("%q", said)
		}
		if f := figure(t, prog, "Skerrymap"); f.Needed != needed {
			t.Errorf("%d are stored", f.Needed)
		}
	}
	// on C3 one copy of two needs a right
	is(
		3,
		[]string{"covered by the place it runs in"},
		position.HostingSplit{
			Hosting:  "north cloud",
			Own:      1,
			Included: 2,
		},
		position.HostingSplit{Hosting: "own site", Own: 2},
	)
	for _, r := range exported(t, prog, "installs", "") {
		want := [2]string{"true", ""}
		if r["licence"] != "" {
			want = [2]string{"false", "covered by the place it runs in"}
		}
		of := r["device_id"] + r["install_path"]
		with := of == "C1/opt" || of == "C2/opt" || of == "C3/srv"
		if (r["licence"] == "included") != with || [2]string{r["counted"], r["why_not_counted"]} != want {
			t.Errorf("%v", r)
		}
	}
	d, err := prog.Evidence.Device(ctx, "C1")
	if err != nil || !d.Software[0].Included || d.Software[0].WhyNot != "covered by the place it runs in" {
		t.Errorf("%+v, %v", d.Software, err)
	}
	// by rule: what one maker's machines bring
	if _, err := prog.Titles.PutRule(ctx, titles.RuleDraft{
		Name: "the maker's copies", Outcome: "included", Records: asks("name", "like", "Skerry*"),
		Devices: asks("site", "is", "Brenn"), Reason: "their contract of 2025",
	}, "me"); err != nil {
		t.Fatal(err)
	}
	is(2, []string{"covered by the place it runs in", "covered by the place it runs in: their contract of 2025"},
		position.HostingSplit{Hosting: "north cloud", Own: 1, Included: 2},
		position.HostingSplit{Hosting: "own site", Own: 1, Included: 1})
	// a machine that leaves the provider's image behind needs a right from then on, not before
	s := &formats.Scan{
		Format:   formats.ScanFormat,
		At:       clock.now.AddDate(0, 0, -2),
		Device:   formats.ScanDevice{ID: "C1"},
		Installs: []formats.ScanInstall{{Name: "Skerrymap", Version: "6", InstallPath: "/opt", Licence: "own"}},
	}
	if _, err := prog.Evidence.TakeScan(ctx, "scan", "id", s); err != nil {
		t.Fatal(err)
	}
	is(3, []string{"covered by the place it runs in", "covered by the place it runs in: their contract of 2025"},
		position.HostingSplit{Hosting: "north cloud", Own: 2, Included: 1},
		position.HostingSplit{Hosting: "own site", Own: 1, Included: 1})
	p, err := prog.Position.ProductPosition(ctx, product, civil.Of(clock.now.AddDate(0, 0, -4)), 0)
	if err != nil || p.Metrics[0].Needed != 2 {
		t.Errorf("before it did: %+v, %v", p.Metrics, err)
	}
	_, err = formats.ReadScan(
		strings.NewReader(`{"format":"` + formats.ScanFormat + `","at":"2026-06-20T06:00:00Z",` +
			`"device":{"id":"C1"},"installs":[{"name":"Skerrymap","licence":"perhaps"}]}`),
	)
	if err == nil || !strings.Contains(err.Error(), `licence is "perhaps"`) {
		t.Errorf("%v", err)
	}
}

// Who uses it where its right comes with the place needs none of the house's own, and takes none of what may be out at
// one time.
func TestUseWhereTheRightComesWithThePlace(t *testing.T) {
	prog, clock := desk(t)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,licence_model",
		"Ostwick,Skerrymap,commercial",
		"Ostwick,Gauge,commercial",
	)
	take(t, prog, formats.Users, "user_id,name", "u1,One", "u2,Two", "u3,Three")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"E,Ostwick,Skerrymap,named_user,1", "G,Ostwick,Gauge,concurrent,1")
	take(t, prog, formats.Devices, "device_id,kind,primary_user", "D1,client,u1", "C1,server,u2")
	at := clock.now.AddDate(0, 0, -10).Format(time.RFC3339)
	var installs []string
	for _, name := range []string{"Skerrymap", "Gauge"} {
		installs = append(installs, "D1,"+name+",scan,"+at+",", "C1,"+name+",scan,"+at+",included")
	}
	take(t, prog, formats.Installs, append([]string{"device_id,name,source,seen_at,licence"}, installs...)...)
	used := []string{"device_id,user_id,product,started_at,ended_at,active_seconds"}
	for _, x := range []string{"D1,u1", "C1,u2", "C1,u3"} {
		for _, name := range []string{"Skerrymap", "Gauge"} {
			used = append(used, x+","+name+",2026-06-20T08:00:00Z,2026-06-20T10:00:00Z,600")
		}
	}
	if res := take(t, prog, formats.Usage, used...); len(res.Aside) > 0 {
		t.Fatal(res.Aside)
	}
	for _, name := range []string{"Skerrymap", "Gauge"} {
		if f := figure(t, prog, name); f.Needed != 1 || f.Short != 0 {
			t.Errorf("%s: %+v", name, f)
		}
	}
}
