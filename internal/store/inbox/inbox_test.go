package inbox_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/ingest"
)

func batchOf(n int) *pipeline.Batch {
	b := &pipeline.Batch{Received: testbed.Noon}
	for range n {
		b.IDs, b.Events = append(b.IDs, uuid.New()), append(b.Events, json.RawMessage(`{"message":"m"}`))
	}
	return b
}

func TestAppend_SharesWritesAndRows(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	other, _, err := b.Projects.CreateProject(t.Context(), projects.NewProject{Name: "gangway", KeepDays: 30})
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	for i := range 300 {
		wg.Go(func() {
			p := b.Project.ID
			if i%3 == 0 {
				p = other.ID
			}
			if err := b.Inbox.Append(context.Background(), p, batchOf(1+i%2)); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	st, err := b.Overview.Inbox(t.Context())
	if err != nil || st.Events != 450 || st.ByProject[other.ID] != 150 || !st.Oldest.Equal(testbed.Noon) {
		t.Fatalf("%+v, %v", st, err)
	}
	if st.Rows > 200 {
		t.Errorf("300 requests made %d rows; those that come together share one", st.Rows)
	}
	total, again := 0, ""
	for more := true; more; {
		c, err := b.Inbox.Claim(t.Context(), b.Leases[inbox.ShardOf(b.Project.ID)], b.Project.ID, false)
		if err != nil || c.Tries != 1 {
			t.Fatalf("%+v, %v", c, err)
		}
		for _, d := range c.Deliveries {
			for _, batch := range d.Batches {
				total += len(batch.Events)
			}
		}
		more = c.More
		if _, err := b.Ingest.Process(t.Context(), ingest.Batch{Project: b.Project.Project, Lease: b.Leases[inbox.ShardOf(b.Project.ID)], Deliveries: c.Deliveries}); err != nil {
			t.Fatal(err)
		}
		if len(c.Deliveries) > 0 && c.Deliveries[0].ID.String() == again {
			t.Fatal("a delivery comes twice")
		}
	}
	if total != 300 {
		t.Errorf("%d events of the project are handed out, want 300", total)
	}
}

func TestClaim_KnowsWhatWasInHandWhenAProcessEnded(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Store(testbed.Event{ID: "a", Function: "tideAt", At: testbed.Noon}, testbed.Event{ID: "b", Function: "tideAt", At: testbed.Noon})
	claim := func(again bool) *inbox.Claim {
		t.Helper()
		c, err := b.Inbox.Claim(t.Context(), b.Leases[inbox.ShardOf(b.Project.ID)], b.Project.ID, again)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	if c := claim(false); c.Tries != 1 || len(c.Deliveries) != 1 {
		t.Fatalf("%+v", c)
	}
	b.Store(testbed.Event{ID: "c", Function: "tideAt", At: testbed.Noon}) // comes while the process is down
	if c := claim(true); c.Tries != 1 {
		t.Errorf("a try that failed for another reason counts: %d", c.Tries)
	}
	c := claim(false)
	if c.Tries != 2 || len(c.Deliveries) != 1 {
		t.Errorf("after a death: %d tries, %d deliveries; want 2 and the same one", c.Tries, len(c.Deliveries))
	}
	suspect := c.Deliveries[0].Batches[0].IDs[1]
	for deaths := range 3 {
		if err := b.Inbox.Suspect(t.Context(), c, suspect); err != nil {
			t.Fatal(err)
		}
		if c = claim(false); c.Suspect != suspect || c.Deaths != deaths+1 {
			t.Errorf("after death %d: suspect %s, %d deaths", deaths+1, c.Suspect, c.Deaths)
		}
	}
	if err := b.Inbox.Suspect(t.Context(), c, uuid.New()); err != nil {
		t.Fatal(err)
	}
	if c = claim(false); c.Deaths != 1 {
		t.Errorf("another event inherits %d deaths", c.Deaths)
	}
	if _, err := b.Ingest.Process(t.Context(), ingest.Batch{Project: b.Project.Project, Lease: b.Leases[inbox.ShardOf(b.Project.ID)], Deliveries: c.Deliveries}); err != nil {
		t.Fatal(err)
	}
	if c = claim(false); c.Tries != 1 || len(c.Deliveries) != 1 || c.Deaths != 0 {
		t.Errorf("the next: %+v", c)
	}
}

func TestRetry_ReturnsFailedEventsToTheQueue(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Store(testbed.Event{ID: "a", Function: "tideAt", User: "p-1", At: testbed.Noon})
	f := b.Batch()
	f.Items = nil
	f.Failed = []inbox.FailedEvent{{Project: b.Project.ID, Received: testbed.Noon, Why: "no reason \xff" + strings.Repeat("é", 5000), Event: f.Deliveries[0].Batches[0].IDs[0], Packed: pipeline.Pack(f.Deliveries[0].Batches[0].Alone(0))}}
	if _, err := b.Ingest.Process(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	list, err := b.Inbox.FailedEvents(t.Context(), b.Project.ID, 10)
	if err != nil || len(list) != 1 || !strings.HasPrefix(list[0].Why, "no reason \uFFFDé") || len(list[0].Why) > 8000 || list[0].Event != f.Failed[0].Event {
		t.Fatalf("%+v, %v", list, err)
	}
	if _, err := b.Inbox.Retry(t.Context(), list[0].ID); err != nil {
		t.Fatal(err)
	}
	if done, err := b.Ingest.Process(t.Context(), b.Batch()); err != nil || done.Events != 1 {
		t.Errorf("filed again: %+v, %v", done, err)
	}
	b.WantCounts(1, 1, 1)
	_, err = b.Inbox.Retry(t.Context(), list[0].ID)
	if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.NotFound {
		t.Errorf("retried twice: %v", err)
	}
}

func TestDiscardAndExpiry_AreCounted(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	f := ingest.Batch{Project: b.Project.Project, Lease: b.Leases[inbox.ShardOf(b.Project.ID)]}
	for i := range 3 {
		f.Failed = append(f.Failed, inbox.FailedEvent{Project: b.Project.ID, Received: testbed.Noon.Add(-time.Duration(i) * 20 * testbed.Day), Why: fmt.Sprint(i)})
	}
	if _, err := b.Ingest.Process(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	list, _ := b.Inbox.FailedEvents(t.Context(), 0, 10)
	if err := b.Inbox.Discard(t.Context(), list[0].ID); err != nil {
		t.Fatal(err)
	}
	if err := b.Inbox.ExpireFailed(t.Context()); err != nil {
		t.Fatal(err)
	}
	if left, discarded, expired := b.One("SELECT COUNT(*) FROM failed_event"), b.One("SELECT SUM(events) FROM received WHERE cause='discarded'"), b.One("SELECT SUM(events) FROM received WHERE cause='expired'"); left != 1 || discarded != 1 || expired != 1 {
		t.Errorf("%d left, %d discarded, %d expired", left, discarded, expired)
	}
}

// What is left of an issue whose number leads on goes there.
func TestRepair_OfAnIssueThatIsNotListed(t *testing.T) {
	b := testbed.Pair(t)
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{1}, 2, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	before := *b.Issue(2)
	for _, q := range []string{"UPDATE variant SET issue=(SELECT MIN(id) FROM issue) ORDER BY id LIMIT 1", "UPDATE issue_list SET events=events-1"} {
		if _, err := b.DB.Exec(q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	list, _, err := b.Retention.Recount(t.Context())
	if err != nil || len(list) == 0 || list[0].What != "events of the issue" && list[0].What != "events of an issue that is not listed" {
		t.Fatalf("%+v, %v", list, err)
	}
	if _, err := b.Retention.Repair(t.Context(), list); err != nil {
		t.Fatal(err)
	}
	b.Recounted()
	if is := b.Issue(1); is.Number != 2 || is.Events != before.Events || is.Users != before.Users {
		t.Errorf("mended %+v, was %+v", is, before)
	}
}
