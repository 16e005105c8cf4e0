package recognise

import (
	"cmp"
	"math"
	"slices"
	"strings"
)

// Proposal is a product that a record may be. Score is how likely, in 0..1: of proposals with a score near s about s
// are right, measured on names that the weights were not chosen on (see the evaluation).
type Proposal struct {
	Product int64
	Edition string
	Score   float64  // the share of right ones among proposals like it; 0 where OtherEdition says that none is known
	Shared  []string // words that both have
	Near    []string // words of the product that the record has nearly: misspelt, cut off, parted or joined
	Missing []string // words of the product that the record lacks
	Extra   []string // words of the record that the product lacks
	// words of an edition that no edition of the product is called by: why it was not decided
	OtherEdition []string
}

// Features are what a score is made of, each in 0..1 or -1..1.
type Features struct {
	OfRecord  float64 // share of the record's words, by weight, that the name has
	OfName    float64 // share of the name's words, by weight, that the record has
	Letters   float64 // likeness of the two without spaces and accents
	Publisher float64 // 1 the same, -1 another, 0 not known
	Lead      float64 // by how much it is nearer than the nearest other product
	Telling   float64 // how telling the shared words are, against the most telling word there is
}

// bias and weights of a logistic regression (Cox 1958) over Features, fitted by the evaluation on the half of its
// names that it reports nothing of.
const scoreBias = -8.363

var scoreWeights = [...]float64{1.951, 2.688, 2.858, 1.852, 3.905, 0.775}

func (f Features) list() [6]float64 {
	return [...]float64{f.OfRecord, f.OfName, f.Letters, f.Publisher, f.Lead, f.Telling}
}

// Score turns features into a share of right answers.
func (f Features) Score() float64 {
	z := scoreBias
	for i, v := range f.list() {
		z += scoreWeights[i] * v
	}
	return 1 / (1 + math.Exp(-z))
}

// Candidate is a product with its features.
type Candidate struct {
	Product  int64
	Features Features
	near     float64
	name     int32
}

// proposer keeps what looking for candidates can use again.
type proposer struct {
	sums    []float32 // by name
	stamp   []uint32
	epoch   uint32
	touched []int32
	query   []queryWord
	words   []string
}

// queryWord is a word of the record with the words of the index that it may stand for.
type queryWord struct {
	text   string
	weight float32
	hits   []hit
}

type hit struct {
	word  int32
	share float32
}

// commonWord is the number of names from which a word alone brings no candidates.
const commonWord = 1200

// mostScored is how many names are looked at closely.
const mostScored = 24

// Propose ranks products that a record may be, at most limit of them. It only proposes: nothing is decided by a score.
func (w *Worker) Propose(r *Record, limit int) []Proposal {
	list := w.Candidates(r, limit)
	out := make([]Proposal, 0, len(list))
	c, x := w.g.catalogue, w.g.catalogue.index()
	for _, cand := range list {
		p := Proposal{
			Product: cand.Product,
			Edition: c.products[cand.Product].edition(strings.Join(w.apart.Edition, " ")),
			Score:   cand.Features.Score(),
			Shared:  []string{},
			Near:    []string{},
			Missing: []string{},
			Extra:   []string{},

			OtherEdition: append([]string{}, c.products[cand.Product].unknownWords(w.apart.Edition)...),
		}
		if len(p.OtherEdition) > 0 {
			p.Score = 0
		}
		n := &x.names[cand.name]
		for _, id := range n.words {
			switch share := w.share(id); {
			case share == 1:
				p.Shared = append(p.Shared, x.words[id])
			case share > 0:
				p.Near = append(p.Near, x.words[id])
			default:
				p.Missing = append(p.Missing, x.words[id])
			}
		}
		for _, q := range w.propose.query {
			if !slices.ContainsFunc(q.hits, func(h hit) bool { return slices.Contains(n.words, h.word) }) {
				p.Extra = append(p.Extra, q.text)
			}
		}
		out = append(out, p)
	}
	return out
}

