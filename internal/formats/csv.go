// Package formats reads and writes the files of the product. It knows the core's types and nothing of storage.
package formats

import (
	"bufio"
	"bytes"
	"ensomet/internal/core/licencekey"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"ensomet/internal/core/refuse"
)

// MaxLine is the longest line of a CSV file that is read, in bytes; a longer one is put aside without being held in
// memory.
const MaxLine = 1 << 20

// MaxColumns is how many columns a table may have.
const MaxColumns = 2_000

// FileError says that a whole file cannot be read. Nothing of it may be stored.
type FileError struct{ Reason string }

func (e *FileError) Error() string { return e.Reason }

// LineError says that one line cannot be taken in. Content is the line as it stands, or its beginning where it is
// longer than MaxLine.
type LineError struct {
	Line    int
	Content string
	Reason  string
}

func (e *LineError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Reason) }

// Row is one record of a CSV file. Line is where it begins, the header being line 1.
type Row struct {
	Line    int
	Content string
	fields  []string
	pos     []int
	custom  []int
	header  []string
}

// At returns the value of the kind's column i, trimmed of white space, or "" where the file has no such column.
func (r *Row) At(i int) string {
	if r.pos[i] < 0 {
		return ""
	}
	return strings.TrimSpace(unguard(r.fields[r.pos[i]]))
}

// Custom returns the values of columns that the kind does not know, by name, without empty ones; nil where there are
// none.
func (r *Row) Custom() map[string]string {
	var out map[string]string
	for _, i := range r.custom {
		if v := strings.TrimSpace(r.fields[i]); v != "" {
			if out == nil {
				out = map[string]string{}
			}
			out[r.header[i]] = v
		}
	}
	return out
}

type physical struct {
	text    string
	line    int
	tooLong bool
	newline bool
}

// Reader reads a CSV file by RFC 4180, line by line. What RFC 4180 leaves open: a line feed alone ends a line too, a
// byte-order mark is skipped, empty lines are skipped, and a quotation mark inside a field that does not begin with
// one is an error of that line.
type Reader struct {
	layout
	in      *bufio.Reader
	line    int
	pending []physical // lines that come again, the next one last
	comma   byte
}

// layout is how the columns of a file lie.
type layout struct {
	header    []string
	pos       []int
	custom    []int
	width     int      // fields of a line as the file has them
	constants []string // values that every line has besides
	secret    []int    // the places of fields that are not kept as they came
}

// NewReader reads the header and maps it onto the kind's columns. A header that lacks a required column, or a file
// that is not text, is a *FileError.
func NewReader(in io.Reader, kind *Kind) (*Reader, error) { return newMapped(in, kind, nil) }

// newMapped is NewReader for a foreign file: its columns are mapped, and where its header has no comma, a semicolon
// or a tab parts the fields.
func newMapped(in io.Reader, kind *Kind, m *Mapping) (*Reader, error) {
	r, header, err := openCSV(in, strings.Join(kind.Required, ", "))
	if err != nil {
		return nil, err
	}
	if m == nil && r.comma != ',' && len(header) > 1 && slices.Contains(kind.Columns, strings.ToLower(header[0])) {
		return nil, &FileError{
			"its fields are parted by semicolons or tabs: save it with commas, or map its columns when it is taken " +
				"in on the page Files",
		}
	}
	return r, r.setHeader(header, kind, m)
}

// openCSV reads the header of a CSV file.
func openCSV(in io.Reader, wanted string) (*Reader, []string, error) {
	r := &Reader{in: bufio.NewReaderSize(in, 1<<16), comma: ','}
	if head, _ := r.in.Peek(3); bytes.HasPrefix(head, []byte("\xef\xbb\xbf")) {
		r.in.Discard(3)
	} else if bytes.HasPrefix(head, []byte("\xff\xfe")) || bytes.HasPrefix(head, []byte("\xfe\xff")) {
		return nil, nil, &FileError{"the file is written in UTF-16: save it as UTF-8 and send it again"}
	} else if bytes.HasPrefix(head, []byte("PK\x03")) {
		return nil, nil,
			&FileError{"this is a workbook or an archive, not a CSV file: save the sheet as CSV (UTF-8) " +
				"and send it again"}
	}
	row, err := r.next()
	if err == io.EOF {
		return nil, nil, &FileError{
			"the file is empty: its first line must name the columns, " + wanted + " among them",
		}
	}
	if err != nil {
		var le *LineError
		if errors.As(err, &le) {
			return nil, nil, &FileError{"the header cannot be read: " + le.Reason}
		}
		return nil, nil, err
	}
	if len(row.fields) == 1 {
		for _, other := range []byte{';', '\t'} {
			if fields, _, err := split(row.Content, other); err == nil && len(fields) > 1 {
				r.comma = other
				return r, fields, nil
			}
		}
	}
	return r, row.fields, nil
}

