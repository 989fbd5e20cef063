// Package follow reads logs while they are written: rotated, truncated and recreated files, and
// standard input. It finds the events in them (core/logtext) and gives each an id derived from its
// position. It saves its position only after the events were passed on, so that no event is lost and
// repeated ones count once.
//
// Reading order: File and Run (one file and its loop), reader.go (bytes in,
// events out; standard input), place.go (what is remembered).
package follow

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"firethorn/internal/core/event"
)

const (
	chunk       = 64 << 10
	longestLine = 1 << 20 // of one line, what is behind is not read
	batch       = 100     // events that are handed on at once
	headBytes   = 256     // of a file's beginning, that tell it from another
)

// Sink takes events; it returns when they are safe, or when ctx ends.
type Sink func(ctx context.Context, events []*event.Event) error

// Options say how a log is followed.
type Options struct {
	Once  bool          // stop at the end
	Poll  time.Duration // how often to look for more
	Quiet time.Duration // after how long without a line a trace has ended
	Say   func(format string, args ...any)
}

// File is one log that is followed.
type File struct {
	path  string
	opts  Options
	sink  Sink
	state *State
	f     *os.File
	*reader
	head   []byte // the first bytes of the file, as far as they were there when they were looked at
	quiet  time.Time
	missed bool // it was said that the file is not there
}

// NewFile follows the log at path; state remembers how far, and may be nil.
func NewFile(path string, state *State, sink Sink, opts Options) *File {
	return &File{path: path, opts: opts, sink: sink, state: state}
}

// Run follows until ctx ends, or to the end of the file with Once.
func (x *File) Run(ctx context.Context) error {
	defer func() {
		if x.f != nil {
			x.f.Close()
		}
	}()
	if err := x.catchUp(ctx); err != nil {
		return err
	}
	for ctx.Err() == nil {
		if x.f == nil {
			err := x.open()
			if errors.Is(err, fs.ErrNotExist) && !x.opts.Once {
				if !x.missed {
					x.opts.Say("%s is not there yet; it is waited for", x.path)
					x.missed = true
				}
				sleep(ctx, x.opts.Poll)
				continue
			}
			if err != nil {
				return err
			}
		}
		if err := x.anew(ctx); err != nil {
			return err
		}
		more, err := x.read(ctx)
		if err != nil {
			return err
		}
		if more {
			continue
		}
		done, err := x.atEnd(ctx)
		if err != nil || done {
			return err
		}
	}
	if x.f == nil {
		return nil // all of the one before was handed on
	}
	if err := x.handLast(ctx, x.sink); err != nil {
		return err // it is read again the next time
	}
	return x.remember(x.safe())
}

// catchUp reads the lines written to a file before it was renamed, while nobody
// was looking.
func (x *File) catchUp(ctx context.Context) error {
	place := x.state.Place()
	if place == nil || place.Offset == 0 && len(place.Head) == 0 {
		return nil
	}
	now, err := os.Stat(x.path)
	if err == nil && inode(now) == place.Inode {
		return nil
	}
	siblings, err := filepath.Glob(x.path + "*")
	if err != nil {
		return nil // a path that is no pattern has none
	}
	for _, path := range siblings {
		info, err := os.Stat(path)
		if err != nil || inode(info) != place.Inode || info.Size() < place.Offset {
			continue
		}
		f, err := os.Open(path)
		if err != nil {
			return err
		}
		if x.begin(f, place) {
			x.opts.Say("%s was renamed to %s: the rest of it is read first", x.path, path)
			for { // to its end
				more, err := x.read(ctx)
				if err != nil {
					return err
				}
				if !more || ctx.Err() != nil {
					break
				}
			}
			x.finish()
			if err := x.hand(ctx, true); err != nil {
				return err
			}
		}
		f.Close()
		x.f = nil
		x.state.Forget()
		return nil
	}
	x.opts.Say("%s is a new file, and the old one is gone: its unread lines are lost", x.path)
	return nil
}

// open opens the file where it was left, or at its beginning.
func (x *File) open() error {
	f, err := os.Open(x.path)
	if err != nil {
		return err
	}
	x.missed = false
	place := x.state.Place()
	if place != nil && x.begin(f, place) {
		return nil
	}
	generation := int64(0)
	if place != nil {
		generation = place.Generation + 1
	}
	return x.beginAnew(f, generation)
}

