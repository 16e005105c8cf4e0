package program

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist"
)

const systemTitles = "publisher,product,edition,edition_rank,version,licence_model,list_price,currency,category"

// runs is a scan of a device that runs an operating system and nothing else.
func runs(device, name, version string, at time.Time) *formats.Scan {
	return &formats.Scan{
		Format: formats.ScanFormat,
		At:     at,
		Device: formats.ScanDevice{ID: device, Name: device, OSName: name, OSVersion: version},
	}
}

// What devices run on is recognised, counted and short like anything that is installed, whether a list says so or a
// scan; a machine that is set up anew has one operating system, and yesterday's is history.
func TestAnOperatingSystemIsCounted(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(t, prog, formats.Titles, systemTitles, "Skarvlaget,Skarv Terminal,,,5,commercial,90,EUR,operating system",
		"Vardelaget,Varde Desktop,,,11,open_source,,,operating system")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"E,Skarvlaget,Skarv Terminal,device,2")
	take(
		t,
		prog,
		formats.Devices,
		"device_id,kind,os_name,os_version",
		"D1,client,Skarv Terminal,5.1",
		"D2,client,Skarv Terminal,5.1",
		"D3,client,Skarv Terminal,5.1",
		"D4,client,Varde Desktop,11.2",
		"D5,client,,",
	)
	renew(t, prog)
	if f := figure(t, prog, "Skarv Terminal"); f.Needed != 3 || f.Owned != 2 || f.Short != 1 {
		t.Errorf("three machines run it: %+v", f)
	}
	units, err := prog.Position.Units(ctx, mustProduct(t, prog, "Skarv Terminal"), "", 0, 0, 0)
	if err != nil || len(units) != 3 || units[0].LastSeen != 0 || len(units[0].Records) != 1 {
		t.Fatalf("%+v, %v: a list is no scan, and each unit has its record", units, err)
	}
	sees := func(s *formats.Scan) {
		t.Helper()
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
		renew(t, prog)
	}
	day := func(n int) time.Time { return clock.now.AddDate(0, 0, n) }
	clock.now = day(10)
	sees(runs("D1", "Skarv Terminal", "5.1", day(-5)))
	if f := figure(t, prog, "Skarv Terminal"); f.Needed != 3 {
		t.Errorf("a scan that says the same: %+v", f)
	}
	sees(runs("D1", "Varde Desktop", "11.4", day(-1)))
	if f := figure(t, prog, "Skarv Terminal"); f.Needed != 2 || f.Short != 0 {
		t.Errorf("one was set up anew: %+v", f)
	}
	before, err := prog.Position.ProductPosition(ctx, mustProduct(t, prog, "Skarv Terminal"), civil.Of(day(-3)), 0)
	if err != nil || before.Metrics[0].Needed != 3 {
		t.Errorf("before that: %+v, %v", before.Metrics, err)
	}
	// a list that is older knows no better, and one that names another system on a machine that nobody scans does
	take(t, prog, formats.Devices, "device_id,kind,os_name,os_version", "D1,client,Skarv Terminal,5.1",
		"D2,client,Varde Desktop,11.2")
	renew(t, prog)
	if f := figure(t, prog, "Skarv Terminal"); f.Needed != 1 {
		t.Errorf("as lists say now: %+v", f)
	}
	var list []evidencedb.InstallRow
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		d, err := lists.DeviceByCode(tx, "D1")
		if err == nil {
			list, err = evidencedb.DeviceInstalls(tx, d.ID)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, i := range list {
		said = append(said, fmt.Sprintf("%s %s, %s, there %t", i.Name, i.Version, i.Source, i.Until == 0))
	}
	if want := []string{"Varde Desktop 11.4, collector, operating system, there true",
		"Skarv Terminal 5.1, device lists, operating system, there false",
		"Skarv Terminal 5.1, collector, operating system, there false"}; !slices.Equal(said, want) {
		t.Errorf("%q", said)
	}
}

// Nobody takes the operating system off a machine by an order, though a restriction of it is a case like any other.
func TestNoOrderTakesAnOperatingSystemOff(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 1)
	take(t, prog, formats.Titles, systemTitles, "Skarvlaget,Skarv Terminal,,,5,commercial,90,EUR,operating system")
	take(t, prog, formats.Devices, "device_id,kind,os_name,os_version", "T1,client,Skarv Terminal,5.1")
	take(
		t,
		prog,
		formats.Policies,
		"publisher,product,stance,reason",
		"Skarvlaget,Skarv Terminal,restricted,out of use",
	)
	renew(t, prog)
	var it casework.Case
	for _, c := range casesOf(t, prog) {
		if c.Product == mustProduct(t, prog, "Skarv Terminal") && c.Kind.Removes() {
			it = c
		}
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{it.ID}, Act: casework.Agree})
	_, err := prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: []int64{it.ID}, Act: casework.Send}, "w")
	pass(t, prog, clock, day24)
	if err == nil || !strings.Contains(err.Error(), "no order takes an operating system off") || len(d.taken) > 0 {
		t.Errorf("%v, %v", err, d.taken)
	}
	if _, err := prog.Evidence.TakeScan(ctx, "collector", "id",
		runs("T1", "Varde Desktop", "11", clock.now.Add(-time.Hour))); err != nil {
		t.Fatal(err)
	}
	renew(t, prog)
	for _, c := range casesOf(t, prog) {
		if c.ID == it.ID && !c.State.Ended() {
			t.Errorf("a machine that was set up anew: %+v", c)
		}
	}
}

// Two sources may say of different operating systems and in any order what they saw; lists come before or after.
func TestSystemsInAnyOrderEndTheSame(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(8) {
		r := rand.New(rand.NewPCG(seed, 22))
		type said struct {
			source string
			scan   *formats.Scan
		}
		var all []said
		for range 7 {
			s := runs("D1", []string{"", "Varde", "Lyng"}[r.IntN(3)], fmt.Sprint(1+r.IntN(2)),
				morning.Add(time.Duration(r.IntN(200))*time.Hour))
			s.Device.Cores = 4
			all = append(all, said{[]string{"collector", "inventory"}[r.IntN(2)], s})
		}
		lists := r.IntN(2) == 0
		run := func() (string, string) {
			prog, clock := desk(t)
			clock.now = morning.AddDate(0, 1, 0)
			if lists {
				take(t, prog, formats.Devices, "device_id,name,kind,os_name", "D1,D1,client,Skarv")
			}
			for _, s := range all {
				if _, err := prog.Evidence.TakeScan(ctx, s.source, "id", s.scan); err != nil {
					t.Fatal(err)
				}
			}
			got := state(t, prog)
			// what an older file has not, it gets
			if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
				for _, text := range []string{
					"DELETE FROM install WHERE source_id IN (SELECT id FROM source WHERE part = '#os')",
					"INSERT INTO system_due SELECT id FROM device",
				} {
					if _, err := tx.Exec(text); err != nil {
						return err
					}
				}
				return nil
			}); err != nil {
				t.Fatal(err)
			}
			if err := evidence.KeepOlderSystems(ctx, prog.DB); err != nil {
				t.Fatal(err)
			}
			return got, state(t, prog)
		}
		want, older := run()
		if want != older {
			t.Fatalf("seed %d: an older file comes to\n%s\n\ninstead of\n%s", seed, older, want)
		}
		for range 3 {
			r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
			if got, _ := run(); got != want {
				t.Fatalf("seed %d: in another order\n%s\n\ninstead of\n%s", seed, got, want)
			}
		}
	}
}
