package deliver

import (
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"syscall"
	"time"
)

// Webhooks go to the hosts that are named, or, where none is, to any on the public network: never to this machine, to others of its
// network or to what answers for the machine itself, unless those are named.

// checkHost refuses a webhook that could never be sent.
func (m *Means) checkHost(address string) error {
	u, err := url.Parse(address)
	if err != nil {
		return err
	}
	host := strings.ToLower(u.Hostname())
	ip, err := netip.ParseAddr(host)
	switch {
	case slices.Contains(m.Hosts, host):
		return nil
	case len(m.Hosts) > 0:
		return fmt.Errorf("webhook %s: messages go only to %s (--webhook-hosts)", host, strings.Join(m.Hosts, ", "))
	case host == "localhost" || err == nil && !public(ip):
		return notPublic(host)
	}
	return nil
}

func notPublic(host string) error {
	return fmt.Errorf("webhook %s is not on the public network: name it by --webhook-hosts where messages may go there", host)
}

// shared is the network of providers behind one address (RFC 6598).
var shared = netip.MustParsePrefix("100.64.0.0/10")

// public reports whether an address is one of the public network.
func public(ip netip.Addr) bool {
	ip = ip.Unmap()
	return ip.IsGlobalUnicast() && !ip.IsPrivate() && !shared.Contains(ip)
}

// webhooks returns a client that follows no redirects, and connects to no address that messages may not go to, whatever the name of
// a host resolves to.
func (m *Means) webhooks() *http.Client {
	dialer := &net.Dialer{Timeout: answerSeconds * time.Second}
	transport := &http.Transport{DisableKeepAlives: true, DialContext: dialer.DialContext}
	if len(m.Hosts) == 0 {
		dialer.Control = func(_, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err != nil {
				return err
			}
			if !public(at.Addr()) {
				return notPublic(at.Addr().String())
			}
			return nil
		}
	}
	return &http.Client{
		Timeout: answerSeconds * time.Second, Transport: transport,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}
