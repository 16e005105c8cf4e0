package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"ensomet/internal/api"
	"ensomet/internal/clock"
	"ensomet/internal/core/access"
	"ensomet/internal/people/peopledb"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

func defaultDB() string {
	p, _ := filepath.Abs("data/ensomet.db")
	return p
}

func demoDB() string {
	p, _ := filepath.Abs("data/demo.db")
	return p
}

type userCmd struct {
	Add    userAddCmd    `cmd:"" help:"Make an account, or give it a new role and password. The password is read from standard input."`
	List   userListCmd   `cmd:"" help:"List accounts."`
	Remove userRemoveCmd `cmd:"" help:"Remove an account."`
}

type userAddCmd struct {
	Name string `arg:""`
	Role string `help:"look, work or run." default:"look" enum:"look,work,run"`
}

func (c *userAddCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	say("Password for %s (ten characters or more), then Enter:", c.Name)
	password, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && password == "" {
		return errors.New("no password was given on standard input")
	}
	if err := prog.People.SaveAccount(ctx, c.Name, access.Role(c.Role),
		strings.TrimRight(password, "\r\n")); err != nil {
		return err
	}
	say("%s may sign in with the role %s", c.Name, c.Role)
	return nil
}

type userListCmd struct{}

func (c *userListCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	return prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := peopledb.Accounts(tx)
		for _, acc := range list {
			fmt.Printf("%s\t%s\n", acc.Name, acc.Role)
		}
		return err
	})
}

type userRemoveCmd struct {
	Name string `arg:""`
}

func (c *userRemoveCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	err = prog.People.RemoveAccount(ctx, c.Name)
	if errors.Is(err, sqlite.ErrNotFound) {
		return fmt.Errorf("there is no account %q", c.Name)
	}
	if err == nil {
		say("%s may no longer sign in", c.Name)
	}
	return err
}

type backupCmd struct {
	File string `arg:"" help:"The copy to write." type:"path"`
}

func (c *backupCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	if err := prog.DB.Backup(ctx, c.File); err != nil {
		return err
	}
	say("%s holds a copy of %s", c.File, g.DB)
	return nil
}

type restoreCmd struct {
	File string `arg:"" help:"The copy to restore." type:"existingfile"`
}

func (c *restoreCmd) Run(ctx context.Context, g *globals) error {
	if _, err := os.Stat(g.DB); err == nil {
		return fmt.Errorf("%s exists: move it away first, so that nothing is lost", g.DB)
	}
	from, err := sqlite.Open(ctx, c.File)
	if err != nil {
		return err
	}
	defer from.Close()
	if wrong, err := from.Integrity(ctx); err != nil || len(wrong) > 0 {
		return fmt.Errorf("%s is damaged and was not restored: %v %v", c.File, wrong, err)
	}
	if err := os.MkdirAll(filepath.Dir(g.DB), 0o700); err != nil {
		return err
	}
	if err := from.Backup(ctx, g.DB); err != nil {
		return err
	}
	say("%s is restored from %s", g.DB, c.File)
	return nil
}

type checkCmd struct{}

func (c *checkCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	wrong, err := prog.Pipeline.Check(ctx)
	if err != nil {
		return err
	}
	for _, w := range wrong {
		say("%s", w)
	}
	if len(wrong) > 0 {
		return fmt.Errorf("%d things are wrong", len(wrong))
	}
	say("The file is whole, and stored results equal a full recomputation.")
	return nil
}

type openapiCmd struct{}

func (c *openapiCmd) Run(_ context.Context, _ *globals) error {
	dir, err := os.MkdirTemp("", "ensomet")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	db, err := sqlite.Open(context.Background(), filepath.Join(dir, "empty.db"))
	if err != nil {
		return err
	}
	defer db.Close()
	text, err := api.New(program.New(db, clock.Wall{}), nil).Description()
	if err != nil {
		return err
	}
	fmt.Println(string(text))
	return nil
}
