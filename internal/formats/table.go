package formats

import (
	"bytes"
	"encoding/csv"
	"io"
	"strings"
)

// Rows gives the lines of a file of one kind, whatever the file's form.
type Rows interface {
	// Header returns the columns as they are called after the mapping.
	Header() []string
	// Next returns the next line. It returns io.EOF at the end, a *LineError for a line that cannot be read, and a
	// *FileError where the file as a whole cannot.
	Next() (*Row, error)
}

// table is a file that was read whole. Its lines are kept and mended as CSV.
type table struct {
	layout
	rows  [][]string
	lines []int
	at    int
}

func newTable(header []string, rows [][]string, lines []int, kind *Kind, m *Mapping) (*table, error) {
	t := &table{rows: rows, lines: lines}
	return t, t.setHeader(header, kind, m)
}

func (t *table) Next() (*Row, error) {
	if t.at == len(t.rows) {
		return nil, io.EOF
	}
	fields := t.rows[t.at]
	for len(fields) < t.width { // a workbook leaves out empty cells at the end of a line
		fields = append(fields, "")
	}
	row := &Row{Line: t.lines[t.at], Content: csvLine(fields), fields: fields}
	t.at++
	return t.finish(row)
}

// csvLine writes fields as a line of CSV without its end.
func csvLine(fields []string) string {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	if err := w.Write(fields); err != nil {
		return strings.Join(fields, ",")
	}
	w.Flush()
	return strings.TrimSuffix(b.String(), "\n")
}
