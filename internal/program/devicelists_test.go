package program

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

// file opens a text as a file that can be read from any place.
func fileOf(t *testing.T, name string, text []byte) *os.File {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, text, 0o600); err != nil {
		t.Fatal(err)
	}
	f, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	return f
}

func bring(t *testing.T, prog *Program, req intake.ImportRequest, text string) (intake.ImportResult, error) {
	t.Helper()
	if req.File == "" {
		req.File = "file"
	}
	req.Author = "test"
	return prog.Evidence.ImportFile(context.Background(), fileOf(t, "file", []byte(text)), int64(len(text)), req)
}

// fleet6 is a small estate with publishers, products, versions, files and several sources.
func fleet6(t *testing.T) (*Program, *movable) {
	t.Helper()
	prog, clock := desk(t)
	ctx := context.Background()
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,version,licence_model",
		"Ostwick,Skerrymap,6,commercial",
		"Ostwick,Skerrymap,7,commercial",
		"Pelmar,Tidewheel,,free",
	)
	take(
		t,
		prog,
		formats.Devices,
		"device_id,name,kind,environment,org_unit,site,hosting,last_scan",
		"D1,one,client,production,Shore,North,,",
		"D2,two,server,test,Shore,North,cloud,",
		"D3,three,server,production,Sea,Sea,,",
		"D4,four,client,production,Sea,Sea,,",
	)
	for i, software := range [][]string{{"Skerrymap 6.1", "Tidewheel 2"}, {"Skerrymap 7.0", "Gauge 1"},
		{"Skerrymap 6.1"}} {
		s := scanOf(
			fmt.Sprintf("D%d", i+1),
			[]string{"one", "two", "three"}[i],
			clock.now.AddDate(0, 0, -[]int{1, 2, 60}[i]),
			software...)
		for k := range s.Installs {
			s.Installs[k].Publisher = map[string]string{"Skerrymap": "Ostwick",
				"Tidewheel": "Pelmar"}[s.Installs[k].Name]
			s.Installs[k].InstallPath = "/opt/" + strings.ToLower(s.Installs[k].Name)
			s.Files = append(
				s.Files,
				formats.ScanFile{
					Folder:  s.Installs[k].InstallPath + "/bin",
					Name:    strings.ToLower(s.Installs[k].Name) + ".exe",
					Version: s.Installs[k].Version,
					Size:    int64(1000 + k),
				},
			)
		}
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
	}
	take(
		t,
		prog,
		formats.Installs,
		"device_id,publisher,name,version,file_name,source,seen_at",
		"D2,Ostwick,Skerrymap,7.0,skerry.bin,deployment,2026-06-29T08:00:00Z",
	)
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	return prog, clock
}

func devicesWith(t *testing.T, prog *Program, filters map[string]string, split string) sqlite.Page[lists.DeviceRow] {
	t.Helper()
	var page sqlite.Page[lists.DeviceRow]
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		page, err = lists.DeviceList().Page(tx, sqlite.ListQuery{Filters: filters, Split: split, Sort: "code"})
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return page
}

