package program

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/use"
	"ensomet/internal/used"
	"ensomet/internal/worklist"
)

// dayRows reads every day of use in words.
func dayRows(t *testing.T, prog *Program) map[string]string {
	t.Helper()
	out := map[string]string{}
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		names, err := used.Names(tx)
		if err != nil {
			return err
		}
		name := map[int64]string{}
		for _, n := range names {
			name[n.ID] = n.FileName
		}
		codes, err := stored.CodesOfDevices(tx)
		if err != nil {
			return err
		}
		return used.EachDay(tx, nil, nil, 0, prog.Snapshots.Today()+4000, func(d used.Day) error {
			out[fmt.Sprintf("%s %s %s %s", codes[d.Device], name[d.Name], d.Day,
				d.Person)] = fmt.Sprintf("%d s, %d worked, %d runs", d.Run, d.Active, d.Sessions)
			return nil
		})
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// meterDesk is a desk with two devices in two zones and a title with two programs.
func meterDesk(t *testing.T) (*Program, *movable) {
	t.Helper()
	prog, clock := desk(t)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,aliases,licence_model",
		"Dunlaw,Gauge,gauge.exe|gaugex.exe,commercial",
		"Dunlaw,Other,other.exe,commercial",
	)
	take(
		t,
		prog,
		formats.Devices,
		"device_id,name,kind,site",
		"D1,one.quay.example,client,Quay",
		"D2,two,client,Isle",
	)
	for site, zone := range map[string]string{"Quay": "Europe/Oslo", "Isle": "Atlantic/Reykjavik"} {
		if err := prog.Evidence.SetSiteZone(context.Background(), site, zone); err != nil {
			t.Fatal(err)
		}
	}
	return prog, clock
}

const eventHeader = "device_id,event,at,pid,file_name,user_id,started_at,active_seconds"

// However events come, in whatever parts and order and however often, the days of use are those that all of them at
// once make.
func TestEventsInPartsMakeTheSameDays(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 1))
	for round := range 12 {
		var lines []string
		for d := 1; d <= 2; d++ {
			for day := range 9 {
				morning := time.Date(2026, 6, 21, 5, 0, 0, 0, time.UTC).AddDate(0, 0, day)
				if r.IntN(3) == 0 {
					lines = append(lines, fmt.Sprintf("D%d,boot,%s,,,,,", d, morning.Format(time.RFC3339)))
				}
				for n := range r.IntN(6) {
					start := morning.Add(time.Duration(r.IntN(20*3600)) * time.Second)
					file := []string{"gauge.exe", "gaugex.exe", "other.exe"}[r.IntN(3)]
					pid := 1 + r.IntN(4)
					lines = append(
						lines,
						fmt.Sprintf("D%d,start,%s,%d,%s,u%d,,", d, start.Format(time.RFC3339), pid, file, n%2),
					)
					if r.IntN(5) > 0 {
						stop := start.Add(time.Duration(60+r.IntN(40000)) * time.Second)
						lines = append(
							lines,
							fmt.Sprintf(
								"D%d,stop,%s,%d,%s,u%d,%s,%d",
								d,
								stop.Format(time.RFC3339),
								pid,
								file,
								n%2,
								start.Format(time.RFC3339),
								r.IntN(3000),
							),
						)
					}
				}
			}
		}
		whole, clock := meterDesk(t)
		clock.now = time.Date(2026, 7, 1, 8, 0, 0, 0, time.UTC)
		take(t, whole, formats.ProcessEvents, append([]string{eventHeader}, lines...)...)
		want := dayRows(t, whole)
		parts, clock := meterDesk(t)
		r.Shuffle(len(lines), func(i, j int) { lines[i], lines[j] = lines[j], lines[i] })
		for len(lines) > 0 {
			n := min(len(lines), 1+r.IntN(8))
			clock.now = time.Date(2026, 7, 1, 8, 0, 0, 0, time.UTC)
			take(t, parts, formats.ProcessEvents, append([]string{eventHeader}, lines[:n]...)...)
			if r.IntN(3) == 0 {
				take(t, parts, formats.ProcessEvents, append([]string{eventHeader}, lines[:n]...)...)
			}
			lines = lines[n:]
		}
		if got := dayRows(t, parts); !reflect.DeepEqual(got, want) {
			for k, v := range want {
				if got[k] != v {
					t.Errorf("%s: %q, want %q", k, got[k], v)
				}
			}
			for k, v := range got {
				if want[k] == "" {
					t.Errorf("%s: %q is invented", k, v)
				}
			}
			t.Fatalf("round %d", round)
		}
	}
}

