package ingest_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/testbed"
	"firethorn/internal/testdb"
	"firethorn/internal/usecase/ingest"
)

func TestFile_CountsEventsUsersAndDays(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	day := 24 * time.Hour
	b.File(
		testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: testbed.Noon.Add(-time.Hour)},
		testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: testbed.Noon.Add(-3 * day), Stands: 5},
		testbed.Event{Function: "tideAt", User: "p-2", Release: "4.2.1", At: testbed.Noon.Add(-20 * day)},
		testbed.Event{Function: "drawWeek", At: testbed.Noon},
	)
	b.File(testbed.Event{Function: "tideAt", User: "p-2", Release: "4.2.1", At: testbed.Noon.Add(-2 * time.Hour)}, testbed.Event{Function: "tideAt", User: "p-3", Release: "4.2.1", At: testbed.Noon.Add(-3 * day)})
	is := b.Issue(1)
	if is.Events != 9 || is.Users != 3 || is.WindowEvents != 8 || is.WindowUsers != 3 {
		t.Errorf("events %d, users %d, in the window %d and %d; want 9, 3, 8, 3", is.Events, is.Users, is.WindowEvents, is.WindowUsers)
	}
	if !is.FirstSeen.Equal(testbed.Noon.Add(-20*day)) || !is.LastSeen.Equal(testbed.Noon.Add(-time.Hour)) || is.FirstRelease != "4.2.1" || is.LastRelease != "4.2.0" {
		t.Errorf("first %v in %s, last %v in %s", is.FirstSeen, is.FirstRelease, is.LastSeen, is.LastRelease)
	}
	if d := is.Trend[10]; d.Events != 6 || d.Users != 2 || d.Day.Format("2006-01-02") != "2026-11-20" {
		t.Errorf("three days ago: %+v", d)
	}
	if other := b.Issue(2); other.Events != 1 || other.Users != 0 || other.Headline != "TypeError in drawWeek" {
		t.Errorf("the other issue: %d events, %d users, %s", other.Events, other.Users, other.Headline)
	}
	b.Recounted()
}

func TestFile_CountsAnEventOnce(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	once := testbed.Event{ID: "a", Function: "tideAt", User: "p-1", At: testbed.Noon.Add(-time.Hour)}
	if done := b.File(once, once); done.Events != 1 || done.Repeats != 1 {
		t.Errorf("twice in a batch: %+v", done)
	}
	b.Now = testbed.Noon.Add(25 * time.Hour) // after midnight
	if done := b.File(once); done.Repeats != 1 {
		t.Errorf("a day later: %+v", done)
	}
	odd := testbed.Event{ID: "b", Function: "tideAt", At: testbed.Noon.AddDate(-3, 0, 0)}
	b.File(odd)
	b.Now = b.Now.Add(48 * time.Hour)
	if done := b.File(odd); done.Repeats != 1 {
		t.Errorf("an event of a time that cannot be used, again: %+v", done)
	}
	timeless := testbed.Event{ID: "c", Function: "tideAt"}
	b.File(timeless)
	b.Now = b.Now.Add(48 * time.Hour)
	if done := b.File(timeless); done.Repeats != 1 {
		t.Errorf("an event without a time, again: %+v", done)
	}
	if n := b.Issue(1).Events; n != 3 {
		t.Errorf("%d events, want 3", n)
	}
	b.Recounted()
}

func TestFile_KeepsFiveExemplarsThatDiffer(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 12 {
		b.File(testbed.Event{Function: "tideAt", Release: fmt.Sprint("4.", i/2), At: testbed.Noon}, testbed.Event{Function: "tideAt", Release: "4.0", At: testbed.Noon})
	}
	var kept, counted int
	if err := b.DB.QueryRow("SELECT COUNT(*), (SELECT exemplars FROM variant) FROM exemplar").Scan(&kept, &counted); err != nil || kept != 5 || counted != 5 {
		t.Errorf("%d exemplars are kept, %d counted, %v; want 5", kept, counted, err)
	}
}

