package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"strconv"
	"time"

	"ensomet/internal/api"
	"ensomet/internal/clock"
	"ensomet/internal/collect"
	"ensomet/internal/evidence"
	"ensomet/internal/people/peopledb"
	"ensomet/internal/program"
	"ensomet/internal/rest"
	"ensomet/internal/sqlite"
	"ensomet/internal/standin"

	"github.com/gofrs/flock"
)

type serveCmd struct {
	mailFlags
	siteFlags
	Watch  []string      `help:"Folders below which files may be looked for on a schedule." env:"ENSOMET_WATCH" placeholder:"FOLDER" sep:":"`
	Fetch  []string      `help:"Hosts from which files may be fetched on a schedule, over https." env:"ENSOMET_FETCH" placeholder:"HOST"`
	Listen string        `help:"Address to listen on." default:"127.0.0.1:8321"`
	Idle   time.Duration `help:"How long nothing may be heard of a browser before it has to sign in again." default:"30m"`
}

// siteFlags say where browsers reach the program.
type siteFlags struct {
	URL   string   `name:"url" help:"The address by which browsers reach it, such as https://software.example: letters name it, and requests for any other are refused." env:"ENSOMET_URL" placeholder:"URL"`
	Proxy []string `help:"Addresses that pass requests on, such as 10.0.0.7 or 10.0.0.0/24: what they say of a request's origin is believed." env:"ENSOMET_PROXY" placeholder:"ADDRESS"`
}

func (c *serveCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	defer prog.Close()
	prog.Places.Roots, prog.Places.Fetch.Hosts = c.Watch, c.Fetch
	if prog.Outbox.Mail, err = c.mailer(g.DB); err != nil {
		return err
	}
	if prog.People.Idle = c.Idle; c.Idle < time.Minute {
		return fmt.Errorf(
			"a browser that has to sign in again after %s cannot be worked with: a minute is the least",
			c.Idle,
		)
	}
	site, err := rest.ParseSite(c.URL, c.Proxy)
	if err != nil {
		return err
	}
	var accounts []peopledb.Account
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		accounts, err = peopledb.Accounts(tx)
		return err
	}); err != nil {
		return err
	}
	if len(accounts) == 0 {
		say("Nobody can sign in yet: make an account with  ensomet user add NAME --role run")
	}
	return serve(ctx, prog, api.At(site, prog, nil), site, c.Listen)
}

// serve answers until ctx ends.
func serve(ctx context.Context, prog *program.Program, server http.Handler, site rest.Site, listen string) error {
	free, err := lock(prog.DB.Path)
	if err != nil {
		return err
	}
	defer free()
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("%s cannot be listened on: %w; choose another with --listen", listen, err)
	}
	prog.Worklist.Address = addressOf(site, l.Addr())
	limited := rest.Limit(l, handles())
	srv := &http.Server{
		Handler:           server,
		ReadHeaderTimeout: rest.HeaderPatience,
		IdleTimeout:       rest.IdlePatience,
		MaxHeaderBytes:    64 << 10,
		ConnState:         limited.State,
	}
	prog.Begin()
	base, stop := context.WithCancelCause(context.Background())
	defer stop(nil)
	ending, end := context.WithCancel(context.Background())
	defer end()
	srv.RegisterOnShutdown(end)
	srv.BaseContext = func(net.Listener) context.Context { return rest.WithEnding(base, ending.Done()) }
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(limited) }()
	say("Ensomet answers at http://%s", l.Addr())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	return shutDown(srv, stop)
}

// How long requests may take to end by themselves once the program is being stopped, and once they have been told.
const (
	endPatience   = 5 * time.Second
	breakPatience = 5 * time.Second
)

// shutDown lets requests end, then breaks off what takes longer, and closes what is still there.
func shutDown(srv *http.Server, stop context.CancelCauseFunc) error {
	wait := func(patience time.Duration) error {
		ctx, cancel := context.WithTimeout(context.Background(), patience)
		defer cancel()
		return srv.Shutdown(ctx)
	}
	err := wait(endPatience)
	if !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	say("Breaking off what is still being done: nothing of it is stored.")
	stop(evidence.ErrStopping)
	if err = wait(breakPatience); errors.Is(err, context.DeadlineExceeded) {
		err = srv.Close()
	}
	return err
}

// addressOf is where letters say that the program is reached: by the address of the house, else by the machine's name.
func addressOf(site rest.Site, at net.Addr) string {
	if site.URL != nil {
		return site.URL.String()
	}
	tcp, ok := at.(*net.TCPAddr)
	if !ok || !tcp.IP.IsUnspecified() {
		return "http://" + at.String()
	}
	name, err := os.Hostname()
	if err != nil {
		name = "localhost"
	}
	return "http://" + net.JoinHostPort(name, strconv.Itoa(tcp.Port))
}

