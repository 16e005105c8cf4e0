package formats

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
)

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
var containers = []string{
	"people",
	"users",
	"accounts",
	"computers",
	"devices",
	"machines",
	"hosts",
	"workstations",
	"servers",
}

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
	return strings.Join(units, "/"), strings.Trim(
		strings.Join(append([]string{strings.Join(domain, ".")}, all...), "/"),
		"/",
	)
}

// userColumns are the columns of a directory's users.
var userColumns = strings.Fields(
	"user_id name email org_unit site status left_on log_on_names manager cost_centre directory_id account_kind",
)

// deviceColumns are the columns of a directory's devices.
var deviceColumns = strings.Fields("device_id name kind environment org_unit site country ip_address directory_path " +
	"primary_user os_name os_version status")

// directoryRows gives the entries of a directory as lines of users.csv or devices.csv, one after another, so that a
// directory of a million entries needs no memory for them. Persons are entries of the classes person, inetOrgPerson,
// organizationalPerson, posixAccount or user; devices of the classes device, ipHost or computer. A person who is
// deleted, or whose account is locked, has left.
type directoryRows struct {
	layout
	in   *LDIFReader
	kind *Kind
	at   civil.Day         // of the export
	ids  map[string]string // of people by the names of their entries, where those do not say them
}

