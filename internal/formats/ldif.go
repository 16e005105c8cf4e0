package formats

import (
	"bufio"
	"bytes"
	"encoding/base64"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"ensomet/internal/core/civil"
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

// ReadLDIF reads LDIF by RFC 2849: folded lines, comments, base64, URLs (which are kept and not fetched), entries and changes. A record that cannot be read is a *LineError among bad; a file that is not LDIF
// at all is a *FileError.
func ReadLDIF(in io.Reader) (entries []*LDIFEntry, bad []*LineError, err error) {
	r := bufio.NewReaderSize(in, 1<<16)
	if head, _ := r.Peek(3); bytes.HasPrefix(head, []byte("\xef\xbb\xbf")) {
		if _, err := r.Discard(3); err != nil {
			return nil, nil, err
		}
	}
	type line struct {
		text string
		at   int
	}
	var record []line
	first, no := true, 0
	flush := func() {
		if len(record) == 0 {
			return
		}
		lines := record
		record = nil
		if first {
			first = false
			if name, value, _ := strings.Cut(lines[0].text, ":"); strings.EqualFold(name, "version") {
				if strings.TrimSpace(value) != "1" {
					err = &FileError{fmt.Sprintf("the file is LDIF version %q; version 1 is read", clip(strings.TrimSpace(value), 20))}
					return
				}
				if lines = lines[1:]; len(lines) == 0 {
					return
				}
			}
		}
		texts := make([]string, len(lines))
		for i := range lines {
			texts[i] = lines[i].text
		}
		e, reason := parseLDIF(texts)
		if reason != "" {
			bad = append(bad, &LineError{lines[0].at, clip(strings.ToValidUTF8(strings.Join(texts, "\n"), "\uFFFD"), 2000), reason})
			return
		}
		e.Line = lines[0].at
		entries = append(entries, e)
	}
	comment := false
	for {
		text, readErr := r.ReadString('\n')
		if readErr != nil && readErr != io.EOF {
			return nil, nil, readErr
		}
		if text == "" && readErr == io.EOF {
			break
		}
		no++
		if len(text) > MaxLine {
			return nil, nil, &FileError{fmt.Sprintf("line %d is longer than %d bytes", no, MaxLine)}
		}
		text = strings.TrimSuffix(strings.TrimSuffix(text, "\n"), "\r")
		switch {
		case strings.HasPrefix(text, " "):
			if comment {
				break
			}
			if len(record) == 0 {
				return nil, nil, &FileError{fmt.Sprintf("line %d goes on from a line that is not there: this is no LDIF file", no)}
			}
			if record[len(record)-1].text += text[1:]; len(record[len(record)-1].text) > MaxLine {
				return nil, nil, &FileError{fmt.Sprintf("the value that ends on line %d is longer than %d bytes", no, MaxLine)}
			}
		case strings.HasPrefix(text, "#"):
			comment = true
		case text == "":
			comment = false
			flush()
		default:
			comment = false
			record = append(record, line{text, no})
		}
		if err != nil || readErr == io.EOF {
			break
		}
	}
	flush()
	if err == nil && len(entries) == 0 {
		err = &FileError{"the file holds no LDIF record: each begins with a line dn:"}
	}
	return entries, bad, err
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

// rdns takes a distinguished name apart (RFC 4514): type and value of each part, from the entry up.
func rdns(dn string) [][2]string {
	var out [][2]string
	var part strings.Builder
	end := func() {
		name, value, _ := strings.Cut(strings.TrimSpace(part.String()), "=")
		out = append(out, [2]string{strings.ToLower(strings.TrimSpace(name)), strings.TrimSpace(value)})
		part.Reset()
	}
	for i := 0; i < len(dn); i++ {
		switch {
		case dn[i] == '\\' && i+2 < len(dn) && isHex(dn[i+1]) && isHex(dn[i+2]):
			n, _ := strconv.ParseUint(dn[i+1:i+3], 16, 8) // both are hexadecimal
			part.WriteByte(byte(n))
			i += 2
		case dn[i] == '\\' && i+1 < len(dn):
			i++
			part.WriteByte(dn[i])
		case dn[i] == ',' || dn[i] == ';':
			end()
		default:
			part.WriteByte(dn[i])
		}
	}
	if strings.TrimSpace(part.String()) != "" {
		end()
	}
	return out
}

func isHex(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F'
}

// containers are names of folders of a directory that say what is in them, not where it belongs (common practice).
var containers = []string{"people", "users", "accounts", "computers", "devices", "machines", "hosts", "workstations", "servers"}

// places reads from a distinguished name the unit (its ou parts from the top) and the whole path from the domain down.
func places(dn string) (unit, path string) {
	var units, all, domain []string
	for i, r := range rdns(dn) {
		switch {
		case r[0] == "dc":
			domain = append(domain, r[1])
			continue
		case i > 0 && r[0] == "ou" && !slices.Contains(containers, strings.ToLower(r[1])):
			units = append(units, strings.ReplaceAll(r[1], "/", "-"))
		}
		if i > 0 {
			all = append(all, strings.ReplaceAll(r[1], "/", "-"))
		}
	}
	slices.Reverse(units)
	slices.Reverse(all)
	return strings.Join(units, "/"), strings.Trim(strings.Join(append([]string{strings.Join(domain, ".")}, all...), "/"), "/")
}

// DirectoryRows makes lines of users.csv or devices.csv of the entries of a directory. Persons are entries of the classes person, inetOrgPerson, organizationalPerson, posixAccount or user; devices of the
// classes device, ipHost or computer. A person who is deleted, or whose account is locked, has left. at is the day of the export.
func DirectoryRows(entries []*LDIFEntry, kind *Kind, at civil.Day) (Rows, error) {
	var rows [][]string
	var lines []int
	header := []string{"user_id", "name", "email", "org_unit", "site", "status", "left_on"}
	if kind == Devices {
		header = []string{"device_id", "name", "kind", "environment", "org_unit", "site", "country", "ip_address", "directory_path", "primary_user", "os_name", "os_version", "status"}
	}
	for _, e := range entries {
		var row []string
		if kind == Devices {
			row = directoryDevice(e)
		} else {
			row = directoryUser(e, at)
		}
		if row != nil {
			rows, lines = append(rows, row), append(lines, e.Line)
		}
	}
	return newTable(header, rows, lines, kind, nil)
}

func classes(e *LDIFEntry) (person, device bool) {
	for _, c := range e.Values("objectclass") {
		switch strings.ToLower(c) {
		case "computer", "device", "iphost", "ieee802device":
			device = true
		case "person", "inetorgperson", "organizationalperson", "posixaccount", "user", "account":
			person = true
		}
	}
	return person && !device, device
}

func directoryUser(e *LDIFEntry, at civil.Day) []string {
	names := rdns(e.DN)
	if e.Change == "delete" && len(names) > 0 && (names[0][0] == "uid" || names[0][0] == "cn") {
		return []string{names[0][1], "", "", "", "", "left", at.String()}
	}
	person, _ := classes(e)
	if !person || e.Change != "" && e.Change != "add" {
		return nil
	}
	unit, _ := places(e.DN)
	if unit == "" {
		unit = e.First("ou", "departmentnumber")
	}
	id := e.First("uid", "samaccountname", "userid")
	if id == "" && len(names) > 0 {
		id = names[0][1]
	}
	status, left := "active", ""
	flags, _ := strconv.Atoi(e.First("useraccountcontrol")) // no number is no flag
	expire, err := strconv.Atoi(e.First("shadowexpire"))
	switch {
	case err == nil && expire > 0 && civil.OfUnix(int64(expire)*86400) <= at:
		status, left = "left", civil.OfUnix(int64(expire)*86400).String()
	case flags&2 != 0, strings.EqualFold(e.First("nsaccountlock", "logindisabled"), "true"), e.First("pwdaccountlockedtime") != "":
		status = "left"
	}
	if status == "left" && left == "" {
		left = at.String()
	}
	return []string{id, e.First("displayname", "cn", "gecos"), e.First("mail", "rfc822mailbox"), unit, e.First("l", "localityname", "physicaldeliveryofficename"), status, left}
}

func directoryDevice(e *LDIFEntry) []string {
	names := rdns(e.DN)
	if e.Change == "delete" || e.Change != "" && e.Change != "add" {
		return nil
	}
	if _, device := classes(e); !device {
		return nil
	}
	unit, path := places(e.DN)
	id := ""
	if len(names) > 0 {
		id = names[0][1]
	}
	name := e.First("cn", "name", "dnshostname")
	if name == "" {
		name = id
	}
	user := ""
	if owner := rdns(e.First("owner", "managedby")); len(owner) > 0 {
		user = owner[0][1]
	}
	kind := "client"
	for _, c := range e.Values("description") {
		if slices.Contains(DeviceKinds, strings.ToLower(c)) {
			kind = strings.ToLower(c)
		}
	}
	if strings.Contains(strings.ToLower(e.First("operatingsystem")), "server") {
		kind = "server"
	}
	status := "in_service"
	if flags, err := strconv.Atoi(e.First("useraccountcontrol")); err == nil && flags&2 != 0 {
		status = "retired"
	}
	return []string{e.firstID(id), name, kind, "", unit, e.First("l", "localityname"), e.First("c", "countryname"), strings.Join(e.Values("iphostnumber"), " "), path, user, e.First("operatingsystem"), e.First("operatingsystemversion"), status}
}

// firstID is what identifies a device: its serial number where the directory has it, else the name of its entry.
func (e *LDIFEntry) firstID(name string) string {
	if s := e.First("serialnumber"); s != "" {
		return s
	}
	return name
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
