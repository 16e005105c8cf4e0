package rest

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"sync"
	"testing"
	"time"
)

// limited is a server with room for so many connections, whose handler says that it has begun to wait, and waits for go
// on.
func limited(t *testing.T, most int, goOn, begun chan struct{}) string {
	t.Helper()
	s := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/wait" {
			begun <- struct{}{}
			<-goOn
		}
		fmt.Fprint(w, "here")
	}))
	l := Limit(s.Listener, most)
	s.Listener, s.Config.ConnState = l, l.State
	s.Start()
	t.Cleanup(s.Close)
	return s.Listener.Addr().String()
}

func ask(t *testing.T, at, path string) (net.Conn, *http.Response, error) {
	t.Helper()
	c, err := net.Dial("tcp", at)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { c.Close() })
	fmt.Fprintf(c, "GET %s HTTP/1.1\r\nHost: x\r\n\r\n", path)
	if path == "/wait" {
		return c, nil, nil
	}
	_ = c.SetReadDeadline(time.Now().Add(10 * time.Second))
	res, err := http.ReadResponse(bufio.NewReader(c), nil)
	if err == nil {
		_, err = io.Copy(io.Discard, res.Body)
	}
	return c, res, err
}

// Connections on which nothing is asked never keep somebody out who asks something: those that said nothing yet go
// first to last, and those that were answered and are kept.
func TestIdleConnectionsKeepNobodyOut(t *testing.T) {
	at := limited(t, 20, nil, nil)
	for range 200 {
		c, err := net.Dial("tcp", at)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Close() })
	}
	for range 40 {
		if _, res, err := ask(t, at, "/"); err != nil || res.StatusCode != 200 {
			t.Fatal(res, err)
		}
	}
}

// What is being answered is never closed for somebody new.
func TestWorkIsNotClosed(t *testing.T) {
	goOn, begun := make(chan struct{}), make(chan struct{}, 3)
	at := limited(t, 4, goOn, begun)
	goingOn := sync.OnceFunc(func() { close(goOn) })
	t.Cleanup(goingOn) // else a failure would wait for those that are being answered
	var working []net.Conn
	for range 3 {
		c, _, _ := ask(t, at, "/wait")
		working = append(working, c)
	}
	for range 3 { // until all three are being answered
		<-begun
	}
	for range 30 {
		if _, res, err := ask(t, at, "/"); err != nil || res.StatusCode != 200 {
			t.Fatal(res, err)
		}
	}
	c, _, _ := ask(t, at, "/wait") // the fourth: now all are being answered
	working = append(working, c)
	<-begun
	if _, res, err := ask(t, at, "/"); err == nil {
		t.Error("one more than there is room for was answered", res.StatusCode)
	}
	goingOn()
	for _, c := range working {
		_ = c.SetReadDeadline(time.Now().Add(10 * time.Second))
		if res, err := http.ReadResponse(bufio.NewReader(c), nil); err != nil || res.StatusCode != 200 {
			t.Error(res, err)
		}
	}
}
