package formats

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"ensomet/internal/core/civil"
)

// readAllLDIF reads a whole text.
func readAllLDIF(in io.Reader) (entries []*LDIFEntry, bad []*LineError, err error) {
	r := NewLDIFReader(in)
	for {
		e, err := r.Next()
		var line *LineError
		switch {
		case errors.As(err, &line):
			bad = append(bad, line)
		case err == io.EOF:
			return entries, bad, nil
		case err != nil:
			return nil, bad, err
		default:
			entries = append(entries, e)
		}
	}
}

func readLDIF(t *testing.T, name string) []*LDIFEntry {
	t.Helper()
	f, err := os.Open(filepath.Join("testdata/ldif", name))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	entries, bad, err := readAllLDIF(f)
	if err != nil || len(bad) > 0 {
		t.Fatalf("%s: %v %v", name, err, bad)
	}
	return entries
}

// The seven examples of RFC 2849 (the files are written from memory of its text, examples 4 and 6 with the values
// that the text gives).
func TestExamplesOfRFC2849(t *testing.T) {
	first := readLDIF(t, "rfc2849-1.ldif")
	if len(first) != 2 || first[0].DN != "cn=Barbara Jensen, ou=Product Development, dc=airius, dc=com" ||
		!reflect.DeepEqual(first[0].Values("cn"), []string{"Barbara Jensen", "Barbara J Jensen", "Babs Jensen"}) ||
		first[1].First("telephonenumber") != "+1 408 555 1212" {
		t.Errorf("example 1: %+v", first)
	}
	if e := readLDIF(t, "rfc2849-2.ldif")[0]; e.First(
		"description",
	) != "Babs is a big sailing fan, and travels extensively in search of perfect sailing conditions." ||
		e.First("title") != "Product Manager, Rod and Reel Division" {
		t.Errorf("example 2: %+v", e)
	}
	if e := readLDIF(t, "rfc2849-3.ldif")[0]; e.First(
		"description",
	) != "What a careful reader you are!  This value is base-64-encoded because it has a control character in it (a "+
		"CR).\r  By the way, you should really get out more." {
		t.Errorf("example 3: %q", e.First("description"))
	}
	fourth := readLDIF(t, "rfc2849-4.ldif")
	if len(fourth) != 2 || fourth[0].DN != "ou=営業部,o=Airius" || fourth[1].DN != "uid=rogasawara,ou=営業部,o=Airius" ||
		fourth[1].First("cn") != "小笠原 ロドニー" {
		t.Errorf("example 4: %+v", fourth)
	}
	options := map[string]bool{}
	for _, a := range fourth[0].Attrs {
		options[strings.Join(a.Options, ";")] = true
	}
	if !options["lang-ja;phonetic"] || !options["lang-en"] || !options[""] {
		t.Errorf("example 4: options %v", options)
	}
	if e := readLDIF(t, "rfc2849-5.ldif")[0]; e.First("jpegphoto") != "" || !e.Attrs[len(e.Attrs)-1].URL ||
		e.Attrs[len(e.Attrs)-1].Value != "file:///usr/local/directory/photos/hjensen.jpg" {
		t.Errorf("example 5: %+v", e)
	}
	sixth := readLDIF(t, "rfc2849-6.ldif")
	var kinds []string
	for _, e := range sixth {
		kinds = append(kinds, e.Change)
	}
	if strings.Join(kinds, " ") != "add delete modrdn modrdn modify modify" ||
		sixth[2].NewRDN != "cn=Paula Jensen" ||
		sixth[2].KeepOld ||
		!sixth[3].KeepOld ||
		sixth[3].Superior != "ou=Accounting, dc=airius, dc=com" {
		t.Errorf("example 6: %v", kinds)
	}
	var steps []string
	for _, m := range append(sixth[4].Mods, sixth[5].Mods...) {
		steps = append(steps, fmt.Sprintf("%s %s %d", m.Op, m.Attr, len(m.Values)))
	}
	if got := strings.Join(steps,
		", "); got != "add postaladdress 1, delete description 0, replace telephonenumber 2, delete "+
		"facsimiletelephonenumber 1, replace postaladdress 0, delete description 0" {
		t.Errorf("example 6: %s", got)
	}
	if e := readLDIF(t, "rfc2849-7.ldif")[0]; e.Change != "delete" || len(e.Controls) != 1 ||
		e.Controls[0] != "1.2.840.113556.1.4.805 true" {
		t.Errorf("example 7: %+v", e)
	}
}

