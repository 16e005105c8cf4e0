package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// Mend takes in a line that was put aside, in its mended form. Where it still cannot go in, the reason comes back as a *formats.LineError and the line stays.
func (a *App) Mend(ctx context.Context, id int64, content, author string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		line, err := tx.Aside(id)
		if err != nil {
			return err
		}
		if line.State != "waiting" {
			return fmt.Errorf("this line is %s already", line.State)
		}
		if err := a.takeIn(tx, line, content, author); err != nil {
			return err
		}
		now := a.Clock.Now()
		if err := tx.SetAsideState(id, "mended", "", author, now); err != nil {
			return err
		}
		if err := tx.Note(now, author, "mended a line", fmt.Sprintf("%s:%d", line.File, line.Line), content); err != nil {
			return err
		}
		kind, err := formats.KindByName(line.Kind)
		if err != nil {
			return err
		}
		return markImport(tx, kind)
	})
}

// Drop gives a line up. It stays on record.
func (a *App) Drop(ctx context.Context, id int64, author string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		line, err := tx.Aside(id)
		if err != nil {
			return err
		}
		if line.State != "waiting" {
			return fmt.Errorf("this line is %s already", line.State)
		}
		return tx.SetAsideState(id, "dropped", "", author, a.Clock.Now())
	})
}

// takeIn runs one line through the import of its kind.
func (a *App) takeIn(tx *store.Tx, line store.Aside, content, author string) error {
	kind, err := formats.KindByName(line.Kind)
	if err != nil {
		return err
	}
	r, err := formats.ReaderFor(strings.NewReader(strings.TrimRight(content, "\r\n")+"\n"), kind, line.Header)
	if err != nil {
		return err
	}
	row, err := r.Next()
	if err != nil {
		return err
	}
	s, err := a.sink(tx, kind, time.Unix(line.AsOf, 0).UTC(), author, line.File)
	if err != nil {
		return err
	}
	if _, err := s.put(row); err != nil {
		return err
	}
	return s.finish(&ImportResult{})
}

// Retry tries every line that waits again, as it stands. It returns how many went in.
func (a *App) Retry(ctx context.Context, author string) (int, error) {
	var waiting []store.Aside
	err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		waiting, err = tx.Asides("waiting")
		return err
	})
	if err != nil || len(waiting) == 0 {
		return 0, err
	}
	mended := 0
	for _, kind := range formats.Kinds {
		lines := slices.DeleteFunc(slices.Clone(waiting), func(l store.Aside) bool { return l.Kind != kind.Name })
		if len(lines) == 0 {
			continue
		}
		err := a.DB.Update(ctx, func(tx *store.Tx) error {
			n, err := a.retryKind(tx, kind, lines, author)
			if mended += n; n == 0 || err != nil {
				return err
			}
			return markImport(tx, kind)
		})
		if err != nil {
			return mended, err
		}
	}
	return mended, nil
}

// retryKind tries the waiting lines of one kind, each as of its own time.
func (a *App) retryKind(tx *store.Tx, kind *formats.Kind, lines []store.Aside, author string) (int, error) {
	mended := 0
	sinks := map[int64]*sink{}
	for _, line := range lines {
		s := sinks[line.AsOf]
		if s == nil {
			var err error
			if s, err = a.sink(tx, kind, time.Unix(line.AsOf, 0).UTC(), author, line.File); err != nil {
				return mended, err
			}
			sinks[line.AsOf] = s
		}
		r, err := formats.ReaderFor(strings.NewReader(line.Content+"\n"), kind, line.Header)
		if err != nil {
			return mended, err
		}
		row, err := r.Next()
		if err == nil {
			_, err = s.put(row)
		}
		var bad *formats.LineError
		var file *formats.FileError
		if errors.As(err, &bad) || errors.As(err, &file) {
			continue
		}
		if err != nil {
			return mended, err
		}
		if err := tx.SetAsideState(line.ID, "mended", "", author, a.Clock.Now()); err != nil {
			return mended, err
		}
		mended++
	}
	for _, s := range sinks {
		if err := s.finish(&ImportResult{}); err != nil {
			return mended, err
		}
	}
	return mended, nil
}
