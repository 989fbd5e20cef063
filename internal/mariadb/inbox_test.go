package mariadb

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

	"firethorn/internal/core/fault"
	"firethorn/internal/pipeline"
)

func batchOf(n int) *pipeline.Batch {
	b := &pipeline.Batch{Received: noon}
	for range n {
		b.IDs, b.Events = append(b.IDs, uuid.New()), append(b.Events, json.RawMessage(`{"message":"m"}`))
	}
	return b
}

func TestAppend_SharesWritesAndRows(t *testing.T) {
	b := open1(t, noon)
	other, _, err := b.CreateProject(t.Context(), "gangway", 30)
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	for i := range 300 {
		wg.Go(func() {
			p := b.project.ID
			if i%3 == 0 {
				p = other.ID
			}
			if err := b.Append(context.Background(), p, batchOf(1+i%2)); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	st, err := b.Inbox(t.Context())
	if err != nil || st.Events != 450 || st.ByProject[other.ID] != 150 || !st.Oldest.Equal(noon) {
		t.Fatalf("%+v, %v", st, err)
	}
	if st.Rows > 200 {
		t.Errorf("300 requests made %d rows; those that come together share one", st.Rows)
	}
	total, again := 0, ""
	for more := true; more; {
		c, err := b.Claim(t.Context(), b.leases[ShardOf(b.project.ID)], b.project.ID, false)
		if err != nil || c.Tries != 1 {
			t.Fatalf("%+v, %v", c, err)
		}
		for _, d := range c.Deliveries {
			for _, batch := range d.Batches {
				total += len(batch.Events)
			}
		}
		more = c.More
		if _, err := b.File(t.Context(), Filing{Project: b.project.Project, Lease: b.leases[ShardOf(b.project.ID)], Deliveries: c.Deliveries}); err != nil {
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
	b := open1(t, noon)
	b.store(occur{id: "a", function: "tideAt", at: noon}, occur{id: "b", function: "tideAt", at: noon})
	claim := func(again bool) *Claim {
		t.Helper()
		c, err := b.Claim(t.Context(), b.leases[ShardOf(b.project.ID)], b.project.ID, again)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	if c := claim(false); c.Tries != 1 || len(c.Deliveries) != 1 {
		t.Fatalf("%+v", c)
	}
	b.store(occur{id: "c", function: "tideAt", at: noon}) // comes while the process is down
	if c := claim(true); c.Tries != 1 {
		t.Errorf("a try that failed for another reason counts: %d", c.Tries)
	}
	c := claim(false)
	if c.Tries != 2 || len(c.Deliveries) != 1 {
		t.Errorf("after a death: %d tries, %d deliveries; want 2 and the same one", c.Tries, len(c.Deliveries))
	}
	suspect := c.Deliveries[0].Batches[0].IDs[1]
	for deaths := range 3 {
		if err := b.Suspect(t.Context(), c, suspect); err != nil {
			t.Fatal(err)
		}
		if c = claim(false); c.Suspect != suspect || c.Deaths != deaths+1 {
			t.Errorf("after death %d: suspect %s, %d deaths", deaths+1, c.Suspect, c.Deaths)
		}
	}
	if err := b.Suspect(t.Context(), c, uuid.New()); err != nil {
		t.Fatal(err)
	}
	if c = claim(false); c.Deaths != 1 {
		t.Errorf("another event inherits %d deaths", c.Deaths)
	}
	if _, err := b.File(t.Context(), Filing{Project: b.project.Project, Lease: b.leases[ShardOf(b.project.ID)], Deliveries: c.Deliveries}); err != nil {
		t.Fatal(err)
	}
	if c = claim(false); c.Tries != 1 || len(c.Deliveries) != 1 || c.Deaths != 0 {
		t.Errorf("the next: %+v", c)
	}
}

func TestRetry_PutsBackWhatWasSetAside(t *testing.T) {
	b := open1(t, noon)
	b.store(occur{id: "a", function: "tideAt", user: "p-1", at: noon})
	f := b.filing()
	f.Items = nil
	f.Aside = []Aside{{Project: b.project.ID, Received: noon, Why: "no reason \xff" + strings.Repeat("é", 5000), Event: f.Deliveries[0].Batches[0].IDs[0], Packed: pipeline.Pack(f.Deliveries[0].Batches[0].Alone(0))}}
	if _, err := b.File(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	list, err := b.SetAside(t.Context(), b.project.ID, 10)
	if err != nil || len(list) != 1 || !strings.HasPrefix(list[0].Why, "no reason \uFFFDé") || len(list[0].Why) > 8000 || list[0].Event != f.Aside[0].Event {
		t.Fatalf("%+v, %v", list, err)
	}
	if _, err := b.Retry(t.Context(), list[0].ID); err != nil {
		t.Fatal(err)
	}
	if done, err := b.File(t.Context(), b.filing()); err != nil || done.Events != 1 {
		t.Errorf("filed again: %+v, %v", done, err)
	}
	b.wantCounts(1, 1, 1)
	_, err = b.Retry(t.Context(), list[0].ID)
	if f, ok := errors.AsType[*fault.Error](err); !ok || f.Code != fault.NotFound {
		t.Errorf("retried twice: %v", err)
	}
}

func TestDiscardAndExpiry_AreCounted(t *testing.T) {
	b := open1(t, noon)
	f := Filing{Project: b.project.Project, Lease: b.leases[ShardOf(b.project.ID)]}
	for i := range 3 {
		f.Aside = append(f.Aside, Aside{Project: b.project.ID, Received: noon.Add(-time.Duration(i) * 20 * day), Why: fmt.Sprint(i)})
	}
	if _, err := b.File(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	list, _ := b.SetAside(t.Context(), 0, 10)
	if err := b.Discard(t.Context(), list[0].ID); err != nil {
		t.Fatal(err)
	}
	if err := b.expireAside(t.Context()); err != nil {
		t.Fatal(err)
	}
	if left, discarded, expired := b.one("SELECT COUNT(*) FROM set_aside"), b.one("SELECT SUM(events) FROM received WHERE cause='discarded'"), b.one("SELECT SUM(events) FROM received WHERE cause='expired'"); left != 1 || discarded != 1 || expired != 1 {
		t.Errorf("%d left, %d discarded, %d expired", left, discarded, expired)
	}
}

func TestRepair_MendsEveryCounter(t *testing.T) {
	b := pair(t)
	b.file(occur{function: "tideAt", user: "p-1", release: "4.2.0", at: noon.Add(-3 * day)})
	b.tell(0, `{"id":"s-1","outcome":"clean"}`)
	before := *b.issue(1)
	for _, q := range []string{
		"UPDATE session_day SET sessions=7", "UPDATE active_user SET last_day=last_day-1", "UPDATE issue_list SET calls_at=0, owner=77", "UPDATE issue SET state='new'",
		"UPDATE issue_list SET events=99, users=98, window_events=97, window_users=96, bodies=95, state='fixed'", "UPDATE variant SET events=5, bodies=7",
		"DELETE FROM issue_user WHERE user=(SELECT MIN(user) FROM event)", "DELETE FROM issue_user_day LIMIT 2", "DELETE FROM issue_user_env LIMIT 1",
		"UPDATE issue_hour SET events=events+1", "DELETE FROM issue_day LIMIT 2", "UPDATE issue_release SET events=0", "DELETE FROM issue_env", "UPDATE issue_trend SET events=9, users=9", "UPDATE issue_day SET issue=1+issue%2", "INSERT INTO parked (issue, project) SELECT id, project FROM issue LIMIT 1",
	} {
		if _, err := b.db.Exec(q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	list, _, err := b.Recount(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	found := map[string]bool{}
	for _, d := range list {
		found[d.What] = true
	}
	// All but the bodies themselves and what is listed, which were not touched.
	if counts := len(countChecks(b.now)); len(found) < counts-2 {
		t.Errorf("only %d kinds of %d differ: %v", len(found), counts, found)
	}
	if n, err := b.Repair(t.Context(), list); err != nil || n != 2 {
		t.Fatalf("%d issues mended, %v", n, err)
	}
	b.recounted()
	if is := b.issue(1); is.Events != before.Events || is.Users != before.Users || is.WindowUsers != before.WindowUsers || is.State != before.State || is.Impact != before.Impact {
		t.Errorf("mended %+v, was %+v", is, before)
	}
}

// What is left of an issue whose number leads on goes there.
func TestRepair_OfAnIssueThatIsNotListed(t *testing.T) {
	b := pair(t)
	if err := b.Merge(t.Context(), b.project, []int64{1}, 2, maren); err != nil {
		t.Fatal(err)
	}
	b.followed()
	before := *b.issue(2)
	for _, q := range []string{"UPDATE variant SET issue=(SELECT MIN(id) FROM issue) ORDER BY id LIMIT 1", "UPDATE issue_list SET events=events-1"} {
		if _, err := b.db.Exec(q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	list, _, err := b.Recount(t.Context())
	if err != nil || len(list) == 0 || list[0].What != "events of the issue" && list[0].What != "events of an issue that is not listed" {
		t.Fatalf("%+v, %v", list, err)
	}
	if _, err := b.Repair(t.Context(), list); err != nil {
		t.Fatal(err)
	}
	b.recounted()
	if is := b.issue(1); is.Number != 2 || is.Events != before.Events || is.Users != before.Users {
		t.Errorf("mended %+v, was %+v", is, before)
	}
}
