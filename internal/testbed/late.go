package testbed

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
	"firethorn/internal/store/symbolstore"
)

// PushMap pushes a map for the file that raw events name.
func (b *Bench) PushMap(release, content string) symbolstore.Pushed {
	b.T.Helper()
	hashes, err := b.Symbols.PutSymbols(b.T.Context(), b.Project.ID, [][]byte{[]byte(content)})
	if err != nil {
		b.T.Fatal(err)
	}
	done, err := b.Symbols.AddSymbolFiles(b.T.Context(), b.Project.ID, release,
		[]symbolstore.PushedFile{{Address: "https://q.example/assets/app.js", Map: hashes[0]}})
	if err != nil {
		b.T.Fatal(err)
	}
	return done
}

// Raw is an event whose one frame is in a built file.
type Raw struct {
	Message, Release, User, ID string
	Column                     int
}

func (b *Bench) Raws(list ...Raw) {
	b.T.Helper()
	batch := &pipeline.Batch{Received: b.Now}
	for _, x := range list {
		e := map[string]any{"time": b.Now.Add(-time.Hour).Format(time.RFC3339Nano),
			"resource": map[string]any{"service.version": x.Release}, "attributes": map[string]any{"user.id": x.User},
			"exceptions": []any{map[string]any{"type": "TypeError", "message": x.Message,
				"frames": []any{map[string]any{"function": "a", "file": "https://q.example/assets/app.js", "line": 1,
					"column": x.Column}}}}}
		if x.ID != "" {
			e["symbols"] = []any{map[string]any{"file": "https://q.example/assets/app.js", "debug_id": x.ID}}
		}
		text, err := json.Marshal(e)
		if err != nil {
			b.T.Fatal(err)
		}
		batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, text)
	}
	if err := b.Inbox.Append(b.T.Context(), b.Project.ID, batch); err != nil {
		b.T.Fatal(err)
	}
	if _, err := b.Ingest.Process(b.T.Context(), b.Batch()); err != nil {
		b.T.Fatal(err)
	}
}

// Reread lets events become readable and moves arrive.
func (b *Bench) Reread() {
	b.T.Helper()
	for more := true; more; {
		b.Units.Forget(b.Project.ID)
		var err error
		if more, err = b.Moves.ReadAgain(b.T.Context(), b.Project, b.Reader()); err != nil {
			b.T.Fatal(err)
		}
	}
	b.LookedThrough()
}

func (b *Bench) WantHeadline(number int64, headline, place string) {
	b.T.Helper()
	if is := b.Issue(number); is.Headline != headline || is.Place != place {
		b.T.Errorf("issue %d is %q at %q, want %q at %q", number, is.Headline, is.Place, headline, place)
	}
}
