package formats

import (
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// maxSheetRows is how many lines of a sheet are read; more belong into a CSV file.
const maxSheetRows = 1_048_576

// readSheet reads the first sheet of a workbook that has anything in it: its first line that is not empty is the
// header. Cells that are dates by their form come as ISO 8601 dates or times.
func readSheet(in io.ReaderAt, size int64) (header []string, rows [][]string, lines []int, err error) {
	if _, err := openArchive(in, size); err != nil {
		return nil, nil, nil, err
	}
	book, err := excelize.OpenReader(
		io.NewSectionReader(in, 0, size),
		excelize.Options{RawCellValue: true, UnzipSizeLimit: maxExpanded, UnzipXMLSizeLimit: maxExpanded},
	)
	if err != nil {
		return nil, nil, nil, &FileError{"the workbook cannot be read: " + err.Error()}
	}
	defer func() { err = errors.Join(err, book.Close()) }()
	dates := dateStyles{book: book, known: map[int]bool{}}
	if p, err := book.GetWorkbookProps(); err == nil && p.Date1904 != nil {
		dates.from1904 = *p.Date1904
	}
	for _, sheet := range book.GetSheetList() {
		list, err := book.GetRows(sheet, excelize.Options{RawCellValue: true})
		if err != nil {
			return nil, nil, nil, &FileError{fmt.Sprintf("the sheet %q cannot be read: %v", clip(sheet, 60), err)}
		}
		if len(list) > maxSheetRows {
			return nil, nil, nil, &FileError{
				fmt.Sprintf("the sheet %q has more than %d lines: save it as CSV", clip(sheet, 60), maxSheetRows),
			}
		}
		for i, row := range list {
			if strings.TrimSpace(strings.Join(row, "")) == "" {
				continue
			}
			if header == nil {
				header = row
				continue
			}
			if len(row) > len(header) {
				if strings.TrimSpace(strings.Join(row[len(header):], "")) != "" {
					return nil, nil, nil, &FileError{
						fmt.Sprintf(
							"line %d of the sheet %q goes on beyond the header's last column",
							i+1,
							clip(sheet, 60),
						),
					}
				}
				row = row[:len(header)]
			}
			for c, v := range row {
				row[c] = dates.text(sheet, c, i, v)
			}
			rows, lines = append(rows, row), append(lines, i+1)
		}
		if header != nil {
			return header, rows, lines, nil
		}
	}
	return nil, nil, nil, &FileError{"the workbook is empty: the first line of its first sheet must name the columns"}
}

// dateStyles knows which styles show a number as a date.
type dateStyles struct {
	book     *excelize.File
	known    map[int]bool
	from1904 bool
}

func (d *dateStyles) text(sheet string, column, row int, value string) string {
	n, err := strconv.ParseFloat(value, 64)
	if err != nil {
		return value
	}
	cell, err := excelize.CoordinatesToCellName(column+1, row+1)
	if err != nil {
		return value
	}
	style, err := d.book.GetCellStyle(sheet, cell)
	if err != nil || style == 0 || !d.isDate(style) {
		return value
	}
	t, err := excelize.ExcelDateToTime(n, d.from1904)
	if err != nil {
		return value
	}
	if n == math.Trunc(n) {
		return t.Format(time.DateOnly)
	}
	return t.Round(time.Second).Format("2006-01-02T15:04:05")
}

func (d *dateStyles) isDate(id int) bool {
	is, known := d.known[id]
	if known {
		return is
	}
	if style, err := d.book.GetStyle(id); err == nil {
		n := style.NumFmt
		is = n >= 14 && n <= 22 || n >= 27 && n <= 36 || n >= 45 && n <= 47 || n >= 50 && n <= 58
		if style.CustomNumFmt != nil {
			is = showsDate(*style.CustomNumFmt)
		}
	}
	d.known[id] = is
	return is
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
