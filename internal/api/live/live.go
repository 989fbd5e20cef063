// Package live streams changes to the console by server-sent events.
package live

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"sync"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/usecase/overview"
)

// Hub sends changes to live streams: a project, and which of its issues.
// It says no more than that; who listens asks again.
type Hub struct {
	*calls.Frame
	mu   sync.Mutex
	subs map[chan map[string]change]bool
	// recent holds the last changes: a page is read before its stream is open.
	recent []update

	lookEvery time.Duration // at the session that opened a stream
}

// change is the message of a live stream about a project.
type change struct {
	Project string           `json:"project"`
	Change  int64            `json:"change"`
	Decided map[string]int64 `json:"decided,omitempty"` // ids of issues, and the version each has now
	Events  []string         `json:"events,omitempty"`  // ids of issues that got events
	// Any is true when more has changed than the ids say: anyone who listens reads
	// everything again.
	Any bool `json:"any,omitempty"`
}

const livePoll = 400 * time.Millisecond

// update is the changes sent at one time.
type update struct {
	at      time.Time
	changed map[string]change
}

// updatesKept is how long recent updates are sent to new listeners.
const updatesKept = 10 * time.Second

// lateHistory is how far behind the newest entry of the histories one is still
// looked for: a transaction that took long numbers its entries early.
const lateHistory = 200

// maxChanged is how many issues a message names.
const maxChanged = 100

// NewHub makes a hub without streams; Run feeds it.
func NewHub(f *calls.Frame) *Hub {
	return &Hub{Frame: f, subs: map[chan map[string]change]bool{}, lookEvery: 5 * time.Second}
}

func (h *Hub) subscribe() (<-chan map[string]change, func()) {
	c := make(chan map[string]change, 1)
	h.mu.Lock()
	h.subs[c] = true
	before := map[string]change{}
	for _, t := range h.recent {
		if time.Since(t.at) < updatesKept {
			before = joined(before, t.changed)
		}
	}
	if len(before) > 0 {
		c <- before
	}
	h.mu.Unlock()
	return c, func() {
		h.mu.Lock()
		delete(h.subs, c)
		h.mu.Unlock()
	}
}

// looking is what the hub knows between two looks.
type looking struct {
	counters map[int64]overview.Counter
	names    map[int64]string
	history  int64          // the newest entry
	sent     map[int64]bool // entries behind history-lateHistory that were told
}

// Run polls the change numbers while a stream is open.
func (h *Hub) Run(ctx context.Context) error {
	l := looking{names: map[int64]string{}, sent: map[int64]bool{}}
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
			continue // the next listener gets what happened meanwhile
		}
		changed, err := h.look(ctx, &l)
		if err == nil && len(changed) > 0 {
			h.broadcast(changed)
		} // else the database is away; the worker's log says so
	}
}

// look finds out what changed since the last look. The first look finds out
// where things stand: anyone who listens has just read everything.
func (h *Hub) look(ctx context.Context, l *looking) (changed map[string]change, err error) {
	err = h.Store.Overview.AtOneMoment(ctx, func(m overview.Moment) error {
		changed, err = h.lookAt(ctx, m, l)
		return err
	})
	return changed, err
}

func (h *Hub) lookAt(ctx context.Context, m overview.Moment, l *looking) (map[string]change, error) {
	now, err := m.Counters(ctx)
	if err != nil {
		return nil, err
	}
	if l.counters == nil {
		return nil, begin(ctx, m, l, now)
	}
	changed := map[string]change{}
	var moved []int64
	for id, c := range now {
		if l.counters[id].Changes == c.Changes {
			continue
		}
		if l.names[id] == "" {
			p, err := h.Store.Projects.ProjectByID(ctx, id)
			if err != nil {
				continue
			}
			l.names[id] = p.Name
		}
		changed[l.names[id]] = change{Project: l.names[id], Change: c.Changes}
		moved = append(moved, id)
	}
	if len(moved) > 0 {
		if err := nameIssues(ctx, m, l, changed, moved); err != nil {
			return nil, err
		}
	}
	l.counters = now
	maps.DeleteFunc(l.names, func(id int64, _ string) bool { _, there := now[id]; return !there })
	return changed, nil
}

func begin(ctx context.Context, m overview.Moment, l *looking, now map[int64]overview.Counter) error {
	last, err := m.LastHistory(ctx)
	if err != nil {
		return err
	}
	ids, _, err := m.HistoryAfter(ctx, last-lateHistory)
	if err != nil {
		return err
	}
	l.counters, l.history = now, last
	for _, id := range ids {
		l.sent[id] = true
	}
	return nil
}

