package recognise

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// index finds names of the catalogue that share words with a record's name, exactly or nearly, without looking at the
// others.
type index struct {
	ids    map[string]int32 // a word's number
	words  []string         // by number
	sorted []int32          // numbers in the order of their words, for beginnings
	// how telling a word is: the logarithm of one over the share of names that have it (Spärck Jones 1972)
	weight  []float32
	names   []indexedName
	posting [][]int32 // by word, the names that have it
	near    []nearWord
}

// indexedName is one name of a product.
type indexedName struct {
	product int64
	words   []int32
	total   float32 // sum of the weights of its words
	squash  string
}

// nearWord is a word with one letter left out: two words that share one are at most a letter or two apart (the
// symmetric deletes of spelling correction).
type nearWord struct {
	hash uint32
	word int32
}

// leastNear is the length in bytes from which a word may be a misspelt one.
const leastNear = 4

func newIndex(products []Product) *index {
	x := &index{ids: map[string]int32{}}
	for i := range products {
		p := &products[i]
		seen := map[string]bool{}
		add := func(name string) {
			key := Clean(name)
			if key == "" || seen[key] {
				return
			}
			seen[key] = true
			n := indexedName{product: p.ID, squash: Squash(key)}
			for _, w := range indexWords(key) {
				id, known := x.ids[w]
				if !known {
					id = int32(len(x.words))
					x.ids[strings.Clone(w)] = id
					x.words = append(x.words, strings.Clone(w))
					x.posting = append(x.posting, nil)
				}
				if !slices.Contains(n.words, id) {
					n.words = append(n.words, id)
					x.posting[id] = append(x.posting[id], int32(len(x.names)))
				}
			}
			x.names = append(x.names, n)
		}
		add(p.Name)
		for _, t := range p.Titles {
			for _, alias := range t.Aliases {
				if identifierKey(alias) == "" && !isFileName(alias) {
					add(alias)
				}
			}
		}
	}
	x.weight = make([]float32, len(x.words))
	for id, post := range x.posting {
		x.weight[id] = float32(math.Log(1 + float64(len(x.names))/float64(len(post))))
		x.posting[id] = slices.Clip(post)
		for _, h := range deletes(x.words[id]) {
			x.near = append(x.near, nearWord{h, int32(id)})
		}
	}
	for i := range x.names {
		for _, id := range x.names[i].words {
			x.names[i].total += x.weight[id]
		}
	}
	slices.SortFunc(
		x.near,
		func(a, b nearWord) int { return cmp.Or(cmp.Compare(a.hash, b.hash), cmp.Compare(a.word, b.word)) },
	)
	x.near = slices.Clip(slices.Compact(x.near))
	x.sorted = make([]int32, len(x.words))
	for i := range x.sorted {
		x.sorted[i] = int32(i)
	}
	slices.SortFunc(x.sorted, func(a, b int32) int { return strings.Compare(x.words[a], x.words[b]) })
	return x
}

// indexWords cuts a clean name into what the index holds: its words, and of words in scripts that write no spaces the
// pairs of their letters.
func indexWords(clean string) []string {
	var out []string
	for _, w := range strings.Fields(clean) {
		if !spaceless(w) {
			out = append(out, w)
			continue
		}
		last := -1
		for i := range w {
			if last >= 0 {
				_, n := utf8.DecodeRuneInString(w[i:])
				out = append(out, w[last:i+n])
			}
			last = i
		}
		if utf8.RuneCountInString(w) == 1 {
			out = append(out, w)
		}
	}
	return out
}

func spaceless(w string) bool {
	if w[0] < 0xe0 {
		return false
	}
	r, _ := utf8.DecodeRuneInString(w)
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai)
}

// deletes hashes a word and the word with each one of its letters left out.
func deletes(w string) []uint32 {
	if len(w) < leastNear || w[0] >= '0' && w[0] <= '9' {
		return nil
	}
	out := []uint32{hashWithout(w, len(w), 0)}
	for i := 0; i < len(w); {
		_, n := utf8.DecodeRuneInString(w[i:])
		out = append(out, hashWithout(w, i, n))
		i += n
	}
	return out
}

// hashWithout is FNV-1a of a word without n bytes at a place.
func hashWithout(w string, at, n int) uint32 {
	h := uint32(2166136261)
	for i := range len(w) {
		if i >= at && i < at+n {
			continue
		}
		h = (h ^ uint32(w[i])) * 16777619
	}
	return h
}

// nearly calls fn for the words of the index that are a letter or two from w, without w itself.
func (x *index) nearly(w string, fn func(id int32, share float32)) {
	for _, h := range deletes(w) {
		at, _ := slices.BinarySearchFunc(x.near, h, func(n nearWord, h uint32) int { return cmp.Compare(n.hash, h) })
		for ; at < len(x.near) && x.near[at].hash == h; at++ {
			if other := x.words[x.near[at].word]; other != w {
				if share := likeness(w, other); share >= 0.7 {
					fn(x.near[at].word, share)
				}
			}
		}
	}
}

// beginning calls fn for up to a few words of the index that begin with w.
func (x *index) beginning(w string, fn func(id int32, share float32)) {
	at, _ := slices.BinarySearchFunc(
		x.sorted,
		w,
		func(id int32, w string) int { return strings.Compare(x.words[id], w) },
	)
	for n := 0; at < len(x.sorted) && n < 12; at, n = at+1, n+1 {
		other := x.words[x.sorted[at]]
		if !strings.HasPrefix(other, w) {
			return
		}
		if other != w {
			fn(x.sorted[at], 0.5+0.4*float32(len(w))/float32(len(other)))
		}
	}
}

// likeness is one less the share of letters to change (Levenshtein 1966, with swaps of neighbours as one change:
// Damerau 1964), in 0..1.
func likeness(a, b string) float32 {
	if a == b {
		return 1
	}
	var abuf, bbuf [64]rune
	x, y := appendRunes(abuf[:0], a), appendRunes(bbuf[:0], b)
	longest := max(len(x), len(y))
	if longest == 0 {
		return 1
	}
	var rows [3][65]int16
	before, last, row := &rows[0], &rows[1], &rows[2]
	for j := 0; j <= len(y); j++ {
		last[j] = int16(j)
	}
	for i := 1; i <= len(x); i++ {
		row[0] = int16(i)
		for j := 1; j <= len(y); j++ {
			cost := int16(1)
			if x[i-1] == y[j-1] {
				cost = 0
			}
			v := min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				v = min(v, before[j-2]+1)
			}
			row[j] = v
		}
		before, last, row = last, row, before
	}
	return 1 - float32(last[len(y)])/float32(longest)
}

// appendRunes takes at most 64 letters.
func appendRunes(to []rune, s string) []rune {
	for _, r := range s {
		if len(to) == 64 {
			break
		}
		to = append(to, r)
	}
	return to
}
