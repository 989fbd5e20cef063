package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// A log with traces of all languages, cut by other records, is forwarded
// through a rotation, a truncation and kills: every count is exact.
func TestForward_ThroughRotationTruncationAndKills(t *testing.T) {
	t.Parallel()
	needBuild(t, "../bin/firethorn")
	s, p := shared, "forwarded"
	key := s.project(t, p)
	s.run(t, 0, "project", "change", p, "--log-messages", "error")
	time.Sleep(3500 * time.Millisecond) // keys are believed for three seconds
	files, err := filepath.Glob("../internal/core/stacktrace/testdata/printed/*.txt")
	if err != nil || len(files) < 40 {
		t.Fatalf("%d texts, %v", len(files), err)
	}
	dir := t.TempDir()
	path, wrote := filepath.Join(dir, "ferries.log"), 0
	write := func(list []string) {
		f, err := os.OpenFile(path, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		fmt.Fprintln(f, "2026-11-23T04:39:00.000Z INFO [main] bosun.Crew - all well") // the error before has no trace
		for _, file := range list {
			raw, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			wrote++
			head := fmt.Sprintf("2026-11-23T04:39:%02d.%03dZ", wrote/1000, wrote%1000)
			lines := strings.Split(strings.TrimRight(string(raw), "\n"), "\n")
			for i, l := range lines {
				if i > 0 && i%3 == 0 {
					l = head + " INFO [gate] bosun.Gate - gate open\n" + l
				}
				fmt.Fprintln(f, l)
			}
			fmt.Fprintf(f, "%s INFO [main] bosun.Crew - on board\n", head)
		}
		fmt.Fprintf(f, "2026-11-23T04:40:%02d.000Z ERROR [main] bosun.Crew - %d ships are late\n", wrote/10%60, wrote)
		wrote++
	}
	follow := func() (kill func()) {
		cmd := exec.Command("../bin/firethorn", "--server", s.url, "forward", "--key", key, "--state", filepath.Join(dir, "state"), "--service", p, "--release", "1.0.0", path)
		cmd.Stderr = os.Stderr
		cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		return func() {
			_ = cmd.Process.Kill() // as hard as can be
			_ = cmd.Wait()
		}
	}
	filed := func() (n int64) {
		for _, is := range s.issues(t, p, "--limit", "200") {
			n += is.Events
		}
		return n
	}
	defer func() {
		if t.Failed() {
			t.Logf("%d events of %d; received %v", filed(), wrote, causes(t, s, p))
			out, _ := s.run(t, 0, "issue", "list", "--project", p, "--state", "all", "--limit", "200")
			t.Log(out)
		}
	}()
	wait := func() { until(t, fmt.Sprintf("%d events", wrote), func() bool { return filed() >= int64(wrote) }) }
	kill := follow()
	defer func() { kill() }()
	write(files[:20])
	time.Sleep(300 * time.Millisecond)
	kill() // in the middle
	write(files[20:])
	kill = follow()
	wait()
	write(files[:10])
	if err := os.Rename(path, path+".1"); err != nil {
		t.Fatal(err)
	}
	write(files[10:20])
	wait()
	if err := os.Truncate(path, 0); err != nil {
		t.Fatal(err)
	}
	write(files[20:])
	wait()
	kill()
	kill = follow()
	time.Sleep(time.Second)
	kill()
	s.settle(t)
	if n := filed(); n != int64(wrote) {
		t.Errorf("%d events of %d", n, wrote)
	}
	// What is there is read at once, and standard input.
	out, _ := s.runIn(t, "Traceback (most recent call last):\n  File \"pier.py\", line 3, in moor\nPierError: no rope\n", 0, "forward", "--key", key)
	if !strings.HasPrefix(out, "1 events stored") {
		t.Errorf("of standard input: %s", out)
	}
	if _, errs := s.run(t, 2, "forward", "--key", key, dir); !strings.Contains(errs, "is no file") {
		t.Errorf("of a directory: %s", errs)
	}
}
