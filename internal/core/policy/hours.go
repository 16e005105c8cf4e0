package policy

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/refuse"
)

// Hours are times of the week. Bit 0 of Days is Monday, none set is every day. From and To are minutes of the day; To
// at or before From runs into the next day, both 0 is the whole day.
type Hours struct {
	Days     uint8
	From, To int
}

// Always reports whether the hours are the whole week.
func (h Hours) Always() bool { return (h.Days == 0 || h.Days == 127) && h.From == 0 && h.To == 0 }

func (h Hours) on(day time.Weekday) bool { return h.Days == 0 || h.Days>>((day+6)%7)&1 == 1 }

// overlaps reports whether two hours have a minute of the week in common.
func (h Hours) overlaps(o Hours) bool {
	for day := time.Sunday; day <= time.Saturday; day++ {
		for minute := range 24 * 60 {
			if h.Contains(day, minute) && o.Contains(day, minute) {
				return true
			}
		}
	}
	return false
}

// Contains reports whether a minute of a weekday lies in the hours. What runs past midnight belongs to the day on
// which it began.
func (h Hours) Contains(day time.Weekday, minute int) bool {
	switch {
	case h.From == 0 && h.To == 0:
		return h.on(day)
	case h.From < h.To:
		return h.on(day) && minute >= h.From && minute < h.To
	}
	return h.on(day) && minute >= h.From || h.on((day+6)%7) && minute < h.To
}

var dayNames = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// String writes hours as mon-fri 08:00-16:00; the whole week is empty.
func (h Hours) String() string {
	if h.Always() {
		return ""
	}
	days, from, to := h.Texts()
	if from == "" {
		return days
	}
	return strings.TrimSpace(days + " " + from + "-" + to)
}

// Texts writes hours as the three columns of policies.csv.
func (h Hours) Texts() (days, from, to string) {
	var parts []string
	for i := 0; i < 7 && h.Days != 0 && h.Days != 127; i++ {
		if h.Days>>i&1 == 0 {
			continue
		}
		last := i
		for last < 6 && h.Days>>(last+1)&1 == 1 {
			last++
		}
		if last > i+1 {
			parts = append(parts, dayNames[i]+"-"+dayNames[last])
			i = last
			continue
		}
		parts = append(parts, dayNames[i])
	}
	if h.From != 0 || h.To != 0 {
		from, to = clock(h.From), clock(h.To)
	}
	return strings.Join(parts, "|"), from, to
}

func clock(minute int) string { return fmt.Sprintf("%02d:%02d", minute/60, minute%60) }

// ParseHours reads hours from days such as mon-fri or sat|sun, and times such as 08:00; 24:00 is the end of the day.
// Empty is the whole week, or the whole day.
func ParseHours(days, from, to string) (Hours, error) {
	var h Hours
	for _, part := range strings.FieldsFunc(strings.ToLower(days),
		func(r rune) bool { return r == '|' || r == ',' || r == ' ' }) {
		a, b, span := strings.Cut(part, "-")
		first, last := slices.Index(dayNames, a), slices.Index(dayNames, b)
		if !span {
			last = first
		}
		if first < 0 || last < 0 {
			return h, refuse.Errorf("days is %q: write days as mon-fri or sat|sun", days)
		}
		for i := first; ; i = (i + 1) % 7 {
			h.Days |= 1 << i
			if i == last {
				break
			}
		}
	}
	if (from == "") != (to == "") {
		return h, refuse.New("from_time and to_time belong together: give both, or neither")
	}
	if from == "" {
		return h, nil
	}
	var err error
	if h.From, err = minuteOf(from); err != nil {
		return h, err
	}
	if h.To, err = minuteOf(to); err != nil {
		return h, err
	}
	if h.From == h.To && h.From != 0 {
		return h, refuse.Errorf("from %s to %s is no time at all: leave both empty for the whole day", from, to)
	}
	return h, nil
}

