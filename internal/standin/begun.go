package standin

import (
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/casework"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/program"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// begunProduct is the product about which the demo's work has begun before its today.
const begunProduct = "Bollardkit"

// beginWork does what the people of the demo did in the days before its today: they ask users, decide, send, and one
// removal comes back. days lets so many days pass.
func (o *Outside) beginWork(ctx context.Context, prog *program.Program, days func(n int) error) error {
	ids, err := prog.Position.FindProducts(ctx, "Frostsounder")
	if err != nil || len(ids) != 1 {
		return fmt.Errorf("the demo's catalogue has %d products named Frostsounder: %w", len(ids), err)
	}
	if err := prog.Worklist.PutReclaimRule(ctx,
		worklist.ReclaimDraft{
			Product:   ids[0],
			Propose:   true,
			Window:    365,
			Grace:     60,
			Least:     0.8,
			PoolShare: 0.6,
			Note:      "used in winter alone",
		}, "Worker"); err != nil {
		return err
	}
	if err := renew(ctx, prog); err != nil {
		return err
	}
	if err := askFor(ctx, prog); err != nil {
		return err
	}
	cases, err := o.casesOf(ctx, prog, begunProduct)
	if err != nil {
		return err
	}
	if len(cases) != 14 {
		return fmt.Errorf("the demo begins with %d cases of %s", len(cases), begunProduct)
	}
	// Those whose device has no user that could be asked are left aside; of the others the outcome with the
	// deployment tool is known from the order alone.
	var fine, stays, fails []int64
	for _, c := range cases {
		if !c.user {
			continue
		}
		switch outcome(worklist.Order{Device: c.code, Product: begunProduct}) {
		case "done", "answers twice":
			if luck(10, "delay", c.code, begunProduct) <= 1 {
				continue
			}
			if c.told {
				stays = append(stays, c.id)
			} else {
				fine = append(fine, c.id)
			}
		case "fails":
			if luck(10, "delay", c.code, begunProduct) > 1 {
				fails = append(fails, c.id)
			}
		}
	}
	if len(fine) < 2 || len(stays) < 2 || len(fails) < 1 {
		return fmt.Errorf(
			"the demo's deployment tool would do %d and %d, and fail at %d",
			len(fine),
			len(stays),
			len(fails),
		)
	}
	act := func(act casework.Act, note string, ids ...int64) error {
		done, err := prog.Worklist.CaseAct(
			ctx,
			worklist.CaseAction{IDs: ids, Act: act, Note: note},
			"Worker",
		)
		if err == nil && done.Count != len(ids) {
			err = errors.New(strings.Join(done.Refused, "; "))
		}
		return err
	}
	goes, keeps, waits := fine[:2], stays[0], stays[1]
	usual, err := prog.Worklist.CaseRules(ctx)
	if err != nil {
		return err
	}
	hurry := usual
	hurry.AnswerDays, hurry.Reminders = 1, 0
	if err := prog.Worklist.SetCaseRules(ctx, hurry, "Runner"); err != nil {
		return err
	}
	if err := act(casework.Agree, "", append(slices.Clone(goes), fails[0])...); err != nil {
		return err
	}
	if err := act(casework.Send, "", append(slices.Clone(goes), fails[0])...); err != nil {
		return err
	}
	if err := act(casework.Ask, "", keeps); err != nil {
		return err
	}
	if err := act(casework.Ask, "", waits); err != nil {
		return err
	}
	if err := days(1); err != nil {
		return err
	}
	for _, l := range o.Letters() {
		who, err := o.userOfCase(ctx, prog, keeps)
		if err != nil {
			return err
		}
		if strings.HasPrefix(l.To, who+"@") && l.AnswerAt() != "" {
			if err := prog.Worklist.Answer(ctx, path.Base(l.AnswerAt()), 0, true, "the autumn drawings"); err != nil {
				return err
			}
		}
	}
	if err := errors.Join(renew(ctx, prog), days(1)); err != nil {
		return err
	}
	if err := o.putBack(ctx, prog, goes[1]); err != nil {
		return err
	}
	if err := days(1); err != nil {
		return err
	}
	usual.Revision = hurry.Revision + 1
	return prog.Worklist.SetCaseRules(ctx, usual, "Runner")
}

// decideBeforehand lets the demo's house send the removals of one plan by itself, a few a day; the first ones wait.
func decideBeforehand(ctx context.Context, prog *program.Program) error {
	who, err := prog.People.DemoAccount(ctx, access.Editor)
	if err != nil {
		return err
	}
	list, err := prog.Standing.Decisions(ctx)
	if err != nil {
		return err
	}
	for _, g := range list.Grounds {
		if g.Kind == casework.OnPlan && strings.Contains(g.What, "remove Gyrelatch") {
			return prog.Standing.SetStanding(ctx, worklist.StandingDraft{
				Kind:        g.Kind,
				Ground:      g.Ground,
				Group:       "Shore/Workshop",
				PerDay:      12,
				MaxFails:    20,
				HoldMinutes: 24 * 60,
				Note:        "the benches go first",
			}, who.Name)
		}
	}
	return errors.New("the demo has no plan to remove Gyrelatch")
}

type begunCase struct {
	id   int64
	code string // of the device
	user bool   // its user can be asked
	told bool   // the files have scans of it up to today: what is taken off it before would be there again
}

func (o *Outside) casesOf(ctx context.Context, prog *program.Program, product string) ([]begunCase, error) {
	var out []begunCase
	err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		codes, err := stored.CodesOfDevices(tx)
		if err != nil {
			return err
		}
		last := map[int64]int64{}
		devices, err := snapshot.AllDevices(tx, Now.Unix())
		if err != nil {
			return err
		}
		for i := range devices {
			last[devices[i].ID] = devices[i].LastScan
		}
		page, err := lists.CaseList().Page(
			tx,
			sqlite.ListQuery{Search: product, Sort: "id", Filters: map[string]string{"kind": "idle"}})
		for _, c := range page.Rows {
			_, address, _, err := worklistdb.UserOfDevice(tx, c.DeviceID)
			if err != nil {
				return err
			}
			out = append(out, begunCase{c.ID, codes[c.DeviceID], address != "", last[c.DeviceID] > o.Now().Unix()})
		}
		return err
	})
	return out, err
}

func (o *Outside) userOfCase(ctx context.Context, prog *program.Program, id int64) (user string, err error) {
	err = prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := lists.CaseList().Page(tx,
			sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(id)}, Limit: 1})
		if err == nil && len(page.Rows) == 1 {
			user = page.Rows[0].User
		}
		return err
	})
	return user, err
}

// putBack lets a device's user install again what was taken off it: its next scan has it.
func (o *Outside) putBack(ctx context.Context, prog *program.Program, id int64) error {
	c, err := prog.Worklist.Case(ctx, id)
	if err != nil {
		return err
	}
	fleet, err := machines(ctx, prog)
	if err != nil {
		return err
	}
	for _, m := range fleet {
		if m.code != c.DeviceCode {
			continue
		}
		s, err := look(ctx, prog, m, o.Now().Add(-5*time.Minute), nil)
		if err != nil {
			return err
		}
		s.Installs = append(
			s.Installs,
			formats.ScanInstall{
				Publisher: "Dunlaw Tools",
				Name:      begunProduct,
				Version:   "6.1",
				FileName:  "bollard.exe",
			},
		)
		o.mu.Lock()
		g := gateway{o.fleet.client, o.state.Token}
		o.mu.Unlock()
		_, err = g.send(ctx, s)
		return err
	}
	return fmt.Errorf("the fleet has no device %s", c.DeviceCode)
}