func TestEveryCountSplitsAndNarrows(t *testing.T) {
	prog, _ := fleet6(t)
	ids, err := prog.Position.FindProducts(context.Background(), "Skerrymap")
	if err != nil || len(ids) != 1 {
		t.Fatal(ids, err)
	}
	product := fmt.Sprint(ids[0])
	for _, c := range []struct {
		filters map[string]string
		split   string
		want    string
	}{
		{nil, "kind", "4 (1 stale, 1 never): client 2 0 1, server 2 1 0"},
		{nil, "hosting", "4 (1 stale, 1 never): own site 3 1 1, cloud 1 0 0"},
		{nil, "environment", "4 (1 stale, 1 never): production 3 1 1, test 1 0 0"},
		{nil, "site", "4 (1 stale, 1 never): North 2 0 0, Sea 2 1 1"},
		{map[string]string{"hasProduct": product}, "site", "3 (1 stale, 0 never): North 2 0 0, Sea 1 1 0"},
		{map[string]string{"hasVersion": product + ":6"}, "kind", "2 (1 stale, 0 never): client 1 0 0, server 1 1 0"},
		{map[string]string{"hasPublisher": "Pelmar"}, "kind", "1 (0 stale, 0 never): client 1 0 0"},
		{map[string]string{"hasFile": "skerry*"}, "kind", "3 (1 stale, 0 never): server 2 1 0, client 1 0 0"},
		{map[string]string{"hasFile": "skerrymap.exe;v=7.0"}, "kind", "1 (0 stale, 0 never): server 1 0 0"},
		{map[string]string{"hasFile": "skerry.bin;v="}, "kind", "1 (0 stale, 0 never): server 1 0 0"},
		{map[string]string{"hasFile": "GAUGE.???", "kind": "client"}, "kind", "0 (0 stale, 0 never): "},
		{map[string]string{"hasFile": "%"}, "kind", "0 (0 stale, 0 never): "},
	} {
		page := devicesWith(t, prog, c.filters, c.split)
		var parts []string
		sum := 0
		for _, p := range page.Parts {
			parts = append(parts, fmt.Sprintf("%s %d %d %d", p.Value, p.Count, p.Stale, p.Never))
			sum += p.Count
		}
		if got := fmt.Sprintf("%d (%d stale, %d never): %s", page.Total, page.Stale, page.Never,
			strings.Join(parts, ", ")); got != c.want ||
			sum != page.Total {
			t.Errorf("%v by %s: %s, want %s", c.filters, c.split, got, c.want)
		}
	}
}

// Each level of the way down counts what the level below lists, and what the list of devices narrows to.
func TestTheWayDownAddsUp(t *testing.T) {
	ctx := context.Background()
	prog, _ := fleet6(t)
	top, err := prog.Evidence.Drill(ctx, "", 0, "", false)
	if err != nil || len(top.Levels) != 2 {
		t.Fatalf("%+v %v", top, err)
	}
	for _, p := range top.Levels {
		products, err := prog.Evidence.Drill(ctx, p.Key, 0, "", false)
		if err != nil {
			t.Fatal(err)
		}
		installs := int64(0)
		for _, pr := range products.Levels {
			installs += pr.Installs
			var id int64
			if _, err := fmt.Sscan(pr.Key, &id); err != nil {
				t.Fatal(err)
			}
			if n := devicesWith(t, prog, map[string]string{"hasProduct": pr.Key}, ""); int64(n.Total) != pr.Devices ||
				int64(n.Stale) != pr.Stale {
				t.Errorf(
					"%s: %d devices, %d stale; the list has %d and %d",
					pr.Label,
					pr.Devices,
					pr.Stale,
					n.Total,
					n.Stale,
				)
			}
			versions, err := prog.Evidence.Drill(ctx, p.Key, id, "", false)
			if err != nil {
				t.Fatal(err)
			}
			for _, v := range versions.Levels {
				holders, err := prog.Evidence.Drill(ctx, p.Key, id, v.Key, true)
				if err != nil {
					t.Fatal(err)
				}
				devices := map[string]bool{}
				for _, h := range holders.Holders {
					devices[h.Code] = true
					files, err := prog.Evidence.DeviceFiles(ctx, h.Code, h.Record)
					if err != nil {
						t.Fatal(err)
					}
					if h.Source == "collector" &&
						(len(files) != 1 || files[0].Name != strings.ToLower(h.Name)+".exe") {
						t.Errorf("%s on %s: files %v", h.Name, h.Code, files)
					}
				}
				if int64(len(devices)) != v.Devices {
					t.Errorf("%s %s: %d devices, %d are listed", pr.Label, v.Label, v.Devices, len(devices))
				}
			}
		}
		if installs != p.Installs {
			t.Errorf("%s: %d installs, its products have %d", p.Label, p.Installs, installs)
		}
	}
	if _, err := prog.Evidence.Drill(ctx, "", 999, "", false); !errors.Is(err, sqlite.ErrNotFound) {
		t.Errorf("a product that is not there: %v", err)
	}
}

