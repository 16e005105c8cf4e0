// Package ldapread reads the people and machines of a directory over LDAP (RFC 4511), page by page (RFC 2696), over TLS
// from the first byte or after StartTLS (RFC 4513). It writes nothing there, and follows no referral.
package ldapread

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"net"
	"net/url"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/refuse"
	"ensomet/internal/formats"

	"github.com/go-ldap/ldap/v3"
)

// Server is a directory, and what is read of it.
type Server struct {
	Address  string // ldap://host or ldaps://host, with a port where it is another
	StartTLS bool   // of ldap://: TLS begins before anything else is said
	CA       string // certificates that are trusted, as PEM; empty is those of the machine
	User     string // the name that it is asked under; empty asks as nobody
	Password string
	Base     string // the entry below which is read
	Filter   string // RFC 4515
	// Attributes are attributes of the house's own, each with the attribute that it is read as.
	Attributes map[string]string
	Page       int // entries at once; 0 is DefaultPage
}

// How many entries are asked for at once, and what a directory is given time for.
const (
	DefaultPage = 500
	mostPage    = 10_000
	leastPage   = 100
	dialTime    = 15 * time.Second
	answerTime  = 60 * time.Second
)

// DefaultFilter finds people and machines.
const DefaultFilter = "(|(objectClass=person)(objectClass=posixAccount)(objectClass=computer)(objectClass=device))"

// asked are the attributes that an entry is read by.
var asked = strings.Fields(`
	objectClass uid sAMAccountName userid userPrincipalName krbPrincipalName displayName cn gecos mail
	rfc822Mailbox ou departmentNumber costCenter l localityName physicalDeliveryOfficeName userAccountControl
	shadowExpire accountExpires nsAccountLock loginDisabled pwdAccountLockedTime manager entryUUID objectGUID
	nsUniqueId ipaUniqueID serialNumber description operatingSystem operatingSystemVersion ipHostNumber owner
	managedBy c countryName dNSHostName`)

// Check says what is wrong with a server as it was written down.
func (s *Server) Check() error {
	u, err := url.Parse(s.Address)
	if err != nil || u.Hostname() == "" || u.Scheme != "ldap" && u.Scheme != "ldaps" || u.User != nil ||
		strings.Trim(u.Path, "/") != "" {
		return refuse.Errorf(
			"%q is not the address of a directory: write ldaps://host or ldap://host, with :port where "+
				"it is another",
			s.Address,
		)
	}
	if u.Scheme == "ldap" && !s.StartTLS && s.Password != "" {
		return refuse.New("the password would go over the line for everybody to read: choose StartTLS or ldaps://")
	}
	if s.User != "" && s.Password == "" {
		return refuse.New("a name without a password is let in as nobody by many directories: give the password")
	}
	if s.CA != "" && !x509.NewCertPool().AppendCertsFromPEM([]byte(s.CA)) {
		return refuse.New("the certificates that are trusted cannot be read: give them as PEM")
	}
	if _, err := ldap.CompileFilter(s.filter()); err != nil {
		return refuse.Errorf("the filter %s cannot be read: %s", s.Filter, lastOf(err))
	}
	if _, err := ldap.ParseDN(s.Base); err != nil {
		return refuse.Errorf("%q is not the name of an entry: write it like ou=people,dc=house,dc=example", s.Base)
	}
	for from, to := range s.Attributes {
		if !slices.ContainsFunc(asked, func(a string) bool { return strings.EqualFold(a, to) }) || from == "" {
			return refuse.Errorf("an attribute %q cannot be read as %q", from, to)
		}
	}
	return nil
}

func (s *Server) filter() string {
	if s.Filter == "" {
		return DefaultFilter
	}
	return s.Filter
}

// Read gives each entry that the filter finds below the base, as LDIF has it. What goes wrong is said in a sentence;
// entries that were given before are then not the whole.
func (s *Server) Read(ctx context.Context, each func(*formats.LDIFEntry) error) error {
	if err := s.Check(); err != nil {
		return err
	}
	c, err := s.open(ctx)
	if err != nil {
		return err
	}
	defer c.Close()
	stop := context.AfterFunc(ctx, func() { _ = c.Close() })
	defer stop()
	attributes := slices.Clone(asked)
	as := map[string]string{}
	for from, to := range s.Attributes {
		attributes = append(attributes, from)
		as[strings.ToLower(from)] = strings.ToLower(to)
	}
	size := uint32(DefaultPage)
	if s.Page > 0 {
		size = uint32(min(s.Page, mostPage))
	}
	page := ldap.NewControlPaging(size)
	for {
		res, err := c.Search(
			ldap.NewSearchRequest(s.Base, ldap.ScopeWholeSubtree, ldap.NeverDerefAliases, 0, 0, false,
				s.filter(), attributes, []ldap.Control{page}),
		)
		if err != nil {
			if ctx.Err() != nil {
				return context.Cause(ctx)
			}
			if ldap.IsErrorAnyOf(err, ldap.LDAPResultSizeLimitExceeded, ldap.LDAPResultAdminLimitExceeded) &&
				size > leastPage && len(page.Cookie) == 0 {
				size = leastPage // it gives less at once than others do
				page = ldap.NewControlPaging(size)
				continue
			}
			if code := new(ldap.Error); !errors.As(err, &code) || code.ResultCode == ldap.ErrorNetwork {
				return s.gone(err)
			}
			return s.words(err)
		}
		for _, e := range res.Entries {
			if err := each(entryOf(e, as)); err != nil {
				return err
			}
		}
		next, _ := ldap.FindControl(res.Controls, ldap.ControlTypePaging).(*ldap.ControlPaging)
		if next == nil || len(next.Cookie) == 0 {
			return nil
		}
		page.SetCookie(next.Cookie)
	}
}

