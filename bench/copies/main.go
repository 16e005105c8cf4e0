// Command copies loses the machine under load, again and again, and goes on with the copy that Litestream kept
// elsewhere: what is restored must be whole, and may lack the last second of what was acknowledged. Then a copy is
// read while the writer takes in a file. It prints what docs/scaling.md quotes.
//
//	make copies
package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
)

const installs = 60

func main() {
	times := flag.Int("times", 20, "how often the machine is lost")
	devices := flag.Int("devices", 200, "simulated devices")
	rate := flag.Int("rate", 20, "scans a second")
	lines := flag.Int("lines", 400_000, "installs of the file that is taken in beside a reading copy")
	with := flag.String("with", ".copies", "the folder that has ensomet and litestream")
	flag.Parse()
	dir, err := os.MkdirTemp("", "ensomet-copies")
	if err != nil {
		log.Fatal(err)
	}
	d := drill{with: *with, dir: dir, devices: *devices, rate: *rate}
	err = d.run(*times, *lines)
	if err := errors.Join(err, os.RemoveAll(dir)); err != nil {
		log.Fatal(err)
	}
}

type drill struct {
	with, dir     string
	devices, rate int
	token         string
	round         int // of scans: each tells other versions
}

// house is one machine: a folder with the data file, and the folder elsewhere that holds its copy.
type house struct {
	*drill
	file, copied, config string
	url                  string
	server, keeper       *exec.Cmd
	follower             *exec.Cmd // brings the file up to another machine's copy, while this one is warm
}

func (d *drill) run(times, lines int) error {
	h, err := d.house(0)
	if err != nil {
		return err
	}
	if err := h.found(); err != nil {
		return err
	}
	var lost, back []time.Duration
	acknowledged, missing := 0, 0
	for n := 1; n <= times; n++ {
		if err := h.start(); err != nil {
			return err
		}
		next, err := d.house(n)
		if err != nil {
			return err
		}
		warm := n%2 == 0
		if warm {
			if err := next.follow(h); err != nil {
				return err
			}
		}
		sent, died := h.underLoad(time.Duration(2000+rand.IntN(4000)) * time.Millisecond)
		start := time.Now()
		if err := next.takeOver(h); err != nil {
			return err
		}
		back = append(back, time.Since(start))
		loss, gone, err := next.compare(sent, died)
		if err != nil {
			return err
		}
		lost, acknowledged, missing = append(lost, loss), acknowledged+len(sent), missing+gone
		fmt.Printf("%2d: %4d scans acknowledged, %2d of them lost, the oldest %v before the end; %s after %v\n",
			n, len(sent), gone, loss.Round(time.Millisecond), map[bool]string{true: "the warm machine goes on",
				false: "restored"}[warm], back[len(back)-1].Round(time.Millisecond))
		if err := os.RemoveAll(filepath.Dir(h.file)); err != nil { // the machine is lost
			return err
		}
		h = next
	}
	fmt.Printf("%d machines lost: %d scans acknowledged, %d lost; of the last %v at most; restored within %v, "+
		"checked clean\n", times, acknowledged, missing, slices.Max(lost).Round(time.Millisecond),
		slices.Max(back).Round(time.Millisecond))
	return h.readBeside(lines)
}

// house makes the folders of a machine, and says to Litestream what to copy where.
func (d *drill) house(n int) (*house, error) {
	at := filepath.Join(d.dir, fmt.Sprint("machine", n))
	h := &house{drill: d, file: filepath.Join(at, "ensomet.db"), config: filepath.Join(at, "litestream.yml"),
		copied: filepath.Join(d.dir, fmt.Sprint("elsewhere", n))}
	if err := os.MkdirAll(at, 0o700); err != nil {
		return nil, err
	}
	return h, os.WriteFile(h.config, fmt.Appendf(nil, `dbs:
  - path: %s
    monitor-interval: 100ms
    replica:
      type: file
      path: %s
      sync-interval: 100ms
`, h.file, h.copied), 0o600)
}

func (d *drill) command(name string, args ...string) *exec.Cmd {
	return exec.Command(filepath.Join(d.with, name), args...)
}

// says runs a command and returns what it printed.
func says(cmd *exec.Cmd) (string, error) {
	text, err := cmd.CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%s: %w: %s", strings.Join(cmd.Args, " "), err, text)
	}
	return string(text), nil
}

