package follow

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/logtext"
	"firethorn/internal/core/otlp"
)

// reader turns the bytes of one log into events.
type reader struct {
	identity   []byte // of the log, for ids
	parser     *logtext.Parser
	partial    []byte // a line whose end has not come
	cut        int64  // bytes of it that are not read, for it is too long
	at         int64  // offset behind what was read
	found      []*event.Event
	generation int64
}

func newReader(identity []byte, at, generation int64) *reader {
	return &reader{identity: identity, parser: logtext.New(), at: at, generation: generation}
}

// feed reads more bytes.
func (r *reader) feed(raw []byte) {
	for len(raw) > 0 {
		end := bytes.IndexByte(raw, '\n')
		if end < 0 {
			r.grow(raw)
			r.at += int64(len(raw))
			return
		}
		r.grow(raw[:end])
		r.at += int64(end) + 1
		r.endLine(1)
		raw = raw[end+1:]
	}
}

// grow adds to the line that is being read, up to what is read of one.
func (r *reader) grow(raw []byte) {
	room := longestLine - len(r.partial)
	r.partial = append(r.partial, raw[:min(len(raw), room)]...)
	r.cut += int64(max(0, len(raw)-room))
}

// endLine ends the line; newline is 1 where one was there.
func (r *reader) endLine(newline int64) {
	offset := r.at - newline - int64(len(r.partial)) - r.cut
	text := string(bytes.ToValidUTF8(r.partial, []byte("\uFFFD")))
	r.partial, r.cut = r.partial[:0], 0
	r.take(r.parser.Line(text, offset))
}

// finish ends what is open: nothing more is coming.
func (r *reader) finish() {
	if len(r.partial) > 0 {
		r.endLine(0)
	}
	r.flush()
}

// flush ends open traces.
func (r *reader) flush() { r.take(r.parser.Flush()) }

func (r *reader) take(list []logtext.Found) {
	for _, f := range list {
		f.Event.ID = r.id(f)
		r.found = append(r.found, f.Event)
	}
}

// id names an event by the log, the place in it and what is said there: the
// same lines give the same. What has no time of its own could be written again
// at the same place of a file that was begun again: the count of beginnings
// tells.
func (r *reader) id(f logtext.Found) string {
	h := sha256.New()
	part := func(s string) {
		h.Write(binary.AppendUvarint(nil, uint64(len(s))))
		h.Write([]byte(s))
	}
	h.Write(r.identity)
	part(fmt.Sprint(f.Offset))
	part(f.Event.Time)
	part(f.Event.Message)
	for _, x := range f.Event.Exceptions {
		part(x.Stack)
	}
	if !f.Timed {
		part(fmt.Sprint(r.generation))
	}
	return otlp.NameUUID([32]byte(h.Sum(nil))).String()
}

// safe is the offset from which all that has not been found yet can be read
// again.
func (r *reader) safe() int64 {
	begin := r.at - int64(len(r.partial)) - r.cut
	if o, ok := r.parser.Oldest(); ok && o < begin {
		return o
	}
	return begin
}

// hand hands on what was found.
func (r *reader) hand(ctx context.Context, sink Sink) error {
	for len(r.found) > 0 {
		n := min(len(r.found), batch)
		if err := sink(ctx, r.found[:n]); err != nil {
			return err
		}
		r.found = r.found[n:]
	}
	r.found = nil
	return nil
}

// lastTry is how long is tried to hand on what is left when it must end.
const lastTry = 5 * time.Second

// handLast hands on what is left although ctx has ended.
func (r *reader) handLast(ctx context.Context, sink Sink) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), lastTry)
	defer cancel()
	return r.hand(ctx, sink)
}

// Stream reads a log that cannot be read again, to its end. run tells it from
// other ones.
func Stream(ctx context.Context, in io.Reader, run []byte, sink Sink, opts Options) error {
	r := newReader(append([]byte("stream\x00"), run...), 0, 0)
	pieces := make(chan []byte)
	failed := make(chan error, 1)
	go func() {
		for {
			buf := make([]byte, chunk)
			n, err := in.Read(buf)
			if n > 0 {
				select {
				case pieces <- buf[:n]:
				case <-ctx.Done():
					return
				}
			}
			if err != nil {
				failed <- err
				return
			}
		}
	}()
	for {
		select {
		case raw := <-pieces:
			r.feed(raw)
		case <-time.After(opts.Quiet):
			r.flush()
		case err := <-failed:
			r.finish()
			if errors.Is(err, io.EOF) {
				err = nil
			}
			return errors.Join(r.hand(ctx, sink), err)
		case <-ctx.Done():
			r.finish()
			return r.handLast(ctx, sink)
		}
		if err := r.hand(ctx, sink); err != nil {
			return err
		}
	}
}
