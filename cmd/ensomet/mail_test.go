package main

import (
	"context"
	"io"
	"net"
	"strings"
	"sync"
	"testing"

	"ensomet/internal/outbox"

	"github.com/emersion/go-smtp"
)

// box is a mail server that keeps what it gets.
type box struct {
	mu   sync.Mutex
	got  []string
	from string
}

func (b *box) NewSession(*smtp.Conn) (smtp.Session, error) { return b, nil }
func (b *box) Mail(from string, _ *smtp.MailOptions) error {
	b.from = from
	return nil
}
func (b *box) Rcpt(to string, _ *smtp.RcptOptions) error {
	if strings.HasPrefix(to, "nobody") {
		return &smtp.SMTPError{Code: 550, Message: "no such box"}
	}
	return nil
}
func (b *box) Data(r io.Reader) error {
	text, err := io.ReadAll(r)
	b.mu.Lock()
	defer b.mu.Unlock()
	b.got = append(b.got, string(text))
	return err
}
func (b *box) Reset()        {}
func (b *box) Logout() error { return nil }

func TestMailGoesThroughAServer(t *testing.T) {
	b := &box{}
	server := smtp.NewServer(b)
	server.Domain = "localhost"
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go server.Serve(l)
	defer server.Close()
	m, err := mailFlags{SMTP: "smtp+plain://" + l.Addr().String(),
		MailFrom: "ensomet@halvorsund.example"}.mailer("data.db")
	if err != nil {
		t.Fatal(err)
	}
	if err := m.Send(context.Background(), outbox.Letter{ID: 7, To: "desk@halvorsund.example",
		Subject: "Changes on devices: 2", Body: "one\ntwo, på norsk\n"}); err != nil {
		t.Fatal(err)
	}
	if len(b.got) != 1 || !strings.Contains(b.got[0], "Subject: Changes on devices: 2") ||
		b.from != "ensomet@halvorsund.example" {
		t.Errorf("%q from %q", b.got, b.from)
	}
	if err := m.Send(context.Background(),
		outbox.Letter{To: "nobody@halvorsund.example", Subject: "x", Body: "y"}); err == nil {
		t.Error("a message to nobody was sent")
	}
	for _, bad := range []string{"mail.example", "ftp://mail.example", "smtp://:25"} {
		if _, err := (mailFlags{SMTP: bad}).mailer("data.db"); err == nil {
			t.Errorf("%s was taken", bad)
		}
	}
	if m, err := (mailFlags{}).mailer("data.db"); m != nil || err != nil {
		t.Error("mail without a server")
	}
}
