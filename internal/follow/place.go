package follow

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
)

// Place is how far a file was read.
type Place struct {
	Path       string `json:"path"`
	Inode      uint64 `json:"inode"`
	Head       []byte `json:"head"`       // the file's first bytes
	Offset     int64  `json:"offset"`     // all before it was handed on
	Generation int64  `json:"generation"` // how often the file was begun again
}

// State remembers the place of one file in a file of its own, which is locked
// as long as it is held.
type State struct {
	path, file string
	lock       *os.File
	place      *Place
}

// ErrFollowed says that another process follows the file.
var ErrFollowed = errors.New("another forwarder follows it already")

// OpenState locks and reads the state of the file at path; dir is
// made where it is not there.
func OpenState(dir, path string) (*State, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	full, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	if real, err := filepath.EvalSymlinks(filepath.Dir(full)); err == nil {
		full = filepath.Join(real, filepath.Base(full))
	}
	sum := sha256.Sum256([]byte(full))
	s := &State{path: full, file: filepath.Join(dir, hex.EncodeToString(sum[:8])+".json")}
	if s.lock, err = os.OpenFile(s.file+".lock", os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(s.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		s.lock.Close()
		return nil, fmt.Errorf("%s: %w", full, ErrFollowed)
	}
	raw, err := os.ReadFile(s.file)
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err == nil {
		err = json.Unmarshal(raw, &s.place)
	}
	if err != nil {
		s.lock.Close()
		return nil, fmt.Errorf("the saved position in %s cannot be read; remove %s to start again: %w", full, s.file, err)
	}
	return s, nil
}

// Place is the place that was reached; nil if none is known.
func (s *State) Place() *Place {
	if s == nil {
		return nil
	}
	return s.place
}

// Forget lets the next file begin at its beginning.
func (s *State) Forget() {
	if s != nil && s.place != nil {
		s.place = &Place{Generation: s.place.Generation}
	}
}

// Save remembers a place; it is there whole or not at all.
func (s *State) Save(p Place) error {
	if s == nil {
		return nil
	}
	p.Path = s.path
	if s.place != nil && s.place.Inode == p.Inode && s.place.Offset == p.Offset && s.place.Generation == p.Generation {
		return nil
	}
	raw, err := json.Marshal(p)
	if err != nil {
		return err
	}
	f, err := os.OpenFile(s.file+".new", os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(raw)
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(s.file+".new", s.file)
	}
	s.place = &p
	return err
}

// Close lets another process follow the file.
func (s *State) Close() error {
	if s == nil {
		return nil
	}
	return s.lock.Close()
}

// inode identifies a file whatever its name.
func inode(info fs.FileInfo) uint64 {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		return st.Ino
	}
	return 0
}
