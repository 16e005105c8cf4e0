package program

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/arriving"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

var morning = time.Date(2026, 6, 1, 6, 0, 0, 0, time.UTC)

func scanOf(device, name string, at time.Time, software ...string) *formats.Scan {
	s := &formats.Scan{
		Format: formats.ScanFormat,
		At:     at,
		Device: formats.ScanDevice{ID: device, Name: name, Cores: 4, OSName: "Varde"},
	}
	for _, x := range software {
		n, v, _ := strings.Cut(x, " ")
		s.Installs = append(s.Installs, formats.ScanInstall{Name: n, Version: v})
	}
	return s
}

// state is everything that scans leave behind, in words that do not depend on numbers that were given out.
func state(t *testing.T, prog *Program) string {
	t.Helper()
	if err := prog.Pipeline.Refresh(context.Background()); err != nil {
		t.Fatal(err)
	}
	var out []string
	err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		for _, q := range []string{
			"SELECT 'device ' || code || '|' || name || '|' || kind || '|' || cores || '|' || os_name || '|' || " +
				"primary_user FROM device",
			"SELECT 'install ' || d.code || '|' || s.name || '|' || s.part || '|' || r.name || ' ' || r.version || " +
				"'|' || p.path || '|' || i.since || '|' || coalesce(i.until, '') || '|' || i.install_date FROM " +
				"install i JOIN device d ON d.id = i.device_id JOIN source s ON s.id = i.source_id JOIN record r ON " +
				"r.id = i.record_id JOIN place p ON p.id = i.place_id",
			"SELECT 'hardware ' || d.code || '|' || s.name || '|' || f.content || '|' || h.since || '|' || " +
				"coalesce(h.until, '') FROM hardware h JOIN device d ON d.id = h.device_id JOIN source s ON s.id = " +
				"h.source_id JOIN fact_set f ON f.id = h.fact_id",
			"SELECT 'file ' || d.code || '|' || s.part || '|' || f.name || '|' || p.path || '|' || t.since || '|' || " +
				"coalesce(t.until, '') FROM device_file t JOIN device d ON d.id = t.device_id JOIN source s ON s.id " +
				"= t.source_id JOIN file f ON f.id = t.file_id JOIN place p ON p.id = t.place_id",
			"SELECT 'session ' || d.code || '|' || n.file_name || '|' || u.person_code || '|' || u.started_at || '|' " +
				"|| u.ended_at FROM use_session u JOIN device d ON d.id = u.device_id JOIN use_name n ON n.id = " +
				"u.name_id",
			"SELECT 'scan ' || d.code || '|' || s.part || '|' || c.at FROM scan c JOIN device d ON d.id = " +
				"c.device_id JOIN source s ON s.id = c.source_id",
			"SELECT 'change ' || d.code || '|' || c.at || '|' || c.kind || '|' || c.key || '|' || c.from_value || " +
				"'|' || c.to_value FROM change_log c JOIN device d ON d.id = c.device_id",
			"SELECT 'fact ' || d.code || '|' || f.age || '|' || f.last_seen || '|' || f.installs FROM device_fact f " +
				"JOIN device d ON d.id = f.device_id",
			"SELECT 'missing ' || d.code || '|' || m.part || '|' || m.reason FROM missing_part m JOIN device d ON " +
				"d.id = m.device_id",
		} {
			rows, err := tx.Query(q)
			if err != nil {
				return err
			}
			for rows.Next() {
				var s string
				if err := rows.Scan(&s); err != nil {
					return err
				}
				out = append(out, s)
			}
			if err := errors.Join(rows.Err(), rows.Close()); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(out)
	return strings.Join(out, "\n")
}

// Scans that are late, doubled and in any order end as those that came once and in order.
func TestScansInAnyOrderEndTheSame(t *testing.T) {
	ctx := context.Background()
	for seed := uint64(1); seed <= 6; seed++ {
		r := rand.New(rand.NewPCG(seed, 3))
		var scans []*formats.Scan
		for d := range 3 {
			for i := range 2 + r.IntN(5) {
				s := scanOf(
					fmt.Sprintf("D%d", d),
					fmt.Sprintf("hal-%d-%d", d, r.IntN(2)),
					morning.Add(time.Duration(i*24+r.IntN(5))*time.Hour),
				)
				s.Device.Cores = int64(4 + 4*r.IntN(2))
				s.Device.OSVersion = fmt.Sprint(11 + r.IntN(2))
				part := func() string { return []string{"packages", "tags"}[r.IntN(2)] }
				if r.IntN(3) == 0 {
					s.Covers = []string{part()}
				}
				for n := range 4 {
					if r.IntN(2) == 0 {
						p := part()
						if s.Covers != nil {
							p = s.Covers[0]
						}
						in := formats.ScanInstall{
							Name:    fmt.Sprintf("prog%d", n),
							Version: fmt.Sprint(1 + r.IntN(2)),
							Part:    p,
						}
						if r.IntN(3) == 0 {
							in.InstallDate = fmt.Sprintf("2026-01-%02d", 1+r.IntN(20))
						}
						s.Installs = append(s.Installs, in)
						s.Files = append(s.Files, formats.ScanFile{Name: in.Name + ".exe", Folder: "/opt", Part: p})
					}
				}
				s.Logons = []formats.ScanLogon{{User: fmt.Sprintf("u%d", r.IntN(2)), At: s.At}}
				s.Sessions = []formats.ScanSession{
					{User: "u1", FileName: "prog1.exe", Start: morning.Add(time.Hour)},
				}
				s.Missing = []formats.ScanMissing{{Part: "rpm", Reason: fmt.Sprint("not there ", i)}}
				scans = append(scans, s)
			}
		}
		run := func() string {
			prog, clock := desk(t)
			clock.now = morning.AddDate(0, 1, 0)
			for _, s := range scans {
				if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
					t.Fatal(err)
				}
			}
			return state(t, prog)
		}
		want := run()
		for range 2 {
			shuffled := slices.Clone(scans)
			for range 4 {
				shuffled = append(shuffled, scans[r.IntN(len(scans))])
			}
			r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
			before := scans
			scans = shuffled
			got := run()
			scans = before
			if got != want {
				t.Fatalf("seed %d: in another order\n%s\n\ninstead of\n%s", seed, got, want)
			}
		}
	}
}

