package app

import (
	"fmt"
	"strings"
	"time"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// sink takes the lines of one kind. put returns a *formats.LineError for a line that cannot go in; finish writes what put has gathered.
type sink struct {
	put    func(row *formats.Row) (store.Change, error)
	finish func(res *ImportResult) error
}

// sink returns what takes the lines of a kind.
func (a *App) sink(tx *store.Tx, k *formats.Kind, asOf time.Time, author, file string) (*sink, error) {
	settings, err := loadSettings(tx)
	if err != nil {
		return nil, err
	}
	switch k {
	case formats.Installs:
		return installSink(tx, &settings, asOf)
	case formats.Usage:
		return a.usageSink(tx, &settings)
	case formats.ProcessEvents:
		return a.processSink(tx, &settings)
	case formats.Devices:
		return upsertSink(tx, tx.Devices, func(row *formats.Row) (string, formats.Device, error) {
			d, err := formats.ParseDevice(row, settings.Zone)
			return "device_id " + d.ID, d, err
		}, func(u *store.Upserter, d formats.Device, _ *formats.Row) (store.Change, error) {
			return u.PutDevice(d, asOf.Unix())
		})
	case formats.Users:
		return upsertSink(tx, tx.Persons, func(row *formats.Row) (string, formats.User, error) {
			u, err := formats.ParseUser(row)
			return "user_id " + u.ID, u, err
		}, func(u *store.Upserter, p formats.User, _ *formats.Row) (store.Change, error) {
			return u.PutUser(p, civil.Of(asOf))
		})
	case formats.Titles:
		return titleSink(tx, store.By{Author: author, File: file, At: a.Clock.Now().Unix()})
	case formats.Publishers:
		return publisherSink(tx, store.By{Author: author, File: file, At: a.Clock.Now().Unix()})
	case formats.Entitlements:
		products, err := tx.ProductKeysByHouse()
		if err != nil {
			return nil, err
		}
		return upsertSink(tx, tx.Entitlements, func(row *formats.Row) (string, formats.Entitlement, error) {
			e, err := formats.ParseEntitlement(row)
			return "entitlement_id " + e.Code, e, err
		}, func(u *store.Upserter, e formats.Entitlement, row *formats.Row) (store.Change, error) {
			product, reason := findProduct(products, e.Publisher, e.Product)
			if reason != "" {
				return store.Same, refuse(row, "%s", reason)
			}
			return u.PutEntitlement(product, e, a.Clock.Now().Unix(), author)
		})
	case formats.Rates:
		return plainSink(func(row *formats.Row) (store.Change, error) {
			r, err := formats.ParseRate(row)
			if err != nil {
				return store.Same, err
			}
			return tx.PutRate(r)
		}), nil
	case formats.Transactions:
		return a.transactionSink(tx)
	case formats.Assignments:
		return assignmentSink(tx)
	case formats.Policies:
		return a.policySink(tx, author)
	case formats.Pools:
		return a.poolSink(tx)
	case formats.PoolEvents:
		return a.poolEventSink(tx, &settings)
	}
	return nil, fmt.Errorf("%s cannot be imported", k.Name)
}

func plainSink(put func(row *formats.Row) (store.Change, error)) *sink {
	return &sink{put, func(*ImportResult) error { return nil }}
}

func refuse(row *formats.Row, format string, args ...any) error {
	return &formats.LineError{Line: row.Line, Content: row.Content, Reason: fmt.Sprintf(format, args...)}
}

// upsertSink takes lines that stand for one thing each.
func upsertSink[T any](tx *store.Tx, prepare func() (*store.Upserter, error), parse func(*formats.Row) (string, T, error), put func(*store.Upserter, T, *formats.Row) (store.Change, error)) (*sink, error) {
	u, err := prepare()
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

func (a *App) transactionSink(tx *store.Tx) (*sink, error) {
	lines, err := tx.Codes("entitlement")
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		t, err := formats.ParseTransaction(row)
		if err != nil {
			return store.Same, err
		}
		id := lines[t.Entitlement]
		if id == 0 {
			return store.Same, refuse(row, "there is no entitlement %q: import it first; the line is tried again then", t.Entitlement)
		}
		return tx.PutTransaction(id, t)
	}), nil
}

func assignmentSink(tx *store.Tx) (*sink, error) {
	lines, err := tx.Codes("entitlement")
	if err != nil {
		return nil, err
	}
	users, err := tx.Codes("person")
	if err != nil {
		return nil, err
	}
	devices, err := tx.Codes("device")
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		as, err := formats.ParseAssignment(row)
		if err != nil {
			return store.Same, err
		}
		line, user, device := lines[as.Entitlement], users[as.User], devices[as.Device]
		switch {
		case line == 0:
			return store.Same, refuse(row, "there is no entitlement %q: import it first; the line is tried again then", as.Entitlement)
		case as.User != "" && user == 0:
			return store.Same, refuse(row, "there is no user %q: import the users first; the line is tried again then", as.User)
		case as.Device != "" && device == 0:
			return store.Same, refuse(row, "there is no device %q: import the devices first; the line is tried again then", as.Device)
		}
		return tx.PutAssignment(line, user, device, as)
	}), nil
}

func (a *App) policySink(tx *store.Tx, author string) (*sink, error) {
	products, err := tx.ProductKeysByHouse()
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		p, err := formats.ParsePolicy(row)
		if err != nil {
			return store.Same, err
		}
		out := store.StoredPolicy{Policy: policy.Policy{Category: p.Category, GroupName: p.Group, Stance: p.Stance, Hours: p.Hours, Reason: p.Reason}, Owner: p.Owner, Until: p.Until, Author: author, At: a.Clock.Now().Unix()}
		if p.Product != "" {
			id, reason := findProduct(products, p.Publisher, p.Product)
			if reason != "" {
				return store.Same, refuse(row, "%s", reason)
			}
			out.Product = id
		} else {
			out.PublisherName = p.Publisher
		}
		if p.Group != "" {
			if out.Group, err = groupByName(tx, p.Group); err != nil {
				return store.Same, refuse(row, "%v", err)
			}
		}
		return tx.PutPolicy(out)
	}), nil
}

func (a *App) usageSink(tx *store.Tx, settings *Settings) (*sink, error) {
	devices, err := tx.Codes("device")
	if err != nil {
		return nil, err
	}
	names, err := tx.UseNames()
	if err != nil {
		return nil, err
	}
	zones, err := tx.DeviceSites()
	if err != nil {
		return nil, err
	}
	touched := map[int64]int64{}
	s := plainSink(func(row *formats.Row) (store.Change, error) {
		code := row.At(0)
		device := devices[code]
		s, err := formats.ParseSession(row, settings.zone(zones[device]))
		if err != nil {
			return store.Same, err
		}
		if device == 0 {
			return store.Same, refuse(row, "there is no device %q: import the devices first; the line is tried again then", code)
		}
		name, err := names.UseName(s.FileName, s.Product)
		if err != nil {
			return store.Same, err
		}
		c, err := tx.PutSession(device, name, s.User, s.Start, s.End, s.Active)
		if c != store.Same {
			if had, known := touched[device]; !known || s.Start < had {
				touched[device] = s.Start
			}
		}
		return c, err
	})
	s.finish = func(*ImportResult) error { return a.rollUse(tx, touched) }
	return s, nil
}
