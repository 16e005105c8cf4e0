package program

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/usage"
	"ensomet/internal/formats"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
)

// letters reads the mail that waits or has gone, the oldest first.
func letters(t *testing.T, prog *Program) []outbox.Mail {
	t.Helper()
	var page sqlite.Page[outbox.Mail]
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		page, err = outbox.MailList().Page(tx, sqlite.ListQuery{Sort: "id", Limit: 100})
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return page.Rows
}

// Who watches a pool is told of what is there at once, of what comes and goes as it does, and of nothing twice.
func TestPoolAlertsByMail(t *testing.T) {
	ctx := context.Background()
	prog, clock := meterDesk(t)
	clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
	header := "pool,event,session,user_id,device_id,at,licences"
	take(
		t,
		prog,
		formats.Pools,
		"pool,publisher,product,server,quantity,expires",
		"hall,Dunlaw,Gauge,lic-1,9,2026-07-10",
		"dry,Dunlaw,Gauge,lic-2,3,",
	)
	take(
		t,
		prog,
		formats.PoolEvents,
		header,
		"hall,checkout,s1,u1,D1,2026-06-30T08:00:00Z,1",
		"hall,return,s1,u1,D1,2026-06-30T09:00:00Z,",
		"dry,checkout,s1,u1,D1,2026-06-30T08:00:00Z,1",
		"dry,return,s1,u1,D1,2026-06-30T09:00:00Z,",
	)
	for _, bad := range []struct {
		pool int64
		to   string
	}{{1, ""}, {1, "not an address"}, {7, "owner@hho.example"}} {
		if err := prog.Use.WatchPool(ctx, bad.pool, bad.to, "w"); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	for _, pool := range []int64{1, 0} {
		if err := prog.Use.WatchPool(ctx, pool, []string{"all@hho.example", "owner@hho.example"}[pool],
			"Livar"); err != nil {
			t.Fatal(err)
		}
	}
	if err := prog.Use.WatchPool(ctx, 1, "all@hho.example", "w"); err == nil {
		t.Error("somebody who is told of every pool is told of one twice")
	}
	told := 0
	next := func(when, who, subject string, parts ...string) {
		t.Helper()
		list := letters(t, prog)[told:]
		found := false
		for _, m := range list {
			if m.Address != who {
				continue
			}
			found = true
			if m.Subject != subject {
				t.Errorf("%s: %s gets %q, want %q", when, who, m.Subject, subject)
			}
			for _, p := range parts {
				if !strings.Contains(m.Body, p) {
					t.Errorf("%s: %s is not told %q:\n%s", when, who, p, m.Body)
				}
			}
		}
		if !found {
			t.Errorf("%s: %s gets nothing of %d", when, who, len(list))
		}
	}
	quiet := func(when string) {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		if list := letters(t, prog); len(list) != told {
			t.Errorf("%s: %d letters, %d before: %+v", when, len(list), told, list[len(list)-1])
		}
	}
	move := func(days int) {
		t.Helper()
		clock.now = clock.now.AddDate(0, 0, days)
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
	}

	next(
		"at once",
		"owner@hho.example",
		"Shared licences: 1 to look at",
		"hall (Dunlaw Gauge, on lic-1): its licences expire on 2026-07-10",
		"because Livar asked that you are told of the pool hall",
	)
	next("at once", "all@hho.example", "Shared licences: 1 to look at", "told of every pool")
	told = 2
	quiet("nothing has changed")

	take(
		t,
		prog,
		formats.PoolEvents,
		header,
		"hall,lost,,,,2026-06-30T19:00:00Z,",
		"dry,denial,,u2,D1,2026-06-30T10:00:00Z,1",
		"dry,denial,,u2,D1,2026-06-30T10:05:00Z,1",
	)
	move(0)
	next(
		"lost and denied",
		"owner@hho.example",
		"Shared licences: 1 to look at",
		"hall (Dunlaw Gauge, on lic-1): the connection to its server is lost",
	)
	next(
		"lost and denied",
		"all@hho.example",
		"Shared licences: 2 to look at",
		"connection to its server is lost",
		"dry (Dunlaw Gauge, on lic-2): denied 2 times in 30 days, at a peak of 1 of 3",
	)
	told = 4
	quiet("told already")

	move(1)
	take(t, prog, formats.PoolEvents, header, "hall,found,,,,2026-07-01T10:00:00Z,")
	take(t, prog, formats.Pools, "pool,publisher,product,server,quantity,expires",
		"hall,Dunlaw,Gauge,lic-1,9,2027-07-10")
	move(0)
	next(
		"found and renewed",
		"owner@hho.example",
		"Shared licences: 2 over",
		"Over:",
		"is there again",
		"no longer expire soon",
	)
	told = 6
	list, err := prog.Use.PoolWatches(ctx)
	if err != nil || len(list) != 2 || list[1].Code != "hall" && list[0].Code != "hall" {
		t.Fatalf("%+v, %v", list, err)
	}
	for _, w := range list {
		if w.Pool == 1 {
			if err := prog.Use.EndPoolWatch(ctx, w.ID, "w"); err != nil {
				t.Fatal(err)
			}
			if err := prog.Use.EndPoolWatch(ctx, w.ID, "w"); !errors.Is(err, sqlite.ErrNotFound) {
				t.Errorf("ended twice: %v", err)
			}
		}
	}
	move(9)
	next(
		"silent",
		"all@hho.example",
		"Shared licences: 2 to look at",
		"hall (Dunlaw Gauge, on lic-1): its server has told nothing since 2026-06-30",
		"dry",
	)
	told = 7
	quiet("the other is told no longer")
	move(30)
	quiet("denials are long ago, and the server has told nothing since")
	told = 7
	take(t, prog, formats.PoolEvents, header, "dry,checkout,s9,u2,D1,"+clock.now.Format(time.RFC3339)+",1")
	move(0)
	next("it reports again", "all@hho.example", "Shared licences: 2 over", "nobody has been denied for 30 days",
		"dry (Dunlaw Gauge, on lic-2): its server reports again")
	told = 8
	take(t, prog, formats.PoolEvents, header, "dry,lost,,,,"+clock.now.Add(time.Hour).Format(time.RFC3339)+",")
	take(t, prog, formats.Pools, "pool,publisher,product,server,quantity,expires",
		"dry,Dunlaw,Gauge,lic-2,3,"+clock.now.AddDate(0, 0, 20).Format("2006-01-02"))
	move(1)
	next(
		"lost, and expires soon",
		"all@hho.example",
		"Shared licences: 2 to look at",
		"connection to its server is lost",
		"its licences expire on",
	)
	move(21)
	told = 9
	next("what expired no longer expires soon, and that is nothing good", "all@hho.example",
		"Shared licences: 1 to look at", "its licences expired on")
	if strings.Contains(letters(t, prog)[told].Body, "no longer expire soon") {
		t.Error("what has expired is told as over")
	}
}

// The list's word for a pool is the gravest of its alerts.
func TestTheListSaysTheGravestAlert(t *testing.T) {
	prog, clock := meterDesk(t)
	clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
	header := "pool,event,session,user_id,device_id,at,licences"
	take(
		t,
		prog,
		formats.Pools,
		"pool,publisher,product,server,quantity,expires",
		"a,Dunlaw,Gauge,s1,9,",
		"b,Dunlaw,Gauge,s2,9,2026-08-29",
		"c,Dunlaw,Gauge,s3,9,2026-08-30",
		"d,Dunlaw,Gauge,s4,9,2026-06-29",
		"e,Dunlaw,Gauge,s5,9,2026-06-30",
		"f,Dunlaw,Gauge,s6,9,",
		"g,Dunlaw,Gauge,s7,9,2026-06-01",
	)
	take(
		t,
		prog,
		formats.PoolEvents,
		header,
		"a,denial,,u1,D1,2026-06-22T08:00:00Z,1",
		"b,checkout,x,u1,D1,2026-06-29T08:00:00Z,1",
		"c,checkout,x,u1,D1,2026-06-23T08:00:00Z,1",
		"d,denial,,u1,D1,2026-06-29T08:00:00Z,1",
		"e,lost,,,,2026-06-30T08:00:00Z,",
		"f,checkout,x,u1,D1,2026-06-22T08:00:00Z,1",
		"f,return,x,u1,D1,2026-06-22T09:00:00Z,",
		"g,lost,,,,2026-06-20T08:00:00Z,",
		"g,found,,,,2026-06-21T08:00:00Z,",
	)
	page, err := listed(prog, prog.Use.Pools, sqlite.ListQuery{Sort: "code"})
	if err != nil || len(page.Rows) != 7 {
		t.Fatalf("%+v, %v", page, err)
	}
	seen := map[string]bool{}
	for _, r := range page.Rows {
		state := usage.PoolState{Lost: r.Lost, Expires: r.Expires, Denials: r.Denials, LastDay: r.LastDay}
		want := ""
		if all := state.Alerts(prog.Snapshots.Today()); len(all) > 0 {
			want = string(all[0])
		}
		if r.Alert != want {
			t.Errorf("%s: the list says %q, its state is %q: %+v", r.Code, r.Alert, want, r)
		}
		seen[r.Alert] = true
	}
	if len(seen) != 6 {
		t.Errorf("the pools show %v; the test should have every alert and none", seen)
	}
}
