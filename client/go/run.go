package firethorn

import (
	"encoding/json"
	"errors"
	"os"
	"regexp"
	"runtime/debug"
	"time"
)

// The files of a run's directory. Nothing else in it is ever touched.
const (
	markerFile = "run.json"    // who the run is; claimed as long as it lives
	crashFile  = "crash.txt"   // the runtime's own words when it crashes
	trailFile  = "crumbs.ring" // the last breadcrumbs
)

// runDir is the name of a run's directory.
var runDir = regexp.MustCompile(`^run-[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$`)

// errClaimed says that a run lives.
var errClaimed = errors.New("another process has it")

// marker says who a run is. A directory is a run's when its marker names it.
type marker struct {
	Run      string         `json:"run"` // the directory's own name
	Resource map[string]any `json:"resource"`
	Session  string         `json:"session,omitempty"`
	Began    time.Time      `json:"began"`
}

// run is what this process leaves on disk for its next start. A nil run leaves
// nothing.
type run struct {
	all, dir *os.Root
	name     string
	held     *os.File // the marker, claimed
}

// newRun makes a run's directory; nil where it cannot.
func newRun(all *os.Root) *run {
	r := &run{all: all, name: "run-" + newID()}
	if all.Mkdir(r.name, 0o700) != nil {
		return nil
	}
	dir, err := all.OpenRoot(r.name)
	if err != nil {
		return nil
	}
	r.dir = dir
	if r.held, err = claim(dir, markerFile, true); err != nil {
		return nil
	}
	return r
}

// watchForCrashes starts to store what a crash of this process leaves.
func (c *Client) watchForCrashes(s *session) {
	r := c.run
	if r == nil {
		return
	}
	m := marker{Run: r.name, Resource: c.resource, Began: time.Now().UTC()}
	if s != nil {
		m.Session = s.id
	}
	raw, err := json.Marshal(m)
	if err == nil {
		_, err = r.held.Write(raw)
	}
	if err != nil {
		c.run = nil
		return
	}
	if mem, err := mapFile(r.dir, trailFile, trailBytes); err == nil {
		c.trail.open(mem)
	}
	crash, err := r.dir.OpenFile(crashFile, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return
	}
	_ = debug.SetCrashOutput(crash, debug.CrashOptions{}) // without it a crash leaves nothing
	_ = crash.Close()                                     // the runtime has its own copy
}

// forget removes what a run kept that ended in order, or whose end was
// reported already.
func (r *run) forget() {
	if r == nil || r.held == nil {
		return
	}
	_ = debug.SetCrashOutput(nil, debug.CrashOptions{}) // it was ours
	removeRun(r.all, r.dir, r.name, r.held)
	r.held = nil
}

// removeRun removes the files of a run that is claimed, then its directory.
// The marker goes last: cut off in between, the next start can go on.
func removeRun(all, dir *os.Root, name string, held *os.File) {
	for _, file := range []string{crashFile, trailFile, markerFile} {
		_ = dir.Remove(file) // it may not be there
	}
	_ = held.Close()
	_ = dir.Close()
	_ = all.Remove(name) // not when somebody else's files are in it
}
