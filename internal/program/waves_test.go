package program

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/casework"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// orderly holds what is true of orders and cases whatever people, time and the tool have done.
func orderly(t *testing.T, prog *Program, d *tool, paused map[int64]int, perDay map[int64]int, when string) {
	t.Helper()
	ctx := context.Background()
	seen := map[int64]int{}
	for _, o := range d.taken {
		if seen[o.ID]++; seen[o.ID] > 1 {
			t.Fatalf("%s: order %d was taken twice", when, o.ID)
		}
	}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		cases, err := worklistdb.Cases(tx)
		if err != nil {
			return err
		}
		waiting := map[int64]bool{}
		list, err := worklistdb.DeploymentsIn(tx, "waiting")
		if err != nil {
			return err
		}
		for _, o := range list {
			waiting[o.Case] = true
			w, err := worklistdb.WaveByID(tx, o.Wave)
			if err != nil {
				return err
			}
			if w.State == "called off" {
				t.Fatalf("%s: order %d of wave %d waits, which was called off", when, o.ID, o.Wave)
			}
		}
		for _, c := range cases {
			if (c.State == casework.Waiting) != waiting[c.ID] {
				t.Fatalf("%s: case %d is %s, an order of it waits: %v", when, c.ID, c.State, waiting[c.ID])
			}
			steps, err := worklistdb.Steps(tx, c.ID)
			if err != nil {
				return err
			}
			last := steps[len(steps)-1]
			if last.To != c.State {
				t.Fatalf("%s: case %d is %s, its last step led to %s", when, c.ID, c.State, last.To)
			}
			for i := 1; i < len(steps); i++ {
				if steps[i].From != steps[i-1].To {
					t.Fatalf("%s: case %d: step %+v follows %+v", when, c.ID, steps[i], steps[i-1])
				}
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	waves, err := prog.Orders.Waves(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, w := range waves {
		if most := perDay[w.ID]; most > 0 && w.Today > most {
			t.Fatalf("%s: %d orders of wave %d have left today, at most %d may", when, w.Today, w.ID, most)
		}
		left := w.Out + w.Done + w.Failed
		if before, was := paused[w.ID]; was && w.State == "paused" && left > before {
			t.Fatalf("%s: wave %d is paused, and %d orders have left where %d had", when, w.ID, left, before)
		}
		delete(paused, w.ID)
		if w.State == "paused" {
			paused[w.ID] = left
		}
	}
}

// standingOrderly holds what is true of standing decisions: none takes more than its day's number, none sends more, and
// one that is paused takes nothing. taken is what each had taken while it was paused.
func standingOrderly(t *testing.T, prog *Program, taken map[int64]int, when string) {
	t.Helper()
	for _, v := range decisions(t, prog) {
		id := v.Says.ID
		if v.Today > v.Says.PerDay || v.Left > v.Says.PerDay {
			t.Fatalf(
				"%s: standing decision %d took %d and sent %d today, of %d",
				when,
				id,
				v.Today,
				v.Left,
				v.Says.PerDay,
			)
		}
		if before, was := taken[id]; was && !v.Running && v.Taken > before {
			t.Fatalf(
				"%s: standing decision %d is paused (%s), and took %d where it had %d",
				when,
				id,
				v.Why,
				v.Taken,
				before,
			)
		}
		delete(taken, id)
		if !v.Running {
			taken[id] = v.Taken
		}
	}
}

// steerStanding sets a standing decision, or tells one something.
func steerStanding(prog *Program, r *rand.Rand) (string, error) {
	ctx := context.Background()
	list, err := prog.Standing.Decisions(ctx)
	if err != nil {
		return "", err
	}
	if len(list.Decisions) == 0 {
		d := worklist.StandingDraft{
			Kind:        list.Grounds[0].Kind,
			Ground:      list.Grounds[0].Ground,
			PerDay:      1 + r.IntN(3),
			MaxFails:    r.IntN(2) * 100,
			HoldMinutes: r.IntN(3) * 60,
		}
		return fmt.Sprintf("set %+v", d), prog.Standing.SetStanding(ctx, d, "w")
	}
	v := list.Decisions[0]
	to := []string{"pause", "go on", "go on", "go on", "end"}[r.IntN(5)]
	return to + " a standing decision", prog.Standing.SteerStanding(ctx, v.Says.ID, v.Says.Revision, to, "w")
}

// People send, pause, go on, call off and take back; time passes; the tool takes orders, refuses them, is down, lies,
// and answers, and a standing decision sends beside them, in any order. No order is taken twice, none leaves a wave
// that is paused or beyond its day's number,
// none waits in one that was called off, and each case is where its last step led.
func TestWavesUnderSteering(t *testing.T) {
	ctx := context.Background()
	down := errors.New("connection refused")
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed, 13))
		prog, clock, _, d := house(t, 24)
		done := prog.Renewal.Hold()
		account(t, prog, "w", access.Editor)
		perDay, paused, taken := map[int64]int{}, map[int64]int{}, map[int64]int{}
		for step := range 120 {
			ids := []int64{}
			for range 1 + r.IntN(4) {
				ids = append(ids, int64(1+r.IntN(24)))
			}
			waves, err := prog.Orders.Waves(ctx)
			if err != nil {
				t.Fatal(err)
			}
			what := ""
			switch n := r.IntN(14); {
			case n < 2:
				what = "agree"
				_, err = prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: ids, Act: casework.Agree}, "w")
			case n < 4:
				s := &worklist.WaveSettings{PerDay: r.IntN(4), MaxFails: []int{0, 25, 100}[r.IntN(3)]}
				what = fmt.Sprintf("send %+v", *s)
				_, err = prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: ids, Act: casework.Send, Wave: s}, "w")
				if now, _ := prog.Orders.Waves(ctx); err == nil && len(now) > len(waves) {
					for _, w := range now {
						if _, known := perDay[w.ID]; !known {
							perDay[w.ID] = int(w.PerDay)
						}
					}
				}
			case n < 5:
				what = "take back"
				_, err = prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: ids, Act: casework.Undo}, "w")
			case n < 6:
				what = "reopen"
				_, err = prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: ids, Act: casework.Reopen}, "w")
			case n < 8 && len(waves) > 0:
				to := []string{"pause", "go on", "go on", "call off"}[r.IntN(4)]
				w := waves[r.IntN(len(waves))]
				what = fmt.Sprintf("%s wave %d", to, w.ID)
				err = prog.Orders.SteerWave(ctx, w.ID, to, "w")
				if to == "go on" {
					delete(paused, w.ID)
				}
			case n < 9:
				what, err = steerStanding(prog, r)
				clear(paused) // it may have let its waves go on
			case n < 11 && len(d.taken) > 0:
				o := worklist.Outcome{
					Order:  d.taken[r.IntN(len(d.taken))].ID,
					Done:   r.IntN(3) > 0,
					Reason: "locked",
				}
				what = fmt.Sprintf("the tool says %+v", o)
				err = prog.Orders.TakeOutcome(ctx, o, "tool")
				clear(paused) // it may tell of one that was tried before the wave paused
			default:
				d.down, d.lies = nil, false
				switch r.IntN(4) {
				case 0:
					d.down = down
				case 1:
					d.down, d.lies = down, true
				}
				what = fmt.Sprintf("time passes, the tool is down: %v, lies: %v", d.down != nil, d.lies)
				clock.now = clock.now.Add([]time.Duration{time.Minute, time.Hour, 9 * time.Hour, day24}[r.IntN(4)])
				err = errors.Join(prog.Worklist.FollowUp(ctx), prog.Outbox.Deliver(ctx))
			}
			when := fmt.Sprintf("seed %d, step %d, %s", seed, step, what)
			if err != nil && !refuse.Is(err) && !errors.Is(err, sqlite.ErrNotFound) {
				t.Fatalf("%s: %v", when, err)
			}
			orderly(t, prog, d, paused, perDay, when)
			standingOrderly(t, prog, taken, when)
		}
		done()
	}
}

