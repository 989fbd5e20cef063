package intake

import (
	"errors"
	"io"
	"net/http"
	"os"
	"time"

	"golang.org/x/sync/semaphore"

	"firethorn/internal/core/problem"
)

// Backlog is how many events wait to be processed, in all and by project.
type Backlog struct {
	Events    int64
	ByProject map[int64]int64
}

// SetBacklog sets how many events wait; senders are refused by it.
func (in *Intake) SetBacklog(b Backlog) { in.backlog.Store(&b) }

// retryLong is when a sender may come again while the inbox is too long.
const retryLong = 20 * time.Second

// admits says whether a project may put more into the inbox. Over the limit
// senders that hold more than an even share of it are refused, so that a
// flood in one project does not shut the others out; at twice the limit all are.
func (b *Backlog) admits(project, limit int64) error {
	if b.Events < limit {
		return nil
	}
	if b.Events >= 2*limit {
		return &problem.Error{Op: "intake.admits", Code: problem.Unavailable, Retry: retryLong, Pub: "too many events wait; no event of this request was stored, send it again later with the same ids"}
	}
	if own := b.ByProject[project]; own > limit/int64(max(len(b.ByProject), 1)) {
		return &problem.Error{Op: "intake.admits", Code: problem.TooMany, Retry: retryLong, Pub: "too many events of this project wait; no event of this request was stored, send it again later with the same ids"}
	}
	return nil
}

// errFull says that as much is being read as memory should hold.
var errFull = &problem.Error{Op: "intake.load", Code: problem.Unavailable, Retry: 2 * time.Second, Pub: "too much is being sent at once; nothing was stored of this request, send it again in a moment with the same ids"}

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
		return 0, problem.Wrap("intake.load", problem.BadInput, err, "the body stopped coming for %s; nothing was stored of this request", l.patience)
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
