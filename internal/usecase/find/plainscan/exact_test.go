package plainscan

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/event"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/query"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/store/issues"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/find"
	"firethorn/internal/usecase/indexing"
)

// world is a project that changes, with all that was sent to it.
type world struct {
	*testbed.Bench
	chance
	sent   map[uuid.UUID]*event.Event
	erased map[uuid.UUID]bool
	other  *records.Records // another process on the same database
}

func newWorld(t *testing.T, seed uint64) *world {
	w := &world{Bench: testbed.Open(t, testbed.Noon), chance: chance{rand.New(rand.NewPCG(seed, 7))},
		sent: map[uuid.UUID]*event.Event{}, erased: map[uuid.UUID]bool{}}
	w.Indexing.Sizes = indexing.Sizes{Rows: 4, Middle: 60, Large: 150, Limit: 400}
	other, err := records.Open(t.Context(), records.Options{DSN: w.DSN, Now: func() time.Time { return w.Now }})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { other.Close() })
	other.Indexing.Sizes, other.DB.MaxSkew = w.Indexing.Sizes, w.DB.MaxSkew
	w.other = other
	return w
}

// report files random events in small batches.
func (w *world) report(n, days int) {
	w.T.Helper()
	for n > 0 {
		batch := &pipeline.Batch{Received: w.Now}
		for range min(n, 1+w.IntN(20)) {
			n--
			raw, err := json.Marshal(w.event(w.Now, days))
			if err != nil {
				w.T.Fatal(err)
			}
			e, err := event.Decode(raw, event.DefaultLimits)
			if err != nil {
				w.T.Fatal(err)
			}
			id := uuid.New()
			w.sent[id] = e
			batch.IDs, batch.Events = append(batch.IDs, id), append(batch.Events, raw)
		}
		if err := w.Inbox.Append(w.T.Context(), w.Project.ID, batch); err != nil {
			w.T.Fatal(err)
		}
		if _, err := w.Ingest.Process(w.T.Context(), w.Batch()); err != nil {
			w.T.Fatal(err)
		}
	}
}

// until does steps until there is nothing more to do.
func (w *world) until(step func(context.Context, int64) (bool, error)) {
	w.T.Helper()
	for more := true; more; {
		var err error
		if more, err = step(w.T.Context(), w.Project.ID); err != nil {
			w.T.Fatal(err)
		}
	}
}

// settle lets everything arrive that happens beside: moves, words, what traces say.
func (w *world) settle() {
	w.T.Helper()
	w.LookedThrough()
	for more := true; more; {
		var err error
		if more, err = w.Indexing.NoteFacts(w.T.Context(), w.Project, w.Units); err != nil {
			w.T.Fatal(err)
		}
	}
}

// compare asks random searches and compares every answer with a plain scan.
func (w *world) compare(when string, searches int) {
	w.T.Helper()
	p := scan(w.Bench, w.sent, w.erased)
	for i := range searches {
		tree := w.search(2)
		text := query.String(tree)
		window := find.Window{}
		if w.IntN(3) == 0 {
			window = find.Window{From: w.Now.Add(-time.Duration(1+w.IntN(6)) * 24 * time.Hour), To: w.Now.Add(-time.Duration(w.IntN(12)) * time.Hour)}
		}
		s := w.Find
		if i%2 == 1 {
			s = w.other.Find
		}
		ask := find.Ask{Project: w.Project, Text: text, Window: &window, Asker: find.Asker{Person: 101, Now: w.Now}}
		parsed, err := query.Parse(text)
		if err != nil {
			w.T.Fatalf("%q: %v", text, err)
		}
		want := p.fitting(parsed, window)
		w.compareEvents(s, ask, when, want)
		switch i % 5 {
		case 0:
			w.compareIssues(s, ask, when, p, want)
		case 1:
			w.compareFacets(s, ask, when, want)
		case 2:
			w.compareHistogram(s, ask, when, want)
		case 3:
			w.compareUsers(s, ask, when, want)
		case 4:
			w.compareAgainst(s, ask, when, p.fitting(query.And{}, window), want)
		}
		if w.T.Failed() {
			w.T.Fatalf("%s: the search was %s in %v", when, text, window)
		}
	}
}

// compareCounters asks random searches that counters answer, which look at all that
// was ever seen.
func (w *world) compareCounters(when string, searches int) {
	w.T.Helper()
	p := scan(w.Bench, w.sent, w.erased)
	for asked := 0; asked < searches; {
		tree := w.search(2)
		text := query.String(tree)
		parsed := must(query.Parse(text))
		ask := find.Ask{Project: w.Project, Text: text, Asker: find.Asker{Person: 101, Now: w.Now}}
		names := query.Names(parsed)
		// What a row of the list says of severity and handling is another thing than what events say.
		if find.AsksEvents(ask) || slices.Contains(names, "severity") || slices.Contains(names, "handled") {
			continue
		}
		asked++
		want := map[int64]bool{}
		for _, e := range p.fitting(parsed, find.Window{}) {
			want[e.issue] = true
		}
		page, err := w.Find.FindIssues(w.T.Context(), find.IssueAsk{Ask: ask, States: issue.States, Order: issues.ByImpact, Limit: 100})
		if err != nil {
			w.T.Fatalf("%s: %s: %v", when, text, err)
		}
		for _, is := range page.Issues {
			if !want[is.ID] {
				w.T.Errorf("%s: %s: issue %d should not be there", when, text, is.Number)
			}
		}
		if len(page.Issues) != len(want) || page.Matching != nil {
			w.T.Fatalf("%s: %s: %d issues, a plain scan finds %d", when, text, len(page.Issues), len(want))
		}
	}
}

