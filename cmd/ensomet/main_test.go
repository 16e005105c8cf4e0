package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/csv"
	"ensomet/internal/sqlite"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"
)

var binary string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "ensomet-cli")
	if err != nil {
		panic(err)
	}
	binary = filepath.Join(dir, "ensomet")
	if out, err := exec.Command("go", "build", "-o", binary, ".").CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "%s\n", out)
		os.Exit(1)
	}
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// desk is a folder with a data file of its own.
type desk struct {
	t   *testing.T
	dir string
}

func (d desk) file(name, text string) string {
	d.t.Helper()
	path := filepath.Join(d.dir, name)
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		d.t.Fatal(err)
	}
	return path
}

// run runs the command and returns its exit code, standard output and standard error.
func (d desk) run(args ...string) (int, string, string) {
	d.t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), "ENSOMET_DB="+filepath.Join(d.dir, "data", "test.db"))
	var out, errOut bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errOut
	err := cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return exit.ExitCode(), out.String(), errOut.String()
	}
	if err != nil {
		d.t.Fatal(err)
	}
	return 0, out.String(), errOut.String()
}

// must runs the command and wants an exit code.
func (d desk) must(code int, args ...string) (string, string) {
	d.t.Helper()
	got, out, says := d.run(args...)
	if got != code {
		d.t.Fatalf("%v ends with %d, want %d:\n%s", args, got, code, says)
	}
	return out, says
}

const (
	titles = "publisher,product,version,licence_model,list_price,currency\n" +
		"Ostwick,Skerrymap,6,commercial,100,EUR\n"
	devices = "device_id,name,kind,org_unit,last_scan\nD1,alpha,client,Shore/A,2026-06-29\n" +
		"D2,beta,client,Shore/B,2026-06-29\nD3,gamma,client,Shore/B,\n"
	entitlements = "entitlement_id,publisher,product,metric,quantity,purchased\n" +
		"E1,Ostwick,Skerrymap,device,1,2025-01-01\n"
	installs = "device_id,publisher,name,version,seen_at\nD1,Ostwick Ltd,Skerrymap 6 " +
		"(64-bit),6.1,2026-06-29T10:00:00Z\nD2,Ostwick,Skerrymap,6.0,2026-06-29T10:00:00Z\n"
)

