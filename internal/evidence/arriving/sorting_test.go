package arriving

import (
	"math/rand/v2"
	"os"
	"slices"
	"testing"
)

// However many lines fit in memory, they come in one order, group by group, and nothing is left behind.
func TestLinesAreSortedBesideMemory(t *testing.T) {
	dir := t.TempDir()
	r := rand.New(rand.NewPCG(1, 36))
	for _, most := range []int{1, 2, 7, 100, 5000} {
		for _, n := range []int{0, 1, 2, 99, 1000} {
			s := &sorter{most: most, dir: dir}
			var want []scanLine
			for range n {
				l := scanLine{r.Int32N(20), r.Int32N(3), r.Int32N(1 << 30), r.Int32N(5), r.Int32N(2), -5, 20600,
					1e9 + r.Int64N(4)}
				want = append(want, l)
				if err := s.add(l); err != nil {
					t.Fatal(err)
				}
			}
			slices.SortFunc(want, inOrder)
			if err := s.begin(); err != nil {
				t.Fatal(err)
			}
			var got []scanLine
			for {
				before := len(got)
				var err error
				if got, err = s.group(got); err != nil {
					t.Fatal(err)
				}
				if len(got) == before {
					break
				}
				if l, there := s.first(); there && l.device == got[before].device && l.source == got[before].source {
					t.Fatalf("a group of %d ends too early", len(got)-before)
				}
			}
			s.close()
			if !slices.Equal(got, want) {
				t.Errorf("%d lines, %d in memory: they come otherwise", n, most)
			}
		}
	}
	if left, err := os.ReadDir(dir); err != nil || len(left) > 0 {
		t.Errorf("files are left: %v %v", left, err)
	}
}

// A disk that is full is told as a fault, not passed over.
func TestLinesThatCannotBePutAside(t *testing.T) {
	s := &sorter{most: 1, dir: t.TempDir() + "/not here"}
	if err := s.add(scanLine{}); err != nil {
		t.Fatal(err)
	}
	if err := s.add(scanLine{}); err == nil {
		t.Error("a second line went nowhere")
	}
}
