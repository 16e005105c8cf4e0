package formats

import (
	"bytes"
	"strings"
	"testing"
	"time"
)

const osEventsText = `<Events><Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><EventID>4688</EventID><TimeCreated SystemTime="2026-06-29T10:00:00Z"/><Computer>one</Computer></System><EventData><Data Name="NewProcessId">0x1a4</Data><Data Name="NewProcessName">C:\Tools\Gauge.EXE</Data><Data Name="TargetUserName">-</Data><Data Name="SubjectUserName">u1</Data></EventData></Event>` +
	`<Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><EventID>6005</EventID><TimeCreated SystemTime="2026-06-29T11:00:00Z"/><Computer>one</Computer></System></Event></Events>`

func rowsOf(t *testing.T, text string, form Form, kind *Kind) ([]*Row, []string) {
	t.Helper()
	f := bytes.NewReader([]byte(text))
	got, err := Sniff(f, f.Size())
	if err != nil || got != form {
		t.Fatalf("sniffed as %q, %v", got, err)
	}
	in, err := OpenTable(f, f.Size(), form, kind, nil, time.Time{})
	if err != nil {
		t.Fatal(err)
	}
	var rows []*Row
	var wrong []string
	for {
		row, err := in.Next()
		var line *LineError
		switch {
		case err == nil:
			rows = append(rows, row)
			continue
		case asLine(err, &line):
			wrong = append(wrong, line.Reason)
			continue
		}
		return rows, wrong
	}
}

func asLine(err error, into **LineError) bool {
	l, ok := err.(*LineError)
	if ok {
		*into = l
	}
	return ok
}

// The numbers and names of events as operating systems write them (from memory).
func TestOSEvents(t *testing.T) {
	rows, wrong := rowsOf(t, osEventsText, OSEvents, ProcessEvents)
	if len(rows) != 2 || len(wrong) != 0 {
		t.Fatalf("%v, %v", rows, wrong)
	}
	e, err := ParseProcessEvent(rows[0], time.UTC)
	if err != nil || e.Device != "one" || e.PID != 420 || e.FileName != "gauge.exe" || e.User != "u1" {
		t.Errorf("%+v, %v", e, err)
	}
	if e, err := ParseProcessEvent(rows[1], time.UTC); err != nil || e.Kind != 2 {
		t.Errorf("%+v, %v", e, err)
	}
	bomb := strings.Replace(osEventsText, "<Events>", `<!DOCTYPE x [<!ENTITY a "aaaa">]><Events>`, 1)
	f := bytes.NewReader([]byte(bomb))
	if _, err := OpenTable(f, f.Size(), OSEvents, ProcessEvents, nil, time.Time{}); err == nil {
		t.Error("a document type is read")
	}
	f = bytes.NewReader([]byte(osEventsText))
	if _, err := OpenTable(f, f.Size(), OSEvents, Devices, nil, time.Time{}); err == nil {
		t.Error("events are read as devices")
	}
}

func TestJSONLines(t *testing.T) {
	text := `{"device_id":"D1","started_at":"2026-06-29T10:00:00Z","ended_at":"2026-06-29T11:00:00Z","active_seconds":60,"product":"Skerrymap \"6\"","odd":null}
{"device_id":"D1",
["D1"]

{"device_id":"D2","started_at":"2026-06-29T10:00:00Z"}
` + `{"device_id":"` + strings.Repeat(
		"x",
		1<<20,
	) + "\"}\n" + `{"device_id":"D3","started_at":"2026-06-29T10:00:00Z","product":"A, B"}`
	rows, wrong := rowsOf(t, text, JSONLines, Usage)
	if len(rows) != 3 || len(wrong) != 3 || !strings.Contains(strings.Join(wrong, "; "), "longer than a million") {
		t.Fatalf("%d rows, %v", len(rows), wrong)
	}
	s, err := ParseSession(rows[0], time.UTC)
	if err != nil || s.Device != "D1" || s.Product != `Skerrymap "6"` || s.Active != 60 {
		t.Errorf("%+v, %v", s, err)
	}
	if rows[2].Line != 7 || rows[2].At(0) != "D3" {
		t.Errorf("%+v", rows[2])
	}
}

func FuzzOSEvents(f *testing.F) {
	f.Add([]byte(osEventsText))
	f.Add([]byte(`<Events><Event/></Events>`))
	f.Fuzz(func(t *testing.T, text []byte) {
		in, err := readOSEvents(bytes.NewReader(text))
		if err != nil {
			return
		}
		for {
			row, err := in.Next()
			if row == nil && err != nil {
				return
			}
			_, _ = ParseProcessEvent(row, time.UTC)
		}
	})
}

func FuzzJSONLines(f *testing.F) {
	f.Add([]byte(`{"device_id":"D1","at":"2026-06-29T10:00:00Z","event":"start","pid":7}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		in, err := newJSONLines(bytes.NewReader(text), ProcessEvents, nil)
		if err != nil {
			return
		}
		for range 1000 {
			row, err := in.Next()
			if _, bad := err.(*LineError); bad {
				continue
			}
			if err != nil {
				return
			}
			_, _ = ParseProcessEvent(row, time.UTC)
		}
	})
}
