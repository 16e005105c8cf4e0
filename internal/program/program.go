// Package program puts the stations together.
package program

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"ensomet/internal/clock"
	"ensomet/internal/counts"
	"ensomet/internal/directory"
	"ensomet/internal/entitlements"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/arriving"
	"ensomet/internal/evidence/byhand"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/evidence/same"
	"ensomet/internal/fetch"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/outbox"
	"ensomet/internal/own"
	"ensomet/internal/people"
	"ensomet/internal/persons"
	"ensomet/internal/pipeline"
	"ensomet/internal/places"
	"ensomet/internal/position"
	"ensomet/internal/progress"
	"ensomet/internal/renewal"
	"ensomet/internal/reports"
	"ensomet/internal/secret"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/use"
	"ensomet/internal/worklist"
)

// Program is the stations, on one file.
type Program struct {
	DB       *sqlite.DB
	Clock    clock.Clock
	Secret   secret.File
	Progress *progress.Board
	Demo     bool

	Evidence     *evidence.Service
	Collecting   *evidence.Collecting
	Sources      *evidence.Sources
	Same         *same.Service
	Directory    *directory.Service
	ByHand       *byhand.Service
	Own          *own.Service
	Directories  *directory.Reader
	Places       *places.Service
	Titles       *titles.Service
	Catalogue    *titles.Catalogue
	Entitlements *entitlements.Service
	Spending     *entitlements.Spending
	Keys         *entitlements.Keys
	Use          *use.Service
	Position     *position.Service
	Worklist     *worklist.Service
	Orders       *worklist.Orders
	Requests     *worklist.Requests
	Standing     *worklist.Standing
	Reports      *reports.Service
	People       *people.Service

	Snapshots *snapshot.Loader
	Outbox    *outbox.Service
	Renewal   *renewal.Loop
	Pipeline  *pipeline.Service

	ctx  context.Context // of what runs in the background; it ends when the program is closed
	end  context.CancelFunc
	work sync.WaitGroup
}

// DefaultAddress is where the program is reached where nothing else was set.
const DefaultAddress = "http://127.0.0.1:8321"

// New makes a program on an open file. It is closed before the file is.
func New(db *sqlite.DB, clock clock.Clock) *Program {
	p := &Program{DB: db, Clock: clock, Secret: secret.Beside(db.Path), Progress: &progress.Board{}}
	p.ctx, p.end = context.WithCancel(context.Background())
	p.Snapshots = &snapshot.Loader{Clock: clock}
	if err := p.Snapshots.UseZone(p.ctx, db); err != nil { // days turn by UTC until it can be read
		slog.Error("the time zone of the house", "error", err)
	}
	db.Days(p.Snapshots.Today, clock.Now)
	p.Renewal = renewal.NewLoop(db, p.Progress, p.Snapshots.Today)
	p.Outbox = outbox.New(db, clock)

	p.People = &people.Service{DB: db, Clock: clock}
	p.Evidence = &evidence.Service{
		DB:        db,
		Clock:     clock,
		Snapshots: p.Snapshots,
		Progress:  p.Progress,
		Room: &arriving.Room{
			DB:       db,
			Clock:    clock,
			Secret:   p.Secret,
			Numbers:  evidencedb.NewCache(),
			Machines: arriving.MachinesOf(clock),
		},
		Persons: &persons.Room{MainUsers: mainUsers},
	}
	p.Titles = &titles.Service{DB: db, Clock: clock, Snapshots: p.Snapshots, Progress: p.Progress}
	p.Collecting = &evidence.Collecting{Service: p.Evidence}
	p.Sources = &evidence.Sources{Service: p.Evidence}
	p.Same = &same.Service{DB: db, Clock: clock, Snapshots: p.Snapshots, Machines: p.Evidence.Machines}
	p.Directories = &directory.Reader{
		DB:       db,
		Clock:    clock,
		Secret:   p.Secret,
		Progress: p.Progress,
		Importer: p.Evidence,
	}
	p.Places = &places.Service{DB: db, Clock: clock, Progress: p.Progress, Importer: p.Evidence,
		Fetch: &fetch.Fetcher{}}
	p.Own = &own.Service{DB: db, Clock: clock}
	p.ByHand = &byhand.Service{DB: db, Clock: clock, Snapshots: p.Snapshots}
	p.Directory = &directory.Service{DB: db, Clock: clock, Snapshots: p.Snapshots, Persons: p.Evidence.Persons}
	p.Catalogue = &titles.Catalogue{Service: p.Titles}
	p.Entitlements = &entitlements.Service{
		DB:        db,
		Clock:     clock,
		Snapshots: p.Snapshots,
		Secret:    p.Secret,
	}
	p.Spending = &entitlements.Spending{Service: p.Entitlements}
	p.Keys = &entitlements.Keys{Service: p.Entitlements}
	p.Use = &use.Service{DB: db, Clock: clock, Snapshots: p.Snapshots, Progress: p.Progress}
	p.Position = &position.Service{
		DB:        db,
		Clock:     clock,
		Snapshots: p.Snapshots,
		Progress:  p.Progress,
		Renewal:   p.Renewal,
	}
	p.Worklist = &worklist.Service{
		DB:           db,
		Clock:        clock,
		Snapshots:    p.Snapshots,
		Secret:       p.Secret,
		Entitlements: p.Entitlements,
		Outbox:       p.Outbox,
		Address:      DefaultAddress,
	}
	p.Orders = &worklist.Orders{Service: p.Worklist}
	p.Requests = &worklist.Requests{Service: p.Worklist}
	p.Standing = &worklist.Standing{Service: p.Worklist}
	p.Reports = &reports.Service{
		DB:        db,
		Clock:     clock,
		Snapshots: p.Snapshots,
		Renewal:   p.Renewal,
		Position:  p.Position,
	}
	p.Evidence.Kinds = []map[*formats.Kind]intake.WriterMaker{
		p.Catalogue.Kinds(),
		p.Entitlements.Kinds(),
		p.Use.Kinds(),
		p.Worklist.Kinds(),
	}
	p.Outbox.Finish = p.Worklist.WithLink
	p.Outbox.Channels = []outbox.Channel{p.Orders}

	p.Pipeline = &pipeline.Service{
		DB:        db,
		Clock:     clock,
		Snapshots: p.Snapshots,
		Progress:  p.Progress,
		Renewal:   p.Renewal,
		Counts:    &counts.Room{},
		Evidence:  p.Evidence,
		Sources:   p.Sources,
		Persons:   p.Evidence.Persons,
		ByHand:    p.ByHand,
		Titles:    p.Titles,
		Catalogue: p.Catalogue,
		Use:       p.Use,
		Position:  p.Position,
		Worklist:  p.Worklist,
	}
	p.Renewal.Renew = p.Pipeline.Refresh
	return p
}

