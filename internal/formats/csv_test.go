package formats

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"
)

var three = kind("test", "aaa", "aaa bbb ccc")

func readAll(t *testing.T, text string) (rows [][]string, lines []int, bad []*LineError, file error) {
	t.Helper()
	r, err := NewReader(strings.NewReader(text), three)
	if err != nil {
		return nil, nil, nil, err
	}
	for {
		row, err := r.Next()
		var le *LineError
		switch {
		case err == io.EOF:
			return
		case errors.As(err, &le):
			bad = append(bad, le)
		case err != nil:
			return rows, lines, bad, err
		default:
			rows = append(rows, []string{row.At(0), row.At(1), row.At(2)})
			lines = append(lines, row.Line)
		}
	}
}

// The examples of RFC 4180, section 2, rules 1 to 7.
func TestRFC4180(t *testing.T) {
	for _, c := range []struct {
		rule, text string
		want       [][]string
	}{
		{"1: lines end in CRLF", "aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n", [][]string{{"zzz", "yyy", "xxx"}}},
		{"2: the last line may lack its end", "aaa,bbb,ccc\r\nzzz,yyy,xxx", [][]string{{"zzz", "yyy", "xxx"}}},
		{"5: fields may be quoted", "\"aaa\",\"bbb\",\"ccc\"\r\nzzz,yyy,xxx\r\n", [][]string{{"zzz", "yyy", "xxx"}}},
		{"6: line ends inside quotes", "aaa,bbb,ccc\r\n\"aaa\",\"b\r\nbb\",\"ccc\"\r\nzzz,yyy,xxx\r\n",
			[][]string{{"aaa", "b\nbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		{"6: commas inside quotes", "aaa,bbb,ccc\r\n\"a,a\",b,c\r\n", [][]string{{"a,a", "b", "c"}}},
		{"7: doubled quotation marks", "aaa,bbb,ccc\r\n\"aaa\",\"b\"\"bb\",\"ccc\"\r\n",
			[][]string{{"aaa", "b\"bb", "ccc"}}},
		{"a byte-order mark", "\xef\xbb\xbfaaa,bbb,ccc\nz,y,x\n", [][]string{{"z", "y", "x"}}},
		{"empty fields", "aaa,bbb,ccc\n,,\n\n", [][]string{{"", "", ""}}},
		{"columns in another order, one unknown, one missing", "other,ccc,aaa\n1,2,3\n", [][]string{{"3", "", "2"}}},
	} {
		rows, _, bad, err := readAll(t, c.text)
		if err != nil || len(bad) > 0 || !reflect.DeepEqual(rows, c.want) {
			t.Errorf("rule %s: %q, %v, %v", c.rule, rows, bad, err)
		}
	}
}

func TestBadLinesAreSaidAndTheRestGoesIn(t *testing.T) {
	text := "aaa,bbb,ccc\n1,2,3\n1,2\nx\"y,2,3\n\"a\"b,2,3\n4,5,6\n\xff\xfe,2,3\n\"open,2,3\n" + strings.Repeat(
		"long",
		MaxLine/3,
	) + "\n7,8,9\n"
	rows, lines, bad, err := readAll(t, text)
	if err != nil {
		t.Fatal(err)
	}
	if want := [][]string{{"1", "2", "3"}, {"4", "5", "6"}, {"7", "8", "9"}}; !reflect.DeepEqual(rows, want) {
		t.Errorf("rows %q", rows)
	}
	if !reflect.DeepEqual(lines, []int{2, 6, 10}) {
		t.Errorf("lines %v", lines)
	}
	want := []struct {
		line   int
		reason string
	}{{3, "2 fields"}, {4, "quotation mark inside"}, {5, "comma must follow"}, {7, "not UTF-8"}, {8, "never closed"},
		{9, "longer than"}}
	if len(bad) != len(want) {
		t.Fatalf("put aside %v", bad)
	}
	for i, w := range want {
		if bad[i].Line != w.line || !strings.Contains(bad[i].Reason, w.reason) || bad[i].Content == "" {
			t.Errorf("%+v, want line %d, %s", bad[i], w.line, w.reason)
		}
	}
}

func TestWholeFilesRefused(t *testing.T) {
	for _, c := range []struct{ text, reason string }{
		{"", "empty"}, {"bbb,ccc\n1,2\n", "lacks the column aaa"}, {"aaa,aaa\n", "twice"}, {"\xff\xfea\x00", "UTF-16"},
		{"PK\x03\x04", "workbook"},
		{"aaa,bbb,ccc\n1,2,3\n4,5", "middle of line 3"}, {"aaa,bbb,ccc\n1,2,3\n4,\"5", "begins on line 3"},
	} {
		_, _, _, err := readAll(t, c.text)
		var fe *FileError
		if !errors.As(err, &fe) || !strings.Contains(fe.Reason, c.reason) {
			t.Errorf("%q: %v", c.text, err)
		}
	}
}

// A line of 200 MB is put aside without being held in memory.
func TestGiantLine(t *testing.T) {
	in := io.MultiReader(
		strings.NewReader("aaa,bbb,ccc\n"),
		io.LimitReader(repeat('x'), 200<<20),
		strings.NewReader("\n1,2,3\n"),
	)
	r, err := NewReader(in, three)
	if err != nil {
		t.Fatal(err)
	}
	_, err = r.Next()
	var le *LineError
	if !errors.As(err, &le) || le.Line != 2 || len(le.Content) > 2000 {
		t.Fatalf("%v", err)
	}
	if row, err := r.Next(); err != nil || row.Line != 3 {
		t.Errorf("the line after it: %v, %v", row, err)
	}
}

type repeat byte

func (b repeat) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = byte(b)
	}
	return len(p), nil
}

