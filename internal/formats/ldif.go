package formats

import (
	"bufio"
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"
)

// LDIFEntry is a record of an LDIF file (RFC 2849): an entry, or a change of one.
type LDIFEntry struct {
	Line     int // where the record begins
	DN       string
	Controls []string
	Change   string // empty for an entry, else add, delete, modify, modrdn or moddn
	Attrs    []LDIFAttr
	Mods     []LDIFMod
	NewRDN   string
	Superior string
	KeepOld  bool
}

// LDIFAttr is a value of an attribute. URL says that the value stands elsewhere; it is never fetched.
type LDIFAttr struct {
	Name    string // without options, in small letters
	Options []string
	Value   string
	URL     bool
}

// LDIFMod is one step of a change: add, delete or replace the values of an attribute.
type LDIFMod struct {
	Op, Attr string
	Values   []LDIFAttr
}

// Values returns the values of an attribute.
func (e *LDIFEntry) Values(name string) []string {
	var out []string
	for _, a := range e.Attrs {
		if a.Name == name && !a.URL {
			out = append(out, a.Value)
		}
	}
	return out
}

// First returns the first value that one of the attributes has.
func (e *LDIFEntry) First(names ...string) string {
	for _, n := range names {
		for _, v := range e.Values(n) {
			if v != "" {
				return v
			}
		}
	}
	return ""
}

// LDIFReader reads LDIF by RFC 2849 record by record: folded lines, comments, base64, URLs (which are kept and not
// fetched), entries and changes.
type LDIFReader struct {
	in     *bufio.Reader
	line   int
	began  bool // the first record is read, which may say the version
	found  bool // at least one record could be read
	failed error
}

// NewLDIFReader begins to read LDIF.
func NewLDIFReader(in io.Reader) *LDIFReader { return &LDIFReader{in: bufio.NewReaderSize(in, 1<<16)} }

// Next returns the next record. It returns a *LineError for a record that cannot be read, after which the next one
// follows, a *FileError where this is no LDIF file, and io.EOF at the end.
func (r *LDIFReader) Next() (*LDIFEntry, error) {
	for r.failed == nil {
		var lines []ldifLine
		if lines, r.failed = r.record(); r.failed != nil && r.failed != io.EOF {
			break
		}
		first := !r.began && len(lines) > 0
		r.began = r.began || first
		if name, value, _ := strings.Cut(textOf(lines), ":"); first && strings.EqualFold(name, "version") {
			if value = strings.TrimSpace(value); value != "1" {
				r.failed = &FileError{
					fmt.Sprintf("the file is LDIF version %q; version 1 is read", clip(value, 20)),
				}
				break
			}
			lines = lines[1:]
		}
		if len(lines) == 0 {
			continue
		}
		texts := make([]string, len(lines))
		for i := range lines {
			texts[i] = lines[i].text()
		}
		e, reason := parseLDIF(texts)
		if reason != "" {
			return nil, &LineError{lines[0].at, strings.ToValidUTF8(strings.Join(texts, "\n"), "\uFFFD"), reason}
		}
		e.Line, r.found = lines[0].at, true
		return e, nil
	}
	if r.failed == io.EOF && !r.found {
		r.failed = &FileError{"the file holds no LDIF record: each begins with a line dn:"}
	}
	return nil, r.failed
}

// textOf is the first of some lines; empty where there are none.
func textOf(lines []ldifLine) string {
	if len(lines) == 0 {
		return ""
	}
	return lines[0].text()
}

// record reads the lines up to an empty one; with the last of them it returns io.EOF. None is an empty record.
func (r *LDIFReader) record() (record []ldifLine, err error) {
	if head, _ := r.in.Peek(3); r.line == 0 && bytes.HasPrefix(head, []byte("\xef\xbb\xbf")) {
		if _, err := r.in.Discard(3); err != nil {
			return nil, err
		}
	}
	comment := false
	for {
		text, err := readLine(r.in, MaxLine)
		if errors.Is(err, errLineTooLong) {
			return nil, &FileError{fmt.Sprintf("line %d is longer than %d bytes", r.line+1, MaxLine)}
		}
		if err != nil && err != io.EOF || text == "" {
			return record, err
		}
		r.line++
		text = strings.TrimSuffix(strings.TrimSuffix(text, "\n"), "\r")
		switch {
		case strings.HasPrefix(text, " "):
			if comment {
				break
			}
			if len(record) == 0 {
				return nil, &FileError{
					fmt.Sprintf("line %d goes on from a line that is not there: this is no LDIF file", r.line),
				}
			}
			if record[len(record)-1].goOn(text[1:]) > MaxLine {
				return nil, &FileError{
					fmt.Sprintf("the value that ends on line %d is longer than %d bytes", r.line, MaxLine),
				}
			}
		case strings.HasPrefix(text, "#"):
			comment = true
		case text == "":
			return record, err
		default:
			comment = false
			record = append(record, ldifLine{parts: []string{text}, at: r.line, size: len(text)})
		}
		if err == io.EOF {
			return record, err
		}
	}
}

// ldifLine is a line of LDIF with those that it was folded into.
type ldifLine struct {
	parts []string
	size  int
	at    int
}

