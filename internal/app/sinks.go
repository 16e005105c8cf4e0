package app

import (
	"fmt"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// sink takes the lines of one kind. put returns a *formats.LineError for a line that cannot go in; finish writes what put has gathered.
type sink struct {
	put    func(row *formats.Row) (store.Change, error)
	finish func(res *ImportResult) error
}

// arrival is what is known of lines that arrive, besides themselves: when they hold where they do not say, who brought them, and from which file.
type arrival struct {
	tx           *store.Tx
	settings     *Settings
	asOf         time.Time
	author, file string
}

// sinkMaker makes what takes the lines of a kind.
type sinkMaker func(in arrival) (*sink, error)

// sink returns what takes the lines of a kind.
func (a *App) sink(tx *store.Tx, k *formats.Kind, asOf time.Time, author, file string) (*sink, error) {
	settings, err := loadSettings(tx)
	if err != nil {
		return nil, err
	}
	for _, kinds := range []map[*formats.Kind]sinkMaker{a.evidenceKinds(), a.titleKinds(), a.entitlementKinds(), a.useKinds(), a.policyKinds()} {
		if make := kinds[k]; make != nil {
			return make(arrival{tx, &settings, asOf, author, file})
		}
	}
	return nil, fmt.Errorf("%s cannot be imported", k.Name)
}

// evidenceKinds are the kinds of files that say what is there.
func (a *App) evidenceKinds() map[*formats.Kind]sinkMaker {
	return map[*formats.Kind]sinkMaker{
		formats.Installs: func(in arrival) (*sink, error) { return installSink(in.tx, in.settings, in.asOf) },
		formats.Devices:  deviceSink,
		formats.Users:    userSink,
	}
}

func deviceSink(in arrival) (*sink, error) {
	return upsertSink(in.tx, (*store.Tx).Devices, func(row *formats.Row) (string, formats.Device, error) {
		d, err := formats.ParseDevice(row, in.settings.Zone)
		return "device_id " + d.ID, d, err
	}, func(u *store.Upserter, d formats.Device, _ *formats.Row) (store.Change, error) {
		return u.PutDevice(d, in.asOf.Unix())
	})
}

func userSink(in arrival) (*sink, error) {
	return upsertSink(in.tx, (*store.Tx).Persons, func(row *formats.Row) (string, formats.User, error) {
		u, err := formats.ParseUser(row)
		return "user_id " + u.ID, u, err
	}, func(u *store.Upserter, p formats.User, _ *formats.Row) (store.Change, error) {
		return u.PutUser(p, civil.Of(in.asOf))
	})
}

func plainSink(put func(row *formats.Row) (store.Change, error)) *sink {
	return &sink{put, func(*ImportResult) error { return nil }}
}

func refuse(row *formats.Row, format string, args ...any) error {
	return &formats.LineError{Line: row.Line, Content: row.Content, Reason: fmt.Sprintf(format, args...)}
}

// upsertSink takes lines that stand for one thing each.
func upsertSink[T any](tx *store.Tx, prepare func(*store.Tx) (*store.Upserter, error), parse func(*formats.Row) (string, T, error), put func(*store.Upserter, T, *formats.Row) (store.Change, error)) (*sink, error) {
	u, err := prepare(tx)
	return noTwice(parse, func(v T, row *formats.Row) (store.Change, error) { return put(u, v, row) }), err
}

// noTwice refuses the same thing twice in one file with other values: nobody can say which is right.
func noTwice[T any](parse func(*formats.Row) (string, T, error), put func(T, *formats.Row) (store.Change, error)) *sink {
	type seen struct {
		line    int
		content string
	}
	before := map[string]seen{}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		key, v, err := parse(row)
		if err != nil {
			return store.Same, err
		}
		if b, twice := before[key]; twice && b.content != row.Content {
			return store.Same, refuse(row, "%s stands already on line %d with other values: one of the two must go", key, b.line)
		}
		change, err := put(v, row)
		if err == nil {
			before[key] = seen{row.Line, row.Content}
		}
		return change, err
	})
}

// findProduct finds a product by publisher, under any of its names, and name; without publisher, by a name that one product alone has.
func findProduct(products map[string]int64, publisher, name string) (int64, string) {
	if publisher != "" {
		if id := products[store.ProductKey(publisher, name)]; id != 0 {
			return id, ""
		}
		return 0, fmt.Sprintf("the catalogue has no product %q of publisher %q: add its title, or mend the name; the line is tried again when titles come in", name, publisher)
	}
	var found int64
	suffix := store.ProductKey("", name)
	for key, id := range products {
		if strings.HasSuffix(key, suffix) {
			if found != 0 && found != id {
				return 0, fmt.Sprintf("several publishers have a product %q: name the publisher", name)
			}
			found = id
		}
	}
	if found == 0 {
		return 0, fmt.Sprintf("the catalogue has no product %q: add its title, or mend the name; the line is tried again when titles come in", name)
	}
	return found, ""
}
