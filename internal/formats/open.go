package formats

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"path"
	"strings"
	"time"

	"ensomet/internal/core/civil"
)

// Form is the form of a file, as its beginning shows.
type Form string

// The forms.
const (
	CSV           Form = "csv"
	XLSX          Form = "xlsx"
	LDIF          Form = "ldif"
	SWID          Form = "swid"
	SWIDArchive   Form = "swid archive"
	CycloneDXJSON Form = "cyclonedx"
	CycloneDXXML  Form = "cyclonedx xml"
	SPDXJSON      Form = "spdx"
	ScanJSON      Form = "scan"
	CatalogueJSON Form = "catalogue"
	JSONLines     Form = "json lines"
	OSEvents      Form = "operating-system events"
)

// IsScan reports whether a file of the form is a report on devices' software rather than a table.
func (f Form) IsScan() bool {
	return f == SWID || f == SWIDArchive || f == CycloneDXJSON || f == CycloneDXXML || f == SPDXJSON || f == ScanJSON
}

// IsDocument reports whether a file of the form has its own names for things, so that there is nothing to map.
func (f Form) IsDocument() bool { return f.IsScan() || f == CatalogueJSON || f == OSEvents }

// File is a file that can be read from any place.
type File interface {
	io.ReaderAt
	io.Reader
	io.Seeker
}

const maxDocument = 64 << 20 // documents are read whole

// Sniff tells the form of a file by its beginning. What is nothing else is CSV.
func Sniff(f File, size int64) (Form, error) {
	head := make([]byte, min(size, 4096))
	if _, err := f.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return "", err
	}
	text := bytes.TrimSpace(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf")))
	switch {
	case bytes.HasPrefix(head, []byte("PK\x03\x04")), bytes.HasPrefix(head, []byte("PK\x05\x06")):
		z, err := openArchive(f, size)
		if err != nil {
			return "", err
		}
		for _, m := range z.File {
			if m.Name == "[Content_Types].xml" || strings.HasPrefix(m.Name, "xl/") {
				return XLSX, nil
			}
		}
		return SWIDArchive, nil
	case bytes.HasPrefix(text, []byte("<")):
		if bytes.Contains(text, []byte("cyclonedx")) {
			return CycloneDXXML, nil
		}
		if bytes.Contains(text, []byte(osEventSpace)) {
			return OSEvents, nil
		}
		return SWID, nil
	case bytes.HasPrefix(text, []byte("{")):
		switch {
		case bytes.Contains(text, []byte(`"`+ScanFormat+`"`)):
			return ScanJSON, nil
		case bytes.Contains(text, []byte(`"`+CatalogueFormat+`"`)):
			return CatalogueJSON, nil
		case bytes.Contains(text, []byte("bomFormat")) || bytes.Contains(text, []byte("cyclonedx")):
			return CycloneDXJSON, nil
		case !bytes.Contains(text, []byte("spdx")) && isJSONLine(text, size):
			return JSONLines, nil
		}
		return SPDXJSON, nil
	case IsLDIF(head):
		return LDIF, nil
	}
	return CSV, nil
}

// isJSONLine reports whether the first line of a file is a JSON object of its own, as far as its beginning shows.
func isJSONLine(text []byte, size int64) bool {
	line, _, ends := bytes.Cut(text, []byte("\n"))
	if !ends && size > int64(len(text))+3 {
		return !bytes.ContainsAny(text, "\n") // longer than what was looked at
	}
	return json.Valid(bytes.TrimSpace(line))
}

// OpenTable reads a table of a kind: CSV, XLSX, or LDIF for users and devices. at is the day of an export that does
// not say.
func OpenTable(f File, size int64, form Form, kind *Kind, m *Mapping, at time.Time) (Rows, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	switch form {
	case CatalogueJSON, CycloneDXJSON, CycloneDXXML:
		if kind != Titles && kind != Publishers && (kind != Entitlements || form == CatalogueJSON) {
			return nil, &FileError{"a catalogue holds titles and publishers, not " + kind.Name}
		}
		return documentTable(f, size, form, kind)
	case OSEvents:
		if kind != ProcessEvents {
			return nil, &FileError{"an operating system's events are taken in as process_events, not " + kind.Name}
		}
		return readOSEvents(f)
	case JSONLines:
		return newJSONLines(f, kind, m)
	case XLSX:
		in, err := openSheet(f, size)
		if err != nil {
			return nil, err
		}
		return newSheetRows(in, kind, m)
	case LDIF:
		if kind != Users && kind != Devices {
			return nil, &FileError{"an LDIF file holds users and devices, not " + kind.Name}
		}
		return newDirectoryRows(f, kind, civil.Of(at))
	}
	return newMapped(f, kind, m)
}

