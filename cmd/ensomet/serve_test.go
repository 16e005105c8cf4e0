package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"ensomet/internal/evidence"
)

// served is a server that runs as a program of its own, with somebody who is signed in there.
type served struct {
	t      *testing.T
	cmd    *exec.Cmd
	url    string
	client *http.Client
}

// serve starts a server on the data file. The handles it may open are limited where most is not 0.
func (d desk) serve(most int, more ...string) *served {
	d.t.Helper()
	db := filepath.Join(d.dir, "data", "test.db")
	add := exec.Command(binary, "user", "add", "ingra", "--role", "run", "--db", db)
	add.Stdin = strings.NewReader("a long enough one\n")
	if out, err := add.CombinedOutput(); err != nil {
		d.t.Fatal(err, string(out))
	}
	cmd := exec.Command(binary, append([]string{"serve", "--db", db, "--listen", "127.0.0.1:0"}, more...)...)
	if most > 0 {
		cmd = exec.Command("sh",
			append([]string{"-c", fmt.Sprintf(`ulimit -n %d; exec "$@"`, most), "sh"}, cmd.Args...)...)
	}
	says, err := cmd.StderrPipe()
	if err != nil {
		d.t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		d.t.Fatal(err)
	}
	d.t.Cleanup(func() { _ = cmd.Process.Kill() })
	lines, text := bufio.NewScanner(says), ""
	for lines.Scan() {
		text += lines.Text() + "\n"
		if _, url, ok := strings.Cut(lines.Text(), "answers at "); ok {
			go io.Copy(io.Discard, says)
			jar, _ := cookiejar.New(nil)
			s := &served{d.t, cmd, url, &http.Client{Jar: jar, Timeout: time.Minute}}
			s.post("/api/sign-in", `{"name":"ingra","password":"a long enough one"}`)
			return s
		}
	}
	d.t.Fatalf("it never answers: %s", text)
	return nil
}

func (s *served) post(path, body string) string {
	s.t.Helper()
	res, err := s.client.Post(s.url+path, "application/json", strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != http.StatusOK {
		s.t.Fatal(path, res.StatusCode, string(text), err)
	}
	return string(text)
}

func (s *served) get(path string, v any) {
	s.t.Helper()
	res, err := s.client.Get(s.url + path)
	if err != nil {
		s.t.Fatal(err)
	}
	defer res.Body.Close()
	if err := json.NewDecoder(res.Body).Decode(v); err != nil || res.StatusCode != http.StatusOK {
		s.t.Fatal(path, res.StatusCode, err)
	}
}

type brokenImport struct {
	ID     int64  `json:"id"`
	File   string `json:"file"`
	Author string `json:"author"`
}

// An import that the end of the program breaks off is told after the next start, until somebody says that he knows;
// nothing of it is stored, and one that ended by itself is not told.
func TestBrokenImportsAreTold(t *testing.T) {
	d := small(t)
	d.must(0, "import", filepath.Join(d.dir, "in"))
	s := d.serve(0)
	if got := s.post("/api/import/devices?file=small.csv", "device_id,name\nD9,nine\n"); !strings.Contains(got,
		`"added":1`) {
		t.Error(got)
	}
	var big strings.Builder
	big.WriteString("device_id,publisher,name,version,seen_at\n")
	for i := range 400_000 {
		fmt.Fprintf(&big, "D%d,Maker%d,Weft%06d,%d.%d,2026-06-30T05:00:00Z\n", 1+i%3, i%50, i/3, i%7, i%5)
	}
	go func() {
		res, err := s.client.Post(s.url+"/api/import/installs?file=big.csv", "text/csv",
			strings.NewReader(big.String()))
		if err == nil {
			res.Body.Close()
		}
	}()
	for deadline := time.Now().Add(time.Minute); ; time.Sleep(20 * time.Millisecond) {
		var status struct {
			Step string `json:"step"`
		}
		if s.get("/api/status", &status); strings.HasPrefix(status.Step, "reading big.csv") {
			break
		}
		if time.Now().After(deadline) {
			t.Fatal("the import is never seen to run")
		}
	}
	if err := s.cmd.Process.Signal(syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	_ = s.cmd.Wait()
	s = d.serve(0)
	var broken []brokenImport
	if s.get("/api/imports/broken", &broken); len(broken) != 1 || broken[0].File != "big.csv" ||
		broken[0].Author != "ingra" {
		t.Fatalf("%+v", broken)
	}
	if out, _ := d.must(0, "export", "installs"); strings.Contains(out, "Weft") {
		t.Error("a part of it is stored")
	}
	s.post(fmt.Sprintf("/api/imports/broken/%d/forget", broken[0].ID), "{}")
	if s.get("/api/imports/broken", &broken); len(broken) != 0 {
		t.Errorf("%+v", broken)
	}
	if err := s.cmd.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	if err := s.cmd.Wait(); err != nil {
		t.Errorf("stopped by a signal it ends with %v", err)
	}
}

// Stopping lets requests end, tells those that take longer, and ends cleanly even where one hears nothing.
func TestShutDown(t *testing.T) {
	for what, hears := range map[string]bool{"told": true, "deaf": false} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		base, stop := context.WithCancelCause(context.Background())
		began, cause := make(chan bool), make(chan error, 1)
		let := make(chan bool)
		srv := &http.Server{
			BaseContext: func(net.Listener) context.Context { return base },
			Handler: http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
				close(began)
				<-r.Context().Done()
				cause <- context.Cause(r.Context())
				if !hears {
					<-let
				}
			}),
		}
		go srv.Serve(l)
		go http.Get("http://" + l.Addr().String())
		<-began
		if err := shutDown(srv, stop); err != nil {
			t.Errorf("%s: %v", what, err)
		}
		if err := <-cause; err != evidence.ErrStopping {
			t.Errorf("%s: the cause is %v", what, err)
		}
		close(let)
	}
}

