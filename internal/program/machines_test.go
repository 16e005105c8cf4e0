package program

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/identity"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/same"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/machines"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// rowsOf reads rows of a statement as text.
func textsOf(t *testing.T, prog *Program, statement string, args ...any) []string {
	t.Helper()
	var out []string
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		out, err = sqlite.Select[string](tx, statement, args...)
		return err
	}); err != nil {
		t.Fatal(statement, err)
	}
	return out
}

// whatIsThere is all that is known of devices, whatever numbers things have: devices with their facts, and their
// evidence under the names that sources give them.
func whatIsThere(t *testing.T, prog *Program) []string {
	t.Helper()
	var out []string
	for _, q := range []string{
		`SELECT 'device ' || code || '|' || name || '|' || kind || '|' || environment || '|' || org_unit || '|' || site
			|| '|' || cores || '|' || primary_user || '|' || status || '|' || custom FROM device`,
		`SELECT 'install ' || d.code || '|' || s.name || '|' || s.part || '|' || r.name || '|' || r.version || '|' || i.since
			|| '|' || coalesce(i.until, '-') || '|' || i.cut FROM install i JOIN device d ON d.id = i.device_id
			JOIN source s ON s.id = i.source_id JOIN record r ON r.id = i.record_id`,
		`SELECT 'scan ' || d.code || '|' || s.name || '|' || s.part || '|' || c.at FROM scan c
			JOIN device d ON d.id = c.device_id JOIN source s ON s.id = c.source_id`,
		`SELECT 'fact ' || d.code || '|' || s.name || '|' || f.content || '|' || h.since FROM hardware h
			JOIN device d ON d.id = h.device_id JOIN source s ON s.id = h.source_id JOIN fact_set f ON f.id = h.fact_id`,
		`SELECT 'logon ' || d.code || '|' || l.person_code || '|' || l.at FROM logon l JOIN device d ON d.id = l.device_id`,
		`SELECT 'use ' || d.code || '|' || l.person_code || '|' || l.started_at FROM use_session l
			JOIN device d ON d.id = l.device_id`,
		`SELECT 'last use ' || d.code || '|' || l.used_on || '|' || r.name FROM last_use l
			JOIN device d ON d.id = l.device_id JOIN record r ON r.id = l.record_id`,
		`SELECT 'called ' || d.code || '|' || r.source || '|' || r.key || '|' || r.serial FROM machine_record r
			JOIN device d ON d.id = r.device_id WHERE r.serial <> '' OR r.source = ''`,
		`SELECT 'case ' || d.code || '|' || c.kind || '|' || p.name || '|' || c.state FROM worklist_case c
			JOIN device d ON d.id = c.device_id JOIN product p ON p.id = c.product_id`,
		`SELECT 'pair ' || a.source || '|' || a.key || '|' || b.source || '|' || b.key || '|' || p.waits || '|' || p.signs
			FROM machine_pair p JOIN machine_record a ON a.id = p.a JOIN machine_record b ON b.id = p.b`,
		`SELECT 'lost ' || 'install of no device' FROM install i WHERE NOT EXISTS (SELECT 1 FROM device d
			WHERE d.id = i.device_id)`,
	} {
		out = append(out, textsOf(t, prog, q+" ORDER BY 1")...)
	}
	return out
}

func differ(t *testing.T, what string, got, want []string) {
	t.Helper()
	if !slices.Equal(got, want) {
		t.Fatalf("%s:\n%s\n\nwhere it should be:\n%s", what, only(got, want), only(want, got))
	}
}