func TestFile_IsAllOrNothing(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Store(testbed.Event{Function: "tideAt", At: testbed.Noon})
	f := b.Batch()
	stale := f
	stale.Lease.Epoch++
	if _, err := b.Ingest.Process(t.Context(), stale); !errors.Is(err, inbox.ErrLeaseLost) {
		t.Errorf("a stale lease files: %v", err)
	}
	if _, err := b.Ingest.Process(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Ingest.Process(t.Context(), f); !errors.Is(err, inbox.ErrLeaseLost) {
		t.Errorf("one delivery is filed twice: %v", err)
	}
	if n := b.Issue(1).Events; n != 1 {
		t.Errorf("%d events, want 1", n)
	}
	b.Recounted()
}

func TestFile_KeepsOneWriterAProject(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var wg sync.WaitGroup
	for w := range 4 {
		var list []*pipeline.Item
		batch := &pipeline.Batch{Received: testbed.Noon}
		for i := range 40 {
			batch.IDs = append(batch.IDs, uuid.New())
			batch.Events = append(batch.Events, testbed.Event{Function: fmt.Sprintf("f%d", i%7), User: fmt.Sprintf("p-%d", (i+w)%11), Release: fmt.Sprintf("1.%d", i%3), At: testbed.Noon.Add(-time.Duration(i) * time.Hour)}.JSON())
			it, err := pipeline.Process(t.Context(), b.Project.Project, batch, i, b.Units)
			if err != nil {
				t.Fatal(err)
			}
			list = append(list, it)
		}
		wg.Go(func() {
			if _, err := b.Ingest.Process(context.Background(), ingest.Batch{Project: b.Project.Project, Lease: b.Leases[inbox.ShardOf(b.Project.ID)], Items: list}); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	list, _, err := b.Issues.Issues(t.Context(), issues.IssueQuery{Project: b.Project.ID, States: issue.States, Order: issues.ByEvents, Limit: 100})
	total := int64(0)
	for _, is := range list {
		total += is.Events
	}
	if err != nil || len(list) != 7 || total != 160 {
		t.Errorf("%d issues with %d events, %v; want 7 and 160", len(list), total, err)
	}
	b.Recounted()
}

func TestLeases_AreSharedEvenlyAndPassOnWhenTheyRunOut(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	second := uuid.New()
	take := func(who uuid.UUID, want int) []inbox.Lease {
		t.Helper()
		list, err := b.Inbox.TakeLeases(t.Context(), who, time.Hour)
		if err != nil || len(list) != want {
			t.Fatalf("%d shards, %v; want %d", len(list), err, want)
		}
		return list
	}
	take(second, 0)
	first := take(b.Owner, inbox.Shards/2) // lets go of what is beyond its share
	take(second, inbox.Shards/2)
	take(b.Owner, inbox.Shards/2)
	if err := b.Inbox.ReleaseLeases(t.Context(), second); err != nil {
		t.Fatal(err)
	}
	b.Leases = take(b.Owner, inbox.Shards)
	if b.Leases[0].Epoch != first[0].Epoch {
		t.Error("a shard that stayed with its holder has another epoch")
	}
	b.Store(testbed.Event{Function: "tideAt", At: testbed.Noon})
	f := b.Batch()
	if _, err := b.DB.Exec("UPDATE shard_lease SET until=1"); err != nil { // the holder slept too long
		t.Fatal(err)
	}
	if _, err := b.DB.Exec("UPDATE processor SET until=1"); err != nil {
		t.Fatal(err)
	}
	take(uuid.New(), inbox.Shards)
	if _, err := b.Ingest.Process(t.Context(), f); !errors.Is(err, inbox.ErrLeaseLost) {
		t.Errorf("the former holder still files: %v", err)
	}
}

func TestAct_RegressesAndUndoes(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "tideAt", Release: "4.1.0", At: testbed.Noon})
	if _, err := b.Accounts.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false); err != nil {
		t.Fatal(err)
	}
	who := accounts.Actor{Kind: "person", Name: "Maren Holt"}
	id := b.Issue(1).ID
	act := func(a issue.Action) {
		t.Helper()
		if err := b.Triage.Act(t.Context(), id, a, "", who, 0); err != nil {
			t.Fatal(err)
		}
	}
	act(issue.Action{Verb: issue.Assign, To: "maren"})
	if is := b.Issue(1); is.State != issue.Accepted || is.Owner != "Maren Holt" {
		t.Errorf("assigned: %+v", is.Status)
	}
	act(testbed.FixedIn("4.2.0"))
	b.File(testbed.Event{Function: "tideAt", Release: "4.1.9", At: testbed.Noon}, testbed.Event{Function: "tideAt", Release: "4.1.9", At: testbed.Noon})
	if is := b.Issue(1); is.State != issue.Fixed {
		t.Errorf("an older release: %s", is.State)
	}
	b.File(testbed.Event{Function: "tideAt", Release: "4.2.1", At: testbed.Noon})
	if is := b.Issue(1); is.State != issue.Regressed || is.Owner != "Maren Holt" {
		t.Errorf("a newer release: %+v", is.Status)
	}
	var kinds []string
	list, err := b.Issues.History(t.Context(), id)
	for _, h := range list {
		kinds = append(kinds, h.Kind)
	}
	if got := strings.Join(kinds, " "); err != nil || got != "regressed expected fix assign first_seen" {
		t.Errorf("history = %s, %v", got, err)
	}
	act(issue.Action{Verb: issue.Dismiss})
	act(issue.Action{Verb: issue.Undo})
	if is := b.Issue(1); is.State != issue.Regressed || is.FixedIn != "4.2.0" || is.Owner != "Maren Holt" {
		t.Errorf("undone: %+v", is.Status)
	}
	act(issue.Action{Verb: issue.Undo}) // that it regressed
	if is := b.Issue(1); is.State != issue.Fixed {
		t.Errorf("undone once more: %+v", is.Status)
	}
	act(issue.Action{Verb: issue.Undo}) // the fix
	act(issue.Action{Verb: issue.Undo}) // the assignment
	if is := b.Issue(1); is.State != issue.New || is.Owner != "" {
		t.Errorf("all undone: %+v", is.Status)
	}
	err = b.Triage.Act(t.Context(), id, issue.Action{Verb: issue.Undo}, "", who, 0)
	if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.Conflict {
		t.Errorf("nothing to undo: %v", err)
	}
	err = b.Triage.Act(t.Context(), id, issue.Action{Verb: issue.Accept}, "", who, 1)
	if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.Stale {
		t.Errorf("a stale version: %v", err)
	}
	b.Recounted()
}

func TestIssues_PagesThroughEveryOrder(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var list []testbed.Event
	for i := range 25 {
		for j := range 1 + i%4 {
			list = append(list, testbed.Event{Function: fmt.Sprintf("f%d", i), User: fmt.Sprintf("p-%d", j%3), At: testbed.Noon.Add(-time.Duration(i) * time.Hour)})
		}
	}
	b.File(list...)
	for order := range issues.Orders {
		seen := map[int64]bool{}
		last := int64(1 << 62)
		q := issues.IssueQuery{Project: b.Project.ID, States: issue.States, Order: order, Limit: 4}
		for {
			page, next, err := b.Issues.Issues(t.Context(), q)
			if err != nil {
				t.Fatal(err)
			}
			for _, is := range page {
				if v := issues.OrderValue(is, order); v > last || seen[is.ID] {
					t.Errorf("by %s: issue %d is out of order or came twice", order, is.Number)
				} else {
					last = v
				}
				seen[is.ID] = true
			}
			if q.After = next; next == nil {
				break
			}
		}
		if len(seen) != 25 {
			t.Errorf("by %s: %d issues, want 25", order, len(seen))
		}
	}
}

func TestEvents_PageByPosition(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 9 { // three variants of one issue, and another issue between
		b.File(testbed.Event{ID: fmt.Sprint(i), Function: "tideAt", At: testbed.Noon.Add(-time.Duration(i*7%5) * time.Hour)}, testbed.Event{Function: "drawWeek", At: testbed.Noon})
		if i%3 == 2 {
			if _, err := b.DB.Exec("INSERT INTO variant (project, grouping_version, hash, issue, fingerprint, provisional, parts) SELECT project, grouping_version, UNHEX(MD5(?)), issue, fingerprint, 0, parts FROM variant WHERE issue=1 LIMIT 1", i); err != nil {
				t.Fatal(err)
			}
			if _, err := b.DB.Exec("UPDATE event SET variant=(SELECT MAX(id) FROM variant WHERE issue=1) WHERE variant=(SELECT MIN(id) FROM variant WHERE issue=1) AND filing>?", 2*i-4); err != nil {
				t.Fatal(err)
			}
		}
	}
	var got []string
	q := events.EventQuery{Project: b.Project.ID, Issue: b.Issue(1).ID, Limit: 2}
	for {
		page, next, err := b.Events.Events(t.Context(), q)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range page {
			got = append(got, fmt.Sprint(e.Position))
		}
		if q.Before = next; next == 0 {
			break
		}
	}
	if want := "17 15 13 11 9 7 5 3 1"; strings.Join(got, " ") != want {
		t.Errorf("filings %v, want %s", got, want)
	}
	all, _, err := b.Events.Events(t.Context(), events.EventQuery{Project: b.Project.ID, Limit: 100})
	if err != nil || len(all) != 18 || all[0].Position != 18 {
		t.Errorf("%d events of the project, %v", len(all), err)
	}
	first, err := b.Events.IssueEvent(t.Context(), b.Project, b.Issue(1).ID, "oldest")
	if err != nil || first.Position != 1 {
		t.Fatalf("oldest: %+v, %v", first, err)
	}
	third, err := b.Events.IssueEvent(t.Context(), b.Project, b.Issue(1).ID, uuid.NewSHA1(uuid.Nil, []byte("2")).String())
	if err != nil {
		t.Fatal(err)
	}
	n, err := b.Events.EventNeighbours(t.Context(), b.Issue(1).ID, third)
	id := func(i string) uuid.UUID { return uuid.NewSHA1(uuid.Nil, []byte(i)) }
	if want := (events.Neighbours{Newest: id("8"), Newer: id("3"), Older: id("1"), Oldest: id("0"), Position: 7}); err != nil || n != want {
		t.Errorf("neighbours %+v, %v, want %+v", n, err, want)
	}
}

func TestPartitions_HoldEveryEvent(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "tideAt", At: testbed.Noon}, testbed.Event{Function: "tideAt", At: testbed.Noon.Add(-29 * 24 * time.Hour)}, testbed.Event{Function: "tideAt", At: testbed.Noon.Add(23 * time.Hour)})
	var n int
	if err := b.DB.QueryRow("SELECT COUNT(*) FROM event PARTITION (pmax)").Scan(&n); err != nil || n != 0 {
		t.Errorf("%d events found no day partition, %v", n, err)
	}
}

