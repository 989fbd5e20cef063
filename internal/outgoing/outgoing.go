// Package outgoing is the one HTTP client for URLs that users configure: it refuses internal
// addresses, follows no redirects, and limits time and bytes.
package outgoing

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"syscall"
	"time"
)

// ErrInside says that an address lies inside the network.
var ErrInside = errors.New(
	"the address lies inside the network; an operator can permit one with --allow-inside HOST:PORT",
)

// Options of New.
type Options struct {
	Allow     string // host:port inside the network that may be called; "": none
	Timeout   time.Duration
	MaxAnswer int64          // bytes of an answer that are read
	Roots     *x509.CertPool // nil: those of the system
}

// Client calls addresses outside.
type Client struct {
	opt    Options
	dialer *net.Dialer
	http   *http.Client
}

// New makes a client.
func New(opt Options) *Client {
	c := &Client{opt: opt, dialer: &net.Dialer{Timeout: opt.Timeout}}
	c.http = &http.Client{
		Timeout:       opt.Timeout,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport: &http.Transport{
			DialContext:            c.Dial,
			TLSHandshakeTimeout:    opt.Timeout,
			DisableKeepAlives:      true,
			TLSClientConfig:        &tls.Config{RootCAs: opt.Roots, MinVersion: tls.VersionTLS12},
			MaxResponseHeaderBytes: 64 << 10,
		},
	}
	return c
}

// TLS is the configuration for connections to a host.
func (c *Client) TLS(host string) *tls.Config {
	return &tls.Config{ServerName: host, RootCAs: c.opt.Roots, MinVersion: tls.VersionTLS12}
}

// Dial connects to an address, unless it lies inside. What a name resolves to is checked
// when the connection is made: it cannot change in between.
func (c *Client) Dial(ctx context.Context, network, address string) (net.Conn, error) {
	d := *c.dialer
	if !strings.EqualFold(address, c.opt.Allow) {
		d.Control = func(_, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err != nil {
				return err
			}
			if Inside(at.Addr()) {
				return fmt.Errorf("%s: %w", at.Addr(), ErrInside)
			}
			return nil
		}
	}
	return d.DialContext(ctx, network, address)
}

// shared are ranges that netip knows no word for: carrier-grade NAT (RFC 6598), protocol
// assignments, documentation, benchmarks, and what is kept for later, with the broadcast.
var shared = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"),
	netip.MustParsePrefix("100.64.0.0/10"),
	netip.MustParsePrefix("192.0.0.0/24"),
	netip.MustParsePrefix("192.0.2.0/24"),
	netip.MustParsePrefix("198.18.0.0/15"),
	netip.MustParsePrefix("198.51.100.0/24"),
	netip.MustParsePrefix("203.0.113.0/24"),
	netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("2001:db8::/32"),
	netip.MustParsePrefix("fec0::/10"),
	netip.MustParsePrefix("64:ff9b:1::/48"), // NAT64 of one's own network (RFC 8215)
}

// IPv6 ranges that hold an IPv4 address: in the last 32 bits (NAT64, RFC 6052), and after the
// first 16 (6to4, RFC 3056).
var (
	nat64     = netip.MustParsePrefix("64:ff9b::/96")
	sixToFour = netip.MustParsePrefix("2002::/16")
)

// Inside says whether an address is loopback, private, link-local (metadata services are), or
// otherwise not on the public internet. IPv4 addresses within IPv6 ones count as themselves.
func Inside(a netip.Addr) bool {
	a = a.Unmap().WithZone("")
	switch b := a.As16(); {
	case nat64.Contains(a):
		return Inside(netip.AddrFrom4([4]byte(b[12:])))
	case sixToFour.Contains(a):
		return Inside(netip.AddrFrom4([4]byte(b[2:6])))
	}
	for _, p := range shared {
		if p.Contains(a) {
			return true
		}
	}
	return !a.IsValid() || a.IsLoopback() || a.IsPrivate() || a.IsLinkLocalUnicast() || a.IsLinkLocalMulticast() ||
		a.IsInterfaceLocalMulticast() || a.IsMulticast() || a.IsUnspecified()
}

// Answer is what a server said.
type Answer struct {
	Status int
	Header http.Header
	Body   []byte // the beginning
}

// Post sends a body. An error says that there was no answer.
func (c *Client) Post(ctx context.Context, url string, header http.Header, body []byte) (Answer, error) {
	return c.Do(ctx, http.MethodPost, url, header, body)
}

// Do is Post with another method; a body of nil is none.
func (c *Client) Do(ctx context.Context, method, url string, header http.Header, body []byte) (Answer, error) {
	var content io.Reader
	if body != nil {
		content = bytes.NewReader(body)
	}
	req, err := http.NewRequestWithContext(ctx, method, url, content)
	if err != nil {
		return Answer{}, err
	}
	req.Header = header
	res, err := c.http.Do(req)
	if err != nil {
		return Answer{}, err
	}
	defer res.Body.Close()
	raw, _ := io.ReadAll(io.LimitReader(res.Body, c.opt.MaxAnswer)) // the status says what became of it
	return Answer{res.StatusCode, res.Header, raw}, nil
}