// entryOf is an entry as LDIF has it; attributes that the house reads as others go before theirs.
func entryOf(e *ldap.Entry, as map[string]string) *formats.LDIFEntry {
	out := &formats.LDIFEntry{DN: e.DN}
	var own, others []formats.LDIFAttr
	for _, a := range e.Attributes {
		name, options, _ := strings.Cut(strings.ToLower(a.Name), ";")
		to, mapped := as[name]
		for _, v := range a.ByteValues {
			attr := formats.LDIFAttr{Name: name, Value: string(v)}
			if options != "" {
				attr.Options = strings.Split(options, ";")
			}
			if mapped {
				attr.Name = to
				own = append(own, attr)
			} else {
				others = append(others, attr)
			}
		}
	}
	replaced := map[string]bool{}
	for _, a := range own {
		replaced[a.Name] = true
	}
	out.Attrs = append(own, slices.DeleteFunc(others, func(a formats.LDIFAttr) bool { return replaced[a.Name] })...)
	return out
}

func (s *Server) open(ctx context.Context) (*ldap.Conn, error) {
	u, err := url.Parse(s.Address)
	if err != nil {
		return nil, err
	}
	config := &tls.Config{ServerName: u.Hostname(), MinVersion: tls.VersionTLS12}
	if s.CA != "" {
		config.RootCAs = x509.NewCertPool()
		config.RootCAs.AppendCertsFromPEM([]byte(s.CA))
	}
	port := u.Port()
	if port == "" {
		port = map[string]string{"ldap": "389", "ldaps": "636"}[u.Scheme]
	}
	line, err := (&net.Dialer{Timeout: dialTime}).DialContext(ctx, "tcp", net.JoinHostPort(u.Hostname(), port))
	if err != nil {
		return nil, refuse.Errorf(
			"the directory %s cannot be reached (%s): look whether the address is right, and "+
				"whether the way there is open",
			s.Address,
			lastOf(err),
		)
	}
	if u.Scheme == "ldaps" {
		safe := tls.Client(line, config)
		shake, cancel := context.WithTimeout(ctx, dialTime)
		defer cancel()
		if err := safe.HandshakeContext(shake); err != nil {
			_ = line.Close()
			return nil, s.words(err)
		}
		line = safe
	}
	c := ldap.NewConn(line, u.Scheme == "ldaps")
	c.Start()
	c.SetTimeout(answerTime)
	if u.Scheme == "ldap" && s.StartTLS {
		if err := c.StartTLS(config); err != nil {
			_ = c.Close()
			return nil, s.words(err)
		}
	}
	if s.User != "" {
		if err := c.Bind(s.User, s.Password); err != nil {
			_ = c.Close()
			return nil, s.words(err)
		}
	}
	return c, nil
}

// words say what went wrong, and what to do.
func (s *Server) words(err error) error {
	var unknown x509.UnknownAuthorityError
	var name x509.HostnameError
	var invalid x509.CertificateInvalidError
	var code *ldap.Error
	switch {
	case errors.As(err, &unknown):
		return refuse.Errorf(
			"nobody whom this machine trusts stands for the certificate of %s: give the certificate of "+
				"your authority",
			s.Address,
		)
	case errors.As(err, &name), errors.As(err, &invalid):
		return refuse.Errorf("the certificate of %s is not valid for it: %s", s.Address, lastOf(err))
	case !errors.As(err, &code):
		return refuse.Errorf("%s does not answer as a directory: %s", s.Address, lastOf(err))
	}
	switch code.ResultCode {
	case ldap.LDAPResultInvalidCredentials:
		return refuse.Errorf("the directory %s does not let in %s with this password", s.Address, s.User)
	case ldap.LDAPResultNoSuchObject:
		return refuse.Errorf(
			"the directory %s has no entry %s, or does not show it to %s",
			s.Address,
			s.Base,
			s.who(),
		)
	case ldap.LDAPResultInsufficientAccessRights, ldap.LDAPResultInappropriateAuthentication,
		ldap.LDAPResultConfidentialityRequired, ldap.LDAPResultStrongAuthRequired:
		return refuse.Errorf("the directory %s does not let %s read this: %s", s.Address, s.who(), lastOf(code.Err))
	case ldap.LDAPResultSizeLimitExceeded, ldap.LDAPResultAdminLimitExceeded, ldap.LDAPResultTimeLimitExceeded:
		return refuse.Errorf(
			"the directory %s gives no more than a part of what was asked: ask for less by the filter, "+
				"or let its limits for %s be raised",
			s.Address,
			s.who(),
		)
	case ldap.ErrorNetwork:
		if errors.As(code.Err, &unknown) {
			return s.words(code.Err)
		}
		return s.gone(code.Err)
	}
	return refuse.Errorf("the directory %s refuses: %s", s.Address, lastOf(code))
}

func (s *Server) gone(err error) error {
	return refuse.Errorf("the directory %s went away (%s): nothing was taken; try again when it is back", s.Address,
		lastOf(err))
}

func (s *Server) who() string {
	if s.User == "" {
		return "somebody without a name"
	}
	return s.User
}

// lastOf is the last part of what an error says, without the names of what passed it on.
func lastOf(err error) string {
	if err == nil {
		return "it does not say why"
	}
	text := strings.TrimSpace(err.Error())
	if i := strings.LastIndex(text, ": "); i >= 0 && i+2 < len(text) {
		text = text[i+2:]
	}
	return text
}
