package ldapread

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/directory/ldaptest"
	"ensomet/internal/formats"
)

const people = 1250

func serverOf(s *ldaptest.Slapd) Server {
	return Server{Address: s.Plain, StartTLS: true, CA: s.CA, User: ldaptest.Reader, Password: ldaptest.Password,
		Base: ldaptest.Base, Page: 100}
}

func readAll(s Server) (list []*formats.LDIFEntry, err error) {
	err = s.Read(context.Background(), func(e *formats.LDIFEntry) error {
		list = append(list, e)
		return nil
	})
	return list, err
}

// Debian's slapd, which gives at most a hundred entries at once: all are read, page by page, over StartTLS and over
// TLS, with what the house calls its cost centre read as that.
func TestReadADirectory(t *testing.T) {
	s := ldaptest.Start(t, people)
	for name, change := range map[string]func(*Server){
		"StartTLS":                 func(*Server) {},
		"TLS":                      func(r *Server) { r.Address = s.Safe },
		"pages that are too large": func(r *Server) { r.Page = 0 },
	} {
		server := serverOf(s)
		server.Filter, server.Attributes = "(objectClass=inetOrgPerson)", map[string]string{
			"houseCentre": "departmentNumber",
		}
		change(&server)
		list, err := readAll(server)
		if err != nil || len(list) != people {
			t.Fatalf("%s: %d entries, %v", name, len(list), err)
		}
		var ldif strings.Builder
		seen := map[string]bool{}
		for _, e := range list {
			seen[e.First("uid")] = true
			if len(e.Values("departmentnumber")) != 1 || e.First("departmentnumber") == "old" ||
				e.First("entryuuid") == "" {
				t.Fatalf("%s: %+v", name, e)
			}
			if err := formats.WriteLDIF(&ldif, e); err != nil {
				t.Fatal(err)
			}
		}
		if len(seen) != people {
			t.Errorf("%s: %d different people", name, len(seen))
		}
		var again []*formats.LDIFEntry
		in := formats.NewLDIFReader(strings.NewReader(ldif.String()))
		for e, err := in.Next(); err != io.EOF; e, err = in.Next() {
			if err != nil {
				t.Fatal(err)
			}
			again = append(again, e)
		}
		if len(again) != people {
			t.Fatalf("%s: as LDIF %d entries", name, len(again))
		}
		for i := range again {
			if again[i].DN != list[i].DN || again[i].First("cn") != list[i].First("cn") {
				t.Errorf("%s: %q became %q", name, list[i].First("cn"), again[i].First("cn"))
			}
		}
	}
}

// What goes wrong is said in a sentence that says what to do.
func TestADirectoryThatDoesNotAnswer(t *testing.T) {
	s := ldaptest.Start(t, people)
	for want, change := range map[string]func(*Server){
		"does not let in " + ldaptest.Reader: func(r *Server) { r.Password = "wrong" },
		"has no entry ou=none":               func(r *Server) { r.Base = "ou=none,dc=halv,dc=example" },
		"nobody whom this machine trusts": func(r *Server) {
			r.CA, r.Address = ldaptest.Certificates(t, t.TempDir()), s.Safe
		},
		"gives no more than a part": func(r *Server) { r.User, r.Password = ldaptest.Few, ldaptest.Password },
		"does not show it to somebody without a name": func(r *Server) {
			r.User, r.Password = "", ""
		},
		"cannot be reached": func(r *Server) {
			r.Address = fmt.Sprintf("ldap://127.0.0.1:%d", ldaptest.FreePorts(t, 1)[0])
		},
	} {
		server := serverOf(s)
		change(&server)
		_, err := readAll(server)
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", want, err)
		}
	}
	// the server goes away in the middle
	server, n := serverOf(s), 0
	err := server.Read(context.Background(), func(*formats.LDIFEntry) error {
		if n++; n == 150 {
			s.Stop()
		}
		return nil
	})
	if err == nil || !strings.Contains(err.Error(), "went away") || n >= people {
		t.Errorf("gone after %d: %v", n, err)
	}
	if _, err := readAll(server); err == nil || !strings.Contains(err.Error(), "cannot be reached") {
		t.Error("gone:", err)
	}
}

// Somebody who stops the reading waits for nothing, also of a server that says nothing.
func TestReadingIsStopped(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	go func() {
		for {
			line, err := l.Accept()
			if err != nil {
				return
			}
			go func() { _, _ = io.Copy(io.Discard, line) }()
		}
	}()
	ctx, stop := context.WithCancelCause(context.Background())
	stopped := errors.New("somebody stopped it")
	time.AfterFunc(100*time.Millisecond, func() { stop(stopped) })
	server := Server{Address: "ldap://" + l.Addr().String(), Base: "dc=halv,dc=example"}
	if err := server.Read(ctx, func(*formats.LDIFEntry) error { return nil }); !errors.Is(err, stopped) {
		t.Error(err)
	}
	// a server that speaks something else
	web, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer web.Close()
	go func() {
		for {
			line, err := web.Accept()
			if err != nil {
				return
			}
			_, _ = line.Write([]byte("HTTP/1.1 400 Bad Request\r\n\r\n"))
			_ = line.Close()
		}
	}()
	for _, address := range []string{"ldap://", "ldaps://"} {
		server := Server{Address: address + web.Addr().String(), Base: "dc=halv,dc=example"}
		if err := server.Read(context.Background(), nil); err == nil || !strings.Contains(err.Error(), address) {
			t.Error(address, err)
		}
	}
}

func TestWhatIsWrittenDown(t *testing.T) {
	right := Server{Address: "ldaps://dir.halv.example", User: "cn=r", Password: "p", Base: "dc=halv,dc=example"}
	if err := right.Check(); err != nil {
		t.Error(err)
	}
	for want, change := range map[string]func(*Server){
		"is not the address":       func(s *Server) { s.Address = "https://dir.halv.example" },
		"is not the address of":    func(s *Server) { s.Address = "ldaps://u:p@dir.halv.example" },
		"everybody to read":        func(s *Server) { s.Address = "ldap://dir.halv.example" },
		"give the password":        func(s *Server) { s.Password = "" },
		"give them as PEM":         func(s *Server) { s.CA = "none" },
		"cannot be read: ":         func(s *Server) { s.Filter = "(uid=" },
		"not the name of an entry": func(s *Server) { s.Base = "halv.example" },
		"cannot be read as":        func(s *Server) { s.Attributes = map[string]string{"x": "userPassword"} },
	} {
		s := right
		change(&s)
		if err := s.Check(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", want, err)
		}
	}
	if slices.ContainsFunc(asked, func(a string) bool { return strings.EqualFold(a, "userPassword") }) {
		t.Error("passwords are asked for")
	}
}
