package standin

import "ensomet/internal/core/condition"

// places plants demand that machines bring by what they run on, and rights that come with the place.
func (w *world) places() {
	kiosk := w.newProduct(
		product{
			publisher: "Storskarv Systemer AS",
			name:      "Storskarv Kiosk",
			category:  "operating system",
			price:     "90",
			versions:  []string{"4"},
			released:  []string{"2022-03-01"},
			ends:      [][3]string{{"2027-03-31", "", "2027-03-31"}},
		},
	)
	for _, d := range append(w.unitsOf["School"][:10:10], w.unitsOf["Shore/Workshop/Bench"][30:32]...) {
		d.os, d.osVersion = kiosk.name, "4.2"
	}
	w.buy(right{p: kiosk, quantity: 8, version: "4"})
	w.hide(
		"an operating system is demand that no list of programs has: ten machines run it on a right of the house, two "+
			"brought it along",
		kiosk,
		"device",
		map[string]int64{"owned": 8, "needed": 10, "short": 2, "included": 2},
	)

	index := w.newProduct(
		product{
			publisher: "Tindvik Data AS",
			name:      "Molte Index",
			category:  "database",
			price:     "640",
			versions:  []string{"3"},
			released:  []string{"2024-09-02"},
		},
	)
	for i, d := range w.unitsOf["Cloud"][:12] {
		s := w.put(d, index, "", "3.1")
		s.included = i < 5
	}
	w.put(w.unitsOf["Shore/Charting"][307], index, "", "3.1")
	w.buy(right{p: index, quantity: 8})
	w.hide(
		"twelve machines of a provider have it, five from an image that brings the right along",
		index,
		"device",
		map[string]int64{"owned": 8, "needed": 8, "short": 0, "included": 5},
	)
}

// kioskRule is the rule by which what came with the test bench's kiosks makes no demand.
var kioskRule = struct{ Records, Devices condition.Condition }{
	condition.Condition{Field: "name", Op: "like", Value: "Storskarv Kiosk*"},
	condition.Condition{Field: "environment", Op: "is", Value: "test"},
}