// begin goes on in a file where place says; false when it is another file.
func (x *File) begin(f *os.File, place *Place) bool {
	info, err := f.Stat()
	if err != nil || inode(info) != place.Inode || info.Size() < place.Offset {
		return false
	}
	head := make([]byte, len(place.Head))
	if n, _ := f.ReadAt(head, 0); n < len(head) || !bytes.Equal(head, place.Head) {
		return false
	}
	if _, err := f.Seek(place.Offset, io.SeekStart); err != nil {
		return false
	}
	x.f, x.head = f, head
	x.reader = newReader(x.identityOf(place.Inode), place.Offset, place.Generation)
	return true
}

func (x *File) beginAnew(f *os.File, generation int64) error {
	info, err := f.Stat()
	if err != nil {
		return err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	x.f, x.head = f, nil
	x.reader = newReader(x.identityOf(inode(info)), 0, generation)
	return nil
}

func (x *File) identityOf(inode uint64) []byte {
	return binary.BigEndian.AppendUint64([]byte("log\x00"+filepath.Dir(x.path)+"\x00"), inode)
}

// read reads a piece and hands on what it found; more is false at the end.
func (x *File) read(ctx context.Context) (more bool, err error) {
	var buf [chunk]byte
	n, err := x.f.Read(buf[:])
	if n > 0 {
		x.feed(buf[:n])
		x.quiet = time.Now()
		x.look()
	}
	if len(x.found) >= batch {
		if err := x.hand(ctx, false); err != nil {
			return false, err
		}
	}
	if err != nil && !errors.Is(err, io.EOF) {
		return false, fmt.Errorf("%s cannot be read: %w", x.path, err)
	}
	return n > 0, nil
}

// look notes the file's first bytes, which distinguish it from one that was
// begun again.
func (x *File) look() {
	if len(x.head) < headBytes {
		head := make([]byte, headBytes)
		n, _ := x.f.ReadAt(head, 0)
		x.head = head[:n]
	}
}

// anew begins at the beginning of a file that was truncated: it is shorter than
// what was read of it, or begins with other bytes.
func (x *File) anew(ctx context.Context) error {
	info, err := x.f.Stat()
	if err != nil {
		return err
	}
	if info.Size() >= x.at && x.sameHead() {
		return nil
	}
	x.opts.Say("%s was truncated: it is read from its beginning", x.path)
	x.finish()
	if err := x.hand(ctx, true); err != nil {
		return err
	}
	return x.beginAnew(x.f, x.generation+1)
}

// atEnd decides what to do at the end of what is there: the file may have been
// renamed, or be waited on.
func (x *File) atEnd(ctx context.Context) (done bool, err error) {
	info, err := x.f.Stat()
	if err != nil {
		return false, err
	}
	if now, err := os.Stat(x.path); err == nil && inode(now) != inode(info) {
		if n, _ := x.f.Read(make([]byte, 1)); n > 0 { // written between the last read and the rename
			_, err := x.f.Seek(x.at, io.SeekStart)
			return false, err
		}
		x.finish()
		if err := x.hand(ctx, true); err != nil {
			return false, err
		}
		x.f.Close()
		x.f = nil
		x.state.Forget()
		return false, nil
	}
	if x.opts.Once {
		x.finish()
		return true, x.hand(ctx, true)
	}
	if time.Since(x.quiet) >= x.opts.Quiet {
		x.flush()
	}
	if err := x.hand(ctx, false); err != nil {
		return false, err
	}
	sleep(ctx, x.opts.Poll)
	return false, nil
}

// sameHead says whether the file still begins as it did.
func (x *File) sameHead() bool {
	head := make([]byte, len(x.head))
	n, _ := x.f.ReadAt(head, 0)
	return bytes.Equal(head[:n], x.head)
}

// hand hands on what was found, then remembers how far it is. all says that
// nothing is open.
func (x *File) hand(ctx context.Context, all bool) error {
	if err := x.reader.hand(ctx, x.sink); err != nil {
		return err
	}
	if all {
		return x.remember(x.at)
	}
	return x.remember(x.safe())
}

// remember writes down that all before an offset was handed on.
func (x *File) remember(at int64) error {
	info, err := x.f.Stat()
	if err != nil {
		return err
	}
	return x.state.Save(Place{Inode: inode(info), Head: x.head, Offset: at, Generation: x.generation})
}

func sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
