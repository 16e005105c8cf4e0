package formats

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// The limits of workbooks: lines of a sheet (more belong into a CSV file), and the bytes of the texts that cells share.
const (
	maxSheetRows   = 1_048_576
	maxSharedTexts = 128 << 20
)

// sheet reads the lines of one sheet of a workbook (ISO/IEC 29500-1, SpreadsheetML), one at a time, as they stand in
// the file: a cell costs what it has written, however far to the right it stands.
type sheet struct {
	name   string
	book   *sheetBook
	file   io.ReadCloser
	in     *xml.Decoder
	line   int // the number of the line that was read last
	header []string
}

// sheetBook is what all sheets of a workbook share.
type sheetBook struct {
	parts    map[string]*zip.File
	sheets   []sheetName
	texts    []string
	dates    []bool // of each style: whether it shows a number as a date
	from1904 bool
}

type sheetName struct{ name, part string }

// openSheet opens the first sheet of a workbook that has anything in it. Its first line that is not empty is the
// header. Cells that are dates by their form come as ISO 8601 dates or times.
func openSheet(in io.ReaderAt, size int64) (*sheet, error) {
	book, err := openWorkbook(in, size)
	if err != nil {
		return nil, err
	}
	for _, s := range book.sheets {
		f := book.parts[s.part]
		if f == nil {
			continue
		}
		file, err := f.Open()
		if err != nil {
			return nil, &FileError{"the workbook cannot be read: " + err.Error()}
		}
		open := &sheet{name: s.name, book: book, file: file, in: decoderOf(file)}
		header, err := open.nextLine()
		if err == nil {
			if open.header = header; len(header) > MaxColumns {
				err = &FileError{
					fmt.Sprintf("the sheet %q has %d columns, and at most %d are read", clip(s.name, 60), len(header),
						MaxColumns),
				}
			}
		}
		if err == nil {
			return open, nil
		}
		if closed := file.Close(); !errors.Is(err, io.EOF) || closed != nil {
			return nil, errors.Join(err, closed)
		}
	}
	return nil, &FileError{"the workbook is empty: the first line of its first sheet must name the columns"}
}

// next returns the next line that is not empty, as wide as the header, and where it stands.
func (s *sheet) next() (row []string, line int, err error) {
	row, err = s.nextLine()
	if err != nil {
		return nil, 0, err
	}
	if len(row) > len(s.header) {
		return nil, 0, &FileError{
			fmt.Sprintf("line %d of the sheet %q goes on beyond the header's last column", s.line, clip(s.name, 60)),
		}
	}
	for len(row) < len(s.header) {
		row = append(row, "")
	}
	return row, s.line, nil
}

// nextLine returns the next line that is not empty, up to its last cell that has something in it.
func (s *sheet) nextLine() ([]string, error) {
	for {
		token, err := s.in.Token()
		if err != nil {
			return nil, s.broken(err)
		}
		start, ok := token.(xml.StartElement)
		if !ok || start.Name.Local != "row" {
			continue
		}
		s.line++
		if n, err := strconv.Atoi(attr(start, "r")); err == nil && n >= s.line {
			s.line = n
		}
		if s.line > maxSheetRows {
			return nil, &FileError{
				fmt.Sprintf("the sheet %q has more than %d lines: save it as CSV", clip(s.name, 60), maxSheetRows),
			}
		}
		row, err := s.cells()
		if err != nil {
			return nil, err
		}
		if len(row) > 0 {
			return row, nil
		}
	}
}

// cells reads the cells of a row up to its end.
func (s *sheet) cells() (row []string, err error) {
	at := 0
	for {
		token, err := s.in.Token()
		if err != nil {
			return nil, s.broken(err)
		}
		switch t := token.(type) {
		case xml.EndElement:
			if t.Name.Local == "row" {
				return row, nil
			}
		case xml.StartElement:
			if t.Name.Local != "c" {
				continue
			}
			at++
			if column := columnOf(attr(t, "r")); column > 0 {
				at = column
			}
			value, err := s.value(t)
			if err != nil {
				return nil, err
			}
			if strings.TrimSpace(value) == "" {
				continue
			}
			if at > MaxColumns {
				return nil, &FileError{
					fmt.Sprintf("line %d of the sheet %q has something in column %d, and at most %d are read",
						s.line, clip(s.name, 60), at, MaxColumns),
				}
			}
			for len(row) < at {
				row = append(row, "")
			}
			row[at-1] = value
		}
	}
}

