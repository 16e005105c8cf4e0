package app

import (
	"ensomet/internal/core/policy"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// policyKinds are the kinds of files that say what is allowed.
func (a *App) policyKinds() map[*formats.Kind]sinkMaker {
	return map[*formats.Kind]sinkMaker{
		formats.Policies: func(in arrival) (*sink, error) { return a.policySink(in.tx, in.author) },
	}
}

func (a *App) policySink(tx *store.Tx, author string) (*sink, error) {
	products, err := tx.ProductKeysByHouse()
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		p, err := formats.ParsePolicy(row)
		if err != nil {
			return store.Same, err
		}
		out := store.StoredPolicy{Policy: policy.Policy{Category: p.Category, GroupName: p.Group, Stance: p.Stance, Hours: p.Hours, Reason: p.Reason}, Owner: p.Owner, Until: p.Until, Author: author, At: a.Clock.Now().Unix()}
		if p.Product != "" {
			id, reason := findProduct(products, p.Publisher, p.Product)
			if reason != "" {
				return store.Same, refuse(row, "%s", reason)
			}
			out.Product = id
		} else {
			out.PublisherName = p.Publisher
		}
		if p.Group != "" {
			if out.Group, err = groupByName(tx, p.Group); err != nil {
				return store.Same, refuse(row, "%v", err)
			}
		}
		return tx.PutPolicy(out)
	}), nil
}
