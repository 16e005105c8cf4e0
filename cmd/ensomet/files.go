package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/position"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

type importCmd struct {
	What   string   `arg:"" help:"A folder, or a kind: titles, publishers, rates, users, devices, entitlements, transactions, assignments, policies, installs, usage; scan for a scan, SWID tags, CycloneDX or SPDX; directory for LDIF."`
	Files  []string `arg:"" optional:"" help:"The files of that kind; - is standard input."`
	AsOf   string   `help:"The time of the evidence where a line does not say."`
	Device string   `help:"The device whose software a document is: its device_id, or its name where one alone has it." placeholder:"DEVICE"`
	DryRun bool     `help:"Say what would happen, and store nothing."`
}

func (c *importCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	req := intake.ImportRequest{DryRun: c.DryRun, Device: c.Device, Author: "command line"}
	if c.AsOf != "" {
		if req.AsOf, err = formats.ParseTime(c.AsOf, time.UTC); err != nil {
			return err
		}
	}
	aside, refused := 0, []error(nil)
	note := func(file string, res intake.ImportResult, err error) {
		if err != nil {
			refused = append(refused, fmt.Errorf("%s: %w", file, err))
			return
		}
		for _, l := range res.Aside {
			say("%s:%d: %s", file, l.Line, l.Reason)
		}
		aside += len(res.Aside)
		verb := "taken in"
		if c.DryRun {
			verb = "would be taken in"
		}
		say(
			"%s %s: %d lines, %d new, %d changed, %d gone, %d put aside%s",
			file,
			verb,
			res.Lines,
			res.Added,
			res.Changed,
			res.Gone,
			len(res.Aside),
			kept(res),
		)
	}
	if info, err := os.Stat(c.What); err == nil && info.IsDir() && len(c.Files) == 0 {
		if err := prog.Evidence.ImportDir(ctx, c.What, req, note); err != nil {
			return err
		}
	} else {
		var kind *formats.Kind
		if c.What != "scan" && c.What != "directory" {
			if kind, err = formats.KindByName(c.What); err != nil {
				return fmt.Errorf("%s is no folder, and %w; or scan or directory", c.What, err)
			}
		}
		if len(c.Files) == 0 {
			return fmt.Errorf("name the files of %s to take in", c.What)
		}
		for _, path := range c.Files {
			one := req
			one.Kind, one.File = kind, filepath.Base(path)
			res, err := importFile(ctx, prog, one, path)
			note(path, res, err)
		}
	}
	if !c.DryRun {
		if err := renew(ctx, prog); err != nil {
			return err
		}
	}
	if refused != nil {
		return errors.Join(refused...)
	}
	if aside > 0 {
		return &exitError{
			codeAside,
			fmt.Sprintf(
				"%d lines were put aside; mend them and run the import again, or mend them on the import page",
				aside,
			),
		}
	}
	return nil
}

func kept(res intake.ImportResult) string {
	out := ""
	if res.Settled > 0 {
		out += fmt.Sprintf(", %d mended or dropped before", res.Settled)
	}
	if len(res.Columns) > 0 {
		out += fmt.Sprintf("; kept as custom fields: %v", res.Columns)
	}
	return out
}

func importFile(
	ctx context.Context,
	prog *program.Program,
	req intake.ImportRequest,
	path string,
) (intake.ImportResult, error) {
	var f *os.File
	if path == "-" { // a form is told by more than a stream can give back
		spooled, err := os.CreateTemp("", "ensomet-stdin-*")
		if err != nil {
			return intake.ImportResult{}, err
		}
		defer os.Remove(spooled.Name())
		if _, err := io.Copy(spooled, os.Stdin); err != nil {
			return intake.ImportResult{}, errors.Join(err, spooled.Close())
		}
		f = spooled
	} else {
		var err error
		if f, err = os.Open(path); err != nil {
			return intake.ImportResult{}, err
		}
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return intake.ImportResult{}, err
	}
	return prog.Evidence.ImportFile(ctx, f, info.Size(), req)
}

// renew computes figures anew where something has changed.
func renew(ctx context.Context, prog *program.Program) error {
	dirty, err := prog.Renewal.Dirty(ctx)
	if err != nil || !dirty {
		return err
	}
	return prog.Pipeline.Refresh(ctx)
}

