package formats

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"reflect"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"
)

// packed makes a workbook of parts, as hard as it packs.
func packed(t testing.TB, parts map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, 9) })
	for name, text := range parts {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.WriteString(w, text); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// bookOf makes a workbook of one sheet.
func bookOf(t testing.TB, rows string) []byte {
	t.Helper()
	return packed(t, map[string]string{
		"[Content_Types].xml": "<Types/>",
		"xl/workbook.xml":     `<workbook><sheets><sheet name="S" id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r1" Target="worksheets/sheet1.xml"/>` +
			`</Relationships>`,
		"xl/worksheets/sheet1.xml": `<worksheet><sheetData><row><c t="inlineStr"><is><t>device_id</t></is></c>` +
			`<c t="inlineStr"><is><t>name</t></is></c></row>` + rows + `</sheetData></worksheet>`,
	})
}

// noise is text that does not pack, so that what it is in is not refused for its growth.
func noise(n int) string {
	r := rand.New(rand.NewPCG(1, 2))
	b := make([]byte, n)
	for i := range b {
		b[i] = 'a' + byte(r.IntN(26))
	}
	return string(b)
}

func eachLine(n int, line func(i int) string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(line(i))
	}
	return b.String()
}

// What a sender with bad intent sends is read or refused with a sentence, at a cost that follows its size: each case
// has a limit of the memory that is ever asked for, and of the processor. What was quadratic took hours and gigabytes.
func TestHostileFiles(t *testing.T) {
	const megabyte = 1 << 20
	for name, c := range map[string]struct {
		text   []byte
		form   Form
		kind   *Kind
		memory uint64
		says   string // of the file, "" where it is read to its end
	}{
		"a value in column XFD of each row": {
			bookOf(t,
				eachLine(4_000, func(i int) string { return fmt.Sprintf(`<row><c r="XFD%d"><v>1</v></c></row>`, i+2) })),
			XLSX, Installs, 20 * megabyte, "column 16384",
		},
		"an empty cell in column XFD of each row": {
			bookOf(t,
				eachLine(200_000,
					func(i int) string { return fmt.Sprintf(`<row><c r="XFD%d" s="%d"/></row>`, i+2, i%97) })),
			XLSX, Installs, 600 * megabyte, "",
		},
		"a value in a column that no sheet has": {
			bookOf(t, `<row><c r="ZZZZ2"><v>1</v></c></row>`), XLSX, Installs, 20 * megabyte, "column",
		},
		"lines numbered beyond the end of a sheet": {
			bookOf(t, `<row r="2000000000"><c><v>1</v></c></row>`), XLSX, Installs, 20 * megabyte, "save it as CSV",
		},
		"a cell of 20 MB": {
			bookOf(t, `<row><c t="str"><v>`+noise(20*megabyte)+`</v></c></row>`), XLSX, Installs, 100 * megabyte,
			"longer than 8 MB",
		},
		"a text that is not there": {
			bookOf(t, `<row><c t="s"><v>99999999999</v></c></row>`), XLSX, Installs, 20 * megabyte, "does not have",
		},
		"a sheet that is cut": {
			bookOf(t, `<row><c><v>1</v></c>`), XLSX, Installs, 20 * megabyte, "cannot be read",
		},
		"a document type in a sheet": {
			bookOf(t, `<!DOCTYPE a [<!ENTITY x "y">]><row/>`), XLSX, Installs, 20 * megabyte, "document type",
		},
		"nested without end": {
			bookOf(t, strings.Repeat("<row>", 100_000)), XLSX, Installs, 40 * megabyte, "nested",
		},
		"an unclosed quotation mark before short lines": {
			[]byte("device_id,name\n\"D1,x\n" + strings.Repeat("a\n", 2_000_000)), CSV, Installs, 1500 * megabyte, "",
		},
		"lines that are wrong after a quotation mark that was unclosed": {
			[]byte("device_id,name\n\"D1,x\n" + strings.Repeat("a\"\"b\n", 300_000)), CSV, Installs, 900 * megabyte,
			"",
		},
		"unclosed quotation marks again and again": {
			[]byte("device_id,name\n" + strings.Repeat("\"D1,x\n"+strings.Repeat("a\n", 5_000), 200)), CSV, Installs,
			1200 * megabyte, "",
		},
		"forty thousand columns": {
			[]byte("device_id,name" + eachLine(40_000, func(i int) string { return fmt.Sprint(",c", i) }) + "\n"), CSV,
			Installs, 40 * megabyte, "40002 columns",
		},
		"forty thousand names of an object": {
			[]byte(`{"device_id":"D1"` + eachLine(40_000, func(i int) string { return fmt.Sprintf(`,"c%d":1`, i) }) +
				"}\n"),
			JSONLines, Installs, 40 * megabyte, "40001 names",
		},
		"a line of commas": {
			[]byte("device_id,name\n" + strings.Repeat(",", 900_000) + "\n"), CSV, Installs, 120 * megabyte, "",
		},
		"a line without end": {
			[]byte("device_id,name\n" + strings.Repeat("x", 60*megabyte)), CSV, Installs, 40 * megabyte, "",
		},
		"an object nested without end": {
			[]byte(`{"device_id":"D1","name":"x"}` + "\n" + strings.Repeat(`{"a":`, 100_000) + "\n"), JSONLines,
			Installs,
			60 * megabyte, "",
		},
		"a value folded after each letter": {
			[]byte("dn: cn=a\n" + strings.Repeat("objectclass: x\n", 3) + "cn: x\n" +
				strings.Repeat(" y\n", 900_000)), LDIF,
			Users, 200 * megabyte, "",
		},
		"a folded value without end": {
			[]byte("dn: cn=a\ncn: x\n" + strings.Repeat(" y\n", 1_500_000)), LDIF, Users, 250 * megabyte,
			"longer than",
		},
		"a line of a directory without end": {
			[]byte("dn: cn=a\ncn: " + strings.Repeat("x", 60*megabyte)), LDIF, Users, 40 * megabyte, "longer than",
		},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		began := processor(t)
		reason := ""
		rows, err := OpenTable(bytes.NewReader(c.text), int64(len(c.text)), c.form, c.kind, nil, noon)
		for err == nil {
			_, err = rows.Next()
			var line *LineError
			if errors.As(err, &line) {
				err = nil
			}
		}
		var whole *FileError
		switch {
		case errors.As(err, &whole):
			reason = whole.Reason
		case !errors.Is(err, io.EOF):
			t.Errorf("%s: %v is no sentence for a person", name, err)
		}
		if c.says == "" && reason != "" || !strings.Contains(reason, c.says) {
			t.Errorf("%s: it says %q, want %q", name, reason, c.says)
		}
		runtime.ReadMemStats(&after)
		if got := after.TotalAlloc - before.TotalAlloc; got > c.memory {
			t.Errorf("%s: %d MB of memory were asked for, more than %d", name, got>>20, c.memory>>20)
		}
		if took := processor(t) - began; took > 20*time.Second {
			t.Errorf("%s: it took %s of the processor", name, took)
		}
	}
}