func TestComparison(t *testing.T) {
	ctx := context.Background()
	prog, clock := fleet6(t)
	c, err := prog.Evidence.Compare(ctx, "D1", "D2")
	if err != nil {
		t.Fatal(err)
	}
	what := func(c evidence.Comparison) string {
		var out []string
		for _, s := range c.Software {
			out = append(out, fmt.Sprintf("%s [%s|%s] %s", s.Name, s.Left, s.Right, s.What))
		}
		return strings.Join(out, "; ")
	}
	if got := what(c); got != "Gauge [|1] right; Ostwick Skerrymap 6 [6.1|7.0] newer right; Pelmar Tidewheel 2 [2|] "+
		"left" ||
		c.Warning != "" ||
		c.Same != 0 {
		t.Errorf("%s %+v", got, c)
	}
	differ := map[string]bool{}
	for _, f := range c.Facts {
		differ[f.Fact] = f.Differ
	}
	if !differ["kind"] || !differ["hosting"] || differ["unit"] {
		t.Errorf("facts %v", differ)
	}
	if c, err = prog.Evidence.Compare(ctx, "D1", "D3"); err != nil || !strings.Contains(c.Warning, "59 days apart") ||
		c.Same != 1 {
		t.Errorf("%s: %s %v", what(c), c.Warning, err)
	}
	if c, err = prog.Evidence.Compare(ctx, "D4", "D1"); err != nil ||
		!strings.Contains(c.Warning, "four was never scanned") {
		t.Errorf("%s %v", c.Warning, err)
	}
	if _, err := prog.Evidence.Compare(ctx, "D1", "D9"); !errors.Is(err, sqlite.ErrNotFound) {
		t.Errorf("against nobody: %v", err)
	}
	// a device against itself is the same
	clock.now = clock.now.Add(time.Hour)
	if c, err = prog.Evidence.Compare(ctx, "D2", "D2"); err != nil || c.Same != len(c.Software) || c.DaysOff != 0 {
		t.Errorf("%s %v", what(c), err)
	}
}

func TestFileSearch(t *testing.T) {
	ctx := context.Background()
	prog, _ := fleet6(t)
	got, err := prog.Evidence.FindFiles(ctx, "skerry*")
	if err != nil {
		t.Fatal(err)
	}
	var rows []string
	for _, f := range got.Files {
		rows = append(rows, fmt.Sprintf("%s %s %d %d", f.Name, f.Version, f.Devices, f.Stale))
		if n := devicesWith(t, prog, map[string]string{"hasFile": f.Name + ";v=" + f.Version}, ""); int64(
			n.Total,
		) != f.Devices {
			t.Errorf("%s %s: %d devices, the list has %d", f.Name, f.Version, f.Devices, n.Total)
		}
	}
	if want := []string{"skerrymap.exe 6.1 2 1", "skerry.bin  1 0", "skerrymap.exe 7.0 1 0"}; !reflect.DeepEqual(
		rows,
		want,
	) ||
		got.Devices != 3 ||
		got.Stale != 1 ||
		got.Unknown != 1 ||
		got.Total != 3 {
		t.Errorf("%q %+v", rows, got)
	}
	for _, bad := range []string{"", "*", " ?* "} {
		if _, err := prog.Evidence.FindFiles(ctx, bad); err == nil {
			t.Errorf("%q was searched for", bad)
		}
	}
}

