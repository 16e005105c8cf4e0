package app

import (
	"slices"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"
)

// pause is how many days may lie between two reports of use for those between to be measured: what ran in them would stand in the later report. After a longer silence nobody knows what it hides.
const pause = 14

// loadMeasured reads on which days each device was measured at all.
func loadMeasured(tx *store.Tx, until civil.Day) (map[int64][]usage.Span, error) {
	out := map[int64][]usage.Span{}
	var of int64
	var days []civil.Day
	flush := func() {
		if len(days) > 0 {
			out[of] = usage.Measured(days, pause)
			days = days[:0]
		}
	}
	err := tx.EachUseSeen(until, func(device int64, day civil.Day) error {
		if device != of {
			flush()
			of = device
		}
		days = append(days, day)
		return nil
	})
	flush()
	return out, err
}

// meter says which titles are metered on which devices, and were on each day: what nobody asked for was not kept then, so a choice of today makes nothing of yesterday measured.
type meter struct {
	spells     []spell
	conditions *conditionFacts
	of         map[policy.Title][]spell // those that differ for a title
}

// spell is the choices in force from a day until the next spell; without one, everything is metered.
type spell struct {
	from   civil.Day
	chosen bool
	list   []policy.Policy
}

func loadMeter(tx *store.Tx, settings *Settings, now int64) (*meter, error) {
	list, err := tx.MeteringsEver()
	if err != nil {
		return nil, err
	}
	return meterBy(tx, settings, now, list)
}

// meterBy is what some choices, those that have ended too, make metered.
func meterBy(tx *store.Tx, settings *Settings, now int64, list []store.Metering) (*meter, error) {
	m := &meter{of: map[policy.Title][]spell{}}
	m.spells = spellsOf(list)
	if len(list) == 0 {
		return m, nil
	}
	var conditions []condition.Condition
	for i := range list {
		conditions = append(conditions, list[i].Group)
	}
	var err error
	m.conditions, err = loadConditions(tx, settings, now, conditions)
	return m, err
}

// spellsOf lists what was chosen from when on, the oldest first; of several changes on a day the last holds.
func spellsOf(list []store.Metering) []spell {
	day := func(at int64) civil.Day { return civil.Of(time.Unix(at, 0).UTC()) }
	turns := []civil.Day{0}
	for i := range list {
		turns = append(turns, day(list[i].At))
		if list[i].EndedAt != 0 {
			turns = append(turns, day(list[i].EndedAt))
		}
	}
	slices.Sort(turns)
	var out []spell
	for _, d := range slices.Compact(turns) {
		s := spell{from: d}
		for i := range list {
			if day(list[i].At) <= d && d > 0 && (list[i].EndedAt == 0 || day(list[i].EndedAt) > d) {
				s.chosen = true
				s.list = append(s.list, list[i].Policy)
			}
		}
		out = append(out, s)
	}
	return out
}

// all reports whether everything is and was metered, since nobody has ever chosen.
func (m *meter) all() bool {
	return !slices.ContainsFunc(m.spells, func(s spell) bool { return s.chosen })
}

// spellsFor are the spells of a title: of the choices only those that speak of it, and one spell for those in a row that say the same.
func (m *meter) spellsFor(t policy.Title) []spell {
	if out, known := m.of[t]; known {
		return out
	}
	var out []spell
	for _, s := range m.spells {
		mine := spell{from: s.from, chosen: s.chosen}
		for i := range s.list {
			if s.list[i].SpeaksOf(t) {
				mine.list = append(mine.list, s.list[i])
			}
		}
		if n := len(out); n > 0 && out[n-1].chosen == mine.chosen && slices.EqualFunc(out[n-1].list, mine.list, func(x, y policy.Policy) bool { return x.ID == y.ID }) {
			continue
		}
		out = append(out, mine)
	}
	m.of[t] = out
	return out
}

func (m *meter) onIn(s *spell, t policy.Title, d *store.DeviceFacts) bool {
	if !s.chosen {
		return true
	}
	if len(s.list) == 0 {
		return false
	}
	for i := range s.list { // a group that is gone since: nobody can say any more who was in it
		for _, g := range s.list[i].Group.Groups() {
			if m.conditions.sets[g] == nil {
				return false
			}
		}
	}
	p := policy.Decide(s.list, t, m.conditions.of(d))
	return p != nil && p.Stance == policy.Metered
}

// on reports whether a title was metered on a device on a day.
func (m *meter) on(t policy.Title, d *store.DeviceFacts, day civil.Day) bool {
	list := m.spellsFor(t)
	i := len(list) - 1
	for i > 0 && list[i].from > day {
		i--
	}
	return m.onIn(&list[i], t, d)
}

// spans are the days on which a device was measured for a title. A day on which metering of it began was not measured whole, so it is none of them.
func (m *meter) spans(t policy.Title, d *store.DeviceFacts, measured []usage.Span) []usage.Span {
	if m.all() || len(measured) == 0 {
		return measured
	}
	list := m.spellsFor(t)
	var out []usage.Span
	was := true
	for i := range list {
		on := m.onIn(&list[i], t, d)
		from := list[i].from
		if !was {
			from++
		}
		if was = on; !on {
			continue
		}
		until := civil.Day(1 << 30)
		if i+1 < len(list) {
			until = list[i+1].from - 1
		}
		for _, s := range measured {
			if s.From, s.To = max(s.From, from), min(s.To, until); s.From > s.To {
				continue
			}
			if n := len(out); n > 0 && out[n-1].To+1 == s.From {
				out[n-1].To = s.To
				continue
			}
			out = append(out, s)
		}
	}
	return out
}

// measurable reports whether use of a product could be seen at all: a program of it was seen somewhere, or somebody asked for it and the catalogue knows one.
func (m *meter) measurable(seen bool, p *recognise.Product, c *recognise.Catalogue) bool {
	if seen {
		return true
	}
	asked := slices.ContainsFunc(m.spellsFor(policyTitle(p)), func(s spell) bool {
		return slices.ContainsFunc(s.list, func(x policy.Policy) bool { return x.Stance == policy.Metered })
	})
	return asked && c.KnowsProgramOf(p)
}
