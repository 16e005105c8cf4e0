package snapshot

import "testing"

// Two positions are the same whatever form their amounts are written in, and differ in any of their fields.
func TestSameFigures(t *testing.T) {
	f := Figure{Product: 1, Metric: "device", Needed: 3, Exposure: "100.50", Gaps: map[string]int{"none owned": 2}}
	same := f
	same.Exposure, same.Gaps = "100.5", map[string]int{"none owned": 2}
	if !f.Same(same) {
		t.Error("the same amount in another form is another position")
	}
	none, empty := Figure{}, Figure{Gaps: map[string]int{}}
	if !none.Same(empty) {
		t.Error("no gaps and an empty list of them differ")
	}
	for name, change := range map[string]func(*Figure){
		"needed":   func(f *Figure) { f.Needed++ },
		"exposure": func(f *Figure) { f.Exposure = "100.51" },
		"gaps":     func(f *Figure) { f.Gaps = map[string]int{"none owned": 3} },
		"proven":   func(f *Figure) { f.Proven = !f.Proven },
		"base":     func(f *Figure) { f.ExposureBase++ },
	} {
		other := f
		if change(&other); f.Same(other) || other.Same(f) {
			t.Errorf("another %s is the same", name)
		}
	}
}