func TestDocumentsOfADevice(t *testing.T) {
	ctx := context.Background()
	prog, _ := fleet6(t)
	for format := range evidence.SoftwareFormats {
		var b bytes.Buffer
		if err := prog.Evidence.WriteSoftware(ctx, "D2", format, &b); err != nil {
			t.Fatalf("%s: %v", format, err)
		}
		other, clock := desk(t)
		clock.now = morning.AddDate(0, 2, 0)
		res, err := bring(t, other, intake.ImportRequest{}, b.String())
		if err != nil || res.Added != 3 {
			t.Fatalf("%s: %+v %v", format, res, err)
		}
		page := devicesWith(t, other, nil, "")
		if len(page.Rows) != 1 || page.Rows[0].Code != "D2" {
			t.Errorf("%s: %+v", format, page.Rows)
		}
		if again, err := bring(t, other, intake.ImportRequest{}, b.String()); err != nil ||
			again.Added+again.Changed+again.Gone != 0 {
			t.Errorf("%s again: %+v %v", format, again, err)
		}
		b.Reset()
		if err := prog.Evidence.WriteAllSoftware(ctx, format, &b); err != nil || b.Len() == 0 {
			t.Errorf("all as %s: %v", format, err)
		}
	}
	if err := prog.Evidence.WriteSoftware(ctx, "D4", "spdx", &bytes.Buffer{}); err == nil ||
		!strings.Contains(err.Error(), "never scanned") {
		t.Errorf("of a device never scanned: %v", err)
	}
}