// Days are days of the device's site: the night of 25 October 2026 has an hour more in Oslo and none more in
// Reykjavik (IANA data).
func TestDaysOfSites(t *testing.T) {
	prog, clock := meterDesk(t)
	clock.now = time.Date(2026, 10, 27, 8, 0, 0, 0, time.UTC)
	take(t, prog, formats.ProcessEvents, eventHeader,
		"D1,start,2026-10-24T22:00:00Z,5,gauge.exe,u1,,", "D1,stop,2026-10-25T23:00:00Z,5,gauge.exe,u1,,",
		"D2,start,2026-10-25T00:00:00Z,5,gauge.exe,u2,,", "D2,stop,2026-10-26T00:00:00Z,5,gauge.exe,u2,,")
	got := dayRows(t, prog)
	want := map[string]string{
		"D1 gauge.exe 2026-10-25 u1": "90000 s, 0 worked, 1 runs",
		"D2 gauge.exe 2026-10-25 u2": "86400 s, 0 worked, 1 runs",
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("%v", got)
	}
	// A site that turns out to lie in another zone, and a name that comes to mean another title: what was rolled up
	// follows by itself.
	take(
		t,
		prog,
		formats.ProcessEvents,
		eventHeader,
		"D1,start,2026-10-20T10:00:00Z,6,gauge.exe,u1,,",
		"D1,stop,2026-10-20T11:00:00Z,6,gauge.exe,u1,,",
		"D1,start,2026-10-20T10:30:00Z,7,other.exe,u1,,",
		"D1,stop,2026-10-20T11:30:00Z,7,other.exe,u1,,",
	)
	if err := prog.Evidence.SetSiteZone(context.Background(), "Quay", "Pacific/Auckland"); err != nil {
		t.Fatal(err)
	}
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,aliases",
		"Dunlaw,Gauge,gauge.exe|gaugex.exe|other.exe",
		"Dunlaw,Other,another.exe",
	)
	if wrong, err := prog.Pipeline.Check(context.Background()); err != nil || len(wrong) > 0 {
		t.Errorf("%v, %v", wrong, err)
	}
	// midnight is at 11:00 UTC
	want = map[string]string{
		"D1 gauge.exe 2026-10-20 u1": "3600 s, 0 worked, 1 runs",
		"D1 other.exe 2026-10-20 u1": "0 s, 0 worked, 1 runs",
		"D1 other.exe 2026-10-21 u1": "1800 s, 0 worked, 0 runs",
		"D1 gauge.exe 2026-10-25 u1": "46800 s, 0 worked, 1 runs",
		"D1 gauge.exe 2026-10-26 u1": "43200 s, 0 worked, 0 runs",
		"D2 gauge.exe 2026-10-25 u2": "86400 s, 0 worked, 1 runs",
	}
	if got := dayRows(t, prog); !reflect.DeepEqual(got, want) {
		t.Errorf("%v", got)
	}
}

