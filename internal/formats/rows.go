package formats

import (
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/core/usage"

	"github.com/shopspring/decimal"
)

// Device is a line of devices.csv.
type Device struct {
	evidence.Device
	DeviceSigns
	Custom map[string]string
}

// DeviceSigns are what a machine is told from others by, as a list says it.
type DeviceSigns struct {
	Serial, Maker, Model   string
	MachineID, DirectoryID string
	HardwareAddresses      []string // of its network hardware
	MemoryMB               int64
}

// None reports whether a list says nothing of it.
func (s DeviceSigns) None() bool {
	return s.Serial+s.Maker+s.Model+s.MachineID+s.DirectoryID == "" && len(s.HardwareAddresses) == 0 &&
		s.MemoryMB == 0
}

// User is a line of users.csv.
type User struct {
	evidence.Person
	UserSigns
	Custom map[string]string
}

// UserSigns is what a person is known by, and belongs to, besides.
type UserSigns struct {
	LogOns      []string // in any spelling
	DirectoryID string
	Manager     string // as the list names him
	CostCentre  string
	AccountKind string // one of AccountKinds, empty for not said
}

// AccountKinds say who uses an account: one person, several, or none.
var AccountKinds = []string{"person", "shared", "service"}

// None reports whether a list says nothing of it.
func (s UserSigns) None() bool {
	return s.DirectoryID+s.Manager+s.CostCentre+s.AccountKind == "" && len(s.LogOns) == 0
}

// Title is a line of titles.csv, with the publisher and product that core types keep apart.
type Title struct {
	Publisher, Product string
	recognise.Title
	Custom map[string]string
}

// Rate is a line of rates.csv: so many units of a currency make one euro.
type Rate struct {
	Currency string
	On       civil.Day
	PerEUR   decimal.Decimal
}

// Transaction is a line of transactions.csv.
type Transaction struct {
	Entitlement string
	entitle.Transaction
}

// Assignment is a line of assignments.csv.
type Assignment struct {
	Entitlement, User, Device string
	From, Until               civil.Day
}

// Policy is a line of policies.csv.
type Policy struct {
	Publisher, Product, Category, Group string
	Stance                              policy.Stance
	Hours                               policy.Hours
	Reason                              string
	Owner                               string    // who answers for an exception
	Until                               civil.Day // its last day
}

// Install is a line of installs.csv.
type Install struct {
	Device      string
	Record      recognise.Record
	InstallDate civil.Day
	InstallPath string
	LastUsed    civil.Day
	Key         string // a licence key that was found
	Included    bool   // its right comes with the place it runs in
	Source      string
	SeenAt      int64 // seconds since 1970, 0 where the line does not say
	Custom      map[string]string
}

// Session is a line of usage.csv. Times are in seconds since 1970.
type Session struct {
	Device, User, FileName, Product string
	Start, End, Active              int64
}

// ParseDevice reads a line of devices.csv. zone serves times without offset.
func ParseDevice(row *Row, zone *time.Location) (Device, error) {
	p := &parser{row: row, kind: Devices, zone: zone}
	d := Device{Custom: row.Custom(), Device: evidence.Device{
		Code:          p.need("device_id"),
		Name:          p.col("name"),
		IPAddress:     p.col("ip_address"),
		DirectoryPath: p.col("directory_path"),
		OSName:        p.col("os_name"),
		OSVersion:     p.col("os_version"),
		LastScan:      p.instant("last_scan"),
		Stated: evidence.Stated{
			Kind:         oneOf(p, "kind", evidence.DeviceKinds, evidence.Client),
			Environment:  oneOf(p, "environment", evidence.Environments, evidence.Production),
			OrgUnit:      strings.Trim(p.col("org_unit"), "/"),
			Site:         p.col("site"),
			Country:      p.col("country"),
			PrimaryUser:  p.col("primary_user"),
			Processors:   p.wholeTo("processors", MaxProcessors),
			Cores:        p.wholeTo("cores", MaxCores),
			VirtualCores: p.wholeTo("virtual_cores", MaxCores),
			HostID:       p.col("host_id"),
			Cluster:      p.col("cluster"),
			Pinned:       oneOf(p, "pinned", []evidence.Known{evidence.Yes, evidence.No}, ""),
			Portable:     oneOf(p, "portable", []evidence.Known{evidence.Yes, evidence.No}, ""),
			Status:       oneOf(p, "status", evidence.DeviceStatuses, evidence.InService),
		},
	}}
	d.DeviceSigns = DeviceSigns{
		Serial:      p.col("serial"),
		Maker:       p.col("maker"),
		Model:       p.col("model"),
		MachineID:   p.col("machine_id"),
		DirectoryID: p.col("directory_id"),
		MemoryMB:    p.wholeTo("memory_mb", MaxMemoryMB),
	}
	for address := range strings.SplitSeq(p.col("hardware_addresses"), "|") {
		if address = strings.TrimSpace(address); address != "" {
			d.HardwareAddresses = append(d.HardwareAddresses, address)
		}
	}
	if f := p.money("core_factor"); f.Valid {
		d.CoreFactor = f.Decimal.String()
	}
	if d.Name == "" {
		d.Name = d.Code
	}
	return d, p.err()
}