// Whatever the standard library's writer writes and its reader reads back, ours reads the same.
func FuzzAgainstStandardLibrary(f *testing.F) {
	f.Add("a", "b,\"c\"", "d\r\ne")
	f.Add("", " x ", "=1+1")
	f.Fuzz(func(t *testing.T, a, b, c string) {
		var buf bytes.Buffer
		w := csv.NewWriter(&buf)
		w.Write([]string{"aaa", "bbb", "ccc"})
		w.Write([]string{a, b, c})
		w.Flush()
		text := buf.String()
		std, err := csv.NewReader(strings.NewReader(text)).ReadAll()
		if err != nil || strings.ToValidUTF8(text, "") != text || len(std) != 2 {
			return
		}
		rows, _, bad, err := readAll(t, text)
		if err != nil || len(bad) > 0 || len(rows) != 1 {
			t.Fatalf("%q: %v %v %v", text, rows, bad, err)
		}
		for i, v := range std[1] {
			if want := strings.TrimSpace(unguard(v)); rows[0][i] != want {
				t.Fatalf("%q: field %d is %q, want %q", text, i, rows[0][i], want)
			}
		}
	})
}

func FuzzReaderNeverFailsBadly(f *testing.F) {
	f.Add([]byte("aaa,bbb\n\"x\n,\xff\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := NewReader(bytes.NewReader(data), three)
		if err != nil {
			return
		}
		for range len(data) + 2 {
			_, err := r.Next()
			var le *LineError
			if err != nil && !errors.As(err, &le) {
				return
			}
		}
		t.Fatal("it does not come to an end")
	})
}

func parse[T any](t *testing.T, k *Kind, text string, read func(*Row) (T, error)) (T, error) {
	t.Helper()
	r, err := NewReader(strings.NewReader(text), k)
	if err != nil {
		t.Fatal(err)
	}
	row, err := r.Next()
	if err != nil {
		t.Fatal(err)
	}
	return read(row)
}

func TestReasons(t *testing.T) {
	ent := func(values string) error {
		_, err := parse(
			t,
			Entitlements,
			"entitlement_id,product,metric,quantity,start,end,rights,unit_price,currency\n"+values+"\n",
			ParseEntitlement,
		)
		return err
	}
	for values, want := range map[string]string{
		"E1,P,device,5,,,,,": "", "E1,P,device,-3,,,,,": "quantity is -3", "E1,P,device,,,,,,": "quantity is empty",
		"E1,P,device,many,,,,,": "not a whole number",
		"E1,P,machine,5,,,,,":   "metric", "E1,P,device,5,2026-02-30,,,,": "not a date",
		"E1,P,device,5,2026-03-01,2026-02-01,,,": "before it starts", "E1,P,device,5,,,older_versions|fly,,": "rights",
		"E1,P,device,5,,,,\"1,50\",": "decimal point", "E1,P,device,5,,,,10,EURO": "three letters",
		",P,device,5,,,,,": "entitlement_id is empty", "E1,P,device,99999999999999,,,,,": "cannot be meant",
	} {
		err := ent(values)
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%s: %v, want %q", values, err, want)
		}
	}
	oslo := time.FixedZone("", 7200)
	in, err := parse(
		t,
		Installs,
		"name,device_id,last_used,seen_at,shelf\nX,D1,2026-06-01T23:30:00,2026-06-02T08:00:00,B4\n",
		func(r *Row) (Install, error) { return ParseInstall(r, oslo) },
	)
	if err != nil || in.LastUsed.String() != "2026-06-01" || in.SeenAt != 1780380000 || in.Custom["shelf"] != "B4" {
		t.Errorf("%+v, %v", in, err)
	}
}

func TestInstallColumnsStandWhereTheConstantsSay(t *testing.T) {
	if Installs.Columns[inDevice] != "device_id" || Installs.Columns[inCPE] != "cpe" ||
		Installs.Columns[inSeenAt] != "seen_at" ||
		Installs.Columns[inKey] != "key" || Installs.Columns[inLicence] != "licence" ||
		len(Installs.Columns) != inLicence+1 {
		t.Error("the constants of installs.csv do not match its columns")
	}
}

func TestNoFormulasAndBack(t *testing.T) {
	values := []string{"=HYPERLINK(\"x\")", "+4", "-3.5", "@sum", "-a", "plain"}
	var buf bytes.Buffer
	w, _ := NewWriter(&buf, "csv", []string{"a", "b", "c", "d", "e", "f"})
	w.Write(values)
	w.Close()
	got, err := csv.NewReader(&buf).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	if want := []string{"'=HYPERLINK(\"x\")", "+4", "-3.5", "'@sum", "'-a", "plain"}; !reflect.DeepEqual(got[1],
		want) {
		t.Errorf("%q", got[1])
	}
	for i, v := range got[1] {
		if unguard(v) != values[i] {
			t.Errorf("%q comes back as %q", values[i], unguard(v))
		}
	}
	var book bytes.Buffer
	x, _ := NewWriter(&book, "xlsx", []string{"a"})
	x.Write([]string{"=1+1"})
	if err := x.Close(); err != nil {
		t.Fatal(err)
	}
	f, err := excelize.OpenReader(&book)
	if err != nil {
		t.Fatal(err)
	}
	if formula, _ := f.GetCellFormula("Sheet1", "A2"); formula != "" {
		t.Errorf("the cell holds the formula %q", formula)
	}
	if v, _ := f.GetCellValue("Sheet1", "A2"); v != "=1+1" {
		t.Errorf("the cell holds %q", v)
	}
}
