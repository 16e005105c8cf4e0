package use

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/core/usage"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
)

// PoolWatches lists who is told by mail of what is to be looked at in pools.
func (svc *Service) PoolWatches(ctx context.Context) (list []usedb.PoolWatch, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		list, err = usedb.PoolWatches(tx)
		return err
	})
	return list, err
}

// WatchPool tells somebody by mail of what is to be looked at in a pool, or with 0 in every pool: what there is now
// at once, what comes and goes from then on as figures are renewed.
func (svc *Service) WatchPool(ctx context.Context, pool int64, address, who string) error {
	to := strings.TrimSpace(address)
	if err := outbox.CheckAddress(to); err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if pool != 0 {
			if page, err := usedb.PoolList(svc.Snapshots.Today()).Page(tx,
				sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(pool)}, Limit: 1}); err != nil {
				return err
			} else if len(page.Rows) == 0 {
				return sqlite.ErrNotFound
			}
		}
		list, err := usedb.PoolWatches(tx)
		if err != nil {
			return err
		}
		for _, w := range list {
			if w.Address == to && (w.Pool == pool || w.Pool == 0) {
				return refuse.Errorf("%s is told of it already", to)
			}
		}
		if err := usedb.AddPoolWatch(tx,
			usedb.PoolWatch{Pool: pool, Address: to, Author: who, At: svc.Clock.Now().Unix()}); err != nil {
			return err
		}
		return errors.Join(
			svc.QueuePoolMail(tx),
			tx.Note(svc.Clock.Now(), who, "has somebody told of a pool", fmt.Sprint(pool), to),
		)
	})
}

// EndPoolWatch ends telling somebody.
func (svc *Service) EndPoolWatch(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		return errors.Join(
			usedb.EndPoolWatch(tx, id, svc.Clock.Now().Unix(), who),
			tx.Note(svc.Clock.Now(), who, "has somebody told no longer", fmt.Sprint(id), ""),
		)
	})
}

// QueuePoolMail lets mail wait for the alerts of pools that have come and gone since the last one, one message for
// each who is told.
func (svc *Service) QueuePoolMail(tx *sqlite.Tx) error {
	watches, err := usedb.PoolWatches(tx)
	if err != nil || len(watches) == 0 {
		return err
	}
	pools, err := usedb.PoolList(svc.Snapshots.Today()).Page(tx, sqlite.ListQuery{Sort: "code"})
	if err != nil {
		return err
	}
	now := svc.Clock.Now()
	for _, w := range watches {
		told, err := usedb.PoolTold(tx, w.ID)
		if err != nil {
			return err
		}
		var come, gone []string
		for i := range pools.Rows {
			r := &pools.Rows[i]
			if w.Pool != 0 && w.Pool != r.ID {
				continue
			}
			state := usage.PoolState{Lost: r.Lost, Expires: r.Expires, Denials: r.Denials, LastDay: r.LastDay}
			there := map[usage.Alert]bool{}
			for _, alert := range state.Alerts(svc.Snapshots.Today()) {
				there[alert] = true
			}
			for _, alert := range []usage.Alert{usage.AlertLost, usage.AlertExpired, usage.AlertExpires,
				usage.AlertDenied, usage.AlertSilent} {
				key := usedb.PoolAlert{Pool: r.ID, Alert: string(alert)}
				dumb := there[usage.AlertLost] || there[usage.AlertSilent]
				if there[alert] == told[key] || alert == usage.AlertDenied && told[key] && dumb {
					continue // who tells nothing does not say that nobody was denied
				}
				if there[alert] {
					come = append(come, alertWords(r, alert))
				} else if words := overWords(r, alert, there); words != "" {
					gone = append(gone, words)
				}
				if err := usedb.SetPoolTold(tx, w.ID, key, there[alert], now.Unix()); err != nil {
					return err
				}
			}
		}
		if len(come)+len(gone) == 0 {
			continue
		}
		var b strings.Builder
		fmt.Fprintf(&b, "As of %s:\n", now.Format("2006-01-02 15:04"))
		for _, part := range []struct {
			head  string
			lines []string
		}{{"To be looked at", come}, {"Over", gone}} {
			if len(part.lines) > 0 {
				fmt.Fprintf(&b, "\n%s:\n%s\n", part.head, strings.Join(part.lines, "\n"))
			}
		}
		what := "every pool"
		if w.Pool != 0 {
			what = "the pool " + w.Code
		}
		fmt.Fprintf(&b, "\nYou get this because %s asked that you are told of %s.\n", w.Author, what)
		subject := fmt.Sprintf("Shared licences: %d to look at", len(come))
		if len(come) == 0 {
			subject = fmt.Sprintf("Shared licences: %d over", len(gone))
		}
		if !outbox.Reachable(w.Address) { // asked for before addresses were looked at
			slog.Warn("mail cannot go to an address that is told of pools", "watch", w.ID, "address", w.Address)
			continue
		}
		if err := outbox.QueueMail(tx,
			outbox.Mail{Address: w.Address, Subject: subject, Body: b.String(), QueuedAt: now.Unix()}); err != nil {
			return err
		}
	}
	return nil
}

func poolName(r *usedb.PoolRow) string {
	name := fmt.Sprintf("%s (%s %s", r.Code, r.Publisher, r.Product)
	if r.Server != "" {
		name += ", on " + r.Server
	}
	return name + "): "
}

// overWords says that what was to be looked at in a pool is over; empty where it only became something graver, which is
// told by itself.
func overWords(r *usedb.PoolRow, alert usage.Alert, there map[usage.Alert]bool) string {
	name := poolName(r)
	switch alert {
	case usage.AlertLost:
		return name + "the connection to its server is there again"
	case usage.AlertExpired:
		return name + "its licences are valid again"
	case usage.AlertExpires:
		if there[usage.AlertExpired] {
			return ""
		}
		return name + "its licences no longer expire soon"
	case usage.AlertDenied:
		return name + "nobody has been denied for 30 days"
	case usage.AlertSilent:
		if there[usage.AlertLost] {
			return ""
		}
		return name + "its server reports again"
	}
	return ""
}

// alertWords says what is to be looked at in a pool.
func alertWords(r *usedb.PoolRow, alert usage.Alert) string {
	name := poolName(r)
	switch alert {
	case usage.AlertLost:
		return name + "the connection to its server is lost"
	case usage.AlertExpired:
		return fmt.Sprintf("%sits licences expired on %s", name, r.Expires)
	case usage.AlertExpires:
		return fmt.Sprintf("%sits licences expire on %s", name, r.Expires)
	case usage.AlertDenied:
		times := "once"
		if r.Denials > 1 {
			times = fmt.Sprintf("%d times", r.Denials)
		}
		return fmt.Sprintf("%sdenied %s in 30 days, at a peak of %d of %d", name, times, r.Peak, r.Quantity)
	default:
		if r.LastDay == 0 {
			return name + "its server has never reported"
		}
		return fmt.Sprintf("%sits server has told nothing since %s", name, r.LastDay)
	}
}
