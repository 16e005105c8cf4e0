package titles

import (
	"context"
	"strings"

	"ensomet/internal/core/recognise"
	"ensomet/internal/edits"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// RuleView is a rule with what it does now.
type RuleView struct {
	RuleDraft
	Words    string
	Means    string
	State    string // holds, waiting, off, not_yet, over
	Author   string
	At       int64
	Signed   string
	Fits     int // records that its condition fits
	Decides  int // records that it decides, or whose installs it may leave out
	Conflict []RuleConflict
	Dead     string           // why it decides nothing, empty where it does
	Names    map[int64]string // the titles that its conditions mention
}

// RuleConflict is an earlier rule that takes records from this one and says something else of them.
type RuleConflict struct {
	Rule    string
	Records int
}

// RuleList is the rules in their order, with what each does.
type RuleList struct {
	Rules         []RuleView
	OrderRevision int64
}

// NameRules lists the rules in their order, with what each does.
func (svc *Service) NameRules(ctx context.Context) (RuleList, error) {
	out := RuleList{Rules: []RuleView{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		var err error
		if out.OrderRevision, err = edits.Revision(tx, edits.Thing{Kind: edits.RuleOrder}); err != nil {
			return err
		}
		k, err := svc.Snapshots.Knowledge(tx)
		if err != nil || len(k.Rules) == 0 {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.NameRule)
		if err != nil {
			return err
		}
		records, err := stored.AllRecords(tx, false)
		if err != nil {
			return err
		}
		as, err := recognitionsByRecord(tx)
		if err != nil {
			return err
		}
		out.Rules = svc.judgeRules(k, records, as)
		for i := range out.Rules {
			out.Rules[i].Revision = revisions[sqlite.Itoa(out.Rules[i].ID)]
		}
		return nil
	})
	return out, err
}

// judgeRules says of each rule what it fits, what it decides, who is before it, and why it decides nothing.
func (svc *Service) judgeRules(
	k *snapshot.Knowledge,
	records []stored.RawRecord,
	as map[int64]stored.Recognition,
) []RuleView {
	out := make([]RuleView, len(k.Rules))
	lost := make([]map[int]int, len(k.Rules))
	for i := range k.Rules {
		out[i] = svc.ruleView(k, &k.Rules[i])
		lost[i] = map[int]int{}
	}
	for i := range records {
		n := as[records[i].ID]
		apart := recognise.TakeApart(records[i].Record, k.Catalogue)
		facts := recognise.FactsOf(&records[i].Record, apart.Piece, n.Product)
		var first [2]int // the first rule that fits, of those that decide and of those that leave out; from 1
		for j := range k.Rules {
			r := &k.Rules[j]
			if !r.Records.Holds(facts) {
				continue
			}
			out[j].Fits++
			if !r.Holds(k.Today) {
				continue
			}
			leaves := 0
			if r.Outcome.LeavesOut() {
				leaves = 1
			}
			switch {
			case leaves == 1:
				if n.Product != 0 && n.WhyNot == "" {
					out[j].Decides++
				}
			case n.Rule == r.ID:
				out[j].Decides++
			}
			if first[leaves] == 0 {
				first[leaves] = j + 1
			} else if o := &k.Rules[first[leaves]-1]; leaves == 0 &&
				(o.Outcome != r.Outcome || o.Product != r.Product || o.Edition != r.Edition) {
				lost[j][first[leaves]-1]++
			}
		}
	}
	for j := range out {
		for i := range k.Rules {
			if n := lost[j][i]; n > 0 {
				out[j].Conflict = append(out[j].Conflict, RuleConflict{k.Rules[i].Name, n})
			}
		}
		v := &out[j]
		switch {
		case v.Decides > 0 || v.State != "holds":
		case v.Fits == 0:
			v.Dead = "no record fits it"
		case len(v.Conflict) > 0:
			v.Dead = "earlier rules decide all that it fits"
		default:
			v.Dead = "what it fits is decided before rules are asked, or does not count anyway"
		}
	}
	return out
}

func draftOfRule(r *snapshot.NameRule) RuleDraft {
	return RuleDraft{
		ID:      r.ID,
		Name:    r.Name,
		Outcome: string(r.Outcome),
		Records: r.Records,
		Devices: r.Devices,
		Product: r.Product,
		Edition: r.Edition,
		Reason:  r.Reason,
		From:    r.From.String(),
		Until:   r.Until.String(),
		Off:     !r.On,
	}
}

func (svc *Service) ruleView(k *snapshot.Knowledge, r *snapshot.NameRule) RuleView {
	v := RuleView{
		RuleDraft: draftOfRule(r),
		State:     "holds",
		Author:    r.Author,
		At:        r.At,
		Signed:    r.SignedBy,
		Conflict:  []RuleConflict{},
		Names:     map[int64]string{},
	}
	switch {
	case r.State == "waiting":
		v.State = "waiting"
	case !r.On:
		v.State = "off"
	case r.From > k.Today:
		v.State = "not_yet"
	case r.Until != 0 && r.Until <= k.Today:
		v.State = "over"
	}
	for _, id := range append(append(r.Records.Titles(), r.Devices.Titles()...), r.Product) {
		if p := k.Catalogue.Product(id); p != nil {
			v.Names[id] = p.Name
		}
	}
	v.Words = r.Records.Words(func(product int64) string { return name(k, product) })
	if empty(r.Records) {
		v.Words = "every record"
	}
	v.Means = svc.ruleWords(k, r)
	return v
}

// ruleWords says what follows from a rule.
func (svc *Service) ruleWords(k *snapshot.Knowledge, r *snapshot.NameRule) string {
	switch r.Outcome {
	case recognise.IsTitle:
		return strings.TrimSpace("is " + name(k, r.Product) + " " + r.Edition)
	case recognise.IsNothing:
		return "is not software that counts"
	}
	on := "on " + r.Devices.Words(func(product int64) string { return name(k, product) })
	if empty(r.Devices) {
		on = "on every device"
	}
	if r.Outcome == recognise.IsIncluded {
		return "is covered by the place it runs in, " + on
	}
	return "is left out of the count " + on
}
