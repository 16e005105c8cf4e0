package formats

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// Mapping says how the columns of a foreign file are called here.
type Mapping struct {
	// a header in small letters -> a column of the kind, Leave, or Keep
	Columns   map[string]string `json:"columns"`
	Constants map[string]string `json:"constants,omitempty"` // a column of the kind -> its value on every line
}

// What else a header may be mapped to.
const (
	Leave = "-" // it is passed over
	Keep  = "+" // it is kept as a custom field
)

// Check reports what is wrong with a mapping onto a kind.
func (m *Mapping) Check(kind *Kind) error {
	from := map[string]string{}
	for header, column := range m.Columns {
		if column == Leave || column == Keep {
			continue
		}
		if !slices.Contains(kind.Columns, column) {
			return &FileError{fmt.Sprintf("%s has no column %q", kind.Name, column)}
		}
		if other, twice := from[column]; twice {
			return &FileError{
				fmt.Sprintf("%q and %q are both mapped to %s: keep one of them", other, header, column),
			}
		}
		from[column] = header
	}
	for column := range m.Constants {
		if !slices.Contains(kind.Columns, column) {
			return &FileError{fmt.Sprintf("%s has no column %q", kind.Name, column)}
		}
		if _, twice := from[column]; twice {
			return &FileError{
				fmt.Sprintf("%s comes from a column and has a value for every line: keep one of the two", column),
			}
		}
	}
	return nil
}

// apply renames a header. Its names are in small letters and trimmed.
func (m *Mapping) apply(header []string, kind *Kind) []string {
	out := slices.Clone(header)
	for i, h := range header {
		to, mapped := m.Columns[h]
		switch {
		case mapped && to == Leave:
			out[i] = ""
		case mapped && to != Keep:
			out[i] = to
		case slices.Contains(kind.Columns, h):
			out[i] = "their " + h // a column of ours that the mapping gives to another header, or keeps
		}
	}
	return out
}

// Proposal is what a header is proposed to be, and why.
type Proposal struct {
	Header string
	Column string // Keep where nothing fits
	Why    string
	Sample []string
}

// synonyms are words of the trade for the columns (common practice), in the form that plain makes of them.
var synonyms = map[string][]string{
	"device_id": {
		"computerid",
		"machineid",
		"assetid",
		"assettag",
		"hostid",
		"deviceid",
		"resourceid",
		"machinekey",
		"assetnumber",
		"inventorynumber",
	},
	"name": {
		"displayname",
		"productname",
		"softwarename",
		"software",
		"application",
		"applicationname",
		"app",
		"program",
		"programname",
		"title",
		"package",
		"packagename",
		"fullname",
		"username",
		"computername",
		"computer",
		"hostname",
		"host",
		"machine",
		"machinename",
		"devicename",
		"device",
		"asset",
		"workstation",
	},
	"publisher": {
		"vendor",
		"manufacturer",
		"maker",
		"company",
		"developer",
		"supplier",
		"vendorname",
		"publishername",
		"manufacturername",
	},
	"product": {"productname", "productfamily", "application", "software", "title"},
	"version": {
		"productversion",
		"displayversion",
		"softwareversion",
		"applicationversion",
		"ver",
		"versionnumber",
		"release",
		"build",
	},
	"edition":      {"productedition", "variant"},
	"architecture": {"arch", "platform", "bitness"},
	"language":     {"lang", "locale"},
	"install_date": {"installed", "installedon", "dateinstalled", "installationdate", "installdate"},
	"install_path": {"path", "location", "installlocation", "folder", "directory", "installpath"},
	"file_name":    {"executable", "exe", "binary", "process", "processname", "image", "file", "filename"},
	"key": {
		"licencekey",
		"licensekey",
		"productkey",
		"serialkey",
		"activationkey",
		"installationkey",
		"licencecode",
		"licensecode",
		"activationcode",
		"lizenzschluessel",
		"lizenzschlüssel",
		"produktschlüssel",
		"clédelicence",
		"cledelicence",
		"clavedelicencia",
		"clavedeproducto",
		"chiavedilicenza",
		"licensnyckel",
		"lisensnøkkel",
		"licentiesleutel",
	},
	"last_used": {"lastuse", "lastusage", "lastrun", "lastlaunched", "lastaccessed"},
	"seen_at": {
		"scandate",
		"scanned",
		"scantime",
		"lastseen",
		"inventorydate",
		"collected",
		"collectedat",
		"discovered",
		"reported",
		"timestamp",
	},
	"last_scan": {
		"lastscan",
		"lastseen",
		"lastinventory",
		"lasthardwarescan",
		"lastreported",
		"scandate",
		"lastcontact",
	},
	"source":      {"origin", "datasource", "tool"},
	"kind":        {"type", "devicetype", "chassis", "formfactor", "licencetype", "licensetype"},
	"environment": {"env", "stage", "tier"},
	"org_unit": {
		"unit",
		"department",
		"dept",
		"organisation",
		"organization",
		"ou",
		"division",
		"businessunit",
		"costcentre",
		"costcenter",
		"team",
	},
	"site":          {"location", "office", "building", "city", "place"},
	"country":       {"countrycode", "nation"},
	"ip_address":    {"ip", "ipv4", "ipaddress", "address", "networkaddress"},
	"primary_user":  {"user", "mainuser", "owner", "assignedto", "lastuser", "lastloggedonuser", "username"},
	"os_name":       {"os", "operatingsystem", "osname", "platform"},
	"os_version":    {"osversion", "operatingsystemversion", "osbuild"},
	"processors":    {"cpus", "sockets", "cpucount", "processorcount", "physicalprocessors"},
	"cores":         {"corecount", "cpucores", "physicalcores", "numberofcores", "totalcores"},
	"virtual_cores": {"vcpu", "vcpus", "vcores", "logicalprocessors", "virtualcpus"},
	"host_id":       {"host", "hypervisor", "vmhost", "parenthost"},
	"user_id": {
		"userid",
		"login",
		"loginname",
		"account",
		"accountname",
		"username",
		"uid",
		"employeeid",
		"personnelnumber",
	},
	"email":          {"mail", "emailaddress", "smtp"},
	"status":         {"state", "lifecycle", "assetstatus"},
	"left_on":        {"leavingdate", "terminationdate", "enddate", "leftdate", "lastday"},
	"quantity":       {"qty", "count", "amount", "licences", "licenses", "seats", "number", "units"},
	"metric":         {"licencemetric", "licensemetric", "licencemodel", "licensemodel", "per"},
	"unit_price":     {"price", "cost", "unitcost", "priceperunit"},
	"start":          {"startdate", "validfrom", "from", "begin", "effective"},
	"end":            {"enddate", "expiry", "expires", "expirydate", "expirationdate", "validto", "validuntil"},
	"purchased":      {"purchasedate", "orderdate", "bought", "invoicedate", "dateofpurchase"},
	"order":          {"ordernumber", "ponumber", "po", "purchaseorder", "invoice"},
	"contract":       {"agreement", "contractnumber", "agreementnumber"},
	"started_at":     {"start", "starttime", "started", "begin", "launched"},
	"ended_at":       {"end", "endtime", "ended", "stopped"},
	"entitlement_id": {"licenceid", "licenseid", "entitlement", "licence", "license", "agreementline", "id"},
	"serial":         {"serialnumber"},
	"tag_id":         {"swidtag", "tagid", "swid"},
}

