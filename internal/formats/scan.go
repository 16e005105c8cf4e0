package formats

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
)

// ScanFormat names the form of a scan document.
const ScanFormat = "ensomet-scan/1"

// The limits of a scan document: in bytes of JSON, in entries of each list, and in bytes of one text.
const (
	MaxScan     = 16 << 20
	MaxScanList = 200_000
	maxScanText = 4_000
)

// Scan is one source's report on one device at one time.
type Scan struct {
	Format   string        `json:"format"`
	ID       string        `json:"id,omitempty"` // the collector's own number, for people
	At       time.Time     `json:"at"`
	Source   string        `json:"source,omitempty"` // over HTTP the token says what the source is
	Covers   []string      `json:"covers,omitempty"` // the parts that the report is complete for; none is everything
	Device   ScanDevice    `json:"device"`
	Installs []ScanInstall `json:"installs,omitempty"`
	Files    []ScanFile    `json:"files,omitempty"`
	Logons   []ScanLogon   `json:"logons,omitempty"`
	Sessions []ScanSession `json:"sessions,omitempty"`
	Missing  []ScanMissing `json:"missing,omitempty"` // what the collector could not see, and why
}

// ScanDevice is what a scan says of the device itself. Empty and 0 are unknown.
type ScanDevice struct {
	ID           string `json:"id,omitempty"`
	Name         string `json:"name"`
	Kind         string `json:"kind,omitempty"`
	OSName       string `json:"os_name,omitempty"`
	OSVersion    string `json:"os_version,omitempty"`
	IPAddress    string `json:"ip_address,omitempty"`
	Processors   int64  `json:"processors,omitempty"`
	Cores        int64  `json:"cores,omitempty"`
	VirtualCores int64  `json:"virtual_cores,omitempty"`
	Processor    string `json:"processor,omitempty"` // its model
	MemoryMB     int64  `json:"memory_mb,omitempty"`
	Model        string `json:"model,omitempty"`
	Maker        string `json:"maker,omitempty"`
	Serial       string `json:"serial,omitempty"`
	// MachineID is what its board or operating system is known by; DirectoryID its object in a directory.
	MachineID   string `json:"machine_id,omitempty"`
	DirectoryID string `json:"directory_id,omitempty"`
	// HardwareAddresses are those of its network hardware.
	HardwareAddresses []string `json:"hardware_addresses,omitempty"`
	Virtual           string   `json:"virtual,omitempty"` // what it runs on, empty on bare metal
	Portable          string   `json:"portable,omitempty"`
}

// ScanInstall is one raw software record. Part is the part of the source's list that it belongs to.
type ScanInstall struct {
	Part         string            `json:"part,omitempty"`
	Publisher    string            `json:"publisher,omitempty"`
	Name         string            `json:"name"`
	Version      string            `json:"version,omitempty"`
	Edition      string            `json:"edition,omitempty"`
	Architecture string            `json:"architecture,omitempty"`
	Language     string            `json:"language,omitempty"`
	InstallDate  string            `json:"install_date,omitempty"`
	InstallPath  string            `json:"install_path,omitempty"`
	FileName     string            `json:"file_name,omitempty"`
	TagID        string            `json:"tag_id,omitempty"`
	PURL         string            `json:"purl,omitempty"`
	CPE          string            `json:"cpe,omitempty"`
	LastUsed     string            `json:"last_used,omitempty"`
	Key          string            `json:"key,omitempty"`     // a licence key; it is not kept as it came
	Licence      string            `json:"licence,omitempty"` // own, or included with the place it runs in
	Custom       map[string]string `json:"custom,omitempty"`
}

// Included reports whether its right comes with the place it runs in.
func (in *ScanInstall) Included() bool {
	it, err := included(in.Licence)
	return it && err == nil
}

// ScanFile is a file that was found on a device.
type ScanFile struct {
	Part    string `json:"part,omitempty"`
	Folder  string `json:"folder,omitempty"`
	Name    string `json:"name"`
	Size    int64  `json:"size,omitempty"` // bytes
	Version string `json:"version,omitempty"`
}

// ScanLogon says that a user was logged on.
type ScanLogon struct {
	User string    `json:"user"`
	At   time.Time `json:"at"`
}

