package app

import (
	"net"
	"net/netip"
	"sync"
	"syscall"
	"time"

	"firethorn/internal/web"
)

// diskFree is how many bytes are free where dir lies.
func diskFree(dir string) (int64, error) {
	var st syscall.Statfs_t
	if err := syscall.Statfs(dir, &st); err != nil {
		return 0, err
	}
	return int64(st.Bavail) * int64(st.Bsize), nil
}

// Bounds of connections: in all, and from one address. An address on loopback
// is a proxy as likely as a sender, and is bounded by the first alone.
const (
	maxConns     = 4000
	maxByAddress = 1000
)

// boundedListener answers connections over its bounds with 503 and closes
// them, so that they cost nothing.
type boundedListener struct {
	net.Listener
	limit, maxOne int

	mu  sync.Mutex
	all int
	by  map[string]int
}

func newBoundedListener(l net.Listener, limit, maxOne int) *boundedListener {
	return &boundedListener{Listener: l, limit: limit, maxOne: maxOne, by: map[string]int{}}
}

// fullAnswer is what a connection over the bounds gets.
const fullAnswer = "HTTP/1.1 503 Service Unavailable\r\nRetry-After: 5\r\nConnection: close\r\nContent-Type: application/problem+json\r\n\r\n" +
	`{"type":"about:blank","title":"Service Unavailable","status":503,"detail":"too many connections; use fewer, or come again in a few seconds","code":"unavailable"}` + "\n"

func (b *boundedListener) Accept() (net.Conn, error) {
	for {
		c, err := b.Listener.Accept()
		if err != nil {
			return nil, err
		}
		host := peer(c.RemoteAddr())
		if b.enter(host) {
			return &boundedConn{Conn: c, leave: sync.OnceFunc(func() { b.leave(host) })}, nil
		}
		_ = c.SetWriteDeadline(time.Now().Add(time.Second))
		_, _ = c.Write([]byte(fullAnswer)) // it may be gone
		c.Close()
	}
}

// loopback stands for all addresses of this machine itself.
const loopback = "loopback"

// peer is what a connection counts for: an IPv4 address, or the /64 network of
// an IPv6 address.
func peer(a net.Addr) string {
	at, err := netip.ParseAddrPort(a.String())
	if err != nil {
		return a.String()
	}
	ip := at.Addr().Unmap().WithZone("")
	if ip.IsLoopback() {
		return loopback
	}
	return web.Network(ip)
}

func (b *boundedListener) enter(host string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.all >= b.limit || b.by[host] >= b.maxOne && host != loopback {
		return false
	}
	b.all++
	b.by[host]++
	return true
}

func (b *boundedListener) leave(host string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.all--
	if b.by[host]--; b.by[host] == 0 {
		delete(b.by, host)
	}
}

type boundedConn struct {
	net.Conn
	leave func()
}

func (c *boundedConn) Close() error {
	c.leave()
	return c.Conn.Close()
}