// nameIssues adds which issues changed.
func nameIssues(ctx context.Context, m overview.Moment, l *looking, changed map[string]change, moved []int64) error {
	ids, decided, err := m.HistoryAfter(ctx, l.history-lateHistory)
	if err != nil {
		return err
	}
	for i, entry := range ids {
		c, ok := changed[l.names[decided[i].Project]]
		if l.sent[entry] || !ok {
			continue
		}
		l.sent[entry] = true
		if c.Decided == nil {
			c.Decided = map[string]int64{}
		}
		c.Decided[fmt.Sprintf("%s/%d", c.Project, decided[i].Number)] = decided[i].Version
		c.Any = c.Any || len(c.Decided) > maxChanged
		changed[c.Project] = c
	}
	if len(ids) > 0 {
		l.history = max(l.history, ids[len(ids)-1])
	}
	many := len(ids) == overview.MaxHistoryAfter // nobody listened for long: the rest is not worth reading
	if many {
		if l.history, err = m.LastHistory(ctx); err != nil {
			return err
		}
	}
	maps.DeleteFunc(l.sent, func(entry int64, _ bool) bool { return entry <= l.history-lateHistory })
	for _, id := range moved {
		c := changed[l.names[id]]
		list, more, err := m.IssuesAfter(ctx, id, l.counters[id].Position)
		if err != nil {
			return err
		}
		for _, n := range list {
			c.Events = append(c.Events, fmt.Sprintf("%s/%d", c.Project, n))
		}
		// A change that neither a history nor an event reports: a deletion, a merge that goes on, a surge.
		c.Any = c.Any || more || many || len(c.Decided)+len(c.Events) == 0
		changed[c.Project] = c
	}
	return nil
}

// broadcast gives every listener what changed, added to what it has not read yet.
func (h *Hub) broadcast(changed map[string]change) {
	h.mu.Lock()
	defer h.mu.Unlock()
	now := time.Now()
	h.recent = append(slices.DeleteFunc(h.recent, func(t update) bool {
		return now.Sub(t.at) >= updatesKept
	}), update{now, changed})
	for c := range h.subs {
		next := changed
		select {
		case unread := <-c:
			next = joined(unread, changed)
		default:
		}
		c <- next
	}
}

// joined is what two messages say, by project.
func joined(old, now map[string]change) map[string]change {
	out := maps.Clone(old)
	for name, c := range now {
		if before, ok := out[name]; ok {
			c = added(before, c)
		}
		out[name] = c
	}
	return out
}

// added is two messages about a project as one.
func added(old, now change) change {
	out := change{Project: now.Project, Change: max(old.Change, now.Change), Any: old.Any || now.Any,
		Decided: maps.Clone(old.Decided)}
	for id, version := range now.Decided {
		if out.Decided == nil {
			out.Decided = map[string]int64{}
		}
		out.Decided[id] = version
	}
	out.Events = append(slices.Clone(old.Events), now.Events...)
	slices.Sort(out.Events)
	out.Events = slices.Compact(out.Events)
	out.Any = out.Any || len(out.Decided) > maxChanged || len(out.Events) > maxChanged
	return out
}

// Serve answers with a stream of server-sent events: "change" with what changed in a
// project.
func (h *Hub) Serve(w http.ResponseWriter, r *http.Request) error {
	flush, ok := w.(http.Flusher)
	if !ok {
		return problem.New(problem.Internal, "streams do not work here")
	}
	if err := calls.Unlimited(w); err != nil {
		return err
	}
	changes, stop := h.subscribe()
	defer stop()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("X-Accel-Buffering", "no") // proxies that keep answers back let this one through
	fmt.Fprint(w, "retry: 2000\n\n")
	flush.Flush()
	beat := time.NewTicker(20 * time.Second)
	defer beat.Stop()
	look := time.NewTicker(h.lookEvery)
	defer look.Stop()
	for {
		select {
		case <-r.Context().Done():
			return nil
		case <-look.C: // the stream ends with the session or token it was opened by
			_, err := h.Again(r.Context())
			if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.Unauthorized {
				return nil
			}
			continue
		case <-beat.C:
			fmt.Fprint(w, ": still here\n\n")
		case changed := <-changes:
			seen, err := h.seen(r.Context(), changed)
			if err != nil {
				return nil // who listens connects again, and is told what changed meanwhile
			}
			for name, c := range changed {
				if !seen[name] {
					continue
				}
				raw, err := json.Marshal(c)
				if err != nil {
					return err
				}
				fmt.Fprintf(w, "event: change\ndata: %s\n\n", raw)
			}
		}
		flush.Flush()
	}
}

// seen says which of the projects that changed who listens sees, as of now: a role may
// have been taken away since the stream began.
func (h *Hub) seen(ctx context.Context, changed map[string]change) (map[string]bool, error) {
	ctx, err := h.Again(ctx)
	if err != nil {
		return nil, err
	}
	return h.Store.Projects.Seen(ctx, slices.Collect(maps.Keys(changed)), h.Sight(ctx, access.ReadIssues))
}