// sheetCell is a cell as it is written.
type sheetCell struct {
	Value  string   `xml:"v"`
	Inline richText `xml:"is"`
}

// richText is text with or without runs; how it is pronounced is no part of it.
type richText struct {
	Text string `xml:"t"`
	Runs []struct {
		Text string `xml:"t"`
	} `xml:"r"`
}

func (t *richText) String() string {
	out := t.Text
	for _, r := range t.Runs {
		out += r.Text
	}
	return unescapeCell(out)
}

func (s *sheet) value(start xml.StartElement) (string, error) {
	var c sheetCell
	if err := s.in.DecodeElement(&c, &start); err != nil {
		return "", s.broken(err)
	}
	switch attr(start, "t") {
	case "s":
		n, err := strconv.Atoi(strings.TrimSpace(c.Value))
		if err != nil || n < 0 || n >= len(s.book.texts) {
			return "", &FileError{fmt.Sprintf("line %d of the sheet %q names a text that the workbook does not have",
				s.line, clip(s.name, 60))}
		}
		return s.book.texts[n], nil
	case "inlineStr":
		return c.Inline.String(), nil
	case "str", "d", "b", "e":
		return unescapeCell(c.Value), nil
	}
	style, err := strconv.Atoi(attr(start, "s"))
	if err != nil || style < 0 || style >= len(s.book.dates) || !s.book.dates[style] {
		return c.Value, nil
	}
	return s.book.date(c.Value), nil
}

// date writes a number that is shown as a date.
func (b *sheetBook) date(value string) string {
	n, err := strconv.ParseFloat(value, 64)
	if err != nil {
		return value
	}
	t, err := excelize.ExcelDateToTime(n, b.from1904)
	if err != nil {
		return value
	}
	if n == math.Trunc(n) {
		return t.Format(time.DateOnly)
	}
	return t.Round(time.Second).Format("2006-01-02T15:04:05")
}

// broken tells the end of a sheet from one that is cut.
func (s *sheet) broken(err error) error {
	if errors.Is(err, io.EOF) {
		return io.EOF
	}
	return &FileError{fmt.Sprintf("the sheet %q cannot be read: %v", clip(s.name, 60), err)}
}

// Close closes the sheet.
func (s *sheet) Close() error { return s.file.Close() }

// columnOf is the number of the column that a cell such as BC12 stands in, 0 where it does not say.
func columnOf(ref string) int {
	n := 0
	for i := 0; i < len(ref) && i < 4; i++ {
		c := ref[i] &^ 0x20 // small letters are as good
		if c < 'A' || c > 'Z' {
			break
		}
		n = n*26 + int(c-'A'+1)
	}
	return n
}

