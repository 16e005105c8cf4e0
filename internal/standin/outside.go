package standin

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"sync"
	"time"

	"ensomet/internal/app"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// Outside is the simulated world around a demo: its clock, the deployment tool with the removals it has taken, and the fleet that carries them out and reports.
// What it knows is kept in a file beside the database, since it is none of the program's business.
type Outside struct {
	path  string
	mu    sync.Mutex
	state outsideState
}

type outsideState struct {
	Now    time.Time     `json:"now"`
	Orders []app.Removal `json:"orders"`
}

// OpenOutside reads the outside of a demo, or begins a new one at the demo's fixed time.
func OpenOutside(dbPath string) (*Outside, error) {
	o := &Outside{path: dbPath + ".outside.json", state: outsideState{Now: Now}}
	text, err := os.ReadFile(o.path)
	if errors.Is(err, os.ErrNotExist) {
		return o, nil
	}
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(text, &o.state); err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w; delete it and the demo's database to begin anew", o.path, err)
	}
	return o, nil
}

// Save writes what the outside knows.
func (o *Outside) Save() error {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.save()
}

func (o *Outside) save() error {
	text, err := json.MarshalIndent(o.state, "", " ")
	if err != nil {
		return err
	}
	if err := os.WriteFile(o.path+".new", text, 0o644); err != nil {
		return err
	}
	return os.Rename(o.path+".new", o.path)
}

// Now is the demo's time, which stands still until it is moved on.
func (o *Outside) Now() time.Time {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.state.Now
}

// Remove takes a removal. An order that is already there is not taken twice.
func (o *Outside) Remove(_ context.Context, order app.Removal) error {
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, known := range o.state.Orders {
		if known.Case == order.Case {
			return nil
		}
	}
	o.state.Orders = append(o.state.Orders, order)
	return o.save()
}

// MoveOn moves the clock on by whole days. The deployment tool carries out what it was sent, and the devices concerned report by a scan that goes through the real import. It returns how many
// devices reported.
func (o *Outside) MoveOn(ctx context.Context, a *app.App, days int) (int, error) {
	o.mu.Lock()
	if days < 1 || days > 400 {
		o.mu.Unlock()
		return 0, errors.New("the clock moves on by 1 to 400 days")
	}
	o.state.Now = o.state.Now.AddDate(0, 0, days)
	orders, now := slices.Clone(o.state.Orders), o.state.Now
	o.state.Orders = nil
	err := o.save()
	o.mu.Unlock()
	if err != nil {
		return 0, err
	}
	byDevice := map[string][]string{}
	for _, order := range orders {
		byDevice[order.Device] = append(byDevice[order.Device], order.Names...)
	}
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	if err := w.Write(formats.Installs.Columns); err != nil {
		return 0, err
	}
	at := now.Add(-time.Hour)
	for device, names := range byDevice {
		var lines [][]string
		err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
			lines, err = tx.DeviceLines(device, at)
			return err
		})
		if err != nil {
			return 0, err
		}
		for _, line := range lines {
			if !slices.Contains(names, line[2]) {
				if err := w.Write(line); err != nil {
					return 0, err
				}
			}
		}
	}
	w.Flush()
	if len(byDevice) > 0 {
		if _, err := a.Import(ctx, app.ImportRequest{Kind: formats.Installs, File: "scans of " + at.Format("2006-01-02"), In: &buf, AsOf: at, Author: "stand-in fleet"}); err != nil {
			return 0, err
		}
	}
	return len(byDevice), nil
}

// BuildDemo generates the demo's raw files, takes them in through the real import, and computes.
func BuildDemo(ctx context.Context, a *app.App, note func(string)) ([]Truth, error) {
	dir, err := os.MkdirTemp("", "ensomet-demo")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	truths, err := Generate(dir)
	if err != nil {
		return nil, err
	}
	for site, zone := range Zones {
		if err := a.SetSiteZone(ctx, site, zone); err != nil {
			return nil, err
		}
	}
	var failed error
	err = a.ImportDir(ctx, dir, app.ImportRequest{AsOf: Now, Author: "demo"}, func(file string, res app.ImportResult, err error) {
		if err == nil && len(res.Aside) > 0 {
			err = fmt.Errorf("line %d: %s", res.Aside[0].Line, res.Aside[0].Reason)
		}
		if err != nil && failed == nil {
			failed = fmt.Errorf("the demo's %s: %w", res.Kind, err)
		}
		note(fmt.Sprintf("%s: %d lines", res.Kind, res.Lines))
	})
	if err := errors.Join(err, failed); err != nil {
		return nil, err
	}
	return truths, a.Refresh(ctx)
}
