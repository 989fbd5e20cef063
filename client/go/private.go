package firethorn

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// place is where a client keeps files: three directories that it made, that
// belong to the user it runs as, and that nobody else can write to. They are
// held open, so what happens to the path later (a link in its place) changes
// nothing.
type place struct{ events, sessions, runs *os.Root }

// placeOf is the directory of a client's places; "" is none.
func placeOf(o Options) (string, error) {
	switch o.Dir {
	case "-":
		return "", nil
	case "":
	default:
		return o.Dir, nil
	}
	cache, err := os.UserCacheDir()
	if err != nil {
		return "", err // no shared directory instead: others could write there
	}
	name := strings.Map(func(r rune) rune {
		if r == '/' || r == '\\' || r == '.' || r < ' ' {
			return '-'
		}
		return r
	}, or(o.Service, filepath.Base(os.Args[0])))
	// Another key is another project, whose events must not be sent to this one.
	whose := sha256.Sum256([]byte(o.Server + "\n" + o.Key))
	return filepath.Join(cache, "firethorn", name+"-"+hex.EncodeToString(whose[:4])), nil
}

// openPlace makes and opens the places below dir.
func openPlace(dir string) (*place, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	p := &place{}
	for name, at := range map[string]**os.Root{"events": &p.events, "sessions": &p.sessions, "runs": &p.runs} {
		root, err := openPrivate(filepath.Join(dir, name))
		if err != nil {
			return nil, err
		}
		*at = root
	}
	return p, nil
}

// openPrivate makes a directory if need be, and opens it if it is this user's
// alone.
func openPrivate(dir string) (*os.Root, error) {
	if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
		return nil, err
	}
	seen, err := os.Lstat(dir)
	if err != nil {
		return nil, err
	}
	if err := private(seen); err != nil {
		return nil, fmt.Errorf("%s %w", dir, err)
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
	// The opened file must be the one that was checked.
	if opened, err := root.Stat("."); err != nil || !os.SameFile(seen, opened) {
		_ = root.Close() // nothing was written
		return nil, fmt.Errorf("%s was changed while it was opened", dir)
	}
	return root, nil
}

// private gives the problem of a directory that must belong to this user alone.
func private(info fs.FileInfo) error {
	switch {
	case info.Mode()&fs.ModeSymlink != 0:
		return errors.New("is a symbolic link")
	case !info.IsDir():
		return errors.New("is not a directory")
	case !ownedByUs(info):
		return errors.New("belongs to another user")
	case writableByOthers(info):
		return errors.New("can be written to by others")
	}
	return nil
}

// readFile reads a regular file of at most so many bytes.
func readFile(root *os.Root, name string, most int64) ([]byte, error) {
	info, err := root.Lstat(name)
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() || info.Size() > most {
		return nil, fmt.Errorf("%s is no file of ours", name)
	}
	f, err := root.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	out := make([]byte, info.Size())
	n, err := f.ReadAt(out, 0)
	if n < len(out) {
		return nil, err
	}
	return out, nil
}
