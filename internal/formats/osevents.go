package formats

import (
	"encoding/xml"
	"errors"
	"io"
	"path"
	"strconv"
	"strings"
)

// osEventSpace is the name space of events as operating systems of one family write them out.
const osEventSpace = "http://schemas.microsoft.com/win/2004/08/events/event"

// osEvent is what matters of one event: its number, machine, time and named data.
type osEvent struct {
	System struct {
		EventID     string `xml:"EventID"`
		Computer    string `xml:"Computer"`
		TimeCreated struct {
			SystemTime string `xml:"SystemTime,attr"`
		} `xml:"TimeCreated"`
	} `xml:"System"`
	Data []struct {
		Name string `xml:"Name,attr"`
		Text string `xml:",chardata"`
	} `xml:"EventData>Data"`
}

// The numbers of the events that speak of processes (from memory): a process was created, one ended, the system began
// to audit after a start, the event service began.
const (
	processCreated = "4688"
	processEnded   = "4689"
	systemStarted  = "4608"
	serviceStarted = "6005"
)

func (e *osEvent) get(name string) string {
	for _, d := range e.Data {
		if d.Name == name {
			if v := strings.TrimSpace(d.Text); v != "-" {
				return v
			}
		}
	}
	return ""
}

// number reads a process id, which is written as 0x1a4 or 420.
func (e *osEvent) number(name string) string {
	n, err := strconv.ParseInt(e.get(name), 0, 64)
	if err != nil {
		return ""
	}
	return strconv.FormatInt(n, 10)
}

// user is who ran it; accounts of machines and services are nobody.
func (e *osEvent) user() string {
	for _, name := range []string{"TargetUserName", "SubjectUserName"} {
		if v := e.get(name); v != "" && !strings.HasSuffix(v, "$") {
			return v
		}
	}
	return ""
}

// readOSEvents reads an export of an operating system's events as lines of process_events.csv. Events of other things
// are passed over.
func readOSEvents(in io.Reader) (*table, error) {
	d := safeXML(in)
	var rows [][]string
	var lines []int
	for n := 0; ; {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, xmlError(err)
		}
		start, ok := t.(xml.StartElement)
		if !ok || start.Name.Local != "Event" {
			continue
		}
		n++
		var e osEvent
		if err := d.DecodeElement(&e, &start); err != nil {
			return nil, xmlError(err)
		}
		base := func(name string) string {
			return strings.ToLower(path.Base(strings.ReplaceAll(e.get(name), `\`, "/")))
		}
		at := strings.TrimSpace(e.System.TimeCreated.SystemTime)
		row := []string{strings.TrimSpace(e.System.Computer), "", at, "", "", "", "", ""}
		switch strings.TrimSpace(e.System.EventID) {
		case processCreated:
			row[1], row[3], row[4], row[5] = "start", e.number("NewProcessId"), base("NewProcessName"), e.user()
		case processEnded:
			row[1], row[3], row[4], row[5] = "stop", e.number("ProcessId"), base("ProcessName"), e.user()
		case systemStarted, serviceStarted:
			row[1] = "boot"
		default:
			continue
		}
		rows, lines = append(rows, row), append(lines, n)
	}
	return newTable(ProcessEvents.Columns, rows, lines, ProcessEvents, nil)
}
