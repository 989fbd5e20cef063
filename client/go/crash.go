package firethorn

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"
	"sync"
	"time"
)

// abandoned is after how long without a sign the traces of a run are let go of.
const abandoned = 10 * time.Minute

// traces is what a run leaves on disk for the next start: the runtime's own
// words when it crashes, the last breadcrumbs, and who it was.
type traces struct {
	dir string // of the service; "": memory alone
	run string // of this run

	mu     sync.Mutex
	crumbs *os.File
	lines  [][]byte
	count  int
	crash  *os.File
}

// runFacts is who a run was.
type runFacts struct {
	Resource map[string]any `json:"resource"`
	Session  string         `json:"session,omitempty"`
	Began    time.Time      `json:"began"`
}

func newTraces(o Options) *traces {
	t := &traces{}
	switch o.Dir {
	case "-":
		return t
	case "":
		cache, err := os.UserCacheDir()
		if err != nil {
			cache = os.TempDir()
		}
		name := strings.Map(func(r rune) rune {
			if r == '/' || r == '\\' || r == '.' || r < ' ' {
				return '-'
			}
			return r
		}, or(o.Service, filepath.Base(os.Args[0])))
		t.dir = filepath.Join(cache, "firethorn", name)
	default:
		t.dir = o.Dir
	}
	if os.MkdirAll(filepath.Join(t.dir, "runs"), 0o700) != nil {
		t.dir = "" // it may not write: memory has to do
	}
	return t
}

// watch begins to keep the traces of this run.
func (t *traces) watch(resource map[string]any, s *session) {
	if t.dir == "" {
		return
	}
	run := filepath.Join(t.dir, "runs", newID())
	facts := runFacts{Resource: resource, Began: time.Now().UTC()}
	if s != nil {
		facts.Session = s.id
	}
	raw, err := json.Marshal(facts)
	if err != nil || os.Mkdir(run, 0o700) != nil || os.WriteFile(filepath.Join(run, "run.json"), raw, 0o600) != nil {
		return
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.run = run
	if t.crumbs, err = os.Create(filepath.Join(run, "crumbs.ndjson")); err != nil {
		t.crumbs = nil
	}
	if t.crash, err = os.Create(filepath.Join(run, "crash.txt")); err == nil {
		_ = debug.SetCrashOutput(t.crash, debug.CrashOptions{}) // then crashes leave nothing
	}
}

// crumb writes a breadcrumb down. The file holds some more than the last ones.
func (t *traces) crumb(b Breadcrumb) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.crumbs == nil {
		return
	}
	raw, err := json.Marshal(b)
	if err != nil {
		return
	}
	line := append(scrub(raw), '\n')
	t.lines = append(t.lines, line)
	if len(t.lines) > mostBreadcrumbs {
		t.lines = t.lines[len(t.lines)-mostBreadcrumbs:]
	}
	if t.count++; t.count > 4*mostBreadcrumbs {
		t.count = len(t.lines)
		if t.crumbs.Truncate(0) == nil {
			if _, err := t.crumbs.Seek(0, 0); err == nil {
				line = bytes.Join(t.lines, nil)
			}
		}
	}
	_, _ = t.crumbs.Write(line) // the disk is full: the crumb is in memory still
}

// forget takes the traces of a run away that ended in order.
func (t *traces) forget() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.run == "" {
		return
	}
	_ = debug.SetCrashOutput(nil, debug.CrashOptions{}) // it was ours
	for _, f := range []*os.File{t.crumbs, t.crash} {
		if f != nil {
			f.Close()
		}
	}
	t.crumbs = nil
	_ = os.RemoveAll(t.run) // the next start does, if not
}

// crash ends the session of a process that is about to end by a panic that was
// reported: its traces would tell of it a second time.
func (c *Client) crash() {
	if s := c.whole.session; s != nil {
		s.raise(crashed)
		attributes, _, _ := c.whole.read()
		c.tell(s, attributes)
	}
	c.traces.forget()
	done := make(chan struct{})
	go func() {
		defer close(done)
		c.events.flush()
		c.sessions.flush()
	}()
	select {
	case <-done:
	case <-time.After(2 * time.Second):
	}
}

