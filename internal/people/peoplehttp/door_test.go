package peoplehttp

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"ensomet/internal/people"

	"github.com/danielgtaylor/huma/v2"
)

// slowly checks passwords as slowly as it is let, and counts how many it checks at once.
type slowly struct {
	now, most atomic.Int64
	wait      chan struct{} // nil: at once
}

func (s *slowly) BrowserKey(context.Context) ([]byte, error) { return []byte("a key"), nil }

func (s *slowly) SignIn(_ context.Context, name, password string) (people.Account, error) {
	n := s.now.Add(1)
	defer s.now.Add(-1)
	for most := s.most.Load(); n > most && !s.most.CompareAndSwap(most, n); most = s.most.Load() {
	}
	if s.wait != nil {
		<-s.wait
	}
	if password != "right" {
		return people.Account{}, people.ErrSignIn
	}
	return people.Account{ID: 1, Name: name}, nil
}

// tries lets somebody try so often, and counts the answers by their status.
func tries(t *testing.T, d *door, n int, try func(i int) signingIn) map[int]int {
	t.Helper()
	out := map[int]int{}
	for i := range n {
		_, err := d.let(t.Context(), try(i))
		status := http.StatusOK
		if refused, ok := err.(huma.StatusError); ok {
			status = refused.GetStatus()
		}
		out[status]++
	}
	return out
}

func known(t *testing.T, d *door, name string) string {
	t.Helper()
	text, err := d.remember(t.Context(), name)
	if err != nil {
		t.Fatal(err)
	}
	value, _, _ := strings.Cut(strings.TrimPrefix(text, knownCookie+"="), ";")
	return value
}

// Whoever tries passwords is stopped, from one address or from many; and nobody else is: not who signs in from
// another address, nor another account, nor who sits at the attacker's own address in front of a browser that is known.
func TestNobodyLocksSomebodyElseOut(t *testing.T) {
	d := newDoor(&slowly{}, false)
	cookie := known(t, d, "Dagne")
	if got := tries(t, d, 100, func(int) signingIn { return signingIn{"dagne", "wrong", "10.0.0.1", ""} }); got[401] !=
		wrongByAddress || got[429] != 100-wrongByAddress {
		t.Errorf("from one address: %v", got)
	}
	right := func(name, address, cookie string) int {
		for status := range tries(t, d, 1, func(int) signingIn { return signingIn{name, "right", address, cookie} }) {
			return status
		}
		return 0
	}
	if right("Livar", "10.0.0.2", "") != 200 || right("dagne", "10.0.0.1", cookie) != 200 ||
		right("Dagne", "10.9.9.9", cookie) != 200 {
		t.Error("somebody else is locked out")
	}
	everywhere := func(i int) signingIn {
		return signingIn{"oddny", "wrong", fmt.Sprintf("10.1.%d.%d", i/250, i%250),
			""}
	}
	if got := tries(t, d, 300, everywhere); got[401] != wrongByAccount || got[429] != 300-wrongByAccount {
		t.Errorf("from everywhere: %v", got)
	}
	if right("oddny", "10.2.0.1", known(t, d, "oddny")) != 200 || right("Livar", "10.2.0.1", "") != 200 {
		t.Error("somebody else is locked out")
	}
}

// A browser is known for the account alone that signed in there, its mark cannot be made up, and it has a limit of
// its own.
func TestKnownBrowsers(t *testing.T) {
	d := newDoor(&slowly{}, true)
	cookie := known(t, d, "dagne")
	for _, c := range []string{cookie + "x", "x" + cookie, ".", "", "a.b", known(t, d, "livar")} {
		if knownBrowser([]byte("a key"), c, "dagne") != "" {
			t.Errorf("%q is known", c)
		}
	}
	got := tries(t, d, 50, func(i int) signingIn {
		return signingIn{"dagne", "wrong", fmt.Sprint(i), cookie}
	})
	if got[401] != wrongByBrowser || got[429] != 50-wrongByBrowser {
		t.Errorf("a known browser: %v", got)
	}
	if text, _ := d.remember(t.Context(), "dagne"); !strings.Contains(text, "Secure") ||
		!strings.Contains(text, "HttpOnly") || !strings.Contains(text, "SameSite=Strict") {
		t.Error(text)
	}
}

// Right passwords never count, however many sign in from one address.
func TestRightPasswordsDoNotCount(t *testing.T) {
	d := newDoor(&slowly{}, false)
	if got := tries(t, d, 200, func(i int) signingIn {
		return signingIn{fmt.Sprint("u", i%3), "right", "10.0.0.1", ""}
	}); got[200] != 200 {
		t.Errorf("%v", got)
	}
}

// However many sign in at once, few passwords are checked at once, and who is known does not wait for strangers.
func TestFewAreCheckedAtOnce(t *testing.T) {
	check := &slowly{wait: make(chan struct{})}
	d := newDoor(check, false)
	var all sync.WaitGroup
	for i := range 18 {
		all.Go(func() {
			_, _ = d.let(t.Context(), signingIn{fmt.Sprint("u", i), "wrong", fmt.Sprint(i), ""})
		})
	}
	for range strangersAtOnce { // they wait at the check until somebody lets them go on
		check.wait <- struct{}{}
	}
	cookie := known(t, d, "dagne")
	done := make(chan error)
	go func() {
		_, err := d.let(t.Context(), signingIn{"dagne", "right", "1", cookie})
		done <- err
	}()
	close(check.wait)
	if err := <-done; err != nil {
		t.Error(err)
	}
	all.Wait()
	if most := check.most.Load(); most > strangersAtOnce+knownAtOnce {
		t.Errorf("%d passwords were checked at once", most)
	}
}
