package main

import (
	"context"
	"fmt"
	"time"
)

type statementCmd struct {
	List  statementListCmd  `cmd:"" help:"List the statements that were made."`
	Check statementCheckCmd `cmd:"" help:"Work a statement out again as known at its moment, and say what differs."`
}

type statementListCmd struct{}

func (c *statementListCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	list, err := prog.Position.Statements(ctx)
	for _, s := range list {
		fmt.Printf("%d\tas of %s\tmade %s by %s\tfor %s\t%s\n", s.ID, s.AsOf,
			time.Unix(s.At, 0).UTC().Format(time.RFC3339), s.Author, s.HandedTo, s.Scope)
	}
	return err
}

type statementCheckCmd struct {
	Number int64 `arg:"" help:"The number of the statement."`
}

func (c *statementCheckCmd) Run(ctx context.Context, g *globals) error {
	prog, err := g.open(ctx)
	if err != nil {
		return err
	}
	defer prog.DB.Close()
	s, err := prog.Position.CheckStatement(ctx, c.Number)
	if err != nil {
		return err
	}
	for _, w := range s.Wrong {
		say("%s", w)
	}
	if len(s.Wrong) > 0 {
		return fmt.Errorf("statement %d does not come out again: %d things differ", c.Number, len(s.Wrong))
	}
	say(
		"Statement %d holds: %d positions and %d units of demand come out as they were said, as known on %s.",
		c.Number,
		s.Recomputed,
		s.Units,
		time.Unix(s.At, 0).UTC().Format(time.RFC3339),
	)
	return nil
}
