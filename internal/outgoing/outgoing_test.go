package outgoing_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"time"

	"firethorn/internal/outgoing"
)

// Every way to write an address inside is inside, and public ones are not.
func TestInside(t *testing.T) {
	for _, a := range []string{"127.0.0.1", "127.9.9.9", "10.0.0.1", "172.16.0.1", "172.31.255.255", "192.168.1.1", "169.254.169.254", "100.64.0.1", "0.0.0.0", "0.1.2.3",
		"224.0.0.1", "255.255.255.255", "192.0.0.8", "198.18.0.1", "203.0.113.9", "::1", "::", "fe80::1", "fc00::1", "fd12::1", "ff02::1", "::ffff:127.0.0.1",
		"::ffff:10.0.0.1", "64:ff9b::7f00:1", "64:ff9b::a9fe:a9fe", "2002:7f00:1::", "2002:c0a8:101::", "2001:db8::1", "fe80::1%eth0"} {
		if !outgoing.Inside(netip.MustParseAddr(a)) {
			t.Errorf("%s is said to be outside", a)
		}
	}
	for _, a := range []string{"1.1.1.1", "172.32.0.1", "192.169.0.1", "100.128.0.1", "2606:4700:4700::1111", "::ffff:8.8.8.8", "64:ff9b::808:808", "2002:808:808::"} {
		if outgoing.Inside(netip.MustParseAddr(a)) {
			t.Errorf("%s is said to be inside", a)
		}
	}
}

func post(c *outgoing.Client, url string) (outgoing.Answer, error) {
	return c.Post(context.Background(), url, http.Header{}, []byte("{}"))
}

func TestPost_RefusesAddressesInside(t *testing.T) {
	asked := 0
	s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { asked++ }))
	defer s.Close()
	c := outgoing.New(outgoing.Options{Timeout: 5 * time.Second, MaxAnswer: 100})
	for _, url := range []string{s.URL, strings.Replace(s.URL, "127.0.0.1", "localhost", 1), strings.Replace(s.URL, "127.0.0.1", "[::ffff:127.0.0.1]", 1), strings.Replace(s.URL, "127.0.0.1", "0.0.0.0", 1)} {
		if _, err := post(c, url); !errors.Is(err, outgoing.ErrInside) && !strings.Contains(err.Error(), "refused") {
			t.Errorf("%s: %v", url, err)
		}
	}
	if asked != 0 {
		t.Errorf("the server inside was asked %d times", asked)
	}
	allowed := outgoing.New(outgoing.Options{Allow: strings.TrimPrefix(s.URL, "http://"), Timeout: 5 * time.Second, MaxAnswer: 100})
	if a, err := post(allowed, s.URL); err != nil || a.Status != 200 {
		t.Errorf("one that is permitted: %+v, %v", a, err)
	}
	other := httptest.NewServer(http.NotFoundHandler())
	defer other.Close()
	if _, err := post(allowed, other.URL); !errors.Is(err, outgoing.ErrInside) {
		t.Errorf("another port: %v", err)
	}
}

// A receiver may redirect inside, answer a gigabyte, or never end: none of it is followed.
func TestPost_BoundsWhatReceiversDo(t *testing.T) {
	inside := 0
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/redirect":
			http.Redirect(w, r, "/inside", http.StatusTemporaryRedirect)
		case "/inside":
			inside++
		case "/large":
			for range 1 << 14 {
				if _, err := w.Write(make([]byte, 1<<16)); err != nil {
					return
				}
			}
		case "/slow":
			w.WriteHeader(http.StatusOK)
			w.(http.Flusher).Flush()
			select {
			case <-r.Context().Done():
			case <-time.After(5 * time.Second):
			}
		}
	}))
	defer s.Close()
	c := outgoing.New(outgoing.Options{Allow: strings.TrimPrefix(s.URL, "http://"), Timeout: 500 * time.Millisecond, MaxAnswer: 64 << 10})
	if a, err := post(c, s.URL+"/redirect"); err != nil || a.Status != 307 || inside != 0 {
		t.Errorf("a redirect: %+v, %v, followed %d times", a, err, inside)
	}
	if a, err := post(c, s.URL+"/large"); err != nil || len(a.Body) != 64<<10 {
		t.Errorf("a gigabyte: %d bytes, %v", len(a.Body), err)
	}
	at := time.Now()
	if a, err := post(c, s.URL+"/slow"); err == nil && len(a.Body) > 0 || time.Since(at) > 3*time.Second {
		t.Errorf("one that never ends: %+v, %v after %s", a, err, time.Since(at))
	}
	secure := httptest.NewTLSServer(http.NotFoundHandler()) // of an authority that nobody knows
	defer secure.Close()
	strict := outgoing.New(outgoing.Options{Allow: strings.TrimPrefix(secure.URL, "https://"), Timeout: 5 * time.Second, MaxAnswer: 100})
	if _, err := post(strict, secure.URL); err == nil || !strings.Contains(err.Error(), "certificate") {
		t.Errorf("a wrong certificate: %v", err)
	}
}
