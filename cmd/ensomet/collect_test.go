package main

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
)

// serveFile starts the real server on a data file and returns its address and the process.
func serveFile(t *testing.T, db string) (string, *exec.Cmd) {
	t.Helper()
	cmd := exec.Command(binary, "serve", "--db", db, "--listen", "127.0.0.1:0")
	says, err := cmd.StderrPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	lines := bufio.NewScanner(says)
	for lines.Scan() {
		if _, url, ok := strings.Cut(lines.Text(), "answers at "); ok {
			go func() { // keeps the pipe empty
				for lines.Scan() {
				}
			}()
			return url, cmd
		}
	}
	t.Fatal("the server never answers")
	return "", nil
}

// The machine that runs this test: its scan is written, taken in and shown as a device with as many installs as
// dpkg-query counts; sent to a server it is the same device.
func TestCollectThisMachine(t *testing.T) {
	d := desk{t, t.TempDir()}
	file := filepath.Join(d.dir, "this.json")
	d.must(0, "collect", "--out", file)
	_, says := d.must(0, "import", "scan", file)
	again, _ := d.must(0, "export", "devices")
	devices := rowsOf(t, again)
	if len(devices) != 1 || devices[0]["cores"] == "" || devices[0]["os_name"] == "" {
		t.Fatalf("devices: %v (%s)", devices, says)
	}
	_, second := d.must(0, "import", "scan", file)
	if !strings.Contains(second, "0 new, 0 changed, 0 gone") {
		t.Errorf("the same scan again: %s", second)
	}
	installs, _ := d.must(0, "export", "installs")
	dpkg := 0
	for _, r := range rowsOf(t, installs) {
		if r["source"] == "collector" && strings.HasPrefix(r["purl"], "pkg:deb/") {
			dpkg++
		}
	}
	if out, err := exec.Command("dpkg-query", "-W", "-f", "${db:Status-Status}\n").Output(); err == nil {
		if want := strings.Count("\n"+string(out), "\ninstalled"); dpkg != want {
			t.Errorf("%d packages are stored, dpkg-query has %d", dpkg, want)
		}
	}
	// the document forms come back as the same software
	code := devices[0]["device_id"]
	for _, kind := range []string{"cyclonedx", "spdx", "swid"} {
		out, _ := d.must(0, "export", kind, "--device", code)
		path := d.file("back."+kind, out)
		other := desk{t, t.TempDir()}
		other.must(0, "import", "scan", path)
		back, _ := other.must(0, "export", "installs")
		if got, want := strings.Count(back, "\n"), strings.Count(installs, "\n"); got != want {
			t.Errorf("as %s %d lines came back of %d", kind, got, want)
		}
	}
	// over HTTP, with the server away at first
	db := filepath.Join(d.dir, "served.db")
	secret, _ := d.must(0, "token", "add", "shore", "--db", db)
	spool := filepath.Join(d.dir, "spool")
	_, says = d.must(
		1,
		"collect",
		"--server",
		"http://127.0.0.1:1",
		"--token",
		strings.TrimSpace(secret),
		"--spool",
		spool,
	)
	if !strings.Contains(says, "waits in") {
		t.Errorf("without server it says %s", says)
	}
	url, server := serveFile(t, db)
	d.must(1, "collect", "--server", url, "--token", "ensomet_wrong", "--spool", spool)
	_, says = d.must(0, "collect", "--server", url, "--token", strings.TrimSpace(secret), "--spool", spool)
	if !strings.Contains(says, "3 scans sent") {
		t.Errorf("with the server back it says %s", says)
	}
	if err := server.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	_ = server.Wait()
	list, _ := d.must(0, "token", "list", "--db", db)
	if !strings.Contains(list, "shore") || !strings.Contains(list, "used 20") ||
		strings.Contains(list, strings.TrimSpace(secret)) {
		t.Errorf("%s", list)
	}
	d.must(0, "token", "revoke", "1", "--db", db)
	d.must(1, "token", "revoke", "1", "--db", db)
	d.must(0, "check", "--db", db)
}

// A server killed in the middle of a hundred simultaneous scans has each of them whole or not at all; sent again, all
// are there.
func TestKilledAmidAHundredScans(t *testing.T) {
	d := desk{t, t.TempDir()}
	db := filepath.Join(d.dir, "test.db")
	secret, _ := d.must(0, "token", "add", "fleet", "--db", db)
	bodies := make([][]byte, 100)
	for i := range bodies {
		scan := map[string]any{
			"format": "ensomet-scan/1",
			"at":     "2026-06-29T10:00:00Z",
			"device": map[string]any{"id": fmt.Sprintf("D%03d", i), "name": fmt.Sprintf("box-%03d", i), "cores": 4},
		}
		var list []map[string]string
		for k := range 400 {
			list = append(list, map[string]string{"name": fmt.Sprintf("Program %d %d", i, k), "version": "1"})
		}
		scan["installs"] = list
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		if err := json.NewEncoder(z).Encode(scan); err != nil {
			t.Fatal(err)
		}
		if err := z.Close(); err != nil {
			t.Fatal(err)
		}
		bodies[i] = b.Bytes()
	}
	send := func(url string) (taken int) {
		var mu sync.Mutex
		var wg sync.WaitGroup
		for _, body := range bodies {
			wg.Add(1)
			go func() {
				defer wg.Done()
				req, err := http.NewRequest(http.MethodPost, url+"/api/scans", bytes.NewReader(body))
				if err != nil {
					t.Error(err)
					return
				}
				req.Header.Set("Authorization", "Bearer "+strings.TrimSpace(secret))
				req.Header.Set("Content-Encoding", "gzip")
				res, err := http.DefaultClient.Do(req)
				if err != nil {
					return // the server is gone
				}
				res.Body.Close()
				if res.StatusCode == http.StatusOK {
					mu.Lock()
					taken++
					mu.Unlock()
				}
			}()
		}
		wg.Wait()
		return taken
	}
	cut := 0
	for _, wait := range []time.Duration{60, 150, 300, 600} {
		url, server := serveFile(t, db)
		go func() {
			time.Sleep(wait * time.Millisecond)
			_ = server.Process.Kill()
		}()
		taken := send(url)
		_ = server.Process.Kill()
		_ = server.Wait()
		out, _ := d.must(0, "export", "installs", "--db", db)
		by := map[string]int{}
		for _, r := range rowsOf(t, out) {
			by[r["device_id"]]++
		}
		for device, n := range by {
			if n != 400 {
				t.Fatalf("killed after %d ms: %s has %d installs of 400", wait, device, n)
			}
		}
		if len(by) < taken {
			t.Fatalf("killed after %d ms: %d scans were answered, %d are there", wait, taken, len(by))
		}
		if taken < 100 {
			cut++
		}
	}
	if cut == 0 {
		t.Error("no run was cut")
	}
	url, server := serveFile(t, db)
	if n := send(url); n != 100 {
		t.Errorf("in the end %d scans were taken", n)
	}
	if err := server.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	_ = server.Wait()
	out, _ := d.must(0, "export", "installs", "--db", db)
	if n := strings.Count(out, "\n") - 1; n != 40_000 {
		t.Errorf("in the end there are %d installs", n)
	}
}
