package trails_test

import (
	"fmt"
	"testing"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/testbed"
	"firethorn/internal/testdb"
	"firethorn/internal/usecase/find"
	"firethorn/internal/usecase/trails"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// A trail is told in order of time, over pages, and what several events carry once.
func TestTrail_InOrderOfTime(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	at := func(minutes int) string {
		return testbed.Noon.Add(time.Duration(minutes) * time.Minute).Format(time.RFC3339Nano)
	}
	crumb := func(minutes int, message string) map[string]any {
		return map[string]any{"time": at(minutes), "kind": "click", "message": message}
	}
	b.Many(5, func(i int) map[string]any {
		return map[string]any{"time": at(10*i - 60), "attributes": map[string]any{"user.id": "p-1", "user.email": "ines@quay.example"},
			"breadcrumbs": []any{crumb(-70, "opened the map"), crumb(10*i-61, fmt.Sprintf("berth %d", i))},
			"exceptions":  []any{map[string]any{"type": "TypeError", "message": "no berth", "frames": []any{map[string]any{"function": "berthOf", "file": "src/berths.ts", "line": 3}}}}}
	})
	b.File(testbed.Event{Function: "tideAt", User: "p-2", At: testbed.Noon})
	var told []string
	q := trails.Ask{Project: b.Project, Asker: find.Asker{Now: b.Now}, Who: "ines@quay.example", Limit: 2}
	last := time.Time{}
	for {
		page, err := b.Trails.Trail(t.Context(), q)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range page.Entries {
			if e.Event != nil {
				told = append(told, "event")
			} else {
				told = append(told, e.Breadcrumb.Message)
			}
			if !last.IsZero() && e.At.After(last) {
				t.Errorf("%v comes after %v", e.At, last)
			}
			last = e.At
		}
		if q.After = page.Next; q.After == nil {
			break
		}
	}
	want := []string{"event", "berth 4", "event", "berth 3", "event", "berth 2", "event", "berth 1", "event", "berth 0", "opened the map"}
	if fmt.Sprint(told) != fmt.Sprint(want) {
		t.Errorf("told %q,\nwant %q", told, want)
	}
	q.After, q.Who = nil, "nobody"
	if page, err := b.Trails.Trail(t.Context(), q); err != nil && testbed.Code(err) != problem.NotFound || err == nil && len(page.Entries) > 0 {
		t.Errorf("somebody of whom nothing is known: %+v, %v", page, err)
	}
}
