package recognise

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
)

// Outcome is what follows from a rule.
type Outcome string

// The outcomes. A rule that leaves out does not touch what a record is recognised as: its installs on the rule's
// devices are not counted.
const (
	IsTitle    Outcome = "title"
	IsNothing  Outcome = "nothing" // not software that counts
	IsExcluded Outcome = "leave_out"
	IsIncluded Outcome = "included" // their right comes with the place they run in
	ByRule     Step    = "rule"
	ByScore    Step    = "score"
	ByParts    Step    = "parts" // a suite that is there by its parts
)

// LeavesOut reports whether installs of a rule's records on its devices are not counted, while what they are recognised
// as stays.
func (o Outcome) LeavesOut() bool { return o == IsExcluded || o == IsIncluded }

// Rule is a decision about every record that fits a condition, now and from then on. Rules are asked in their order;
// the first that fits decides.
type Rule struct {
	ID          int64
	Name        string
	Outcome     Outcome
	Records     condition.Condition // on records
	Devices     condition.Condition // on devices; only of rules that leave out
	Product     int64               // of a rule for a title
	Edition     string
	Reason      string
	From, Until civil.Day // in force from and before; 0 is open
}

// InForce reports whether a rule holds on a day.
func (r *Rule) InForce(day civil.Day) bool {
	return (r.From == 0 || r.From <= day) && (r.Until == 0 || day < r.Until)
}

// recordFacts lets conditions ask about a record.
type recordFacts struct {
	r       *Record
	a       *Apart
	product int64
}

// FactsOf lets conditions ask about a record that was recognised as a product, 0 for none.
func FactsOf(r *Record, piece Piece, product int64) condition.Facts {
	return recordFacts{r, &Apart{Piece: piece}, product}
}

func (f recordFacts) Text(field string) string {
	switch field {
	case "name":
		return f.r.Name
	case "publisher":
		return f.r.Publisher
	case "version":
		return f.r.Version
	case "edition":
		return f.r.Edition
	case "architecture":
		if f.r.Architecture == "" {
			return f.a.Architecture
		}
		return f.r.Architecture
	case "language":
		if f.r.Language == "" {
			return f.a.Language
		}
		return f.r.Language
	case "file_name":
		return f.r.FileName
	case "tag_id":
		return f.r.TagID
	case "purl":
		return f.r.PURL
	case "cpe":
		return f.r.CPE
	case "piece":
		return string(f.a.Piece)
	}
	return ""
}

func (f recordFacts) Number(string) int64    { return 0 }
func (f recordFacts) Has(product int64) bool { return f.product == product }
func (f recordFacts) In(string) bool         { return false }

// WithRules makes a recogniser that also asks users' rules, in their order, after decisions on a single name and
// before the catalogue. Rules that leave out are passed over: they are about installs.
func (g *Recogniser) WithRules(rules []Rule) *Recogniser {
	out := *g
	out.rules = nil
	for _, r := range rules {
		if !r.Outcome.LeavesOut() {
			out.rules = append(out.rules, r)
		}
	}
	return &out
}

// WithLimit makes a recogniser that takes a first proposal for an answer where its score is at least limit. 0 is
// never, which is the default: a score alone decides nothing unless the users say so.
func (g *Recogniser) WithLimit(limit float64) *Recogniser {
	out := *g
	out.limit = limit
	return &out
}

// byRules asks the rules.
func (w *Worker) byRules(r *Record) *Rule {
	facts := recordFacts{r: r, a: &w.apart}
	for i := range w.g.rules {
		if rule := &w.g.rules[i]; rule.Records.Holds(facts) {
			return rule
		}
	}
	return nil
}