func roomDoes[T any](t *testing.T, prog *Program, fn func(*machines.Room, *sqlite.Tx) (T, error)) T {
	t.Helper()
	var out T
	if err := prog.DB.Update(context.Background(), func(tx *sqlite.Tx) (err error) {
		out, err = fn(prog.Evidence.Machines, tx)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

func join(t *testing.T, prog *Program, codes ...string) int64 {
	t.Helper()
	return roomDoes(t, prog, func(room *machines.Room, tx *sqlite.Tx) (int64, error) {
		var ids []int64
		for _, c := range codes {
			id, err := snapshot.FindDevice(tx, c)
			if err != nil {
				return 0, err
			}
			ids = append(ids, id)
		}
		act, _, err := room.Join(tx, ids, machines.Who{Name: "ada", Reason: "the same label", At: 1})
		return act, err
	})
}

func takeBack(t *testing.T, prog *Program, act int64) {
	t.Helper()
	roomDoes(t, prog, func(room *machines.Room, tx *sqlite.Tx) (bool, error) {
		return true, room.TakeBack(tx, act, machines.Who{Name: "ada", At: 2})
	})
}

// Two devices that somebody says are one: evidence, seats, notes and what was left out follow, positions count it once,
// and what comes by either name belongs to it. Taken back, all is as if it had never been.
func TestDevicesAreJoinedAndComeApart(t *testing.T) {
	ctx := context.Background()
	build := func() (*Program, *movable) {
		prog, clock := desk(t)
		take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency",
			"Ostwick,Skerrymap,commercial,100,EUR", "Ostwick,Brush,commercial,10,EUR")
		take(t, prog, formats.Users, "user_id,name", "u1,Una", "u2,Ulf")
		take(
			t,
			prog,
			formats.Devices,
			"device_id,name,kind,org_unit,site,status,cost_centre",
			"A-1,pc1,client,Charting,,in_service,77",
			"B-9,old1,client,Other,Brenn,in_service,",
			"C-3,pc3,client,,,,",
		)
		take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
			"E1,Ostwick,Skerrymap,device,5")
		take(t, prog, formats.Policies, "publisher,product,stance,reason", "Ostwick,Skerrymap,restricted,too old")
		return prog, clock
	}
	report := func(prog *Program, clock *movable, round int) {
		at := clock.now.AddDate(0, 0, -20+round).Format(time.RFC3339)
		take(t, prog, formats.Installs, "device_id,name,version,source,seen_at,last_used",
			"A-1,Skerrymap,6,list,"+at+",2026-05-01", "B-9,Skerrymap,6,list,"+at+",2026-05-02",
			"B-9,Brush,2,list,"+at+",", "C-3,Skerrymap,6,list,"+at+",")
		for _, d := range []string{"A-1", "B-9"} {
			s := &formats.Scan{Format: formats.ScanFormat, At: clock.now.AddDate(0, 0, -10+round),
				Device: formats.ScanDevice{ID: d, Name: strings.ToLower(d), Cores: int64(2 + len(d) + round)},
				Logons: []formats.ScanLogon{{User: "u" + d[2:3], At: clock.now.AddDate(0, 0, -10+round)}},
				Sessions: []formats.ScanSession{
					{User: "u1", FileName: d + ".exe", Start: clock.now.AddDate(0, 0, -11+round),
						End: clock.now.AddDate(0, 0, -11+round).Add(time.Hour)},
				},
				Installs: []formats.ScanInstall{{Name: "Skerrymap", Version: "6"}, {Name: "Tool " + d}}}
			if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
				t.Fatal(err)
			}
		}
		take(t, prog, formats.Usage, "device_id,user_id,file_name,started_at,ended_at",
			fmt.Sprintf("B-9,u2,b.exe,2026-05-0%dT10:00:00Z,2026-05-0%dT11:00:00Z", 1+round, 1+round))
	}
	decisions := func(prog *Program) {
		take(t, prog, formats.Assignments, "entitlement_id,device_id,from", "E1,B-9,2026-01-01")
	}
	needs := func(prog *Program, want int64) {
		t.Helper()
		renew(t, prog)
		if f := figure(t, prog, "Skerrymap"); f.Needed != want {
			t.Errorf("%d needed, not %d", f.Needed, want)
		}
		if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
			t.Error(wrong, err)
		}
	}
	apart, clock := build()
	report(apart, clock, 0)
	decisions(apart)
	report(apart, clock, 1)
	needs(apart, 3)
	never := whatIsThere(t, apart)

	prog, clock := build()
	report(prog, clock, 0)
	decisions(prog)
	needs(prog, 3)
	act := join(t, prog, "A-1", "B-9")
	needs(prog, 2)
	if got := textsOf(t, prog, `SELECT d.code || ' ' || d.org_unit || ' ' || d.site || ' ' || d.custom FROM device d
		WHERE code <> 'C-3'`); !slices.Equal(got, []string{`A-1 Charting Brenn {"cost_centre":"77"}`}) {
		t.Errorf("%q", got)
	}
	if got := textsOf(t, prog, `SELECT d.code FROM assignment a JOIN device d ON d.id = a.device_id`); !slices.Equal(
		got,
		[]string{"A-1"},
	) {
		t.Errorf("the seat is of %q", got)
	}
	report(prog, clock, 1) // comes by either name
	needs(prog, 2)
	if lost := textsOf(t, prog, `SELECT 'a scan of no device' FROM scan c WHERE NOT EXISTS (SELECT 1 FROM device d
		WHERE d.id = c.device_id)`); len(lost) > 0 {
		t.Errorf("%d are lost", len(lost))
	}
	takeBack(t, prog, act)
	needs(prog, 3)
	differ(t, "joined and taken back", whatIsThere(t, prog), never)
	if got := textsOf(t, prog, `SELECT d.code FROM assignment a JOIN device d ON d.id = a.device_id`); !slices.Equal(
		got,
		[]string{"B-9"},
	) {
		t.Errorf("the seat is of %q", got)
	}
	// joined again, one of its names is parted from it, and that is taken back
	join(t, prog, "B-9", "A-1")
	joined := whatIsThere(t, prog)
	parted := roomDoes(t, prog, func(room *machines.Room, tx *sqlite.Tx) (int64, error) {
		id, err := snapshot.FindDevice(tx, "A-1")
		if err != nil {
			return 0, err
		}
		records, err := sqlite.Select[int64](
			tx,
			"SELECT id FROM machine_record WHERE device_id = ? AND key = 'B-9'",
			id,
		)
		if err != nil {
			return 0, err
		}
		act, _, err := room.Part(tx, id, records, machines.Who{Name: "bo", Reason: "two labels", At: 3})
		return act, err
	})
	differ(t, "joined and parted", whatIsThere(t, prog), never)
	takeBack(t, prog, parted)
	differ(t, "parted and taken back", whatIsThere(t, prog), joined)
}