// An order that nobody has, an answer about one that never left, and a wave that is not there are told as such.
func TestOutcomesOfNothing(t *testing.T) {
	ctx := context.Background()
	prog, _, _, _ := house(t, 2)
	if err := prog.Orders.TakeOutcome(ctx, worklist.Outcome{Order: 99}, "tool"); !errors.Is(
		err,
		sqlite.ErrNotFound,
	) {
		t.Errorf("an order that nobody has: %v", err)
	}
	if err := prog.Orders.SteerWave(ctx, 99, "pause", "w"); !errors.Is(err, sqlite.ErrNotFound) {
		t.Errorf("a wave that is not there: %v", err)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1}, Act: casework.Agree})
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1}, Act: casework.Send})
	var order int64
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.DeploymentsIn(tx, "waiting")
		if err == nil && len(list) == 1 {
			order = list[0].ID
		}
		return err
	}); err != nil || order == 0 {
		t.Fatal(order, err)
	}
	if err := prog.Orders.TakeOutcome(ctx, worklist.Outcome{Order: order, Done: true}, "tool"); !refuse.Is(err) {
		t.Errorf("an answer about an order that never left: %v", err)
	}
	if c := casesOf(t, prog)[0]; c.State != casework.Waiting {
		t.Errorf("the case has moved: %+v", c)
	}
}