func TestDirectory(t *testing.T) {
	text, err := os.ReadFile("testdata/ldif/directory.ldif")
	if err != nil {
		t.Fatal(err)
	}
	at, err := civil.Parse("2026-06-30")
	if err != nil {
		t.Fatal(err)
	}
	read := func(kind *Kind) (out []string) {
		rows, err := newDirectoryRows(bytes.NewReader(text), kind, at)
		if err != nil {
			t.Fatal(err)
		}
		for {
			row, err := rows.Next()
			if err != nil {
				return out
			}
			if kind == Users {
				u, err := ParseUser(row)
				out = append(out,
					fmt.Sprint(u.Code, "|", u.Name, "|", u.OrgUnit, "|", u.Status, "|", u.LeftOn, "|", err))
			} else {
				d, err := ParseDevice(row, nil)
				out = append(out,
					fmt.Sprint(d.Code, "|", d.Name, "|", d.OrgUnit, "|", d.DirectoryPath, "|", d.IPAddress, "|",
						d.PrimaryUser, "|", err))
			}
		}
	}
	if got := read(Users); !reflect.DeepEqual(
		got,
		[]string{
			"u7001|Aslaug Trøndvik|Shore/Charting|active||<nil>",
			"u7002|Odd Skarv\\, junior|School|left|2026-04-02|<nil>",
		},
	) {
		t.Errorf("users: %q", got)
	}
	if got := read(Devices); !reflect.DeepEqual(
		got,
		[]string{
			"SN-4711|hal-new-01|Shore/Charting|halvorsund.example/Computers/Shore/Charting|10.24.3.9 " +
				"2001:db8::9|u7001|<nil>",
		},
	) {
		t.Errorf("devices: %q", got)
	}
}

func TestRecordsThatCannotBeRead(t *testing.T) {
	text := "version: 1\n\ndn: cn=a\nno colon here\n\ndn: cn=b\nchangetype: explode\n\nx: y\n\ndn: cn=c\ncn:: !!!\n\n" +
		"dn: cn=d\ncn: d\n"
	entries, bad, err := readAllLDIF(strings.NewReader(text))
	if err != nil || len(entries) != 1 || entries[0].Line != 14 || len(bad) != 4 || bad[0].Line != 3 {
		t.Errorf("%v %v %v", entries, bad, err)
	}
	for _, whole := range []string{"", "hello\n", " folded first\n", "version: 2\ndn: cn=a\ncn: a\n"} {
		if entries, _, err := readAllLDIF(strings.NewReader(whole)); err == nil {
			t.Errorf("%q was read as %v", whole, entries)
		}
	}
}

func TestDistinguishedNames(t *testing.T) {
	// The string forms of RFC 4514, section 4 (from memory).
	for dn, want := range map[string]string{
		"UID=jsmith,DC=example,DC=net":                   "uid=jsmith dc=example dc=net",
		`CN=James \"Jim\" Smith\, III,DC=example,DC=net`: `cn=James "Jim" Smith, III dc=example dc=net`,
		`CN=Before\0dAfter,DC=example,DC=net`:            "cn=Before\rAfter dc=example dc=net",
		`CN=Lu\C4\8Di\C4\87`:                             "cn=Lučić",
	} {
		var got []string
		for _, r := range rdns(dn) {
			got = append(got, r[0]+"="+r[1])
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: %q", dn, got)
		}
	}
}

