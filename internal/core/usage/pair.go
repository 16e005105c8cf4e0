package usage

import (
	"cmp"
	"slices"
)

// EventKind says what an operating system reported.
type EventKind uint8

// The kinds of events.
const (
	ProcessStart EventKind = iota
	ProcessStop
	DeviceBoot
)

// Event is what one device reported of a process, or that it started up. Times are in seconds since 1970.
type Event struct {
	At      int64
	Kind    EventKind
	PID     int64
	Program int64 // a number for its name; 0 is not known
	User    string
	Started int64 // of a stop: when its process started, 0 where the source does not say
	Active  int64 // of a stop: seconds in which somebody worked with it
}

// Session is one run of a program, [Start, End). Cut says that nobody saw its end: what is counted of it is its start.
type Session struct {
	Program    int64
	Title      int64 // what the program is recognised as; 0 is nothing
	User       string
	Start, End int64
	Active     int64
	Cut        bool
	Open       bool // it may still run
}

// Paired is what became of the events of one device.
type Paired struct {
	Sessions []Session
	Starts   int // different starts
	Doubled  int // events that came more than once
	Strays   int // stops whose start never came
	Cut      int // starts whose stop never came
	Future   int // events later than now, which are left alone until their time
}

// Pair makes sessions of the events of one device, in whatever order and however often they came. A stop that says
// when its process started ends that start alone; another ends the last start before it with the same process id,
// where that is no other program. A start without a stop ends at the next boot, at the next start with its process
// id, or limit seconds on, whichever comes first, and is cut; one that could still run at now is open and ends there.
func Pair(events []Event, limit, now int64) Paired {
	list := slices.Clone(events)
	slices.SortFunc(list, func(a, b Event) int {
		return cmp.Or(
			cmp.Compare(a.At, b.At),
			cmp.Compare(order(a.Kind), order(b.Kind)),
			cmp.Compare(a.PID, b.PID),
			cmp.Compare(a.Program, b.Program),
			cmp.Compare(a.User, b.User),
			cmp.Compare(a.Started, b.Started),
			cmp.Compare(b.Active, a.Active),
		)
	})
	var out Paired
	running := map[int64]*Session{}
	end := func(pid, at int64) {
		s := running[pid]
		delete(running, pid)
		s.End = min(at, s.Start+limit)
		s.Cut = true
		out.Cut++
		out.Sessions = append(out.Sessions, *s)
	}
	var last Event
	for i, e := range list {
		if e.At > now {
			out.Future++
			continue
		}
		if i > 0 && same(last, e) {
			out.Doubled++
			continue
		}
		last = e
		switch e.Kind {
		case DeviceBoot:
			for _, pid := range sortedKeys(running) {
				end(pid, e.At)
			}
		case ProcessStart:
			if running[e.PID] != nil {
				end(e.PID, e.At)
			}
			out.Starts++
			running[e.PID] = &Session{Program: e.Program, User: e.User, Start: e.At}
		case ProcessStop:
			s := running[e.PID]
			if s == nil || e.Started != 0 && e.Started != s.Start ||
				e.Program != 0 && s.Program != 0 && e.Program != s.Program {
				out.Strays++
				continue
			}
			delete(running, e.PID)
			s.End, s.Active = e.At, min(e.Active, e.At-s.Start)
			if s.User == "" {
				s.User = e.User
			}
			if s.Program == 0 {
				s.Program = e.Program
			}
			out.Sessions = append(out.Sessions, *s)
		}
	}
	for _, pid := range sortedKeys(running) {
		if s := running[pid]; s.Start+limit > now {
			s.End, s.Open = now, true
			out.Sessions = append(out.Sessions, *s)
			continue
		}
		end(pid, now)
	}
	slices.SortStableFunc(out.Sessions, func(a, b Session) int {
		return cmp.Or(
			cmp.Compare(a.Start, b.Start),
			cmp.Compare(a.Program, b.Program),
			cmp.Compare(a.User, b.User),
			cmp.Compare(a.End, b.End),
		)
	})
	return out
}

// order puts what happened in one second into the order that loses least: what stops, then a boot, then what starts.
func order(k EventKind) int {
	return map[EventKind]int{ProcessStop: 0, DeviceBoot: 1, ProcessStart: 2}[k]
}

// same reports whether two events are one that came twice.
func same(a, b Event) bool {
	return a.At == b.At && a.Kind == b.Kind && a.PID == b.PID && (a.Program == b.Program || a.Kind == DeviceBoot)
}

func sortedKeys(m map[int64]*Session) []int64 {
	out := make([]int64, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}