// A second server on the same file refuses, with a sentence; the commands go on beside the first; and once it has
// ended, however, the next may serve.
func TestTwoServersOnOneFile(t *testing.T) {
	d := small(t)
	s := d.serve(0)
	_, says := d.must(1, "serve", "--listen", "127.0.0.1:0")
	if !strings.Contains(says, "is served already") {
		t.Error(says)
	}
	d.must(0, "import", filepath.Join(d.dir, "in"))
	if err := s.cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = s.cmd.Wait()
	d.serve(0)
}

// With few handles, many connections on which nothing happens keep nobody out.
func TestManyIdleConnections(t *testing.T) {
	d := small(t)
	d.must(0, "import", filepath.Join(d.dir, "in"))
	s := d.serve(256)
	at := strings.TrimPrefix(s.url, "http://")
	for i := range 600 {
		c, err := net.Dial("tcp", at)
		if err != nil {
			t.Fatal(i, err)
		}
		t.Cleanup(func() { c.Close() })
		if i%2 == 0 {
			fmt.Fprintf(c, "GET /api/me HTTP/1.1\r\nHost: x")
		}
	}
	for range 20 {
		var page struct {
			Total int `json:"total"`
		}
		fresh := *s
		fresh.client = &http.Client{Jar: s.client.Jar, Timeout: 20 * time.Second, Transport: &http.Transport{}}
		if fresh.get("/api/devices", &page); page.Total != 3 {
			t.Fatalf("%+v", page)
		}
	}
	if out, says := d.must(0, "position"); out == "" {
		t.Error(says)
	}
}

// What the program keeps is readable by its own account alone, and what was given as a secret is never said again.
func TestPrivate(t *testing.T) {
	d := small(t)
	if err := os.MkdirAll(filepath.Join(d.dir, "data"), 0o755); err != nil {
		t.Fatal(err)
	}
	d.file("data/test.db", "") // made by somebody else, for all to read
	d.must(0, "import", filepath.Join(d.dir, "in"))
	s := d.serve(0)
	d.must(0, "backup", filepath.Join(d.dir, "data", "copy.db"))
	list, err := os.ReadDir(filepath.Join(d.dir, "data"))
	if err != nil || len(list) < 4 {
		t.Fatal(list, err)
	}
	for _, f := range list {
		if info, err := f.Info(); err != nil || info.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v %v", f.Name(), info.Mode(), err)
		}
	}
	if err := s.cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = s.cmd.Wait()
	const secret = "hu5h-Hu5h"
	for _, args := range [][]string{
		{"serve", "--smtp", "smtp://user:" + secret + "@mail.example:port"},
		{"serve", "--smtp", "imap://user:" + secret + "@mail.example"},
		{"serve", "--smtp", "user:" + secret + "@mail.example"},
		{"serve", "--smtp", "smtp://user:" + secret + "@mail.example", "--listen", "nowhere:x"},
		{"serve", "--smtp", "smtp://user:" + secret + "@mail.example", "--no-such-flag"},
		{"serve", "--smtp", "smtp://user:" + secret + "@mail.example", "--url", "x"},
		{"collect", "--server", "http://127.0.0.1:1", "--token", secret, "--spool", filepath.Join(d.dir, "spool")},
		{"collect", "--server", "no address", "--token", secret, "--spool", filepath.Join(d.dir, "spool")},
		{"collect", "--token", secret, "--no-such-flag"},
	} {
		if code, out, says := d.run(args...); code == 0 || strings.Contains(out+says, secret) {
			t.Errorf("%v ends with %d and says %s", args, code, says)
		}
	}
}