// A directory goes in as users and devices; the next one says who joined, moved and left; devices that it alone knows
// were never scanned.
func TestDirectoryImport(t *testing.T) {
	prog, clock := desk(t)
	person := func(id, unit, more string) string {
		return fmt.Sprintf(
			"dn: uid=%s,ou=%s,ou=People,dc=x,dc=example\nobjectClass: inetOrgPerson\nuid: %s\ncn: Person %s\n%s\n",
			id,
			unit,
			id,
			id,
			more,
		)
	}
	device := "dn: cn=hal-9,ou=Shore,ou=Computers,dc=x,dc=example\nobjectClass: device\ncn: hal-9\nowner: " +
		"uid=u1,ou=Shore,dc=x,dc=example\n\n"
	first := "version: 1\n" + person("u1", "Shore", "") + person("u2", "Shore", "") + person("u3", "Sea", "") + device
	res, err := bring(t, prog, intake.ImportRequest{}, first)
	if err != nil || res.Added != 4 || res.Kind != "directory" {
		t.Fatalf("%+v %v", res, err)
	}
	if res, err = bring(t, prog, intake.ImportRequest{}, first); err != nil || res.Added+res.Changed != 0 {
		t.Errorf("the same again: %+v %v", res, err)
	}
	clock.now = clock.now.AddDate(0, 0, 1)
	second := "version: 1\n" + person(
		"u1",
		"Sea",
		"",
	) + person(
		"u2",
		"Shore",
		"nsAccountLock: TRUE\n",
	) + "dn: uid=u3,ou=Sea,dc=x,dc=example\nchangetype: delete\n\n" + person(
		"u4",
		"Shore",
		"",
	) + "dn: broken\nno colon\n\n"
	if res, err = bring(t, prog, intake.ImportRequest{}, second); err != nil || len(res.Aside) != 1 {
		t.Fatalf("%+v %v", res, err)
	}
	var moves []string
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		page, err := evidencedb.MoveList().Page(tx, sqlite.ListQuery{Sort: "person"})
		for _, m := range page.Rows {
			moves = append(moves,
				strings.TrimSpace(fmt.Sprint(m.Person, " ", m.What, " ", m.From, " ", m.To, " ", m.On)))
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if want := []string{"u1 moved Shore Sea 2026-07-01", "u2 left Shore  2026-07-01", "u3 left Sea  2026-07-01",
		"u4 joined  Shore 2026-07-01"}; !reflect.DeepEqual(
		moves,
		want,
	) {
		t.Errorf("%q", moves)
	}
	if err := prog.Pipeline.Refresh(context.Background()); err != nil {
		t.Fatal(err)
	}
	if d := devicesWith(t, prog, nil, "").Rows[0]; d.Age != "never" || d.User != "u1" || d.Unit != "Shore" ||
		d.DirectoryAge != "fresh" {
		t.Errorf("%+v", d)
	}
}

// The limits of age are kept for each kind of device and evidence.
func TestLimitsOfAge(t *testing.T) {
	ctx := context.Background()
	prog, _ := fleet6(t)
	rules := evidence.Rules{
		FreshDays: 30,
		UseWindow: 90,
		GraceDays: 30,
		Limits: []evidence.Limit{
			{Device: "server", Evidence: "software", Days: 1},
			{Device: "", Evidence: "hardware", Days: 90},
		},
	}
	if err := prog.Evidence.SetRules(ctx, rules, "me"); err != nil {
		t.Fatal(err)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	got := map[string]string{}
	for _, d := range devicesWith(t, prog, nil, "").Rows {
		got[d.Code] = d.Age + " " + d.HardwareAge + " " + d.UseAge
	}
	if want := map[string]string{"D1": "fresh fresh never", "D2": "fresh fresh never", "D3": "stale fresh never",
		"D4": "never never never"}; !reflect.DeepEqual(
		got,
		want,
	) {
		t.Errorf("%v", got)
	}
	rules.Limits = nil // says nothing of them
	rules.Revision++
	if err := prog.Evidence.SetRules(ctx, rules, "me"); err != nil {
		t.Fatal(err)
	}
	if back, err := prog.Evidence.Rules(ctx); err != nil || len(back.Limits) != 2 {
		t.Errorf("%+v %v", back, err)
	}
	rules.Limits = []evidence.Limit{{Device: "toaster", Evidence: "software", Days: 1}}
	if prog.Evidence.SetRules(ctx, rules, "me") == nil {
		t.Error("a kind of device that there is not was taken")
	}
}

// A tag and a directory record that cannot be read are kept as lines that somebody completes; the line then joins the
// scan that its tag belongs to.
func TestWhatCannotBeReadIsMended(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{
		"D1/good.swidtag":   `<SoftwareIdentity xmlns="http://standards.iso.org/iso/19770/-2/2015/schema.xsd" name="Tide" tagId="t" version="1"><Entity name="Pelmar" role="tagCreator"/></SoftwareIdentity>`,
		"D1/broken.swidtag": "<SoftwareIdentity",
	} {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(text)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	res, err := bring(t, prog, intake.ImportRequest{AsOf: clock.now.Add(-time.Hour)}, b.String())
	if err != nil || len(res.Aside) != 1 || !strings.Contains(res.Aside[0].Reason, "D1/broken.swidtag") {
		t.Fatalf("%+v %v", res, err)
	}
	ldif := "version: 1\n\ndn: uid=u7,ou=Shore\nno colon\n\ndn: uid=u8,ou=Shore\nobjectClass: person\nuid: u8\n"
	if res, err = bring(t, prog, intake.ImportRequest{}, ldif); err != nil ||
		len(res.Aside) != 1 ||
		!strings.HasPrefix(res.Aside[0].Content, ",u7,") ||
		!strings.Contains(res.Aside[0].Reason, "no colon") {
		t.Fatalf("%+v %v", res, err)
	}
	var waiting []evidencedb.Aside
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		waiting, err = evidencedb.Asides(tx, "waiting")
		return err
	}); err != nil || len(waiting) != 2 {
		t.Fatal(waiting, err)
	}
	fields := strings.Split(waiting[0].Content, ",")
	if err := prog.Evidence.Mend(ctx, waiting[0].ID, waiting[0].Content, "me"); err == nil {
		t.Error("a line without a name was taken")
	}
	fields[2] = "Gauge"
	if err := prog.Evidence.Mend(ctx, waiting[0].ID, strings.Join(fields, ","), "me"); err != nil {
		t.Fatal(err)
	}
	if err := prog.Evidence.Mend(ctx, waiting[1].ID, strings.Replace(waiting[1].Content, ",u7,", "u7,Person Seven,", 1),
		"me"); err != nil {
		t.Fatal(err)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	if d := devicesWith(t, prog, nil, "").Rows; len(d) != 1 || d[0].Installs != 2 {
		t.Errorf("%+v", d)
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
}