func attr(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// unescapeCell takes back what is written as _x000D_ (ISO/IEC 29500-1, 22.9.2.19: ST_Xstring).
func unescapeCell(text string) string {
	if !strings.Contains(text, "_x") {
		return text
	}
	var out strings.Builder
	for i := 0; i < len(text); {
		if i+7 <= len(text) && text[i] == '_' && text[i+1] == 'x' && text[i+6] == '_' {
			if n, err := strconv.ParseUint(text[i+2:i+6], 16, 16); err == nil {
				out.WriteRune(rune(n))
				i += 7
				continue
			}
		}
		out.WriteByte(text[i])
		i++
	}
	return out.String()
}

// openWorkbook reads what sheets share.
func openWorkbook(in io.ReaderAt, size int64) (*sheetBook, error) {
	z, err := openArchive(in, size)
	if err != nil {
		return nil, err
	}
	b := &sheetBook{parts: make(map[string]*zip.File, len(z.File))}
	for _, f := range z.File {
		b.parts[strings.ToLower(strings.TrimPrefix(strings.ReplaceAll(f.Name, "\\", "/"), "/"))] = f
	}
	for _, read := range []func() error{b.readSheets, b.readStyles, b.readTexts} {
		if err := read(); err != nil {
			var file *FileError
			if errors.As(err, &file) {
				return nil, err
			}
			return nil, &FileError{"the workbook cannot be read: " + err.Error()}
		}
	}
	return b, nil
}

// each gives the elements of one name of a part, where there is such a part.
func (b *sheetBook) each(part, name string, give func(in *xml.Decoder, e xml.StartElement) error) error {
	f := b.parts[part]
	if f == nil {
		return nil
	}
	file, err := f.Open()
	if err != nil {
		return err
	}
	defer file.Close()
	in := decoderOf(file)
	for {
		token, err := in.Token()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if e, ok := token.(xml.StartElement); ok && e.Name.Local == name {
			if err := give(in, e); err != nil {
				return err
			}
		}
	}
}

func (b *sheetBook) readSheets() error {
	const book = "xl/workbook.xml"
	if b.parts[book] == nil {
		return &FileError{"this is no workbook: it has no list of sheets"}
	}
	parts := map[string]string{}
	if err := b.each("xl/_rels/workbook.xml.rels", "Relationship", func(_ *xml.Decoder, e xml.StartElement) error {
		target := strings.ToLower(attr(e, "Target"))
		if strings.HasPrefix(target, "/") {
			target = target[1:]
		} else {
			target = path.Join("xl", target)
		}
		parts[attr(e, "Id")] = target
		return nil
	}); err != nil {
		return err
	}
	if err := b.each(book, "workbookPr", func(_ *xml.Decoder, e xml.StartElement) error {
		from := attr(e, "date1904")
		b.from1904 = from == "1" || from == "true"
		return nil
	}); err != nil {
		return err
	}
	return b.each(book, "sheet", func(_ *xml.Decoder, e xml.StartElement) error {
		if len(b.sheets) < maxMembers {
			b.sheets = append(b.sheets, sheetName{attr(e, "name"), parts[attr(e, "id")]})
		}
		return nil
	})
}

// readStyles finds which styles show a number as a date.
func (b *sheetBook) readStyles() error {
	const styles = "xl/styles.xml"
	own := map[int]bool{}
	if err := b.each(styles, "numFmt", func(_ *xml.Decoder, e xml.StartElement) error {
		if n, err := strconv.Atoi(attr(e, "numFmtId")); err == nil {
			own[n] = showsDate(attr(e, "formatCode"))
		}
		return nil
	}); err != nil {
		return err
	}
	return b.each(styles, "cellXfs", func(in *xml.Decoder, e xml.StartElement) error {
		var list struct {
			Styles []struct {
				Format int `xml:"numFmtId,attr"`
			} `xml:"xf"`
		}
		if err := in.DecodeElement(&list, &e); err != nil {
			return err
		}
		for _, s := range list.Styles {
			n := s.Format
			is, known := own[n]
			if !known { // the built-in ones, of every language (ISO/IEC 29500-1, 18.8.30)
				is = n >= 14 && n <= 22 || n >= 27 && n <= 36 || n >= 45 && n <= 47 || n >= 50 && n <= 58
			}
			b.dates = append(b.dates, is)
		}
		return nil
	})
}

// readTexts reads the texts that cells share.
func (b *sheetBook) readTexts() error {
	size := 0
	return b.each("xl/sharedstrings.xml", "si", func(in *xml.Decoder, e xml.StartElement) error {
		var t richText
		if err := in.DecodeElement(&t, &e); err != nil {
			return err
		}
		text := t.String()
		if size += len(text) + 16; size > maxSharedTexts {
			return &FileError{fmt.Sprintf("the texts of the workbook are larger than %d MB: save the sheet as CSV",
				maxSharedTexts>>20)}
		}
		b.texts = append(b.texts, text)
		return nil
	})
}

// sheetRows gives the lines of a sheet, which are kept and mended as CSV.
type sheetRows struct {
	layout
	in *sheet
}

func newSheetRows(in *sheet, kind *Kind, m *Mapping) (*sheetRows, error) {
	r := &sheetRows{in: in}
	return r, r.setHeader(in.header, kind, m)
}

// Next returns the next line.
func (r *sheetRows) Next() (*Row, error) {
	fields, line, err := r.in.next()
	if err != nil {
		return nil, err
	}
	return r.finish(&Row{Line: line, Content: csvLine(fields), fields: fields})
}

// showsDate reports whether a number format shows years or days. What stands in quotation marks or brackets is text.
func showsDate(format string) bool {
	quoted, bracket := false, false
	for _, c := range strings.ToLower(format) {
		switch {
		case c == '"':
			quoted = !quoted
		case c == '[':
			bracket = true
		case c == ']':
			bracket = false
		case !quoted && !bracket && (c == 'y' || c == 'd'):
			return true
		}
	}
	return false
}
