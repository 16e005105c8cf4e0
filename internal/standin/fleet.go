package standin

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/schedule"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/arriving"
	"ensomet/internal/export"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// loop carries requests to a handler in this program, as a network would to a server.
type loop struct{ h http.Handler }

type reply struct {
	header http.Header
	status int
	body   bytes.Buffer
}

func (r *reply) Header() http.Header { return r.header }
func (r *reply) WriteHeader(status int) {
	if r.status == 0 {
		r.status = status
	}
}
func (r *reply) Write(p []byte) (int, error) {
	r.WriteHeader(http.StatusOK)
	return r.body.Write(p)
}

// RoundTrip asks the handler.
func (l loop) RoundTrip(req *http.Request) (*http.Response, error) {
	r := &reply{header: http.Header{}}
	req = req.Clone(req.Context())
	req.RemoteAddr = "127.0.0.1:0"
	l.h.ServeHTTP(r, req)
	r.WriteHeader(http.StatusOK)
	return &http.Response{StatusCode: r.status, Header: r.header, Body: io.NopCloser(&r.body), Request: req}, nil
}

// gateway speaks for a fleet over the same HTTP interface as a collector.
type gateway struct {
	client *http.Client
	token  string
}

// post sends a request; what the server refuses is an error with its sentence.
func (g *gateway) post(ctx context.Context, path string, body []byte, packed bool, out any) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, "http://ensomet.invalid"+path, bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+g.token)
	if packed {
		req.Header.Set("Content-Encoding", "gzip")
	}
	res, err := g.client.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		return err
	}
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("%s: status %d: %s", path, res.StatusCode, text)
	}
	return json.Unmarshal(text, out)
}

func pack(s *formats.Scan) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	err := errors.Join(json.NewEncoder(z).Encode(s), z.Close())
	return b.Bytes(), err
}

func (g *gateway) send(ctx context.Context, s *formats.Scan) (arriving.Taken, error) {
	var out arriving.Taken
	packed, err := pack(s)
	if err != nil {
		return out, err
	}
	return out, g.post(ctx, "/api/scans", packed, true, &out)
}

// machine is a device of the simulated fleet.
type machine struct{ code, name, unit, kind string }

// machines lists the fleet.
func machines(ctx context.Context, prog *program.Program) ([]machine, error) {
	var out []machine
	err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := lists.DeviceList().Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"status": "in_service"}, Sort: "code"})
		for _, d := range page.Rows {
			// in the directory alone, nobody knows where they are; or what another source calls one of the others
			if !strings.HasPrefix(d.Name, "hal-lost") && strings.HasPrefix(d.Code, "D") {
				out = append(out, machine{d.Code, d.Name, d.Unit, d.Kind})
			}
		}
		return err
	})
	return out, err
}

// luck is a number below n that depends on a device, a day and what it is for.
func luck(n int, parts ...any) int {
	h := fnv.New32a()
	fmt.Fprint(h, parts...)
	return int(h.Sum32()>>3) % n
}

// turns shift the vessels' weeks at sea against each other.
var turns = map[string]int64{
	"Sea/Eider":   6,
	"Sea/Skarv":   10,
	"Sea/Lomvi":   14,
	"Sea/Teist":   18,
	"Sea/Havsule": 1,
	"Sea/Tjeld":   3,
}

// InPort reports whether a unit can be reached on a day: a vessel is in port for four days of every three weeks;
// everything else always can be. Eider comes in three days after the demo's today.
func InPort(unit string, day time.Time) bool {
	turn, vessel := turns[unit]
	return !vessel || (day.Unix()/86400+turn)%21 < 4
}

// look is what a machine would report at a time: what is known of it, less what the deployment tool has removed, with
// its hardware and the programs' files.
func look(ctx context.Context, prog *program.Program, m machine, at time.Time, removed []string) (*formats.Scan,
	error) {
	s := &formats.Scan{
		Format: formats.ScanFormat,
		ID:     m.code + "@" + at.Format(time.RFC3339),
		At:     at,
		Device: formats.ScanDevice{ID: m.code, Name: m.name, Kind: m.kind},
	}
	err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		d, err := lists.DeviceByCode(tx, m.code)
		if err != nil {
			return err
		}
		if i := strings.LastIndexByte(d.OS, ' '); i > 0 {
			s.Device.OSName, s.Device.OSVersion = d.OS[:i], d.OS[i+1:]
		}
		s.Device.Processors, s.Device.Cores, s.Device.VirtualCores = d.Processors, d.Cores, d.VirtualCores
		s.Device.MemoryMB = int64(8192 * (1 + luck(4, m.code)))
		s.Device.Serial = fmt.Sprintf("HX%06d", 100000+luck(800000, m.code, "serial"))
		oddities(m.code, at, &s.Device)
		if d.User != "" {
			s.Logons = []formats.ScanLogon{{User: d.User, At: at}}
		}
		lines, err := export.DeviceLines(tx, m.code, at)
		for _, l := range lines {
			if l[14] != "collector" || slices.Contains(removed, l[2]) {
				continue
			}
			in := formats.ScanInstall{
				Publisher:    l[1],
				Name:         l[2],
				Version:      l[3],
				Edition:      l[4],
				Architecture: l[5],
				Language:     l[6],
				InstallDate:  l[7],
				InstallPath:  l[8],
				FileName:     l[9],
				TagID:        l[10],
				PURL:         l[11],
				CPE:          l[12],
				LastUsed:     l[13],
				Key:          keyOn(m.code, l[2]),
			}
			s.Installs = append(s.Installs, in)
			word, _, _ := strings.Cut(strings.ToLower(l[2]), " ")
			word = strings.Map(func(r rune) rune {
				if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
					return r
				}
				return -1
			}, word)
			if word != "" {
				s.Files = append(
					s.Files,
					formats.ScanFile{
						Folder:  "/opt/" + word + "/bin",
						Name:    word + ".exe",
						Size:    int64(40_000 + luck(4_000_000, word)),
						Version: l[3],
					},
				)
			}
		}
		return err
	})
	return s, err
}

