package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ensomet/internal/collect"
	"ensomet/internal/formats"
)

type collectCmd struct {
	Server    string        `help:"Send to this server, such as https://ensomet.example." placeholder:"URL"`
	Token     string        `help:"The token that the server gave for this source." env:"ENSOMET_TOKEN" placeholder:"T"`
	TokenFile string        `help:"A file that holds the token." type:"path"`
	Out       string        `help:"Write the scan to a file instead; - is standard output." placeholder:"FILE"`
	DeviceID  string        `help:"What the device is known by; empty is made of the machine's own id."`
	Spool     string        `help:"The folder in which scans wait while the server is away." default:"${spool}" env:"ENSOMET_SPOOL"`
	Every     time.Duration `help:"Go on as a service, and scan this often (such as 24h); also whenever the server asks."`
	Spread    time.Duration `help:"Wait a random part of this before the first scan, so that a fleet does not arrive at once."`
}

// spoolDir is where scans wait: where systemd says, else with the user's own state.
func spoolDir() string {
	if d := os.Getenv("STATE_DIRECTORY"); d != "" {
		return filepath.Join(strings.Split(d, ":")[0], "spool")
	}
	if d := os.Getenv("XDG_STATE_HOME"); d != "" {
		return filepath.Join(d, "ensomet", "spool")
	}
	if home, err := os.UserHomeDir(); err == nil {
		return filepath.Join(home, ".local", "state", "ensomet", "spool")
	}
	return filepath.Join(os.TempDir(), "ensomet-spool")
}

func (c *collectCmd) Run(ctx context.Context) error {
	m := &collect.Machine{DeviceID: c.DeviceID}
	if c.Server == "" {
		return c.write(ctx, m)
	}
	if c.TokenFile != "" {
		text, err := os.ReadFile(c.TokenFile)
		if err != nil {
			return fmt.Errorf("the token cannot be read: %w", err)
		}
		c.Token = strings.TrimSpace(string(text))
	}
	if c.Token == "" {
		return errors.New("a server wants a token: give it with --token, --token-file or ENSOMET_TOKEN")
	}
	spool, client := collect.Spool{Dir: c.Spool}, &collect.Client{Server: c.Server, Token: c.Token}
	if c.Every > 0 {
		return c.serve(ctx, m, client, spool)
	}
	if c.Spread > 0 {
		if err := collect.Sleep(ctx, rand.N(c.Spread)); err != nil {
			return err
		}
	}
	scan, packed, err := read(ctx, m)
	if err != nil {
		return err
	}
	if err := spool.Keep(scan.At, packed); err != nil {
		return err
	}
	n, err := client.Send(ctx, spool)
	if n > 0 {
		say("%d scans sent", n)
	}
	if err != nil {
		return fmt.Errorf("%w; the scan waits in %s and goes with the next", err, c.Spool)
	}
	left, err := filepath.Glob(filepath.Join(c.Spool, "refused", "*.reason"))
	if err == nil && len(left) > 0 {
		return fmt.Errorf(
			"%d scans were refused; the reasons lie in %s",
			len(left),
			filepath.Join(c.Spool, "refused"),
		)
	}
	return err
}

// read scans the machine, packs the scan, and says what it found.
func read(ctx context.Context, m *collect.Machine) (*formats.Scan, []byte, error) {
	scan, err := m.Scan(ctx)
	if err != nil {
		return nil, nil, err
	}
	packed, err := collect.Pack(scan)
	if err != nil {
		return nil, nil, err
	}
	tell(scan, len(packed))
	return scan, packed, nil
}

// tell says what a scan found, and what it could not see.
func tell(s *formats.Scan, size int) {
	say(
		"%s: %d installs, %d files, %d programs running, %.1f kB on the wire",
		s.Device.Name,
		len(s.Installs),
		len(s.Files),
		len(s.Sessions),
		float64(size)/1000,
	)
	for _, m := range s.Missing {
		say("  not seen: %s: %s", m.Part, m.Reason)
	}
}

// write puts the scan into a file.
func (c *collectCmd) write(ctx context.Context, m *collect.Machine) error {
	scan, _, err := read(ctx, m)
	if err != nil {
		return err
	}
	text, err := json.MarshalIndent(scan, "", " ")
	if err != nil {
		return err
	}
	text = append(text, '\n')
	if c.Out == "" || c.Out == "-" {
		_, err = os.Stdout.Write(text)
		return err
	}
	return os.WriteFile(c.Out, text, 0o600)
}

func (c *collectCmd) serve(ctx context.Context, m *collect.Machine, client *collect.Client,
	spool collect.Spool) error {
	first, err := m.Scan(ctx)
	if err != nil {
		return err
	}
	say("Scanning %s every %s; the server is asked every quarter of an hour.", first.Device.Name, c.Every)
	s := &collect.Service{
		Scan:   m.Scan,
		Device: first.Device.ID,
		Client: client,
		Spool:  spool,
		Every:  c.Every,
		Spread: c.Spread,
		Now:    time.Now,
		Wait:   collect.Sleep,
		Say:    say,
	}
	return s.Run(ctx)
}