// An estate as companies have it: a list of assets by hand, a directory, a collector and the export of a deployment
// tool, each naming 500 machines in its own way, are 500 devices, and every figure is as with one source.
func TestAnEstateAsCompaniesHaveIt(t *testing.T) {
	ctx := context.Background()
	const n = 500
	titles := []string{"Ostwick,Skerrymap,commercial,100,EUR", "Ostwick,Brush,commercial,10,EUR"}
	one, clock := desk(t)
	four, _ := desk(t)
	for _, prog := range []*Program{one, four} {
		take(
			t,
			prog,
			formats.Titles,
			append([]string{"publisher,product,licence_model,list_price,currency"}, titles...)...)
	}
	if err := four.Same.SetJoinRules(ctx, same.JoinRules{Names: true}, "ada"); err != nil {
		t.Fatal(err)
	}
	at := clock.now.AddDate(0, 0, -1)
	day := at.Format(time.RFC3339)
	var assets, directory, tool, single, singleInstalls []string
	var scans []*formats.Scan
	for i := range n {
		host := fmt.Sprintf("kart%03d-arbeidsplass", i)
		serial := fmt.Sprintf("SN%05dX", 10000+i)
		said := serial
		if i%10 == 0 {
			said = "To be filled by O.E.M."
		}
		assets = append(assets, fmt.Sprintf("A-%04d,%s,client,%s,in_service", i, []string{"", host}[b2i(i%10 == 0)],
			strings.ToLower(said)))
		directory = append(
			directory,
			fmt.Sprintf("dn: cn=%s,ou=Charting,dc=halv,dc=example\nobjectClass: computer\ncn: %s\n",
				strings.ToUpper(host), strings.ToUpper(host)),
		)
		single = append(single, fmt.Sprintf("A-%04d,%s,client,%s,in_service", i, host, said))
		s := &formats.Scan{
			Format: formats.ScanFormat,
			At:     at,
			Device: formats.ScanDevice{ID: fmt.Sprintf("c%012x", i),
				Name: host + ".halv.example", Serial: said, MachineID: fmt.Sprintf("%032x", 77777+i)},
		}
		s.Installs = append(s.Installs, formats.ScanInstall{Name: "Skerrymap", Version: "6"})
		short := strings.ToUpper(host)[:15]
		tool = append(tool, short+",Skerrymap,6,deployment,"+day)
		singleInstalls = append(singleInstalls, fmt.Sprintf("A-%04d,Skerrymap,6,list,%s", i, day))
		if i%3 == 0 {
			s.Installs = append(s.Installs, formats.ScanInstall{Name: "Brush", Version: "2"})
			singleInstalls = append(singleInstalls, fmt.Sprintf("A-%04d,Brush,2,list,%s", i, day))
		}
		scans = append(scans, s)
	}
	take(t, one, formats.Devices, append([]string{"device_id,name,kind,serial,status"}, single...)...)
	take(t, one, formats.Installs, append([]string{"device_id,name,version,source,seen_at"}, singleInstalls...)...)
	take(t, four, formats.Devices, append([]string{"device_id,name,kind,serial,status"}, assets...)...)
	ldif := strings.Join(directory, "\n")
	if _, err := four.Evidence.ImportFile(ctx, strings.NewReader(ldif), int64(len(ldif)),
		intake.ImportRequest{Kind: formats.Devices, File: "directory.ldif", Author: "test"}); err != nil {
		t.Fatal(err)
	}
	for _, s := range scans {
		if _, err := four.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
	}
	if res := take(t, four, formats.Installs, append([]string{"device_id,name,version,source,seen_at"},
		tool...)...); len(res.Aside) > 0 {
		t.Errorf("%d lines were put aside: %+v", len(res.Aside), res.Aside[0])
	}
	renew(t, one)
	renew(t, four)
	if got := textsOf(t, four, "SELECT count(*) FROM device"); got[0] != fmt.Sprint(n) {
		t.Errorf("%s devices, not %d: %q", got[0], n, textsOf(t, four, "SELECT code FROM device LIMIT 12"))
	}
	for _, product := range []string{"Skerrymap", "Brush"} {
		a, b := figure(t, one, product), figure(t, four, product)
		a.Product, b.Product = 0, 0
		x, _ := json.Marshal(a)
		y, _ := json.Marshal(b)
		if string(x) != string(y) {
			t.Errorf("%s: with one source %s\nwith four %s", product, x, y)
		}
	}
	if wrong, err := four.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}

