package evidence

import (
	"maps"
	"math/rand/v2"
	"slices"
	"testing"
)

func TestEndings(t *testing.T) {
	day := func(n int64) int64 { return n * secondsOfDay }
	for _, c := range []struct {
		name  string
		lists []List
		want  map[int64]Ending
	}{
		{"one source goes on for ever", []List{{Number: 1, Last: day(1), Whole: []int64{day(1)}}}, map[int64]Ending{}},
		{"two that both speak", []List{
			{Number: 1, Life: SourceLife{Name: "a"}, Last: day(100), Whole: []int64{day(1), day(100)}},
			{Number: 2, Life: SourceLife{Name: "b"}, Last: day(100), Whole: []int64{day(2), day(100)}},
		}, map[int64]Ending{}},
		{"one fell silent", []List{
			{Number: 1, Life: SourceLife{Name: "a"}, Last: day(1), Whole: []int64{day(1)}},
			{Number: 2, Life: SourceLife{Name: "b"}, Last: day(40), Whole: []int64{day(2), day(40)}},
		}, map[int64]Ending{1: {day(31) + 1, Superseded}}},
		{"and the other came only later", []List{
			{Number: 1, Life: SourceLife{Name: "a"}, Last: day(1), Whole: []int64{day(1)}},
			{Number: 2, Life: SourceLife{Name: "b"}, Last: day(90), Whole: []int64{day(90)}},
		}, map[int64]Ending{1: {day(90), Superseded}}},
		{"with a limit of its own", []List{
			{
				Number: 1, Life: SourceLife{Name: "a", Silent: 400}, Last: day(1),
				Whole: []int64{day(1)},
			},
			{Number: 2, Life: SourceLife{Name: "b"}, Last: day(90), Whole: []int64{day(90)}},
		}, map[int64]Ending{1: {day(401) + 1, Superseded}}},
		{"parts of the other say nothing of the rest", []List{
			{Number: 1, Life: SourceLife{Name: "a"}, Last: day(1), Whole: []int64{day(1)}},
			{Number: 2, Life: SourceLife{Name: "b"}, Last: day(90)},
		}, map[int64]Ending{}},
		{"nor does one that does not cover software", []List{
			{Number: 1, Life: SourceLife{Name: "a"}, Last: day(1), Whole: []int64{day(1)}},
			{
				Number: 2, Life: SourceLife{Name: "b", Covers: []Kind{OfHardware}}, Last: day(90),
				Whole: []int64{day(90)},
			},
		}, map[int64]Ending{}},
		{"a retired one, though it still speaks", []List{
			{
				Number: 1, Life: SourceLife{Name: "a", Retired: day(5)}, Last: day(9),
				Whole: []int64{day(1), day(9)},
			},
		}, map[int64]Ending{1: {day(5), SourceRetired}}},
		{"the same source under another name, at once", []List{
			{Number: 1, Life: SourceLife{Name: "a"}, Last: day(5), Whole: []int64{day(1), day(5)}},
			{Number: 2, Life: SourceLife{Name: "a"}, Last: day(6), Whole: []int64{day(6)}},
		}, map[int64]Ending{1: {day(6), Renamed}}},
	} {
		if got := Endings(c.lists, 30); !maps.Equal(got, c.want) {
			t.Errorf("%s: %v, not %v", c.name, got, c.want)
		}
	}
}

// The rule as the computation has it, instant by instant, on random scans: at a time t a list counts unless
// its source is retired, has sent another list since, or has been silent for longer than its limit while another whole
// list has been there since. What a source says later undoes what its silence did.
func TestEndingsBruteForce(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 16))
	for range 4000 {
		var lists []List
		names := []string{"a", "b", "a", "c"}
		for i := range 1 + r.IntN(4) {
			l := List{Number: int64(i + 1), Life: SourceLife{Name: names[i], Silent: r.IntN(3) * 4}}
			for range 1 + r.IntN(4) {
				l.Whole = append(l.Whole, int64(1+r.IntN(40))*secondsOfDay)
			}
			slices.Sort(l.Whole)
			l.Last = l.Whole[len(l.Whole)-1]
			if r.IntN(5) == 0 {
				l.Life.Retired = int64(1+r.IntN(40)) * secondsOfDay
			}
			if r.IntN(5) == 0 {
				l.Life.Covers = []Kind{OfHardware}
			}
			lists = append(lists, l)
		}
		ends := Endings(lists, 7)
		for d := int64(1); d < 70; d++ {
			at := d*secondsOfDay + secondsOfDay/2
			for i := range lists {
				l := &lists[i]
				counts := l.Life.Retired == 0 || at < l.Life.Retired
				for k := range lists {
					o := &lists[k]
					later := slices.ContainsFunc(o.Whole, func(w int64) bool { return w > l.Last && w <= at })
					if k == i || !later {
						continue
					}
					limit := int64(7)
					if l.Life.Silent > 0 {
						limit = int64(l.Life.Silent)
					}
					silent := at-l.Last > limit*secondsOfDay
					same := o.Life.Name == l.Life.Name
					if same || silent && len(o.Life.Covers) == 0 && len(l.Life.Covers) == 0 {
						counts = false
					}
				}
				e, ended := ends[l.Number]
				if counts == (ended && e.At <= at) {
					t.Fatalf("day %d, list %d of %+v: counts %v, ends %v", d, l.Number, lists, counts, e)
				}
			}
		}
	}
}
