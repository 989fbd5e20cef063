package mariadb

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
	"firethorn/internal/pipeline"
	"firethorn/internal/testdb"
)

func TestFile_CountsEventsUsersAndDays(t *testing.T) {
	b := open1(t, noon)
	day := 24 * time.Hour
	b.file(
		occur{function: "tideAt", user: "p-1", release: "4.2.0", at: noon.Add(-time.Hour)},
		occur{function: "tideAt", user: "p-1", release: "4.2.0", at: noon.Add(-3 * day), stands: 5},
		occur{function: "tideAt", user: "p-2", release: "4.2.1", at: noon.Add(-20 * day)},
		occur{function: "drawWeek", at: noon},
	)
	b.file(occur{function: "tideAt", user: "p-2", release: "4.2.1", at: noon.Add(-2 * time.Hour)}, occur{function: "tideAt", user: "p-3", release: "4.2.1", at: noon.Add(-3 * day)})
	is := b.issue(1)
	if is.Events != 9 || is.Users != 3 || is.WindowEvents != 8 || is.WindowUsers != 3 {
		t.Errorf("events %d, users %d, in the window %d and %d; want 9, 3, 8, 3", is.Events, is.Users, is.WindowEvents, is.WindowUsers)
	}
	if !is.FirstSeen.Equal(noon.Add(-20*day)) || !is.LastSeen.Equal(noon.Add(-time.Hour)) || is.FirstRelease != "4.2.1" || is.LastRelease != "4.2.0" {
		t.Errorf("first %v in %s, last %v in %s", is.FirstSeen, is.FirstRelease, is.LastSeen, is.LastRelease)
	}
	if d := is.Trend[10]; d.Events != 6 || d.Users != 2 || d.Day.Format("2006-01-02") != "2026-11-20" {
		t.Errorf("three days ago: %+v", d)
	}
	if other := b.issue(2); other.Events != 1 || other.Users != 0 || other.Headline != "TypeError in drawWeek" {
		t.Errorf("the other issue: %d events, %d users, %s", other.Events, other.Users, other.Headline)
	}
	b.recounted()
}

func TestFile_CountsAnEventOnce(t *testing.T) {
	b := open1(t, noon)
	once := occur{id: "a", function: "tideAt", user: "p-1", at: noon.Add(-time.Hour)}
	if done := b.file(once, once); done.Events != 1 || done.Repeats != 1 {
		t.Errorf("twice in a batch: %+v", done)
	}
	b.now = noon.Add(25 * time.Hour) // after midnight
	if done := b.file(once); done.Repeats != 1 {
		t.Errorf("a day later: %+v", done)
	}
	odd := occur{id: "b", function: "tideAt", at: noon.AddDate(-3, 0, 0)}
	b.file(odd)
	b.now = b.now.Add(48 * time.Hour)
	if done := b.file(odd); done.Repeats != 1 {
		t.Errorf("an event of a time that cannot be used, again: %+v", done)
	}
	timeless := occur{id: "c", function: "tideAt"}
	b.file(timeless)
	b.now = b.now.Add(48 * time.Hour)
	if done := b.file(timeless); done.Repeats != 1 {
		t.Errorf("an event without a time, again: %+v", done)
	}
	if n := b.issue(1).Events; n != 3 {
		t.Errorf("%d events, want 3", n)
	}
	b.recounted()
}

func TestFile_KeepsFiveExemplarsThatDiffer(t *testing.T) {
	b := open1(t, noon)
	for i := range 12 {
		b.file(occur{function: "tideAt", release: fmt.Sprint("4.", i/2), at: noon}, occur{function: "tideAt", release: "4.0", at: noon})
	}
	var kept, counted int
	if err := b.db.QueryRow("SELECT COUNT(*), (SELECT exemplars FROM variant) FROM exemplar").Scan(&kept, &counted); err != nil || kept != 5 || counted != 5 {
		t.Errorf("%d exemplars are kept, %d counted, %v; want 5", kept, counted, err)
	}
}