// Floods, clocks in the future and machines that nobody knows: nothing is invented, nothing is lost.
func TestBadEvents(t *testing.T) {
	ctx := context.Background()
	prog, clock := meterDesk(t)
	flood := []string{eventHeader}
	for range 5000 {
		flood = append(
			flood,
			"D1,start,2026-06-29T10:00:00Z,5,gauge.exe,u1,,",
			"D1,stop,2026-06-29T11:00:00Z,5,gauge.exe,u1,,",
		)
	}
	take(t, prog, formats.ProcessEvents, flood...)
	res := take(
		t,
		prog,
		formats.ProcessEvents,
		eventHeader,
		"D1,start,2026-08-01T10:00:00Z,6,gauge.exe,u1,,",
		"D1,stop,2026-08-01T10:30:00Z,6,gauge.exe,u1,,",
		"ghost,start,2026-06-29T10:00:00Z,6,gauge.exe,u1,,",
		"D2,stop,2026-06-29T10:00:00Z,6,gauge.exe,u2,,",
		"ONE,start,2026-06-28T10:00:00Z,8,gauge.exe,u1,,",
		"one.quay.example,stop,2026-06-28T10:10:00Z,8,gauge.exe,u1,,",
	)
	if len(res.Aside) != 1 || !strings.Contains(res.Aside[0].Reason, `no device "ghost"`) {
		t.Errorf("%+v", res.Aside)
	}
	if got := dayRows(t, prog); len(got) != 2 || got["D1 gauge.exe 2026-06-29 u1"] != "3600 s, 0 worked, 1 runs" ||
		got["D1 gauge.exe 2026-06-28 u1"] != "600 s, 0 worked, 1 runs" {
		t.Errorf("%v", got)
	}
	m, err := prog.Use.Metering(ctx)
	if err != nil || m.Future != 2 || m.Lost != 1 || m.Starts != 3 {
		t.Errorf("%+v, %v", m, err)
	}
	clock.now = time.Date(2026, 8, 2, 8, 0, 0, 0, time.UTC) // the time of what came early
	renew(t, prog)
	if got := dayRows(t, prog); got["D1 gauge.exe 2026-08-01 u1"] != "1800 s, 0 worked, 1 runs" {
		t.Errorf("%v", got)
	}
	take(t, prog, formats.Devices, "device_id,kind", "ghost,client")
	if n, err := prog.Evidence.Retry(ctx, "test"); err != nil || n != 0 {
		t.Log(n, err) // the import of the device has tried it again by itself
	}
	if got := dayRows(t, prog); len(got) != 4 {
		t.Errorf("the line put aside is lost: %v", got)
	}
}

// Events of an operating system's own export, and JSON Lines, come to the same as CSV.
func TestOtherFormsOfUse(t *testing.T) {
	ctx := context.Background()
	xml := `<?xml version="1.0"?><Events>
<Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><EventID>4688</EventID><TimeCreated SystemTime="2026-06-29T10:00:00.1234567Z"/><Computer>one.quay.example</Computer></System><EventData><Data Name="SubjectUserName">ONE$</Data><Data Name="TargetUserName">u1</Data><Data Name="NewProcessId">0x1a4</Data><Data Name="NewProcessName">C:\Tools\gauge.exe</Data></EventData></Event>
<Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><EventID>4672</EventID><TimeCreated SystemTime="2026-06-29T10:00:01Z"/><Computer>one</Computer></System></Event>
<Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><EventID>4689</EventID><TimeCreated SystemTime="2026-06-29T10:20:00Z"/><Computer>one</Computer></System><EventData><Data Name="SubjectUserName">u1</Data><Data Name="ProcessId">0x1a4</Data><Data Name="ProcessName">C:\Tools\gauge.exe</Data></EventData></Event></Events>`
	lines := `{"device_id":"D1","event":"start","at":"2026-06-29T10:00:00Z","pid":420,"file_name":"gauge.exe","user_id":"u1"}
{"device_id":"D1","event":"stop","at":"2026-06-29T10:20:00Z","pid":420,"file_name":"gauge.exe","user_id":"u1"}
`
	for name, text := range map[string]string{"events.xml": xml, "events.jsonl": lines} {
		prog, _ := meterDesk(t)
		f := bytes.NewReader([]byte(text))
		look, err := prog.Evidence.LookAt(ctx, f, int64(len(text)), formats.ProcessEvents.Name)
		if err != nil || look.Kind != formats.ProcessEvents.Name {
			t.Fatalf("%s: %+v, %v", name, look, err)
		}
		form, err := formats.Sniff(f, int64(len(text)))
		if err != nil {
			t.Fatal(err)
		}
		rows, err := formats.OpenTable(f, int64(len(text)), form, formats.ProcessEvents, nil, prog.Clock.Now())
		if err != nil {
			t.Fatal(err)
		}
		var res intake.ImportResult
		if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
			return prog.Evidence.ImportInto(tx,
				intake.ImportRequest{Kind: formats.ProcessEvents, File: name, AsOf: prog.Clock.Now()}, rows, &res)
		}); err != nil || len(res.Aside) > 0 {
			t.Fatalf("%s: %+v, %v", name, res.Aside, err)
		}
		if got := dayRows(t, prog); len(got) != 1 ||
			got["D1 gauge.exe 2026-06-29 u1"] != "1200 s, 0 worked, 1 runs" &&
				got["D1 gauge.exe 2026-06-29 u1"] != "1199 s, 0 worked, 1 runs" {
			t.Errorf("%s: %v", name, got)
		}
	}
}