// In any order of arrival, with joins that are taken back between, the same devices come out with the same evidence;
// and what was settled step by step is what settling everything at once gives.
func TestMachinesInAnyOrderEndTheSame(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(3) {
		r := rand.New(rand.NewPCG(seed, 1616))
		_, clock := desk(t)
		var events []func(*Program)
		for i := range 14 {
			serial := fmt.Sprintf("SERIAL%03d", i/2*3)
			if r.IntN(5) == 0 {
				serial = "none"
			}
			name, id := fmt.Sprintf("host%02d", i/2), fmt.Sprintf("%032x", 1000+i/2)
			if r.IntN(2) == 0 {
				line := fmt.Sprintf("A-%02d,%s,client,%s", i, name, serial)
				events = append(
					events,
					func(p *Program) { take(t, p, formats.Devices, "device_id,name,kind,serial", line) },
				)
			}
			for k := range 2 {
				s := &formats.Scan{
					Format: formats.ScanFormat,
					At:     clock.now.AddDate(0, 0, -r.IntN(60)),
					Device: formats.ScanDevice{
						ID: fmt.Sprintf(
							"%s-%d",
							[]string{"x", "y"}[k],
							i,
						), Name: name + ".example.org", Serial: serial,
						Cores: int64(1 + i)},
				}
				if r.IntN(2) == 0 {
					s.Device.MachineID = id
				}
				if r.IntN(2) == 0 { // its own, and that of a dock which others use too
					s.Device.HardwareAddresses = []string{fmt.Sprintf("a4:41:88:00:00:%02x", i/2),
						fmt.Sprintf("a4:41:99:00:00:%02x", r.IntN(4))}
				}
				for p := range 3 {
					if r.IntN(2) == 0 {
						s.Installs = append(s.Installs, formats.ScanInstall{Name: fmt.Sprintf("P%d", p)})
					}
				}
				source := []string{"collector", "tool"}[k]
				events = append(events, func(p *Program) {
					if _, err := p.Evidence.TakeScan(ctx, source, "id", s); err != nil {
						t.Fatal(err)
					}
				})
			}
		}
		var want []string
		for round := range 4 {
			prog, _ := desk(t)
			if seed%2 == 0 {
				if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
					return tx.SetSetting("join_names", "true")
				}); err != nil {
					t.Fatal(err)
				}
			}
			for k, e := range r.Perm(len(events)) {
				events[e](prog)
				if codes := textsOf(t, prog, "SELECT code FROM device ORDER BY code"); k%7 == 6 && len(codes) > 1 &&
					round > 0 {
					takeBack(
						t,
						prog,
						join(t, prog, codes[r.IntN(len(codes)/2)], codes[len(codes)/2+r.IntN(len(codes)/2)]),
					)
				}
			}
			got := whatIsThere(t, prog)
			if round == 0 {
				want = got
			}
			differ(t, fmt.Sprintf("seed %d, round %d", seed, round), got, want)
			var records []identity.Machine
			var devices []int64
			if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
				list, err := machines.All(tx)
				for _, rec := range list {
					records, devices = append(records, rec.Machine), append(devices, rec.Device)
				}
				return err
			}); err != nil {
				t.Fatal(err)
			}
			res := identity.Machines(records, nil, identity.Options{Names: seed%2 == 0})
			for i := range records {
				for k := range i {
					if (devices[i] == devices[k]) != (res.Group[i] == res.Group[k]) {
						t.Fatalf(
							"seed %d: %+v and %+v: stored as one: %v",
							seed,
							records[i],
							records[k],
							devices[i] == devices[k],
						)
					}
				}
			}
		}
	}
}

