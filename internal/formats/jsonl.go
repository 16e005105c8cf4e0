package formats

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// maxJSONLine is how long a line of JSON may be, in bytes.
const maxJSONLine = 1 << 20

// jsonLines reads a table whose lines are JSON objects, one for each line of the kind. The names in the first object
// beside the kind's own columns are custom columns; numbers and true or false stand as they are written, nested
// values as JSON. Lines are kept and mended as CSV.
type jsonLines struct {
	layout
	in    *bufio.Reader
	names []string
	line  int
	first []byte
}

func newJSONLines(in io.Reader, kind *Kind, m *Mapping) (*jsonLines, error) {
	j := &jsonLines{in: bufio.NewReaderSize(in, 1<<16)}
	if head, _ := j.in.Peek(3); bytes.HasPrefix(head, []byte("\xef\xbb\xbf")) {
		j.in.Discard(3)
	}
	first, err := j.read()
	if err != nil {
		return nil, &FileError{"the file is empty, or its first line is longer than a million characters"}
	}
	j.first = first
	var object map[string]json.RawMessage
	if err := json.Unmarshal(first, &object); err != nil {
		return nil, &FileError{"the first line is no JSON object: " + err.Error()}
	}
	var names []string
	for k := range object {
		names = append(names, strings.ToLower(strings.TrimSpace(k)))
	}
	if len(names) > MaxColumns {
		return nil, &FileError{
			fmt.Sprintf("its first line has %d names, and at most %d are read", len(names), MaxColumns),
		}
	}
	slices.Sort(names)
	if m == nil {
		j.names = slices.Clone(kind.Columns)
	}
	for _, n := range names {
		if !slices.Contains(j.names, n) {
			j.names = append(j.names, n)
		}
	}
	return j, j.setHeader(j.names, kind, m)
}

// read returns the next line that is not empty. One that is too long is passed over up to its end.
func (j *jsonLines) read() ([]byte, error) {
	if l := j.first; l != nil {
		j.first = nil
		return l, nil
	}
	for {
		var line []byte
		long := false
		for {
			part, err := j.in.ReadSlice('\n')
			if long = long || len(line)+len(part) > maxJSONLine; !long {
				line = append(line, part...)
			}
			if errors.Is(err, bufio.ErrBufferFull) {
				continue
			}
			if err != nil && (!errors.Is(err, io.EOF) || len(line) == 0 && !long) {
				return nil, err
			}
			break
		}
		j.line++
		if long {
			return nil, j.bad(j.line, clip(string(line), 200), "the line is longer than a million characters")
		}
		if line = bytes.TrimSpace(line); len(line) > 0 {
			return line, nil
		}
	}
}

func (j *jsonLines) Next() (*Row, error) {
	line, err := j.read()
	if err != nil {
		return nil, err
	}
	var object map[string]json.RawMessage
	if err := json.Unmarshal(line, &object); err != nil {
		return nil, j.bad(j.line, clip(string(line), 2000), "this is no JSON object: "+err.Error())
	}
	fields := make([]string, len(j.names))
	for k, raw := range object {
		i := slices.Index(j.names, strings.ToLower(strings.TrimSpace(k)))
		if i < 0 || string(raw) == "null" {
			continue
		}
		if raw[0] == '"' {
			if err := json.Unmarshal(raw, &fields[i]); err != nil {
				return nil, j.bad(j.line, clip(string(line), 2000), fmt.Sprintf("%s: %v", k, err))
			}
			continue
		}
		fields[i] = string(raw)
	}
	return j.finish(&Row{Line: j.line, Content: csvLine(fields), fields: fields})
}
