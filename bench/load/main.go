// Command load measures the server under a fleet that reports: simulated devices send scans of 80 installs over real
// TCP while lists are read. It prints what docs/benchmarks.md quotes.
//
//	make load
package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"path/filepath"
	"runtime"
	"runtime/pprof"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"ensomet/internal/api"
	"ensomet/internal/clock"
	"ensomet/internal/core/access"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"

	"golang.org/x/sync/errgroup"
)

const installs = 80

// The title by whose figures it is seen how old figures are.
const probeMaker, probeTitle = "Probe Works", "Probe Loom"

func main() {
	devices := flag.Int("devices", 1000, "simulated devices")
	seconds := flag.Int("seconds", 30, "how long the sustained run takes")
	rate := flag.Int("rate", 100, "scans a second of the sustained run")
	profile := flag.String("profile", "", "write a processor profile of the sustained run")
	flag.Parse()
	if err := run(*devices, *seconds, *rate, *profile); err != nil {
		log.Fatal(err)
	}
}

type bench struct {
	url, token string
	client     *http.Client
	base       time.Time
	again      atomic.Int64 // how often a scan was told to come later
}

// scan is a device's report: most programs are on many devices, each device lacks some, and each round upgrades a few.
func (b *bench) scan(device, round int) *formats.Scan {
	s := &formats.Scan{
		Format: formats.ScanFormat,
		At:     b.base.Add(time.Duration(round) * time.Hour),
		Device: formats.ScanDevice{
			ID:         fmt.Sprintf("L%05d", device),
			Name:       fmt.Sprintf("load-%05d", device),
			OSName:     "Varde",
			Processors: 1,
			Cores:      4,
		},
	}
	for i := range installs {
		p := (device*7 + i*13) % 400
		version := 1
		if (p+device+round)%20 == 0 {
			version = 2 + round
		}
		s.Installs = append(
			s.Installs,
			formats.ScanInstall{
				Part:         "dpkg",
				Publisher:    fmt.Sprintf("Maker %d", p%40),
				Name:         fmt.Sprintf("Program %d", p),
				Version:      fmt.Sprintf("%d.0", version),
				Architecture: "x64",
				PURL:         fmt.Sprintf("pkg:generic/program%d@%d.0", p, version),
			},
		)
	}
	return s
}

// packed prepares scans, so that the measurement is of the server alone.
func (b *bench) packed(device, round int) []byte {
	var buf bytes.Buffer
	z, _ := gzip.NewWriterLevel(&buf, gzip.BestSpeed)
	if err := errors.Join(json.NewEncoder(z).Encode(b.scan(device, round)), z.Close()); err != nil {
		log.Fatal(err)
	}
	return buf.Bytes()
}

// send sends a scan as a collector does: where the server cannot take it now, it comes again.
func (b *bench) send(body []byte) (time.Duration, error) {
	start := time.Now()
	for {
		later, err := b.sendOnce(body)
		if err != nil || !later {
			return time.Since(start), err
		}
		b.again.Add(1)
		time.Sleep(30*time.Second + rand.N(30*time.Second)) // as the answer says, not all at once
	}
}