func TestScanOutcomes(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	clock.now = morning.AddDate(0, 0, 5)
	send := func(s *formats.Scan) arriving.Taken {
		t.Helper()
		got, err := prog.Evidence.TakeScan(ctx, "collector", "id", s)
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	if got := send(scanOf("D1", "hal-1", morning.Add(48*time.Hour), "tide 1",
		"draft 1")); got != (arriving.Taken{Device: "D1", Outcome: "new", Added: 2, Changed: 0, Gone: 0}) {
		t.Errorf("%+v", got)
	}
	if got := send(scanOf("D1", "hal-1", morning.Add(48*time.Hour), "tide 1", "draft 1")); got.Outcome != "again" ||
		got.Added+got.Gone+got.Changed != 0 {
		t.Errorf("the same again: %+v", got)
	}
	if got := send(scanOf("D1", "hal-1", morning, "tide 1")); got.Outcome != "late" {
		t.Errorf("an earlier one: %+v", got)
	}
	if got := send(scanOf("D1", "hal-1", morning.Add(72*time.Hour), "tide 1")); got.Gone != 1 {
		t.Errorf("a program less: %+v", got)
	}
	if _, err := prog.Evidence.TakeScan(ctx, "collector", "id",
		scanOf("D1", "hal-1", clock.now.Add(25*time.Hour))); err == nil ||
		!strings.Contains(err.Error(), "clock") {
		t.Errorf("a scan from the future: %v", err)
	}
}

// A machine renamed is one device; two machines of one name are two, and a source that finds devices by name is told
// so.
func TestNamesAndMachines(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	clock.now = morning.AddDate(0, 0, 9)
	for _, s := range []*formats.Scan{scanOf("D1", "hal-old", morning),
		scanOf("D1", "hal-new", morning.Add(time.Hour)), scanOf("D2", "twin", morning),
		scanOf("D3", "TWIN", morning)} {
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
	}
	if got, err := prog.Evidence.TakeScan(ctx, "gateway", "name",
		scanOf("", "HAL-NEW", morning.Add(2*time.Hour))); err != nil ||
		got.Device != "D1" {
		t.Errorf("by name: %+v %v", got, err)
	}
	if _, err := prog.Evidence.TakeScan(ctx, "gateway", "name",
		scanOf("", "twin", morning.Add(2*time.Hour))); !errors.Is(
		err,
		arriving.ErrAmbiguous,
	) {
		t.Errorf("two of one name: %v", err)
	}
	if got, err := prog.Evidence.TakeScan(ctx, "gateway", "name", scanOf("", "nobody", morning)); err != nil ||
		got.Device != "nobody" {
		t.Errorf("a new name: %+v %v", got, err)
	}
	got := state(t, prog)
	for _, want := range []string{"device D1|HAL-NEW|",
		"change D1|" + fmt.Sprint(morning.Add(time.Hour).Unix()) + "|hardware|name|hal-old|hal-new"} {
		if !strings.Contains(got, want) {
			t.Errorf("%q is missing from\n%s", want, got)
		}
	}
	e, err := prog.Evidence.DeviceEvidence(ctx, "D2")
	if err != nil || !reflect.DeepEqual(e.Same, []string{"D3"}) {
		t.Errorf("the other of that name: %v %v", e.Same, err)
	}
}

// What lists state and what scans report: the newest report holds, whatever came first, and the disagreement is shown.
func TestSourcesDisagree(t *testing.T) {
	ctx := context.Background()
	list := func(prog *Program) {
		if res := take(t, prog, formats.Devices,
			strings.Split(strings.TrimSpace("device_id,name,kind,cores,os_name,primary_user,org_unit\n"+
				"D1,hal-1,server,2,Varde,boss,Shore\n"), "\n")...); len(
			res.Aside,
		) > 0 {
			t.Fatal(res.Aside)
		}
	}
	scan := func(prog *Program) {
		s := scanOf("D1", "hal-1", morning, "tide 1", "draft 2")
		s.Device.Kind = "client"
		s.Logons = []formats.ScanLogon{{User: "u7", At: morning}}
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
		if res := take(t, prog, formats.Installs,
			strings.Split(strings.TrimSpace(fmt.Sprintf("device_id,name,version,source,seen_at\n"+
				"D1,tide,1,deployment,%s\nD1,draft,3,deployment,%s\n", morning.Format(time.RFC3339),
				morning.Format(time.RFC3339))), "\n")...); len(
			res.Aside,
		) > 0 {
			t.Fatal(res.Aside)
		}
	}
	for _, order := range [][]func(*Program){{list, scan}, {func(prog *Program) {
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", scanOf("D1", "hal-1", morning)); err != nil {
			t.Fatal(err)
		}
	}, list, scan, list}} {
		prog, clock := desk(t)
		clock.now = morning.Add(time.Hour)
		for _, step := range order {
			step(prog)
		}
		got := state(t, prog)
		if !strings.Contains(got, "device D1|hal-1|server|4|Varde|u7") || !strings.Contains(got, "fact D1|fresh") ||
			!strings.HasSuffix(strings.Split(got, "\n")[2], "|4") && strings.Count(got, "install D1") != 5 {
			t.Errorf("%s", got)
		}
		e, err := prog.Evidence.DeviceEvidence(ctx, "D1")
		if err != nil {
			t.Fatal(err)
		}
		facts := map[string]bool{}
		for _, f := range e.Facts {
			facts[f.Fact] = f.Differ
			if f.Fact == "cores" && f.Holds != "4" {
				t.Errorf("cores: %+v", f)
			}
		}
		if !facts["cores"] || facts["name"] ||
			!reflect.DeepEqual(
				e.Differ,
				[]evidence.SourceDiffer{
					{Name: "draft", Versions: map[string]string{"collector": "2", "deployment": "3"}},
				},
			) {
			t.Errorf("%+v %+v", facts, e.Differ)
		}
		var page sqlite.Page[lists.DeviceRow]
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			page, err = lists.DeviceList().Page(tx, sqlite.ListQuery{})
			return err
		}); err != nil {
			t.Fatal(err)
		}
		if d := page.Rows[0]; d.Installs != 4 || d.Differ < 2 {
			t.Errorf("installs %d (tide is one of two sources, its operating system another), disagreements %d",
				d.Installs, d.Differ)
		}
	}
}