// What it costs to find the device of a scan, among 20,000 that four sources name.
func BenchmarkOneScanFindsItsDevice(b *testing.B) {
	ctx := b.Context()
	db, err := sqlite.Open(ctx, filepath.Join(b.TempDir(), "a.db"))
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	prog := New(db, &movable{time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC)})
	defer prog.Close()
	const n = 20_000
	of := func(i int, source string) identity.Machine {
		const at = 1_780_000_000
		m := identity.Machine{Source: source, Key: fmt.Sprintf("%s-%d", source, i), First: at, Last: at}
		m.Names, m.Serial = []string{fmt.Sprintf("host%05d", i)}, fmt.Sprintf("SERIAL%05d", i)
		return m
	}
	if err := db.Update(ctx, func(tx *sqlite.Tx) error {
		for i := range n {
			for _, source := range []string{"collector", "deployment", "register", "directory"} {
				if _, err := prog.Evidence.Machines.Sight(tx, of(i, source), ""); err != nil {
					return err
				}
			}
		}
		return nil
	}); err != nil {
		b.Fatal(err)
	}
	if err := db.Update(ctx, func(tx *sqlite.Tx) error {
		i := 0
		for b.Loop() {
			m := of(i*7919%n, "collector")
			m.Last += int64(i)
			if _, err := prog.Evidence.Machines.Sight(tx, m, ""); err != nil {
				return err
			}
			i++
		}
		return nil
	}); err != nil {
		b.Fatal(err)
	}
}

// What a list says of a serial number counts as news, and one that comes later joins what it names.
func TestAListThatNamesSerialNumbersLater(t *testing.T) {
	prog, clock := desk(t)
	take(t, prog, formats.Devices, "device_id,name", "A-1,pc1", "B-2,")
	s := &formats.Scan{Format: formats.ScanFormat, At: clock.now.AddDate(0, 0, -1),
		Device: formats.ScanDevice{ID: "77", Name: "elsewhere", Serial: "ABCD-1234"}}
	if _, err := prog.Evidence.TakeScan(t.Context(), "collector", "id", s); err != nil {
		t.Fatal(err)
	}
	const header = "device_id,name,serial"
	if res := take(t, prog, formats.Devices, header, "A-1,pc1,abcd1234", "B-2,,"); res.Changed != 1 ||
		res.Same != 1 {
		t.Errorf("%+v", res)
	}
	if got := textsOf(t, prog, "SELECT code FROM device ORDER BY 1"); !slices.Equal(got, []string{"A-1", "B-2"}) {
		t.Errorf("%q", got)
	}
	if res := take(t, prog, formats.Devices, header, "A-1,pc1,abcd1234", "B-2,,"); res.Same != 2 {
		t.Errorf("the same again: %+v", res)
	}
	// the list takes it back: there are two machines again
	if res := take(t, prog, formats.Devices, header, "A-1,pc1,WXYZ-9999", "B-2,,"); res.Changed != 1 {
		t.Errorf("%+v", res)
	}
	if got := textsOf(t, prog, "SELECT code FROM device ORDER BY 1"); !slices.Equal(
		got,
		[]string{"77", "A-1", "B-2"},
	) {
		t.Errorf("%q", got)
	}
}

