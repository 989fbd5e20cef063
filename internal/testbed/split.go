package testbed

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/difference"
	"firethorn/internal/pipeline"
	"firethorn/internal/usecase/moves"
)

func (b *Bench) Reader() moves.Reader { return moves.ReaderOf(b.Project.Project, b.Units) }

// LookedThrough lets moves arrive and splits be looked through.
func (b *Bench) LookedThrough() {
	b.T.Helper()
	for more := true; more; {
		b.Followed()
		var err error
		if more, err = b.Moves.LookThrough(b.T.Context(), b.Project.ID, b.Reader()); err != nil {
			b.T.Fatal(err)
		}
	}
}

func (b *Bench) Split(number int64, kind difference.Kind, name, value string) (int64, error) {
	b.T.Helper()
	d, err := difference.New(kind, name, value)
	if err != nil {
		b.T.Fatal(err)
	}
	return b.Moves.Split(b.T.Context(), b.Project, number, d, b.Reader(), Maren)
}

// Gate is an event of the gates: barrier fails, called by caller.
type Gate struct {
	Caller, Message, Lane, User, Release string
	At                                   time.Time
}

func (b *Bench) Gates(list ...Gate) {
	b.T.Helper()
	batch := &pipeline.Batch{Received: b.Now}
	for _, g := range list {
		frames := []any{map[string]any{"function": "barrier", "file": "src/barrier.ts", "line": 4}}
		if g.Caller != "" {
			frames = append(frames, map[string]any{"function": g.Caller, "file": "src/gates.ts", "line": 30})
		}
		e := map[string]any{"exceptions": []any{map[string]any{"type": "GateError", "message": g.Message,
			"frames": frames}},
			"attributes": map[string]any{"gate.lane": g.Lane, "user.id": g.User},
			"resource":   map[string]any{"service.version": g.Release}}
		if !g.At.IsZero() {
			e["time"] = g.At.Format(time.RFC3339Nano)
		}
		raw, err := json.Marshal(e)
		if err != nil {
			b.T.Fatal(err)
		}
		batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, raw)
	}
	if err := b.Inbox.Append(b.T.Context(), b.Project.ID, batch); err != nil {
		b.T.Fatal(err)
	}
	if _, err := b.Ingest.Process(b.T.Context(), b.Batch()); err != nil {
		b.T.Fatal(err)
	}
}

// Lanes files the same failure on two lanes, by users of one lane, of the
// other and of both.
func Lanes(t *testing.T) *Bench {
	b := Open(t, Noon)
	b.Gates(
		Gate{"", "shut", "foot", "p-1", "4.1.0", Noon.Add(-72 * time.Hour)},
		Gate{"", "shut", "car", "p-2", "4.1.0", Noon.Add(-50 * time.Hour)},
		Gate{"", "shut", "foot", "p-2", "4.2.0", Noon.Add(-3 * time.Hour)},
		Gate{"", "shut", "car", "p-3", "4.2.0", Noon.Add(-2 * time.Hour)},
		Gate{"", "shut", "car", "p-3", "4.2.0", Noon.Add(-time.Hour)},
	)
	return b
}
