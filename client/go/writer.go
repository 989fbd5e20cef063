package firethorn

import (
	"bufio"
	"io"
	"net"
	"net/http"
	"strings"
)

// statusWriter sees the status of an answer, and signs of life: each write is
// one. An answer that streams (it is flushed, taken over, or said to be events)
// may be quiet for as long as it likes.
//
// It has exactly those optional methods that the writer under it has; like
// adds them. http.ResponseController finds the rest through Unwrap.
type statusWriter struct {
	http.ResponseWriter
	status  int
	watched *Watched // nil: nothing watches
}

// WriteHeader implements http.ResponseWriter.
func (w *statusWriter) WriteHeader(status int) {
	if status >= 200 || status == http.StatusSwitchingProtocols { // the others announce the answer
		w.status = status
	}
	if status == http.StatusSwitchingProtocols ||
		strings.HasPrefix(w.Header().Get("Content-Type"), "text/event-stream") {
		w.streams()
	}
	w.ResponseWriter.WriteHeader(status)
}

// Write implements http.ResponseWriter.
func (w *statusWriter) Write(b []byte) (int, error) {
	w.alive()
	return w.ResponseWriter.Write(b)
}

// WriteString implements io.StringWriter: every writer can write a string.
func (w *statusWriter) WriteString(s string) (int, error) {
	w.alive()
	return io.WriteString(w.ResponseWriter, s)
}

// Unwrap implements what http.ResponseController asks for.
func (w *statusWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (w *statusWriter) alive() {
	if w.watched != nil {
		w.watched.Alive()
	}
}

func (w *statusWriter) streams() {
	if w.watched != nil {
		w.watched.Done()
	}
}

type flusher struct{ w *statusWriter }

// Flush implements http.Flusher.
func (f flusher) Flush() { _ = f.FlushError() } // Flush has no way to say it

// FlushError implements what http.ResponseController asks for.
func (f flusher) FlushError() error {
	f.w.streams()
	return http.NewResponseController(f.w.ResponseWriter).Flush()
}

type hijacker struct{ w *statusWriter }

// Hijack implements http.Hijacker.
func (h hijacker) Hijack() (net.Conn, *bufio.ReadWriter, error) {
	h.w.streams()
	return http.NewResponseController(h.w.ResponseWriter).Hijack()
}

type readerFrom struct {
	w    *statusWriter
	from io.ReaderFrom
}

// ReadFrom implements io.ReaderFrom: a file goes to the network without being
// copied, as long as that takes.
func (r readerFrom) ReadFrom(src io.Reader) (int64, error) {
	r.w.streams()
	return r.from.ReadFrom(src)
}

// like gives the writer those optional methods that the one under it has.
func (w *statusWriter) like(under http.ResponseWriter) http.ResponseWriter {
	_, flushes := under.(http.Flusher)
	_, hijacks := under.(http.Hijacker)
	from, reads := under.(io.ReaderFrom)
	pusher, pushes := under.(http.Pusher)
	f, h, r := flusher{w}, hijacker{w}, readerFrom{w, from}
	switch [4]bool{flushes, hijacks, reads, pushes} {
	case [4]bool{true, false, false, false}:
		return struct {
			*statusWriter
			flusher
		}{w, f}
	case [4]bool{false, true, false, false}:
		return struct {
			*statusWriter
			hijacker
		}{w, h}
	case [4]bool{false, false, true, false}:
		return struct {
			*statusWriter
			readerFrom
		}{w, r}
	case [4]bool{false, false, false, true}:
		return struct {
			*statusWriter
			http.Pusher
		}{w, pusher}
	case [4]bool{true, true, false, false}:
		return struct {
			*statusWriter
			flusher
			hijacker
		}{w, f, h}
	case [4]bool{true, false, true, false}:
		return struct {
			*statusWriter
			flusher
			readerFrom
		}{w, f, r}
	case [4]bool{true, false, false, true}:
		return struct {
			*statusWriter
			flusher
			http.Pusher
		}{w, f, pusher}
	case [4]bool{false, true, true, false}:
		return struct {
			*statusWriter
			hijacker
			readerFrom
		}{w, h, r}
	case [4]bool{false, true, false, true}:
		return struct {
			*statusWriter
			hijacker
			http.Pusher
		}{w, h, pusher}
	case [4]bool{false, false, true, true}:
		return struct {
			*statusWriter
			readerFrom
			http.Pusher
		}{w, r, pusher}
	}
	return w.likeMost(f, h, r, pusher, [4]bool{flushes, hijacks, reads, pushes})
}

// likeMost is like for three of the four methods or all, and for none.
func (w *statusWriter) likeMost(
	f flusher,
	h hijacker,
	r readerFrom,
	pusher http.Pusher,
	has [4]bool,
) http.ResponseWriter {
	switch has {
	case [4]bool{true, true, true, false}: // HTTP/1.1 of net/http
		return struct {
			*statusWriter
			flusher
			hijacker
			readerFrom
		}{w, f, h, r}
	case [4]bool{true, true, false, true}:
		return struct {
			*statusWriter
			flusher
			hijacker
			http.Pusher
		}{w, f, h, pusher}
	case [4]bool{true, false, true, true}:
		return struct {
			*statusWriter
			flusher
			readerFrom
			http.Pusher
		}{w, f, r, pusher}
	case [4]bool{false, true, true, true}:
		return struct {
			*statusWriter
			hijacker
			readerFrom
			http.Pusher
		}{w, h, r, pusher}
	case [4]bool{true, true, true, true}:
		return struct {
			*statusWriter
			flusher
			hijacker
			readerFrom
			http.Pusher
		}{w, f, h, r, pusher}
	}
	return w
}
