package firethorn

import (
	"encoding/json"
	"io/fs"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"
)

const (
	maxKept      = 200     // messages on disk
	maxKeptBytes = 4 << 20 // of them
	// maxDiskWait is how long a report waits for the disk. A disk that hangs
	// must not hold up the program.
	maxDiskWait = 100 * time.Millisecond
)

// messageFile is the name of a message's file: its id, a UUID, which sorts by
// time.
var messageFile = regexp.MustCompile(`^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}\.json$`)

// shelf keeps messages on disk until they are stored. It touches files of its
// own names alone. A nil shelf keeps nothing.
type shelf struct {
	root *os.Root
	jobs chan func()

	mu    sync.Mutex
	kept  map[string]int64 // the bytes of each file, by the message's id
	bytes int64
}

func newShelf(root *os.Root) *shelf {
	s := &shelf{root: root, jobs: make(chan func(), 256), kept: map[string]int64{}}
	go func() {
		for job := range s.jobs {
			quietly(job)
		}
	}()
	return s
}

// load reads the messages that earlier runs left, oldest first. A file that
// was cut off while it was written is removed.
func (s *shelf) load(most int) (out []waiting) {
	entries, err := fs.ReadDir(s.root.FS(), ".")
	if err != nil {
		return nil
	}
	slices.SortFunc(entries, func(a, b fs.DirEntry) int { return strings.Compare(a.Name(), b.Name()) })
	for _, e := range entries {
		if !messageFile.MatchString(e.Name()) {
			continue
		}
		raw, err := readFile(s.root, e.Name(), maxKeptBytes)
		if err != nil {
			continue
		}
		if !json.Valid(raw) {
			if info, err := e.Info(); err == nil && time.Since(info.ModTime()) > time.Minute { // nobody writes it now
				_ = s.root.Remove(e.Name()) // the next start tries again
			}
			continue
		}
		id := strings.TrimSuffix(e.Name(), ".json")
		s.kept[id] = int64(len(raw))
		s.bytes += int64(len(raw))
		if len(out) < most {
			out = append(out, waiting{id: id, raw: raw, whole: true})
		}
	}
	return out
}

// put writes a message down with its resource: the next start may be another
// release.
func (s *shelf) put(w waiting, resource map[string]any) {
	if s == nil || !messageFile.MatchString(w.id+".json") {
		return
	}
	whole := w.raw
	if !w.whole {
		around, err := json.Marshal(resource)
		if err != nil {
			return
		}
		whole = slices.Concat(w.raw[:len(w.raw)-1], []byte(`,"resource":`), around, []byte("}"))
	}
	size := int64(len(whole))
	s.mu.Lock()
	_, again := s.kept[w.id]
	full := !again && (len(s.kept) >= maxKept || s.bytes+size > maxKeptBytes)
	s.mu.Unlock()
	if !full {
		s.do(func() { s.write(w.id, whole) })
	}
}

func (s *shelf) write(id string, whole []byte) {
	f, err := s.root.OpenFile(id+".json", os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return // the disk is full or gone: memory has to do
	}
	_, err = f.Write(whole)
	if closed := f.Close(); err != nil || closed != nil {
		_ = s.root.Remove(id + ".json") // half a message is none
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.bytes += int64(len(whole)) - s.kept[id]
	s.kept[id] = int64(len(whole))
}

// drop removes the file of a message that is stored. Sent again by the next
// start, it counts once.
func (s *shelf) drop(id string) {
	if s == nil || !messageFile.MatchString(id+".json") {
		return
	}
	s.do(func() {
		_ = s.root.Remove(id + ".json") // it is gone, or the next start sends it again
		s.mu.Lock()
		defer s.mu.Unlock()
		s.bytes -= s.kept[id]
		delete(s.kept, id)
	})
}

// do runs a job in its turn and waits for it, but not for a disk that hangs.
func (s *shelf) do(job func()) {
	done := make(chan struct{})
	select {
	case s.jobs <- func() { defer close(done); job() }:
	default:
		return // the disk hangs
	}
	t := time.NewTimer(maxDiskWait)
	defer t.Stop()
	select {
	case <-done:
	case <-t.C:
	}
}

// has says whether a message is on disk.
func (s *shelf) has(id string) bool {
	if s == nil {
		return false
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	_, ok := s.kept[id]
	return ok
}
