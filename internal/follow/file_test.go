package follow

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"firethorn/internal/core/event"
)

// service counts events as the service does: an id counts once.
type service struct {
	mu   sync.Mutex
	ids  map[string]string // id → its headline
	sent int
	down bool // it takes what it is sent, and its answer is lost
}

func (s *service) sink(_ context.Context, events []*event.Event) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.ids == nil {
		s.ids = map[string]string{}
	}
	for _, e := range events {
		s.sent++
		text := e.Message
		if len(e.Exceptions) > 0 {
			text = e.Exceptions[0].Stack
		}
		s.ids[e.ID] = text
	}
	if s.down {
		return errors.New("the line broke")
	}
	return nil
}

func (s *service) count() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.ids)
}

func (s *service) wait(t *testing.T, want int) {
	t.Helper()
	for until := time.Now().Add(10 * time.Second); time.Now().Before(until); time.Sleep(5 * time.Millisecond) {
		if s.count() >= want {
			break
		}
	}
	if n := s.count(); n != want {
		t.Fatalf("%d events, want %d", n, want)
	}
}

// log is a file that an application writes to.
type log struct {
	truncated atomic.Int64 // how often that was noticed
	t         *testing.T
	path      string
	n         int
}

// fails writes traces of several languages, each followed by other records.
func (l *log) fails(times int) {
	l.t.Helper()
	f, err := os.OpenFile(l.path, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		l.t.Fatal(err)
	}
	defer f.Close()
	for range times {
		l.n++
		info := fmt.Sprintf("2026-11-23T04:39:02.%03dZ INFO gate open", l.n)
		fmt.Fprintf(f, "%s\n%s\n", info, []string{
			fmt.Sprintf("TypeError: no tide %d\n    at f (a.js:%d:2)\n%s\n    at g (a.js:4:2)", l.n, l.n, info),
			fmt.Sprintf("panic: no crew %d\n\ngoroutine 1 [running]:\n%s\nmain.f(0x1)\n\t/srv/a.go:%d +0x1d", l.n, info, l.n),
			fmt.Sprintf("Traceback (most recent call last):\n  File \"a.py\", line %d, in f\n%s\n    x\nValueError: no %d", l.n, info, l.n),
			fmt.Sprintf(`{"level":50,"err":{"stack":"Error: no %d\n    at f (a.js:1:2)"}}`, l.n),
		}[l.n%4])
	}
}

