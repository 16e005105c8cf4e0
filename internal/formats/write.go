package formats

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"io"

	"ensomet/internal/core/refuse"

	"github.com/xuri/excelize/v2"
)

// Writer writes a table row by row.
type Writer interface {
	Write(values []string) error
	Close() error
}

// NewWriter starts a table in a format: csv, json (a list of objects, all values as text) or xlsx.
func NewWriter(out io.Writer, format string, columns []string) (Writer, error) {
	switch format {
	case "", "csv":
		w := csv.NewWriter(out)
		w.UseCRLF = true
		return &csvWriter{w}, w.Write(columns)
	case "json":
		b := bufio.NewWriter(out)
		_, err := b.WriteString("[")
		return &jsonWriter{out: b, columns: columns}, err
	case "xlsx":
		f := excelize.NewFile()
		s, err := f.NewStreamWriter("Sheet1")
		if err != nil {
			return nil, err
		}
		w := &xlsxWriter{out: out, file: f, stream: s}
		return w, w.Write(columns)
	}
	return nil, refuse.Errorf("there is no format %q; there are csv, json, xlsx", format)
}

type csvWriter struct{ w *csv.Writer }

func (c *csvWriter) Write(values []string) error {
	row := make([]string, len(values))
	for i, v := range values {
		row[i] = guard(v)
	}
	return c.w.Write(row)
}

func (c *csvWriter) Close() error {
	c.w.Flush()
	return c.w.Error()
}

type jsonWriter struct {
	out     *bufio.Writer
	columns []string
	rows    int
}

func (j *jsonWriter) Write(values []string) error {
	sep := ",\n "
	if j.rows == 0 {
		sep = "\n "
	}
	j.rows++
	j.out.WriteString(sep + "{")
	for i, v := range values {
		if i > 0 {
			j.out.WriteString(", ")
		}
		key, _ := json.Marshal(j.columns[i])
		val, err := json.Marshal(v)
		if err != nil {
			return err
		}
		j.out.Write(key)
		j.out.WriteString(": ")
		j.out.Write(val)
	}
	_, err := j.out.WriteString("}")
	return err
}

func (j *jsonWriter) Close() error {
	j.out.WriteString("\n]\n")
	return j.out.Flush()
}

// xlsxWriter writes text cells, which no spreadsheet reads as formulas.
type xlsxWriter struct {
	out    io.Writer
	file   *excelize.File
	stream *excelize.StreamWriter
	rows   int
}

func (x *xlsxWriter) Write(values []string) error {
	x.rows++
	cells := make([]any, len(values))
	for i, v := range values {
		cells[i] = v
	}
	at, err := excelize.CoordinatesToCellName(1, x.rows)
	if err != nil {
		return err
	}
	return x.stream.SetRow(at, cells)
}

func (x *xlsxWriter) Close() error {
	defer x.file.Close()
	if err := x.stream.Flush(); err != nil {
		return err
	}
	_, err := x.file.WriteTo(x.out)
	return err
}
