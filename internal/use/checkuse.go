package use

import (
	"fmt"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/usage"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
	"ensomet/internal/used"
)

// checkedPoolDays is how many days back the daily sums of pools are worked out again.
const checkedPoolDays = 60

// CheckUse compares the stored days of use whose runs are kept with what these runs make, and the newest daily sums
// of pools with what their events make.
func (svc *Service) CheckUse(tx *sqlite.Tx) ([]string, error) {
	var wrong []string
	r, err := svc.newRoller(tx, nil)
	if err != nil {
		return nil, err
	}
	type key struct {
		name, device int64
		day          civil.Day
		person       string
	}
	stored := map[key][3]int64{}
	if err := used.EachDay(tx, nil, nil, max(1, r.sessions), svc.Snapshots.Today(),
		func(d used.Day) error {
			stored[key{d.Name, d.Device, d.Day, d.Person}] = [3]int64{d.Run, d.Active, int64(d.Sessions)}
			return nil
		}); err != nil {
		return nil, err
	}
	for id, d := range r.devices {
		zone := r.settings.ZoneOf(d.Site)
		if r.zones[id] != zone.String() {
			continue // it reports no use
		}
		sessions, err := usedb.SessionsOn(tx, id, max(0, r.sessions.Start(zone).Unix()))
		if err != nil {
			return nil, err
		}
		kept := sessions[:0]
		for _, s := range sessions {
			if s.Title = r.names[s.Program]; s.Start <= r.now {
				s.End = min(s.End, max(s.Start, r.now))
				kept = append(kept, s)
			}
		}
		for _, x := range usage.Roll(kept, zone) {
			k := key{x.Program, id, x.Day, x.User}
			if x.Day < r.sessions || x.Day > svc.Snapshots.Today() {
				continue
			}
			if got, want := stored[k], [3]int64{x.Run, x.Active, int64(x.Sessions)}; got != want {
				wrong = append(
					wrong,
					fmt.Sprintf(
						"the use of %d on %s on %s is stored as %v (seconds, worked, runs), and its runs make %v",
						x.Program,
						d.Code,
						x.Day,
						got,
						want,
					),
				)
			}
			delete(stored, k)
		}
	}
	for k := range stored {
		if d := r.devices[k.device]; d != nil {
			wrong = append(
				wrong,
				fmt.Sprintf("use of %d on %s on %s is stored, and no run makes it", k.name, d.Code, k.day),
			)
		}
	}
	pools, err := svc.checkPools(tx, r.settings)
	return append(wrong, pools...), err
}

func (svc *Service) checkPools(tx *sqlite.Tx, settings *snapshot.Settings) ([]string, error) {
	var wrong []string
	pools, err := used.Pools(tx)
	if err != nil {
		return nil, err
	}
	now := svc.Clock.Now().Unix()
	for _, p := range pools {
		zone, err := poolZone(tx, settings, p.ID, false)
		if err != nil {
			return nil, err
		}
		from := svc.Snapshots.Today() - checkedPoolDays + 1
		events, err := usedb.PoolEvents(tx, p.ID, from.Start(zone).Unix()-2*longestCheckout, now+1)
		if err != nil {
			return nil, err
		}
		stored, err := usedb.PoolDays(tx, p.ID, from, svc.Snapshots.Today())
		if err != nil {
			return nil, err
		}
		at := map[civil.Day]usage.PoolDay{}
		for _, d := range stored {
			at[d.Day] = d
		}
		today := civil.Of(time.Unix(now, 0).In(zone))
		for _, d := range usage.PoolDays(usage.Outs(events, now), denialsOf(events, 0), zone) {
			if d.Day < from || d.Day >= today { // today is still going on
				continue
			}
			if at[d.Day] != d {
				wrong = append(
					wrong,
					fmt.Sprintf(
						"%s of the pool %s is stored as %+v, and its events make %+v",
						d.Day,
						p.Code,
						at[d.Day],
						d,
					),
				)
			}
		}
	}
	return wrong, nil
}