// ScanSession is a run of a program. One that goes on has no end; a later scan with the same start brings it.
type ScanSession struct {
	User     string    `json:"user,omitempty"`
	FileName string    `json:"file_name"`
	Start    time.Time `json:"start"`
	End      time.Time `json:"end,omitzero"`
	Active   int64     `json:"active_seconds,omitempty"`
}

// ScanMissing is a part that could not be read.
type ScanMissing struct {
	Part   string `json:"part"`
	Reason string `json:"reason"`
}

// ReadScan reads a scan document. Anything wrong with it is a *FileError, in words for whoever runs the collector.
func ReadScan(in io.Reader) (*Scan, error) {
	limited := &io.LimitedReader{R: in, N: MaxScan + 1}
	var s Scan
	d := json.NewDecoder(limited)
	if err := d.Decode(&s); err != nil {
		switch {
		case limited.N <= 0:
			return nil, &FileError{fmt.Sprintf("the scan is larger than %d MB", MaxScan>>20)}
		case errors.Is(err, io.EOF):
			return nil, &FileError{"the scan is empty"}
		case errors.Is(err, io.ErrUnexpectedEOF):
			return nil, &FileError{"the scan is cut off: send it again whole"}
		}
		var syntax *json.SyntaxError
		var typ *json.UnmarshalTypeError
		if errors.As(err, &syntax) || errors.As(err, &typ) || strings.HasPrefix(err.Error(), "parsing time") ||
			strings.HasPrefix(err.Error(), "Time.UnmarshalJSON") ||
			strings.HasPrefix(err.Error(), "json:") {
			return nil, &FileError{"the scan cannot be read: " + err.Error()}
		}
		return nil, err
	}
	switch _, err := d.Token(); {
	case errors.Is(err, io.EOF):
	case errors.Is(err, io.ErrUnexpectedEOF):
		return nil, &FileError{"the scan is cut off: send it again whole"}
	default:
		return nil, &FileError{"something follows the scan: one document holds one scan"}
	}
	return &s, s.Check()
}

// Check reports what is wrong with a scan, as a *FileError.
func (s *Scan) Check() error {
	if s.Format != ScanFormat {
		return badScan("the scan's format is %q; this version reads %q", clip(s.Format, 40), ScanFormat)
	}
	if s.At.IsZero() || s.At.Year() < 1990 || s.At.Year() > 2200 {
		return badScan("the scan does not say when it was taken")
	}
	if s.Device.ID == "" && s.Device.Name == "" {
		return badScan("the scan does not say of which device it is")
	}
	if kind := evidence.DeviceKind(s.Device.Kind); kind != "" && !slices.Contains(evidence.DeviceKinds, kind) {
		return badScan("the device's kind %q is none of %s", clip(s.Device.Kind, 40),
			strings.Join(strs(evidence.DeviceKinds), ", "))
	}
	for what, n := range map[string]int{"installs": len(s.Installs), "files": len(s.Files), "logons": len(s.Logons),
		"sessions": len(s.Sessions), "parts": len(s.Covers)} {
		if n > MaxScanList {
			return badScan("the scan has %d %s, more than %d", n, what, MaxScanList)
		}
	}
	for _, check := range []func() error{s.checkDevice, s.checkInstalls, s.checkFiles, s.checkUse} {
		if err := check(); err != nil {
			return err
		}
	}
	for _, m := range s.Missing {
		if err := texts("a missing part", m.Part, m.Reason); err != nil {
			return err
		}
	}
	return texts("a part", s.Covers...)
}

func badScan(format string, args ...any) error { return &FileError{fmt.Sprintf(format, args...)} }

// covered says whether the scan speaks of a part.
func (s *Scan) covered(part string) bool {
	return len(s.Covers) == 0 || slices.Contains(s.Covers, part)
}

func (s *Scan) checkDevice() error {
	d := &s.Device
	for _, n := range []struct {
		what      string
		said, max int64
	}{
		{"processors", d.Processors, MaxProcessors},
		{"cores", d.Cores, MaxCores},
		{"virtual cores", d.VirtualCores, MaxCores},
		{"MB of memory", d.MemoryMB, MaxMemoryMB},
	} {
		if n.said < 0 || n.said > n.max {
			return badScan("the device has %d %s: from 0 to %d can be meant", n.said, n.what, n.max)
		}
	}
	return texts("the device", s.ID, s.Source, d.ID, d.Name, d.OSName, d.OSVersion, d.IPAddress, d.Processor,
		d.Model, d.Serial, d.Virtual, d.Portable)
}

