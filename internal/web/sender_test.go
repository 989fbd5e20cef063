package web

import (
	"net/http"
	"net/http/httptest"
	"testing"
)

func TestSender(t *testing.T) {
	for name, c := range map[string]struct {
		remote    string
		forwarded []string
		want      string
	}{
		"version 4":                          {"203.0.113.7:5000", nil, "203.0.113.7"},
		"version 6 by its network":           {"[2001:db8:1:2:3:4:5:6]:5000", nil, "2001:db8:1:2::/64"},
		"version 4 in 6":                     {"[::ffff:203.0.113.7]:5000", nil, "203.0.113.7"},
		"what a stranger claims":             {"203.0.113.7:5000", []string{"198.51.100.9"}, "203.0.113.7"},
		"a proxy on loopback":                {"127.0.0.1:5000", []string{"198.51.100.9"}, "198.51.100.9"},
		"a proxy behind a sender's own tale": {"127.0.0.1:5000", []string{"192.0.2.1, 198.51.100.9"}, "198.51.100.9"},
		"a proxy that adds a header":         {"[::1]:5000", []string{"192.0.2.1", "2001:db8:1:2::9"}, "2001:db8:1:2::/64"},
		"a proxy that says nonsense":         {"127.0.0.1:5000", []string{"unknown"}, "127.0.0.1"},
	} {
		r := httptest.NewRequest(http.MethodPost, "/", nil)
		r.RemoteAddr = c.remote
		for _, f := range c.forwarded {
			r.Header.Add("X-Forwarded-For", f)
		}
		if got := Sender(r); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}
