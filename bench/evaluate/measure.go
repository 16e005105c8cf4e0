package main

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ensomet/internal/core/recognise"
)

// named is a record whose product is known: 0 where the catalogue lacks it. Weight is its number of installs.
type named struct {
	record  recognise.Record
	product int64
	weight  int
}

// scored is a proposal with whether it was right.
type scored struct {
	score float64
	right bool
}

// tally counts how a set of names was recognised.
type tally struct {
	names, known, decided, right int
	strangers, strangersDecided  int
	// known names that were not decided, and how often the first or one of five proposals was right
	left, first, five int
	proposals         []scored
	wrong             []string
	missed, open      []string
	decisions         int // that a person takes until 95 % of installs are recognised, by names gathered
	runs              int
	names95           int // the same, name by name
}

// measure adds how a list was recognised to a tally.
func (t *tally) measure(g *recognise.Recogniser, list []named) {
	w := g.Worker()
	type open struct {
		key     string
		gather  string
		install int
	}
	var undecided []open
	installs, done := 0, 0
	for i := range list {
		n := &list[i]
		t.names++
		installs += n.weight
		res, apart := w.Decide(&n.record)
		if n.product == 0 {
			t.strangers++
		} else {
			t.known++
		}
		if res.Product != 0 {
			done += n.weight
			t.decided++
			switch {
			case res.Product == n.product:
				t.right++
			case n.product == 0:
				t.strangersDecided++
				t.wrong = append(
					t.wrong,
					fmt.Sprintf("stranger %q of %q -> %d", n.record.Name, n.record.Publisher, res.Product),
				)
			default:
				t.wrong = append(
					t.wrong,
					fmt.Sprintf("%q of %q -> %d, is %d", n.record.Name, n.record.Publisher, res.Product, n.product),
				)
			}
			continue
		}
		undecided = append(undecided, open{apart.Key(), apart.Gather(), n.weight})
		cands := w.Candidates(&n.record, 5)
		for j := range cands {
			right := cands[j].Product == n.product && n.product != 0
			if j == 0 {
				t.proposals = append(t.proposals, scored{cands[j].Features.Score(), right})
			}
			if right {
				t.five++
				if j == 0 {
					t.first++
				}
			}
		}
		if n.product != 0 {
			t.left++
			t.open = append(t.open, fmt.Sprintf("%q of %q", n.record.Name, n.record.Publisher))
			if !slices.ContainsFunc(cands, func(c recognise.Candidate) bool { return c.Product == n.product }) {
				t.missed = append(t.missed,
					fmt.Sprintf("%q of %q is %d", n.record.Name, n.record.Publisher, n.product))
			}
		}
	}
	until := func(by func(open) string) int {
		groups := map[string]int{}
		for _, o := range undecided {
			groups[by(o)] += o.install
		}
		sizes := make([]int, 0, len(groups))
		for _, n := range groups {
			sizes = append(sizes, n)
		}
		slices.SortFunc(sizes, func(a, b int) int { return b - a })
		have, n := done, 0
		for have*100 < installs*95 && n < len(sizes) {
			have += sizes[n]
			n++
		}
		return n
	}
	t.decisions += until(func(o open) string { return o.gather })
	t.names95 += until(func(o open) string { return o.key })
	t.runs++
}

// calibrationError is the expected calibration error: scores in ten bins of equal width, the distances between mean
// score and share of right answers, weighted by how many fell into each (Naeini, Cooper, Hauskrecht 2015).
func calibrationError(list []scored) float64 {
	e := 0.0
	for _, b := range bins(list) {
		e += math.Abs(b.sum-float64(b.right)) / float64(max(len(list), 1))
	}
	return e
}

// bin holds the scores of one tenth of 0..1.
type bin struct {
	n, right int
	sum      float64
}

func bins(list []scored) (out [10]bin) {
	for _, s := range list {
		b := &out[min(int(s.score*10), 9)]
		b.n++
		b.sum += s.score
		if s.right {
			b.right++
		}
	}
	return out
}

func share(a, b int) string {
	if b == 0 {
		return "–"
	}
	return fmt.Sprintf("%.2f %%", 100*float64(a)/float64(b))
}

func (t *tally) print(title string, show int) {
	fmt.Printf("\n%s\n%s\n", title, strings.Repeat("-", len(title)))
	fmt.Printf(
		"names                        %d (%d of them of products that the catalogue lacks)\n",
		t.names,
		t.strangers,
	)
	fmt.Printf(
		"decided without a person     precision %s, recall %s (%d of %d)\n",
		share(t.right, t.decided),
		share(t.right, t.known),
		t.right,
		t.known,
	)
	fmt.Printf(
		"unknown to the catalogue     decided %s (%d of %d)\n",
		share(t.strangersDecided, t.strangers),
		t.strangersDecided,
		t.strangers,
	)
	fmt.Printf(
		"of the rest                  right first %s, among five %s (%d names)\n",
		share(t.first, t.left),
		share(t.five, t.left),
		t.left,
	)
	fmt.Printf(
		"expected calibration error   %.3f over %d first proposals\n",
		calibrationError(t.proposals),
		len(t.proposals),
	)
	for b, c := range bins(t.proposals) {
		if c.n > 0 {
			fmt.Printf(
				"  scored %.1f to %.1f            %d, right %s\n",
				float64(b)/10,
				float64(b+1)/10,
				c.n,
				share(c.right, c.n),
			)
		}
	}
	fmt.Printf("decisions to 95 %% of installs %d (name by name %d)\n", t.decisions/t.runs, t.names95/t.runs)
	for _, l := range []struct {
		what string
		list []string
	}{{"wrong", t.wrong}, {"open", t.open}, {"missed", t.missed}} {
		n := min(show, len(l.list))
		for i := range n {
			fmt.Printf("  %-6s %s\n", l.what, l.list[i*len(l.list)/n])
		}
	}
}
