package firethorn

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// probe is the program that comes to grief.
func probe(how string) {
	o := Options{
		Server:  os.Getenv("PROBE_SERVER"),
		Key:     "in-key",
		Service: "probe",
		Release: os.Getenv("PROBE_RELEASE"),
		Dir:     os.Getenv("PROBE_DIR"),
	}
	stop := Start(o)
	ctx := context.Background()
	Note(ctx, "app", "before the end")
	switch how {
	case "kill": // in the middle of its report: the service does not answer
		Report(ctx, errors.New("the last words"))
		_ = os.WriteFile(filepath.Join(o.Dir, "reported"), nil, 0o600)
		select {}
	case "panic":
		go func() { panic(fmt.Sprintf("no berth for %s", "Eider")) }()
		select {}
	case "fatal":
		m := map[int]int{}
		for range 8 {
			go func() {
				for {
					m[1]++
				}
			}()
		}
		select {}
	case "when told":
		_ = os.WriteFile(filepath.Join(o.Dir, "ready"), nil, 0o600)
		for {
			if _, err := os.Stat(filepath.Join(o.Dir, "go")); err == nil {
				panic("at last")
			}
			time.Sleep(10 * time.Millisecond)
		}
	case "again":
	}
	stop()
}

func runProbe(t *testing.T, how, server, dir, release string) *exec.Cmd {
	t.Helper()
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(
		os.Environ(),
		"FIRETHORN_PROBE="+how,
		"PROBE_SERVER="+server,
		"PROBE_DIR="+dir,
		"PROBE_RELEASE="+release,
	)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill() }) // it has ended
	return cmd
}

func TestCrash_IsToldByTheNextStart(t *testing.T) {
	for how, words := range map[string][2]string{"kill": {"*errors.errorString", "the last words"}, "panic": {"panic", "no berth for Eider"}, "fatal": {"fatal error", "ended the program"}} {
		t.Run(how, func(t *testing.T) {
			dir := t.TempDir()
			first := runProbe(t, how, "http://127.0.0.1:1", dir, "1.0.0") // nobody answers there
			if how == "kill" {
				for until := time.Now().Add(10 * time.Second); time.Now().Before(until); time.Sleep(10 * time.Millisecond) {
					if _, err := os.Stat(filepath.Join(dir, "reported")); err == nil {
						break
					}
				}
				if err := first.Process.Kill(); err != nil {
					t.Fatal(err)
				}
			}
			_ = first.Wait() // it fails, as it should
			s := newStandIn(t)
			for range 2 { // the second finds nothing any more
				if err := runProbe(t, "again", s.URL, dir, "2.0.0").Wait(); err != nil {
					t.Fatal(err)
				}
			}
			got := s.got()
			if len(got) != 1 {
				t.Fatalf("%d events", len(got))
			}
			x := got[0]["exceptions"].([]any)[0].(map[string]any)
			release := got[0]["resource"].(map[string]any)["service.version"]
			crumbs := got[0]["breadcrumbs"].([]any)
			if x["type"] != words[0] || !strings.Contains(fmt.Sprint(x["message"]), words[1]) || release != "1.0.0" ||
				len(crumbs) != 1 ||
				!strings.Contains(fmt.Sprint(x["stack"]), "client.probe") {
				t.Errorf("%v of %v after %v", x, release, crumbs)
			}
			worst := ""
			for _, m := range s.sessions {
				if m["outcome"] == "crashed" {
					worst = "crashed"
				}
			}
			if (how != "kill") != (worst == "crashed") {
				t.Errorf("sessions: %v", s.sessions)
			}
		})
	}
}

// TestCrash_OfAQuietRunIsToldThoughOthersStarted: a run that gave no sign of
// life for days still lives.
func TestCrash_OfAQuietRunIsToldThoughOthersStarted(t *testing.T) {
	dir := t.TempDir()
	quiet := runProbe(t, "when told", "http://127.0.0.1:1", dir, "1.0.0")
	waitFor(t, filepath.Join(dir, "ready"))
	old := time.Now().Add(-48 * time.Hour)
	_ = filepath.WalkDir(filepath.Join(dir, "runs"), func(name string, _ os.DirEntry, err error) error {
		return errors.Join(err, os.Chtimes(name, old, old))
	})
	s := newStandIn(t)
	if err := runProbe(t, "again", s.URL, dir, "2.0.0").Wait(); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "go"), nil, 0o600); err != nil {
		t.Fatal(err)
	}
	_ = quiet.Wait() // it panics
	if err := runProbe(t, "again", s.URL, dir, "3.0.0").Wait(); err != nil {
		t.Fatal(err)
	}
	if got := s.got(); len(got) != 1 || got[0]["severity"] != "fatal" {
		t.Errorf("%d events: %v", len(got), got)
	}
}

func waitFor(t *testing.T, name string) {
	t.Helper()
	for until := time.Now().Add(10 * time.Second); time.Now().Before(until); time.Sleep(10 * time.Millisecond) {
		if _, err := os.Stat(name); err == nil {
			return
		}
	}
	t.Fatalf("%s never came", name)
}