func (p *plain) fitting(n query.Node, window find.Window) (out []*plainEvent) {
	for i := range p.events {
		e := &p.events[i]
		at := time.UnixMicro(e.thrown)
		if (window.From.IsZero() || !at.Before(window.From)) && (window.To.IsZero() || at.Before(window.To)) && p.holds(n, e) > 0 {
			out = append(out, e)
		}
	}
	return out
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// tidesMap maps the first columns of a bundle on to src/tides.ts:17.
var tidesMap = fmt.Sprintf(`{"version":3,"sources":["src/tides.ts"],"sourcesContent":[%q],"names":[],"mappings":"AAgBA"}`,
	"function a(): number {"+strings.Repeat("\n", 16)+"return 1 }")

// searches is how many random searches are asked after each change: few, or as many as
// the environment says (make exact).
func searches(t *testing.T) int {
	text := os.Getenv("FIRETHORN_SEARCHES")
	if text == "" {
		return 8
	}
	n, err := strconv.Atoi(text)
	if err != nil {
		t.Fatal(err)
	}
	return n
}

// Every answer equals a plain scan of the same events, whatever happened to them. The
// searches are random, and asked of two processes.
func TestSearch_EqualsAPlainScan(t *testing.T) {
	w := newWorld(t, 34)
	searches := searches(t)
	w.report(300, 8)
	w.settle()
	w.compare("as written", searches)

	w.until(w.Indexing.Merge)
	w.until(w.Indexing.NoteWords)
	w.compare("merged", searches)

	w.report(120, 8)
	w.Merge(1, 2, 3)
	w.settle()
	w.compare("issues were merged, and more came", searches)
	w.compareCounters("issues were merged, and more came", searches)

	if _, err := w.Split(1, difference.Attribute, "plan", "gold"); err != nil {
		t.Fatal(err)
	}
	w.settle()
	w.compare("an issue was split by an attribute", searches)
	for range 20 { // whatever a merge is in the midst of when it is killed
		ctx, cancel := context.WithTimeout(t.Context(), time.Duration(w.IntN(30))*time.Millisecond)
		_, _ = w.Indexing.Fold(ctx, w.Project.ID)
		_, _ = w.other.Indexing.Merge(ctx, w.Project.ID)
		cancel()
	}
	w.compare("merges were killed", searches/2)
	w.until(w.other.Indexing.Fold)
	w.until(w.other.Indexing.Merge)
	w.compare("the split is in the segments", searches)
	w.compareCounters("the split is in the segments", searches)

	if _, err := w.Triage.AddComment(t.Context(), w.Issue(4).ID, "I took a thorough look at the berth", testbed.Maren, 0); err != nil {
		t.Fatal(err)
	}
	w.AddReports(testbed.Report{Span: "0101010101010101", Message: "joined", Stack: "TypeError: joined\n    at assign (src/assign.ts:3:1)", ID: "first"})
	w.sent[uuid.NewSHA1(uuid.Nil, []byte("first"))] = &event.Event{}
	w.AddReports(testbed.Report{Log: true, Span: "0101010101010101", Message: "joined", User: "p-7", More: map[string]any{"plan": "gold"}, ID: "second"})
	w.settle()
	w.compare("a later report told more of an event", searches)

	w.Raws(testbed.Raw{Message: "late", Release: "1.2.0", User: "p-4", Column: 2}, testbed.Raw{Message: "late", Release: "1.2.0", User: "p-5", Column: 2})
	w.compare("traces cannot be read yet", searches/2)
	w.PushMap("1.2.0", tidesMap)
	w.Reread()
	w.settle()
	w.compare("symbols came late", searches/2)

	e, err := w.Retention.Erase(t.Context(), w.Project, "p-3", "Maren Holt")
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Retention.EraseNext(t.Context(), w.Project.ID); err != nil {
		t.Fatal(err)
	}
	for id, x := range w.sent {
		if x.Attributes.Text("user.id") == "p-3" {
			w.erased[id] = true
		}
	}
	w.compare(fmt.Sprintf("erasure %d was done", e.ID), searches)
	w.until(w.Indexing.Fold)
	w.compare("the erasure is in the segments", searches)

	deleted := w.Issue(5)
	if _, err := w.Retention.Delete(t.Context(), deleted.ID, deleted.Events, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	w.compare("an issue was deleted, its events are still there", searches/2)
	w.until(w.Retention.EmptyNext)
	w.compare("an issue was deleted", searches/2)

	w.RetireAt(w.Now.Add(27 * testbed.Day))
	w.report(100, 6)
	w.settle()
	w.until(w.Indexing.Merge)
	w.compare("days were dropped", searches)
	w.Recounted()
}