// ParseUser reads a line of users.csv.
func ParseUser(row *Row) (User, error) {
	p := &parser{row: row, kind: Users}
	u := User{Custom: row.Custom(), Person: evidence.Person{
		Code:    p.need("user_id"),
		Name:    p.col("name"),
		Email:   p.col("email"),
		OrgUnit: strings.Trim(p.col("org_unit"), "/"),
		Site:    p.col("site"),
		Status:  oneOf(p, "status", evidence.PersonStatuses, evidence.Active),
		LeftOn:  p.day("left_on"),
	}}
	u.UserSigns = UserSigns{DirectoryID: p.col("directory_id"), Manager: p.col("manager"),
		CostCentre: p.col("cost_centre"), AccountKind: oneOf(p, "account_kind", AccountKinds, "")}
	for name := range strings.SplitSeq(p.col("log_on_names"), "|") {
		if name = strings.TrimSpace(name); name != "" {
			u.LogOns = append(u.LogOns, name)
		}
	}
	return u, p.err()
}

// ParseTitle reads a line of titles.csv.
func ParseTitle(row *Row) (Title, error) {
	p := &parser{row: row, kind: Titles}
	models := []recognise.LicenceModel{
		recognise.Commercial,
		recognise.Free,
		recognise.OpenSource,
		recognise.TrialModel,
		recognise.InHouse,
	}
	t := Title{Publisher: p.need("publisher"), Product: p.need("product"), Custom: row.Custom()}
	t.Title = recognise.Title{
		Edition:       p.col("edition"),
		EditionRank:   int(p.whole("edition_rank", 0)),
		Version:       p.col("version"),
		Category:      p.col("category"),
		Model:         oneOf(p, "licence_model", models, ""),
		ListPrice:     p.money("list_price"),
		Currency:      p.currency("currency"),
		DefaultMetric: string(oneOf(p, "default_metric", entitle.Metrics, "")),
		Suite:         p.col("suite"),
		Released:      p.day("released"),
		GeneralEnd:    p.day("general_support_end"),
		ExtendedEnd:   p.day("extended_support_end"),
		EndOfLife:     p.day("end_of_life"),
	}
	t.Aliases = parts(p.col("aliases"))
	if t.ListPrice.Valid && t.Currency == "" {
		t.Currency = "EUR"
	}
	return t, p.err()
}

// ParseRate reads a line of rates.csv.
func ParseRate(row *Row) (Rate, error) {
	p := &parser{row: row, kind: Rates}
	p.need("currency")
	r := Rate{Currency: p.currency("currency"), On: p.day("on"), PerEUR: p.money("per_eur").Decimal}
	if !r.On.Known() {
		p.fail("on is empty")
	}
	if !r.PerEUR.IsPositive() {
		p.fail("per_eur must be above 0")
	}
	return r, p.err()
}

// Source is a line of sources.csv.
type Source struct {
	Name       string
	Covers     []string
	Trust      int
	SilentDays int
	RetiredOn  civil.Day // unknown for one in use
}