// Devices of a file of before are noted once, and joined like others.
func TestDevicesOfAnOlderFileAreNoted(t *testing.T) {
	ctx := t.Context()
	prog, _ := desk(t)
	take(t, prog, formats.Devices, "device_id,name", "A-1,pc1", "B-2,PC1.example.org", "C-3,pc3")
	want := whatIsThere(t, prog)
	if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
		for _, text := range []string{"DELETE FROM machine_pair", "DELETE FROM machine_sign",
			"DELETE FROM machine_record", "INSERT INTO record_due SELECT id FROM device"} {
			if _, err := tx.Exec(text); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if err := evidence.KeepOlderRecords(ctx, prog.DB, prog.Evidence.Machines); err != nil {
			t.Fatal(err)
		}
		differ(t, "an older file", whatIsThere(t, prog), want)
	}
}

// A source that is trusted first is believed, though another one spoke later; and what holds follows at once.
func TestASourceThatIsTrusted(t *testing.T) {
	ctx := t.Context()
	prog, clock := desk(t)
	take(t, prog, formats.Devices, "device_id", "D1")
	for i, source := range []string{"board", "guess"} {
		s := &formats.Scan{Format: formats.ScanFormat, At: clock.now.AddDate(0, 0, i-3),
			Device: formats.ScanDevice{ID: "D1", Name: "d1", Cores: int64(8 + i)}}
		if _, err := prog.Evidence.TakeScan(ctx, source, "id", s); err != nil {
			t.Fatal(err)
		}
	}
	cores := func(want string) {
		t.Helper()
		if got := textsOf(t, prog, "SELECT cores FROM device"); got[0] != want {
			t.Errorf("%s cores, not %s", got[0], want)
		}
		e, err := prog.Evidence.DeviceEvidence(ctx, "D1")
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range e.Facts {
			if f.Fact == "cores" && f.Holds != want {
				t.Errorf("the page says %s", f.Holds)
			}
		}
	}
	cores("9")
	if err := prog.Sources.Save(ctx, evidence.SourceDraft{Name: "board", Trust: 1}, "ada"); err != nil {
		t.Fatal(err)
	}
	cores("8")
}

// What somebody parted, and joins again without taking it back, is one device: all of it.
func TestWhatWasPartedIsJoinedAgain(t *testing.T) {
	prog, clock := desk(t)
	for _, source := range []string{"x", "y", "z"} {
		s := &formats.Scan{Format: formats.ScanFormat, At: clock.now,
			Device: formats.ScanDevice{ID: source + "-1", Name: "one", Serial: "SERIAL9"}}
		if _, err := prog.Evidence.TakeScan(context.Background(), source, "id", s); err != nil {
			t.Fatal(err)
		}
	}
	devices := func(want int) []string {
		t.Helper()
		list := textsOf(t, prog, "SELECT code FROM device ORDER BY code")
		if len(list) != want {
			t.Errorf("%v, not %d", list, want)
		}
		return list
	}
	devices(1)
	roomDoes(t, prog, func(room *machines.Room, tx *sqlite.Tx) (int64, error) {
		list, err := machines.All(tx)
		if err != nil {
			return 0, err
		}
		act, _, err := room.Part(
			tx,
			list[0].Device,
			[]int64{list[1].ID},
			machines.Who{Name: "bo", Reason: "two", At: 3},
		)
		return act, err
	})
	join(t, prog, devices(2)...)
	devices(1)
}

