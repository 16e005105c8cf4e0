package main

import (
	"context"
	"fmt"
	"time"
)

type tokenCmd struct {
	Add    tokenAddCmd    `cmd:"" help:"Give a source a token; it is printed this once."`
	List   tokenListCmd   `cmd:"" help:"List the tokens that were given."`
	Revoke tokenRevokeCmd `cmd:"" help:"Take a token out of use."`
}

type tokenAddCmd struct {
	Source string `arg:"" help:"What sends the scans."`
	Finds  string `help:"How its scans find their device: by its device_id (id) or by its name." default:"id" enum:"id,name"`
}

func (c *tokenAddCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	secret, id, err := prog.Collecting.NewToken(ctx, c.Source, c.Finds, "command line")
	if err != nil {
		return err
	}
	say("Token %d for %s. Keep it: it is not shown again.", id, c.Source)
	fmt.Println(secret)
	return nil
}

type tokenListCmd struct{}

func (c *tokenListCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	list, err := prog.Collecting.Tokens(ctx)
	if err != nil {
		return err
	}
	for _, t := range list {
		used, state := "never used", "in use"
		if t.LastUsed != 0 {
			used = "used " + time.Unix(t.LastUsed, 0).UTC().Format(time.RFC3339)
		}
		if t.RevokedAt != 0 {
			state = "revoked"
		}
		fmt.Printf("%d\t%s\t%s…\t%s\t%s\n", t.ID, t.Source, t.Hint, used, state)
	}
	return nil
}

type tokenRevokeCmd struct {
	ID int64 `arg:"" help:"Its number, as the list has it."`
}

func (c *tokenRevokeCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	if err := prog.Collecting.RevokeToken(ctx, c.ID, "command line"); err != nil {
		return fmt.Errorf("token %d: %w (or revoked already)", c.ID, err)
	}
	say("Token %d is out of use.", c.ID)
	return nil
}
