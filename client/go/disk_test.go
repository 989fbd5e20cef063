package firethorn

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
)

// warnings collects what a client warns of.
type warnings struct {
	mu   sync.Mutex
	list []string
}

func (w *warnings) add(text string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.list = append(w.list, text)
}

func (w *warnings) all() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return strings.Join(w.list, "\n")
}

// lay writes files below a directory; all of them are old.
func lay(t *testing.T, dir string, files map[string]string) {
	t.Helper()
	old := time.Now().Add(-48 * time.Hour)
	for name, text := range files {
		name = filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		for at := name; len(at) > len(dir); at = filepath.Dir(at) {
			if err := os.Chtimes(at, old, old); err != nil {
				t.Fatal(err)
			}
		}
	}
}

const (
	unmarked = "run-0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01"
	foreign  = "run-0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e02"
	linked   = "run-0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e03"
	dead     = "run-0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e04"
)

func TestDisk_DeletesOnlyWhatItMade(t *testing.T) {
	dir, elsewhere := t.TempDir(), t.TempDir()
	mark := func(name string) string { return `{"run":"` + name + `","resource":{}}` }
	stay := map[string]string{
		"runs/backup/fares.csv":                                "north;12",
		"runs/" + unmarked + "/plan.txt":                       "the crew plan",
		"runs/" + foreign + "/run.json":                        mark("run-of-somebody-else"),
		"runs/" + foreign + "/crash.txt":                       "",
		"events/notes.json":                                    "no JSON at all",
		"events/fares.txt":                                     "north;12",
		"events/0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01.json.bak": "",
	}
	lay(t, dir, stay)
	lay(
		t,
		dir,
		map[string]string{
			"runs/" + dead + "/run.json":  mark(dead),
			"runs/" + dead + "/crash.txt": "",
			"runs/" + dead + "/plan.txt":  "somebody's",
		},
	)
	lay(t, elsewhere, map[string]string{"run.json": mark(linked), "crash.txt": "", "crumbs.ring": ""})
	if err := os.Symlink(elsewhere, filepath.Join(dir, "runs", linked)); err != nil {
		t.Fatal(err)
	}
	s := newStandIn(t)
	c := build(Options{Server: s.URL, Key: "in-key", Dir: dir, Sessions: "off"})
	c.begin(true)
	c.Close()
	stay["runs/"+dead+"/plan.txt"] = "somebody's"
	for name, text := range stay {
		if raw, err := os.ReadFile(filepath.Join(dir, name)); err != nil || string(raw) != text {
			t.Errorf("%s: %q %v", name, raw, err)
		}
	}
	for _, name := range []string{"run.json", "crash.txt", "crumbs.ring"} {
		if _, err := os.Stat(filepath.Join(elsewhere, name)); err != nil {
			t.Errorf("through the link: %v", err)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "runs", dead, "run.json")); err == nil {
		t.Error("the files of a run that was killed are still there")
	}
	if left, err := filepath.Glob(filepath.Join(dir, "runs", "run-*")); err != nil || len(left) != 4 {
		t.Errorf("its own run is still there: %v %v", left, err)
	}
}

func TestDisk_NothingIsKeptWhereItIsNotPrivate(t *testing.T) {
	for name, spoil := range map[string]func(t *testing.T, dir string) error{
		"a link": func(t *testing.T, dir string) error { return os.Symlink(t.TempDir(), filepath.Join(dir, "events")) },
		"others may write": func(_ *testing.T, dir string) error {
			at := filepath.Join(dir, "runs")
			return errors.Join(os.Mkdir(at, 0o700), os.Chmod(at, 0o777))
		},
		"another's": func(t *testing.T, dir string) error {
			if os.Geteuid() != 0 {
				t.Skip("only root can make a directory of another user's")
			}
			at := filepath.Join(dir, "sessions")
			return errors.Join(os.Mkdir(at, 0o700), os.Chown(at, 4321, 4321))
		},
		"a file": func(_ *testing.T, dir string) error {
			return os.WriteFile(filepath.Join(dir, "events"), nil, 0o600)
		},
		"no directory can be made": func(_ *testing.T, dir string) error {
			return errors.Join(os.Remove(dir), os.WriteFile(dir, nil, 0o600))
		},
	} {
		t.Run(name, func(t *testing.T) {
			dir := filepath.Join(t.TempDir(), "kept")
			if err := errors.Join(os.Mkdir(dir, 0o700), spoil(t, dir)); err != nil {
				t.Fatal(err)
			}
			s, w := newStandIn(t), &warnings{}
			s.start(t, Options{Dir: dir, Warn: w.add})
			Report(t.Context(), errors.New("sunk"))
			drained(t)
			if len(s.got()) != 1 || strings.Count(w.all(), "nothing is kept on disk") != 1 {
				t.Errorf("%d events; warned: %q", len(s.got()), w.all())
			}
			if found, _ := filepath.Glob(filepath.Join(dir, "*", "*")); len(found) != 0 {
				t.Errorf("written all the same: %v", found)
			}
		})
	}
}

func TestDisk_WithoutHomeNothingIsInTheSharedDirectory(t *testing.T) {
	shared := t.TempDir()
	for name, value := range map[string]string{"HOME": "", "XDG_CACHE_HOME": "", "TMPDIR": shared} {
		t.Setenv(name, value)
	}
	s, w := newStandIn(t), &warnings{}
	c := build(Options{Server: s.URL, Key: "in-key", Sessions: "off", Warn: w.add})
	c.begin(true)
	c.Report(t.Context(), errors.New("sunk"))
	c.Close()
	if found, err := os.ReadDir(shared); err != nil || len(found) != 0 {
		t.Errorf("%v %v", found, err)
	}
	if len(s.got()) != 1 || !strings.Contains(w.all(), "nothing is kept on disk") {
		t.Errorf("%d events; warned: %q", len(s.got()), w.all())
	}
}

// TestClose_ReturnsWhenEverythingIsOnDisk: the next start sends what the
// service did not take.
func TestClose_ReturnsWhenEverythingIsOnDisk(t *testing.T) {
	away := newStandIn(t)
	away.answer = func(int) int { return 503 }
	dir := t.TempDir()
	c := build(Options{Server: away.URL, Key: "in-key", Dir: dir})
	c.begin(true)
	c.Report(context.Background(), errors.New("sunk"))
	c.Close()
	away.mu.Lock()
	if away.requests > 6 { // of each list: two by the way, one at the end
		t.Errorf("it asked %d times for what is on disk", away.requests)
	}
	away.mu.Unlock()
	back := newStandIn(t)
	c = build(Options{Server: back.URL, Key: "in-key", Dir: dir, Sessions: "off"})
	c.begin(true)
	c.Close()
	if len(back.got()) != 1 || len(back.sessions) != 1 || back.sessions[0]["outcome"] != "faulty" {
		t.Errorf("%v %v", back.got(), back.sessions)
	}
}