// forwarder is one run of a forwarder; stop ends it as a signal does.
func (l *log) forwarder(s *service, dir string) (stop func()) {
	l.t.Helper()
	state, err := OpenState(dir, l.path)
	if err != nil {
		l.t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(l.t.Context())
	done := make(chan error, 1)
	options := quick(l.t)
	say := options.Say
	options.Say = func(format string, args ...any) {
		if strings.Contains(format, "was truncated") {
			l.truncated.Add(1)
		}
		say(format, args...)
	}
	go func() { done <- NewFile(l.path, state, s.sink, options).Run(ctx) }()
	return func() {
		cancel()
		if err := <-done; err != nil && !errors.Is(err, context.Canceled) && !s.down {
			l.t.Error(err)
		}
		state.Close()
	}
}

func quick(t *testing.T) Options {
	return Options{Poll: 5 * time.Millisecond, Quiet: 60 * time.Millisecond, Say: func(format string, args ...any) { t.Logf(format, args...) }}
}

func open(t *testing.T) (*log, *service, string) {
	dir := t.TempDir()
	return &log{t: t, path: filepath.Join(dir, "gangway.log")}, &service{}, filepath.Join(dir, "state")
}

func TestFile_CountsAreExactThroughRotationTruncationAndKills(t *testing.T) {
	l, s, dir := open(t)
	stop := l.forwarder(s, dir) // the file is not there yet
	l.fails(10)
	s.wait(t, 10)
	// Renamed, with lines that were not read yet.
	l.fails(5)
	if err := os.Rename(l.path, l.path+".1"); err != nil {
		t.Fatal(err)
	}
	l.fails(5)
	s.wait(t, 20)
	// Truncated, and written on.
	if err := os.Truncate(l.path, 0); err != nil {
		t.Fatal(err)
	}
	l.fails(5)
	s.wait(t, 25)
	stop()
	// Renamed and written to while nobody looks.
	l.fails(5)
	if err := os.Rename(l.path, l.path+".2"); err != nil {
		t.Fatal(err)
	}
	l.fails(5)
	stop = l.forwarder(s, dir)
	s.wait(t, 35)
	stop()
	// An answer is lost: what was stored is sent again, with the same ids.
	s.down = true
	l.fails(7)
	stop = l.forwarder(s, dir)
	s.wait(t, 41) // the last one was still open
	stop()
	s.down = false
	l.fails(3)
	stop = l.forwarder(s, dir)
	s.wait(t, 45)
	time.Sleep(100 * time.Millisecond)
	stop()
	if n := s.count(); n != 45 || s.sent <= 45 {
		t.Errorf("%d events of 45, %d sent", n, s.sent)
	}
	for _, text := range s.ids {
		if strings.Contains(text, "INFO") {
			t.Errorf("another record stands in %q", text)
		}
	}
}

func TestFile_TruncatedBeforeItWasRenamed(t *testing.T) {
	l, s, dir := open(t)
	l.fails(4)
	stop := l.forwarder(s, dir)
	defer func() { stop() }()
	s.wait(t, 4)
	if err := os.Truncate(l.path, 0); err != nil {
		t.Fatal(err)
	}
	l.fails(1)
	if err := os.Rename(l.path, l.path+".1"); err != nil {
		t.Fatal(err)
	}
	l.fails(2)
	s.wait(t, 7)
}

func TestFile_TruncatedAndRewrittenAlike(t *testing.T) {
	l, s, dir := open(t)
	stop := l.forwarder(s, dir)
	defer func() { stop() }()
	for i := range 3 { // a program that crashes, without a word of when
		if err := os.WriteFile(l.path, []byte("panic: no crew\n\ngoroutine 1 [running]:\nmain.f(0x1)\n\t/srv/a.go:7 +0x1d\n"), 0o600); err != nil {
			t.Fatal(err)
		}
		s.wait(t, i+1)
		if err := os.Truncate(l.path, 0); err != nil {
			t.Fatal(err)
		}
		// The same words at the same place are new ones only to who saw that they were gone.
		for end := time.Now().Add(10 * time.Second); l.truncated.Load() < int64(i+1); time.Sleep(time.Millisecond) {
			if time.Now().After(end) {
				t.Fatal("nobody notices that the file was truncated")
			}
		}
	}
}

func TestFile_OddContents(t *testing.T) {
	l, s, dir := open(t)
	f, err := os.Create(l.path)
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprintf(f, "\x00\x01\xff\xfe binary\n%s\n", strings.Repeat("x", 5<<20))
	f.Close()
	l.fails(2)
	stop := l.forwarder(s, dir)
	defer func() { stop() }()
	s.wait(t, 2)
	f, err = os.OpenFile(l.path, os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	for range 40 { // no end of line for hours
		fmt.Fprint(f, strings.Repeat("y", 100<<10))
	}
	time.Sleep(100 * time.Millisecond)
	fmt.Fprintln(f, "")
	l.fails(2)
	s.wait(t, 4)
}

func TestOpenState_TwoOnOneFile(t *testing.T) {
	l, _, dir := open(t)
	first, err := OpenState(dir, l.path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := OpenState(dir, filepath.Join(filepath.Dir(l.path), ".", "gangway.log")); !errors.Is(err, ErrFollowed) {
		t.Errorf("a second forwarder: %v", err)
	}
	first.Close()
	again, err := OpenState(dir, l.path)
	if err != nil {
		t.Fatal(err)
	}
	again.Close()
	if err := os.WriteFile(first.file, []byte("{"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := OpenState(dir, l.path); err == nil || !strings.Contains(err.Error(), "remove ") {
		t.Errorf("a damaged state: %v", err)
	}
}

// Between a file that was renamed and the next one there is none: it ends all
// the same.
func TestFile_EndsBetweenTwoFiles(t *testing.T) {
	l, s, dir := open(t)
	l.fails(2)
	stop := l.forwarder(s, dir)
	s.wait(t, 2)
	if err := os.Rename(l.path, l.path+".1"); err != nil {
		t.Fatal(err)
	}
	time.Sleep(60 * time.Millisecond)
	stop()
	l.fails(2)
	stop = l.forwarder(s, dir)
	s.wait(t, 4)
	stop()
}

func TestStream_ReadsToTheEnd(t *testing.T) {
	s := &service{}
	in := strings.NewReader("TypeError: no tide\n    at f (a.js:1:2)\nError: no crew\n    at g (a.js:4:2)")
	if err := Stream(t.Context(), in, []byte("1"), s.sink, quick(t)); err != nil || s.count() != 2 {
		t.Errorf("%d events, %v", s.count(), err)
	}
}