// found makes the first machine's data file: devices, and a token for what sends scans.
func (h *house) found() error {
	var lines strings.Builder
	lines.WriteString("device_id,name,kind\n")
	for i := range h.devices {
		fmt.Fprintf(&lines, "L%05d,load-%05d,client\n", i, i)
	}
	devices := filepath.Join(h.dir, "devices.csv")
	if err := os.WriteFile(devices, []byte(lines.String()), 0o600); err != nil {
		return err
	}
	if _, err := says(h.command("ensomet", "import", "devices", devices, "--db", h.file)); err != nil {
		return err
	}
	out, err := h.command("ensomet", "token", "add", "load", "--db", h.file).Output()
	h.token = strings.TrimSpace(string(out))
	return err
}

// start starts the server and the keeper of its copy, and waits until the first copy is there.
func (h *house) start() error {
	h.keeper = h.command("litestream", "replicate", "-config", h.config)
	if err := h.keeper.Start(); err != nil {
		return err
	}
	h.server = h.command("ensomet", "serve", "--db", h.file, "--listen", "127.0.0.1:0")
	said, err := h.server.StderrPipe()
	if err != nil {
		return err
	}
	if err := h.server.Start(); err != nil {
		return err
	}
	lines := bufio.NewScanner(said)
	for h.url == "" {
		if !lines.Scan() {
			return errors.New("the server never answers")
		}
		if _, url, ok := strings.Cut(lines.Text(), "http://"); ok {
			h.url = "http://" + strings.TrimRight(strings.Fields(url)[0], `".,`)
		}
	}
	go io.Copy(io.Discard, said) // it ends with the server
	for limit := time.Now().Add(time.Minute); ; time.Sleep(50 * time.Millisecond) {
		if found, _ := filepath.Glob(filepath.Join(h.copied, "ltx", "*", "*.ltx")); len(found) > 0 {
			return nil
		}
		if time.Now().After(limit) {
			return errors.New("no copy appears")
		}
	}
}

// scanned is a scan that was acknowledged.
type scanned struct {
	device string
	at     int64
	when   time.Time // it was acknowledged
}

// underLoad sends scans for a while, then ends the server and the keeper of the copy as a machine ends that is lost.
func (h *house) underLoad(long time.Duration) (sent []scanned, died time.Time) {
	var mu sync.Mutex
	var sending sync.WaitGroup
	stop := make(chan struct{})
	time.AfterFunc(long, func() {
		_ = h.server.Process.Signal(syscall.SIGKILL)
		_ = h.keeper.Process.Signal(syscall.SIGKILL)
		died = time.Now()
		close(stop)
	})
	tick := time.NewTicker(time.Second / time.Duration(h.rate))
	defer tick.Stop()
	for running := true; running; {
		select {
		case <-stop:
			running = false
		case <-tick.C:
			h.round++
			round := h.round
			sending.Add(1)
			go func() {
				defer sending.Done()
				s := scanOf(round%h.devices, round)
				if h.send(s) == nil {
					mu.Lock()
					sent = append(sent, scanned{s.Device.ID, s.At.Unix(), time.Now()})
					mu.Unlock()
				}
			}()
		}
	}
	sending.Wait()
	_, _ = h.server.Wait(), h.keeper.Wait()
	return sent, died
}

func scanOf(device, round int) *formats.Scan {
	s := &formats.Scan{
		Format: formats.ScanFormat,
		At:     time.Now().Add(-48 * time.Hour).Add(time.Duration(round) * time.Second).Truncate(time.Second),
		Device: formats.ScanDevice{ID: fmt.Sprintf("L%05d", device), Name: fmt.Sprintf("load-%05d", device)},
	}
	for i := range installs {
		p := (device*7 + i*13) % 400
		s.Installs = append(s.Installs, formats.ScanInstall{Part: "dpkg", Publisher: fmt.Sprintf("Maker %d", p%40),
			Name: fmt.Sprintf("Program %d", p), Version: fmt.Sprintf("%d.0", 1+(p+round)%20/19)})
	}
	return s
}

func (h *house) send(s *formats.Scan) error {
	body, err := json.Marshal(s)
	if err != nil {
		return err
	}
	req, err := http.NewRequest(http.MethodPost, h.url+"/api/scans", bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+h.token)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	text, err := io.ReadAll(res.Body)
	if err := errors.Join(err, res.Body.Close()); err != nil {
		return err
	}
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("status %d: %s", res.StatusCode, text)
	}
	return nil
}