// ReaderFor reads lines without header that belong under a header seen before.
func ReaderFor(in io.Reader, kind *Kind, header []string) (*Reader, error) {
	r := &Reader{in: bufio.NewReaderSize(in, 1<<12), comma: ','}
	return r, r.setHeader(header, kind, nil)
}

// Header returns the file's columns as they are called after the mapping.
func (r *layout) Header() []string { return r.header }

func (r *layout) setHeader(fields []string, kind *Kind, m *Mapping) error {
	r.pos = make([]int, len(kind.Columns))
	for i := range r.pos {
		r.pos[i] = -1
	}
	if len(fields) > MaxColumns {
		return &FileError{
			fmt.Sprintf("the file has %d columns, and at most %d are read: leave out those that nobody needs",
				len(fields), MaxColumns),
		}
	}
	names := make([]string, len(fields))
	for i, f := range fields {
		names[i] = strings.ToLower(strings.TrimSpace(f))
	}
	r.width = len(names)
	if m != nil {
		if err := m.Check(kind); err != nil {
			return err
		}
		names = m.apply(names, kind)
		for _, column := range kind.Columns { // in a fixed order
			if v, ok := m.Constants[column]; ok {
				names, r.constants = append(names, column), append(r.constants, v)
			}
		}
	}
	seen := make(map[string]bool, len(names))
	for i, f := range names {
		r.header = append(r.header, f)
		if seen[f] && f != "" {
			return &FileError{fmt.Sprintf("the header names the column %q twice: keep one of them", clip(f, 60))}
		}
		seen[f] = true
		if k := slices.Index(kind.Columns, f); k >= 0 {
			r.pos[k] = i
			if slices.Contains(kind.Secret, f) {
				r.secret = append(r.secret, i)
			}
		} else if f != "" && !slices.Contains(kind.OutOnly, f) {
			r.custom = append(r.custom, i)
		}
	}
	r.keepSecrets(kind)
	var missing []string
	for _, name := range kind.Required {
		if r.pos[slices.Index(kind.Columns, name)] < 0 {
			missing = append(missing, name)
		}
	}
	if missing != nil {
		return &FileError{
			fmt.Sprintf(
				"the header lacks the column %s that %s needs (it has %s)",
				strings.Join(missing, ", "),
				kind.Name,
				clip(strings.Join(r.header, ", "), 200),
			),
		}
	}
	return nil
}

// keepSecrets sees to it that no column of the house's own keeps what a secret column would not: one that is called by
// a common word for it is taken for it, and left out where there is another.
func (r *layout) keepSecrets(kind *Kind) {
	for _, column := range kind.Secret {
		at := slices.Index(kind.Columns, column)
		r.custom = slices.DeleteFunc(r.custom, func(i int) bool {
			if !slices.Contains(synonyms[column], plain(r.header[i])) {
				return false
			}
			r.secret = append(r.secret, i)
			if r.pos[at] < 0 {
				r.pos[at] = i
			}
			return true
		})
	}
}

// Next returns the next record. It returns io.EOF at the end, a *LineError for a line that cannot be read (go on
// after it), and a *FileError for a file that ends in the middle of a line.
func (r *Reader) Next() (*Row, error) {
	row, err := r.next()
	if err != nil {
		return nil, err
	}
	return r.finish(row)
}

// finish lays the columns over a line as the file has it.
func (r *layout) finish(row *Row) (*Row, error) {
	if len(row.fields) != r.width {
		return nil, r.bad(row.Line, row.Content,
			fmt.Sprintf("it has %d fields and the header has %d", len(row.fields), r.width))
	}
	if r.constants != nil {
		row.fields = append(row.fields, r.constants...)
		row.Content += "," + csvLine(r.constants)
	}
	r.hide(row)
	row.pos, row.custom, row.header = r.pos, r.custom, r.header
	return row, nil
}

