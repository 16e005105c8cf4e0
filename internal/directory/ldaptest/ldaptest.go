// Package ldaptest starts Debian's directory server for tests.
package ldaptest

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"ensomet/internal/formats"

	"github.com/go-ldap/ldap/v3"
)

// Who reads the directory, and what of it.
const (
	Reader   = "cn=reader,dc=halv,dc=example"
	Password = "tidevann 4711"
	Base     = "dc=halv,dc=example"
	Few      = "cn=few," + Base // who may read ten entries and no more
)

// Slapd is Debian's directory server on loopback, with a schema and entries of the test's own.
type Slapd struct {
	Plain, Safe string // its addresses
	CA          string // the certificate of its authority
	process     *exec.Cmd
}

// Start starts a directory of so many people, which gives at most a hundred entries at once; the test is skipped where
// there is no such server.
func Start(t *testing.T, people int) *Slapd {
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
	s := &Slapd{CA: Certificates(t, dir)}
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
rootpw "%[3]s"
directory %[1]s/data
sizelimit 20
limits dn.exact="%[2]s" size.soft=100 size.hard=100 size.pr=200 size.prtotal=unlimited
limits dn.exact="%[4]s" size.soft=10 size.hard=10 size.pr=10 size.prtotal=10
access to attrs=userPassword by anonymous auth by * none
access to * by dn.exact="%[2]s" read by dn.exact="%[4]s" read by * none
`, dir, Reader, Password, Few)
	for name, text := range map[string]string{"house.schema": schema, "slapd.conf": conf,
		"entries.ldif": entries(people)} {
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
	ports := FreePorts(t, 2)
	s.Plain, s.Safe = fmt.Sprintf("ldap://127.0.0.1:%d", ports[0]), fmt.Sprintf("ldaps://127.0.0.1:%d", ports[1])
	s.process = exec.Command(mine, "-f", conf, "-h", s.Plain+"/ "+s.Safe+"/", "-d", "0")
	var said bytes.Buffer
	s.process.Stdout, s.process.Stderr = &said, &said
	if err := s.process.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Stop)
	for range 200 {
		line, err := net.Dial("tcp", strings.TrimPrefix(s.Safe, "ldaps://"))
		if err == nil {
			_ = line.Close()
			return s
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatal("slapd does not come up:", said.String())
	return nil
}

// Stop lets the server go away.
func (s *Slapd) Stop() {
	if s.process.ProcessState == nil {
		_ = s.process.Process.Kill()
		_ = s.process.Wait()
	}
}

// entries are the people of the test, in scripts of several kinds, some disabled, each with a manager, round and round.
func entries(people int) string {
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
	write(formats.LDIFEntry{DN: Reader, Attrs: attrs("objectClass", "person", "cn", "reader", "sn", "reader",
		"userPassword", Password)})
	write(formats.LDIFEntry{DN: Few, Attrs: attrs("objectClass", "person", "cn", "few", "sn", "few",
		"userPassword", Password)})
	write(
		formats.LDIFEntry{DN: "ou=Kartlegging,dc=halv,dc=example", Attrs: attrs("objectClass", "organizationalUnit",
			"ou", "Kartlegging")},
	)
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

// FreePorts finds ports of loopback that nothing listens to.
func FreePorts(t *testing.T, n int) (out []int) {
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

// Certificates makes an authority and a certificate for loopback, and returns the authority's.
func Certificates(t *testing.T, dir string) string {
	t.Helper()
	make := func(name string, authority bool, by *x509.Certificate, key *ecdsa.PrivateKey) (*x509.Certificate,
		*ecdsa.PrivateKey, string) {
		own, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		if err != nil {
			t.Fatal(err)
		}
		c := &x509.Certificate{
			SerialNumber:          big.NewInt(time.Now().UnixNano()),
			Subject:               pkix.Name{CommonName: name},
			NotBefore:             time.Now().Add(-time.Hour),
			NotAfter:              time.Now().Add(24 * time.Hour),
			IsCA:                  authority,
			BasicConstraintsValid: true,
			IPAddresses:           []net.IP{net.IPv4(127, 0, 0, 1)},
			KeyUsage:              x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign,
		}
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

// Remove deletes people.
func (s *Slapd) Remove(t *testing.T, people ...string) {
	t.Helper()
	s.change(t, people, func(c *ldap.Conn, dn string) error { return c.Del(ldap.NewDelRequest(dn, nil)) })
}

// Add adds people.
func (s *Slapd) Add(t *testing.T, people ...string) {
	t.Helper()
	s.change(t, people, func(c *ldap.Conn, dn string) error {
		r := ldap.NewAddRequest(dn, nil)
		r.Attribute("objectClass", []string{"inetOrgPerson"})
		r.Attribute("cn", []string{"Back Again"})
		r.Attribute("sn", []string{"Again"})
		return c.Add(r)
	})
}

func (s *Slapd) change(t *testing.T, people []string, do func(c *ldap.Conn, dn string) error) {
	t.Helper()
	pool := x509.NewCertPool()
	pool.AppendCertsFromPEM([]byte(s.CA))
	c, err := ldap.DialURL(s.Safe, ldap.DialWithTLSConfig(&tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	if err := c.Bind("cn=root,"+Base, Password); err != nil {
		t.Fatal(err)
	}
	for _, id := range people {
		if err := do(c, "uid="+id+",ou=Kartlegging,"+Base); err != nil {
			t.Fatal(id, err)
		}
	}
}
