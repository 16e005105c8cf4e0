package peoplehttp

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"ensomet/internal/people"
	"ensomet/internal/rest"

	"github.com/danielgtaylor/huma/v2"
)

// The limits of signing in, each within a minute. Only wrong passwords count. A browser in which an account was signed
// in before is known by a cookie, and counts by itself: so nobody can lock somebody else out by trying, neither from
// his own address nor from everywhere.
const (
	wrongByAddress = 20 // of strangers at one address
	wrongByAccount = 20 // of strangers for one account, from wherever
	wrongByBrowser = 10 // of a browser that is known
)

// Checking a password takes 64 MiB and a processor for a moment, so few are checked at once; known browsers do not
// wait for strangers.
const (
	strangersAtOnce = 2
	knownAtOnce     = 1
	hashPatience    = 5 * time.Second
)

// knownFor is how long a browser is known.
const knownFor = 365 * 24 * time.Hour

// checker checks passwords.
type checker interface {
	SignIn(ctx context.Context, name, password string) (people.Account, error)
	BrowserKey(ctx context.Context) ([]byte, error)
}

// door lets people in by their passwords.
type door struct {
	accounts                    checker
	secure                      bool
	byAddress, byAccount, byOwn rest.Tally
	strangers, known            chan struct{}
}

func newDoor(accounts checker, secure bool) *door {
	return &door{
		accounts:  accounts,
		secure:    secure,
		byAddress: rest.Tally{Most: wrongByAddress},
		byAccount: rest.Tally{Most: wrongByAccount},
		byOwn:     rest.Tally{Most: wrongByBrowser},
		strangers: make(chan struct{}, strangersAtOnce),
		known:     make(chan struct{}, knownAtOnce),
	}
}

// signingIn is one try.
type signingIn struct {
	name, password string
	address        string
	cookie         string // by which a browser is known
}

var (
	errWrong = huma.Error401Unauthorized(
		"No account has this name and password. Try again, or ask whoever runs Ensomet here for a new one.")
	errTooMany = huma.NewError(http.StatusTooManyRequests,
		"Too many wrong passwords came in: wait a minute. A browser in which this account was signed in before need "+
			"not.")
	errBusy = huma.NewError(http.StatusServiceUnavailable,
		"Many are signing in at this moment: try again in a few seconds.")
)

// taken is a try that a tally has counted.
type taken struct {
	tally *rest.Tally
	key   string
}

// let checks a try and returns the account. It fails with an answer to the person.
func (d *door) let(ctx context.Context, try signingIn) (people.Account, error) {
	key, err := d.accounts.BrowserKey(ctx)
	if err != nil {
		return people.Account{}, rest.Fail(err)
	}
	name := strings.ToLower(strings.TrimSpace(try.name))
	limits, queue := []taken{{&d.byAddress, try.address}, {&d.byAccount, name}}, d.strangers
	if browser := knownBrowser(key, try.cookie, name); browser != "" {
		limits, queue = []taken{{&d.byOwn, browser}}, d.known
	}
	for i, l := range limits {
		if !l.tally.Take(l.key) {
			giveBack(limits[:i])
			slog.Warn("a sign-in was not tried: too many were wrong before", "address", try.address)
			return people.Account{}, errTooMany
		}
	}
	soon := time.NewTimer(hashPatience)
	defer soon.Stop()
	select {
	case queue <- struct{}{}:
		defer func() { <-queue }()
	case <-soon.C:
		giveBack(limits)
		return people.Account{}, errBusy
	case <-ctx.Done():
		giveBack(limits)
		return people.Account{}, rest.Fail(ctx.Err())
	}
	acc, err := d.accounts.SignIn(ctx, try.name, try.password)
	if err == nil {
		giveBack(limits)
		slog.Info("somebody signed in", "account", acc.Name, "address", try.address)
		return acc, nil
	}
	if people.IsWrong(err) {
		// of a name that no account has nothing is kept: it may have been a password
		slog.Warn("a sign-in was refused", "account", acc.Name, "address", try.address)
		return people.Account{}, errWrong
	}
	return people.Account{}, rest.Fail(err)
}

func giveBack(list []taken) {
	for _, l := range list {
		l.tally.Give(l.key)
	}
}

// knownCookie is the name of the cookie by which a browser is known.
const knownCookie = "ensomet-known"

// remember is the cookie of a browser in which an account has signed in.
func (d *door) remember(ctx context.Context, name string) (string, error) {
	key, err := d.accounts.BrowserKey(ctx)
	if err != nil {
		return "", err
	}
	browser := rand.Text()
	return (&http.Cookie{
		Name:     knownCookie,
		Value:    browser + "." + seal(key, browser, strings.ToLower(name)),
		Path:     "/api/sign-in",
		MaxAge:   int(knownFor.Seconds()),
		HttpOnly: true,
		Secure:   d.secure,
		SameSite: http.SameSiteStrictMode,
	}).String(), nil
}

// knownBrowser returns the number of a browser that has signed this account in before, or nothing.
func knownBrowser(key []byte, cookie, name string) string {
	browser, mac, ok := strings.Cut(cookie, ".")
	if !ok || !hmac.Equal([]byte(mac), []byte(seal(key, browser, name))) {
		return ""
	}
	return browser
}

func seal(key []byte, browser, name string) string {
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "%s\x00%s", browser, name)
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
}
