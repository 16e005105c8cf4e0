package people

import (
	"cmp"
	"slices"
	"sync"
	"time"
)

// Openings tells people who else has the same thing open. It lives in memory alone: whoever has something open says so
// again and again, and is forgotten where he does not.
type Openings struct {
	mu    sync.Mutex
	pages map[page]opening
	now   func() time.Time // another clock, in tests
}

// page is a form in a browser's window; its name is the page's own.
type page struct {
	account int64
	name    string
}

type opening struct {
	thing  string
	who    string
	typing bool
	since  time.Time
	heard  time.Time
}

// Opening is somebody else who has a thing open.
type Opening struct {
	Who    string
	Typing bool
	Since  int64 // seconds since 1970
}

const (
	// OpeningKept is how long somebody is taken to have a thing open after he last said so.
	OpeningKept = 45 * time.Second
	mostPages   = 50 // that one account may have open
)

// Open notes that a page of an account has a thing open, and whether something is being typed there, and returns who
// else has it open, each once, the first first. An empty thing is a page that closes.
func (o *Openings) Open(account int64, who, name, thing string, typing bool) []Opening {
	o.mu.Lock()
	defer o.mu.Unlock()
	now := time.Now()
	if o.now != nil {
		now = o.now()
	}
	if o.pages == nil {
		o.pages = map[page]opening{}
	}
	own := 0
	for p, v := range o.pages {
		if now.Sub(v.heard) > OpeningKept {
			delete(o.pages, p)
		} else if p.account == account {
			own++
		}
	}
	me := page{account, name}
	before, known := o.pages[me]
	switch {
	case thing == "":
		delete(o.pages, me)
		return []Opening{}
	case known || own < mostPages:
		v := opening{thing, who, typing, now, now}
		if before.thing == thing {
			v.since = before.since
		}
		o.pages[me] = v
	}
	return o.others(account, thing)
}

// others are the other accounts that have a thing open.
func (o *Openings) others(account int64, thing string) []Opening {
	by := map[int64]Opening{}
	for p, v := range o.pages {
		if v.thing != thing || p.account == account {
			continue
		}
		w, known := by[p.account]
		w.Who, w.Typing = v.who, w.Typing || v.typing
		if at := v.since.Unix(); !known || at < w.Since {
			w.Since = at
		}
		by[p.account] = w
	}
	out := make([]Opening, 0, len(by))
	for _, v := range by {
		out = append(out, v)
	}
	slices.SortFunc(out, func(a, b Opening) int {
		return cmp.Or(cmp.Compare(a.Since, b.Since), cmp.Compare(a.Who, b.Who))
	})
	return out
}