// What a scan says of its device stands in the list together with the figures that follow from it, never one without
// the other; other devices stay as they were.
func TestAScanShowsWithItsFigures(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(t, prog, formats.Devices, "device_id,name,kind,os_name", "D1,hal-1,client,Varde", "D2,hal-2,client,")
	renew(t, prog)
	row := func(code string) lists.DeviceRow {
		t.Helper()
		page, err := listed(prog, func(*sqlite.ListQuery) (*sqlite.List[lists.DeviceRow], error) {
			return lists.DeviceList(), nil
		}, sqlite.ListQuery{Filters: map[string]string{"code": code}})
		if err != nil || len(page.Rows) > 1 {
			t.Fatalf("%+v, %v", page.Rows, err)
		}
		return append(page.Rows, lists.DeviceRow{})[0]
	}
	at := clock.now.Add(-time.Hour)
	for _, s := range []*formats.Scan{
		scanOf("D1", "hal-1", at, "tide 1", "draft 2"), scanOf("D3", "hal-3", at, "tide 1"),
	} {
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
	}
	if r := row("D1"); r.Age == "fresh" && r.Installs != 3 {
		t.Errorf("D1 is fresh with %d installs", r.Installs)
	}
	renew(t, prog)
	for code, installs := range map[string]int64{"D1": 3, "D2": 0, "D3": 2} {
		r, age, seen := row(code), "fresh", at.Unix()
		if code == "D2" {
			age, seen = "never", 0
		}
		if r.Age != age || r.Installs != installs || r.LastSeen != seen {
			t.Errorf("%s is %s, with %d installs, seen at %d", code, r.Age, r.Installs, r.LastSeen)
		}
	}
}

