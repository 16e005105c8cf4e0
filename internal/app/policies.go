package app

import (
	"context"
	"fmt"
	"strings"

	"ensomet/internal/store"
)

// PolicyList is the policies in force, the groups and categories that one may name.
type PolicyList struct {
	Policies   []PolicyView `json:"policies"`
	Groups     []string     `json:"groups"`
	Categories []string     `json:"categories"`
}

// PolicyView is a policy in words.
type PolicyView struct {
	ID     int64  `json:"id"`
	What   string `json:"what"`
	Group  string `json:"group"`
	Stance string `json:"stance"`
	Reason string `json:"reason"`
	Author string `json:"author"`
	At     int64  `json:"at"`
}

// Policies lists the policies in force.
func (a *App) Policies(ctx context.Context) (PolicyList, error) {
	out := PolicyList{Policies: []PolicyView{}, Groups: []string{}, Categories: []string{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, err := tx.Policies()
		if err != nil {
			return err
		}
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		for _, p := range list {
			what := strings.TrimSpace(p.PublisherName + " " + p.Category)
			if p.Category != "" {
				what = "category " + p.Category
			}
			if pr := c.Product(p.Product); pr != nil {
				what = pr.Publisher + " " + pr.Name
			}
			group := p.GroupName
			if group == "" {
				group = "all devices"
			}
			out.Policies = append(out.Policies, PolicyView{ID: p.ID, What: what, Group: group, Stance: string(p.Stance), Reason: p.Reason, Author: p.Author, At: p.At})
		}
		if out.Groups, err = groupNames(tx); err != nil {
			return err
		}
		categories, err := tx.Categories()
		if categories != nil {
			out.Categories = categories
		}
		return err
	})
	return out, err
}

// EndPolicy takes a policy out of force.
func (a *App) EndPolicy(ctx context.Context, id int64, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		if err := tx.EndPolicy(id, now.Unix(), who); err != nil {
			return err
		}
		if err := tx.Note(now, who, "ended a policy", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}