// ParseSource reads a line of sources.csv.
func ParseSource(row *Row) (Source, error) {
	p := &parser{row: row, kind: Sources}
	s := Source{Name: p.need("source"), Trust: int(p.wholeTo("trust", 99)), SilentDays: int(p.wholeTo(
		"silent_after_days", 3650)), RetiredOn: p.day("retired_on")}
	for word := range strings.SplitSeq(p.col("covers"), "|") {
		if word = strings.ToLower(strings.TrimSpace(word)); word != "" {
			s.Covers = append(s.Covers, word)
		}
	}
	switch state := oneOf(p, "state", []string{"active", "retired"}, "active"); {
	case state == "retired" && !s.RetiredOn.Known():
		p.fail("retired_on is empty: say since when the source is retired")
	case state == "active" && p.col("state") != "" && s.RetiredOn.Known():
		p.fail("the source is active and has a day on which it was retired")
	}
	return s, p.err()
}

// ParseTransaction reads a line of transactions.csv.
func ParseTransaction(row *Row) (Transaction, error) {
	p := &parser{row: row, kind: Transactions}
	types := []string{"buy", entitle.Renew, "true_up", "transfer_in", "transfer_out", "retire"}
	p.need("type")
	p.need("quantity")
	p.need("on")
	t := Transaction{
		Entitlement: p.need("entitlement_id"),
		Transaction: entitle.Transaction{
			Type:     oneOf(p, "type", types, ""),
			On:       p.day("on"),
			Quantity: p.whole("quantity", -mostCounted), // below 0: a counter-entry
			End:      p.day("end"),
			Price:    p.money("price"),
			Currency: p.currency("currency"),
			Order:    p.col("order"),
			Note:     p.col("note"),
			Request:  p.col("request"),
			Nth:      max(1, p.whole("nth", 1)),
		},
	}
	switch {
	case t.End.Known() && t.Type != entitle.Renew:
		p.fail("end: only a renewal has one; a %s changes how many there are, not how long", t.Type)
	case t.End.Known() && t.End < t.On:
		p.fail("end: the new term ends on %s, before it is renewed on %s", t.End, t.On)
	}
	return t, p.err()
}

// ParseAssignment reads a line of assignments.csv.
func ParseAssignment(row *Row) (Assignment, error) {
	p := &parser{row: row, kind: Assignments}
	a := Assignment{
		Entitlement: p.need("entitlement_id"),
		User:        p.col("user_id"),
		Device:      p.col("device_id"),
		From:        p.day("from"),
		Until:       p.day("until"),
	}
	if (a.User == "") == (a.Device == "") {
		p.fail("an assignment names either a user or a device")
	}
	if a.From.Known() && a.Until.Known() && a.Until < a.From {
		p.fail("it ends on %s, before it starts on %s", a.Until, a.From)
	}
	return a, p.err()
}

// ParsePolicy reads a line of policies.csv.
func ParsePolicy(row *Row) (Policy, error) {
	p := &parser{row: row, kind: Policies}
	p.need("stance")
	out := Policy{
		Publisher: p.col("publisher"),
		Product:   p.col("product"),
		Category:  p.col("category"),
		Group:     strings.Trim(p.col("group"), "/"),
		Stance:    oneOf(p, "stance", []policy.Stance{policy.Allowed, policy.Restricted, policy.Required}, ""),
		Reason:    p.col("reason"),
		Owner:     p.col("owner"),
		Until:     p.day("until"),
	}
	if out.Until.Known() && out.Owner == "" {
		p.fail("it ends on %s, so it is an exception: name its owner", out.Until)
	}
	var err error
	if out.Hours, err = policy.ParseHours(p.col("days"), p.col("from_time"), p.col("to_time")); err != nil {
		p.fail("%v", err)
	}
	if out.Publisher == "" && out.Product == "" && out.Category == "" {
		p.fail("it names neither a publisher, nor a product, nor a category")
	}
	return out, p.err()
}

// The columns of installs.csv by their place, since millions of lines are read.
const (
	inDevice = iota
	inPublisher
	inName
	inVersion
	inEdition
	inArchitecture
	inLanguage
	inInstallDate
	inInstallPath
	inFileName
	inTagID
	inPURL
	inCPE
	inLastUsed
	inSource
	inSeenAt
	inKey
	inLicence
)

