package intake

import (
	"errors"
	"io"
	"net/http"
	"os"
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

// load is a request's body that is counted while it is read and inflated, and
// given up when it stops coming.
type load struct {
	flight   *semaphore.Weighted
	from     io.ReadCloser
	conn     *http.ResponseController
	patience time.Duration
	held     int64
	stopped  bool // the rest of the body is not waited for
}

func (l *load) Read(p []byte) (int, error) {
	_ = l.conn.SetReadDeadline(time.Now().Add(l.patience)) // not every connection knows deadlines
	n, err := l.from.Read(p)
	if errors.Is(err, os.ErrDeadlineExceeded) {
		l.stopped = true
		return 0, fault.Wrap("intake.load", fault.BadInput, err, "the body stopped coming for %s; nothing was stored of this request", l.patience)
	}
	return n, err
}

// hold counts memory that the body takes.
func (l *load) hold(bytes int) error {
	if !l.flight.TryAcquire(int64(bytes)) {
		return errFull
	}
	l.held += int64(bytes)
	return nil
}

func (l *load) Close() error { return l.from.Close() }

func (l *load) release() {
	l.flight.Release(l.held)
	l.held = 0
	if l.stopped {
		return
	}
	_ = l.conn.SetReadDeadline(time.Time{}) // the next request's own limits count
}