// lock keeps a second server off a data file. It is free again when the program ends, however it ends.
func lock(path string) (free func(), err error) {
	l := flock.New(path+".serving", flock.SetPermissions(0o600))
	ours, err := l.TryLock()
	if err != nil {
		return nil, fmt.Errorf("it cannot be told whether somebody else serves %s: %w", path, err)
	}
	if !ours {
		return nil, fmt.Errorf("%s is served already: stop that server first, or name another file with --db", path)
	}
	return func() { _ = l.Unlock() }, nil // it ends with the program in any case
}

type demoCmd struct {
	siteFlags
	Listen      string `help:"Address to listen on." default:"127.0.0.1:8321"`
	ThisMachine bool   `help:"Show the machine that this runs on as one more device: its collector reads it now."`
}

// addThisMachine lets the collector read this machine and takes its scan in, at the demo's time.
func addThisMachine(ctx context.Context, prog *program.Program) error {
	scan, _, err := read(ctx, &collect.Machine{})
	if err != nil {
		return err
	}
	shift := prog.Clock.Now().Sub(scan.At)
	scan.At = scan.At.Add(shift)
	for i := range scan.Sessions {
		scan.Sessions[i].Start = scan.Sessions[i].Start.Add(shift)
	}
	for i := range scan.Logons {
		scan.Logons[i].At = scan.Logons[i].At.Add(shift)
	}
	got, err := prog.Evidence.TakeScan(ctx, "collector on this machine", "id", scan)
	if err != nil {
		return err
	}
	say("This machine is the device %s (%s).", scan.Device.Name, got.Device)
	return prog.Pipeline.Refresh(ctx)
}

func (c *demoCmd) Run(ctx context.Context, g *globals) error {
	if g.DB == defaultDB() {
		g.DB = demoDB()
	}
	_, err := os.Stat(g.DB)
	missing := errors.Is(err, os.ErrNotExist)
	if missing { // what an earlier demo left outside belongs to a world that is gone
		if err := os.Remove(g.DB + ".outside.json"); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	if missing {
		building := g.DB + ".building"
		for _, end := range []string{"", "-wal", "-shm", ".outside.json", ".key"} {
			if err := os.Remove(building + end); err != nil && !errors.Is(err, os.ErrNotExist) {
				return err
			}
		}
		if err := buildDemo(ctx, building); err != nil {
			return err
		}
		if err := os.Rename(building, g.DB); err != nil {
			return err
		}
		for _, end := range sqlite.Locks {
			_ = os.Remove(building + end) // nobody opens it any more
		}
		// other commands on this file go by the demo's clock, and letters that have left open with its secret
		for _, end := range []string{".outside.json", ".key"} {
			if err := os.Rename(building+end, g.DB+end); err != nil {
				return err
			}
		}
	}
	db, err := sqlite.Open(ctx, g.DB)
	if err != nil {
		return err
	}
	defer db.Close()
	outside, err := standin.OpenOutside(g.DB)
	if err != nil {
		return err
	}
	prog := program.New(db, outside)
	defer prog.Close()
	prog.Worklist.Deploy, prog.Outbox.Mail, prog.Demo = outside, outside, true
	site, err := rest.ParseSite(c.URL, c.Proxy)
	if err != nil {
		return err
	}
	server := api.At(site, prog, outside)
	outside.Connect(server)
	if c.ThisMachine {
		if err := addThisMachine(ctx, prog); err != nil {
			return err
		}
	}
	return serve(ctx, prog, server, site, c.Listen)
}

// buildDemo builds a demo in a file of its own, which takes its place when it is whole.
func buildDemo(ctx context.Context, path string) error {
	start := time.Now()
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		return err
	}
	outside, err := standin.OpenOutside(path)
	if err != nil {
		return errors.Join(err, db.Close())
	}
	say("Building the demo: invented data, generated and taken in through the real import.")
	prog := program.New(db, outside)
	prog.Outbox.Mail = outside
	_, err = standin.BuildDemo(ctx, prog, outside, api.New(prog, outside), func(s string) { say("  %s", s) })
	prog.Close()
	if err := errors.Join(err, db.Close()); err != nil {
		return err
	}
	say("Built in %s.", time.Since(start).Round(100*time.Millisecond))
	return nil
}

// demoClock is the clock of a data file: the demo's own where it is a demo, else the machine's.
func demoClock(path string) (clock.Clock, error) {
	if _, err := os.Stat(path + ".outside.json"); err == nil {
		return standin.OpenOutside(path)
	}
	return clock.Wall{}, nil
}
