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

// Somebody who begins a body and falls silent is given up; somebody who is slow, but steady, is not.
func TestPatience(t *testing.T) {
	const wait = 2 * time.Second
	read := make(chan string, 1)
	s := httptest.NewServer(patient(wait)(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		text, err := io.ReadAll(r.Body)
		if err != nil {
			text = []byte("given up")
		}
		read <- string(text)
	})))
	defer s.Close()
	send := func(pieces int, pause time.Duration) string {
		line, err := net.Dial("tcp", strings.TrimPrefix(s.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		defer line.Close()
		fmt.Fprintf(line, "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 8\r\n\r\n")
		for range pieces {
			fmt.Fprint(line, "x")
			time.Sleep(pause)
		}
		go io.Copy(io.Discard, bufio.NewReader(line))
		select {
		case text := <-read:
			return text
		case <-time.After(20 * time.Second):
			return "nothing ended"
		}
	}
	if got := send(8, wait/5); got != "xxxxxxxx" {
		t.Errorf("slow and steady: %q", got)
	}
	if got := send(3, 0); got != "given up" {
		t.Errorf("silent after three bytes: %q", got)
	}
}
