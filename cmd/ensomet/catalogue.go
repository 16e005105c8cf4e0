package main

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"

	"ensomet/internal/formats"
	"ensomet/internal/opendata"
	"ensomet/internal/program"
	"ensomet/internal/starter"
)

type catalogueCmd struct {
	Starter      catalogueStarterCmd `cmd:"" help:"Take in the starter catalogue, which is made from open data."`
	DistroInfo   distroInfoCmd       `cmd:"" help:"Take in the releases and dates of Debian and Ubuntu, as the Debian package distro-info-data has them."`
	NodeReleases nodeReleasesCmd     `cmd:"" help:"Take in the releases and dates of Node.js, as the npm package node-releases has them."`
	Write        catalogueWriteCmd   `cmd:"" help:"Write the whole catalogue, publishers and titles, to standard output."`
}

// takeEntries takes titles in and says what became of them.
func takeEntries(ctx context.Context, g *globals, name string, entries []formats.Entry) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	res, err := prog.Catalogue.TakeEntries(ctx, entries, name, "command line")
	if err != nil {
		return err
	}
	say("%s taken in: %d titles, %d new, %d changed", name, res.Lines, res.Added, res.Changed)
	for _, s := range res.Samples {
		if s.What == "kept" {
			say("%s", s.Text)
		}
	}
	return renew(ctx, prog)
}

type catalogueStarterCmd struct{}

func (c *catalogueStarterCmd) Run(ctx context.Context, g *globals) error {
	entries, err := starter.Entries()
	if err != nil {
		return err
	}
	return takeEntries(ctx, g, starter.Name, entries)
}

type distroInfoCmd struct {
	Dir string `arg:"" optional:"" help:"The folder with debian.csv and ubuntu.csv." default:"/usr/share/distro-info" type:"path"`
}

func (c *distroInfoCmd) Run(ctx context.Context, g *globals) error {
	var all []formats.Entry
	for _, name := range []string{"debian.csv", "ubuntu.csv"} {
		entries, err := readSet(filepath.Join(c.Dir, name), opendata.ReadDistroInfo)
		if errors.Is(err, os.ErrNotExist) {
			return errors.New(
				c.Dir + " has no " + name +
					": on Debian,  apt-get install distro-info-data  brings it; or name another folder",
			)
		}
		if err != nil {
			return err
		}
		all = append(all, entries...)
	}
	return takeEntries(ctx, g, "distro-info-data", all)
}

type nodeReleasesCmd struct {
	File string `arg:"" help:"release-schedule.json of the package." type:"existingfile"`
}

func (c *nodeReleasesCmd) Run(ctx context.Context, g *globals) error {
	entries, err := readSet(c.File, opendata.ReadNodeReleases)
	if err != nil {
		return err
	}
	return takeEntries(ctx, g, "node-releases", entries)
}

func readSet(path string, read func(io.Reader) ([]formats.Entry, error)) ([]formats.Entry, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return read(f)
}

type catalogueWriteCmd struct {
	Format string `help:"json or cyclonedx." default:"json" enum:"json,cyclonedx"`
}

func (c *catalogueWriteCmd) Run(ctx context.Context, g *globals) error {
	return withApp(ctx, g,
		func(prog *program.Program) error { return prog.Catalogue.WriteCatalogue(ctx, c.Format, os.Stdout) })
}

func withApp(ctx context.Context, g *globals, do func(prog *program.Program) error) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	return errors.Join(do(prog), prog.DB.Close())
}