func (l *ldifLine) text() string { return strings.Join(l.parts, "") }

// goOn adds what the line goes on with, and returns how long it is now.
func (l *ldifLine) goOn(text string) int {
	l.parts = append(l.parts, text)
	l.size += len(text)
	return l.size
}

// errLineTooLong says that a line is longer than it may be.
var errLineTooLong = errors.New("the line is too long")

// readLine reads a line with its end, of at most so many bytes; of a longer one it holds no more. It returns io.EOF
// with the last line where that has no end.
func readLine(r *bufio.Reader, most int) (string, error) {
	var line []byte
	for {
		part, err := r.ReadSlice('\n')
		if len(line)+len(part) > most {
			return "", errLineTooLong
		}
		if line = append(line, part...); !errors.Is(err, bufio.ErrBufferFull) {
			return string(line), err
		}
	}
}

// parseLine reads "name;option: value", ":: base64" or ":< URL".
func parseLine(text string) (LDIFAttr, string) {
	name, rest, ok := strings.Cut(text, ":")
	if !ok {
		return LDIFAttr{}, fmt.Sprintf("%q is not written as attribute: value", clip(text, 60))
	}
	parts := strings.Split(name, ";")
	a := LDIFAttr{Name: strings.ToLower(strings.TrimSpace(parts[0])), Options: parts[1:]}
	if len(a.Options) == 0 {
		a.Options = nil
	}
	switch {
	case strings.HasPrefix(rest, ":"):
		v, err := base64.StdEncoding.DecodeString(strings.TrimSpace(rest[1:]))
		if err != nil {
			return a, fmt.Sprintf("the base64 value of %s cannot be read", a.Name)
		}
		a.Value = string(v)
	case strings.HasPrefix(rest, "<"):
		a.Value, a.URL = strings.TrimSpace(rest[1:]), true
	default:
		a.Value = strings.TrimLeft(rest, " ")
	}
	return a, ""
}

func parseLDIF(lines []string) (*LDIFEntry, string) {
	head, reason := parseLine(lines[0])
	if reason != "" {
		return nil, reason
	}
	if head.Name != "dn" || head.URL {
		return nil, "the record does not begin with dn:"
	}
	if !utf8.ValidString(head.Value) {
		return nil, "the dn is not UTF-8"
	}
	e := &LDIFEntry{DN: head.Value}
	var list []LDIFAttr
	var dashes []int // places in list before which a change step ends
	for _, text := range lines[1:] {
		if text == "-" {
			dashes = append(dashes, len(list))
			continue
		}
		a, reason := parseLine(text)
		if reason != "" {
			return nil, reason
		}
		switch {
		case a.Name == "control" && len(list) == 0:
			e.Controls = append(e.Controls, a.Value)
		case a.Name == "changetype" && len(list) == 0 && e.Change == "":
			e.Change = strings.ToLower(strings.TrimSpace(a.Value))
		default:
			list = append(list, a)
		}
	}
	switch e.Change {
	case "", "add":
		if len(dashes) > 0 {
			return nil, "a line - stands outside a change"
		}
		if len(list) == 0 {
			return nil, "the entry has no attributes"
		}
		e.Attrs = list
	case "delete":
		if len(list) > 0 {
			return nil, "a deletion has attributes"
		}
	case "modrdn", "moddn":
		for _, a := range list {
			switch a.Name {
			case "newrdn":
				e.NewRDN = a.Value
			case "deleteoldrdn":
				e.KeepOld = strings.TrimSpace(a.Value) == "0"
			case "newsuperior":
				e.Superior = a.Value
			default:
				return nil, fmt.Sprintf("a change of name has no %s", a.Name)
			}
		}
		if e.NewRDN == "" {
			return nil, "a change of name lacks newrdn"
		}
	case "modify":
		from := 0
		for _, to := range append(dashes, len(list)) {
			if to == from {
				continue
			}
			step := list[from:to]
			if !slices.Contains([]string{"add", "delete", "replace"}, step[0].Name) {
				return nil, fmt.Sprintf("a change begins with %s, which is none of add, delete, replace", step[0].Name)
			}
			m := LDIFMod{Op: step[0].Name, Attr: strings.ToLower(step[0].Value)}
			for _, v := range step[1:] {
				if v.Name != strings.Split(m.Attr, ";")[0] {
					return nil, fmt.Sprintf("the change of %s has a value of %s", m.Attr, v.Name)
				}
				m.Values = append(m.Values, v)
			}
			e.Mods = append(e.Mods, m)
			from = to
		}
	default:
		return nil, fmt.Sprintf("changetype %q is none of add, delete, modify, modrdn, moddn", clip(e.Change, 20))
	}
	return e, ""
}

// IsLDIF reports whether a file begins as LDIF does.
func IsLDIF(head []byte) bool {
	for _, line := range bytes.Split(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf")), []byte("\n")) {
		text := strings.ToLower(strings.TrimSpace(string(line)))
		if text == "" || strings.HasPrefix(text, "#") {
			continue
		}
		return strings.HasPrefix(text, "dn:") || strings.HasPrefix(text, "version:")
	}
	return false
}
