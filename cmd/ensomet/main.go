// Command ensomet is the whole program: server, demo, and the command line for files.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // zones of sites, on machines without them

	"ensomet/internal/evidence"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"

	"github.com/alecthomas/kong"
)

// exit codes besides 0: 1 for anything that went wrong, 3 where some lines were put aside.
const codeAside = 3

// exitError ends the program with a code of its own.
type exitError struct {
	code int
	text string
}

func (e *exitError) Error() string { return e.text }

type globals struct {
	DB string `help:"The data file." env:"ENSOMET_DB" default:"data/ensomet.db" type:"path"`
}

type commandLine struct {
	globals
	Serve     serveCmd     `cmd:"" help:"Serve the data file to browsers."`
	Demo      demoCmd      `cmd:"" help:"Serve a demo with invented data; build it where the file is missing."`
	Import    importCmd    `cmd:"" help:"Take in files: a folder, or one kind and its files."`
	Retry     retryCmd     `cmd:"" help:"Try the lines that were put aside again."`
	Export    exportCmd    `cmd:"" help:"Write a kind of file to standard output."`
	Catalogue catalogueCmd `cmd:"" help:"Begin or write the catalogue of titles."`
	Position  positionCmd  `cmd:"" help:"Compute and print the position, or explain that of one product."`
	Collect   collectCmd   `cmd:"" help:"Read the machine that this runs on: send it to a server, or write it to a file."`
	Token     tokenCmd     `cmd:"" help:"Manage which sources may send scans."`
	User      userCmd      `cmd:"" help:"Manage who may sign in."`
	Backup    backupCmd    `cmd:"" help:"Write a consistent copy of the data file."`
	Restore   restoreCmd   `cmd:"" help:"Put a copy in place of the data file."`
	Check     checkCmd     `cmd:"" help:"Check the file, and that stored results equal a full recomputation."`
	Statement statementCmd `cmd:"" help:"List what was handed over, or work a statement out again as known at its moment."`
	Openapi   openapiCmd   `cmd:"" help:"Print the OpenAPI description of the HTTP API."`
}

func main() {
	var cli commandLine
	parser := kong.Must(
		&cli,
		kong.Name("ensomet"),
		kong.Description(
			"Software asset management: what runs, what is owned, what is used, and what to do about it.",
		),
		kong.UsageOnError(),
		kong.Vars{"spool": spoolDir()},
		kong.Writers(os.Stdout, os.Stderr),
	)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	kctx, err := parser.Parse(os.Args[1:])
	if err == nil {
		kctx.BindTo(ctx, (*context.Context)(nil))
		err = kctx.Run(&cli.globals)
	}
	if err == nil {
		return
	}
	code := 1
	var exit *exitError
	if errors.As(err, &exit) {
		code = exit.code
	}
	fmt.Fprintln(os.Stderr, "ensomet:", err)
	os.Exit(code)
}

// say tells a person what was done, on standard error.
func say(format string, args ...any) { fmt.Fprintf(os.Stderr, format+"\n", args...) }

// open opens the data file for a command that works on real data.
func (g *globals) open(ctx context.Context) (*program.Program, error) {
	db, err := sqlite.Open(ctx, g.DB)
	if err != nil {
		return nil, err
	}
	clock, err := demoClock(g.DB)
	if err != nil {
		return nil, err
	}
	prog := program.New(db, clock)
	return prog, errors.Join(evidence.KeepOlderSystems(ctx, db),
		evidence.KeepOlderRecords(ctx, db, prog.Evidence.Machines))
}
