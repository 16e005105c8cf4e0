package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"time"

	"ensomet/internal/api"
	"ensomet/internal/clock"
	"ensomet/internal/collect"
	"ensomet/internal/people/peopledb"
	"ensomet/internal/program"
	"ensomet/internal/rest"
	"ensomet/internal/sqlite"
	"ensomet/internal/standin"
)

type serveCmd struct {
	mailFlags
	Listen string `help:"Address to listen on." default:"127.0.0.1:8321"`
}

func (c *serveCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	defer prog.Close()
	if prog.Outbox.Mail, err = c.mailer(g.DB); err != nil {
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
	return serve(ctx, prog, api.New(prog, nil), c.Listen)
}

// serve answers until ctx ends.
func serve(ctx context.Context, prog *program.Program, server http.Handler, listen string) error {
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("%s cannot be listened on: %w; choose another with --listen", listen, err)
	}
	srv := &http.Server{Handler: server, ReadHeaderTimeout: rest.HeaderPatience, IdleTimeout: rest.IdlePatience}
	prog.Begin()
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(l) }()
	say("Ensomet answers at http://%s", l.Addr())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	end, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	return srv.Shutdown(end)
}

type demoCmd struct {
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
	server := api.New(prog, outside)
	outside.Connect(server)
	if c.ThisMachine {
		if err := addThisMachine(ctx, prog); err != nil {
			return err
		}
	}
	return serve(ctx, prog, server, c.Listen)
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