// Head returns the header of a table and up to n values of each column.
func Head(f File, size int64, form Form, n int) (headers []string, samples [][]string, err error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, nil, err
	}
	var next func() ([]string, error)
	switch form {
	case XLSX:
		in, err := openSheet(f, size)
		if err != nil {
			return nil, nil, err
		}
		headers = in.header
		next = func() ([]string, error) {
			row, _, err := in.next()
			return row, err
		}
	case JSONLines:
		j, err := newJSONLines(f, &Kind{}, nil)
		if err != nil {
			return nil, nil, err
		}
		headers = j.names
		next = func() ([]string, error) {
			row, err := j.Next()
			if err != nil {
				return nil, err
			}
			return row.fields, nil
		}
	case CSV:
		r, header, err := openCSV(f, "those to be mapped")
		if err != nil {
			return nil, nil, err
		}
		headers = header
		next = func() ([]string, error) {
			row, err := r.next()
			if err != nil {
				return nil, err
			}
			return row.fields, nil
		}
	default:
		return nil, nil, &FileError{"the columns of this file cannot be mapped: it has a form of its own"}
	}
	samples = make([][]string, len(headers))
	for range 200 {
		row, err := next()
		if errors.Is(err, io.EOF) {
			break
		}
		var whole *FileError
		if errors.As(err, &whole) {
			return nil, nil, err
		}
		if err != nil {
			continue
		}
		for i, v := range row {
			if v = strings.TrimSpace(v); i < len(samples) && v != "" && len(samples[i]) < n &&
				!contains(samples[i], clip(v, 60)) {
				samples[i] = append(samples[i], clip(v, 60))
			}
		}
	}
	return headers, samples, nil
}

func contains(list []string, v string) bool {
	for _, x := range list {
		if x == v {
			return true
		}
	}
	return false
}

// ReadScans reads a report on devices' software. device names the device where the file does not, at is the time
// where it has none. Parts that cannot be read come as bad.
func ReadScans(
	f File,
	size int64,
	form Form,
	device string,
	at time.Time,
) (scans []*Scan, bad []*LineError, err error) {
	if form == SWIDArchive {
		z, err := openArchive(f, size)
		if err != nil {
			return nil, nil, err
		}
		return archivedTags(z, device, at)
	}
	if size > maxDocument {
		return nil, nil, &FileError{"the document is larger than 64 MB"}
	}
	text := make([]byte, size)
	if _, err := f.ReadAt(text, 0); err != nil && !errors.Is(err, io.EOF) {
		return nil, nil, err
	}
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	var s *Scan
	switch form {
	case SWID:
		tag := readTag("", "", text)
		if tag.err != nil {
			return nil, nil, tag.err
		}
		if tag.tag.isCorpus() {
			return nil, nil, &FileError{
				"the tag describes installation media (corpus), not an install: there is nothing to take in",
			}
		}
		return swidScans([]namedTag{tag}, true, device, at)
	case CycloneDXJSON, CycloneDXXML:
		s, err = ReadCycloneDX(text, form == CycloneDXXML, device, at)
	case SPDXJSON:
		s, err = ReadSPDX(text, device, at)
	default:
		if s, err = ReadScan(bytes.NewReader(text)); err == nil && device != "" {
			s.Device.ID = device
		}
	}
	if err != nil {
		return nil, nil, err
	}
	return []*Scan{s}, nil, nil
}

func archivedTags(z *zip.Reader, device string, at time.Time) ([]*Scan, []*LineError, error) {
	var tags []namedTag
	for _, m := range z.File {
		ext := strings.ToLower(path.Ext(m.Name))
		if m.FileInfo().IsDir() || ext != ".swidtag" && ext != ".xml" && ext != ".swid" {
			continue
		}
		text, err := readMember(m)
		if err != nil {
			return nil, nil, err
		}
		folder := path.Dir(strings.ReplaceAll(m.Name, "\\", "/"))
		if folder == "." {
			folder = ""
		}
		folder, _, _ = strings.Cut(folder, "/")
		tags = append(tags, readTag(m.Name, folder, text))
	}
	if len(tags) == 0 {
		return nil, nil, &FileError{"the archive holds no SWID tag (files ending in .swidtag)"}
	}
	return swidScans(tags, false, device, at)
}
