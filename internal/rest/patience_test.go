package rest

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

// Somebody who begins a body and falls silent is given up, and somebody who sends a byte now and then; somebody who is
// slow, but steady, is not. Once all has come, time is no matter.
func TestPatience(t *testing.T) {
	const wait = 2 * time.Second
	read := make(chan string, 1)
	s := httptest.NewServer(patient(wait)(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n, err := io.Copy(io.Discard, r.Body)
		if err != nil {
			read <- "given up"
			return
		}
		time.Sleep(wait * 3 / 2)
		read <- fmt.Sprint(n, " ", r.Context().Err())
	})))
	defer s.Close()
	send := func(piece, pieces, whole int, pause time.Duration) string {
		line, err := net.Dial("tcp", strings.TrimPrefix(s.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		defer line.Close()
		go io.Copy(io.Discard, bufio.NewReader(line))
		fmt.Fprintf(line, "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: %d\r\n\r\n", whole)
		for range pieces {
			fmt.Fprint(line, strings.Repeat("x", piece))
			time.Sleep(pause)
		}
		select {
		case text := <-read:
			return text
		case <-time.After(20 * time.Second):
			return "nothing ended"
		}
	}
	if got := send(Piece, 8, 8*Piece, wait/5); got != fmt.Sprint(8*Piece, " <nil>") {
		t.Errorf("slow and steady: %q", got)
	}
	if got := send(3, 1, 8, 0); got != "given up" {
		t.Errorf("silent after three bytes: %q", got)
	}
	if got := send(1, 8, 16, wait/5); got != "given up" {
		t.Errorf("a byte now and then: %q", got)
	}
}

// Somebody who asks for much and takes nothing of it is given up.
func TestPatienceWithReaders(t *testing.T) {
	ended := make(chan error, 1)
	s := httptest.NewServer(patient(time.Second)(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		for {
			if _, err := w.Write(make([]byte, 1<<20)); err != nil {
				ended <- err
				return
			}
		}
	})))
	defer s.Close()
	line, err := net.Dial("tcp", strings.TrimPrefix(s.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer line.Close()
	fmt.Fprintf(line, "GET / HTTP/1.1\r\nHost: x\r\n\r\n")
	select {
	case <-ended:
	case <-time.After(20 * time.Second):
		t.Error("who takes nothing holds a line for ever")
	}
}
