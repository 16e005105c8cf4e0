// Package fetch fetches files over https from hosts that whoever runs the program named.
package fetch

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"path"
	"slices"
	"time"

	"ensomet/internal/core/refuse"
)

// Fetcher fetches files.
type Fetcher struct {
	Hosts  []string     // from which it may fetch; a port belongs to the name
	Client *http.Client // nil is one that trusts what the machine trusts
}

// longest is how long a file may take.
const longest = 10 * time.Minute

// mostRedirects is how often an address may lead on.
const mostRedirects = 3

// Fetched is what an address gave.
type Fetched struct {
	Name string    // of the file
	Tag  string    // by which it tells whether its file is another
	At   time.Time // when it was written, as far as the address says; else zero
	Same bool      // it is the one that had the tag: nothing was written
	Size int64
}

// Check says what is wrong with an address.
func (f *Fetcher) Check(address string) error {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "https" || u.Host == "" || u.User != nil {
		return refuse.Errorf("%q is not an address that can be fetched: write https://host/file", address)
	}
	if !slices.Contains(f.Hosts, u.Host) {
		return refuse.Errorf("the program was not told that it may fetch from %s: whoever runs it starts it with "+
			"--fetch %s", u.Host, u.Host)
	}
	return nil
}

// Get writes what an address gives, where it is another file than the one with a tag. What breaks off, or is larger
// than most bytes, is an error; what was written then is not the whole.
func (f *Fetcher) Get(ctx context.Context, address, tag string, to io.Writer, most int64) (Fetched, error) {
	out := Fetched{Tag: tag}
	if err := f.Check(address); err != nil {
		return out, err
	}
	ctx, stop := context.WithTimeoutCause(ctx, longest, refuse.Errorf("%s took longer than %s", address, longest))
	defer stop()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return out, err
	}
	if tag != "" {
		req.Header.Set("If-None-Match", tag)
	}
	var client http.Client
	if f.Client != nil {
		client = *f.Client
	}
	client.CheckRedirect = func(next *http.Request, via []*http.Request) error {
		if len(via) > mostRedirects {
			return refuse.Errorf("it leads on and on")
		}
		return f.Check(next.URL.String())
	}
	res, err := client.Do(req)
	if err != nil {
		var at *url.Error
		if errors.As(err, &at) {
			err = at.Err
		}
		return out, refuse.Errorf("%s cannot be fetched: %s", address, err)
	}
	defer res.Body.Close()
	switch {
	case res.StatusCode == http.StatusNotModified:
		out.Same = true
		return out, nil
	case res.StatusCode != http.StatusOK:
		return out, refuse.Errorf("%s answers %s", address, res.Status)
	}
	if out.Size, err = io.Copy(to, io.LimitReader(res.Body, most+1)); err != nil {
		return out, refuse.Errorf("%s broke off after %d bytes: nothing of it was taken in", address, out.Size)
	}
	if out.Size > most {
		return out, refuse.Errorf("%s gives more than %d bytes", address, most)
	}
	if out.Name = path.Base(req.URL.Path); out.Name == "/" || out.Name == "." {
		out.Name = req.URL.Host
	}
	out.Tag = res.Header.Get("ETag")
	out.At, _ = http.ParseTime(res.Header.Get("Last-Modified")) // many say nothing
	return out, nil
}