// Once titles are chosen, others are not kept; a title chosen today was not measured yesterday; and days outlive what
// they were made of.
func TestChoosingWhatIsMeasured(t *testing.T) {
	ctx := context.Background()
	prog, clock := meterDesk(t)
	if err := prog.Use.Meter(ctx, use.MeteringDraft{Product: 1, On: false}, "w"); err == nil {
		t.Error("something was left out of nothing")
	}
	take(
		t,
		prog,
		formats.Usage,
		"device_id,user_id,file_name,started_at,ended_at",
		"D1,u1,gauge.exe,2026-06-28T10:00:00Z,2026-06-28T10:30:00Z",
		"D1,u1,other.exe,2026-06-28T10:00:00Z,2026-06-28T10:30:00Z",
	)
	if err := prog.Use.Meter(ctx, use.MeteringDraft{Product: 1, On: true, Group: "Quay", Note: "dear"},
		"w"); err != nil {
		t.Fatal(err)
	}
	take(
		t,
		prog,
		formats.Usage,
		"device_id,user_id,file_name,started_at,ended_at",
		"D1,u1,gauge.exe,2026-06-29T10:00:00Z,2026-06-29T10:30:00Z",
		"D1,u1,other.exe,2026-06-29T10:00:00Z,2026-06-29T10:30:00Z",
		"D1,u1,gauge.exe,2026-06-30T07:00:00Z,2026-06-30T07:30:00Z",
		"D1,u1,other.exe,2026-06-30T07:00:00Z,2026-06-30T07:30:00Z",
		"D2,u2,gauge.exe,2026-06-30T07:00:00Z,2026-06-30T07:30:00Z",
	)
	got := dayRows(t, prog)
	// of the day before, everything was asked for, however late it comes
	for row, want := range map[string]bool{"D1 gauge.exe 2026-06-30 u1": true, "D1 other.exe 2026-06-30 u1": false,
		"D2 gauge.exe 2026-06-30 u2": false, "D1 other.exe 2026-06-28 u1": true,
		"D1 gauge.exe 2026-06-29 u1": true, "D1 other.exe 2026-06-29 u1": true} {
		if (got[row] != "") != want {
			t.Errorf("%s: %q", row, got[row])
		}
	}
	if err := prog.Use.Meter(ctx, use.MeteringDraft{Category: "none", On: true}, "w"); err != nil {
		t.Fatal(err)
	}
	m, err := prog.Use.Metering(ctx)
	if err != nil || len(m.Choices) != 2 || m.Choices[0].From != "" || m.Choices[1].From != "2026-06-30" ||
		m.Choices[0].What != "Dunlaw Gauge" {
		t.Errorf("%+v, %v", m.Choices, err)
	}
	for _, bad := range []use.UseKept{{EventDays: 14, SessionDays: 90, DayDays: 60},
		{EventDays: 100, SessionDays: 90, DayDays: 800}, {EventDays: 14, SessionDays: 20, DayDays: 800},
		{EventDays: 14, SessionDays: 90, DayDays: 89}} {
		if err := prog.Use.KeepUse(ctx, bad, "w"); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	if err := prog.Use.KeepUse(ctx, use.UseKept{EventDays: 2, SessionDays: 31, DayDays: 100}, "w"); err != nil {
		t.Fatal(err)
	}
	rules, err := prog.Evidence.Rules(ctx)
	if err != nil {
		t.Fatal(err)
	}
	rules.UseWindow = 120
	if err := prog.Evidence.SetRules(ctx, rules, "w"); err == nil ||
		!strings.Contains(err.Error(), "kept for 100") {
		t.Errorf("a window longer than the data: %v", err)
	}
	if err := prog.Worklist.PutReclaimRule(ctx,
		worklist.ReclaimDraft{Product: 1, Propose: true, Window: 120, Least: 0.8},
		"w"); err == nil {
		t.Error("a rule that looks further back than days are kept")
	}
	clock.now = clock.now.AddDate(0, 0, 40)
	gone, err := prog.Use.ForgetUse(ctx)
	if err != nil || gone[1] == 0 || len(dayRows(t, prog)) != len(got) {
		t.Errorf("%v, %d days of %d, %v", gone, len(dayRows(t, prog)), len(got), err)
	}
	// late, about a day whose runs are gone
	take(
		t,
		prog,
		formats.Usage,
		"device_id,user_id,file_name,started_at,ended_at",
		"D1,u1,gauge.exe,2026-06-29T12:00:00Z,2026-06-29T12:05:00Z",
	)
	if again := dayRows(t, prog); again["D1 gauge.exe 2026-06-29 u1"] != got["D1 gauge.exe 2026-06-29 u1"] {
		t.Errorf("a late session has shrunk its day: %v", again)
	}
	kept := func() int64 { // as what was known on an earlier day
		return selected[int64](t, prog, "SELECT count(*) FROM past WHERE key LIKE '%\"u1\"%' AND (key LIKE '[%' OR "+
			"image LIKE '%person_code%')")[0]
	}
	if kept() == 0 {
		t.Error("nothing that was used later is remembered")
	}
	clock.now = clock.now.AddDate(0, 0, 100)
	if _, err := prog.Use.ForgetUse(ctx); err != nil || len(dayRows(t, prog)) != 0 || kept() != 0 {
		t.Errorf("%v, %d rows of who used what are kept as what was known, %v", dayRows(t, prog), kept(), err)
	}
}

// A pool's daily sums are what all of its events at once make, in whatever parts they come; a lost connection, other
// sizes and people's words are on record.
func TestPools(t *testing.T) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(6, 2))
	header := "pool,event,session,user_id,device_id,at,licences,active_seconds"
	var lines []string
	for n := range 120 {
		start := time.Date(2026, 6, 1, 6, 0, 0, 0, time.UTC).Add(time.Duration(r.IntN(27*24*3600)) * time.Second)
		end := start.Add(time.Duration(60+r.IntN(100_000)) * time.Second)
		lines = append(
			lines,
			fmt.Sprintf("hall,checkout,s%d,u%d,D1,%s,%d,", n, n%5, start.Format(time.RFC3339), 1+n%2),
			fmt.Sprintf("hall,return,s%d,u%d,D1,%s,,600", n, n%5, end.Format(time.RFC3339)),
		)
		if n%6 == 0 {
			lines = append(
				lines,
				fmt.Sprintf("hall,denial,,u%d,D1,%s,1,", n%5, start.Add(time.Minute).Format(time.RFC3339)),
			)
		}
	}
	build := func(shuffled bool) *Program {
		prog, clock := meterDesk(t)
		clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
		take(
			t,
			prog,
			formats.Pools,
			"pool,publisher,product,server,quantity,expires",
			"hall,Dunlaw,Gauge,lic-1,9,2026-07-10",
		)
		rest := append([]string{}, lines...)
		if !shuffled {
			take(t, prog, formats.PoolEvents, append([]string{header}, rest...)...)
			return prog
		}
		take(t, prog, formats.PoolEvents, header, rest[0]) // the zone is that of the first device
		r.Shuffle(len(rest), func(i, j int) { rest[i], rest[j] = rest[j], rest[i] })
		for len(rest) > 0 {
			n := min(len(rest), 1+r.IntN(40))
			take(t, prog, formats.PoolEvents, append([]string{header}, rest[:n]...)...)
			rest = rest[n:]
		}
		return prog
	}
	prog := build(false)
	want, err := prog.Use.PoolDays(ctx, 1, 60)
	if err != nil {
		t.Fatal(err)
	}
	for range 4 {
		got, err := build(true).Use.PoolDays(ctx, 1, 60)
		if err != nil || !reflect.DeepEqual(got, want) {
			for i := range want {
				if got[i] != want[i] {
					t.Errorf("%+v, want %+v", got[i], want[i])
				}
			}
			t.Fatal(err)
		}
	}
	v, err := prog.Use.Pool(ctx, 1, 30)
	if err != nil || v.Alert != "expires soon" || v.Denials != 20 || len(v.Users) != 5 || v.SaysIdleH == 0 {
		t.Errorf("%+v, %v", v, err)
	}
	little := float64(
		v.Arrivals,
	) * v.MeanLength / float64(
		prog.Clock.Now().Unix()-time.Date(2026, 5, 31, 22, 0, 0, 0, time.UTC).Unix(),
	)
	if v.MeanOut < little || v.MeanOut > 2*little { // half of the sessions have two licences
		t.Errorf("%v out on average; arrivals times length over time is %v", v.MeanOut, little)
	}
	s, err := prog.Use.PoolSizing(ctx, 1, 30, 0.05, 40)
	if err != nil || len(s.Sizes) == 0 || s.Requests == 0 || s.Trust == "" {
		t.Fatalf("%+v, %v", s, err)
	}
	for i := 1; i < len(s.Sizes); i++ {
		if s.Sizes[i].Share > s.Sizes[i-1].Share+1e-9 || s.Sizes[i].Erlang > s.Sizes[i-1].Erlang+1e-12 {
			t.Errorf("more licences deny more: %+v, %+v", s.Sizes[i-1], s.Sizes[i])
		}
	}
	if err := prog.Use.Complain(ctx, 1, "nobody", "x", "w"); err == nil {
		t.Error("a complaint of nobody")
	}
	if err := prog.Use.Complain(ctx, 1, "", "denied again", "w"); err != nil {
		t.Fatal(err)
	}
	for _, bad := range []struct {
		size   int64
		reason string
	}{{-1, "x"}, {12, ""}, {20_000_000, "x"}} {
		if err := prog.Use.SizePool(ctx, 1, bad.size, bad.reason, "", "w"); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	if err := prog.Use.SizePool(ctx, 1, 12, "mornings", "replay", "w"); err != nil {
		t.Fatal(err)
	}
	take(t, prog, formats.Pools, "pool,publisher,product,server,quantity,expires",
		"hall,Dunlaw,Gauge,lic-1,12,2026-12-10")
	take(t, prog, formats.PoolEvents, header, "hall,lost,,,,2026-06-30T19:00:00Z,,")
	v, err = prog.Use.Pool(ctx, 1, 30)
	if err != nil || v.Quantity != 12 || v.Alert != "lost" || len(v.Sizes) != 1 || v.Sizes[0].Was != 9 ||
		v.Complaints[0].EndedAt == 0 ||
		len(v.LostSpans) != 1 ||
		v.Days[0].Quantity != 9 ||
		v.Days[29].Quantity != 9 {
		t.Errorf("%+v, %v", v, err)
	}
}
