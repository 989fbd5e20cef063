// Package live tells the console at once what has changed, by server-sent events.
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
	"firethorn/internal/core/fault"
	"firethorn/internal/usecase/overview"
)

// Hub tells live streams what has changed: a project, and which of its issues.
// It says no more than that; who listens asks again.
type Hub struct {
	*calls.Frame
	mu   sync.Mutex
	subs map[chan map[string]change]bool
	// recent is what was told lately: a page is read before its stream is open.
	recent []told

	lookEvery time.Duration // at the session that opened a stream
}

// change is what is told of a project: the message of a live stream.
type change struct {
	Project string           `json:"project"`
	Change  int64            `json:"change"`
	Decided map[string]int64 `json:"decided,omitempty"` // ids of issues, and the version each has now
	Events  []string         `json:"events,omitempty"`  // ids of issues that got events
	// Any is true when more has changed than the ids say: whoever listens reads
	// everything again.
	Any bool `json:"any,omitempty"`
}

const livePoll = 400 * time.Millisecond

// told is what was told at one time.
type told struct {
	at      time.Time
	changed map[string]change
}

// keptTold is for how long what was told is told to whoever comes.
const keptTold = 10 * time.Second

// lateHistory is how far behind the newest entry of the histories one is still
// looked for: a transaction that took long numbers its entries early.
const lateHistory = 200

// maxChanged is how many issues a message names.
const maxChanged = 100

// NewHub makes a hub that nobody listens to yet; Run feeds it.
func NewHub(f *calls.Frame) *Hub {
	return &Hub{Frame: f, subs: map[chan map[string]change]bool{}, lookEvery: 5 * time.Second}
}

func (h *Hub) subscribe() (<-chan map[string]change, func()) {
	c := make(chan map[string]change, 1)
	h.mu.Lock()
	h.subs[c] = true
	before := map[string]change{}
	for _, t := range h.recent {
		if time.Since(t.at) < keptTold {
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
	told     map[int64]bool // entries behind history-lateHistory that were told
}

// Run polls the change numbers while somebody listens.
func (h *Hub) Run(ctx context.Context) error {
	l := looking{names: map[int64]string{}, told: map[int64]bool{}}
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
			continue // whoever comes next is told what happened meanwhile
		}
		changed, err := h.look(ctx, &l)
		if err == nil && len(changed) > 0 {
			h.tell(changed)
		} // else the database is away; the worker's log says so
	}
}

// look finds out what changed since the last look. The first look finds out
// where things stand: whoever listens has just read everything.
func (h *Hub) look(ctx context.Context, l *looking) (map[string]change, error) {
	now, err := h.Store.Overview.Counters(ctx)
	if err != nil {
		return nil, err
	}
	if l.counters == nil {
		return nil, h.begin(ctx, l, now)
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
		if err := h.issues(ctx, l, changed, moved); err != nil {
			return nil, err
		}
	}
	l.counters = now
	maps.DeleteFunc(l.names, func(id int64, _ string) bool { _, there := now[id]; return !there })
	return changed, nil
}

func (h *Hub) begin(ctx context.Context, l *looking, now map[int64]overview.Counter) error {
	last, err := h.Store.Overview.LastHistory(ctx)
	if err != nil {
		return err
	}
	ids, _, err := h.Store.Overview.HistoryAfter(ctx, last-lateHistory)
	if err != nil {
		return err
	}
	l.counters, l.history = now, last
	for _, id := range ids {
		l.told[id] = true
	}
	return nil
}

// issues adds which issues changed.
func (h *Hub) issues(ctx context.Context, l *looking, changed map[string]change, moved []int64) error {
	ids, decided, err := h.Store.Overview.HistoryAfter(ctx, l.history-lateHistory)
	if err != nil {
		return err
	}
	for i, entry := range ids {
		c, ok := changed[l.names[decided[i].Project]]
		if l.told[entry] || !ok {
			continue
		}
		l.told[entry] = true
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
		if l.history, err = h.Store.Overview.LastHistory(ctx); err != nil {
			return err
		}
	}
	maps.DeleteFunc(l.told, func(entry int64, _ bool) bool { return entry <= l.history-lateHistory })
	for _, id := range moved {
		c := changed[l.names[id]]
		list, more, err := h.Store.Overview.IssuesFiledAfter(ctx, id, l.counters[id].Position)
		if err != nil {
			return err
		}
		for _, n := range list {
			c.Events = append(c.Events, fmt.Sprintf("%s/%d", c.Project, n))
		}
		// A change that neither a history nor an event tells of: a deletion, a merge that goes on, a surge.
		c.Any = c.Any || more || many || len(c.Decided)+len(c.Events) == 0
		changed[c.Project] = c
	}
	return nil
}

// tell gives every listener what changed, added to what it has not read yet.
func (h *Hub) tell(changed map[string]change) {
	h.mu.Lock()
	defer h.mu.Unlock()
	now := time.Now()
	h.recent = append(slices.DeleteFunc(h.recent, func(t told) bool {
		return now.Sub(t.at) >= keptTold
	}), told{now, changed})
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
		return fault.New(fault.Internal, "streams do not work here")
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
			if f, ok := errors.AsType[*fault.Error](err); ok && f.Code == fault.Unauthorized {
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
