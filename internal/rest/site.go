package rest

import (
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/realclientip/realclientip-go"
)

// Site is where browsers reach the program.
type Site struct {
	// URL is the address that the house has set, such as https://software.example. Where it is none, the program is
	// reached by numbers, as localhost, or by the machine's own name.
	URL *url.URL
	// Proxies are the addresses of those that pass requests on. What they say of a request's origin is believed.
	Proxies []netip.Prefix
}

// ParseSite reads the address that the house has set, and the addresses of proxies, such as 10.0.0.7 or 10.0.0.0/24.
func ParseSite(address string, proxies []string) (Site, error) {
	var site Site
	if address != "" {
		u, err := url.Parse(address)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil ||
			strings.Trim(u.Path, "/") != "" || u.RawQuery != "" || u.Fragment != "" {
			return site, fmt.Errorf("%q is not the address of a site: write it as https://software.example", address)
		}
		site.URL = &url.URL{Scheme: u.Scheme, Host: strings.ToLower(u.Host)}
	}
	for _, text := range proxies {
		prefix, err := netip.ParsePrefix(text)
		if err != nil {
			one, err := netip.ParseAddr(text)
			if err != nil {
				return site, fmt.Errorf("%q is no address of a proxy: write it as 10.0.0.7 or 10.0.0.0/24", text)
			}
			prefix = netip.PrefixFrom(one, one.BitLen())
		}
		site.Proxies = append(site.Proxies, prefix.Masked())
	}
	return site, nil
}

func (t Site) secure() bool { return t.URL != nil && t.URL.Scheme == "https" }

// owns reports whether a host, with or without its port, is one under which the program is reached. A number is no
// name: nobody can make it lead to somewhere else.
func (t Site) owns(host string) bool {
	host = strings.ToLower(host)
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	if t.URL != nil {
		own := t.URL.Host
		if host == own || host == t.URL.Hostname() || withPort(host, t.URL.Scheme) == withPort(own, t.URL.Scheme) {
			return true
		}
		ip, err := netip.ParseAddr(strings.Trim(name, "[]"))
		return name == "localhost" || err == nil && ip.IsLoopback() // whoever looks after it on its own machine
	}
	if _, err := netip.ParseAddr(strings.Trim(name, "[]")); err == nil || name == "localhost" {
		return true
	}
	machine, err := os.Hostname()
	if err != nil {
		return false
	}
	machine = strings.ToLower(machine)
	short, _, _ := strings.Cut(machine, ".")
	return name == machine || name == short
}

func withPort(host, scheme string) string {
	if _, _, err := net.SplitHostPort(host); err == nil {
		return host
	}
	return net.JoinHostPort(strings.Trim(host, "[]"), map[string]string{"http": "80", "https": "443"}[scheme])
}

// ofTokens are the addresses that open to a token alone. No cookie does anything there, and whoever shows a token chose
// the name himself; everywhere else a page that was led here could show one, too.
var ofTokens = []string{"/api/scans", "/api/collector/ask", "/api/collector/failed", "/api/deployment/outcome"}

// ownHost refuses a browser that was led here under a name that is not ours.
func (s *Server) ownHost(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !slices.Contains(ofTokens, r.URL.Path) && !s.Site.owns(r.Host) {
			Problem(w, huma.NewError(http.StatusMisdirectedRequest, fmt.Sprintf(
				"Ensomet is not reached as %.100q here. Whoever runs it sets the address with --url.", r.Host)))
			return
		}
		next.ServeHTTP(w, r)
	})
}

// fromProxies puts the address of who asks, and the host that was asked for, in place of the proxy's, where one that
// was named passed the request on; from everybody else such headers are not believed.
func (s *Server) fromProxies(next http.Handler) http.Handler {
	ranges := make([]net.IPNet, len(s.Site.Proxies))
	for i, p := range s.Site.Proxies {
		ranges[i] = net.IPNet{IP: p.Addr().AsSlice(), Mask: net.CIDRMask(p.Bits(), p.Addr().BitLen())}
	}
	behind := realclientip.Must(realclientip.NewRightmostTrustedRangeStrategy("X-Forwarded-For", ranges))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.passedOn(r) {
			if ip := behind.ClientIP(r.Header, r.RemoteAddr); ip != "" {
				r.RemoteAddr = net.JoinHostPort(ip, "0")
			}
			if host := r.Header.Get("X-Forwarded-Host"); host != "" {
				r.Host = host
			}
		}
		for name := range r.Header {
			if strings.HasPrefix(name, "X-Forwarded-") || name == "Forwarded" {
				r.Header.Del(name)
			}
		}
		next.ServeHTTP(w, r)
	})
}

// passedOn reports whether a request comes from a proxy that was named.
func (s *Server) passedOn(r *http.Request) bool {
	at, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return false
	}
	for _, p := range s.Site.Proxies {
		if p.Contains(at.Addr().Unmap()) {
			return true
		}
	}
	return false
}

// ByAddress is the address that a request comes from, by which it is limited. An address of version 6 stands for its
// network, of which one house has all.
func ByAddress(r *http.Request) (string, error) {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return "", err
	}
	ip, err := netip.ParseAddr(host)
	if err != nil {
		return host, nil
	}
	if ip = ip.Unmap().WithZone(""); ip.Is6() {
		network, err := ip.Prefix(64)
		return network.String(), err
	}
	return ip.String(), nil
}