// included says whether the right of an install comes with the place it runs in: an image of a cloud provider, a
// machine whose maker licensed it.
func included(licence string) (bool, error) {
	switch strings.ToLower(strings.TrimSpace(licence)) {
	case "", "own":
		return false, nil
	case "included":
		return true, nil
	}
	return false, refuse.Errorf("licence is %q: it may be own, or included with the place it runs in", licence)
}

// ParseInstall reads a line of installs.csv. zone serves times without offset. last_used may be a date or a time; its
// day counts.
func ParseInstall(row *Row, zone *time.Location) (Install, error) {
	in := Install{
		Device: row.At(inDevice),
		Record: recognise.Record{
			Publisher:    row.At(inPublisher),
			Name:         row.At(inName),
			Version:      row.At(inVersion),
			Edition:      row.At(inEdition),
			Architecture: row.At(inArchitecture),
			Language:     row.At(inLanguage),
			FileName:     row.At(inFileName),
			TagID:        row.At(inTagID),
			PURL:         row.At(inPURL),
			CPE:          row.At(inCPE),
		},
		InstallPath: row.At(inInstallPath),
		Source:      row.At(inSource),
		Key:         row.At(inKey),
		Custom:      row.Custom(),
	}
	bad := func(reason string) error { return &LineError{row.Line, row.Content, reason} }
	if in.Device == "" {
		return in, bad("device_id is empty")
	}
	if in.Record.Name == "" {
		return in, bad("name is empty")
	}
	var err error
	if in.Included, err = included(row.At(inLicence)); err != nil {
		return in, bad(err.Error())
	}
	if in.InstallDate, err = civil.Parse(row.At(inInstallDate)); err != nil {
		return in, bad("install_date: " + err.Error())
	}
	if v := row.At(inLastUsed); len(v) == 10 {
		if in.LastUsed, err = civil.Parse(v); err != nil {
			return in, bad("last_used: " + err.Error())
		}
	} else if v != "" {
		t, err := ParseTime(v, zone)
		if err != nil {
			return in, bad("last_used: " + err.Error())
		}
		in.LastUsed = civil.Of(t)
	}
	if v := row.At(inSeenAt); v != "" {
		t, err := ParseTime(v, zone)
		if err != nil {
			return in, bad("seen_at: " + err.Error())
		}
		in.SeenAt = t.Unix()
	}
	return in, nil
}

// ParseSession reads a line of usage.csv.
func ParseSession(row *Row, zone *time.Location) (Session, error) {
	p := &parser{row: row, kind: Usage, zone: zone}
	s := Session{
		Device:   p.need("device_id"),
		User:     p.col("user_id"),
		FileName: p.col("file_name"),
		Product:  p.col("product"),
		Start:    p.instant("started_at"),
		End:      p.instant("ended_at"),
		Active:   p.whole("active_seconds", 0),
	}
	p.need("started_at")
	if s.FileName == "" && s.Product == "" {
		p.fail("it names neither a file nor a product")
	}
	if s.End != 0 && s.End < s.Start {
		p.fail("it ends before it starts")
	}
	if s.End == 0 {
		s.End = s.Start
	}
	return s, p.err()
}

// ProcessEvent is a line of process_events.csv: a process started or stopped, or the device came up. Times are in
// seconds since 1970.
type ProcessEvent struct {
	Device, User, FileName string
	Kind                   usage.EventKind
	At, PID                int64
	Started, Active        int64 // of a stop: when its process started (0 where nobody says), and seconds of work
}

