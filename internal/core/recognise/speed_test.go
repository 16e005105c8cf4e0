package recognise

import (
	"fmt"
	"math/rand/v2"
	"testing"
)

// manyProducts makes a catalogue of n products of invented words, each with a second name.
func manyProducts(n int) []Product {
	r := rand.New(rand.NewPCG(7, uint64(n)))
	syllables := []string{
		"bri",
		"ne",
		"fa",
		"thom",
		"skar",
		"hol",
		"ta",
		"vane",
		"quo",
		"mar",
		"spi",
		"dro",
		"gue",
		"tho",
		"wra",
		"plo",
		"ver",
		"ling",
		"sed",
		"gor",
		"hea",
		"cai",
		"dul",
		"fir",
		"gy",
		"haa",
		"jet",
		"kno",
		"mo",
		"rim",
		"shoa",
		"tur",
	}
	word := func(n int) string {
		s := ""
		for range n {
			s += syllables[r.IntN(len(syllables))]
		}
		return s
	}
	kinds := []string{
		"Reader",
		"Console",
		"Studio",
		"Agent",
		"Planner",
		"Server",
		"Client",
		"Manager",
		"Viewer",
		"Tools",
	}
	var makers []string
	for range n/12 + 1 {
		makers = append(makers, word(3)+" "+word(2)+" Ltd")
	}
	out := make([]Product, n)
	for i := range out {
		id := int64(i + 1)
		name := word(2+r.IntN(2)) + " " + kinds[r.IntN(len(kinds))]
		if i%3 == 0 {
			name = word(2) + " " + word(2) + " " + kinds[r.IntN(len(kinds))]
		}
		out[i] = Product{
			ID:        id,
			Publisher: makers[r.IntN(len(makers))],
			Name:      name,
			Titles:    []Title{{ID: id, Product: id, Version: "3", Model: Commercial, Aliases: []string{word(4)}}},
		}
	}
	return out
}

func messyRecords(products []Product, n int, misspelt bool) []Record {
	r := rand.New(rand.NewPCG(8, 9))
	out := make([]Record, n)
	for i := range out {
		p := products[r.IntN(len(products))]
		d := decorations[r.IntN(len(decorations))]
		v := fmt.Sprintf("%d.%d", i%7, i%11)
		name := p.Name
		if misspelt {
			b := []byte(name)
			b[2+r.IntN(3)] = 'z'
			name = string(b)
		}
		out[i] = Record{Publisher: p.Publisher, Name: d.put(name, p.Publisher, v), Version: v}
	}
	return out
}

func BenchmarkDecide(b *testing.B) {
	for _, n := range []int{5000, 50000} {
		products := manyProducts(n)
		w := New(NewCatalogue(Source{Products: products}), []Decision{{Key: "x", Product: 1}}).Worker()
		recs := messyRecords(products, 20000, false)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			b.ReportAllocs()
			right := 0
			for i := range b.N {
				res, _ := w.Decide(&recs[i%len(recs)])
				if res.Product != 0 {
					right++
				}
			}
			b.ReportMetric(float64(right)/float64(b.N), "decided")
		})
	}
}

func BenchmarkPropose(b *testing.B) {
	for _, n := range []int{5000, 50000} {
		products := manyProducts(n)
		w := New(NewCatalogue(Source{Products: products}), nil).Worker()
		recs := messyRecords(products, 20000, true)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			b.ReportAllocs()
			for i := range b.N {
				w.Candidates(&recs[i%len(recs)], 5)
			}
		})
	}
}