// A partial scan does not make a device that was never scanned look like one that was.
func TestPartialScanIsNoWholeOne(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	clock.now = morning.Add(time.Hour)
	s := scanOf("D1", "hal-1", morning)
	s.Covers = []string{"tag x"}
	s.Installs = []formats.ScanInstall{{Name: "tide", Part: "tag x"}}
	if _, err := prog.Evidence.TakeScan(ctx, "SWID tags", "id", s); err != nil {
		t.Fatal(err)
	}
	if got := state(t, prog); !strings.Contains(got, "fact D1|never|0|2") {
		t.Errorf("%s", got)
	}
}

func TestTokens(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	clock.now = morning.Add(time.Hour)
	secret, id, err := prog.Collecting.NewToken(ctx, "shore collector", "id", "me")
	if err != nil {
		t.Fatal(err)
	}
	from, err := prog.Collecting.Sender(ctx, secret, "192.0.2.7")
	if err != nil || from.Source != "shore collector" {
		t.Fatalf("%+v %v", from, err)
	}
	if _, err := prog.Collecting.Deliver(ctx, from, scanOf("D1", "hal-1", morning, "tide 1"), 900); err != nil {
		t.Fatal(err)
	}
	if err := prog.Collecting.Refuse(ctx, from, "D1", 3, "half a scan"); err != nil {
		t.Fatal(err)
	}
	list, err := prog.Collecting.Tokens(ctx)
	if err != nil || len(list) != 1 || list[0].Scans != 1 || list[0].Devices != 1 ||
		list[0].LastUsed != clock.now.Unix() ||
		list[0].LastFrom != "192.0.2.7" ||
		!strings.HasPrefix(secret, list[0].Hint) ||
		len(list[0].Hint) > 14 {
		t.Errorf("%+v %v", list, err)
	}
	var kept int
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		return tx.QueryRow("SELECT count(*) FROM token WHERE hash = ? OR instr(hint, ?) > 0", secret,
			secret).Scan(&kept)
	}); err != nil || kept != 0 {
		t.Errorf("the secret itself is kept: %d %v", kept, err)
	}
	if err := prog.Collecting.RevokeToken(ctx, id, "me"); err != nil {
		t.Fatal(err)
	}
	for _, bad := range []string{secret, "", "ensomet_x"} {
		if _, err := prog.Collecting.Sender(ctx, bad, ""); !errors.Is(err, access.ErrToken) {
			t.Errorf("%q: %v", bad, err)
		}
	}
	if _, _, err := prog.Collecting.NewToken(ctx, " ", "id", "me"); err == nil {
		t.Error("a token without source was made")
	}
}

// A later scan that finds the same changes no line, and yet the evidence is fresh again; the same file twice changes
// nothing at all.
func TestALaterScanOfTheSameIsNews(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(t, prog, formats.Devices, "device_id,name", "D1,one")
	first := []string{"device_id,name,version,seen_at", "D1,tide,1,2026-05-01T08:00:00Z"}
	take(t, prog, formats.Installs, first...)
	age := func() string {
		t.Helper()
		if dirty, err := prog.Renewal.Dirty(ctx); err != nil {
			t.Fatal(err)
		} else if dirty {
			if err := prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatal(err)
			}
		}
		return devicesWith(t, prog, nil, "").Rows[0].Age
	}
	if got := age(); got != "stale" {
		t.Fatalf("on %v it is %s", clock.now, got)
	}
	if res := take(t, prog, formats.Installs, first...); res.News() {
		t.Errorf("the same file is news: %+v", res)
	}
	if dirty, err := prog.Renewal.Dirty(ctx); err != nil || dirty {
		t.Errorf("the same file makes the figures old: %v", err)
	}
	if res := take(t, prog, formats.Installs, first[0],
		strings.Replace(first[1], "05-01", "06-29", 1)); res.Scans != 1 ||
		res.Added+res.Changed+res.Gone != 0 {
		t.Errorf("a later scan: %+v", res)
	}
	if got := age(); got != "fresh" {
		t.Errorf("after a scan of yesterday it is %s", got)
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
}
