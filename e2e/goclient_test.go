package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// goProgram comes to grief in the way its argument says.
const goProgram = `package main

import (
	"context"
	"errors"
	"os"
	"sync"
	"time"

	firethorn "firethorn.example/client"
)

type ledger struct{ mu sync.Mutex }

func (l *ledger) post() { l.mu.Lock(); defer l.mu.Unlock(); l.balance() }
func (l *ledger) balance() { l.mu.Lock(); defer l.mu.Unlock() }

func main() {
	stop := firethorn.Start(firethorn.Options{Server: os.Args[2], Key: os.Args[3], Service: "ledger", Release: os.Args[1], Dir: os.Args[4]})
	ctx := context.Background()
	firethorn.User(ctx, firethorn.Identity{ID: "c-7"})
	switch os.Args[1] {
	case "killed":
		firethorn.Report(ctx, errors.New("the last words"))
		os.Stdout.WriteString("reported\n")
		select {}
	case "deadlock":
		firethorn.Watch(ctx, "the ledger", 300*time.Millisecond)
		(&ledger{}).post()
	case "panic":
		firethorn.Note(ctx, "app", "opened the ledger")
		var l *ledger
		go l.post()
		select {}
	}
	stop()
}
`

func TestGoClient_ReportsTheFatalError(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	client, err := filepath.Abs("../client/go")
	if err != nil {
		t.Fatal(err)
	}
	application(t, dir, map[string]string{"main.go": goProgram, "go.mod": "module marrowsound.example/ledger\n\ngo 1.24\n\nrequire firethorn.example/client v0.1.0\n\nreplace firethorn.example/client => " + client + "\n"})
	build := exec.Command("go", "build", "-trimpath", "-o", "ledger", ".")
	build.Dir = dir
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	run := func(how, server, project, key string) *exec.Cmd {
		cmd := exec.Command(filepath.Join(dir, "ledger"), how, server, key, filepath.Join(dir, "kept-"+project))
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = cmd.Process.Kill() }) // it may have ended
		return cmd
	}
	t.Run("killed", func(t *testing.T) {
		key := shared.project(t, "go-killed")
		g := newGate(t)
		g.set(true) // the service does not answer: the report is under way for good
		first := run("killed", g.URL, "go-killed", key)
		kept := filepath.Join(dir, "kept-go-killed", "events", "*.json")
		until(t, "the report is under way", func() bool { found, _ := filepath.Glob(kept); return len(found) == 1 })
		time.Sleep(100 * time.Millisecond)
		if err := first.Process.Kill(); err != nil {
			t.Fatal(err)
		}
		_ = first.Wait() // it was killed
		if n := len(storedEvents(t, "go-killed")); n != 0 {
			t.Errorf("%d events before the next start", n)
		}
		if err := run("again", shared.url, "go-killed", key).Wait(); err != nil {
			t.Fatal(err)
		}
		if e := newest(t, shared, "go-killed"); text(e, "exceptions", "0", "message") != "the last words" || text(e, "release") != "killed" || text(e, "user", "value") != "c-7" {
			t.Errorf("%v of %v", e["exceptions"], e["release"])
		}
		if left, _ := filepath.Glob(kept); len(left) != 0 {
			t.Errorf("still kept: %v", left)
		}
	})
	t.Run("deadlock", func(t *testing.T) {
		key := shared.project(t, "go-deadlock")
		run("deadlock", shared.url, "go-deadlock", key)
		until(t, "the hang is told", func() bool { return len(storedEvents(t, "go-deadlock")) == 1 })
		if first := shared.issues(t, "go-deadlock")[0]; first.Headline != "Hang in main.(*ledger).balance" {
			t.Error(first.Headline, first.Place)
		}
		e := newest(t, shared, "go-deadlock")
		threads, _ := e["threads"].([]any)
		if len(threads) < 3 || text(threads[0], "blamed") != "true" || !strings.Contains(text(threads[0], "waiting_on"), "sync.Mutex.Lock") || !strings.Contains(fmt.Sprint(threads[0]), "main.(*ledger).balance") {
			t.Errorf("%v", threads)
		}
	})
	t.Run("panic", func(t *testing.T) {
		key := shared.project(t, "go-panic")
		if err := run("panic", shared.url, "go-panic", key).Wait(); err == nil {
			t.Error("it lives on")
		}
		if err := run("again", shared.url, "go-panic", key).Wait(); err != nil {
			t.Fatal(err)
		}
		shared.settle(t)
		if first := shared.issues(t, "go-panic")[0]; first.Headline != "panic in main.(*ledger).post" {
			t.Error(first.Headline, first.Place)
		}
		e := newest(t, shared, "go-panic")
		if text(e, "severity") != "fatal" || text(e, "handled") != "false" || text(e, "breadcrumbs", "0", "message") != "opened the ledger" || text(e, "session", "outcome") != "crashed" {
			t.Errorf("%v %v after %v in %v", e["severity"], e["handled"], e["breadcrumbs"], e["session"])
		}
	})
	if _, err := os.Stat(filepath.Join(dir, "kept-go-panic", "runs")); err != nil {
		t.Error(err)
	}
}
