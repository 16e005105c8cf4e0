package snapshot

import (
	"slices"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/usage"
	"ensomet/internal/sqlite"
	"ensomet/internal/used"
)

// pause is how many days may lie between two reports of use for those between to be measured: what ran in them would
// stand in the later report. After a longer silence nobody knows what it hides.
const pause = 14

// LoadMeasured reads on which days each device was measured at all.
func LoadMeasured(tx *sqlite.Tx, devices []int64, until civil.Day) (map[int64][]usage.Span, error) {
	out := map[int64][]usage.Span{}
	var of int64
	var days []civil.Day
	flush := func() {
		if len(days) > 0 {
			out[of] = usage.Measured(days, pause)
			days = days[:0]
		}
	}
	err := used.EachSeen(tx, devices, until, func(device int64, day civil.Day) error {
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

// Meter says which titles are metered on which devices, and were on each day: what nobody asked for was not kept
// then, so a choice of today makes nothing of yesterday measured.
type Meter struct {
	Spells     []Period
	Conditions *ConditionFacts
	Of         map[policy.Title][]Period // those that differ for a title
}

// Period is the choices in force from a day until the next period; without one, everything is metered.
type Period struct {
	from   civil.Day
	chosen bool
	list   []policy.Policy
}

func LoadMeter(tx *sqlite.Tx, settings *Settings, now int64) (*Meter, error) {
	list, err := used.MeteringsEver(tx)
	if err != nil {
		return nil, err
	}
	return MeterBy(tx, settings, now, list)
}

// MeterBy is what some choices, those that have ended too, make metered.
func MeterBy(tx *sqlite.Tx, settings *Settings, now int64, list []used.Metering) (m *Meter, err error) {
	m = &Meter{Of: map[policy.Title][]Period{}, Spells: SpellsOf(list)}
	if len(list) > 0 {
		m.Conditions, err = LoadConditions(tx, settings, now, groupsOf(list))
	}
	return m, err
}

// metering is what is metered on the devices of the snapshot.
func metering(tx *sqlite.Tx, e *Snapshot) (*Meter, error) {
	if e.meter != nil {
		return e.meter, nil
	}
	list, err := used.MeteringsEver(tx)
	if err != nil {
		return nil, err
	}
	m := &Meter{Of: map[policy.Title][]Period{}, Spells: SpellsOf(list)}
	if len(list) > 0 {
		if m.Conditions, err = e.Asked(tx, groupsOf(list)); err != nil {
			return nil, err
		}
	}
	e.meter = m
	return m, nil
}

// groupsOf are the conditions of choices.
func groupsOf(list []used.Metering) (out []condition.Condition) {
	for i := range list {
		out = append(out, list[i].Group)
	}
	return out
}

// SpellsOf lists what was chosen from when on, the oldest first; of several changes on a day the last holds.
func SpellsOf(list []used.Metering) []Period {
	day := func(at int64) civil.Day { return civil.Of(time.Unix(at, 0).UTC()) }
	turns := []civil.Day{0}
	for i := range list {
		turns = append(turns, day(list[i].At))
		if list[i].EndedAt != 0 {
			turns = append(turns, day(list[i].EndedAt))
		}
	}
	slices.Sort(turns)
	var out []Period
	for _, d := range slices.Compact(turns) {
		s := Period{from: d}
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

// All reports whether everything is and was metered, since nobody has ever chosen.
func (m *Meter) All() bool {
	return !slices.ContainsFunc(m.Spells, func(s Period) bool { return s.chosen })
}

// periodsFor are the periods of a title: of the choices only those that speak of it, and one period for those in a row
// that say the same.
func (m *Meter) periodsFor(t policy.Title) []Period {
	if out, known := m.Of[t]; known {
		return out
	}
	var out []Period
	for _, s := range m.Spells {
		mine := Period{from: s.from, chosen: s.chosen}
		for i := range s.list {
			if s.list[i].SpeaksOf(t) {
				mine.list = append(mine.list, s.list[i])
			}
		}
		if n := len(out); n > 0 && out[n-1].chosen == mine.chosen &&
			slices.EqualFunc(out[n-1].list, mine.list, func(x, y policy.Policy) bool { return x.ID == y.ID }) {
			continue
		}
		out = append(out, mine)
	}
	m.Of[t] = out
	return out
}

func (m *Meter) onIn(s *Period, t policy.Title, d *DeviceFacts) bool {
	if !s.chosen {
		return true
	}
	if len(s.list) == 0 {
		return false
	}
	for i := range s.list { // a group that is gone since: nobody can say any more who was in it
		for _, g := range s.list[i].Group.Groups() {
			if m.Conditions.Sets[g] == nil {
				return false
			}
		}
	}
	p := policy.Decide(s.list, t, m.Conditions.Of(d))
	return p != nil && p.Stance == policy.Metered
}

// On reports whether a title was metered on a device on a day.
func (m *Meter) On(t policy.Title, d *DeviceFacts, day civil.Day) bool {
	list := m.periodsFor(t)
	i := len(list) - 1
	for i > 0 && list[i].from > day {
		i--
	}
	return m.onIn(&list[i], t, d)
}

// Spans are the days on which a device was measured for a title. A day on which metering of it began was not measured
// whole, so it is none of them.
func (m *Meter) Spans(t policy.Title, d *DeviceFacts, measured []usage.Span) []usage.Span {
	if m.All() || len(measured) == 0 {
		return measured
	}
	list := m.periodsFor(t)
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

// Measurable reports whether use of a product could be seen at all: a program of it was seen somewhere, or somebody
// asked for it and the catalogue knows one.
func (m *Meter) Measurable(seen bool, p *recognise.Product, c *recognise.Catalogue) bool {
	if seen {
		return true
	}
	asked := slices.ContainsFunc(m.periodsFor(PolicyTitle(p)), func(s Period) bool {
		return slices.ContainsFunc(s.list, func(x policy.Policy) bool { return x.Stance == policy.Metered })
	})
	return asked && c.KnowsProgramOf(p)
}
