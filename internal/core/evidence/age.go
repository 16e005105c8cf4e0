package evidence

import (
	"cmp"
	"slices"
)

// Age says how old the evidence on a device is.
type Age string

// The ages of evidence, against a limit.
const (
	Never Age = "never"
	Fresh Age = "fresh"
	Stale Age = "stale"
)

// AgeOf classifies evidence last taken at lastScan (seconds since 1970, 0 for never) as seen at now, with a limit in
// days. Evidence exactly as old as the limit is still fresh.
func AgeOf(lastScan, now int64, limitDays int) Age {
	switch {
	case lastScan == 0:
		return Never
	case now-lastScan <= int64(limitDays)*86400:
		return Fresh
	}
	return Stale
}

// Kind is a kind of evidence on a device.
type Kind string

// The kinds of evidence, each with an age of its own.
const (
	OfSoftware  Kind = "software"  // a scan of what is installed
	OfHardware  Kind = "hardware"  // a scan that reported hardware facts
	OfUse       Kind = "use"       // sessions of use
	OfDirectory Kind = "directory" // a directory export or devices.csv that lists the device
)

// OfNetwork is what sweeps and tables of addresses say of the machines in a network.
const OfNetwork Kind = "network"

// Covered lists what a source may cover.
var Covered = []Kind{OfSoftware, OfHardware, OfUse, OfDirectory, OfNetwork}

// Kinds lists the kinds of evidence.
var Kinds = []Kind{OfSoftware, OfHardware, OfUse, OfDirectory}

// Limits are the days after which evidence is stale, by kind of device and kind of evidence; a kind of device that is
// not named has the limits of "".
type Limits map[DeviceKind]map[Kind]int

// Days returns the limit for a kind of device and of evidence.
func (l Limits) Days(device DeviceKind, kind Kind) int {
	if n, ok := l[device][kind]; ok {
		return n
	}
	return l[""][kind]
}

// Logon says that a user was logged on to a device at a time.
type Logon struct {
	User string
	At   int64
}

// MainUser returns who was logged on to a device most: on the most days since the time from; of several, who was
// there last, then the first by name. Empty where nobody was.
func MainUser(logons []Logon, from int64) string {
	type count struct {
		user string
		days int
		last int64
	}
	days := map[string]map[int64]bool{}
	last := map[string]int64{}
	for _, l := range logons {
		if l.At < from || l.User == "" {
			continue
		}
		if days[l.User] == nil {
			days[l.User] = map[int64]bool{}
		}
		days[l.User][l.At/86400] = true
		last[l.User] = max(last[l.User], l.At)
	}
	var list []count
	for u, d := range days {
		list = append(list, count{u, len(d), last[u]})
	}
	if len(list) == 0 {
		return ""
	}
	return slices.MinFunc(list, func(a, b count) int {
		return cmp.Or(cmp.Compare(b.days, a.days), cmp.Compare(b.last, a.last), cmp.Compare(a.user, b.user))
	}).user
}
