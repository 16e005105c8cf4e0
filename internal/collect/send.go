package collect

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"ensomet/internal/formats"
)

// Pack writes a scan as it goes over the wire: JSON, packed with gzip.
func Pack(s *formats.Scan) ([]byte, error) {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	if err := errors.Join(json.NewEncoder(z).Encode(s), z.Close()); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// Spool keeps scans on disk until the server has taken them.
type Spool struct{ Dir string }

const (
	waiting = ".scan.gz"
	maxKept = 2_000 // scans; the oldest go first, since the newest says most
)

// Keep stores a packed scan, whole or not at all.
func (p Spool) Keep(at time.Time, packed []byte) error {
	if err := os.MkdirAll(p.Dir, 0o700); err != nil {
		return fmt.Errorf("the folder for scans that wait cannot be made: %w", err)
	}
	name := filepath.Join(p.Dir, fmt.Sprintf("%s-%08x", at.UTC().Format("20060102T150405Z"), rand.Uint32()))
	f, err := os.OpenFile(name+".new", os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(packed)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return errors.Join(err, os.Remove(name+".new"))
	}
	if err := os.Rename(name+".new", name+waiting); err != nil {
		return err
	}
	list, err := p.Waiting()
	for ; err == nil && len(list) > maxKept; list = list[1:] {
		err = os.Remove(list[0])
	}
	return err
}

// Waiting lists the scans that wait, the oldest first.
func (p Spool) Waiting() ([]string, error) {
	list, err := filepath.Glob(filepath.Join(p.Dir, "*"+waiting))
	slices.Sort(list)
	return list, err
}

// refuse puts a scan by that the server will never take, with the reason.
func (p Spool) refuse(path, reason string) error {
	dir := filepath.Join(p.Dir, "refused")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	name := filepath.Join(dir, filepath.Base(path))
	if err := os.WriteFile(name+".reason", []byte(reason+"\n"), 0o600); err != nil {
		return err
	}
	return os.Rename(path, name)
}

// Client talks to a server with a token.
type Client struct {
	Server, Token string
	HTTP          *http.Client
}

// ErrAway says that the server did not take what was sent now; later it may.
var ErrAway = errors.New("the server could not take it now")

func (c *Client) post(ctx context.Context, path string, body []byte, packed bool) ([]byte, int, error) {
	req, err := http.NewRequestWithContext(
		ctx,
		http.MethodPost,
		strings.TrimSuffix(c.Server, "/")+path,
		bytes.NewReader(body),
	)
	if err != nil {
		return nil, 0, err
	}
	req.Header.Set("Authorization", "Bearer "+c.Token)
	req.Header.Set("Content-Type", "application/json")
	if packed {
		req.Header.Set("Content-Encoding", "gzip")
	}
	client := c.HTTP
	if client == nil {
		client = http.DefaultClient
	}
	res, err := client.Do(req)
	if err != nil {
		return nil, 0, fmt.Errorf("%w: %v", ErrAway, err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	if err != nil {
		return nil, 0, fmt.Errorf("%w: %v", ErrAway, err)
	}
	return text, res.StatusCode, nil
}

// refusal is the sentence of a problem, or the status.
func refusal(text []byte, status int) string {
	var p struct {
		Detail string `json:"detail"`
	}
	if json.Unmarshal(text, &p) == nil && p.Detail != "" {
		return p.Detail
	}
	return fmt.Sprintf("the server answered with status %d", status)
}

// Send sends what waits, the oldest first. What the server took is deleted; what it will never take is put by; with
// anything else, ErrAway among it, the rest waits. It returns how many went.
func (c *Client) Send(ctx context.Context, p Spool) (int, error) {
	list, err := p.Waiting()
	if err != nil {
		return 0, err
	}
	sent := 0
	for _, path := range list {
		packed, err := os.ReadFile(path)
		if err != nil {
			return sent, err
		}
		text, status, err := c.post(ctx, "/api/scans", packed, true)
		switch {
		case err != nil:
			return sent, err
		case status >= 200 && status < 300:
			sent++
			if err := os.Remove(path); err != nil {
				return sent, err
			}
		case status == http.StatusConflict,
			status == http.StatusRequestEntityTooLarge,
			status == http.StatusUnprocessableEntity,
			status == http.StatusBadRequest:
			if err := p.refuse(path, refusal(text, status)); err != nil {
				return sent, err
			}
		default: // a token that is not known, a limit, a failure of the server: what waits is kept
			return sent, fmt.Errorf("%w: %s", ErrAway, refusal(text, status))
		}
	}
	return sent, nil
}

// Asked reports whether the server has asked for a scan of the device.
func (c *Client) Asked(ctx context.Context, device string) (bool, error) {
	body, err := json.Marshal(map[string][]string{"devices": {device}})
	if err != nil {
		return false, err
	}
	text, status, err := c.post(ctx, "/api/collector/ask", body, false)
	if err != nil {
		return false, err
	}
	if status != http.StatusOK {
		return false, fmt.Errorf("%w: %s", ErrAway, refusal(text, status))
	}
	var out struct {
		Orders []struct {
			Order int64 `json:"order"`
		} `json:"orders"`
	}
	err = json.Unmarshal(text, &out)
	return len(out.Orders) > 0, err
}

// Service scans every so often, and whenever the server asks.
type Service struct {
	Scan   func(ctx context.Context) (*formats.Scan, error)
	Device string // what the server is asked for
	Client *Client
	Spool  Spool
	Every  time.Duration // between scans
	Spread time.Duration // the first begins after a random part of this, so that a fleet does not arrive at once
	Now    func() time.Time
	Wait   func(ctx context.Context, d time.Duration) error // false once ctx has ended
	Say    func(format string, args ...any)
}

// RetryEvery is how long the service waits before it tries again to send what waits; askEvery how often it asks
// whether a scan is wanted.
const (
	RetryEvery = time.Hour
	askEvery   = 15 * time.Minute
)

// Run works until ctx ends. The first scan begins after a random delay.
func (s *Service) Run(ctx context.Context) error {
	if s.Spread > 0 {
		if err := s.Wait(ctx, rand.N(s.Spread)); err != nil {
			return nil // it was stopped before it began
		}
	}
	scanAt, sendAt := s.Now(), s.Now()
	for {
		now := s.Now()
		if !now.Before(scanAt) {
			if err := s.once(ctx); err != nil {
				if ctx.Err() != nil {
					return nil // stopped
				}
				s.Say("the machine could not be read: %v", err)
			}
			scanAt, sendAt = now.Add(s.Every), now
		}
		if !now.Before(sendAt) {
			n, err := s.Client.Send(ctx, s.Spool)
			if n > 0 {
				s.Say("%d scans sent", n)
			}
			sendAt = now.Add(s.Every)
			if err != nil {
				s.Say("%v; the scans wait on disk and are tried again in an hour", err)
				sendAt = now.Add(RetryEvery)
			} else if asked, err := s.Client.Asked(ctx, s.Device); err == nil && asked {
				scanAt = now
				continue
			}
		} else if asked, err := s.Client.Asked(ctx, s.Device); err == nil && asked {
			scanAt = now
			continue
		}
		next := now.Add(askEvery)
		for _, t := range []time.Time{scanAt, sendAt} {
			if t.Before(next) {
				next = t
			}
		}
		if err := s.Wait(ctx, max(next.Sub(now), time.Second)); err != nil {
			return nil // stopped
		}
	}
}

// once scans and keeps the result.
func (s *Service) once(ctx context.Context) error {
	scan, err := s.Scan(ctx)
	if err != nil {
		return err
	}
	packed, err := Pack(scan)
	if err != nil {
		return err
	}
	return s.Spool.Keep(scan.At, packed)
}

// Sleep waits on the machine's own clock.
func Sleep(ctx context.Context, d time.Duration) error {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-t.C:
		return nil
	}
}