// A source that sends another's device_ids: what it says stands at machines of its own where the serial number is
// another, nothing of what was known is lost, and somebody is asked.
func TestASourceSendsAnothersIds(t *testing.T) {
	prog, clock := desk(t)
	base(t, prog)
	take(t, prog, formats.Devices, "device_id,name,kind,serial,status", "A-1,pc1,client,SERIAL1,in_service",
		"A-2,pc2,client,SERIAL2,in_service")
	scan := func(source, id, name, serial string, titles ...string) {
		t.Helper()
		s := &formats.Scan{Format: formats.ScanFormat, At: clock.now,
			Device: formats.ScanDevice{ID: id, Name: name, Serial: serial}}
		for _, title := range titles {
			s.Installs = append(s.Installs, formats.ScanInstall{Publisher: "Ostwick", Name: title, Version: "6"})
		}
		if _, err := prog.Evidence.TakeScan(context.Background(), source, "id", s); err != nil {
			t.Fatal(err)
		}
	}
	on := func(code string) string {
		return strings.Join(textsOf(t, prog, `SELECT r.name FROM install i JOIN device d ON d.id = i.device_id
			JOIN record r ON r.id = i.record_id WHERE d.code = ? AND i.until IS NULL ORDER BY 1`, code), " ")
	}
	scan("collector", "A-1", "pc1", "SERIAL1", "Skerrymap")
	scan("collector", "A-2", "pc2", "SERIAL2", "Skerrymap")
	clock.now = clock.now.AddDate(0, 0, 1)
	scan("stranger", "A-1", "lab7", "OTHER77", "Part")
	scan("stranger", "A-2", "lab8", "OTHER88", "Part")
	if on("A-1") != "Skerrymap" || on("A-2") != "Skerrymap" {
		t.Errorf("A-1 has %q, A-2 %q", on("A-1"), on("A-2"))
	}
	others := textsOf(t, prog, `SELECT d.code FROM device d WHERE d.name IN ('lab7', 'lab8') ORDER BY 1`)
	if len(others) != 2 || on(others[0]) != "Part" || on(others[1]) != "Part" {
		t.Errorf("the stranger's machines: %v", others)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 2 {
		t.Errorf("%d needed", f.Needed)
	}
	if waits := textsOf(t, prog, "SELECT count(*) FROM machine_pair WHERE waits = 1"); waits[0] != "2" {
		t.Errorf("%s pairs wait for somebody", waits[0])
	}
}

// A list that a source sent by the house's device_id, and its scan later, are one list, though the scan shares a sign
// with another machine: what the scan has no more is gone.
func TestAScanOfACopiedDisk(t *testing.T) {
	prog, clock := desk(t)
	ctx := context.Background()
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency",
		"Ostwick,Skerrymap,commercial,100,EUR")
	take(t, prog, formats.Devices, "device_id,name,kind", "D1,one,client", "D2,two,client")
	day := clock.now.AddDate(0, 0, -9).Format(time.RFC3339)
	take(t, prog, formats.Installs, "device_id,name,version,source,seen_at", "D1,Skerrymap,6,collector,"+day,
		"D2,Skerrymap,6,collector,"+day)
	for i, code := range []string{"D1", "D2"} {
		s := scanOf(code, []string{"one", "two"}[i], clock.now.AddDate(0, 0, -2), "Brush 1")
		s.Device.Serial, s.Device.MachineID = fmt.Sprint("SN7001", i), "6f1e02c4a9b84d0d9a55c2d1f0b7e301"
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "device_id", s); err != nil {
			t.Fatal(err)
		}
	}
	renew(t, prog)
	if got := textsOf(t, prog, "SELECT count(*) FROM device"); got[0] != "2" {
		t.Errorf("%s devices", got[0])
	}
	if got := textsOf(t, prog, "SELECT source || ' ' || key || ' ' || slot FROM machine_record WHERE source <> '' "+
		"ORDER BY key"); !slices.Equal(got, []string{"collector D1 0", "collector D2 0"}) {
		t.Errorf("%q", got)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 0 {
		t.Errorf("what the scans have no more is still needed: %+v", f)
	}
}