func TestEnsurePartitions_WorksSideBySide(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Now = testbed.Noon.Add(5 * 24 * time.Hour)
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			if err := b.Schema.EnsurePartitions(context.Background()); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
}

func TestSignIn_WorksOnce(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	p, err := b.Accounts.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false)
	if err != nil {
		t.Fatal(err)
	}
	link, err := b.Accounts.NewSignInLink(t.Context(), p.ID, time.Minute)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: link})
	if err != nil {
		t.Fatal(err)
	}
	if g, err := b.Accounts.GrantOfSession(t.Context(), secret, ""); err != nil || g.Person.Name != "Maren Holt" || g.Scope != "person" {
		t.Errorf("session: %+v, %v", g, err)
	}
	if _, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: link}); err == nil {
		t.Error("a link works twice")
	}
	late, _ := b.Accounts.NewSignInLink(t.Context(), p.ID, time.Minute)
	b.Now = testbed.Noon.Add(2 * time.Minute)
	if _, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: late}); err == nil {
		t.Error("a link works after its time")
	}
	if err := b.Accounts.SignOut(t.Context(), secret); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Accounts.GrantOfSession(t.Context(), secret, ""); err == nil {
		t.Error("a session outlives signing out")
	}
}

func TestOpen_MigratesOnceWhenSeveralStart(t *testing.T) {
	dsn := testdb.DSN(t)
	var wg sync.WaitGroup
	for range 3 {
		wg.Go(func() {
			s, err := records.Open(context.Background(), records.Options{DSN: dsn})
			if err != nil {
				t.Error(err)
				return
			}
			s.Close()
		})
	}
	wg.Wait()
}
