package evidence

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/past"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// HistoryKept says how far back days can be asked for.
type HistoryKept struct {
	Days     int    // 0 is for ever
	From     string // the first day that can be asked for; empty where nothing was forgotten
	Revision int64  // that was seen; a save on an older one is refused
}

// HistoryEffect is what would be forgotten of the past. Counts end at a million.
type HistoryEffect struct {
	From       string // the first day that could be asked for; empty is all
	Installs   int64  // that ended before
	Changes    int64  // between scans
	Statements int64  // that could not be worked out again any more
}

const (
	// leastHistory is the shortest past that a house can keep: scans that come later than that are not taken in.
	leastHistory = 31
	mostCounted  = 1_000_000
	// forgetAtOnce is of how many devices the past is forgotten before others may have their turn.
	forgetAtOnce = 20
	// unmarkAtOnce is how many rows of what was known are forgotten before that.
	unmarkAtOnce = 1_000
	bit          = 20 * time.Millisecond
)

// History says how far back days can be asked for.
func (svc *Service) History(ctx context.Context) (out HistoryKept, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		out.Days = s.HistoryDays
		from, err := past.From(tx)
		if err != nil {
			return err
		}
		if from > 0 {
			out.From = civil.OfUnix(from).String()
		}
		out.Revision, err = edits.Revision(tx, edits.Thing{Kind: edits.KeptHistory})
		return err
	})
	return out, err
}

// firstKept is the first day that can be asked for where so many are kept.
func (svc *Service) firstKept(days int) civil.Day { return svc.Snapshots.Today() - civil.Day(days) }

func checkHistory(days int) error {
	if days != 0 && days < leastHistory {
		return refuse.Errorf("keep the past for %d days at least, or for ever: scans may come that late", leastHistory)
	}
	return nil
}

// HistoryEffect counts what would be forgotten if so many days were kept.
func (svc *Service) HistoryEffect(ctx context.Context, days int) (out HistoryEffect, err error) {
	if err := checkHistory(days); err != nil || days == 0 {
		return out, err
	}
	day := svc.firstKept(days)
	out.From = day.String()
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		out.Installs, out.Changes, out.Statements, err = evidencedb.WouldForget(tx, (day - 1).EndUnix(), mostCounted)
		return err
	})
	return out, err
}

// KeepHistory sets how far back days can be asked for. What is older is forgotten within a day; what was forgotten does
// not come back.
func (svc *Service) KeepHistory(ctx context.Context, k HistoryKept, who string) error {
	if err := checkHistory(k.Days); err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.KeptHistory},
			Seen:  k.Revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   HistoryKept{Days: s.HistoryDays},
			Is:    HistoryKept{Days: k.Days},
		}); err != nil {
			return err
		}
		if err := tx.SetSetting("history_days", strconv.Itoa(k.Days)); err != nil {
			return err
		}
		kept := "for ever"
		if k.Days > 0 {
			kept = fmt.Sprintf("for %d days", k.Days)
		}
		return tx.Note(svc.Clock.Now(), who, "set how far back days can be asked for", "", kept)
	})
}

// ForgetHistory forgets what was before the days that the house keeps: installs, files, hardware and devices as they
// were, scans, changes between them, last uses and log-ons on which nothing rests that can be asked for, and what was
// known then. It is done device by device, so that nobody waits for it; one that is broken off goes on another time.
func (svc *Service) ForgetHistory(ctx context.Context) (gone evidencedb.Forgotten, err error) {
	var h evidencedb.Horizon
	day := civil.Day(0)
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		s, err := snapshot.LoadSettings(tx)
		if err != nil || s.HistoryDays == 0 {
			return err
		}
		day = svc.firstKept(s.HistoryDays)
		h.From = (day - 1).EndUnix()
		had, err := past.From(tx)
		if err != nil {
			return err
		}
		if h.From < had { // longer now than before does not bring back what went
			h.From, day = had, civil.OfUnix(had)
		}
		window := s.UseWindow
		rules, err := snapshot.ReclaimRules(tx)
		if err != nil {
			return err
		}
		for i := range rules {
			window = max(window, rules[i].Window)
		}
		h.Uses = day - civil.Day(window)
		// from now on nobody can ask for what goes
		return errors.Join(past.SetFrom(tx, h.From), tx.ForgetMarks(day))
	})
	if err != nil || !day.Known() {
		return gone, err
	}
	after := int64(0)
	err = bitByBit(ctx, svc.DB, func(tx *sqlite.Tx) (bool, error) {
		last, err := evidencedb.NextDevices(tx, after, forgetAtOnce)
		if err != nil || last == 0 {
			return false, err
		}
		some, err := evidencedb.ForgetOf(tx, after+1, last, h)
		gone.Add(some)
		after = last
		return true, err
	})
	if err == nil {
		err = svc.DB.Update(ctx, evidencedb.ForgetNews)
	}
	if err == nil {
		err = bitByBit(ctx, svc.DB, func(tx *sqlite.Tx) (bool, error) {
			n, err := tx.ForgetUnmarked(unmarkAtOnce)
			return n > 0, err
		})
	}
	return gone, err
}

// bitByBit writes with fn until it says that no more is left, in short transactions between which others have their
// turns and figures are renewed.
func bitByBit(ctx context.Context, db *sqlite.DB, fn func(tx *sqlite.Tx) (more bool, err error)) error {
	for more := true; more; {
		if err := db.Update(ctx, func(tx *sqlite.Tx) (err error) {
			for began := time.Now(); more && err == nil && time.Since(began) < bit; {
				more, err = fn(tx)
			}
			return err
		}); err != nil {
			return err
		}
	}
	return nil
}

// ForgetHistoryDaily forgets what is too old once a day; a day on which that failed tries again.
func (svc *Service) ForgetHistoryDaily(ctx context.Context) error {
	if !svc.forgetting.TryLock() {
		return nil // it is being done
	}
	defer svc.forgetting.Unlock()
	today := svc.Snapshots.Today()
	if svc.forgot == today {
		return nil
	}
	if _, err := svc.ForgetHistory(ctx); err != nil {
		return err
	}
	svc.forgot = today
	return nil
}
