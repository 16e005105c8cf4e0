package entitlements

import (
	"cmp"
	"context"
	"io"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
)

// WriteCalendar writes what ends as an iCalendar file (RFC 5545): a day for each end, with an alarm on the last day
// to give notice where there is one.
func (svc *Service) WriteCalendar(ctx context.Context, w io.Writer, days int) error {
	list, err := svc.Renewals(ctx, 0, days)
	if err != nil {
		return err
	}
	lines := []string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Ensomet//Renewals//EN", "CALSCALE:GREGORIAN"}
	stamp := svc.Clock.Now().UTC().Format("20060102T150405Z")
	add := func(uid, on, title, text string) {
		d, err := civil.Parse(on)
		if err != nil || !d.Known() {
			return
		}
		basic := func(d civil.Day) string { return strings.ReplaceAll(d.String(), "-", "") }
		lines = append(
			lines,
			"BEGIN:VEVENT",
			"UID:"+uid,
			"DTSTAMP:"+stamp,
			"DTSTART;VALUE=DATE:"+basic(d),
			"DTEND;VALUE=DATE:"+basic(d+1),
			"SUMMARY:"+calendarText(title),
			"DESCRIPTION:"+calendarText(text),
			"TRANSP:TRANSPARENT",
			"END:VEVENT",
		)
	}
	for _, r := range list {
		name := strings.TrimSpace(r.Publisher + " " + r.Product)
		id := r.What + "-" + cmp.Or(r.Line, r.Contract) + "-" + r.On + "@ensomet"
		text := r.What + " " + cmp.Or(r.Line, r.Contract)
		if r.Keep != "" {
			text += "\nKeeping it costs " + r.Keep + " " + r.Currency
		}
		if r.ShortMore > 0 {
			text += "\nWithout it " + strconv.FormatInt(r.ShortMore, 10) + " more are short"
		}
		add(id, r.On, name+": "+r.What+" ends", text)
		if r.Notice != "" {
			add("notice-"+id, r.Notice, name+": last day to give notice", text)
		}
	}
	lines = append(lines, "END:VCALENDAR")
	for _, l := range lines {
		if _, err := io.WriteString(w, folded(l)+"\r\n"); err != nil {
			return err
		}
	}
	return nil
}

// calendarText escapes a text (RFC 5545, 3.3.11).
func calendarText(s string) string {
	return strings.NewReplacer("\\", "\\\\", ";", "\\;", ",", "\\,", "\n", "\\n", "\r", "").Replace(s)
}

// folded breaks a line after at most 75 octets, between runes (RFC 5545, 3.1).
func folded(s string) string {
	var b strings.Builder
	n := 0
	for _, r := range s {
		size := len(string(r))
		if n+size > 75 {
			b.WriteString("\r\n ")
			n = 1
		}
		b.WriteRune(r)
		n += size
	}
	return b.String()
}