func minuteOf(text string) (int, error) {
	hour, minute, ok := strings.Cut(text, ":")
	h, err1 := strconv.Atoi(hour)
	m, err2 := strconv.Atoi(minute)
	if !ok || err1 != nil || err2 != nil || h < 0 || h > 24 || m < 0 || m > 59 || h == 24 && m > 0 {
		return 0, refuse.Errorf("%q is no time of day: write it as 08:00", text)
	}
	return (h*60 + m) % (24 * 60), nil
}

// Week is what holds of a title on a device through the week: Always holds where no policy with hours does (nil where
// none speaks), and Timed are those with hours that go before it, the first before the others.
type Week struct {
	Always *Policy
	Timed  []*Policy
}

// Fit gathers what holds of a title on a device. A policy with hours goes before one as specific without.
func Fit(policies []Policy, t Title, f condition.Facts) Week {
	var w Week
	for _, p := range Ranked(policies, t, f) {
		if p.Hours.Always() {
			w.Always = p
			break
		}
		w.Timed = append(w.Timed, p)
	}
	return w
}

// Ranked lists the policies that speak of a title on a device, the one that goes first first: the most specific, then
// one with hours, then the stricter, then the older.
func Ranked(policies []Policy, t Title, f condition.Facts) []*Policy {
	var fit []*Policy
	for i := range policies {
		if p := &policies[i]; p.SpeaksOf(t) && p.Group.Holds(f) {
			fit = append(fit, p)
		}
	}
	timed := func(p *Policy) int {
		if p.Hours.Always() {
			return 1
		}
		return 0
	}
	exception := func(p *Policy) int {
		if p.Exception {
			return 0
		}
		return 1
	}
	slices.SortFunc(fit, func(a, b *Policy) int {
		return cmp.Or(
			cmp.Compare(b.specific(), a.specific()),
			cmp.Compare(timed(a), timed(b)),
			cmp.Compare(exception(a), exception(b)),
			cmp.Compare(strictness[b.Stance], strictness[a.Stance]),
			cmp.Compare(a.ID, b.ID),
		)
	})
	return fit
}

// At is the policy that holds at a minute of a weekday, or nil.
func (w Week) At(day time.Weekday, minute int) *Policy {
	for _, p := range w.Timed {
		if p.Hours.Contains(day, minute) {
			return p
		}
	}
	return w.Always
}

// Presence is the policy that says whether the title may be on the device: what is allowed or required at some hour
// has to be there.
func (w Week) Presence() *Policy {
	if w.Always == nil || w.Always.Stance != Restricted {
		return w.Always
	}
	for _, p := range w.Timed {
		if p.Stance != Restricted {
			return p
		}
	}
	return w.Always
}

// HasHours reports whether what may be used depends on the hour: some hours are restricted while the title may be
// there.
func (w Week) HasHours() bool {
	if p := w.Presence(); p != nil && p.Stance == Restricted {
		return false
	}
	if w.Always != nil && w.Always.Stance == Restricted {
		return true
	}
	return slices.ContainsFunc(w.Timed, func(p *Policy) bool { return p.Stance == Restricted })
}

// Breach is a part of a use that lies in restricted hours, [Start, End) in seconds since 1970, with the policy that
// it goes against.
type Breach struct {
	Start, End int64
	By         *Policy
}

// Breaches gives the parts of [start, end) that lie in restricted hours of a zone. A use without length at a
// restricted moment is one too.
func (w Week) Breaches(start, end int64, loc *time.Location) []Breach {
	if !w.HasHours() {
		return nil
	}
	var out []Breach
	for at := start; ; {
		t := time.Unix(at, 0).In(loc)
		p := w.At(t.Weekday(), t.Hour()*60+t.Minute())
		next := min(end, at+60-int64(t.Second()))
		if p != nil && p.Stance == Restricted {
			if n := len(out); n > 0 && out[n-1].End == at && out[n-1].By == p {
				out[n-1].End = next
			} else {
				out = append(out, Breach{at, next, p})
			}
		}
		if at = next; at >= end {
			return out
		}
	}
}