// plain makes a header comparable: letters and figures alone.
func plain(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}

// Propose proposes a mapping for the headers of a foreign file onto a kind, each column at most once: the kind's own
// names first, then words that the trade uses, then headers that hold a word of the trade. samples are values of each
// header.
func Propose(kind *Kind, headers []string, samples [][]string) []Proposal {
	out := make([]Proposal, len(headers))
	taken := map[string]bool{}
	for i, h := range headers {
		out[i] = Proposal{
			Header: strings.ToLower(strings.TrimSpace(h)),
			Column: Keep,
			Why:    "nothing here fits; it is kept as a custom field",
			Sample: []string{},
		}
		if i < len(samples) && samples[i] != nil {
			out[i].Sample = samples[i]
		}
		if out[i].Header == "" {
			out[i].Column, out[i].Why = Leave, "it has no name"
		}
	}
	pass := func(fits func(header, column string) (string, bool)) {
		for _, column := range kind.Columns {
			if taken[column] {
				continue
			}
			for i := range out {
				if out[i].Column != Keep {
					continue
				}
				if why, ok := fits(out[i].Header, column); ok {
					out[i].Column, out[i].Why, taken[column] = column, why, true
					break
				}
			}
		}
	}
	subject := map[string][]string{"installs": {"computer", "machine", "host", "device", "asset", "workstation"},
		"usage": {"computer", "machine", "host", "device", "asset"}}[kind.Name]
	pass(func(h, c string) (string, bool) { return "the same name", h == c })
	pass(func(h, c string) (string, bool) { return "the same name", plain(h) == plain(c) })
	if len(subject) > 0 { // in lists of software the machine is the device, and never the name of a program
		pass(func(h, c string) (string, bool) {
			p := plain(h)
			if c != "device_id" {
				return "", false
			}
			for _, s := range subject {
				if p == s || p == s+"name" || p == s+"id" {
					return "a word for the device", true
				}
			}
			return "", false
		})
	}
	pass(func(h, c string) (string, bool) {
		return "a common word for it", slices.Contains(synonyms[c], plain(h))
	})
	pass(func(h, c string) (string, bool) {
		p := plain(h)
		words := append([]string{plain(c)}, synonyms[c]...)
		if c == "device_id" {
			words = append(words, subject...)
		}
		for _, s := range words {
			if len(s) >= 5 && strings.Contains(p, s) {
				return "it holds the word “" + s + "”", true
			}
		}
		return "", false
	})
	return out
}

// HeaderKey is what a saved mapping is found again by: the headers in alphabetical order.
func HeaderKey(headers []string) string {
	list := make([]string, 0, len(headers))
	for _, h := range headers {
		list = append(list, strings.ToLower(strings.TrimSpace(h)))
	}
	slices.Sort(list)
	return strings.Join(list, "\x1f")
}
