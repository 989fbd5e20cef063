package app

import (
	"bufio"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"
)

func TestBoundedListener_AnswersThoseOverItsBounds(t *testing.T) {
	inner, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	l := newBoundedListener(inner, 3, 1)
	server := &http.Server{Handler: http.NotFoundHandler()}
	go func() { _ = server.Serve(l) }()
	defer server.Close()
	dial := func() net.Conn {
		t.Helper()
		c, err := net.Dial("tcp", inner.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Close() })
		_ = c.SetDeadline(time.Now().Add(10 * time.Second))
		return c
	}
	ask := func(c net.Conn) *http.Response {
		t.Helper()
		_, _ = c.Write([]byte("GET / HTTP/1.1\r\nHost: x\r\n\r\n")) // one over the bounds may be closed already
		res, err := http.ReadResponse(bufio.NewReader(c), nil)
		if err != nil {
			t.Fatal(err)
		}
		return res
	}
	var open []net.Conn
	for range 3 { // loopback is bounded by the first number alone
		c := dial()
		if res := ask(c); res.StatusCode != 404 {
			t.Fatalf("within the bounds: %d", res.StatusCode)
		}
		open = append(open, c)
	}
	if res := ask(dial()); res.StatusCode != 503 || res.Header.Get("Retry-After") == "" {
		t.Errorf("over them: %d, Retry-After %q", res.StatusCode, res.Header.Get("Retry-After"))
	}
	open[0].Close()
	for until := time.Now().Add(5 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		if res := ask(dial()); res.StatusCode == 404 {
			break
		}
		if time.Now().After(until) {
			t.Fatal("a connection that is closed still counts")
		}
	}
}

func TestBoundedListener_CountsByAddress(t *testing.T) {
	b := newBoundedListener(nil, 10, 2)
	for i, want := range []bool{true, true, false} {
		if got := b.enter("192.0.2.7"); got != want {
			t.Errorf("connection %d of one address: %v", i+1, got)
		}
	}
	if !b.enter("192.0.2.8") {
		t.Error("another address is shut out")
	}
	b.leave("192.0.2.7")
	if !b.enter("192.0.2.7") {
		t.Error("one that left still counts")
	}
}

func TestFullAnswer_IsAProblem(t *testing.T) {
	res, err := http.ReadResponse(bufio.NewReader(strings.NewReader(fullAnswer)), nil)
	if err != nil || res.StatusCode != 503 || res.Header.Get("Content-Type") != "application/problem+json" {
		t.Errorf("%+v, %v", res, err)
	}
}