// What a writer folds and encodes by the standard comes back.
func TestFoldedAndEncoded(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 9))
	for range 300 {
		value := make([]byte, r.IntN(200))
		for i := range value {
			value[i] = byte(r.IntN(256))
		}
		line := "description:: " + base64.StdEncoding.EncodeToString(value)
		if r.IntN(2) == 0 {
			value = []byte(strings.Repeat("perfect sailing ", 1+r.IntN(9)) + "x")
			line = "description: " + string(value)
		}
		var folded strings.Builder
		folded.WriteString("dn: cn=a\n")
		width := 2 + r.IntN(70)
		for i := 0; i < len(line); i += width {
			if i > 0 {
				folded.WriteString("\r\n ")
			}
			folded.WriteString(line[i:min(len(line), i+width)])
		}
		folded.WriteString("\n")
		entries, bad, err := readAllLDIF(strings.NewReader(folded.String()))
		if err != nil || len(bad) > 0 || entries[0].First("description") != string(value) {
			t.Fatalf("%q: %v %v", folded.String(), bad, err)
		}
	}
}

func FuzzLDIF(f *testing.F) {
	files, err := filepath.Glob("testdata/ldif/*.ldif")
	if err != nil {
		f.Fatal(err)
	}
	for _, name := range files {
		text, err := os.ReadFile(name)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(string(text))
	}
	f.Fuzz(func(t *testing.T, text string) {
		if _, _, err := readAllLDIF(strings.NewReader(text)); err != nil {
			return
		}
		for _, kind := range []*Kind{Users, Devices} {
			rows, err := newDirectoryRows(strings.NewReader(text), kind, 9000)
			if err != nil {
				t.Fatal(err)
			}
			var line *LineError
			for err == nil || errors.As(err, &line) {
				_, err = rows.Next()
			}
			if err != io.EOF {
				t.Fatal(err)
			}
		}
	})
}

// A manager is found by the user_id though he comes behind those he manages, and by his name where nothing else is
// known; whoever manages himself, or two who manage each other, end nothing.
func TestManagersOfADirectory(t *testing.T) {
	person := func(cn, uid, manager string) string {
		return "dn: cn=" + cn + ",ou=people,dc=halv,dc=example\nobjectClass: person\nuid: " + uid + "\nmanager: cn=" +
			manager + ",ou=People,dc=halv,dc=example\n\n"
	}
	text := person("Åse Vik", "u1", "Ola Nes") + person("Ola Nes", "u2", "Åse Vik") + person("李 小龙", "u3", "李 小龙") +
		person("Never There", "u4", "Somebody Else") + "dn: cn=broken\nno colon\n"
	rows, err := newDirectoryRows(strings.NewReader(text), Users, 9000)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for err == nil {
		var row *Row
		if row, err = rows.Next(); err == nil {
			u, err := ParseUser(row)
			got = append(got, fmt.Sprint(u.Code, " ", u.Manager, " ", err))
		}
	}
	var line *LineError
	if !errors.As(err, &line) || !strings.Contains(line.Content, "broken") ||
		!strings.Contains(line.Reason, "no colon") {
		t.Errorf("what cannot be read: %v", err)
	}
	if want := "u1 u2 <nil>, u2 u1 <nil>, u3 u3 <nil>, u4 Somebody Else <nil>"; strings.Join(got, ", ") != want {
		t.Errorf("%s, not %s", strings.Join(got, ", "), want)
	}
}

// What a directory's accountExpires says, in steps of 100 ns since 1601 (common practice): in the past the person has
// left on that day; in the future, and for never, not.
func TestAccountsThatExpire(t *testing.T) {
	for value, want := range map[string]string{
		"0":                   "active ",
		"9223372036854775807": "active ",
		"133801632000000000":  "left 2025-01-01",
		"159017472000000000":  "active ", // 2104-11-28
		"never":               "active ",
	} {
		e := &LDIFEntry{DN: "cn=a", Attrs: []LDIFAttr{{Name: "objectclass", Value: "user"},
			{Name: "accountexpires", Value: value}}}
		if row := directoryUser(e, civil.OfUnix(1_800_000_000)); row[5]+" "+row[6] != want {
			t.Errorf("%s: %s %s, not %s", value, row[5], row[6], want)
		}
	}
}
