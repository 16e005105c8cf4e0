package formats

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"reflect"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

func asFile(err error, into **FileError) bool { return errors.As(err, into) }

func workbook(t testing.TB, rows [][]any, dates map[string]string) []byte {
	t.Helper()
	f := excelize.NewFile()
	for i, row := range rows {
		if err := f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
			t.Fatal(err)
		}
	}
	for cell, format := range dates {
		style, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
		if err == nil {
			err = f.SetCellStyle("Sheet1", cell, cell, style)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	b, err := f.WriteToBuffer()
	if err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func all(t *testing.T, rows Rows, kind *Kind) (out []string, reasons []string) {
	t.Helper()
	for {
		row, err := rows.Next()
		var bad *LineError
		switch {
		case errors.Is(err, io.EOF):
			return out, reasons
		case errors.As(err, &bad):
			reasons = append(reasons, bad.Error())
			continue
		case err != nil:
			t.Fatal(err)
		}
		var parts []string
		for i := range kind.Columns {
			if v := row.At(i); v != "" {
				parts = append(parts, kind.Columns[i]+"="+v)
			}
		}
		for k, v := range row.Custom() {
			parts = append(parts, "+"+k+"="+v)
		}
		out = append(out, strings.Join(parts, " "))
	}
}

func TestWorkbook(t *testing.T) {
	text := workbook(t, [][]any{{}, {"Device_ID", "name", "version", "install_date", "seats"},
		{"D1", "Tide", 4.2, 46027, "007"}, {},
		{"D2", "Tide", "4.10"}}, map[string]string{"D3": `dd.mm.yyyy;@`, "C3": `0.0" Red"`})
	r := bytes.NewReader(text)
	form, err := Sniff(r, int64(len(text)))
	if err != nil || form != XLSX {
		t.Fatalf("%s %v", form, err)
	}
	rows, err := OpenTable(r, int64(len(text)), form, Installs, nil, noon)
	if err != nil {
		t.Fatal(err)
	}
	got, reasons := all(t, rows, Installs)
	if want := []string{"device_id=D1 name=Tide version=4.2 install_date=2026-01-05 +seats=007",
		"device_id=D2 name=Tide version=4.10"}; !reflect.DeepEqual(
		got,
		want,
	) ||
		reasons != nil {
		t.Errorf("%q %v", got, reasons)
	}
	for _, bad := range [][]byte{[]byte("PK\x03\x04 and no more"), workbook(t, nil, nil), workbook(t, [][]any{{"a"},
		{"1", "2"}}, nil)} {
		if err := wholeSheet(bad); err == nil {
			t.Error("a damaged, empty or overlong workbook was read")
		}
	}
}

// wholeSheet reads a workbook to its end.
func wholeSheet(text []byte) error {
	in, err := openSheet(bytes.NewReader(text), int64(len(text)))
	for err == nil {
		_, _, err = in.next()
	}
	if errors.Is(err, io.EOF) {
		return nil
	}
	return err
}

func TestForeignFileIsMapped(t *testing.T) {
	text := "Computer Name;Vendor;Application;Ver.;Scan Date;Price Class;Note\nhal-1;Pelmar;\"Tide; the " +
		"desk\";4,2;2026-05-04;A;x\nhal-2;Pelmar;Tide\n"
	r := bytes.NewReader([]byte(text))
	headers, samples, err := Head(r, int64(len(text)), CSV, 3)
	if err != nil || len(headers) != 7 || !reflect.DeepEqual(samples[2], []string{"Tide; the desk", "Tide"}) {
		t.Fatalf("%q %q %v", headers, samples, err)
	}
	m := &Mapping{Columns: map[string]string{}, Constants: map[string]string{"source": "old list"}}
	for _, p := range Propose(Installs, headers, samples) {
		m.Columns[p.Header] = p.Column
	}
	m.Columns["note"] = Leave
	rows, err := OpenTable(r, int64(len(text)), CSV, Installs, m, noon)
	if err != nil {
		t.Fatal(err)
	}
	got, reasons := all(t, rows, Installs)
	if want := []string{"device_id=hal-1 publisher=Pelmar name=Tide; the desk version=4,2 source=old list " +
		"seen_at=2026-05-04 +price class=A"}; !reflect.DeepEqual(
		got,
		want,
	) ||
		len(reasons) != 1 ||
		!strings.Contains(reasons[0], "3 fields") {
		t.Errorf("%q %q", got, reasons)
	}
	// a line is kept with commas and with the constants, so that it can be mended under the header as it is called here
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		t.Fatal(err)
	}
	rows, _ = OpenTable(r, int64(len(text)), CSV, Installs, m, noon) // opened above
	row, err := rows.Next()
	if err != nil {
		t.Fatal(err)
	}
	again, err := ReaderFor(strings.NewReader(row.Content+"\n"), Installs, rows.Header())
	if err != nil {
		t.Fatal(err)
	}
	if back, _ := all(t, again, Installs); !reflect.DeepEqual(back, got) {
		t.Errorf("mended as %q", back)
	}
}

func TestMappingsThatCannotBe(t *testing.T) {
	for _, m := range []Mapping{
		{Columns: map[string]string{"a": "colour"}}, {Columns: map[string]string{"a": "name", "b": "name"}},
		{Columns: map[string]string{"a": "name"}, Constants: map[string]string{"name": "x"}},
		{Constants: map[string]string{"colour": "x"}},
	} {
		if m.Check(Installs) == nil {
			t.Errorf("%+v was taken", m)
		}
	}
}

func TestProposals(t *testing.T) {
	for _, c := range []struct {
		kind    *Kind
		headers string
		want    string
	}{
		{Installs, "device_id,name,version", "device_id,name,version"},
		{Installs, "Hostname,Software Name,Manufacturer,Version,Installed On",
			"device_id,name,publisher,version,install_date"},
		{Installs, "Machine,Product,Rel,Path", "device_id,+,+,install_path"},
		{Devices, "Asset Tag,Computer Name,Department,Office,IP,OS,CPU Cores,Last Seen",
			"device_id,name,org_unit,site,ip_address,os_name,cores,last_scan"},
		{Users, "Login,Full Name,E-Mail Address,Team,State", "user_id,name,email,org_unit,status"},
		{Entitlements, "Licence ID,Vendor,Product Name,Qty,Metric,PO Number,Expiry Date",
			"entitlement_id,publisher,product,quantity,metric,order,end"},
		{Installs, "name,name of computer,", "name,device_id,-"},
	} {
		var got []string
		for _, p := range Propose(c.kind, strings.Split(c.headers, ","), nil) {
			got = append(got, p.Column)
		}
		if strings.Join(got, ",") != c.want {
			t.Errorf("%s: %s, want %s", c.headers, strings.Join(got, ","), c.want)
		}
	}
	if HeaderKey([]string{"B ", "a"}) != HeaderKey([]string{"A", "b"}) ||
		HeaderKey([]string{"ab"}) == HeaderKey([]string{"a", "b"}) {
		t.Error("the key of headers")
	}
}

func FuzzWorkbook(f *testing.F) {
	f.Add(workbook(f, [][]any{{"device_id", "name"}, {"D1", "Tide"}, {"D2", 4.5}}, nil))
	f.Add([]byte("PK\x03\x04"))
	f.Fuzz(func(t *testing.T, text []byte) {
		rows, err := OpenTable(bytes.NewReader(text), int64(len(text)), XLSX, Installs, nil, noon)
		if err != nil {
			return
		}
		for {
			var whole *FileError
			if _, err := rows.Next(); errors.Is(err, io.EOF) || errors.As(err, &whole) {
				return
			}
		}
	})
}
