package worklist

import (
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/worklist/worklistdb"
)

// policyKinds are the kinds of files that say what is allowed.
func (svc *Service) Kinds() map[*formats.Kind]intake.WriterMaker {
	return map[*formats.Kind]intake.WriterMaker{
		formats.Policies: func(in intake.Arrival) (*intake.Writer, error) { return svc.policyWriter(in.Tx, in.Author) },
	}
}

func (svc *Service) policyWriter(tx *sqlite.Tx, author string) (*intake.Writer, error) {
	products, err := snapshot.ProductKeysByAnyName(tx)
	if err != nil {
		return nil, err
	}
	return intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		p, err := formats.ParsePolicy(row)
		if err != nil {
			return sqlite.Same, err
		}
		out := stored.Policy{
			Policy: policy.Policy{
				Category:  p.Category,
				GroupName: p.Group,
				Stance:    p.Stance,
				Hours:     p.Hours,
				Reason:    p.Reason,
				Exception: p.Until.Known(),
			},
			Owner:  p.Owner,
			Until:  p.Until,
			Author: author,
			At:     svc.Clock.Now().Unix(),
		}
		if p.Product != "" {
			id, reason := snapshot.FindProduct(products, p.Publisher, p.Product)
			if reason != "" {
				return sqlite.Same, intake.Refuse(row, "%s", reason)
			}
			out.Product = id
		} else {
			out.PublisherName, out.Publisher = p.Publisher, recognise.CleanPublisher(p.Publisher)
		}
		if p.Group != "" {
			if out.Group, err = snapshot.GroupByName(tx, p.Group); err != nil {
				return sqlite.Same, intake.RefuseFor(row, err)
			}
		}
		if err := svc.contradiction(tx, &out); err != nil {
			return sqlite.Same, intake.RefuseFor(row, err)
		}
		return worklistdb.PutPolicy(tx, out)
	}), nil
}
