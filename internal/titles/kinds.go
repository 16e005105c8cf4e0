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
func (svc *Catalogue) Kinds() map[*formats.Kind]intake.SinkMaker {
	by := func(in intake.Arrival) titlesdb.By {
		return titlesdb.By{Author: in.Author, File: in.File, At: svc.Clock.Now().Unix()}
	}
	return map[*formats.Kind]intake.SinkMaker{
		formats.Titles:     func(in intake.Arrival) (*intake.Sink, error) { return titleSink(in.Tx, by(in)) },
		formats.Publishers: func(in intake.Arrival) (*intake.Sink, error) { return publisherSink(in.Tx, by(in)) },
	}
}

// titleSink takes titles. What people changed here stays: a file that says otherwise is noted in its result.
func titleSink(tx *sqlite.Tx, by titlesdb.By) (*intake.Sink, error) {
	return bookSink(tx, by, func(row *formats.Row) (string, formats.Entry, error) {
		t, err := formats.ParseTitle(row)
		e := t.Entry()
		return "the title " + e.Key.String(), e, err
	})
}

func publisherSink(tx *sqlite.Tx, by titlesdb.By) (*intake.Sink, error) {
	return bookSink(tx, by, func(row *formats.Row) (string, formats.Entry, error) {
		p, err := formats.ParsePublisher(row)
		return "the publisher " + p.Name, p.Entry(), err
	})
}

func bookSink(
	tx *sqlite.Tx,
	by titlesdb.By,
	parse func(row *formats.Row) (string, formats.Entry, error),
) (*intake.Sink, error) {
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
