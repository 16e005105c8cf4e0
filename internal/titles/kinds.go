package titles

import (
	"fmt"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// titleKinds are the kinds of files that the catalogue is written in.
func (svc *Catalogue) Kinds() map[*formats.Kind]intake.WriterMaker {
	by := func(in intake.Arrival) titlesdb.By {
		return titlesdb.By{Author: in.Author, File: in.File, At: svc.Clock.Now().Unix()}
	}
	return map[*formats.Kind]intake.WriterMaker{
		formats.Titles:     func(in intake.Arrival) (*intake.Writer, error) { return titleWriter(in.Tx, by(in)) },
		formats.Publishers: func(in intake.Arrival) (*intake.Writer, error) { return publisherWriter(in.Tx, by(in)) },
	}
}

// titleWriter takes titles. What people changed here stays: a file that says otherwise is noted in its result.
func titleWriter(tx *sqlite.Tx, by titlesdb.By) (*intake.Writer, error) {
	return bookWriter(tx, by, func(row *formats.Row) (string, formats.Entry, error) {
		t, err := formats.ParseTitle(row)
		e := t.Entry()
		return "the title " + e.Key.String(), e, err
	})
}

func publisherWriter(tx *sqlite.Tx, by titlesdb.By) (*intake.Writer, error) {
	return bookWriter(tx, by, func(row *formats.Row) (string, formats.Entry, error) {
		p, err := formats.ParsePublisher(row)
		return "the publisher " + p.Name, p.Entry(), err
	})
}

func bookWriter(
	tx *sqlite.Tx,
	by titlesdb.By,
	parse func(row *formats.Row) (string, formats.Entry, error),
) (*intake.Writer, error) {
	b, err := newEditor(tx, by)
	if err != nil {
		return nil, err
	}
	s := intake.NoTwice(
		parse,
		func(e formats.Entry, _ *formats.Row) (sqlite.Change, error) { return b.merge(e, catalogue.Usual) },
	)
	s.Finish = func(res *intake.ImportResult) error {
		for _, d := range b.kept {
			res.SampleLine(
				"kept",
				fmt.Sprintf(
					"%s: %s stays %q, as it was changed here, and not %q",
					d.Key,
					strings.ReplaceAll(d.Field, "_", " "),
					d.Ours,
					d.Theirs,
				),
			)
		}
		return nil
	}
	return s, nil
}
