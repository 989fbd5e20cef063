package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// collector takes what clients send and keeps it.
type collector struct {
	*httptest.Server
	mu       sync.Mutex
	events   []map[string]any
	sessions []map[string]any
	requests int
	answer   func() int // nil: 202
}

func newCollector(t *testing.T) *collector {
	c := &collector{}
	c.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Access-Control-Allow-Origin", "*")
		raw, err := io.ReadAll(r.Body)
		if err != nil || r.Method != http.MethodPost {
			return
		}
		var env struct{ Events, Sessions []map[string]any }
		if err := json.Unmarshal(raw, &env); err != nil {
			t.Errorf("%s: %v", raw, err)
		}
		c.mu.Lock()
		c.requests++
		answer := c.answer
		c.mu.Unlock()
		status := http.StatusAccepted
		if answer != nil {
			status = answer()
		}
		if status == http.StatusAccepted {
			c.mu.Lock()
			c.events = append(c.events, env.Events...)
			c.sessions = append(c.sessions, env.Sessions...)
			c.mu.Unlock()
		}
		w.WriteHeader(status)
	}))
	t.Cleanup(c.Close)
	return c
}

func (c *collector) got() (events, sessions []map[string]any) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return append([]map[string]any{}, c.events...), append([]map[string]any{}, c.sessions...)
}

// nodeDist is the directory of the built client.
func nodeDist(t *testing.T) string {
	t.Helper()
	needBuild(t, "../client/js/dist")
	dist, err := filepath.Abs("../client/js/dist")
	if err != nil {
		t.Fatal(err)
	}
	return dist
}

// ending is how a process ended.
type ending struct {
	code           int
	signal         syscall.Signal
	stdout, stderr string
}

func (e ending) String() string {
	if e.signal != 0 {
		return fmt.Sprintf("%v, printed %q", e.signal, e.stdout)
	}
	return fmt.Sprintf("exit %d, printed %q", e.code, e.stdout)
}

// runNode runs a script; options are those of start, nil runs without the
// client. SIGTERM is sent once the script prints "ready".
func runNode(t *testing.T, dir, script string, options map[string]any, flags ...string) ending {
	t.Helper()
	head := "const report = () => {}\n"
	if options != nil {
		raw, err := json.Marshal(options)
		if err != nil {
			t.Fatal(err)
		}
		head = fmt.Sprintf("import { start, report } from 'file://%s/node.js'; start(%s)\n", nodeDist(t), raw)
	}
	file := filepath.Join(dir, "app.mjs")
	if err := os.WriteFile(file, []byte(head+script), 0o644); err != nil {
		t.Fatal(err)
	}
	cmd := exec.CommandContext(t.Context(), "node", append(flags, file)...)
	var out, errs bytes.Buffer
	cmd.Stderr = &errs
	pipe, err := cmd.StdoutPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	late := time.AfterFunc(30*time.Second, func() { _ = cmd.Process.Kill() }) // it hangs
	defer late.Stop()
	buf := make([]byte, 4096)
	for {
		n, err := pipe.Read(buf)
		out.Write(buf[:n])
		if bytes.Contains(buf[:n], []byte("ready")) {
			_ = cmd.Process.Signal(syscall.SIGTERM)
		}
		if err != nil {
			break
		}
	}
	_ = cmd.Wait() // how it ended is what is asked for
	e := ending{code: cmd.ProcessState.ExitCode(), stdout: out.String(), stderr: errs.String()}
	if s, ok := cmd.ProcessState.Sys().(syscall.WaitStatus); ok && s.Signaled() {
		e.signal = s.Signal()
	}
	return e
}