// followed is how often a warm machine looks for what is new.
const followed = 200 * time.Millisecond

// follow makes this a warm machine: its file follows the copy of another.
func (h *house) follow(of *house) error {
	h.follower = h.command("litestream", "restore", "-config", of.config, "-f", "-follow-interval", followed.String(),
		"-o", h.file, of.file)
	return h.follower.Start()
}

// takeOver goes on with the copy of a machine that is lost: with what a warm machine has, or restored from elsewhere.
// The key of secrets is no part of the file.
func (h *house) takeOver(from *house) error {
	if h.follower != nil {
		time.Sleep(2 * followed)
		if err := h.follower.Process.Signal(os.Interrupt); err != nil {
			return err
		}
		if err := h.follower.Wait(); err != nil {
			return err
		}
	} else {
		restore := h.command("litestream", "restore", "-config", from.config, "-o", h.file, from.file)
		if _, err := says(restore); err != nil {
			return err
		}
	}
	key, err := os.ReadFile(from.file + ".key")
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return errors.Join(err, os.WriteFile(h.file+".key", key, 0o600))
}

// compare checks a restored file, and says how many of the scans that were acknowledged are not in it, and how long
// before the end the first of them was acknowledged.
func (h *house) compare(sent []scanned, died time.Time) (loss time.Duration, missing int, err error) {
	if _, err := says(h.command("ensomet", "check", "--db", h.file)); err != nil {
		return 0, 0, err
	}
	ctx := context.Background()
	db, err := sqlite.Open(ctx, h.file)
	if err != nil {
		return 0, 0, err
	}
	defer db.Close()
	return loss, missing, db.View(ctx, func(tx *sqlite.Tx) error {
		for _, s := range sent {
			var n int
			if err := tx.QueryRowContext(ctx, `SELECT count(*) FROM scan s JOIN device d ON d.id = s.device_id
				WHERE d.code = ? AND s.at = ?`, s.device, s.at).Scan(&n); err != nil {
				return err
			}
			if n == 0 {
				missing, loss = missing+1, max(loss, died.Sub(s.when))
			}
		}
		return nil
	})
}

// readBeside takes in a file while positions are exported from copies, each restored from elsewhere.
func (h *house) readBeside(lines int) error {
	if err := h.start(); err != nil {
		return err
	}
	file := filepath.Join(h.dir, "installs.csv")
	seen := time.Now().Add(-time.Hour).UTC().Format(time.RFC3339)
	var text bytes.Buffer
	text.WriteString("device_id,publisher,name,version,seen_at\n")
	for i := range lines {
		fmt.Fprintf(&text, "L%05d,Maker %d,Program %d,%d.0,%s\n", i%h.devices, i/h.devices%40, i/h.devices, i%7, seen)
	}
	if err := os.WriteFile(file, text.Bytes(), 0o600); err != nil {
		return err
	}
	done := make(chan error, 1)
	start := time.Now()
	go func() {
		_, err := says(h.command("ensomet", "import", "installs", file, "--db", h.file))
		done <- err
	}()
	var restored, answered []time.Duration
	for n := 0; ; n++ {
		to := filepath.Join(h.dir, fmt.Sprint("copy", n, ".db"))
		begin := time.Now()
		if _, err := says(h.command("litestream", "restore", "-config", h.config, "-o", to, h.file)); err != nil {
			return err
		}
		restored = append(restored, time.Since(begin))
		begin = time.Now()
		if _, err := says(h.command("ensomet", "export", "devices", "--db", to)); err != nil {
			return err
		}
		answered = append(answered, time.Since(begin))
		if err := os.Remove(to); err != nil {
			return err
		}
		select {
		case err := <-done:
			fmt.Printf("a file of %d lines was taken in within %v; meanwhile %d copies were restored within %v and "+
				"answered within %v\n", lines, time.Since(start).Round(time.Millisecond), len(restored),
				slices.Max(restored).Round(time.Millisecond), slices.Max(answered).Round(time.Millisecond))
			_, _ = h.server.Process.Kill(), h.keeper.Process.Kill()
			_, _ = h.server.Wait(), h.keeper.Wait()
			return err
		default:
		}
	}
}
