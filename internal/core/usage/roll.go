package usage

import (
	"cmp"
	"slices"
	"time"

	"ensomet/internal/core/civil"
)

// Day is what one user did with one program on one day of a device. The times of all programs of a title add up to
// the time in which any of them ran: what overlaps counts once, for the program that started first.
type Day struct {
	Program  int64
	User     string
	Day      civil.Day
	Run      int64 // seconds
	Active   int64 // seconds, never more than Run
	Sessions int   // that started on the day
	Cut      int   // of them, those whose end nobody saw
}

// Roll turns the sessions of one device into days. Of a session that is cut only the day of its start is use, and no
// longer than that day.
func Roll(sessions []Session, loc *time.Location) []Day {
	list := slices.Clone(sessions)
	slices.SortStableFunc(list, func(a, b Session) int {
		return cmp.Or(
			cmp.Compare(a.User, b.User),
			cmp.Compare(titleOf(&a), titleOf(&b)),
			cmp.Compare(a.Start, b.Start),
			cmp.Compare(a.Program, b.Program),
		)
	})
	type key struct {
		program int64
		user    string
		day     civil.Day
	}
	at := map[key]int{}
	var out []Day
	var until int64 // up to here the time of this user and title is counted
	for i := range list {
		s := &list[i]
		if i == 0 || list[i-1].User != s.User || titleOf(&list[i-1]) != titleOf(s) {
			until = s.Start
		}
		end := s.End
		if s.Cut {
			end = min(end, (civil.Of(time.Unix(s.Start, 0).In(loc)) + 1).Start(loc).Unix())
		}
		whole, left := max(1, s.End-s.Start), s.Active
		for n, d := range Days(time.Unix(s.Start, 0), time.Unix(end, 0), loc) {
			if n > 0 && d.Seconds == 0 {
				continue
			}
			k := key{s.Program, s.User, d.Day}
			j, known := at[k]
			if !known {
				j = len(out)
				at[k] = j
				out = append(out, Day{Program: s.Program, User: s.User, Day: d.Day})
			}
			v := &out[j]
			if n == 0 {
				v.Sessions++
				if s.Cut {
					v.Cut++
				}
			}
			from := max(s.Start, d.Day.Start(loc).Unix())
			fresh := max(0, from+d.Seconds-max(from, until))
			v.Run += fresh
			active := min(left, (s.Active*d.Seconds+whole-1)/whole)
			left -= active
			v.Active = min(v.Run, v.Active+active)
		}
		until = max(until, end)
	}
	slices.SortFunc(out, func(a, b Day) int {
		return cmp.Or(cmp.Compare(a.Day, b.Day), cmp.Compare(a.Program, b.Program), cmp.Compare(a.User, b.User))
	})
	return out
}

// titleOf is what overlaps with what: the title, or the program where it has none.
func titleOf(s *Session) int64 {
	if s.Title != 0 {
		return s.Title
	}
	return -s.Program
}

// Measured turns the days on which a device reported any use into the days that were measured, as spans with both
// ends included: a pause of up to gap days between two reports was measured too, since what ran in it would have been
// in the later one; a longer one is not known.
func Measured(days []civil.Day, gap int) []Span {
	list := slices.Compact(slices.Sorted(slices.Values(days)))
	var out []Span
	for _, d := range list {
		if n := len(out); n > 0 && int(d-out[n-1].To) <= gap+1 {
			out[n-1].To = d
			continue
		}
		out = append(out, Span{d, d})
	}
	return out
}

// Span is days from one to another, both included.
type Span struct{ From, To civil.Day }