// situations are the ways in which a process of Node ends. events is how many
// arrive with the client, at once or from the next start.
var situations = []struct {
	name, script string
	events       int
	flags        []string
}{
	{"an error that nothing catches", "setTimeout(() => { throw new Error('sunk') }, 5)", 1, nil},
	{"a rejection that nothing catches", "setTimeout(() => { Promise.reject(new Error('sunk')) }, 5)", 1, nil},
	{"a rejection with a value", "setTimeout(() => { Promise.reject('sunk') }, 5)", 1, nil},
	{"a handler of errors that goes on", "process.on('uncaughtException', (e, from) => console.log('seen', e.message, from)); setTimeout(() => { throw new Error('sunk') }, 5); setTimeout(() => console.log('went on'), 30)", 1, nil},
	{"a handler of errors that ends the process", "process.on('uncaughtException', (e) => { console.log('seen', e.message); process.exit(3) }); setTimeout(() => { throw new Error('sunk') }, 5)", 1, nil},
	{"a rejection, with a handler of errors alone", "process.on('uncaughtException', (e, from) => console.log('seen', e.message, from)); setTimeout(() => { Promise.reject(new Error('sunk')) }, 5)", 1, nil},
	{"a handler of rejections that goes on", "process.on('unhandledRejection', (e) => console.log('seen', e.message)); setTimeout(() => { Promise.reject(new Error('sunk')) }, 5)", 1, nil},
	{"a handler of errors that throws", "process.on('uncaughtException', () => { throw new Error('again') }); setTimeout(() => { throw new Error('sunk') }, 5)", 1, nil},
	{"process.exit after a report", "setTimeout(() => { report(new Error('sunk')); process.exit(4) }, 5)", 1, nil},
	{"an exit code, and nothing left to do", "process.exitCode = 5; report(new Error('sunk')); process.on('exit', (c) => console.log('exit', c))", 1, nil},
	{"SIGTERM without a handler", "report(new Error('sunk')); console.log('ready'); setInterval(() => {}, 1000)", 1, nil},
	{"SIGTERM with a handler", "process.on('SIGTERM', () => setTimeout(() => { console.log('closed'); process.exit(0) }, 50)); report(new Error('sunk')); console.log('ready'); setInterval(() => {}, 1000)", 1, nil},
	{"a worker thread that fails", `
import { Worker } from 'node:worker_threads'
const code = CLIENT + "setTimeout(() => { throw new Error('sunk') }, 5)"
const w = new Worker(new URL('data:text/javascript,' + encodeURIComponent(code)))
w.on('error', (e) => console.log('error event', e.message)); w.on('exit', (c) => console.log('thread exit', c))`, 1, nil},
	{"strict rejections, with a handler", "process.on('unhandledRejection', (e) => console.log('seen', e.message)); setTimeout(() => { Promise.reject(new Error('sunk')) }, 5)", 1, []string{"--unhandled-rejections=strict"}},
}

// TestNodeClient_ChangesNothingOfHowAProcessEnds runs every situation without
// the client and with it: what is printed, which handlers run, and the exit
// code are the same, and no event is lost.
func TestNodeClient_ChangesNothingOfHowAProcessEnds(t *testing.T) {
	t.Parallel()
	for _, s := range situations {
		t.Run(s.name, func(t *testing.T) {
			c := newCollector(t)
			dir := t.TempDir()
			options := map[string]any{"server": c.URL, "key": "in-key", "service": "gangway", "dir": filepath.Join(dir, "kept")}
			raw, err := json.Marshal(options)
			if err != nil {
				t.Fatal(err)
			}
			inside := fmt.Sprintf("%q", fmt.Sprintf("import { start } from 'file://%s/node.js'; start(%s);", nodeDist(t), raw))
			without := runNode(t, dir, strings.ReplaceAll(s.script, "CLIENT", `""`), nil, s.flags...)
			with := runNode(t, dir, strings.ReplaceAll(s.script, "CLIENT", inside), options, s.flags...)
			if without.String() != with.String() {
				t.Errorf("without: %s\nwith:    %s\n%s", without, with, with.stderr)
			}
			// Of a trace the first line says where in the file: the client's line comes before it.
			if a, b := firstError(without.stderr), firstError(with.stderr); a != b {
				t.Errorf("it prints another error: %q, without the client %q", b, a)
			}
			atOnce, _ := c.got()
			runNode(t, dir, "", options) // the next start
			events, _ := c.got()
			ids := map[any]bool{}
			for _, e := range events {
				ids[e["id"]] = true
			}
			if len(ids) != s.events {
				t.Errorf("%d events arrive, want %d: %v", len(ids), s.events, events)
			}
			t.Logf("%-45s without: %s; with: %s; events: %d at once, %d with the next start", s.name, without, with, len(atOnce), len(ids))
		})
	}
}

// firstError is the line of a trace that says what happened.
func firstError(stderr string) string {
	for line := range strings.Lines(stderr) {
		if strings.Contains(line, "Error") || strings.Contains(line, "sunk") {
			return strings.TrimSpace(line)
		}
	}
	return ""
}
