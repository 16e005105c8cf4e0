package collect

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"ensomet/internal/formats"
)

var noon = time.Date(2026, 6, 30, 12, 0, 0, 0, time.UTC)

// root lays out files as a machine would have them.
func root(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		mode := os.FileMode(0o644)
		if strings.Contains(name, "/bin/") {
			mode = 0o755
		}
		if err := os.WriteFile(path, []byte(text), mode); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

const tag = `<SoftwareIdentity xmlns="http://standards.iso.org/iso/19770/-2/2015/schema.xsd" name="Tidewheel" tagId="pelmar-tw" version="4.2"><Entity name="Pelmar" regid="pelmar.example" role="tagCreator softwareCreator"/></SoftwareIdentity>`

func TestWhatAMachineHas(t *testing.T) {
	files := map[string]string{
		"etc/os-release": "ID=debian\nNAME=\"Debian GNU/Linux\"\nVERSION_ID=\"12\"\n",
		"etc/machine-id": "0123456789abcdef0123456789abcdef\n",
		"var/lib/dpkg/status": "Package: adduser\nStatus: install ok installed\nVersion: 3.134\n" +
			"Architecture: all\nMaintainer: Debian Adduser Developers <adduser@x>\nDescription: add\n and: remove\n\n" +
			"Package: gone\nStatus: deinstall ok config-files\nVersion: 1\nArchitecture: amd64\n\nPackage: epoch\n" +
			"Status: hold ok installed\nVersion: 1:2.0+b~rc1-3\nArchitecture: amd64\n",
		"var/lib/dpkg/status.d/tzdata":        "Package: tzdata\nVersion: 2026a\nArchitecture: all\n",
		"usr/share/swidtag/pelmar/tw.swidtag": tag,
		"usr/share/swidtag/broken.swidtag":    "<SoftwareIdentity",
		"opt/gauge/swidtag/g.swidtag": strings.ReplaceAll(
			tag,
			`tagId="pelmar-tw"`,
			`tagId="g" corpus="true"`,
		),
		"usr/share/applications/draft.desktop": "# x\n[Desktop Entry]\nType=Application\n" +
			"Name=Murrelet Draft\nExec=/opt/draft/bin/draft %U\n[Desktop Action new]\nName=New window\n",
		"usr/share/applications/hidden.desktop": "[Desktop Entry]\nType=Application\nName=Helper\n" +
			"NoDisplay=true\nExec=helper\n",
		"usr/share/applications/link.desktop":                    "[Desktop Entry]\nType=Link\nName=Manual\n",
		"usr/local/bin/scan-tide":                                "#!/bin/sh\n",
		"usr/local/share/doc/readme":                             "x",
		"sys/devices/system/cpu/cpu0/topology/core_cpus_list":    "0,2",
		"sys/devices/system/cpu/cpu0/topology/package_cpus_list": "0-3",
		"sys/devices/system/cpu/cpu1/topology/core_cpus_list":    "1,3",
		"sys/devices/system/cpu/cpu1/topology/package_cpus_list": "0-3",
		"sys/devices/system/cpu/cpu2/topology/core_cpus_list":    "0,2",
		"sys/devices/system/cpu/cpu2/topology/package_cpus_list": "0-3",
		"sys/devices/system/cpu/cpu3/topology/core_cpus_list":    "3",
		"sys/devices/system/cpu/cpu3/topology/package_cpus_list": "3",
		"sys/devices/system/cpu/cpu3/online":                     "0",
		"sys/class/dmi/id/product_uuid":                          "4C4C4544-0042-3510-8051-B7C04F4A4D32\n",
		"sys/class/dmi/id/sys_vendor":                            "Norhavn\n",
		"sys/class/net/eth0/address":                             "a4:41:88:3c:1b:9d\n",
		"sys/class/net/eth0/device/vendor":                       "0x8086\n",
		"sys/class/net/docker0/address":                          "02:42:ac:11:00:01\n",
	}
	m := &Machine{
		Root: root(t, files),
		Now:  func() time.Time { return noon },
		Look: func(string) (string, error) { return "", errors.New("no") },
	}
	s, err := m.Scan(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	if d := s.Device; d.MachineID != "4C4C4544-0042-3510-8051-B7C04F4A4D32" || d.Maker != "Norhavn" ||
		!slices.Equal(d.HardwareAddresses, []string{"a4:41:88:3c:1b:9d"}) {
		t.Errorf("%+v", d)
	}
	var got []string
	for _, in := range s.Installs {
		got = append(
			got,
			strings.TrimSpace(
				strings.Join([]string{in.Part, in.Publisher, in.Name, in.Version, in.FileName, in.PURL}, " "),
			),
		)
	}
	slices.Sort(got)
	want := []string{
		"desktop  Murrelet Draft  draft",
		"dpkg  epoch 1:2.0+b~rc1-3  pkg:deb/debian/epoch@1%3A2.0%2Bb~rc1-3?arch=amd64",
		"dpkg  tzdata 2026a  pkg:deb/debian/tzdata@2026a?arch=all",
		"dpkg Debian Adduser Developers adduser 3.134  pkg:deb/debian/adduser@3.134?arch=all",
		"swid Pelmar Tidewheel 4.2",
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got %q", got)
	}
	if len(s.Files) != 1 || s.Files[0].Name != "scan-tide" || s.Files[0].Folder != "/usr/local/bin" {
		t.Errorf("files %+v", s.Files)
	}
	if s.Covers != nil {
		t.Errorf("a whole scan says it covers %v", s.Covers)
	}
	if len(s.Device.ID) != 24 || strings.Contains(s.Device.ID, "0123456789abcdef") || s.Device.OSVersion != "12" ||
		s.Device.Processors != 1 ||
		s.Device.Cores != 2 {
		t.Errorf("device %+v", s.Device)
	}
	broken := false
	for _, x := range s.Missing {
		broken = broken || strings.Contains(x.Reason, "/usr/share/swidtag/broken.swidtag")
	}
	if !broken {
		t.Errorf("the broken tag is not mentioned: %+v", s.Missing)
	}
}

// A part that cannot be read is not covered, so that nothing of it is taken for gone.
func TestAPartThatFails(t *testing.T) {
	m := &Machine{
		Root: root(t, map[string]string{"var/lib/rpm/rpmdb.sqlite": "x", "etc/os-release": "ID=fedora\n"}),
		Look: func(string) (string, error) { return "/usr/bin/rpm", nil },
	}
	m.Run = func(context.Context, string, ...string) ([]byte, error) { return nil, errors.New("database is locked") }
	s, err := m.Scan(context.Background())
	if err != nil || slices.Contains(s.Covers, partRPM) || !slices.Contains(s.Covers, partDpkg) {
		t.Errorf("covers %v, %v", s.Covers, err)
	}
	m.Run = func(context.Context, string, ...string) ([]byte, error) {
		return []byte(
			"bash\t5.2.26-1.fc40\tx86_64\tFedora Project\t1718000000\ngpg-pubkey\t1-2\t(none)\t(none)\t0\n" +
				"epoched\t1:2-3\tnoarch\t(none)\t1718000000\n",
		), nil
	}
	if s, err = m.Scan(context.Background()); err != nil || len(s.Installs) != 2 || s.Covers != nil {
		t.Fatalf("%+v %v", s, err)
	}
	if in := s.Installs[0]; !reflect.DeepEqual(
		in,
		formats.ScanInstall{
			Part:         partRPM,
			Publisher:    "Fedora Project",
			Name:         "bash",
			Version:      "5.2.26-1.fc40",
			Architecture: "x86_64",
			InstallDate:  "2024-06-10",
			PURL:         "pkg:rpm/fedora/bash@5.2.26-1.fc40?arch=x86_64",
		},
	) {
		t.Errorf("%+v", in)
	}
	if s.Installs[1].Publisher != "" || s.Installs[1].Version != "1:2-3" {
		t.Errorf("%+v", s.Installs[1])
	}
}

// On the machine that runs this test: the packages are those of dpkg-query, the processors those of lscpu.
func TestAgainstTheMachinesOwnTools(t *testing.T) {
	s, err := (&Machine{}).Scan(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	packed, err := Pack(s)
	if err != nil {
		t.Fatal(err)
	}
	t.Logf(
		"%d installs, %d files, %d programs running, %d bytes packed",
		len(s.Installs),
		len(s.Files),
		len(s.Sessions),
		len(packed),
	)
	if len(s.Installs) < 1500 && len(packed) > 50_000 {
		t.Errorf("the scan is %d bytes on the wire", len(packed))
	}
	if out, err := exec.Command("dpkg-query", "-W", "-f",
		"${Package}\t${Version}\t${Architecture}\t${db:Status-Status}\n").Output(); err == nil {
		var want, got []string
		for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
			if rest, ok := strings.CutSuffix(line, "\tinstalled"); ok {
				want = append(want, rest)
			}
		}
		for _, in := range s.Installs {
			if in.Part == partDpkg {
				got = append(got, in.Name+"\t"+in.Version+"\t"+in.Architecture)
			}
		}
		slices.Sort(want)
		slices.Sort(got)
		if !slices.Equal(got, want) {
			t.Errorf("%d packages, dpkg-query has %d", len(got), len(want))
		}
	} else {
		t.Log("no dpkg-query here")
	}
	out, err := exec.Command("lscpu", "--json").Output()
	if err != nil {
		t.Skip("no lscpu here")
	}
	var cpu struct {
		List []struct{ Field, Data string } `json:"lscpu"`
	}
	if err := json.Unmarshal(out, &cpu); err != nil {
		t.Fatal(err)
	}
	fields := map[string]int64{}
	for _, f := range cpu.List {
		var n int64
		if _, err := fmt.Sscan(f.Data, &n); err == nil {
			fields[strings.TrimSuffix(f.Field, ":")] = n
		}
	}
	if fields["Socket(s)"] != s.Device.Processors ||
		fields["Socket(s)"]*fields["Core(s) per socket"] != s.Device.Cores {
		t.Errorf(
			"%d processors with %d cores, lscpu has %d with %d each",
			s.Device.Processors,
			s.Device.Cores,
			fields["Socket(s)"],
			fields["Core(s) per socket"],
		)
	}
	if s.Device.Virtual != "" && s.Device.VirtualCores != fields["CPU(s)"] {
		t.Errorf("%d virtual cores, lscpu has %d", s.Device.VirtualCores, fields["CPU(s)"])
	}
}

// server answers as one would that can be away, refuse and be back.
type server struct {
	sync.Mutex
	status int
	taken  []string
	asked  bool
}

func (s *server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.Lock()
	defer s.Unlock()
	if s.status != 0 {
		w.WriteHeader(s.status)
		fmt.Fprintf(w, `{"detail":"status %d"}`, s.status)
		return
	}
	if r.URL.Path == "/api/collector/ask" {
		if s.asked {
			s.asked = false
			fmt.Fprint(w, `{"orders":[{"order":1,"device":"D1"}]}`)
			return
		}
		fmt.Fprint(w, `{"orders":[]}`)
		return
	}
	z, err := gzip.NewReader(r.Body)
	if err != nil {
		w.WriteHeader(http.StatusBadRequest)
		return
	}
	scan, err := formats.ReadScan(z)
	if _, more := io.Copy(io.Discard, z); err != nil || more != nil || r.Header.Get("Authorization") != "Bearer T" {
		w.WriteHeader(http.StatusBadRequest)
		return
	}
	s.taken = append(s.taken, scan.At.Format("02T15"))
	fmt.Fprint(w, "{}")
}

// Two days without server lose nothing: every scan is on disk, and all arrive, in order, within an hour of its
// return. It is asked for a scan and answers.
func TestTwoDaysWithoutServer(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	away := &server{status: http.StatusBadGateway}
	web := httptest.NewServer(away)
	defer web.Close()
	now := noon
	dir := t.TempDir()
	var tries []time.Time
	s := &Service{
		Device: "D1",
		Client: &Client{Server: web.URL, Token: "T"},
		Spool:  Spool{dir},
		Every:  6 * time.Hour,
		Now:    func() time.Time { return now },
		Say: func(f string, a ...any) {
			if strings.Contains(fmt.Sprintf(f, a...), "tried again") {
				tries = append(tries, now)
			}
		},
	}
	s.Scan = func(context.Context) (*formats.Scan, error) {
		return &formats.Scan{Format: formats.ScanFormat, At: now, Device: formats.ScanDevice{ID: "D1"}}, nil
	}
	s.Wait = func(_ context.Context, d time.Duration) error {
		now = now.Add(d)
		away.Lock()
		defer away.Unlock()
		switch h := now.Sub(noon).Hours(); {
		case h >= 49 && h < 50:
			away.status = 0
		case h >= 52 && h < 52.2:
			away.asked = true
		case h > 60:
			stop()
			return context.Canceled
		}
		return nil
	}
	if err := s.Run(ctx); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(away.taken,
		" "); got != "30T12 30T18 01T00 01T06 01T12 01T18 02T00 02T06 02T12 02T16 02T22" {
		t.Errorf("taken: %s", got)
	}
	for i := 1; i < len(tries); i++ {
		if gap := tries[i].Sub(tries[i-1]); gap > time.Hour {
			t.Errorf("%v between two tries", gap)
		}
	}
	if left, _ := s.Spool.Waiting(); len(left) != 0 || len(tries) < 40 {
		t.Errorf("%d scans wait, %d tries", len(left), len(tries))
	}
}

func TestWhatTheServerSays(t *testing.T) {
	for status, want := range map[int]struct{ waits, refused int }{200: {0, 0}, 401: {2, 0}, 429: {2, 0}, 500: {2, 0},
		503: {2, 0}, 409: {0, 2}, 413: {0, 2}, 422: {0, 2}} {
		h := &server{status: status}
		if status == 200 {
			h.status = 0
		}
		web := httptest.NewServer(h)
		spool := Spool{t.TempDir()}
		for i := range 2 {
			packed, err := Pack(
				&formats.Scan{
					Format: formats.ScanFormat,
					At:     noon.Add(time.Duration(i) * time.Hour),
					Device: formats.ScanDevice{ID: "D1"},
				},
			)
			if err == nil {
				err = spool.Keep(noon.Add(time.Duration(i)*time.Hour), packed)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		_, err := (&Client{Server: web.URL, Token: "T"}).Send(context.Background(), spool)
		web.Close()
		if (want.waits > 0) != errors.Is(err, ErrAway) {
			t.Errorf("%d: %v", status, err)
		}
		waits, _ := spool.Waiting()
		refused, _ := filepath.Glob(filepath.Join(spool.Dir, "refused", "*.reason"))
		if len(waits) != want.waits || len(refused) != want.refused {
			t.Errorf("%d: %d wait, %d refused", status, len(waits), len(refused))
		}
	}
	// nobody there at all
	spool := Spool{t.TempDir()}
	if err := spool.Keep(noon, []byte("x")); err != nil {
		t.Fatal(err)
	}
	if _, err := (&Client{Server: "http://127.0.0.1:1", Token: "T"}).Send(context.Background(), spool); !errors.Is(
		err,
		ErrAway,
	) {
		t.Errorf("nobody there: %v", err)
	}
}

// A fleet that is switched on at once does not arrive at once.
func TestStartsAreSpread(t *testing.T) {
	quarters := make([]int, 4)
	for range 400 {
		ctx, stop := context.WithCancel(context.Background())
		s := &Service{Spread: time.Hour, Wait: func(_ context.Context, d time.Duration) error {
			quarters[min(3, int(d/(15*time.Minute)))]++
			stop()
			return context.Canceled
		}}
		if err := s.Run(ctx); err != nil {
			t.Fatal(err)
		}
	}
	for i, n := range quarters {
		if n < 60 {
			t.Errorf("of 400, %d start in quarter %d of the hour", n, i+1)
		}
	}
}

func FuzzDpkgAndDesktop(f *testing.F) {
	f.Add("Package: a\nStatus: install ok installed\nVersion: 1\n\n")
	f.Add("[Desktop Entry]\nType=Application\nName=x\nExec=\"/opt/x y\" %U\n")
	f.Fuzz(func(t *testing.T, text string) {
		list, err := parseDpkg(strings.NewReader(text), true)
		for _, p := range list {
			if err == nil && p.name == "" {
				t.Error("a package without a name")
			}
		}
		if in, ok := parseDesktop(strings.NewReader(text)); ok && in.Name == "" {
			t.Error("a program without a name")
		}
	})
}