// Propose ranks products for one record.
func (g *Recogniser) Propose(r Record, limit int) []Proposal { return g.Worker().Propose(&r, limit) }

// share is how well the record has a word of the index.
func (w *Worker) share(id int32) float32 {
	best := float32(0)
	for i := range w.propose.query {
		for _, h := range w.propose.query[i].hits {
			if h.word == id {
				best = max(best, h.share)
			}
		}
	}
	return best
}

// Candidates finds the products nearest to a record, nearest first, with what their scores are made of.
func (w *Worker) Candidates(r *Record, limit int) []Candidate {
	w.apart.take(r, w.makerOf(r.Publisher), w.g.catalogue)
	return w.candidates(limit)
}

// candidates does so for a record that is taken apart.
func (w *Worker) candidates(limit int) []Candidate {
	x, q := w.g.catalogue.index(), &w.propose
	w.ask()
	names := w.nearest()
	squash := Squash(string(w.apart.appendWithout(w.key[:0], aside|ofPlatform)))
	bare := Squash(string(w.apart.appendWithout(w.key[:0], aside|ofPlatform|ofEdition|ofFront|ofPiece)))
	total := float32(0)
	for i := range q.query {
		total += q.query[i].weight
	}
	top := float32(math.Log(1 + float64(len(x.names))))
	out := make([]Candidate, 0, len(names))
	for _, at := range names {
		n := &x.names[at]
		shared, best, telling := float32(0), float32(0), float32(0)
		for _, id := range n.words {
			s := w.share(id)
			shared += s * x.weight[id]
			if s > 0 {
				telling = max(telling, s*x.weight[id])
			}
		}
		for i := range q.query {
			most := float32(0)
			for _, h := range q.query[i].hits {
				if slices.Contains(n.words, h.word) {
					most = max(most, h.share)
				}
			}
			best += most * q.query[i].weight
		}
		f := Features{
			Letters: float64(max(likeness(squash, n.squash), likeness(bare, n.squash))),
			Telling: float64(telling / top),
		}
		if total > 0 {
			f.OfRecord = float64(best / total)
		}
		if n.total > 0 {
			f.OfName = float64(shared / n.total)
		}
		own := &w.g.catalogue.products[n.product].maker
		switch {
		case w.apart.maker.same(own):
			f.Publisher = 1
		case !w.apart.maker.unknown() && !own.unknown():
			f.Publisher = -1
		}
		near := 0.25*f.OfRecord + 0.25*f.OfName + 0.4*f.Letters + 0.1*f.Publisher
		if i := slices.IndexFunc(out, func(c Candidate) bool { return c.Product == n.product }); i >= 0 {
			if near > out[i].near {
				out[i] = Candidate{n.product, f, near, at}
			}
			continue
		}
		out = append(out, Candidate{n.product, f, near, at})
	}
	slices.SortFunc(out, func(a, b Candidate) int {
		return cmp.Or(cmp.Compare(b.near, a.near), cmp.Compare(a.Product, b.Product))
	})
	for i := range out {
		switch {
		case len(out) == 1:
			out[i].Features.Lead = out[i].near
		case i == 0:
			out[i].Features.Lead = out[0].near - out[1].near
		default:
			out[i].Features.Lead = out[i].near - out[0].near
		}
	}
	if len(out) > limit {
		out = out[:limit]
	}
	return out
}

