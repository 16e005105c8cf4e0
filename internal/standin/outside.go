package standin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"ensomet/internal/api"
	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/outbox"
	"ensomet/internal/program"
)

// Outside is the simulated world around a demo: its clock, the deployment tool with the removals it has taken, and
// the fleet that carries them out and reports. What it knows is kept in a file beside the database, since it is none
// of the program's business.
type Outside struct {
	path  string
	mu    sync.Mutex
	state outsideState
	fleet gateway

	servers []pool // the licence servers' pools, once they have reported a day
}

type outsideState struct {
	Now    time.Time `json:"now"`
	Orders []held    `json:"orders"`
	Known  []int64   `json:"known"` // numbers of the orders that were ever taken
	Token  string    `json:"token"` // the fleet's
	Mail   []Letter  `json:"mail"`

	ToolToken string `json:"toolToken"` // the deployment tool's
}

// Letter is a message that the stand-in mail box took.
type Letter struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	To      string    `json:"to"`
	Subject string    `json:"subject"`
	Body    string    `json:"body"`
}

// Send takes a message into the mail box.
func (o *Outside) Send(_ context.Context, l outbox.Letter) error {
	o.mu.Lock()
	defer o.mu.Unlock()
	if slices.ContainsFunc(o.state.Mail, func(had Letter) bool { return had.ID == l.ID }) {
		return nil // the same letter once more
	}
	o.state.Mail = append(o.state.Mail, Letter{l.ID, o.state.Now, l.To, l.Subject, l.Body})
	return o.save()
}

// Letters lists what the mail box has taken.
func (o *Outside) Letters() []Letter {
	o.mu.Lock()
	defer o.mu.Unlock()
	return slices.Clone(o.state.Mail)
}

// AnswerAt finds the address of the answer page in a letter, empty where it asks nothing.
func (l *Letter) AnswerAt() string {
	for _, line := range strings.Split(l.Body, "\n") {
		if strings.Contains(line, "/answer/") {
			return strings.TrimSpace(line)
		}
	}
	return ""
}

// Post lists the letters that ask their readers something, the newest first.
func (o *Outside) Post() []api.DemoLetter {
	var out []api.DemoLetter
	for _, l := range slices.Backward(o.Letters()) {
		if at := l.AnswerAt(); at != "" {
			_, path, _ := strings.Cut(at, "/answer/")
			out = append(
				out,
				api.DemoLetter{
					At:      l.At.Unix(),
					To:      l.To,
					Subject: l.Subject,
					Body:    l.Body,
					Answer:  "/answer/" + path,
				},
			)
		}
	}
	return out
}

// OpenOutside reads the outside of a demo, or begins a new one at the demo's fixed time.
func OpenOutside(dbPath string) (*Outside, error) {
	o := &Outside{path: dbPath + ".outside.json", state: outsideState{Now: Now}}
	text, err := os.ReadFile(o.path)
	if errors.Is(err, os.ErrNotExist) {
		return o, nil
	}
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(text, &o.state); err != nil {
		return nil, fmt.Errorf(
			"%s cannot be read: %w; delete it and the demo's database to begin anew",
			o.path,
			err,
		)
	}
	return o, nil
}

// Save writes what the outside knows.
func (o *Outside) Save() error {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.save()
}

func (o *Outside) save() error {
	text, err := json.MarshalIndent(o.state, "", " ")
	if err != nil {
		return err
	}
	if err := os.WriteFile(o.path+".new", text, 0o600); err != nil {
		return err
	}
	return os.Rename(o.path+".new", o.path)
}

// Now is the demo's time, which stands still until it is moved on.
func (o *Outside) Now() time.Time {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.state.Now
}

// Connect lets the fleet talk to a server.
func (o *Outside) Connect(server http.Handler) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.fleet.client = &http.Client{Transport: loop{server}}
}

// renew computes figures anew, and lets leave what that asks for.
func renew(ctx context.Context, p *program.Program) error {
	return errors.Join(p.Pipeline.Refresh(ctx), p.Outbox.Deliver(ctx))
}

// MoveOn moves the clock on by whole days. Each day schedules are followed, the fleet answers as far as it can be
// reached, and the deployment tool carries out what it was sent: the devices concerned report by a scan. All of it
// goes over the same HTTP interface as a collector's scans. It returns how many scans came.
func (o *Outside) MoveOn(ctx context.Context, prog *program.Program, days int) (int, error) {
	if days < 1 || days > 400 {
		return 0, errors.New("the clock moves on by 1 to 400 days")
	}
	done := 0
	for range days {
		n, err := o.passDay(ctx, prog)
		done += n
		if err != nil {
			return done, err
		}
	}
	return done, nil
}

