package web

import (
	"net/http"
	"net/netip"
	"strings"
)

// Sender is the address that a request counts for, as text: an IPv4 address,
// or the /64 network of an IPv6 address, since one host has all of those. Behind
// a proxy on loopback it is the last address that the proxy wrote into
// X-Forwarded-For; what came before that was written by the sender.
func Sender(r *http.Request) string {
	at, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	ip := at.Addr().Unmap().WithZone("")
	if ip.IsLoopback() {
		last := r.Header.Values("X-Forwarded-For")
		if len(last) > 0 {
			text := last[len(last)-1]
			if told, err := netip.ParseAddr(strings.TrimSpace(text[strings.LastIndexByte(text, ',')+1:])); err == nil {
				ip = told.Unmap().WithZone("")
			}
		}
	}
	return Network(ip)
}

// Network is an address as senders are counted by it.
func Network(ip netip.Addr) string {
	if ip.Is4() {
		return ip.String()
	}
	p, err := ip.Prefix(64)
	if err != nil {
		return ip.String()
	}
	return p.String()
}