// tellOfCrashes reports what runs before this one died of.
func (c *Client) tellOfCrashes() {
	if c.traces.dir == "" {
		return
	}
	runs, _ := filepath.Glob(filepath.Join(c.traces.dir, "runs", "*")) // the pattern is well formed
	for _, run := range runs {
		info, err := os.Stat(filepath.Join(run, "crash.txt"))
		if err != nil || info.Size() == 0 {
			if dir, err := os.Stat(run); err == nil && time.Since(dir.ModTime()) > abandoned && !c.lives(run) {
				_ = os.RemoveAll(run) // killed, or ended without a word
			}
			continue
		}
		taken := run + ".told"
		if strings.HasSuffix(run, ".told") || os.Rename(run, taken) != nil { // another process tells of it
			continue
		}
		quietly(func() { c.tellOfCrash(taken, info.ModTime()) })
		_ = os.RemoveAll(taken)
	}
}

// lives says whether a run gave a sign lately.
func (c *Client) lives(run string) bool {
	info, err := os.Stat(filepath.Join(run, "crumbs.ndjson"))
	return err == nil && time.Since(info.ModTime()) < 24*time.Hour
}

func (c *Client) tellOfCrash(run string, at time.Time) {
	text, err := os.ReadFile(filepath.Join(run, "crash.txt"))
	if err != nil {
		return
	}
	var facts runFacts
	if raw, err := os.ReadFile(filepath.Join(run, "run.json")); err == nil {
		_ = json.Unmarshal(raw, &facts) // without it the crash is told all the same
	}
	e := crashEvent(string(text))
	e.ID, e.Time = newID(), at.UTC()
	if raw, err := os.ReadFile(filepath.Join(run, "crumbs.ndjson")); err == nil {
		for line := range bytes.Lines(raw) {
			var b Breadcrumb
			if json.Unmarshal(line, &b) == nil {
				e.Breadcrumbs = append(e.Breadcrumbs, b)
			}
		}
		e.Breadcrumbs = e.Breadcrumbs[max(0, len(e.Breadcrumbs)-mostBreadcrumbs):]
	}
	if facts.Session != "" {
		e.Attributes["session.id"] = facts.Session
	}
	raw, err := json.Marshal(e)
	if err != nil {
		return
	}
	resource, err := json.Marshal(facts.Resource)
	if err != nil || facts.Resource == nil {
		resource = []byte("{}")
	}
	raw = append(append(raw[:len(raw)-1], `,"resource":`...), append(resource, '}')...)
	c.events.add(e.ID, scrub(raw))
	if facts.Session != "" {
		m, err := json.Marshal(map[string]any{"id": facts.Session, "sequence": 1 << 20, "started": facts.Began, "duration_ms": at.Sub(facts.Began).Milliseconds(), "outcome": crashed, "resource": facts.Resource})
		if err == nil {
			c.sessions.add(facts.Session, m)
		}
	}
}

// crashEvent makes an event of what the runtime says when it crashes.
func crashEvent(text string) *Event {
	handled := false
	e := &Event{Severity: "fatal", Handled: &handled, Breadcrumbs: []Breadcrumb{}, Attributes: map[string]any{}}
	head, dump := text, ""
	if i := strings.Index("\n"+text, "\ngoroutine "); i >= 0 {
		head, dump = text[:i], text[i:]
	}
	head, _, _ = strings.Cut(strings.TrimSpace(head), "\n\n")
	x := Exception{Type: "panic", Message: head}
	if head == "" { // the runtime writes what it calls fatal to standard error alone
		x.Type, x.Message = "fatal error", "the Go runtime ended the program"
	}
	if kind, words, ok := strings.Cut(head, ": "); ok && (kind == "panic" || kind == "fatal error") {
		x.Type, x.Message = kind, words
	}
	if threads := threadsOf(dump, ""); len(threads) > 0 {
		threads[0].Blamed = true
		x.Stack, x.ThreadID = threads[0].Stack, threads[0].ID
		if len(threads) > 1 {
			e.Threads = threads
		}
	}
	e.Exceptions = []Exception{x}
	return e
}
