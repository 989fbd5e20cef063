package api

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"sync"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/mariadb"
)

// hub tells live streams that a project has changed. It says no more than
// that; who listens asks again.
type hub struct {
	store *mariadb.Store
	log   *slog.Logger
	mu    sync.Mutex
	subs  map[chan map[string]int64]bool

	lookEvery time.Duration // at the session that opened a stream
}

const livePoll = 400 * time.Millisecond

func newHub(store *mariadb.Store, log *slog.Logger) *hub {
	return &hub{store: store, log: log, subs: map[chan map[string]int64]bool{}, lookEvery: 5 * time.Second}
}

func (h *hub) subscribe() (<-chan map[string]int64, func()) {
	c := make(chan map[string]int64, 1)
	h.mu.Lock()
	h.subs[c] = true
	h.mu.Unlock()
	return c, func() {
		h.mu.Lock()
		delete(h.subs, c)
		h.mu.Unlock()
	}
}

// run polls the change numbers while somebody listens.
func (h *hub) run(ctx context.Context) error {
	last := map[int64]int64{}
	names := map[int64]string{}
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(livePoll):
		}
		h.mu.Lock()
		listeners := len(h.subs)
		h.mu.Unlock()
		if listeners == 0 {
			continue
		}
		now, err := h.store.Changes(ctx)
		if err != nil {
			continue // the database is away; the worker's log says so
		}
		changed := map[string]int64{}
		for id, n := range now {
			if last[id] == n {
				continue
			}
			if names[id] == "" {
				p, err := h.store.ProjectByID(ctx, id)
				if err != nil {
					continue
				}
				names[id] = p.Name
			}
			changed[names[id]] = n
		}
		last = now
		if len(changed) > 0 {
			h.tell(changed)
		}
	}
}

// tell gives every listener what changed, added to what it has not read yet.
func (h *hub) tell(changed map[string]int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c := range h.subs {
		next := maps.Clone(changed)
		select {
		case unread := <-c:
			for k, v := range unread {
				next[k] = max(next[k], v)
			}
		default:
		}
		c <- next
	}
}

// unlimited lifts the limits on the time that a request and its answer may take:
// a stream has none.
func unlimited(w http.ResponseWriter) error {
	c := http.NewResponseController(w)
	return errors.Join(c.SetReadDeadline(time.Time{}), c.SetWriteDeadline(time.Time{}))
}

// serveLive is a stream of server-sent events: "change" with a project's name
// and change number.
func (a *API) serveLive(w http.ResponseWriter, r *http.Request) error {
	if err := a.may(r.Context(), see, ""); err != nil {
		return err
	}
	flush, ok := w.(http.Flusher)
	if !ok {
		return fault.New(fault.Internal, "streams do not work here")
	}
	if err := unlimited(w); err != nil {
		return err
	}
	changes, stop := a.live.subscribe()
	defer stop()
	w.Header().Set("Content-Type", "text/event-stream")
	fmt.Fprint(w, "retry: 2000\n\n")
	flush.Flush()
	beat := time.NewTicker(20 * time.Second)
	defer beat.Stop()
	look := time.NewTicker(a.live.lookEvery)
	defer look.Stop()
	for {
		select {
		case <-r.Context().Done():
			return nil
		case <-look.C: // the stream ends with the session or token it was opened by
			_, err := a.grantSoon(r)
			if f, ok := errors.AsType[*fault.Error](err); ok && f.Code == fault.Unauthorized {
				return nil
			}
			continue
		case <-beat.C:
			fmt.Fprint(w, ": still here\n\n")
		case changed := <-changes:
			for name, n := range changed {
				fmt.Fprintf(w, "event: change\ndata: {\"project\":%q,\"change\":%d}\n\n", name, n)
			}
		}
		flush.Flush()
	}
}
