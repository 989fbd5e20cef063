package e2e

import (
	"bufio"
	"context"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// Deleting the admin token's file and starting again ends the old token.
func TestServe_AnewAdminTokenEndsTheOld(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "data")
	s, err := start(dir, "127.0.0.1:0", "")
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(dir, "admin-token")
	read := func() string {
		t.Helper()
		raw, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		return strings.TrimSpace(string(raw))
	}
	old := read()
	if err := s.stop(); err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(file); err != nil {
		t.Fatal(err)
	}
	if s, err = start(dir, "127.0.0.1:0", ""); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.stop() })
	if code, _ := s.ask(t, old, "GET", "/api/me", nil); code != 401 {
		t.Errorf("the old token still works: %d", code)
	}
	if code, answer := s.ask(t, read(), "GET", "/api/me", nil); code != 200 {
		t.Errorf("the new token: %d %s", code, answer)
	}
}

// A live stream ends when its session is ended.
func TestLive_EndsWithItsSession(t *testing.T) {
	t.Parallel()
	s := shared
	var p struct {
		SignInLink string `json:"sign_in_link"`
	}
	s.json(t, &p, "person", "add", "Signe Vik", "signe.vik@marrowsound.example", "--role", "member")
	_, secret, _ := strings.Cut(p.SignInLink, "#")
	req, err := http.NewRequest(http.MethodPost, s.url+"/api/session", strings.NewReader(`{"link":"`+secret+`"}`))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if len(res.Cookies()) != 1 || res.StatusCode >= 300 {
		t.Fatalf("signing in: %d, %v", res.StatusCode, res.Cookies())
	}
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	live, err := http.NewRequestWithContext(ctx, http.MethodGet, s.url+"/api/live", nil)
	if err != nil {
		t.Fatal(err)
	}
	live.AddCookie(res.Cookies()[0])
	stream, err := http.DefaultClient.Do(live)
	if err != nil {
		t.Fatal(err)
	}
	defer stream.Body.Close()
	if stream.StatusCode != 200 {
		t.Fatalf("the stream: %d", stream.StatusCode)
	}
	out, _ := s.run(t, 0, "person", "sign-out", "Signe Vik")
	saysAll(t, out, "Signe Vik is signed out: 1 session ended")
	lines := bufio.NewReader(stream.Body)
	for {
		if _, err := lines.ReadString('\n'); err != nil {
			break
		}
	}
	if ctx.Err() != nil {
		t.Error("the stream goes on after the session has ended")
	}
}

// Sign-in takes a small body, and every answer carries the headers that keep
// pages apart.
func TestServe_BoundsSignInAndSetsHeaders(t *testing.T) {
	t.Parallel()
	s := shared
	code, answer := s.ask(t, "", "POST", "/api/session", map[string]string{"link": strings.Repeat("x", 5000)})
	if code != 413 {
		t.Errorf("a sign-in of 5 kB: %d %.200s", code, answer)
	}
	for _, path := range []string{"/", "/healthz", "/api/me", "/v1/events"} {
		res, err := http.Get(s.url + path)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.Header.Get("Cross-Origin-Opener-Policy") != "same-origin" || res.Header.Get("Permissions-Policy") == "" || res.Header.Get("Strict-Transport-Security") != "" {
			t.Errorf("%s carries %v", path, res.Header)
		}
	}
}