// newDirectoryRows reads a directory; of users it is read twice, since a manager may come behind those he manages.
func newDirectoryRows(f File, kind *Kind, at civil.Day) (*directoryRows, error) {
	d := &directoryRows{kind: kind, at: at, ids: map[string]string{}}
	in := NewLDIFReader(f)
	for kind == Users {
		e, err := in.Next()
		var line *LineError
		if errors.As(err, &line) {
			continue
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		if u := directoryUser(e, at); u != nil && u[0] != nameOf(e.DN) {
			d.ids[strings.ToLower(e.DN)] = u[0]
		}
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	d.in = NewLDIFReader(f)
	if kind == Devices {
		return d, d.setHeader(deviceColumns, kind, nil)
	}
	return d, d.setHeader(userColumns, kind, nil)
}

// Next returns the next user or device. A record that cannot be read is said once, with the users, as a line of
// users.csv that somebody who can read it completes.
func (d *directoryRows) Next() (*Row, error) {
	for {
		e, err := d.in.Next()
		var line *LineError
		if errors.As(err, &line) {
			if d.kind != Users {
				continue
			}
			return nil, &LineError{line.Line, unreadPerson(line.Content), line.Reason + ": " + clip(line.Content, 300)}
		}
		if err != nil {
			return nil, err
		}
		row := d.row(e)
		if row != nil {
			return d.finish(&Row{Line: e.Line, Content: csvLine(row), fields: row})
		}
	}
}

// row is the line of an entry; nil of one that is none of the kind.
func (d *directoryRows) row(e *LDIFEntry) []string {
	if d.kind == Devices {
		return directoryDevice(e)
	}
	row := directoryUser(e, d.at)
	if id := d.ids[strings.ToLower(e.First("manager"))]; id != "" && row != nil {
		row[8] = id
	}
	return row
}

// nameOf is the name of an entry among its neighbours, by its distinguished name.
func nameOf(dn string) string {
	if names := rdns(dn); len(names) > 0 {
		return names[0][1]
	}
	return ""
}

// PersonOf returns the person that an entry is, as of a day; not of one that is none.
func PersonOf(e *LDIFEntry, at civil.Day) (User, bool) {
	row := directoryUser(e, at)
	if row == nil || row[0] == "" {
		return User{}, false
	}
	return User{Person: evidence.Person{Code: row[0], Name: row[1], Email: row[2], OrgUnit: row[3], Site: row[4],
		Status: evidence.PersonStatus(row[5])}}, true
}

// IsMachine reports whether an entry is a machine.
func IsMachine(e *LDIFEntry) bool {
	_, device := classes(e)
	return device
}

// EscapeDN writes a value so that it may stand in a distinguished name (RFC 4514).
func EscapeDN(value string) string {
	var b strings.Builder
	for i, c := range value {
		if strings.ContainsRune(`,+"\<>;=`, c) || i == 0 && (c == ' ' || c == '#') || i == len(value)-1 && c == ' ' {
			b.WriteByte('\\')
		}
		b.WriteRune(c)
	}
	return b.String()
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
		return []string{names[0][1], "", "", "", "", "left", at.String(), "", "", "", "", ""}
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
	// in steps of 100 ns since 1601, 0 and the largest number for never
	ends, _ := strconv.ParseInt(e.First("accountexpires"), 10, 64)
	const from1601, never = 11_644_473_600, 1<<63 - 1
	switch {
	case ends > 0 && ends != never && civil.OfUnix(ends/10_000_000-from1601) <= at:
		status, left = "left", civil.OfUnix(ends/10_000_000-from1601).String()
	case err == nil && expire > 0 && civil.OfUnix(int64(expire)*86400) <= at:
		status, left = "left", civil.OfUnix(int64(expire)*86400).String()
	case flags&2 != 0,
		strings.EqualFold(e.First("nsaccountlock", "logindisabled"), "true"),
		e.First("pwdaccountlockedtime") != "":
		status = "left"
	}
	if status == "left" && left == "" {
		left = at.String()
	}
	return []string{
		id,
		e.First("displayname", "cn", "gecos"),
		e.First("mail", "rfc822mailbox"),
		unit,
		e.First("l", "localityname", "physicaldeliveryofficename"),
		status,
		left,
		strings.Join(logOns(e), "|"),
		manager(e),
		e.First("departmentnumber", "costcenter"),
		directoryID(e),
		"",
	}
}

// logOns are the names by which an entry logs on: RFC 4524 and what directories of the trade have besides (common
// practice).
func logOns(e *LDIFEntry) []string {
	var out []string
	for _, attr := range []string{"userprincipalname", "samaccountname", "uid", "krbprincipalname"} {
		for _, v := range e.Values(attr) {
			if v = strings.ReplaceAll(strings.TrimSpace(v), "|", ""); v != "" && !slices.Contains(out, v) {
				out = append(out, v)
			}
		}
	}
	return out
}

// manager is the name of the entry that an entry's manager attribute points to (RFC 4524).
func manager(e *LDIFEntry) string { return nameOf(e.First("manager")) }

// directoryID is what a directory knows an entry by whatever it is called: an entryUUID (RFC 4530), or 16 bytes, which
// are written as hexadecimal digits.
func directoryID(e *LDIFEntry) string {
	if v := e.First("entryuuid", "nsuniqueid", "ipauniqueid"); v != "" {
		return v
	}
	if v := e.First("objectguid"); len(v) == 16 {
		return fmt.Sprintf("%x", v)
	}
	return ""
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
		if slices.Contains(evidence.DeviceKinds, evidence.DeviceKind(strings.ToLower(c))) {
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
	return []string{
		e.firstID(id),
		name,
		kind,
		"",
		unit,
		e.First("l", "localityname"),
		e.First("c", "countryname"),
		strings.Join(e.Values("iphostnumber"), " "),
		path,
		user,
		e.First("operatingsystem"),
		e.First("operatingsystemversion"),
		status,
	}
}

// firstID is what identifies a device: its serial number where the directory has it, else the name of its entry.
func (e *LDIFEntry) firstID(name string) string {
	if s := e.First("serialnumber"); s != "" {
		return s
	}
	return name
}

// unreadPerson is what is known of a record that cannot be read, in the columns of a directory's users.
func unreadPerson(record string) string {
	first, _, _ := strings.Cut(record, "\n")
	id := nameOf(strings.TrimSpace(strings.TrimPrefix(first, "dn:")))
	row := make([]string, len(userColumns)) // without user_id it waits until somebody has looked
	row[slices.Index(userColumns, "name")], row[slices.Index(userColumns, "status")] = id, "active"
	return csvLine(row)
}