// bad is a line that cannot be read. Where the file has licence keys nobody knows which part of it is one, so that
// nothing of it is kept.
func (r *layout) bad(line int, content, reason string) *LineError {
	if len(r.secret) > 0 {
		content = fmt.Sprintf("(line %d is not kept, since the file has licence keys)", line)
	}
	return &LineError{line, content, reason}
}

// hide writes the last signs alone of secret fields into what is kept of a line.
func (r *layout) hide(row *Row) {
	var shown []string
	for _, i := range r.secret {
		if strings.TrimSpace(row.fields[i]) == "" {
			continue
		}
		if shown == nil {
			shown = slices.Clone(row.fields)
		}
		shown[i] = HiddenKey(row.fields[i])
	}
	if shown != nil {
		row.Content = csvLine(shown)
	}
}

// HiddenKey is what is kept of a licence key: its last five signs, or nothing of one that is too short to be one.
func HiddenKey(key string) string {
	folded := licencekey.Fold(key)
	if folded == "" {
		return "…"
	}
	return "…" + licencekey.Hint(folded)
}

func (r *Reader) next() (*Row, error) {
	for {
		first, err := r.physical()
		if err != nil {
			return nil, err
		}
		if first.tooLong {
			return nil, r.bad(first.line, clip(first.text, 500),
				fmt.Sprintf("it is longer than %d bytes; only its beginning is kept here", MaxLine))
		}
		if first.text == "" {
			continue
		}
		return r.record(first)
	}
}

// record reads a record that begins with a physical line and goes on over more where a quoted field has line ends in
// it. However many lines it looks at, it looks at each once.
func (r *Reader) record(first physical) (*Row, error) {
	s := splitter{comma: r.comma, fields: make([]string, 0, max(16, r.width))}
	last, size := first, len(first.text)
	lines := []string{first.text}
	var more []physical
	err := s.feed(first.text)
	for err == nil && s.open {
		next, ioErr := r.physical()
		if ioErr == io.EOF && !last.newline {
			return nil, &FileError{
				fmt.Sprintf(
					"the file ends inside a quoted field that begins on line %d: it looks cut off, so nothing of it "+
						"was stored; send it again whole",
					first.line,
				),
			}
		}
		if ioErr != nil && ioErr != io.EOF {
			return nil, ioErr
		}
		if ioErr == nil {
			more = append(more, next)
		}
		if ioErr == io.EOF || next.tooLong || size+len(next.text) > MaxLine {
			r.putBack(more)
			return nil, r.bad(first.line, strings.ToValidUTF8(first.text, "\uFFFD"),
				"a quotation mark opens here and is never closed")
		}
		last, size = next, size+1+len(next.text)
		lines = append(lines, next.text)
		err = s.feed("\n" + next.text)
	}
	if err != nil {
		r.putBack(more)
		return nil, r.bad(first.line, strings.ToValidUTF8(first.text, "\uFFFD"), err.Error())
	}
	text := strings.Join(lines, "\n")
	if !utf8.ValidString(text) {
		return nil, r.bad(first.line, strings.ToValidUTF8(text, "\uFFFD"),
			"it is not UTF-8: save the file as UTF-8, or mend the marked letters here")
	}
	if !last.newline && r.header != nil && len(s.fields) < r.width {
		return nil, &FileError{
			fmt.Sprintf(
				"the file ends in the middle of line %d (%d fields of %d): it looks cut off, so nothing of "+
					"it was stored; send it again whole",
				first.line,
				len(s.fields),
				r.width,
			),
		}
	}
	if r.comma != ',' && r.header != nil { // lines are kept and mended with commas
		text = csvLine(s.fields)
	}
	return &Row{Line: first.line, Content: text, fields: s.fields}, nil
}

// putBack lets lines come again that were read on from another.
func (r *Reader) putBack(lines []physical) {
	for _, p := range slices.Backward(lines) {
		r.pending = append(r.pending, p)
	}
}

