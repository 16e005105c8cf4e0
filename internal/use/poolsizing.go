package use

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/refuse"
	"ensomet/internal/core/usage"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/use/usedb"
	"ensomet/internal/used"

	"github.com/shopspring/decimal"
)

// PoolSizing is what other sizes of a pool would have done.
type PoolSizing struct {
	Requests int
	Repeats  int // denied requests that were made again within minutes: they wanted once
	// requests that were denied, so that nobody knows how long they would have lasted: their length is drawn from the
	// served ones
	Unknown   int
	Days      int
	Load      float64 // offered in the busiest hours, in erlangs
	BusyHours string  // the hours of the workday that the formula looks at
	// variance of arrivals by the hour divided by their mean: 1 at random, more where they come together
	Bunched   float64
	Trust     string // replay, both, neither
	Why       string
	Seeds     int
	Sizes     []PoolSizeView
	Licence   string // price of one licence, where a line or the catalogue says
	PaidEach  string // how often that is paid
	Currency  string
	Suggested int64 // the least size at which at most target of the requests are denied
	Target    float64
}

// PoolSizeView is one size. Shares are of all requests.
type PoolSizeView struct {
	Licences int64
	Share    float64
	Low      float64
	High     float64
	PerDay   float64 // denials a day, by replay
	Erlang   float64 // share by the formula, at the load of the busiest hours
	Cost     string  // the licences at their price, and the denials of a year at what one of them costs
}

// retryWithin is how many seconds after a denial the same user's next request is the same wish.
const retryWithin = 900

// PoolSizing replays the requests of some days at other sizes, and sets Erlang's formula beside it. denialCost is
// what one denial costs, in the currency of the licence.
func (svc *Service) PoolSizing(
	ctx context.Context,
	id int64,
	days int,
	target, denialCost float64,
) (PoolSizing, error) {
	out := PoolSizing{Days: days, Target: target, Seeds: 20, Sizes: []PoolSizeView{}}
	var row usedb.PoolRow
	var settings snapshot.Settings
	var events []usage.PoolEvent
	to := svc.Snapshots.Today()
	from := to - civil.Day(days) + 1
	each, currency, paid := decimal.Zero, "", ""
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		if row, settings, events, err = svc.poolEvents(tx, id, from, to); err != nil {
			return err
		}
		each, currency, paid, err = svc.priceOfLicence(tx, row.ProductID)
		return err
	})
	if err != nil {
		return out, err
	}
	now := svc.Clock.Now().Unix()
	start, end := from.Start(settings.Zone).Unix(), min((to+1).Start(settings.Zone).Unix(), now)
	outs := slices.DeleteFunc(usage.Outs(events, now), func(o usage.Out) bool { return o.Start < start })
	list, repeats := usage.Requests(outs, denialsOf(events, start), retryWithin)
	out.Requests, out.Repeats = len(list), repeats
	lengths := usage.Lengths(list)
	out.Unknown = len(list) - len(lengths)
	if len(list) == 0 {
		out.Trust, out.Why = "neither", fmt.Sprintf("In the last %d days nobody asked for a licence.", days)
		return out, nil
	}
	busy, words := busiest(outs, start, end, settings.Zone)
	out.BusyHours = words
	in := slices.DeleteFunc(slices.Clone(list), func(r usage.Request) bool { return !busy(r.At) })
	seconds := int64(0)
	for h := start; h < end; h += 3600 {
		if busy(h) {
			seconds += 3600
		}
	}
	out.Load = usage.Load(in, lengths, max(1, seconds))
	out.Bunched = usage.Bunched(list, start, end)
	sizes := sizesToTry(list, lengths, row.Quantity, outs, out.Load, settings.Zone, target)
	got, err := usage.Sizes(list, sizes, out.Seeds, float64(days), out.Load, func(done, of int) error {
		svc.Progress.Say(ctx, "replaying %d requests: %d of %d sizes", len(list), done, of)
		return ctx.Err()
	})
	if err != nil {
		return out, err
	}
	out.Currency = currency
	if each.IsPositive() {
		out.Licence, out.PaidEach = each.StringFixed(2), paid
	}
	for _, s := range got {
		v := PoolSizeView{
			Licences: s.Licences,
			Share:    s.Share,
			Low:      s.ReplayLow,
			High:     s.ReplayHigh,
			PerDay:   s.PerDay,
			Erlang:   s.Erlang,
		}
		if each.IsPositive() || denialCost > 0 {
			denied := decimal.NewFromFloat(s.PerDay * 365 * denialCost)
			v.Cost = each.Mul(decimal.NewFromInt(s.Licences)).Add(denied).Round(0).String()
		}
		if out.Suggested == 0 && s.ReplayHigh <= target {
			out.Suggested = s.Licences
		}
		out.Sizes = append(out.Sizes, v)
	}
	out.Trust, out.Why = trust(&out)
	return out, nil
}

// sizesToTry are the sizes that are replayed: up to one at which nearly all requests are served, in at most forty
// steps, and the size that the pool has.
func sizesToTry(
	list []usage.Request,
	lengths []int64,
	has int64,
	outs []usage.Out,
	load float64,
	zone *time.Location,
	target float64,
) (sizes []int64) {
	most := has
	for _, d := range usage.PoolDays(outs, nil, zone) {
		most = max(most, d.Peak)
	}
	most = max(most, int64(usage.ErlangSize(load, 0.001))) + 2
	for limit := 20 * most; most < limit; most += max(1, most/4) {
		denied := usage.Replay(list, most, lengths, 1).Denied
		if float64(denied) <= min(target, 0.001)*float64(len(list)) {
			break
		}
	}
	step := max(1, most/40)
	for n := step; n <= most; n += step {
		sizes = append(sizes, n)
	}
	if !slices.Contains(sizes, has) && has > 0 {
		sizes = append(sizes, has)
		slices.Sort(sizes)
	}
	return sizes
}

