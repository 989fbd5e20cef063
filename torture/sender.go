package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"sync"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/contract"
)

// kinds is how many different errors there are in a project.
const kinds = 12

// sent is one event as it was sent, to be sent again.
type sent struct {
	id      uuid.UUID
	project int
	raw     []byte
}

// sender sends events and remembers which were acknowledged.
type sender struct {
	s    *stage
	keys []string

	mu    sync.Mutex
	acked []sent
	known map[uuid.UUID]bool // acknowledged
	tried map[uuid.UUID]bool // sent without an answer
}

func newSender(ctx context.Context, s *stage) (*sender, error) {
	x := &sender{s: s, known: map[uuid.UUID]bool{}, tried: map[uuid.UUID]bool{}}
	for _, name := range projects {
		var p contract.Project
		if err := s.services[0].call(ctx, http.MethodPost, "/api/projects",
			fmt.Sprintf(`{"name":%q,"keep_days":%d}`, name, keepDays), &p); err != nil {
			return nil, err
		}
		if err := s.services[0].call(ctx, http.MethodPatch, "/api/projects/"+name,
			`{"allowance_minute":0,"allowance_day":0}`, nil); err != nil {
			return nil, err
		}
		x.keys = append(x.keys, p.IngestKey)
	}
	return x, nil
}

func (x *sender) count() int {
	x.mu.Lock()
	defer x.mu.Unlock()
	return len(x.acked)
}

// run sends batches until ctx ends: new events, and some that were sent before.
func (x *sender) run(ctx context.Context, rnd *rand.Rand) {
	for ctx.Err() == nil {
		project := rnd.IntN(len(projects))
		var batch []sent
		for range 1 + rnd.IntN(30) {
			if old, ok := x.again(rnd, project); ok && rnd.IntN(5) == 0 {
				batch = append(batch, old)
				continue
			}
			batch = append(batch, x.event(rnd, project))
		}
		x.send(ctx, rnd, project, batch)
		time.Sleep(time.Duration(rnd.IntN(20)) * time.Millisecond)
	}
}

// again picks an event that was acknowledged before.
func (x *sender) again(rnd *rand.Rand, project int) (sent, bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if len(x.acked) == 0 {
		return sent{}, false
	}
	e := x.acked[rnd.IntN(len(x.acked))]
	return e, e.project == project
}

func (x *sender) event(rnd *rand.Rand, project int) sent {
	id := uuid.New()
	if rnd.IntN(2) == 0 {
		id = uuid.Must(uuid.NewV7())
	}
	e := map[string]any{
		"id": id.String(), "handled": rnd.IntN(2) == 0, "stands_for": 1 + rnd.IntN(3)/2*4,
		"exceptions": []any{map[string]any{"type": fmt.Sprint("Fault", rnd.IntN(kinds)), "message": "in the torture",
			"frames": []any{map[string]any{"function": "sail", "file": "src/sail.ts", "line": 7}}}},
		"resource": map[string]any{"service.version": fmt.Sprint("4.", rnd.IntN(4)),
			"deployment.environment.name": []string{"production", "staging"}[rnd.IntN(2)]},
		"attributes": map[string]any{"user.id": fmt.Sprint("p-", rnd.IntN(300))},
	}
	now := x.s.now().UTC()
	switch n := rnd.IntN(20); {
	case n == 0: // no time at all
	case n == 1:
		e["time"] = "1970-01-01T00:00:00Z"
	case n == 2:
		e["time"] = "2031-01-01T00:00:00Z"
	case n < 8:
		e["time"] = now.Add(-time.Duration(rnd.IntN(5*24*3600)) * time.Second).Format(time.RFC3339Nano)
	default:
		e["time"] = now.Format(time.RFC3339Nano)
	}
	raw, err := json.Marshal(e)
	if err != nil {
		panic(err) // a map of plain values
	}
	return sent{id, project, raw}
}

// send posts a batch to one of the services and notes what became of it.
func (x *sender) send(ctx context.Context, rnd *rand.Rand, project int, batch []sent) {
	var body bytes.Buffer
	for _, e := range batch {
		body.Write(e.raw)
		body.WriteByte('\n')
	}
	v := x.s.services[rnd.IntN(len(x.s.services))]
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, v.url("/v1/events"), &body)
	if err != nil {
		panic(err) // the address is well formed
	}
	req.Header.Set("Authorization", "Bearer "+x.keys[project])
	req.Header.Set("Content-Type", "application/x-ndjson")
	res, err := http.DefaultClient.Do(req)
	status := 0
	if err == nil {
		_, err = io.Copy(io.Discard, res.Body)
		res.Body.Close()
		status = res.StatusCode
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	switch {
	case err == nil && status == http.StatusAccepted:
		for _, e := range batch {
			if x.known[e.id] {
				x.s.report.Repeats++
				continue
			}
			x.known[e.id] = true
			x.acked = append(x.acked, e)
		}
	case err == nil && (status == http.StatusServiceUnavailable || status == http.StatusTooManyRequests):
		x.s.report.Rejected++
		x.unsure(batch)
		time.Sleep(20 * time.Millisecond)
	default:
		x.s.report.Unanswered++
		x.unsure(batch)
	}
}

// unsure notes events that may be stored or not: an answer that says no may
// follow a write whose own answer was lost.
func (x *sender) unsure(batch []sent) {
	for _, e := range batch {
		x.tried[e.id] = true
	}
}