type retryCmd struct{}

func (c *retryCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	n, err := prog.Evidence.Retry(ctx, "command line")
	if err != nil {
		return err
	}
	var left []evidencedb.Aside
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		left, err = evidencedb.Asides(tx, "waiting")
		return err
	}); err != nil {
		return err
	}
	say("%d lines went in", n)
	for _, l := range left {
		say("%s:%d: %s", l.File, l.Line, l.Reason)
	}
	if err := renew(ctx, prog); err != nil {
		return err
	}
	if len(left) > 0 {
		return &exitError{codeAside, fmt.Sprintf("%d lines still wait", len(left))}
	}
	return nil
}

type exportCmd struct {
	Kind   string `arg:"" help:"The kind of file: those that can be imported, and position; or cyclonedx, spdx or swid: of --device, or an archive of all devices."`
	Device string `help:"The device whose software is written." placeholder:"DEVICE"`
	AsOf   string `help:"The day, YYYY-MM-DD; today where empty."`
	Format string `help:"csv, json or xlsx; for entitlements cyclonedx too." default:"csv" enum:"csv,json,xlsx,cyclonedx"`
}

func (c *exportCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	day, err := civil.Parse(c.AsOf)
	if err != nil {
		return err
	}
	if c.Format == "cyclonedx" {
		if c.Kind != formats.Entitlements.Name {
			return errors.New(
				"entitlements alone are written as CycloneDX licences; software is by  export cyclonedx",
			)
		}
		return prog.Reports.WriteLicences(ctx, os.Stdout)
	}
	if _, document := evidence.SoftwareFormats[c.Kind]; document {
		if c.Device == "" {
			return prog.Evidence.WriteAllSoftware(ctx, c.Kind, os.Stdout)
		}
		return prog.Evidence.WriteSoftware(ctx, c.Device, c.Kind, os.Stdout)
	}
	return table(os.Stdout, c.Format, func(start func([]string) error, write func([]string) error) error {
		return prog.Reports.Export(ctx, c.Kind, day, start, write)
	})
}

// table writes a table to out in a format.
func table(
	out io.Writer,
	format string,
	fill func(start func([]string) error, write func([]string) error) error,
) error {
	var w formats.Writer
	rows := 0
	err := fill(func(columns []string) (err error) {
		w, err = formats.NewWriter(out, format, columns)
		return err
	}, func(row []string) error {
		rows++
		return w.Write(row)
	})
	if err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	say("%d lines written", rows)
	return nil
}

type positionCmd struct {
	AsOf    string `help:"The day, YYYY-MM-DD; today where empty."`
	Format  string `help:"csv or json." default:"csv" enum:"csv,json"`
	By      string `help:"unit, country, contract, kind, environment, hosting, site, source, own:NAME ...: the parts of each position follow it." default:""`
	Explain string `help:"A product: print a line for each unit of its demand." placeholder:"PRODUCT"`
}

func (c *positionCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	day, err := civil.Parse(c.AsOf)
	if err != nil {
		return err
	}
	if err := renew(ctx, prog); err != nil {
		return err
	}
	if c.Explain == "" && c.By != "" {
		return table(os.Stdout, c.Format, func(start func([]string) error, write func([]string) error) error {
			if err := start(formats.Positions.Columns); err != nil {
				return err
			}
			return prog.Position.PositionsBy(ctx, day, c.By, write)
		})
	}
	if c.Explain == "" {
		return table(os.Stdout, c.Format, func(start func([]string) error, write func([]string) error) error {
			return prog.Reports.Export(ctx, formats.Positions.Name, day, start, write)
		})
	}
	products, err := prog.Position.FindProducts(ctx, c.Explain)
	if err != nil {
		return err
	}
	if len(products) == 0 {
		return fmt.Errorf("the catalogue has no product %q", c.Explain)
	}
	return table(os.Stdout, c.Format, func(start func([]string) error, write func([]string) error) error {
		if err := start(position.ExplainColumns); err != nil {
			return err
		}
		for _, p := range products {
			if err := prog.Position.Explain(ctx, p, day, write); err != nil {
				return err
			}
		}
		return nil
	})
}