// busiest says which hours of workdays count as the busiest: those whose mean is at least half of the busiest hour's,
// together.
func busiest(outs []usage.Out, start, end int64, zone *time.Location) (busy func(at int64) bool, words string) {
	hours := usage.Hours(outs, nil, start, end, true, zone)
	most := 0.0
	for _, h := range hours {
		most = max(most, h.Mean)
	}
	var on [24]bool
	first, last := -1, -1
	for h := range hours {
		if on[h] = most > 0 && hours[h].Mean >= most/2; on[h] {
			if first < 0 {
				first = h
			}
			last = h
		}
	}
	words = "none"
	if first >= 0 {
		words = fmt.Sprintf("%02d:00 to %02d:00 on workdays", first, (last+1)%24)
	}
	return func(at int64) bool {
		t := time.Unix(at, 0).In(zone)
		return on[t.Hour()] && t.Weekday() != time.Saturday && t.Weekday() != time.Sunday
	}, words
}

// trust says which of replay and formula to go by, and why.
func trust(s *PoolSizing) (which, why string) {
	var worst float64
	for _, v := range s.Sizes {
		if v.Share > 0.001 || v.Erlang > 0.001 {
			worst = max(worst, v.Share-v.Erlang, v.Erlang-v.Share)
		}
	}
	switch {
	case s.Requests < 100:
		return "neither", fmt.Sprintf("%d requests are few: both say little. Look at more days.", s.Requests)
	case s.Unknown*2 > s.Requests:
		return "neither", "More than half of the requests were denied: how long they would have lasted is a guess. " +
			"Lend licences for a week and look again."
	case s.Bunched > 2:
		return "replay", fmt.Sprintf(
			"Requests come together (%.1f times as bunched as at random), and the formula takes them to come at "+
				"random: go by the replay. They differ by up to %.0f points.",
			s.Bunched,
			worst*100,
		)
	case worst > 0.05:
		return "replay", fmt.Sprintf(
			"They differ by up to %.0f points though requests come almost at random: the load changes within the "+
				"hours that the formula takes as even. Go by the replay.",
			worst*100,
		)
	}
	return "both", "Requests come as at random and both say nearly the same. The formula also speaks for weeks that " +
		"have not been yet."
}

// priceOfLicence is what one concurrent licence of a product costs, and how often that is paid: the price of its
// newest line, else its list price; 0 where neither is known.
func (svc *Service) priceOfLicence(tx *sqlite.Tx, product int64) (price decimal.Decimal, currency, paid string,
	err error) {
	lines, err := stored.EntitlementsOf(tx, []int64{product})
	if err != nil {
		return price, "", "", err
	}
	for i := len(lines) - 1; i >= 0; i-- {
		l := &lines[i]
		if l.Metric != entitle.Concurrent || !l.UnitPrice.Valid {
			continue
		}
		if paid = "once"; l.Kind == entitle.Subscription {
			paid = "a year"
		}
		return l.UnitPrice.Decimal, l.Currency, paid, nil
	}
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return price, "", "", err
	}
	if p := c.Product(product); p != nil {
		for i := range p.Titles {
			if t := &p.Titles[i]; t.ListPrice.Valid {
				return t.ListPrice.Decimal, t.Currency, "once", nil
			}
		}
	}
	return price, "", "", nil
}

// Complain keeps somebody's word that he got no licence.
func (svc *Service) Complain(ctx context.Context, pool int64, user, text, who string) error {
	if strings.TrimSpace(text) == "" {
		return refuse.New("say what happened")
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := snapshot.NeedPool(tx, pool); err != nil {
			return err
		}
		if user != "" {
			if _, err := snapshot.UserNamed(tx, user); err != nil {
				return err
			}
		}
		return usedb.AddPoolComplaint(
			tx,
			usedb.PoolComplaint{Pool: pool, User: user, Text: text, Author: who, At: svc.Clock.Now().Unix()},
		)
	})
}

// SizePool decides on the size of a pool, with its reason and what replay and formula said of it. It answers the
// complaints; the licence server itself is set by its owner, and its next list of pools shows that it was done.
func (svc *Service) SizePool(ctx context.Context, pool, size int64, reason, basis, who string) error {
	if strings.TrimSpace(reason) == "" {
		return refuse.New("say why it has this size: whoever looks at it in a year wants to know")
	}
	if size < 0 || size > 10_000_000 {
		return refuse.New("a pool has between 0 and ten million licences")
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := snapshot.NeedPool(tx, pool); err != nil {
			return err
		}
		now := svc.Clock.Now()
		was, err := used.PoolQuantityAt(tx, pool, now.Unix())
		if err != nil {
			return err
		}
		if err := usedb.AddPoolSize(tx,
			usedb.PoolSize{
				Pool:   pool,
				Was:    was,
				Size:   size,
				Reason: reason,
				Basis:  basis,
				Author: who,
				At:     now.Unix(),
			}); err != nil {
			return err
		}
		if err := usedb.EndPoolComplaints(tx, pool, now.Unix(),
			fmt.Sprintf("%d licences instead of %d: %s", size, was, reason)); err != nil {
			return err
		}
		return tx.Note(
			now,
			who,
			"decided on the size of a pool",
			fmt.Sprint(pool),
			fmt.Sprintf("%d instead of %d: %s", size, was, reason),
		)
	})
}