func (s *Scan) checkInstalls() error {
	for i := range s.Installs {
		in := &s.Installs[i]
		if strings.TrimSpace(in.Name) == "" {
			return badScan("install %d has no name", i+1)
		}
		if !s.covered(in.Part) {
			return badScan("install %d is of the part %q, which the scan does not say it covers", i+1,
				clip(in.Part, 40))
		}
		if err := texts(fmt.Sprintf("install %d", i+1), in.Part, in.Publisher, in.Name, in.Version, in.Edition,
			in.Architecture, in.Language, in.InstallPath, in.FileName, in.TagID, in.PURL, in.CPE, in.Key,
			in.Licence); err != nil {
			return err
		}
		if _, err := included(in.Licence); err != nil {
			return badScan("install %d: %v", i+1, err)
		}
		for _, day := range []string{in.InstallDate, in.LastUsed} {
			if _, err := civil.Parse(day); err != nil {
				return badScan("install %d: %v", i+1, err)
			}
		}
	}
	return nil
}

func (s *Scan) checkFiles() error {
	for i, f := range s.Files {
		if f.Name == "" || !s.covered(f.Part) {
			return badScan("file %d has no name, or is of a part that the scan does not cover", i+1)
		}
		if err := texts(fmt.Sprintf("file %d", i+1), f.Part, f.Folder, f.Name, f.Version); err != nil {
			return err
		}
	}
	return nil
}

// checkUse checks runs and log-ons.
func (s *Scan) checkUse() error {
	for i, r := range s.Sessions {
		if r.FileName == "" || r.Start.IsZero() || !r.End.IsZero() && r.End.Before(r.Start) || r.Active < 0 {
			return badScan("session %d has no program, no start, or ends before it starts", i+1)
		}
		if err := texts(fmt.Sprintf("session %d", i+1), r.User, r.FileName); err != nil {
			return err
		}
	}
	for i, l := range s.Logons {
		if l.User == "" || l.At.IsZero() {
			return badScan("log-on %d has no user or no time", i+1)
		}
		if err := texts(fmt.Sprintf("log-on %d", i+1), l.User); err != nil {
			return err
		}
	}
	return nil
}

func texts(what string, values ...string) error {
	for _, v := range values {
		if len(v) > maxScanText || !utf8.ValidString(v) || strings.ContainsRune(v, 0) {
			return &FileError{fmt.Sprintf("%s: a text is longer than %d bytes or is no UTF-8", what, maxScanText)}
		}
	}
	return nil
}

// Record is the raw record of an install, cleaned of white space around its values.
func (in *ScanInstall) Record() recognise.Record {
	t := strings.TrimSpace
	return recognise.Record{
		Publisher:    t(in.Publisher),
		Name:         t(in.Name),
		Version:      t(in.Version),
		Edition:      t(in.Edition),
		Architecture: t(in.Architecture),
		Language:     t(in.Language),
		FileName:     t(in.FileName),
		TagID:        t(in.TagID),
		PURL:         t(in.PURL),
		CPE:          t(in.CPE),
	}
}

// Facts are the hardware facts that the scan reports, without unknown ones.
func (d *ScanDevice) Facts() evidence.Facts {
	f := evidence.Facts{}
	for k, v := range map[string]string{"name": d.Name, "kind": d.Kind, "os_name": d.OSName, "os_version": d.OSVersion,
		"ip_address": d.IPAddress, "processor": d.Processor, "model": d.Model, "maker": d.Maker, "serial": d.Serial,
		"machine_id": d.MachineID,
		"virtual":    d.Virtual, "portable": d.Portable} {
		if v = strings.TrimSpace(v); v != "" {
			f[k] = v
		}
	}
	for k, n := range map[string]int64{"processors": d.Processors, "cores": d.Cores, "virtual_cores": d.VirtualCores,
		"memory_mb": d.MemoryMB} {
		if n > 0 {
			f[k] = fmt.Sprint(n)
		}
	}
	return f
}
