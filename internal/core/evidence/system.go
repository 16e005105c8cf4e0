package evidence

import (
	"cmp"
	"slices"
)

// System is an operating system as it was reported: its name, and its version or none.
type System struct{ Name, Version string }

// SystemAt is what somebody said of a device's operating system from one time on, in seconds since 1970, until another.
type SystemAt struct {
	System
	Since, Until int64
}

// SystemsOf follows the operating system through what one source reported of a device, in any order: what a report
// names is there until the next that names another. A report that names none says nothing about it.
func SystemsOf(reports []FactsAt) []SystemAt {
	list := slices.SortedFunc(
		slices.Values(reports),
		func(a, b FactsAt) int { return cmp.Compare(a.Since, b.Since) },
	)
	var out []SystemAt
	for _, r := range list {
		s := System{r.Facts["os_name"], r.Facts["os_version"]}
		if s.Name != "" {
			out = follow(out, s, r.Since)
		}
	}
	return out
}

// ListedSystem is what lists said of a device's operating system, known, with what the newest says, since a time at;
// an empty name is a list that names none. Scans see for themselves: from first on, the time of the first that names
// an operating system, lists say nothing.
func ListedSystem(known []SystemAt, now System, at, first int64) []SystemAt {
	list := slices.SortedFunc(
		slices.Values(known),
		func(a, b SystemAt) int { return cmp.Compare(a.Since, b.Since) },
	)
	list = slices.DeleteFunc(list, func(k SystemAt) bool {
		return k.Since > at || k.Since == at && k.System != now
	})
	if n := len(list); n > 0 && list[n-1].Until >= at && list[n-1].System == now {
		list[n-1].Until = Forever // it goes on
	} else {
		if n > 0 {
			list[n-1].Until = min(list[n-1].Until, at)
		}
		if now.Name != "" {
			list = append(list, SystemAt{now, at, Forever})
		}
	}
	list = slices.DeleteFunc(list, func(k SystemAt) bool { return k.Since >= first })
	if n := len(list); n > 0 {
		list[n-1].Until = min(list[n-1].Until, first)
	}
	return list
}

// follow lets a system be there from a time on; what was there before ends.
func follow(list []SystemAt, s System, at int64) []SystemAt {
	if n := len(list); n > 0 {
		if list[n-1].System == s {
			return list
		}
		list[n-1].Until = at
	}
	return append(list, SystemAt{s, at, Forever})
}