func TestFile_IsAllOrNothing(t *testing.T) {
	b := open1(t, noon)
	b.store(occur{function: "tideAt", at: noon})
	f := b.filing()
	stale := f
	stale.Lease.Epoch++
	if _, err := b.File(t.Context(), stale); !errors.Is(err, ErrLeaseLost) {
		t.Errorf("a stale lease files: %v", err)
	}
	if _, err := b.File(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	if _, err := b.File(t.Context(), f); !errors.Is(err, ErrLeaseLost) {
		t.Errorf("one delivery is filed twice: %v", err)
	}
	if n := b.issue(1).Events; n != 1 {
		t.Errorf("%d events, want 1", n)
	}
	b.recounted()
}

func TestFile_KeepsOneWriterAProject(t *testing.T) {
	b := open1(t, noon)
	var wg sync.WaitGroup
	for w := range 4 {
		var list []*pipeline.Item
		batch := &pipeline.Batch{Received: noon}
		for i := range 40 {
			batch.IDs = append(batch.IDs, uuid.New())
			batch.Events = append(batch.Events, occur{function: fmt.Sprintf("f%d", i%7), user: fmt.Sprintf("p-%d", (i+w)%11), release: fmt.Sprintf("1.%d", i%3), at: noon.Add(-time.Duration(i) * time.Hour)}.json())
			it, err := pipeline.Process(t.Context(), b.project.Project, batch, i, b.units)
			if err != nil {
				t.Fatal(err)
			}
			list = append(list, it)
		}
		wg.Go(func() {
			if _, err := b.File(context.Background(), Filing{Project: b.project.Project, Lease: b.leases[ShardOf(b.project.ID)], Items: list}); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	list, _, err := b.Issues(t.Context(), IssueQuery{Project: b.project.ID, States: issue.States, Order: ByEvents, Limit: 100})
	total := int64(0)
	for _, is := range list {
		total += is.Events
	}
	if err != nil || len(list) != 7 || total != 160 {
		t.Errorf("%d issues with %d events, %v; want 7 and 160", len(list), total, err)
	}
	b.recounted()
}

func TestLeases_AreSharedEvenlyAndPassOnWhenTheyRunOut(t *testing.T) {
	b := open1(t, noon)
	second := uuid.New()
	take := func(who uuid.UUID, want int) []Lease {
		t.Helper()
		list, err := b.TakeLeases(t.Context(), who, time.Hour)
		if err != nil || len(list) != want {
			t.Fatalf("%d shards, %v; want %d", len(list), err, want)
		}
		return list
	}
	take(second, 0)
	first := take(b.owner, Shards/2) // lets go of what is beyond its share
	take(second, Shards/2)
	take(b.owner, Shards/2)
	if err := b.ReleaseLeases(t.Context(), second); err != nil {
		t.Fatal(err)
	}
	b.leases = take(b.owner, Shards)
	if b.leases[0].Epoch != first[0].Epoch {
		t.Error("a shard that stayed with its holder has another epoch")
	}
	b.store(occur{function: "tideAt", at: noon})
	f := b.filing()
	if _, err := b.db.Exec("UPDATE shard_lease SET until=1"); err != nil { // the holder slept too long
		t.Fatal(err)
	}
	if _, err := b.db.Exec("UPDATE filer SET until=1"); err != nil {
		t.Fatal(err)
	}
	take(uuid.New(), Shards)
	if _, err := b.File(t.Context(), f); !errors.Is(err, ErrLeaseLost) {
		t.Errorf("the former holder still files: %v", err)
	}
}

func TestAct_RegressesAndUndoes(t *testing.T) {
	b := open1(t, noon)
	b.file(occur{function: "tideAt", release: "4.1.0", at: noon})
	if _, err := b.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false); err != nil {
		t.Fatal(err)
	}
	who := Actor{Kind: "person", Name: "Maren Holt"}
	id := b.issue(1).ID
	act := func(a issue.Action) {
		t.Helper()
		if err := b.Act(t.Context(), id, a, "", who, 0); err != nil {
			t.Fatal(err)
		}
	}
	act(issue.Action{Verb: issue.Assign, To: "maren"})
	if is := b.issue(1); is.State != issue.Accepted || is.Owner != "Maren Holt" {
		t.Errorf("assigned: %+v", is.Standing)
	}
	act(fixedIn("4.2.0"))
	b.file(occur{function: "tideAt", release: "4.1.9", at: noon}, occur{function: "tideAt", release: "4.1.9", at: noon})
	if is := b.issue(1); is.State != issue.Fixed {
		t.Errorf("an older release: %s", is.State)
	}
	b.file(occur{function: "tideAt", release: "4.2.1", at: noon})
	if is := b.issue(1); is.State != issue.Regressed || is.Owner != "Maren Holt" {
		t.Errorf("a newer release: %+v", is.Standing)
	}
	var kinds []string
	list, err := b.History(t.Context(), id)
	for _, h := range list {
		kinds = append(kinds, h.Kind)
	}
	if got := strings.Join(kinds, " "); err != nil || got != "regressed expected fix assign first_seen" {
		t.Errorf("history = %s, %v", got, err)
	}
	act(issue.Action{Verb: issue.Dismiss})
	act(issue.Action{Verb: issue.Undo})
	if is := b.issue(1); is.State != issue.Regressed || is.FixedIn != "4.2.0" || is.Owner != "Maren Holt" {
		t.Errorf("undone: %+v", is.Standing)
	}
	act(issue.Action{Verb: issue.Undo}) // that it came back
	if is := b.issue(1); is.State != issue.Fixed {
		t.Errorf("undone once more: %+v", is.Standing)
	}
	act(issue.Action{Verb: issue.Undo}) // the fix
	act(issue.Action{Verb: issue.Undo}) // the assignment
	if is := b.issue(1); is.State != issue.New || is.Owner != "" {
		t.Errorf("all undone: %+v", is.Standing)
	}
	err = b.Act(t.Context(), id, issue.Action{Verb: issue.Undo}, "", who, 0)
	if f, ok := errors.AsType[*fault.Error](err); !ok || f.Code != fault.Conflict {
		t.Errorf("nothing to undo: %v", err)
	}
	err = b.Act(t.Context(), id, issue.Action{Verb: issue.Accept}, "", who, 1)
	if f, ok := errors.AsType[*fault.Error](err); !ok || f.Code != fault.Stale {
		t.Errorf("a stale version: %v", err)
	}
	b.recounted()
}

func TestIssues_PagesThroughEveryOrder(t *testing.T) {
	b := open1(t, noon)
	var list []occur
	for i := range 25 {
		for j := range 1 + i%4 {
			list = append(list, occur{function: fmt.Sprintf("f%d", i), user: fmt.Sprintf("p-%d", j%3), at: noon.Add(-time.Duration(i) * time.Hour)})
		}
	}
	b.file(list...)
	for order := range Orders {
		seen := map[int64]bool{}
		last := int64(1 << 62)
		q := IssueQuery{Project: b.project.ID, States: issue.States, Order: order, Limit: 4}
		for {
			page, next, err := b.Issues(t.Context(), q)
			if err != nil {
				t.Fatal(err)
			}
			for _, is := range page {
				if v := orderValue(is, order); v > last || seen[is.ID] {
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
	found, _, err := b.Issues(t.Context(), IssueQuery{Project: b.project.ID, States: issue.States, Order: ByImpact, Limit: 10, Text: "F7 tides"})
	if err != nil || len(found) != 1 || found[0].OriginFunction != "f7" {
		t.Errorf("search found %d, %v", len(found), err)
	}
	if none, _, err := b.Issues(t.Context(), IssueQuery{Project: b.project.ID, States: issue.States, Order: ByImpact, Limit: 10, Text: "%"}); err != nil || len(none) != 0 {
		t.Errorf("a percent sign found %d, %v", len(none), err)
	}
}

func TestEvents_PageInTheOrderOfFiling(t *testing.T) {
	b := open1(t, noon)
	for i := range 9 { // three variants of one issue, and another issue between
		b.file(occur{id: fmt.Sprint(i), function: "tideAt", at: noon.Add(-time.Duration(i*7%5) * time.Hour)}, occur{function: "drawWeek", at: noon})
		if i%3 == 2 {
			if _, err := b.db.Exec("INSERT INTO variant (project, grouping_version, hash, issue, fingerprint, provisional, parts) SELECT project, grouping_version, UNHEX(MD5(?)), issue, fingerprint, 0, parts FROM variant WHERE issue=1 LIMIT 1", i); err != nil {
				t.Fatal(err)
			}
			if _, err := b.db.Exec("UPDATE event SET variant=(SELECT MAX(id) FROM variant WHERE issue=1) WHERE variant=(SELECT MIN(id) FROM variant WHERE issue=1) AND filing>?", 2*i-4); err != nil {
				t.Fatal(err)
			}
		}
	}
	var got []string
	q := EventQuery{Project: b.project.ID, Issue: b.issue(1).ID, Limit: 2}
	for {
		page, next, err := b.Events(t.Context(), q)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range page {
			got = append(got, fmt.Sprint(e.Filing))
		}
		if q.Before = next; next == 0 {
			break
		}
	}
	if want := "17 15 13 11 9 7 5 3 1"; strings.Join(got, " ") != want {
		t.Errorf("filings %v, want %s", got, want)
	}
	all, _, err := b.Events(t.Context(), EventQuery{Project: b.project.ID, Limit: 100})
	if err != nil || len(all) != 18 || all[0].Filing != 18 {
		t.Errorf("%d events of the project, %v", len(all), err)
	}
	first, err := b.IssueEvent(t.Context(), b.project, b.issue(1).ID, "oldest")
	if err != nil || first.Filing != 1 {
		t.Fatalf("oldest: %+v, %v", first, err)
	}
	third, err := b.IssueEvent(t.Context(), b.project, b.issue(1).ID, uuid.NewSHA1(uuid.Nil, []byte("2")).String())
	if err != nil {
		t.Fatal(err)
	}
	n, err := b.EventNeighbours(t.Context(), b.issue(1).ID, third)
	id := func(i string) uuid.UUID { return uuid.NewSHA1(uuid.Nil, []byte(i)) }
	if want := (Neighbours{Newest: id("8"), Newer: id("3"), Older: id("1"), Oldest: id("0"), Position: 7}); err != nil || n != want {
		t.Errorf("neighbours %+v, %v, want %+v", n, err, want)
	}
}

func TestPartitions_HoldEveryEvent(t *testing.T) {
	b := open1(t, noon)
	b.file(occur{function: "tideAt", at: noon}, occur{function: "tideAt", at: noon.Add(-29 * 24 * time.Hour)}, occur{function: "tideAt", at: noon.Add(23 * time.Hour)})
	var n int
	if err := b.db.QueryRow("SELECT COUNT(*) FROM event PARTITION (pmax)").Scan(&n); err != nil || n != 0 {
		t.Errorf("%d events found no day partition, %v", n, err)
	}
}

func TestEnsurePartitions_WorksSideBySide(t *testing.T) {
	b := open1(t, noon)
	b.now = noon.Add(5 * 24 * time.Hour)
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			if err := b.EnsurePartitions(context.Background()); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
}

func TestSignIn_WorksOnce(t *testing.T) {
	b := open1(t, noon)
	p, err := b.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false)
	if err != nil {
		t.Fatal(err)
	}
	link, err := b.NewSignInLink(t.Context(), p.ID, time.Minute)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := b.SignIn(t.Context(), link)
	if err != nil {
		t.Fatal(err)
	}
	if g, err := b.GrantOfSession(t.Context(), secret); err != nil || g.Person.Name != "Maren Holt" || g.Scope != ScopePerson {
		t.Errorf("session: %+v, %v", g, err)
	}
	if _, err := b.SignIn(t.Context(), link); err == nil {
		t.Error("a link works twice")
	}
	late, _ := b.NewSignInLink(t.Context(), p.ID, time.Minute)
	b.now = noon.Add(2 * time.Minute)
	if _, err := b.SignIn(t.Context(), late); err == nil {
		t.Error("a link works after its time")
	}
	if err := b.SignOut(t.Context(), secret); err != nil {
		t.Fatal(err)
	}
	if _, err := b.GrantOfSession(t.Context(), secret); err == nil {
		t.Error("a session outlives signing out")
	}
}

func TestOpen_MigratesOnceWhenSeveralStart(t *testing.T) {
	dsn := testdb.DSN(t)
	var wg sync.WaitGroup
	for range 3 {
		wg.Go(func() {
			s, err := Open(context.Background(), Options{DSN: dsn})
			if err != nil {
				t.Error(err)
				return
			}
			s.Close()
		})
	}
	wg.Wait()
}
