package rest

import (
	"container/list"
	"net"
	"net/http"
	"sync"
	"time"
)

// Limited is a listener with at most so many connections. Where one more comes, it closes the one on which nothing has
// been asked for the longest time; where something is being asked on all, the new one waits for a moment, and is closed
// where none of them was answered by then.
type Limited struct {
	net.Listener
	most  int
	freed chan struct{} // one was answered or closed since somebody looked

	mu    sync.Mutex
	open  map[net.Conn]*list.Element // nil where something is being asked on it
	quiet list.List                  // those on which nothing is being asked, the longest first
}

// Limit limits the connections of a listener. State is the server's ConnState.
func Limit(l net.Listener, most int) *Limited {
	return &Limited{Listener: l, most: most, freed: make(chan struct{}, 1), open: map[net.Conn]*list.Element{}}
}

// fullPause is how long a new connection waits for room where all are in use.
const fullPause = time.Second

// Accept waits for a connection that there is room for.
func (l *Limited) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		if l.waitForRoom(c) {
			return c, nil
		}
		_ = c.Close()
	}
}

func (l *Limited) waitForRoom(c net.Conn) bool {
	var full <-chan time.Time
	for !l.room(c) {
		if full == nil {
			full = time.After(fullPause)
		}
		select {
		case <-l.freed:
		case <-full:
			return false
		}
	}
	return true
}

// room makes room for a connection and counts it, or reports that there is none.
func (l *Limited) room(c net.Conn) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.open) >= l.most {
		oldest := l.quiet.Front()
		if oldest == nil {
			return false
		}
		old := oldest.Value.(net.Conn)
		l.forget(old)
		_ = old.Close()
	}
	l.open[c] = l.quiet.PushBack(c)
	return true
}

func (l *Limited) forget(c net.Conn) {
	if at := l.open[c]; at != nil {
		l.quiet.Remove(at)
	}
	delete(l.open, c)
}

// State follows what is done on a connection.
func (l *Limited) State(c net.Conn, state http.ConnState) {
	l.mu.Lock()
	defer l.mu.Unlock()
	at, known := l.open[c]
	if !known {
		return
	}
	switch state {
	case http.StateActive:
		if at != nil {
			l.quiet.Remove(at)
			l.open[c] = nil
		}
	case http.StateIdle:
		if at == nil {
			l.open[c] = l.quiet.PushBack(c)
		}
		l.tellFreed()
	case http.StateClosed, http.StateHijacked:
		l.forget(c)
		l.tellFreed()
	}
}

func (l *Limited) tellFreed() {
	select {
	case l.freed <- struct{}{}:
	default:
	}
}