// Sheets are read as another reader reads them: values, texts, gaps and what is empty.
func TestSheetsAgainstAnotherReader(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 40 {
		book := excelize.NewFile()
		rows := 1 + r.IntN(30)
		for i := range rows {
			for c := range 1 + r.IntN(12) {
				at, err := excelize.CoordinatesToCellName(c+1, i+1)
				if err != nil {
					t.Fatal(err)
				}
				values := []any{"", "Tide", " spaced ", "a_x000D_b", "<&>\"", "Ångström\nzwei", 7, 4.25, -0.5, 1e21,
					"007", true}
				if err := book.SetCellValue("Sheet1", at, values[r.IntN(len(values))]); err != nil {
					t.Fatal(err)
				}
			}
		}
		if err := book.SetCellValue("Sheet1", "L1", "last"); err != nil { // the header reaches as far as any line
			t.Fatal(err)
		}
		var text bytes.Buffer
		if _, err := book.WriteTo(&text); err != nil {
			t.Fatal(err)
		}
		again, err := excelize.OpenReader(bytes.NewReader(text.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		all, err := again.GetRows("Sheet1", excelize.Options{RawCellValue: true})
		if err != nil {
			t.Fatal(err)
		}
		var want [][]string
		for _, row := range all {
			for i, v := range row {
				if strings.TrimSpace(v) == "" {
					row[i] = "" // white space alone is nothing
				}
			}
			for len(row) < 12 {
				row = append(row, "")
			}
			if strings.Join(row, "") != "" {
				want = append(want, row)
			}
		}
		in, err := openSheet(bytes.NewReader(text.Bytes()), int64(text.Len()))
		if err != nil {
			t.Fatal(err)
		}
		got := [][]string{in.header}
		for {
			row, _, err := in.next()
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
			got = append(got, row)
		}
		if !reflect.DeepEqual(got, want) {
			t.Fatalf("%q\nwant %q", got, want)
		}
	}
}
