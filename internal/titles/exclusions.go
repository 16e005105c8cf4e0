package titles

import (
	"context"
	"fmt"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/lists"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// ExclusionDraft is to leave a product on devices out of the count, or to count it again.
type ExclusionDraft struct {
	Devices   []string // device_ids
	Revisions []int64  // of each device, the number of the exclusion that was seen, 0 for none; nil: nobody looked
	Product   int64
	Reason    string
	Again     bool // count it again
}

// PreviewExclusion says what leaving out would change, and changes nothing.
func (svc *Service) PreviewExclusion(ctx context.Context, l ExclusionDraft, who string) (Effect, error) {
	var out Effect
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) (err error) {
		l.Reason = strings.TrimSpace(l.Reason + " ")
		if l.Reason == "" {
			l.Reason = "preview"
		}
		out, err = svc.exclude(tx, l, who, false, svc.Snapshots.FiguresAndExcluded)
		return err
	})
	return out, err
}

// Exclude leaves a product on devices out of the count with a reason, or counts it again. What that moves is worked out
// beside the others' work: the writer is held for what is written alone.
func (svc *Service) Exclude(ctx context.Context, l ExclusionDraft, who string) (Effect, error) {
	var out Effect
	do := func(tx *sqlite.Tx, figures figuresOf) (err error) {
		waits, err := svc.needsSign(tx, signExclusion)
		if err != nil {
			return err
		}
		moves := out.Moves
		out, err = svc.exclude(tx, l, who, waits && !l.Again, figures)
		if figures == nil && !out.Waits {
			out.Moves = moves
		}
		return err
	}
	err := svc.besideTheWriter(ctx, do, func(tx *sqlite.Tx) error {
		if err := tx.Note(svc.Clock.Now(), who,
			map[bool]string{false: "left out of the count", true: "counts again"}[l.Again],
			fmt.Sprintf("product %d", l.Product), strings.Join(l.Devices, ", ")); err != nil {
			return err
		}
		return renewal.MarkProducts(tx, l.Product)
	})
	return out, err
}

// exclude keeps the exclusions and says what moved by the figures.
func (svc *Service) exclude(tx *sqlite.Tx, l ExclusionDraft, who string, waits bool, figures figuresOf) (
	Effect, error,
) {
	out := Effect{
		Moves:    []snapshot.PositionChange{},
		Waits:    waits,
		Installs: int64(len(l.Devices)),
		LastYear: int64(len(l.Devices)),
	}
	if strings.TrimSpace(l.Reason) == "" && !l.Again {
		return out, refuse.New("say why these installs are left out: an auditor will ask")
	}
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return out, err
	}
	if c.Product(l.Product) == nil {
		return out, sqlite.ErrNotFound
	}
	was, _, err := figures.of(tx, c.Kin(l.Product))
	if err != nil {
		return out, err
	}
	now := svc.Clock.Now().Unix()
	if out.Batch, err = titlesdb.NewBatch(tx, now, who,
		fmt.Sprintf("left %d installs out", len(l.Devices))); err != nil {
		return out, err
	}
	state := "holds"
	if waits {
		state = "waiting"
	}
	if l.Revisions != nil && len(l.Revisions) != len(l.Devices) {
		return out, refuse.New("each device needs the number of the exclusion that was seen there, or 0")
	}
	for i, code := range l.Devices {
		d, err := lists.DeviceByCode(tx, code)
		if err != nil {
			return out, fmt.Errorf("device %s: %w", code, err)
		}
		if l.Revisions != nil {
			if err := sameExclusion(tx, d.ID, l.Product, l.Revisions[i]); err != nil {
				return out, err
			}
		}
		if l.Again {
			err = titlesdb.CountAgain(tx, d.ID, l.Product, now, who)
		} else {
			err = titlesdb.Exclude(tx,
				snapshot.Exclusion{
					Device:  d.ID,
					Product: l.Product,
					Reason:  strings.TrimSpace(l.Reason),
					Author:  who,
					At:      now,
					State:   state,
					Batch:   out.Batch,
				})
		}
		if err != nil {
			return out, fmt.Errorf("device %s: %w", code, err)
		}
	}
	if waits {
		return out, nil
	}
	is, _, err := figures.of(tx, c.Kin(l.Product))
	if err != nil {
		return out, err
	}
	out.Moves = snapshot.Moves(was, is)
	return out, nil
}

// exclusionFields are what somebody says of a product on a device that does not count.
type exclusionFields struct{ LeftOut, Reason string }

// sameExclusion fails with a conflict where what leaves a product on a device out of the count is not what was seen.
func sameExclusion(tx *sqlite.Tx, device, product, seen int64) error {
	now, last, err := titlesdb.ExclusionOf(tx, device, product, seen)
	if err != nil || now.ID == seen {
		return err
	}
	fields := func(v snapshot.Exclusion) exclusionFields {
		words := map[string]string{"": "no", "waiting": "once it is signed off"}
		if word, other := words[v.State]; other {
			return exclusionFields{word, v.Reason}
		}
		return exclusionFields{"yes", v.Reason}
	}
	who, at := now.Author, now.At
	if now.ID == 0 {
		if who, at, err = titlesdb.EndOfExclusion(tx, device, product); err != nil {
			return err
		}
	}
	return edits.Between(edits.Thing{Kind: edits.Exclusion, Key: fmt.Sprintf("%d/%d", device, product)}, now.ID, who,
		at,
		fields(last), fields(now))
}