func (b *bench) sendOnce(body []byte) (later bool, err error) {
	req, err := http.NewRequest(http.MethodPost, b.url+"/api/scans", bytes.NewReader(body))
	if err != nil {
		return false, err
	}
	req.Header.Set("Authorization", "Bearer "+b.token)
	req.Header.Set("Content-Encoding", "gzip")
	res, err := b.client.Do(req)
	if err != nil {
		return false, err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if res.StatusCode == http.StatusServiceUnavailable {
		return true, err
	}
	if err == nil && res.StatusCode != http.StatusOK {
		err = fmt.Errorf("status %d: %s", res.StatusCode, text)
	}
	return false, err
}

// burst sends one scan of every device at once, and returns how long it took and how long each waited.
func (b *bench) burst(bodies [][]byte) (time.Duration, []time.Duration, error) {
	waits := make([]time.Duration, len(bodies))
	errs := make([]error, len(bodies))
	var wg sync.WaitGroup
	start := time.Now()
	for i, body := range bodies {
		wg.Add(1)
		go func() {
			defer wg.Done()
			waits[i], errs[i] = b.send(body)
		}()
	}
	wg.Wait()
	return time.Since(start), waits, errors.Join(errs...)
}

func at(list []time.Duration, share float64) time.Duration {
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	return list[min(len(list)-1, int(share*float64(len(list))))].Round(time.Millisecond)
}

func run(devices, seconds, rate int, profile string) error {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "ensomet-load")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	db, err := sqlite.Open(ctx, filepath.Join(dir, "load.db"))
	if err != nil {
		return err
	}
	defer db.Close()
	prog := program.New(db, clock.Wall{})
	prog.Begin()
	defer prog.Close()
	token, _, err := prog.Collecting.NewToken(ctx, "load", "id", "bench")
	if err != nil {
		return err
	}
	if err := prog.People.SaveAccount(ctx, "reader", access.Viewer, "a long enough password"); err != nil {
		return err
	}
	if _, err := prog.Evidence.Import(ctx, intake.ImportRequest{Kind: formats.Titles, File: "titles", Author: "bench",
		In: strings.NewReader("publisher,product,category,model\n" + probeMaker + "," + probeTitle +
			",utility,commercial\n")}); err != nil {
		return err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	srv := &http.Server{Handler: api.New(prog, nil)}
	go srv.Serve(l) // it ends with the program
	b := &bench{
		url:    "http://" + l.Addr().String(),
		token:  token,
		base:   time.Now().Add(-200 * time.Hour).Truncate(time.Second),
		client: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: devices, MaxIdleConns: devices}},
	}
	fmt.Printf("%d devices, %d installs each; a scan is %d bytes on the wire\n", devices, installs,
		len(b.packed(0, 0)))
	for round, what := range []string{"first scans, all at once", "second scans, all at once",
		"the same scans again, all at once"} {
		bodies := make([][]byte, devices)
		for d := range devices {
			bodies[d] = b.packed(d, min(round, 1))
		}
		took, waits, err := b.burst(bodies)
		if err != nil {
			return err
		}
		fmt.Printf(
			"%-36s %6.0f scans/s, the slowest answer after %v, half within %v\n",
			what,
			float64(devices)/took.Seconds(),
			at(waits, 1),
			at(waits, 0.5),
		)
	}
	if profile != "" {
		f, err := os.Create(profile)
		if err != nil {
			return err
		}
		defer f.Close()
		if err := pprof.StartCPUProfile(f); err != nil {
			return err
		}
		defer pprof.StopCPUProfile()
	}
	return b.sustained(devices, seconds, rate)
}