// mainUsers brings the main users of devices in line with who counts as whom.
func mainUsers(tx *sqlite.Tx, devices []int64) error {
	for _, d := range devices {
		if err := errors.Join(evidencedb.ResolveAnew(tx, d), renewal.MarkDevice(tx, d, 0)); err != nil {
			return err
		}
	}
	return nil
}

// Begin lets every transaction that changes what figures rest on renew them in the background, and lets time do its
// work: days that pass, scans that are due, mail and orders. It ends with Close.
func (p *Program) Begin() {
	if err := p.Evidence.BreakImports(p.ctx); err != nil {
		slog.Error("imports that were broken off", "error", err)
	}
	if err := p.Keys.HashOlder(p.ctx); err != nil {
		slog.Error("licence keys could not be made comparable", "error", err)
	}
	p.work.Go(func() {
		if err := evidence.KeepOlderSystems(p.ctx, p.DB); err != nil && p.ctx.Err() == nil {
			slog.Error("operating systems that were known before are not counted yet", "error", err)
		}
		if err := evidence.KeepOlderRecords(p.ctx, p.DB, p.Evidence.Machines); err != nil && p.ctx.Err() == nil {
			slog.Error("devices that were known before cannot be joined yet", "error", err)
		}
	})
	p.work.Go(p.Renewal.Start(p.ctx))
	p.work.Go(p.followTime)
	p.work.Go(func() { p.Outbox.Run(p.ctx) })
}

func (p *Program) followTime() {
	t := time.NewTicker(time.Minute)
	defer t.Stop()
	for {
		select {
		case <-p.ctx.Done():
			return
		case <-t.C:
			p.EachMinute(p.ctx)
		}
	}
}

// EachMinute does what time asks for: it renews figures when a day has passed, turns what is due into orders for scans,
// and carries out what waits in the worklist.
func (p *Program) EachMinute(ctx context.Context) {
	if dirty, err := p.Renewal.Dirty(ctx); err == nil && dirty {
		p.Renewal.Wake()
	}
	if _, err := p.Collecting.Plan(ctx); err != nil && ctx.Err() == nil {
		slog.Error("schedules could not be followed", "error", err)
	}
	p.work.Go(func() { // a large one takes its time, and nothing else waits for it
		if err := p.Directories.ReadDue(p.ctx); err != nil && p.ctx.Err() == nil {
			slog.Error("directories could not be read", "error", err)
		}
		if err := p.Places.LookDue(p.ctx); err != nil && p.ctx.Err() == nil {
			slog.Error("places could not be looked at", "error", err)
		}
	})
	p.work.Go(func() {
		if err := p.Evidence.ForgetHistoryDaily(p.ctx); err != nil && p.ctx.Err() == nil {
			slog.Error("the past that is too old could not be forgotten", "error", err)
		}
	})
	err := errors.Join(
		p.Worklist.FollowUp(ctx),
		p.Collecting.ForgetDeliveries(ctx),
		p.Use.ForgetUseDaily(ctx),
	)
	if err != nil && ctx.Err() == nil {
		slog.Error("worklist, mail or old notes", "error", err)
	}
}

// Close ends what runs in the background and waits until it has ended. What was not renewed stays marked, and is
// renewed at the next start.
func (p *Program) Close() {
	p.end()
	p.work.Wait()
}