// physical reads one line without its end.
func (r *Reader) physical() (physical, error) {
	if n := len(r.pending); n > 0 {
		p := r.pending[n-1]
		r.pending[n-1], r.pending = physical{}, r.pending[:n-1]
		return p, nil
	}
	p := physical{line: r.line + 1}
	var buf []byte
	for {
		part, err := r.in.ReadSlice('\n')
		if !p.tooLong {
			if len(buf)+len(part) > MaxLine+2 {
				p.tooLong = true
				buf = append(buf, part[:min(len(part), 512)]...)
			} else if buf == nil && err == nil {
				buf = part
			} else {
				buf = append(buf, part...)
			}
		}
		if err == bufio.ErrBufferFull {
			if len(buf) == len(part) {
				buf = slices.Clone(buf)
			}
			continue
		}
		if err == io.EOF && len(buf) == 0 {
			return p, io.EOF
		}
		if err != nil && err != io.EOF {
			return p, err
		}
		p.newline = err == nil
		break
	}
	r.line++
	buf = bytes.TrimSuffix(buf, []byte("\n"))
	buf = bytes.TrimSuffix(buf, []byte("\r"))
	p.text = string(buf)
	return p, nil
}

// splitter cuts a record into fields at commas, or what stands for them.
type splitter struct {
	comma  byte
	fields []string
	open   bool            // it ended inside a quoted field
	quoted strings.Builder // what there is of that field
}

// feed goes on with more of the record. What comes after a quoted field that was left open is looked at once.
func (s *splitter) feed(text string) error {
	i := 0
	for {
		if s.open || i < len(text) && text[i] == '"' {
			if !s.open {
				s.open = true
				i++
			}
			var ends bool
			if i, ends = s.quote(text, i); !ends {
				return nil
			}
			if i == len(text) {
				return nil
			}
			if text[i] != s.comma {
				return refuse.Errorf(
					"after the closing quotation mark of field %d a comma must follow",
					len(s.fields),
				)
			}
			i++
			continue
		}
		c := strings.IndexByte(text[i:], s.comma)
		field := text[i:]
		if c >= 0 {
			field = text[i : i+c]
		}
		if strings.IndexByte(field, '"') >= 0 {
			return refuse.Errorf(
				"field %d has a quotation mark inside: put the whole field in quotation marks and double the one "+
					"inside",
				len(s.fields)+1,
			)
		}
		s.fields = append(s.fields, field)
		if c < 0 {
			return nil
		}
		i += c + 1
	}
}

// quote reads on in a quoted field from i, and returns where it is after it. ends says that its closing mark was there.
func (s *splitter) quote(text string, i int) (after int, ends bool) {
	for {
		q := strings.IndexByte(text[i:], '"')
		if q < 0 {
			s.quoted.WriteString(text[i:])
			return len(text), false
		}
		s.quoted.WriteString(text[i : i+q])
		i += q + 1
		if i < len(text) && text[i] == '"' {
			s.quoted.WriteByte('"')
			i++
			continue
		}
		s.fields = append(s.fields, s.quoted.String())
		s.quoted.Reset()
		s.open = false
		return i, true
	}
}

// split cuts a whole record into fields.
func split(text string, comma byte) (fields []string, open bool, err error) {
	s := splitter{comma: comma, fields: make([]string, 0, 16)}
	err = s.feed(text)
	return s.fields, s.open, err
}

func clip(s string, n int) string {
	if len(s) <= n {
		return s
	}
	return strings.ToValidUTF8(s[:n], "") + "…"
}

// guard writes a value so that no spreadsheet reads it as a formula: with an apostrophe in front. Numbers stay.
func guard(s string) string {
	if s == "" || !strings.ContainsRune("=+-@\t\r", rune(s[0])) || isNumber(s) {
		return s
	}
	return "'" + s
}

// unguard takes back what guard added.
func unguard(s string) string {
	if len(s) > 1 && s[0] == '\'' && strings.ContainsRune("=+-@\t\r", rune(s[1])) {
		return s[1:]
	}
	return s
}

func isNumber(s string) bool {
	digits := 0
	for i, c := range s {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case i == 0 && (c == '-' || c == '+'), c == '.':
		default:
			return false
		}
	}
	return digits > 0
}