// ParseProcessEvent reads a line of process_events.csv.
func ParseProcessEvent(row *Row, zone *time.Location) (ProcessEvent, error) {
	p := &parser{row: row, kind: ProcessEvents, zone: zone}
	v := ProcessEvent{
		Device:   p.need("device_id"),
		User:     p.col("user_id"),
		FileName: p.col("file_name"),
		At:       p.instant("at"),
		PID:      p.whole("pid", 0),
		Started:  p.instant("started_at"),
		Active:   p.whole("active_seconds", 0),
	}
	p.need("at")
	switch what := oneOf(p, "event", []string{"start", "stop", "boot"}, ""); {
	case what == "":
		p.need("event")
	case what == "boot":
		v.Kind = usage.DeviceBoot
	case p.col("pid") == "":
		p.fail("pid is empty: without it nobody can say which start a stop belongs to")
	case what == "start":
		if v.FileName == "" {
			p.fail("file_name is empty: nobody can say which program started")
		}
	default:
		v.Kind = usage.ProcessStop
		if v.Started > v.At {
			p.fail("it stops before it started")
		}
	}
	return v, p.err()
}

// Pool is a line of pools.csv: concurrent licences of a product on a licence server.
type Pool struct {
	usage.Pool
	Publisher, Product string
	Custom             map[string]string
}

// ParsePool reads a line of pools.csv.
func ParsePool(row *Row) (Pool, error) {
	p := &parser{row: row, kind: Pools}
	v := Pool{Publisher: p.col("publisher"), Product: p.need("product"), Custom: row.Custom(), Pool: usage.Pool{
		Code:     p.need("pool"),
		Server:   p.col("server"),
		Quantity: p.whole("quantity", 0),
		Expires:  p.day("expires"),
	}}
	return v, p.err()
}

// PoolEvent is a line of pool_events.csv. Lost and found are the connection to the licence server. At is in seconds
// since 1970; Licences is at least 1.
type PoolEvent struct {
	Pool, Event, Session, User, Device string
	At, Licences                       int64
	Active                             int64 // seconds of work, of a return; -1 where the server does not say
}

// ParsePoolEvent reads a line of pool_events.csv.
func ParsePoolEvent(row *Row, zone *time.Location) (PoolEvent, error) {
	p := &parser{row: row, kind: PoolEvents, zone: zone}
	v := PoolEvent{
		Pool:     p.need("pool"),
		Event:    oneOf(p, "event", []string{"checkout", "return", "denial", "lost", "found"}, ""),
		Session:  p.col("session"),
		User:     p.col("user_id"),
		Device:   p.col("device_id"),
		At:       p.instant("at"),
		Licences: max(1, p.whole("licences", 1)),
	}
	p.need("event")
	p.need("at")
	if v.Active = -1; p.col("active_seconds") != "" {
		v.Active = p.whole("active_seconds", 0)
	}
	if (v.Event == "checkout" || v.Event == "return") && v.Session == "" {
		p.fail("session is empty: without it nobody can say which checkout a return ends")
	}
	return v, p.err()
}

// BookedKey is a line of keys.csv: a licence key that was bought with an entitlement.
type BookedKey struct{ Entitlement, Key, Note string }

// ParseKey reads a line of keys.csv.
func ParseKey(row *Row) (BookedKey, error) {
	p := &parser{row: row, kind: Keys}
	k := BookedKey{Entitlement: p.need("entitlement_id"), Key: p.need("key"), Note: p.col("note")}
	return k, p.err()
}

// Contract is a line of contracts.csv.
type Contract struct {
	Code, Publisher, Name string
	Start, End            civil.Day
	NoticeDays            int64 // how long before its end notice must be given
	Renews                bool  // it goes on by itself unless notice is given
	Owner, Note           string
	Custom                map[string]string
}

// mostNotice is how many days ahead notice may have to be given.
const mostNotice = 3700

// ParseContract reads a line of contracts.csv.
func ParseContract(row *Row) (Contract, error) {
	p := &parser{row: row, kind: Contracts}
	c := Contract{Code: p.need("contract"), Publisher: p.col("publisher"), Name: p.col("name"), Start: p.day("start"),
		End: p.day("end"), NoticeDays: p.wholeTo("notice_days", mostNotice), Owner: p.col("owner"), Note: p.col("note"),
		Custom: row.Custom()}
	switch v := strings.ToLower(p.col("renews")); v {
	case "", "false":
	case "true":
		c.Renews = true
	default:
		p.fail("renews is %q: it may be true or false", v)
	}
	if c.Start.Known() && c.End.Known() && c.End < c.Start {
		p.fail("it ends on %s, before it starts on %s", c.End, c.Start)
	}
	return c, p.err()
}
