package ldapread

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"math/big"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/formats"
)

const (
	reader   = "cn=reader,dc=halv,dc=example"
	password = "tidevann 4711"
	people   = 1250
)

// slapd is Debian's directory server on loopback, with a schema and entries of the test's own.
type slapd struct {
	plain, safe string // its addresses
	ca          string
	process     *exec.Cmd
}

// startSlapd starts a directory of so many people; the test is skipped where there is no such server.
func startSlapd(t *testing.T) *slapd {
	t.Helper()
	var found []string
	for _, name := range []string{"slapd", "slapadd"} {
		path, err := exec.LookPath(name)
		if err != nil {
			path = filepath.Join("/usr/sbin", name)
		}
		if _, err := os.Stat(path); err != nil {
			t.Skip("there is no slapd here: install Debian's package slapd, as  make slapd  does")
		}
		found = append(found, path)
	}
	dir := t.TempDir()
	// from where it is installed a guard of the machine may keep it from reading other places
	mine := filepath.Join(dir, "slapd")
	program, err := os.ReadFile(found[0])
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(mine, program, 0o755); err != nil {
		t.Fatal(err)
	}
	s := &slapd{ca: certificates(t, dir)}
	schema := `attributetype ( 1.3.6.1.4.1.4203.666.1.900 NAME 'houseCentre' EQUALITY caseIgnoreMatch
 SYNTAX 1.3.6.1.4.1.1466.115.121.1.15 SINGLE-VALUE )
objectclass ( 1.3.6.1.4.1.4203.666.3.900 NAME 'housePerson' SUP top AUXILIARY MAY houseCentre )
`
	conf := fmt.Sprintf(`include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/inetorgperson.schema
include %[1]s/house.schema
pidfile %[1]s/pid
modulepath /usr/lib/ldap
moduleload back_mdb
TLSCACertificateFile %[1]s/ca.pem
TLSCertificateFile %[1]s/server.pem
TLSCertificateKeyFile %[1]s/server.key
security simple_bind=128
database mdb
suffix "dc=halv,dc=example"
rootdn "cn=root,dc=halv,dc=example"
directory %[1]s/data
sizelimit 20
limits dn.exact="%[2]s" size.soft=100 size.hard=100 size.pr=200 size.prtotal=unlimited
access to attrs=userPassword by anonymous auth by * none
access to * by dn.exact="%[2]s" read by * none
`, dir, reader)
	for name, text := range map[string]string{"house.schema": schema, "slapd.conf": conf, "entries.ldif": entries()} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Mkdir(filepath.Join(dir, "data"), 0o700); err != nil {
		t.Fatal(err)
	}
	conf = filepath.Join(dir, "slapd.conf")
	add := exec.Command(found[1], "-q", "-f", conf, "-l", filepath.Join(dir, "entries.ldif"))
	if out, err := add.CombinedOutput(); err != nil {
		t.Fatal(err, string(out))
	}
	ports := freePorts(t, 2)
	s.plain, s.safe = fmt.Sprintf("ldap://127.0.0.1:%d", ports[0]), fmt.Sprintf("ldaps://127.0.0.1:%d", ports[1])
	s.process = exec.Command(mine, "-f", conf, "-h", s.plain+"/ "+s.safe+"/", "-d", "0")
	var said bytes.Buffer
	s.process.Stdout, s.process.Stderr = &said, &said
	if err := s.process.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.stop)
	for range 200 {
		line, err := net.Dial("tcp", strings.TrimPrefix(s.safe, "ldaps://"))
		if err == nil {
			_ = line.Close()
			return s
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatal("slapd does not come up:", said.String())
	return nil
}

func (s *slapd) stop() {
	if s.process.ProcessState == nil {
		_ = s.process.Process.Kill()
		_ = s.process.Wait()
	}
}

func (s *slapd) server() Server {
	return Server{Address: s.plain, StartTLS: true, CA: s.ca, User: reader, Password: password,
		Base: "dc=halv,dc=example", Page: 100}
}

// entries are the people of the test, in scripts of several kinds, some disabled, each with a manager, round and round.
func entries() string {
	var b strings.Builder
	write := func(e formats.LDIFEntry) { _ = formats.WriteLDIF(&b, &e) } // a text takes everything
	attrs := func(pairs ...string) (out []formats.LDIFAttr) {
		for i := 0; i < len(pairs); i += 2 {
			out = append(out, formats.LDIFAttr{Name: pairs[i], Value: pairs[i+1]})
		}
		return out
	}
	write(formats.LDIFEntry{DN: "dc=halv,dc=example", Attrs: attrs("objectClass", "dcObject", "objectClass",
		"organization", "o", "Halv", "dc", "halv")})
	write(formats.LDIFEntry{DN: reader, Attrs: attrs("objectClass", "person", "cn", "reader", "sn", "reader",
		"userPassword", password)})
	write(formats.LDIFEntry{DN: "ou=Kartlegging,dc=halv,dc=example", Attrs: attrs("objectClass", "organizationalUnit",
		"ou", "Kartlegging")})
	names := []string{"Una Vik", "Блеск Море", "深い海", "Ægir Blåskjær", "نور"}
	for i := range people {
		id := fmt.Sprintf("p%04d", i)
		write(formats.LDIFEntry{
			DN: "uid=" + id + ",ou=Kartlegging,dc=halv,dc=example",
			Attrs: attrs("objectClass", "inetOrgPerson", "objectClass", "housePerson", "uid", id, "cn",
				names[i%len(names)], "sn", names[i%len(names)], "displayName", names[i%len(names)], "mail",
				id+"@halv.example", "houseCentre", fmt.Sprint(4000+i%7), "departmentNumber", "old",
				"manager", fmt.Sprintf("uid=p%04d,ou=Kartlegging,dc=halv,dc=example", (i+1)%people)),
		})
	}
	return b.String()
}

func freePorts(t *testing.T, n int) (out []int) {
	t.Helper()
	for range n {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		defer l.Close()
		out = append(out, l.Addr().(*net.TCPAddr).Port)
	}
	return out
}

// certificates makes an authority and a certificate for loopback, and returns the authority's.
func certificates(t *testing.T, dir string) string {
	t.Helper()
	make := func(name string, authority bool, by *x509.Certificate, key *ecdsa.PrivateKey) (*x509.Certificate,
		*ecdsa.PrivateKey, string) {
		own, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		if err != nil {
			t.Fatal(err)
		}
		c := &x509.Certificate{SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: name},
			NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(24 * time.Hour), IsCA: authority,
			BasicConstraintsValid: true, IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)},
			KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign}
		if by == nil {
			by, key = c, own
		}
		der, err := x509.CreateCertificate(rand.Reader, c, by, &own.PublicKey, key)
		if err != nil {
			t.Fatal(err)
		}
		return c, own, string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}))
	}
	ca, key, text := make("authority of the test", true, nil, nil)
	_, own, server := make("127.0.0.1", false, ca, key)
	der, err := x509.MarshalPKCS8PrivateKey(own)
	if err != nil {
		t.Fatal(err)
	}
	for name, b := range map[string]string{"ca.pem": text, "server.pem": server,
		"server.key": string(pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der}))} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(b), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return text
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
	s := startSlapd(t)
	for name, change := range map[string]func(*Server){
		"StartTLS": func(*Server) {},
		"TLS":      func(r *Server) { r.Address = s.safe },
	} {
		server := s.server()
		server.Filter, server.Attributes = "(objectClass=inetOrgPerson)", map[string]string{"houseCentre": "departmentNumber"}
		change(&server)
		list, err := readAll(server)
		if err != nil || len(list) != people {
			t.Fatalf("%s: %d entries, %v", name, len(list), err)
		}
		var ldif strings.Builder
		seen := map[string]bool{}
		for _, e := range list {
			seen[e.First("uid")] = true
			if len(e.Values("departmentnumber")) != 1 || e.First("departmentnumber") == "old" || e.First("entryuuid") == "" {
				t.Fatalf("%s: %+v", name, e)
			}
			if err := formats.WriteLDIF(&ldif, e); err != nil {
				t.Fatal(err)
			}
		}
		if len(seen) != people {
			t.Errorf("%s: %d different people", name, len(seen))
		}
		again, bad, err := formats.ReadLDIF(strings.NewReader(ldif.String()))
		if err != nil || len(bad) > 0 || len(again) != people {
			t.Fatalf("%s: as LDIF %d entries, %v, %v", name, len(again), bad, err)
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
	s := startSlapd(t)
	for want, change := range map[string]func(*Server){
		"does not let in " + reader: func(r *Server) { r.Password = "wrong" },
		"has no entry ou=none":      func(r *Server) { r.Base = "ou=none,dc=halv,dc=example" },
		"nobody whom this machine trusts": func(r *Server) {
			r.CA, r.Address = certificates(t, t.TempDir()), s.safe
		},
		"gives no more than a part": func(r *Server) { r.Page = 10_000 },
		"or does not show it to somebody without a name": func(r *Server) {
			r.User, r.Password = "", ""
		},
		"cannot be reached": func(r *Server) { r.Address = fmt.Sprintf("ldap://127.0.0.1:%d", freePorts(t, 1)[0]) },
	} {
		server := s.server()
		change(&server)
		_, err := readAll(server)
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", want, err)
		}
	}
	// the server goes away in the middle
	server, n := s.server(), 0
	err := server.Read(context.Background(), func(*formats.LDIFEntry) error {
		if n++; n == 150 {
			s.stop()
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
