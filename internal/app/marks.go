package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/store"
)

// SetTags makes the tags of products be these, or adds to those they have.
func (a *App) SetTags(ctx context.Context, product int64, tags []string, who string) error {
	var clean []string
	for _, t := range tags {
		if t = strings.Join(strings.Fields(t), " "); t == "" {
			continue
		}
		if strings.ContainsAny(t, ",|") || len(t) > 60 {
			return fmt.Errorf("%q is no tag: a tag has at most 60 letters, and neither commas nor bars", t)
		}
		if !slices.ContainsFunc(clean, func(o string) bool { return strings.EqualFold(o, t) }) {
			clean = append(clean, t)
		}
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		if err := tx.SetTags(product, clean, who, now.Unix()); err != nil {
			return err
		}
		return tx.Note(now, who, "tagged a title", fmt.Sprint(product), strings.Join(clean, ", "))
	})
}

// TagCount is a tag with the number of products that have it.
type TagCount struct {
	Tag      string `json:"tag"`
	Products int64  `json:"products"`
}

// Tags lists the tags in use.
func (a *App) Tags(ctx context.Context) ([]TagCount, error) {
	out := []TagCount{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		tags, err := tx.Tags()
		for t, n := range tags {
			out = append(out, TagCount{t, n})
		}
		return err
	})
	slices.SortFunc(out, func(x, y TagCount) int { return strings.Compare(x.Tag, y.Tag) })
	return out, err
}

// Watch puts a product on the watch list or takes it off.
func (a *App) Watch(ctx context.Context, product int64, on bool, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		return tx.Watch(product, on, who, a.Clock.Now().Unix())
	})
}

// AddRemark notes something about a product, or about its install on a device (by device_id; empty is the title itself).
func (a *App) AddRemark(ctx context.Context, product int64, device, text, who string) (int64, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return 0, errors.New("write what is to be noted")
	}
	var id int64
	err := a.DB.Update(ctx, func(tx *store.Tx) error {
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		if c.Product(product) == nil {
			return store.ErrNotFound
		}
		m := store.Remark{Product: product, Text: text, Author: who, At: a.Clock.Now().Unix()}
		if device != "" {
			codes, err := tx.Codes("device")
			if err != nil {
				return err
			}
			if m.Device = codes[device]; m.Device == 0 {
				return fmt.Errorf("there is no device %q", device)
			}
		}
		id, err = tx.AddRemark(m)
		return err
	})
	return id, err
}

// DropRemark takes a remark away.
func (a *App) DropRemark(ctx context.Context, id int64, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error { return tx.DropRemark(id, a.Clock.Now().Unix(), who) })
}
