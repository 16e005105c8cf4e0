package titles

import (
	"context"

	"ensomet/internal/core/recognise"
	"ensomet/internal/edits"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// NameView is one raw name with everything that a decision about it needs.
type NameView struct {
	Key       string
	Revision  int64 // of what people say of it
	Records   []RecordView
	Proposals []ProposalView
	Trace     []recognise.TraceStep
	Decision  *DecisionView
	Waiting   *DecisionView
	Similar   []lists.NameRow // other names that differ in little and that nobody has recognised either
}

// ProposalView is a product that a name may mean. Score is how likely.
type ProposalView struct {
	Product   int64
	Publisher string
	Name      string
	Edition   string
	Category  string
	Model     string
	Score     float64
	Shared    []string
	Near      []string
	Missing   []string
	Extra     []string

	OtherEdition []string // words of an edition that no edition of the product is called by
}

// DecisionView is a decision with its author and time.
type DecisionView struct {
	ID      int64
	Product int64
	Name    string
	Edition string
	Author  string
	At      int64
	Note    string
	Signed  string // who signed it off
}

// Name returns a raw name with its records, its trace, proposals and the decision that holds.
func (svc *Service) Name(ctx context.Context, key string) (NameView, error) {
	out := NameView{Key: key, Records: []RecordView{}, Proposals: []ProposalView{}, Similar: []lists.NameRow{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		records, err := stored.RecordsOfKey(tx, key)
		if err != nil {
			return err
		}
		if len(records) == 0 {
			return sqlite.ErrNotFound
		}
		for _, r := range records[:min(len(records), 200)] {
			out.Records = append(out.Records, recordView(r))
		}
		if out.Revision, err = edits.Revision(tx, edits.Thing{Kind: edits.Name, Key: key}); err != nil {
			return err
		}
		k, err := svc.Snapshots.Knowledge(tx)
		if err != nil {
			return err
		}
		g := k.Recogniser()
		_, out.Trace = g.Trace(records[0].Record)
		for _, p := range g.Propose(records[0].Record, 5) {
			pr := k.Catalogue.Product(p.Product)
			v := ProposalView{
				Product:   p.Product,
				Publisher: pr.Publisher,
				Name:      pr.Name,
				Edition:   p.Edition,
				Score:     p.Score,
				Shared:    p.Shared,
				Near:      p.Near,
				Missing:   p.Missing,
				Extra:     p.Extra,

				OtherEdition: p.OtherEdition,
			}
			if len(pr.Titles) > 0 {
				v.Category, v.Model = pr.Titles[0].Category, string(pr.Titles[0].Model)
			}
			out.Proposals = append(out.Proposals, v)
		}
		for i := range k.Decisions {
			d := &k.Decisions[i]
			switch {
			case d.Key != key:
			case d.State == "waiting":
				out.Waiting = view(k, d)
			default:
				out.Decision = view(k, d)
			}
		}
		apart := recognise.TakeApart(records[0].Record, k.Catalogue)
		page, err := lists.NameList().Page(
			tx,
			sqlite.ListQuery{
				Filters:    map[string]string{"gather": apart.Gather(), "state": "unrecognised"},
				Sort:       "installs",
				Descending: true,
				Limit:      50,
			})
		for _, row := range page.Rows {
			if row.Key != key {
				out.Similar = append(out.Similar, row)
			}
		}
		return err
	})
	return out, err
}

func view(k *snapshot.Knowledge, d *snapshot.Decided) *DecisionView {
	v := &DecisionView{
		ID:      d.ID,
		Product: d.Product,
		Edition: d.Edition,
		Author:  d.Author,
		At:      d.At,
		Note:    d.Note,
		Signed:  d.SignedBy,
	}
	if p := k.Catalogue.Product(d.Product); p != nil {
		v.Name = p.Publisher + " " + p.Name
	}
	return v
}