// signIn gets the fleet a token where it has none.
func (o *Outside) signIn(ctx context.Context, prog *program.Program) error {
	if o.state.Token != "" {
		return nil
	}
	secret, _, err := prog.Collecting.NewToken(ctx, "collector", "id", "demo")
	if err != nil {
		return err
	}
	tool, _, err := prog.Collecting.NewToken(ctx, "deployment", "id", "demo")
	if err != nil {
		return err
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	o.state.Token, o.state.ToolToken = secret, tool
	return nil
}

func (o *Outside) passDay(ctx context.Context, prog *program.Program) (int, error) {
	if err := o.signIn(ctx, prog); err != nil {
		return 0, err
	}
	o.mu.Lock()
	if o.fleet.client == nil {
		o.mu.Unlock()
		return 0, errors.New("the fleet is not connected to a server")
	}
	o.state.Now = o.state.Now.Add(12 * time.Hour) // mail and orders leave in the evening
	err := o.save()
	o.mu.Unlock()
	if err := errors.Join(err, prog.Worklist.FollowUp(ctx), prog.Outbox.Deliver(ctx)); err != nil {
		return 0, err
	}
	o.mu.Lock()
	o.state.Now = o.state.Now.Add(12 * time.Hour)
	now := o.state.Now
	g := gateway{o.fleet.client, o.state.Token}
	err = o.save()
	o.mu.Unlock()
	if err != nil {
		return 0, err
	}
	if _, err := prog.Collecting.Plan(ctx); err != nil {
		return 0, err
	}
	fleet, err := machines(ctx, prog)
	if err != nil {
		return 0, err
	}
	done, err := o.work(ctx, prog, &g, fleet, now)
	if err != nil {
		return done, err
	}
	n, err := g.answerOrders(ctx, prog, fleet, now)
	if err != nil {
		return done + n, err
	}
	return done + n, errors.Join(reportUse(ctx, prog, now), sizePools(ctx, prog), o.reportPools(ctx, prog, now))
}

// firstDays is how many days before its today the demo's fleet begins to follow schedules, so that the queue has a
// history.
const firstDays = 4

// importEarlier takes in what a list of twelve days ago said of some devices.
func importEarlier(ctx context.Context, prog *program.Program, path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = prog.Evidence.Import(
		ctx,
		intake.ImportRequest{
			Kind:   formats.Devices,
			File:   "devices.csv",
			In:     f,
			AsOf:   Now.AddDate(0, 0, -12),
			Author: "demo",
		},
	)
	return err
}

// BuildDemo generates the demo's raw files, takes them in through the real import, lets the fleet report what files
// cannot say over HTTP to the server, and computes. The outside's clock ends at the demo's fixed time.
func BuildDemo(
	ctx context.Context,
	prog *program.Program,
	o *Outside,
	server http.Handler,
	note func(string),
) ([]Truth, error) {
	if prog.Worklist.Deploy == nil {
		prog.Worklist.Deploy = o
	}
	if prog.Outbox.Mail == nil {
		prog.Outbox.Mail = o
	}
	defer prog.Renewal.Hold()()
	// what the files say was known before the days that the demo then lives through
	before := civil.Of(Now.AddDate(0, 0, -firstDays-1))
	prog.DB.Days(func() civil.Day { return before }, o.Now)
	dir, err := os.MkdirTemp("", "ensomet-demo")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	truths, err := Generate(dir)
	if err != nil {
		return nil, err
	}
	for site, zone := range Zones {
		if err := prog.Evidence.SetSiteZone(ctx, site, zone); err != nil {
			return nil, err
		}
	}
	if err := importEarlier(ctx, prog, filepath.Join(dir, EarlierDevices)); err != nil {
		return nil, err
	}
	var failed error
	err = prog.Evidence.ImportDir(
		ctx,
		dir,
		intake.ImportRequest{AsOf: Now, Author: "demo"},
		func(file string, res intake.ImportResult, err error) {
			if err == nil && len(res.Aside) > 0 {
				err = fmt.Errorf("line %d: %s", res.Aside[0].Line, res.Aside[0].Reason)
			}
			if err != nil && failed == nil {
				failed = fmt.Errorf("the demo's %s: %w", res.Kind, err)
			}
			note(fmt.Sprintf("%s: %d lines", res.Kind, res.Lines))
		},
	)
	if err := errors.Join(err, failed); err != nil {
		return nil, err
	}
	o.Connect(server)
	if err := o.signIn(ctx, prog); err != nil {
		return nil, err
	}
	o.mu.Lock()
	o.state.Now = Now.AddDate(0, 0, -firstDays)
	o.mu.Unlock()
	prog.DB.Days(prog.Snapshots.Today, o.Now)
	plan := func(basis string) error {
		for _, p := range Plans {
			if p.Basis == basis {
				if _, err := prog.Collecting.SaveSchedule(ctx, p, "demo"); err != nil {
					return err
				}
			}
		}
		return nil
	}
	if err := plan("calendar"); err != nil {
		return nil, err
	}
	more, err := o.reportStories(ctx, prog)
	if err != nil {
		return nil, err
	}
	machines, err := o.machineStories(ctx, prog)
	if err != nil {
		return nil, err
	}
	more = append(more, machines...)
	scans, passed := 0, 0
	days := func(n int) error {
		came, err := o.MoveOn(ctx, prog, n)
		scans, passed = scans+came, passed+n
		return err
	}
	if err := o.beginWork(ctx, prog, days); err != nil {
		return nil, err
	}
	if err := days(firstDays - passed); err != nil {
		return nil, err
	}
	note(fmt.Sprintf("scans over HTTP: %d", scans))
	if err := plan("age"); err != nil { // only now: most of its scans lie after the clock's first days
		return nil, err
	}
	if err := makeGroups(ctx, prog); err != nil {
		return nil, err
	}
	if err := makeRules(ctx, prog); err != nil {
		return nil, err
	}
	if err := makeUpdate(ctx, prog); err != nil {
		return nil, err
	}
	if err := makePlans(ctx, prog); err != nil {
		return nil, err
	}
	if err := errors.Join(makeRights(ctx, prog), renew(ctx, prog)); err != nil {
		return nil, err
	}
	return append(truths, more...), decideBeforehand(ctx, prog)
}
