package intake

import (
	"io"
	"net/http"
	"time"

	"golang.org/x/sync/semaphore"

	"firethorn/internal/core/fault"
)

// Backlog is how many events wait to be filed, in all and by project.
type Backlog struct {
	Events    int64
	ByProject map[int64]int64
}

// SetBacklog tells how much waits; senders are turned away by it.
func (in *Intake) SetBacklog(b Backlog) { in.backlog.Store(&b) }

// retryLong is when a sender may come again while the inbox is too long.
const retryLong = 20 * time.Second

// admits says whether a project may put more into the inbox. Over the limit
// those are turned away that hold more than an even share of it, so that a
// flood in one project does not shut the others out; at twice the limit all are.
func (b *Backlog) admits(project, most int64) error {
	if b.Events < most {
		return nil
	}
	if b.Events >= 2*most {
		return &fault.Error{Op: "intake.admits", Code: fault.Unavailable, Retry: retryLong, Pub: "more events wait to be filed than the service takes; nothing was stored of this request, send it again later with the same ids"}
	}
	if own := b.ByProject[project]; own > most/int64(max(len(b.ByProject), 1)) {
		return &fault.Error{Op: "intake.admits", Code: fault.TooMany, Retry: retryLong, Pub: "too many events of this project wait to be filed; nothing was stored of this request, send it again later with the same ids"}
	}
	return nil
}

// errFull says that as much is being read as memory should hold.
var errFull = &fault.Error{Op: "intake.load", Code: fault.Unavailable, Retry: 2 * time.Second, Pub: "too much is being sent at once; nothing was stored of this request, send it again in a moment with the same ids"}

// byteTime is how long a sender may stay silent in the middle of a body.
const byteTime = 10 * time.Second

// load is a request's body that is counted while it is read, and given up when
// it stops coming.
type load struct {
	flight   *semaphore.Weighted
	from     io.ReadCloser
	patience *http.ResponseController
	held     int64
}

func (l *load) Read(p []byte) (int, error) {
	_ = l.patience.SetReadDeadline(time.Now().Add(byteTime)) // not every connection knows deadlines
	n, err := l.from.Read(p)
	if n > 0 && !l.flight.TryAcquire(int64(n)) {
		return 0, errFull
	}
	l.held += int64(n)
	return n, err
}

// hold counts what the body has become after inflating.
func (l *load) hold(plain int) error {
	more := int64(plain) - l.held
	if more > 0 && !l.flight.TryAcquire(more) {
		return errFull
	}
	l.held += max(more, 0)
	return nil
}

func (l *load) Close() error { return l.from.Close() }

func (l *load) release() {
	l.flight.Release(l.held)
	l.held = 0
	_ = l.patience.SetReadDeadline(time.Time{}) // the next request's own limits count
}