// answerOrders lets the fleet ask what is wanted, and do it: those that can be reached scan, some of them fail in one
// way or another. It returns how many scans came.
func (g *gateway) answerOrders(ctx context.Context, prog *program.Program, fleet []machine, now time.Time) (int,
	error) {
	at := map[string]machine{}
	var codes []string
	for _, m := range fleet {
		if InPort(m.unit, now) {
			at[m.code] = m
			codes = append(codes, m.code)
		}
	}
	done := 0
	for part := range slices.Chunk(codes, 1000) {
		body, err := json.Marshal(map[string][]string{"devices": part})
		if err != nil {
			return done, err
		}
		var tasks struct {
			Orders []evidence.ScanTask `json:"orders"`
		}
		if err := g.post(ctx, "/api/collector/ask", body, false, &tasks); err != nil {
			return done, err
		}
		for _, t := range tasks.Orders {
			ok, err := g.answerOrder(ctx, prog, at[t.Device], t, now)
			if err != nil {
				return done, err
			}
			if ok {
				done++
			}
		}
	}
	return done, nil
}

// answerOrder does one scan, or fails at it.
func (g *gateway) answerOrder(
	ctx context.Context,
	prog *program.Program,
	m machine,
	t evidence.ScanTask,
	now time.Time,
) (bool, error) {
	failed := func(reason, detail string) (bool, error) {
		body, err := json.Marshal(map[string]any{"order": t.Order, "reason": reason, "detail": detail})
		if err != nil {
			return false, err
		}
		var out struct{}
		return false, g.post(ctx, "/api/collector/failed", body, false, &out)
	}
	switch luck(40, "outcome", m.code, now.Format(time.DateOnly)) {
	case 0:
		return failed("no route", "no answer to three calls by "+m.unit)
	case 1:
		return failed("sign-in refused", "the account of the gateway may not read "+m.name)
	case 2:
		return false, nil // nothing comes: it times out
	case 3:
		s, err := look(ctx, prog, m, now, nil)
		if err != nil {
			return false, err
		}
		packed, err := pack(s)
		if err != nil {
			return false, err
		}
		var out arriving.Taken
		if err := g.post(ctx, "/api/scans", packed[:len(packed)/2], true, &out); err == nil {
			return false, errors.New("half a scan was taken for a whole one")
		}
		return failed("half a scan", "the line broke off; what had come was refused")
	}
	s, err := look(ctx, prog, m, now, nil)
	if err != nil {
		return false, err
	}
	if _, err := g.send(ctx, s); err != nil {
		return false, err
	}
	// what waited on board comes after, and some of it twice
	if strings.HasPrefix(m.unit, "Sea/") && luck(4, "late", m.code) == 0 {
		late := *s
		late.At = now.AddDate(0, 0, -9)
		for range 1 + luck(2, "twice", m.code) {
			if _, err := g.send(ctx, &late); err != nil {
				return false, err
			}
		}
	}
	return true, nil
}

// Plans are the schedules that the demo begins with.
var Plans = []evidence.ScheduleDraft{
	{
		Name:    "Ashore, every fortnight",
		Basis:   "age",
		AgeDays: 14,
		Group:   "Shore",
		Quiet:   []schedule.Quiet{{Weekdays: []time.Weekday{1, 2, 3, 4, 5}, From: "11:00", Until: "15:00"}},
	},
	{
		Name:     "Vessels, each Monday",
		Basis:    "calendar",
		Calendar: schedule.Calendar{At: "02:00", Weekdays: []time.Weekday{time.Monday}},
		Group:    "Sea",
	},
	{
		Name:     "Computing hall, each Friday",
		Basis:    "calendar",
		Calendar: schedule.Calendar{At: "05:30", Weekdays: []time.Weekday{time.Friday}},
		Group:    "Hall",
	},
}
