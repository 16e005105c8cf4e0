package titles

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// SetTags makes the tags of a product be these. seen is the revision of them that was seen.
func (svc *Catalogue) SetTags(ctx context.Context, product, seen int64, tags []string, who string) error {
	var clean []string
	for _, t := range tags {
		if t = strings.Join(strings.Fields(t), " "); t == "" {
			continue
		}
		if strings.ContainsAny(t, ",|") || len(t) > 60 {
			return refuse.Errorf("%q is no tag: a tag has at most 60 letters, and neither commas nor bars", t)
		}
		if !slices.ContainsFunc(clean, func(o string) bool { return strings.EqualFold(o, t) }) {
			clean = append(clean, t)
		}
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := snapshot.NeedProduct(tx, product); err != nil {
			return err
		}
		now := svc.Clock.Now()
		was, err := titlesdb.TagsOf(tx, product)
		if err != nil {
			return err
		}
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Of(edits.Tags, product),
			Seen:  seen,
			Who:   who,
			At:    now,
			Was:   tagFields{was},
			Is:    tagFields{clean},
		}); err != nil {
			return err
		}
		if err := titlesdb.SetTags(tx, product, clean, who, now.Unix()); err != nil {
			return err
		}
		return tx.Note(now, who, "tagged a title", fmt.Sprint(product), strings.Join(clean, ", "))
	})
}

// tagFields are the tags of a product as people change them.
type tagFields struct{ Tags []string }

// TagCount is a tag with the number of products that have it.
type TagCount struct {
	Tag      string
	Products int64
}

// Tags lists the tags in use.
func (svc *Catalogue) Tags(ctx context.Context) ([]TagCount, error) {
	out := []TagCount{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		tags, err := titlesdb.Tags(tx)
		for t, n := range tags {
			out = append(out, TagCount{t, n})
		}
		return err
	})
	slices.SortFunc(out, func(x, y TagCount) int { return strings.Compare(x.Tag, y.Tag) })
	return out, err
}

// Watch puts a product on the watch list or takes it off.
func (svc *Catalogue) Watch(ctx context.Context, product int64, on bool, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := snapshot.NeedProduct(tx, product); err != nil {
			return err
		}
		return titlesdb.Watch(tx, product, on, who, svc.Clock.Now().Unix())
	})
}

// AddRemark notes something about a product, or about its install on a device (by device_id; empty is the title
// itself).
func (svc *Catalogue) AddRemark(ctx context.Context, product int64, device, text, who string) (int64, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return 0, refuse.New("write what is to be noted")
	}
	var id int64
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		if c.Product(product) == nil {
			return sqlite.ErrNotFound
		}
		m := snapshot.Remark{Product: product, Text: text, Author: who, At: svc.Clock.Now().Unix()}
		if device != "" {
			codes, err := snapshot.DevicesByCode(tx)
			if err != nil {
				return err
			}
			if m.Device = codes[device]; m.Device == 0 {
				return refuse.Errorf("there is no device %q", device)
			}
		}
		id, err = titlesdb.AddRemark(tx, m)
		return err
	})
	return id, err
}

// DropRemark takes a remark away.
func (svc *Catalogue) DropRemark(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(
		ctx,
		func(tx *sqlite.Tx) error { return titlesdb.DropRemark(tx, id, svc.Clock.Now().Unix(), who) },
	)
}
