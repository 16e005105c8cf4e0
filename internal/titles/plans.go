package titles

import (
	"context"
	"fmt"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/lifecycle"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// PlanDraft is what somebody plans about a release whose support ends.
type PlanDraft struct {
	Title     int64  // the release
	What      string // move to another release, remove it, buy longer support, or keep it with its risk
	ToProduct int64  // for move: the product it moves to
	ToVersion string
	Since     civil.Day // the day it begins to be measured from; empty is today
	Due       civil.Day
	Owner     string
	Note      string
	Revision  int64 // the number of the plan that was seen, 0 where there was none
}

// PutPlan plans something about a release. What was planned before ends.
func (svc *Catalogue) PutPlan(ctx context.Context, d PlanDraft, who string) (int64, error) {
	var id int64
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if strings.TrimSpace(d.Owner) == "" {
			return refuse.New("say who sees to it")
		}
		if !d.Due.Known() && d.What != "keep" {
			return refuse.New("say until when it is to be done")
		}
		if d.What == "keep" && strings.TrimSpace(d.Note) == "" {
			return refuse.New("say why it may stay without support")
		}
		page, err := titlesdb.ReleaseList(svc.Snapshots.Today()).Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(d.Title)}, Limit: 1})
		if err != nil {
			return err
		}
		if len(page.Rows) == 0 {
			return sqlite.ErrNotFound
		}
		r := page.Rows[0]
		if r.PlanID != d.Revision {
			return otherPlan(tx, d.Revision, r.PlanID, r.ProductID)
		}
		if d.What == "move" {
			c, err := svc.Snapshots.Catalogue(tx)
			if err != nil {
				return err
			}
			switch {
			case c.Product(d.ToProduct) == nil:
				return refuse.New("say where it moves to")
			case d.ToProduct == r.ProductID && d.ToVersion == r.Version:
				return refuse.New("it cannot move to itself: choose another version or product")
			}
		} else {
			d.ToProduct, d.ToVersion = 0, ""
		}
		then := r.Devices
		if d.Since.Known() {
			if d.Since > svc.Snapshots.Today() {
				return refuse.New("a plan cannot be measured from a day that is still to come")
			}
			past, err := titlesdb.DevicesOfTitles(tx, []int64{d.Title}, d.Since.EndUnix()-1)
			if err != nil {
				return err
			}
			then = past[d.Title]
		}
		now := svc.Clock.Now()
		if r.PlanID != 0 {
			if err := titlesdb.EndPlan(tx, r.PlanID, now.Unix(), who, "planned anew"); err != nil {
				return err
			}
		}
		id, err = titlesdb.AddPlan(
			tx,
			snapshot.Plan{
				Product:     r.ProductID,
				Edition:     r.Edition,
				Version:     r.Version,
				What:        d.What,
				ToProduct:   d.ToProduct,
				ToVersion:   d.ToVersion,
				Due:         d.Due,
				Owner:       d.Owner,
				Note:        d.Note,
				DevicesThen: then,
				Author:      who,
				At:          now.Unix(),
			},
		)
		if err != nil {
			return err
		}
		if err := tx.Note(now, who, "planned about a release",
			strings.Join(strings.Fields(r.Product+" "+r.Edition+" "+r.Version), " "), d.What); err != nil {
			return err
		}
		return renewal.Mark(tx, false) // moving and removing are work
	})
	return id, err
}

// otherPlan tells what somebody else planned about a release since the plan that was seen; what is planned now may be
// nothing.
func otherPlan(tx *sqlite.Tx, seen, now, product int64) error {
	all, err := titlesdb.Plans(tx, product)
	if err != nil {
		return err
	}
	var before, after snapshot.Plan
	for _, p := range all {
		switch p.ID {
		case seen:
			before = p
		case now:
			after = p
		}
	}
	who, at := after.Author, after.At
	if now == 0 {
		who, at = before.EndedBy, before.EndedAt
	}
	return edits.Between(edits.Of(edits.Plan, seen), now, who, at, planFields(&before), planFields(&after))
}

// planFields are what a plan has that somebody chose.
func planFields(p *snapshot.Plan) PlanDraft {
	return PlanDraft{
		What:      p.What,
		ToProduct: p.ToProduct,
		ToVersion: p.ToVersion,
		Due:       p.Due,
		Owner:     p.Owner,
		Note:      p.Note,
	}
}

// EndPlan ends a plan, with the reason.
func (svc *Catalogue) EndPlan(ctx context.Context, id int64, why, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if err := titlesdb.EndPlan(tx, id, now.Unix(), who, why); err != nil {
			return err
		}
		if err := tx.Note(now, who, "ended a plan about a release", fmt.Sprint(id), why); err != nil {
			return err
		}
		return renewal.Mark(tx, false)
	})
}

// PlanView is a plan with how far it is.
type PlanView struct {
	snapshot.Plan
	Release string
	Target  string
	Left    int64   // devices that have the release now
	Share   float64 // how much is done, 0 to 1
	State   string  // done, late, open, ended
}

// Plans lists the plans about a product's releases.
func (svc *Catalogue) Plans(ctx context.Context, product int64) ([]PlanView, error) {
	out := []PlanView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		p := c.Product(product)
		if p == nil {
			return sqlite.ErrNotFound
		}
		facts, err := titlesdb.ReleaseFacts(tx)
		if err != nil {
			return err
		}
		plans, err := titlesdb.Plans(tx, product)
		for _, plan := range plans {
			v := PlanView{
				Plan:    plan,
				Release: strings.Join(strings.Fields(p.Name+" "+plan.Edition+" "+plan.Version), " "),
			}
			if to := c.Product(plan.ToProduct); to != nil {
				v.Target = strings.TrimSpace(to.Name + " " + plan.ToVersion)
			}
			for i := range p.Titles {
				if t := &p.Titles[i]; t.Edition == plan.Edition && t.Version == plan.Version {
					v.Left = facts[t.ID].Devices
				}
			}
			progress := lifecycle.Progress{Then: plan.DevicesThen, Left: v.Left, Due: plan.Due}
			v.Share, v.State = progress.Share(), progress.State(svc.Snapshots.Today())
			if plan.EndedAt != 0 {
				v.State = "ended"
			}
			out = append(out, v)
		}
		return err
	})
	return out, err
}

// TakeEntries takes what an open set says of titles: new ones come in, values that nobody changed here follow, and
// what people changed stays.
func (svc *Catalogue) TakeEntries(
	ctx context.Context,
	entries []formats.Entry,
	file, who string,
) (intake.ImportResult, error) {
	out := intake.ImportResult{
		Kind:    formats.Titles.Name,
		File:    file,
		Aside:   []intake.AsideLine{},
		Columns: []string{},
		Samples: []intake.Sample{},
		Lines:   len(entries),
	}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		by := svc.by(who)
		by.File = file
		b, err := newEditor(tx, by)
		if err != nil {
			return err
		}
		for _, e := range entries {
			change, err := b.merge(e, catalogue.Usual)
			if err != nil {
				return fmt.Errorf("%s: %w", e.Key, sentence(err))
			}
			out.Count(change)
		}
		if !out.News() {
			return nil
		}
		return renewal.Mark(tx, true)
	})
	return out, err
}
