package app

import (
	"ensomet/internal/core/catalogue"
	"ensomet/internal/formats"
	"ensomet/internal/store"
	"fmt"
	"strings"
)

// titleKinds are the kinds of files that the catalogue is written in.
func (a *App) titleKinds() map[*formats.Kind]sinkMaker {
	by := func(in arrival) store.By { return store.By{Author: in.author, File: in.file, At: a.Clock.Now().Unix()} }
	return map[*formats.Kind]sinkMaker{
		formats.Titles:     func(in arrival) (*sink, error) { return titleSink(in.tx, by(in)) },
		formats.Publishers: func(in arrival) (*sink, error) { return publisherSink(in.tx, by(in)) },
	}
}

// titleSink takes titles. What people changed here stays: a file that says otherwise is noted in its result.
func titleSink(tx *store.Tx, by store.By) (*sink, error) {
	return bookSink(tx, by, func(row *formats.Row) (string, formats.Entry, error) {
		t, err := formats.ParseTitle(row)
		e := t.Entry()
		return "the title " + e.Key.String(), e, err
	})
}

func publisherSink(tx *store.Tx, by store.By) (*sink, error) {
	return bookSink(tx, by, func(row *formats.Row) (string, formats.Entry, error) {
		p, err := formats.ParsePublisher(row)
		return "the publisher " + p.Name, p.Entry(), err
	})
}

func bookSink(tx *store.Tx, by store.By, parse func(row *formats.Row) (string, formats.Entry, error)) (*sink, error) {
	b, err := openBook(tx, by)
	if err != nil {
		return nil, err
	}
	s := noTwice(parse, func(e formats.Entry, _ *formats.Row) (store.Change, error) { return b.merge(e, catalogue.Usual) })
	s.finish = func(res *ImportResult) error {
		for _, d := range b.kept {
			res.sampleLine("kept", fmt.Sprintf("%s: %s stays %q, as it was changed here, and not %q", d.Key, strings.ReplaceAll(d.Field, "_", " "), d.Ours, d.Theirs))
		}
		return nil
	}
	return s, nil
}