func small(t *testing.T) desk {
	d := desk{t, t.TempDir()}
	in := filepath.Join(d.dir, "in")
	if err := os.Mkdir(in, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{"titles.csv": titles, "devices.csv": devices,
		"entitlements.csv": entitlements, "installs.csv": installs} {
		d.file("in/"+name, text)
	}
	return d
}

func rowsOf(t *testing.T, text string) []map[string]string {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil || len(rows) == 0 {
		t.Fatalf("%v in %q", err, text)
	}
	var out []map[string]string
	for _, r := range rows[1:] {
		m := map[string]string{}
		for i, name := range rows[0] {
			m[name] = r[i]
		}
		out = append(out, m)
	}
	return out
}

func TestFromAFolderToAPositionAndItsReasons(t *testing.T) {
	d := small(t)
	d.must(0, "import", filepath.Join(d.dir, "in"))
	out, _ := d.must(0, "position")
	rows := rowsOf(t, out)
	if len(rows) != 1 {
		t.Fatal(out)
	}
	for column, want := range map[string]string{"publisher": "Ostwick", "product": "Skerrymap", "metric": "device",
		"owned": "1", "needed": "2", "covered": "1", "shortfall": "1", "surplus": "0", "exposure": "100",
		"currency": "EUR"} {
		if rows[0][column] != want {
			t.Errorf("%s is %q, want %q", column, rows[0][column], want)
		}
	}
	out, _ = d.must(0, "position", "--explain", "Skerrymap")
	reasons := rowsOf(t, out)
	if len(reasons) != 2 || reasons[0]["covered_by"] != "E1" || reasons[0]["reason"] != "exact" ||
		reasons[1]["covered_by"] != "" ||
		reasons[1]["reason"] != "all used" {
		t.Errorf("%v", reasons)
	}
	if out, _ = d.must(0, "position", "--as-of", "2026-06-28"); len(rowsOf(t, out)) != 1 ||
		rowsOf(t, out)[0]["needed"] != "0" {
		t.Errorf("the day before the scans: %s", out)
	}
	out, _ = d.must(0, "export", "installs")
	for _, r := range rowsOf(t, out) {
		if r["title_product"] != "Skerrymap" || r["title_version"] != "6" || r["recognised_by"] != "catalogue" ||
			r["counted"] != "true" {
			t.Errorf("%v", r)
		}
	}
	_, says := d.must(0, "check")
	if !strings.Contains(says, "equal a full recomputation") {
		t.Error(says)
	}
	d.must(1, "position", "--explain", "Nothing Known")
	d.must(1, "export", "nonsense")
	d.must(0, "backup", filepath.Join(d.dir, "copy.db"))
	d.must(1, "restore", filepath.Join(d.dir, "copy.db"))
	if err := os.Rename(filepath.Join(d.dir, "data"), filepath.Join(d.dir, "lost")); err != nil {
		t.Fatal(err)
	}
	d.must(0, "restore", filepath.Join(d.dir, "copy.db"))
	if out, _ := d.must(0, "position"); rowsOf(t, out)[0]["shortfall"] != "1" {
		t.Error(out)
	}
}

// A file of a version before operating systems were counted has them from the first command on.
func TestAnOlderFileHasItsOperatingSystems(t *testing.T) {
	d := desk{t, t.TempDir()}
	d.must(
		0,
		"import",
		"titles",
		d.file("titles.csv", "publisher,product,licence_model\nSkarvlaget,Skarv Terminal,commercial\n"),
	)
	d.must(
		0,
		"import",
		"devices",
		d.file("devices.csv", "device_id,os_name\nD1,Skarv Terminal\nD2,Skarv Terminal\n"),
	)
	before, _ := d.must(0, "position")
	if rows := rowsOf(t, before); len(rows) != 1 || rows[0]["needed"] != "2" {
		t.Fatal(before)
	}
	ctx := context.Background()
	db, err := sqlite.Open(ctx, filepath.Join(d.dir, "data", "test.db"))
	if err != nil {
		t.Fatal(err)
	}
	err = db.Update(ctx, func(tx *sqlite.Tx) error {
		_, err := tx.Exec("DELETE FROM install; INSERT INTO system_due SELECT id FROM device")
		return err
	})
	if err := errors.Join(err, db.Close()); err != nil {
		t.Fatal(err)
	}
	if after, _ := d.must(0, "position"); after != before {
		t.Errorf("%s, and it was %s", after, before)
	}
}

// What was exported and taken in again elsewhere gives the same position; and a second import of the same files
// changes nothing.
func TestExportsComeBackTheSame(t *testing.T) {
	d := small(t)
	in := filepath.Join(d.dir, "in")
	d.must(0, "import", in)
	_, says := d.must(0, "import", in)
	for _, line := range strings.Split(strings.TrimSpace(says), "\n") {
		if strings.Contains(line, "lines,") && !strings.Contains(line, " 0 new, 0 changed, 0 gone, 0 put aside") {
			t.Errorf("the second time: %s", line)
		}
	}
	before, _ := d.must(0, "position")
	again := desk{t, t.TempDir()}
	kinds := []string{
		"titles",
		"devices",
		"users",
		"entitlements",
		"assignments",
		"transactions",
		"policies",
		"rates",
		"installs",
		"usage",
	}
	for _, kind := range kinds {
		out, _ := d.must(0, "export", kind)
		again.file(kind+".csv", out)
	}
	again.must(0, "import", again.dir)
	after, _ := again.must(0, "position")
	if before != after {
		t.Errorf("before:\n%s\nafter:\n%s", before, after)
	}
	for _, kind := range kinds { // each file itself comes back as it was
		out, _ := d.must(0, "export", kind)
		if back, _ := again.must(0, "export", kind); back != out {
			t.Errorf("%s.csv was\n%s\nand comes back as\n%s", kind, out, back)
		}
	}
	for _, format := range []string{"json", "xlsx"} {
		if out, _ := d.must(0, "export", "devices", "--format", format); !strings.HasPrefix(
			out,
			map[string]string{"json": "[", "xlsx": "PK"}[format],
		) {
			t.Errorf("%s begins with %q", format, out[:2])
		}
	}
}

func TestBadInputIsSaidAndNothingIsHalfStored(t *testing.T) {
	for _, c := range []struct {
		name, kind, text string
		code             int
		says             string
	}{
		{"wrong header", "devices", "machine,owner\nD1,x\n", 1, "lacks the column device_id"},
		{"wrong encoding", "devices", "\xff\xfed\x00e\x00v\x00", 1, "UTF-16"},
		{"one line in another encoding", "devices", "device_id,name\nD7,Havn\xf8y\nD8,ok\n", 3,
			"devices.csv:2: it is not UTF-8"},
		{"a date that is none", "entitlements",
			"entitlement_id,publisher,product,metric,quantity,start\nE7,Ostwick,Skerrymap,device,1,2026-02-30\n", 3,
			"not a date"},
		{"a quantity of -3", "entitlements",
			"entitlement_id,publisher,product,metric,quantity\nE7,Ostwick,Skerrymap,device,-3\n", 3, "quantity is -3"},
		{"two devices with one id", "devices", "device_id,name\nD7,one\nD7,two\n", 3, "stands already on line 2"},
		{"a product nobody knows", "entitlements",
			"entitlement_id,publisher,product,metric,quantity\nE7,Nobody,Nothing,device,3\n", 3,
			"the catalogue has no product"},
		{"cut off in the middle", "installs",
			"device_id,publisher,name,version,seen_at\nD1,Ostwick,Skerrymap,6.1,2026-06-30T10:00:00Z\nD2,Ostw", 1,
			"ends in the middle of line 3"},
		{"cut off inside quotes", "installs", "device_id,publisher,name,version,seen_at\nD1,Ostwick,\"Skerry", 1,
			"cut off"},
		{"empty", "users", "", 1, "empty"},
		{"no such kind", "gadgets", "x\n", 1, "no kind of file"},
	} {
		t.Run(c.name, func(t *testing.T) {
			d := small(t)
			d.must(0, "import", filepath.Join(d.dir, "in"))
			before, _ := d.must(0, "position")
			path := d.file(c.kind+".csv", c.text)
			_, says := d.must(c.code, "import", c.kind, path)
			if !strings.Contains(says, c.says) {
				t.Errorf("it says %q", says)
			}
			if after, _ := d.must(0, "position"); c.code == 1 && before != after {
				t.Errorf("a refused file has changed the position:\n%s%s", before, after)
			}
			d.must(0, "check")
		})
	}
}

// A line of 200 MB is put aside; the lines around it go in, and memory stays small.
func TestGiantLine(t *testing.T) {
	d := small(t)
	path := filepath.Join(d.dir, "devices.csv")
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	block := bytes.Repeat([]byte("x"), 1<<20)
	fmt.Fprint(f, "device_id,name\nD1,")
	for range 200 {
		f.Write(block)
	}
	fmt.Fprint(f, "\nD2,short\n")
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(binary, "import", "devices", path, "--db", filepath.Join(d.dir, "x.db"))
	out, _ := cmd.CombinedOutput()
	if cmd.ProcessState.ExitCode() != 3 || !strings.Contains(string(out), "devices.csv:2: it is longer than") ||
		!strings.Contains(string(out), "1 new") {
		t.Errorf("%d: %s", cmd.ProcessState.ExitCode(), out)
	}
	if mb := cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss / 1024; mb > 150 {
		t.Errorf("it took %d MB", mb)
	}
}

func TestDryRunStoresNothing(t *testing.T) {
	d := small(t)
	_, says := d.must(0, "import", "titles", filepath.Join(d.dir, "in", "titles.csv"), "--dry-run")
	if !strings.Contains(says, "would be taken in: 1 lines, 1 new") {
		t.Error(says)
	}
	if out, _ := d.must(0, "export", "titles"); len(rowsOf(t, out)) != 0 {
		t.Error(out)
	}
}

// Lines that were put aside go in by themselves once what they refer to has come, whatever the order of the files.
func TestLinesPutAsideAreTriedAgain(t *testing.T) {
	d := small(t)
	in := filepath.Join(d.dir, "in")
	_, says := d.must(3, "import", "installs", filepath.Join(in, "installs.csv"))
	if strings.Count(says, "no device") != 2 {
		t.Error(says)
	}
	d.must(3, "import", "entitlements", filepath.Join(in, "entitlements.csv"))
	d.must(3, "retry")
	d.must(0, "import", "devices", filepath.Join(in, "devices.csv"))
	d.must(0, "import", "titles", filepath.Join(in, "titles.csv"))
	d.must(0, "retry")
	out, _ := d.must(0, "position")
	if r := rowsOf(t, out); len(r) != 1 || r[0]["needed"] != "2" || r[0]["owned"] != "1" {
		t.Error(out)
	}
	d.must(0, "check")
}

// Killed in the middle of an import, the file holds all of it or nothing; the import then goes in whole.
func TestKilledInTheMiddle(t *testing.T) {
	d := small(t)
	d.must(0, "import", filepath.Join(d.dir, "in"))
	const lines = 40_000
	var big strings.Builder
	big.WriteString("device_id,publisher,name,version,seen_at\n")
	for i := range lines {
		fmt.Fprintf(&big, "D%d,Maker%d,Weft%04d,%d.%d,2026-06-30T0%d:00:00Z\n", 1+i%3, i%50, i/3, i%7, i%5, i%3)
	}
	path := d.file("installs.csv", big.String())
	before, _ := d.must(0, "export", "installs")
	killed := 0
	for _, wait := range []time.Duration{60, 150, 300, 500, 800} {
		cmd := exec.Command(binary, "import", "installs", path, "--db", filepath.Join(d.dir, "data", "test.db"))
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(wait * time.Millisecond)
		if err := cmd.Process.Kill(); err == nil {
			killed++
		}
		_ = cmd.Wait()
		after, _ := d.must(0, "export", "installs")
		if n := strings.Count(after, "\n"); after != before && n < lines {
			t.Fatalf("killed after %d ms, %d lines are there", wait, n)
		}
		if after != before {
			break
		}
	}
	if killed == 0 {
		t.Error("nothing was killed")
	}
	d.must(0, "import", "installs", path)
	after, _ := d.must(0, "export", "installs")
	if n := strings.Count(after, "\n"); n != lines+1 {
		t.Errorf("in the end there are %d lines", n)
	}
	d.must(0, "check")
}

func TestAccounts(t *testing.T) {
	d := small(t)
	add := func(name, role, password string) error {
		cmd := exec.Command(
			binary,
			"user",
			"add",
			name,
			"--role",
			role,
			"--db",
			filepath.Join(d.dir, "data", "test.db"),
		)
		cmd.Stdin = strings.NewReader(password + "\n")
		return cmd.Run()
	}
	if err := add("ingra", "work", "a long enough one"); err != nil {
		t.Fatal(err)
	}
	if add("short", "work", "short") == nil || add("ingra", "king", "a long enough one") == nil {
		t.Error("a short password or an unknown role passes")
	}
	if out, _ := d.must(0, "user", "list"); out != "ingra\twork\n" {
		t.Errorf("%q", out)
	}
	d.must(0, "user", "remove", "ingra")
	d.must(1, "user", "remove", "ingra")
}

// Several scans of one device in one file, in any order, end in what the newest says.
func TestInstallsOfSeveralScans(t *testing.T) {
	d := small(t)
	d.must(0, "import", filepath.Join(d.dir, "in"))
	lines := []string{
		"D1,Ostwick,Skerrymap,6.1,2026-06-20T10:00:00Z",
		"D1,Ostwick,Skerrymap,5.0,2026-06-10T10:00:00Z",
		"D1,Ostwick,Weft,1,2026-06-20T10:00:00Z",
	}
	slices.Reverse(lines)
	path := d.file("installs.csv", "device_id,publisher,name,version,seen_at\n"+strings.Join(lines, "\n")+"\n")
	d.must(0, "import", "installs", path)
	versions := func(day string) string {
		out, _ := d.must(0, "export", "installs", "--as-of", day)
		var list []string
		for _, r := range rowsOf(t, out) {
			if r["device_id"] == "D1" {
				list = append(list, r["name"]+" "+r["version"])
			}
		}
		slices.Sort(list)
		return strings.Join(list, ", ")
	}
	for day, want := range map[string]string{"2026-06-12": "Skerrymap 5.0", "2026-06-25": "Skerrymap 6.1, Weft 1",
		"2026-06-30": "Skerrymap 6 (64-bit) 6.1"} {
		if got := versions(day); got != want {
			t.Errorf("on %s: %q, want %q", day, got, want)
		}
	}
}

// The demo builds itself where its file is missing, answers, is there at once the second time, and other commands on
// its file go by its clock.
func TestDemoAnswers(t *testing.T) {
	d := desk{t, t.TempDir()}
	db := filepath.Join(d.dir, "demo.db")
	start := func(more ...string) string {
		t.Helper()
		cmd := exec.Command(binary, append([]string{"demo", "--db", db, "--listen", "127.0.0.1:0"}, more...)...)
		says, err := cmd.StderrPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		defer func() {
			if err := cmd.Process.Signal(os.Interrupt); err != nil {
				t.Error(err)
			}
			if err := cmd.Wait(); err != nil {
				t.Errorf("stopped by a signal it ends with %v", err)
			}
		}()
		lines := bufio.NewScanner(says)
		text := ""
		for lines.Scan() {
			text += lines.Text() + "\n"
			if _, url, ok := strings.Cut(lines.Text(), "answers at "); ok {
				res, err := http.Get(url + "/api/me")
				if err != nil {
					t.Fatal(err)
				}
				body, err := io.ReadAll(res.Body)
				res.Body.Close()
				if err != nil || !strings.Contains(string(body), `"demo":true`) {
					t.Fatalf("%s, %v", body, err)
				}
				return text
			}
		}
		t.Fatalf("it never answers: %s", text)
		return ""
	}
	if text := start(); !strings.Contains(text, "Built in") {
		t.Error(text)
	}
	before, _ := d.must(0, "export", "devices", "--db", db)
	if text := start("--this-machine"); strings.Contains(text, "Building") ||
		!strings.Contains(text, "This machine is the device") {
		t.Errorf("built again, or without this machine: %s", text)
	}
	if after, _ := d.must(0, "export", "devices", "--db", db); strings.Count(
		after,
		"\n",
	) != strings.Count(
		before,
		"\n",
	)+1 {
		t.Errorf("%d devices, before %d", strings.Count(after, "\n"), strings.Count(before, "\n"))
	}
	out, _ := d.must(0, "position", "--db", db)
	rows := rowsOf(t, out)
	if len(rows) < 100 || rows[0]["as_of"] != "2026-06-30" {
		t.Errorf("%d positions as of %s", len(rows), rows[0]["as_of"])
	}
	for _, r := range rows {
		if r["needed"] == "" {
			continue
		}
		n := func(c string) (v int) {
			if _, err := fmt.Sscan(r[c], &v); err != nil {
				t.Fatalf("%s of %v: %v", c, r, err)
			}
			return v
		}
		// What is covered without a right of its own uses none: then less is used than covered.
		if n("covered")+n("shortfall") != n("needed") || n("surplus") < 0 ||
			n("owned")-n("surplus") > n("covered") ||
			n("needed_low") > n("needed") ||
			n("needed_high") < n("needed") {
			t.Errorf("%v", r)
		}
	}
	// The parts of each position sum up to it.
	parts, _ := d.must(0, "position", "--db", db, "--by", "unit")
	whole, sum := map[string]int{}, map[string]int{}
	for _, r := range rowsOf(t, parts) {
		key := r["product"] + " " + r["metric"]
		for _, c := range []string{"owned", "needed", "covered", "shortfall", "surplus"} {
			var v int
			if _, err := fmt.Sscan(r[c], &v); err != nil {
				continue // its use is not measured
			}
			if r["scope"] == "" {
				whole[key+" "+c] = v
			} else {
				sum[key+" "+c] += v
			}
		}
	}
	for key, v := range whole {
		if sum[key] != v && !strings.HasPrefix(key, "Murrelet Loft") {
			t.Errorf("%s: the parts come to %d, the whole is %d", key, sum[key], v)
		}
	}
	// A core is explained down to its calculation.
	why, _ := d.must(0, "position", "--db", db, "--explain", "Gannet Engine", "--as-of", "2026-06-29")
	if !strings.Contains(
		why,
		"1 processor with 8 cores, at least 8 each: 1 × 8 = 8; at least 16 for a server = 16",
	) {
		t.Errorf("%s", why)
	}
	d.must(0, "check", "--db", db)
	_, says := d.must(1, "serve", "--db", db, "--listen", "nowhere:at:all")
	if !strings.Contains(says, "--listen") {
		t.Error(says)
	}
}