// ask looks the record's own words up in the index, and what they may be misspelt, cut off, joined or parted from.
func (w *Worker) ask() {
	x, q := w.g.catalogue.index(), &w.propose
	q.query, q.words = q.query[:0], q.words[:0]
	for _, wd := range w.apart.words {
		if wd.class&(aside|ofPlatform) == 0 {
			q.words = append(q.words, indexWords(wd.text)...)
		}
	}
	for i, text := range q.words {
		var hits []hit
		if len(q.query) < cap(q.query) {
			hits = q.query[:len(q.query)+1][len(q.query)].hits[:0]
		}
		add := func(id int32, share float32) {
			for k := range hits {
				if hits[k].word == id {
					hits[k].share = max(hits[k].share, share)
					return
				}
			}
			hits = append(hits, hit{id, share})
		}
		id, known := x.ids[text]
		if known {
			add(id, 1)
		}
		if !known || len(x.posting[id]) < 3 {
			x.nearly(text, add)
			if len(text) >= leastNear {
				x.beginning(text, add)
			}
			for cut := 2; cut+2 <= len(text) && len(text) <= 32; cut++ {
				a, okA := x.ids[text[:cut]]
				b, okB := x.ids[text[cut:]]
				if okA && okB && cut >= 3 && cut+3 <= len(text) {
					add(a, 0.9)
					add(b, 0.9)
				} else if okA && len(x.words[a]) >= leastNear {
					add(a, 0.5)
				} else if okB && len(x.words[b]) >= leastNear {
					add(b, 0.5)
				}
			}
		}
		// numbered libraries: libcurl4 is of curl
		if stem := strings.TrimRight(text, "0123456789."); len(stem) >= 3 && !known {
			if id, ok := x.ids[stem]; ok && stem != text {
				add(id, 0.85)
			}
			if bare, isLib := strings.CutPrefix(stem, "lib"); isLib && bare != "" {
				if id, ok := x.ids[bare]; ok {
					add(id, 0.8)
				}
			}
		}
		if i+1 < len(q.words) {
			if id, ok := x.ids[text+q.words[i+1]]; ok {
				add(id, 0.9)
			}
		}
		if i > 0 {
			if id, ok := x.ids[q.words[i-1]+text]; ok {
				add(id, 0.9)
			}
		}
		weight := float32(math.Log(1 + float64(len(x.names)))) // a word that nobody has is as telling as can be
		if known {
			weight = x.weight[id]
		} else {
			for _, h := range hits {
				weight = min(weight, max(x.weight[h.word], 1))
			}
		}
		q.query = append(q.query, queryWord{text, weight, hits})
	}
}

// nearest gathers the names that share most words with the record, by weight against their own.
func (w *Worker) nearest() []int32 {
	x, q := w.g.catalogue.index(), &w.propose
	if len(q.sums) < len(x.names) {
		q.sums, q.stamp, q.epoch = make([]float32, len(x.names)), make([]uint32, len(x.names)), 0
	}
	q.epoch++
	q.touched = q.touched[:0]
	for _, most := range []int{commonWord, math.MaxInt} {
		for i := range q.query {
			for _, h := range q.query[i].hits {
				if post := x.posting[h.word]; len(post) <= most {
					for _, n := range post {
						if q.stamp[n] != q.epoch {
							q.stamp[n], q.sums[n] = q.epoch, 0
							q.touched = append(q.touched, n)
						}
						q.sums[n] += h.share * x.weight[h.word]
					}
				}
			}
		}
		if len(q.touched) > 0 {
			break
		}
	}
	rank := func(n int32) float32 { return q.sums[n] / (x.names[n].total + 2) * (1 + q.sums[n]/20) }
	list := q.touched
	if len(list) > mostScored { // keep the best only; a full sort of thousands would cost more than all the rest
		kept := list[:mostScored]
		slices.SortFunc(kept, func(a, b int32) int { return cmp.Or(cmp.Compare(rank(b), rank(a)), cmp.Compare(a, b)) })
		for _, n := range list[mostScored:] {
			if r := rank(n); r > rank(kept[mostScored-1]) {
				at, _ := slices.BinarySearchFunc(kept, r, func(k int32, r float32) int {
					if rank(k) >= r {
						return -1
					}
					return 1
				})
				copy(kept[at+1:], kept[at:mostScored-1])
				kept[at] = n
			}
		}
		list = kept
	}
	return list
}