// sustained sends scans at a steady rate while a reader asks for lists, one after the other, and figures are renewed.
func (b *bench) sustained(devices, seconds, rate int) error {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	reader := &http.Client{Jar: jar}
	res, err := reader.Post(
		b.url+"/api/sign-in",
		"application/json",
		strings.NewReader(`{"name":"reader","password":"a long enough password"}`),
	)
	if err != nil {
		return err
	}
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("signing in: status %d", res.StatusCode)
	}
	if err := res.Body.Close(); err != nil {
		return err
	}
	var lists []time.Duration
	stop := make(chan struct{})
	var reading sync.WaitGroup
	reading.Add(1)
	go func() {
		defer reading.Done()
		paths := []string{
			"/api/devices?limit=100",
			"/api/devices?limit=100&split=age&sort=installs&desc=true",
			"/api/names?limit=100",
			"/api/products?limit=100",
			"/api/changes?limit=100",
			"/api/deliveries?limit=100",
			"/api/devices?limit=100&q=load-000",
		}
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			default:
			}
			start := time.Now()
			res, err := reader.Get(b.url + paths[i%len(paths)])
			if err != nil {
				log.Print(err)
				return
			}
			if _, err := io.Copy(io.Discard, res.Body); err != nil || res.StatusCode != http.StatusOK {
				log.Print(res.Status, err)
			}
			res.Body.Close()
			lists = append(lists, time.Since(start))
			time.Sleep(20 * time.Millisecond)
		}
	}()
	var shown, figured []time.Duration
	reading.Add(1)
	go func() {
		defer reading.Done()
		var err error
		if shown, figured, err = b.probe(reader, stop); err != nil {
			log.Print(err)
		}
	}()
	var failed atomic.Int64
	bodies := make([][]byte, rate*seconds)
	var packing errgroup.Group
	packing.SetLimit(runtime.NumCPU())
	for i := range bodies {
		packing.Go(func() error {
			bodies[i] = b.packed(i%devices, 2+i/devices)
			return nil
		})
	}
	if err := packing.Wait(); err != nil {
		return err
	}
	waits := make([]time.Duration, len(bodies))
	var wg sync.WaitGroup
	begin := time.Now()
	for i, body := range bodies {
		if d := time.Until(begin.Add(time.Duration(i) * time.Second / time.Duration(rate))); d > 0 {
			time.Sleep(d)
		}
		wg.Add(1)
		go func() {
			defer wg.Done()
			var err error
			if waits[i], err = b.send(body); err != nil {
				failed.Add(1)
			}
		}()
	}
	wg.Wait()
	took := time.Since(begin)
	close(stop)
	reading.Wait()
	fmt.Printf(
		"%d scans at %d a second asked: %.0f a second taken, %d failed, %d told to come later; answers: half within "+
			"%v, 95 %% within %v, the slowest %v\n",
		len(bodies),
		rate,
		float64(len(bodies))/took.Seconds(),
		failed.Load(),
		b.again.Load(),
		at(waits, 0.5),
		at(waits, 0.95),
		at(waits, 1),
	)
	fmt.Printf(
		"%d lists read meanwhile: half within %v, 95 %% within %v, the slowest %v\n",
		len(lists),
		at(lists, 0.5),
		at(lists, 0.95),
		at(lists, 1),
	)
	fmt.Printf("%d scans of one device followed until the list of devices had them: half within %v, the slowest %v\n",
		len(shown), at(shown, 0.5), at(shown, 1))
	fmt.Printf("and until the figures of a title had them: half within %v, 95 %% within %v, the slowest %v\n",
		at(figured, 0.5), at(figured, 0.95), at(figured, 1))
	return nil
}

// probe sends scans of one device, of which each has another number of installs, and has a title or has it not. It says
// how long after the answer the list of devices had each, and how long after it the figures of the title.
func (b *bench) probe(reader *http.Client, stop <-chan struct{}) (shown, figured []time.Duration, err error) {
	first := func(path string, row any) error {
		res, err := reader.Get(b.url + path)
		if err != nil {
			return err
		}
		page := struct{ Rows []json.RawMessage }{}
		if err := errors.Join(json.NewDecoder(res.Body).Decode(&page), res.Body.Close()); err != nil ||
			len(page.Rows) == 0 {
			return err
		}
		return json.Unmarshal(page.Rows[0], row)
	}
	for round := 0; ; round++ {
		s := b.scan(0, round)
		s.Device.ID, s.Device.Name, s.Device.OSName = "PROBE", "probe", "" // a system would be one install more
		s.At = time.Now()
		s.Installs = s.Installs[:10+round%60]
		has := int64(round % 2)
		if has == 1 {
			s.Installs[0] = formats.ScanInstall{Part: "dpkg", Publisher: probeMaker, Name: probeTitle, Version: "1.0"}
		}
		text, err := json.Marshal(s)
		if err != nil {
			return nil, nil, err
		}
		var packed bytes.Buffer
		z := gzip.NewWriter(&packed)
		if _, err := z.Write(text); err != nil {
			return nil, nil, err
		}
		if err := z.Close(); err != nil {
			return nil, nil, err
		}
		if _, err := b.send(packed.Bytes()); err != nil {
			return nil, nil, err
		}
		sent, listed := time.Now(), false
		for ; ; time.Sleep(50 * time.Millisecond) {
			var device struct{ Installs int }
			var title struct{ Devices int64 }
			if err := errors.Join(first("/api/devices?q=probe", &device),
				first("/api/products?q="+strings.ReplaceAll(probeTitle, " ", "+"), &title)); err != nil {
				return nil, nil, err
			}
			if !listed && device.Installs == len(s.Installs) {
				listed = true
				shown = append(shown, time.Since(sent))
			}
			if listed && title.Devices == has {
				figured = append(figured, time.Since(sent))
				break
			}
			select {
			case <-stop:
				return shown, figured, nil
			default:
			}
		}
		select {
		case <-stop:
			return shown, figured, nil
		case <-time.After(time.Second):
		}
	}
}
