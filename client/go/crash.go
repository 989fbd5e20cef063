package firethorn

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"os"
	"strings"
	"sync"
	"time"
)

const (
	maxCrash   = 16 << 20        // bytes of a crash that are read
	maxLast    = 2 * time.Second // how long a panic waits until it is stored
	unfinished = 10 * time.Minute
	// crashSequence is higher than any that the run itself reached.
	crashSequence = 1 << 20
)

// lastWords reports a panic that is about to go on, and ends the session: what
// the runtime would leave would report the panic a second time.
func (c *Client) lastWords(ctx context.Context, v any) {
	c.reportPanic(ctx, v, Details{Handled: False, Severity: "fatal"})
	if s := c.whole.session; s != nil {
		s.raise(crashed)
		c.tell(s, c.whole.read().attributes)
	}
	c.trail.open(nil)
	c.run.forget()
	ctx, cancel := context.WithTimeout(context.Background(), maxLast)
	defer cancel()
	var both sync.WaitGroup
	for _, b := range []*outbox{c.sessions, c.events} {
		both.Add(1)
		go func() { defer both.Done(); b.tryWithin(ctx) }()
	}
	both.Wait()
}

// tellOfCrashes reports what ended earlier runs. A run that lives
// has claimed its marker and is left alone, however quiet it is.
func (c *Client) tellOfCrashes(runs *os.Root) {
	entries, err := fs.ReadDir(runs.FS(), ".")
	if err != nil {
		return
	}
	for _, e := range entries {
		if e.IsDir() && runDir.MatchString(e.Name()) {
			quietly(func() { c.lookAt(runs, e.Name()) })
		}
	}
}

func (c *Client) lookAt(runs *os.Root, name string) {
	info, err := runs.Lstat(name)
	if err != nil || private(info) != nil {
		return
	}
	dir, err := runs.OpenRoot(name)
	if err != nil {
		return
	}
	held, err := claim(dir, markerFile, false)
	if err != nil {
		_ = dir.Close() // nothing was written
		if errors.Is(err, fs.ErrNotExist) && time.Since(info.ModTime()) > unfinished {
			_ = runs.Remove(name) // an empty one is all this removes
		}
		return
	}
	var m marker
	raw, err := io.ReadAll(io.LimitReader(held, 1<<20))
	if err != nil || json.Unmarshal(raw, &m) != nil || m.Run != name {
		_ = held.Close() // not ours, or about to be written
		_ = dir.Close()
		return
	}
	if c.tellOfCrash(dir, m) {
		removeRun(runs, dir, name, held)
		return
	}
	_ = held.Close() // there was no room: the next start reports it
	_ = dir.Close()
}

// tellOfCrash reports the crash of a run, if there was one. It says whether
// the run's files are needed no more.
func (c *Client) tellOfCrash(dir *os.Root, m marker) (done bool) {
	info, err := dir.Lstat(crashFile)
	if err != nil || info.Size() == 0 {
		return true // killed, or ended without a word
	}
	text, err := readFile(dir, crashFile, maxCrash)
	if err != nil {
		return true
	}
	e := crashEvent(string(text))
	at := info.ModTime()
	e.ID, e.Time = newID(), at.UTC()
	if raw, err := readFile(dir, trailFile, trailBytes); err == nil {
		e.Breadcrumbs = append(e.Breadcrumbs, crumbsIn(raw)...)
	}
	if m.Session != "" {
		e.Attributes["session.id"] = m.Session
	}
	whole := struct {
		*Event
		Resource map[string]any `json:"resource"`
	}{e, m.Resource}
	raw, err := json.Marshal(whole)
	if err != nil {
		return true
	}
	if !c.events.add(waiting{id: e.ID, raw: scrub(raw), whole: true}) {
		return false
	}
	if m.Session != "" {
		end := sessionMessage{
			ID: m.Session, Sequence: crashSequence, Started: m.Began, DurationMS: at.Sub(m.Began).Milliseconds(),
			Outcome: crashed, Attributes: map[string]any{}, Resource: m.Resource,
		}
		if raw, err := json.Marshal(end); err == nil {
			c.sessions.add(waiting{id: m.Session, raw: raw, whole: true})
		}
	}
	return true
}

// crashEvent makes an event from the runtime's output of a crash.
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
	if threads := threadsOf(dump); len(threads) > 0 {
		threads[0].Blamed = true
		x.Stack, x.ThreadID = threads[0].Stack, threads[0].ID
		if len(threads) > 1 {
			e.Threads = fitting(threads, threads[0].ID)
		}
	}
	e.Exceptions = []Exception{x}
	return e
}
