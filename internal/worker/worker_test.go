package worker

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/issue"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/testdb"
	"firethorn/internal/upkeep"
)

func TestMain(m *testing.M) { testdb.Main(m) }

type bench struct {
	*records.Records
	project *projects.Project
	w       *Worker
}

func prepare(t *testing.T) *bench {
	t.Helper()
	store, err := records.Open(t.Context(), records.Options{DSN: testdb.DSN(t)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { store.Close() })
	p, _, err := store.Projects.CreateProject(t.Context(), projects.NewProject{Name: "quayside", KeepDays: 7})
	if err != nil {
		t.Fatal(err)
	}
	return &bench{store, p, New(Needs{Queue: store.Inbox, Projects: store.Projects, Batches: store.Ingest, Grouping: store.Regrouping,
		Symbols: store.Symbols, Units: pipeline.NewUnits(store.Symbols, 1<<20), Log: slog.New(slog.DiscardHandler), Owner: uuid.New()})}
}

// jobs runs the background jobs beside the worker.
func (b *bench) jobs() func(context.Context, uuid.UUID) {
	return upkeep.New(b.w, upkeep.Options{Store: b.Records, Units: b.w.Units, Log: b.w.Log, Silence: time.Hour}).Run
}

func (b *bench) put(t *testing.T, events ...string) {
	t.Helper()
	batch := &pipeline.Batch{Received: time.Now().UTC()}
	for _, e := range events {
		batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, json.RawMessage(e))
	}
	if err := b.Inbox.Append(t.Context(), b.project.ID, batch); err != nil {
		t.Fatal(err)
	}
}

// run lets the worker work until the inbox is empty.
func (b *bench) run(t *testing.T) {
	t.Helper()
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- b.w.Run(ctx, b.jobs()) }()
	for until := time.Now().Add(30 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		st, err := b.Overview.Inbox(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if st.Rows == 0 {
			break
		}
		if time.Now().After(until) {
			t.Fatalf("%+v waits", st)
		}
	}
	stop()
	if err := <-done; err != nil {
		t.Fatal(err)
	}
}

func (b *bench) counts(t *testing.T) (filed, failed int64) {
	t.Helper()
	totals, err := b.Projects.Totals(t.Context(), b.project.ID)
	if err != nil {
		t.Fatal(err)
	}
	st, err := b.Overview.Inbox(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return totals.Events, st.Failed
}

func TestRun_FailsABadEventAndProcessesItsNeighbours(t *testing.T) {
	b := prepare(t)
	b.put(t, `{"message":"one"}`, `{"exceptions":"no list","message":"bad"}`, `{"message":"two"}`)
	b.put(t, `{"message":"three"}`)
	b.run(t)
	if filed, failed := b.counts(t); filed != 3 || failed != 1 {
		t.Errorf("%d filed, %d set aside; want 3 and 1", filed, failed)
	}
}

func TestRun_FilesManyProjectsAndLargeBatches(t *testing.T) {
	b := prepare(t)
	var list []string
	for i := range 700 {
		list = append(list, `{"exceptions":[{"type":"E`+strings.Repeat("x", i%9)+`"}],"attributes":{"user.id":"p-`+strings.Repeat("u", i%31)+`"}}`)
	}
	b.put(t, list...)
	b.run(t)
	if filed, _ := b.counts(t); filed != 700 {
		t.Errorf("%d filed, want 700", filed)
	}
	if diff, _, err := b.Retention.Recount(t.Context()); err != nil || len(diff) > 0 {
		t.Errorf("recount: %+v, %v", diff, err)
	}
}

// An event that ended the process every time it was claimed is marked as failed
// untried; its neighbours are processed.
func TestRun_FailsEventsThatEndTheProcess(t *testing.T) {
	b := prepare(t)
	b.put(t, `{"message":"one"}`, `{"message":"deadly"}`, `{"message":"two"}`)
	leases, err := b.Inbox.TakeLeases(t.Context(), b.w.Owner, time.Minute)
	if err != nil {
		t.Fatal(err)
	}
	lease := leases[inbox.ShardOf(b.project.ID)]
	for range maxDeaths { // each of these represents a process that ends with the event claimed
		c, err := b.Inbox.Claim(t.Context(), lease, b.project.ID, false)
		if err != nil {
			t.Fatal(err)
		}
		if err := b.Inbox.Suspect(t.Context(), c, c.Deliveries[0].Batches[0].IDs[1]); err != nil {
			t.Fatal(err)
		}
	}
	b.run(t)
	list, err := b.Inbox.FailedEvents(t.Context(), b.project.ID, 10)
	if err != nil || len(list) != 1 || !strings.Contains(list[0].Why, "the service ended 3 times") {
		t.Fatalf("%+v, %v", list, err)
	}
	if filed, _ := b.counts(t); filed != 2 {
		t.Errorf("%d filed, want 2", filed)
	}
	if _, err := b.Inbox.Retry(t.Context(), list[0].ID); err != nil {
		t.Fatal(err)
	}
	b.run(t)
	if filed, failed := b.counts(t); filed != 3 || failed != 0 {
		t.Errorf("after the retry: %d filed, %d set aside", filed, failed)
	}
}

func TestRun_LetsProjectsTakeTurns(t *testing.T) {
	b := prepare(t)
	small, _, err := b.Projects.CreateProject(t.Context(), projects.NewProject{Name: "gangway", KeepDays: 7})
	if err != nil {
		t.Fatal(err)
	}
	var list []string
	for range 200 {
		list = append(list, `{"message":"flood"}`)
	}
	for range 25 {
		b.put(t, list...)
	}
	b.project = small
	b.put(t, `{"message":"a single one"}`)
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- b.w.Run(ctx, b.jobs()) }()
	for until := time.Now().Add(20 * time.Second); ; time.Sleep(5 * time.Millisecond) {
		if totals, err := b.Projects.Totals(t.Context(), small.ID); err == nil && totals.Events == 1 {
			break
		}
		if time.Now().After(until) {
			t.Fatal("the single event is not filed")
		}
	}
	st, err := b.Overview.Inbox(t.Context())
	if err != nil || st.Events == 0 {
		t.Errorf("it was filed after the flood: %+v, %v", st, err)
	}
	stop()
	if err := <-done; err != nil {
		t.Fatal(err)
	}
}

func TestRun_GoesOnWithOthersWhenAProjectFails(t *testing.T) {
	b := prepare(t)
	// Rows of a project that is gone cannot be processed; they stay where they are.
	if err := b.Inbox.Append(t.Context(), 4711, &pipeline.Batch{Received: time.Now(), IDs: []uuid.UUID{uuid.New()}, Events: []json.RawMessage{json.RawMessage(`{"message":"m"}`)}}); err != nil {
		t.Fatal(err)
	}
	b.put(t, `{"message":"one"}`)
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- b.w.Run(ctx, b.jobs()) }()
	for until := time.Now().Add(30 * time.Second); time.Now().Before(until); time.Sleep(10 * time.Millisecond) {
		if totals, err := b.Projects.Totals(t.Context(), b.project.ID); err == nil && totals.Events == 1 {
			break
		}
	}
	stop()
	<-done
	if filed, _ := b.counts(t); filed != 1 {
		t.Errorf("%d filed, want 1", filed)
	}
	if st, err := b.Overview.Inbox(t.Context()); err != nil || st.Events != 1 {
		t.Errorf("the other project's event: %+v, %v", st, err)
	}
}

func TestRun_FollowsMovesAndForgetsUsers(t *testing.T) {
	b := prepare(t)
	b.put(t, `{"exceptions":[{"type":"A"}],"attributes":{"user.id":"p-1"}}`, `{"exceptions":[{"type":"B"}],"attributes":{"user.id":"p-1"}}`)
	b.run(t)
	if err := b.Moves.Merge(t.Context(), b.project, []int64{2}, 1, accounts.Actor{Kind: "person", Name: "Maren Holt"}); err != nil {
		t.Fatal(err)
	}
	e, err := b.Retention.Erase(t.Context(), b.project, "p-1", "Maren Holt")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- b.w.Run(ctx, b.jobs()) }()
	for until := time.Now().Add(30 * time.Second); time.Now().Before(until); time.Sleep(10 * time.Millisecond) {
		st, err := b.Retention.ErasureState(t.Context(), b.project.ID, e.ID)
		is, err2 := b.Issues.Issue(t.Context(), b.project, 2)
		if err == nil && err2 == nil && st.Done && !is.Recounting {
			break
		}
	}
	stop()
	<-done
	is, err := b.Issues.Issue(t.Context(), b.project, 2)
	if err != nil || is.Number != 1 || is.Events != 2 || is.Users != 1 || is.Recounting || is.Bodies != 0 {
		t.Errorf("%+v, %v", is, err)
	}
	if diff, _, err := b.Retention.Recount(t.Context()); err != nil || len(diff) > 0 {
		t.Errorf("recount: %+v, %v", diff, err)
	}
}

func TestRun_LetsGoOfItsShards(t *testing.T) {
	b := prepare(t)
	b.put(t, `{"message":"one"}`)
	b.run(t)
	leases, err := b.Inbox.TakeLeases(t.Context(), uuid.New(), time.Minute)
	if err != nil || len(leases) != inbox.Shards {
		t.Errorf("after it ended another gets %d shards, %v", len(leases), err)
	}
}

func TestProcess_TurnsAPanicIntoAnError(t *testing.T) {
	_, err := process(t.Context(), pipeline.Project{}, &pipeline.Batch{IDs: []uuid.UUID{{}}, Events: []json.RawMessage{json.RawMessage(`{"exceptions":[{"type":"E","frames":[{"file":"https://a.example/a.js","line":1}]}]}`)}}, 0, nil)
	if err == nil || !strings.Contains(err.Error(), "the pipeline failed on this event") {
		t.Errorf("process = %v", err)
	}
}

func (b *bench) pushRules(t *testing.T, text string) {
	t.Helper()
	if _, err := b.Projects.PushRules(t.Context(), b.project.ID, text, "", -1, accounts.Actor{Kind: "token", Name: "build"}); err != nil {
		t.Fatal(err)
	}
}

func (b *bench) received(t *testing.T, cause, rule string) (n int64) {
	t.Helper()
	rows, err := b.Inbox.Received(t.Context(), b.project.ID, time.Now().Add(-2*time.Hour), time.Now().Add(2*time.Hour))
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range rows {
		if r.Cause == cause && r.Rule == rule {
			n += r.Events
		}
	}
	return n
}

func TestWorker_DropsByRule(t *testing.T) {
	b := prepare(t)
	b.pushRules(t, "intake:\n- {name: crawlers, when: 'crawler(attr(\"user_agent.original\"))', do: drop}\n")
	b.put(t, `{"message":"a","attributes":{"user_agent.original":"Tidebot/1"}}`, `{"message":"b"}`, `{"message":"c","attributes":{"user_agent.original":"Tidebot/1"}}`)
	b.run(t)
	if filed, failed := b.counts(t); filed != 1 || failed != 0 {
		t.Errorf("%d filed, %d set aside", filed, failed)
	}
	if n := b.received(t, inbox.CauseDropped, "crawlers"); n != 2 {
		t.Errorf("%d dropped", n)
	}
}

// A bad event makes the batch be processed one by one: what rules drop is still
// dropped, and counted once.
func TestWorker_DropsByRuleOneByOne(t *testing.T) {
	b := prepare(t)
	b.pushRules(t, "intake:\n- {name: all a, when: 'message == \"a\"', do: drop}\n")
	b.put(t, `{"message":"a"}`, `{"message":["no text"]}`, `{"message":"b"}`)
	b.run(t)
	if filed, failed := b.counts(t); filed != 1 || failed != 1 || b.received(t, inbox.CauseDropped, "all a") != 1 {
		t.Errorf("%d filed, %d set aside, %d dropped", filed, failed, b.received(t, inbox.CauseDropped, "all a"))
	}
}

func TestWorker_SwitchesOffWhatCostsTooMuch(t *testing.T) {
	b := prepare(t)
	b.pushRules(t, "intake:\n- {name: dear, when: 'breadcrumbs.exists(a, breadcrumbs.exists(b, breadcrumbs.exists(c, a.message + b.message == c.message)))', do: drop}\n- {name: no c, when: 'message == \"c\"', do: drop}\n")
	crumbs := `"breadcrumbs":[` + strings.TrimSuffix(strings.Repeat(`{"message":"/day/366"},`, 100), ",") + `]`
	var events []string
	for range 30 {
		events = append(events, `{"message":"many",`+crumbs+`}`)
	}
	b.put(t, events...)
	b.run(t)
	p, err := b.Projects.ProjectByID(t.Context(), b.project.ID)
	if err != nil || !p.Off["dear"] || len(p.Off) != 1 {
		t.Fatalf("off: %v, %v", p.Off, err)
	}
	stopped := b.received(t, inbox.CauseCostly, "dear")
	b.put(t, append(events, `{"message":"c"}`)...)
	b.run(t)
	if filed, _ := b.counts(t); filed != 60 || b.received(t, inbox.CauseDropped, "no c") != 1 {
		t.Errorf("%d filed, %d dropped by the rule below", filed, b.received(t, inbox.CauseDropped, "no c"))
	}
	if now := b.received(t, inbox.CauseCostly, "dear"); stopped != 30 || now != stopped {
		t.Errorf("stopped for %d events, then for %d", stopped, now)
	}
}

// A grouping rule that costs too much, fails, or finds nothing to fill in is
// counted under its name, and no event is lost to it.
func TestWorker_GroupingRulesThatCannotAnswerLoseNothing(t *testing.T) {
	b := prepare(t)
	b.pushRules(t, `grouping:
- {name: dear, when: 'breadcrumbs.exists(a, breadcrumbs.exists(b, breadcrumbs.exists(c, a.message + b.message == c.message)))', extend: x}
- {name: fails, when: 'attributes["tide"] == 1', extend: x}
- {name: empty, when: 'true', replace: '${no.such}${none}'}
- {name: last, when: 'true', extend: '${message.shape()}', headline: 'Day ${attr("day")}'}
`)
	crumbs := `"breadcrumbs":[` + strings.TrimSuffix(strings.Repeat(`{"message":"/day/366"},`, 100), ",") + `]`
	var events []string
	for i := range 30 {
		events = append(events, fmt.Sprintf(`{"message":"no tide on day %d","attributes":{"day":"%d"},%s}`, i, i%2, crumbs))
	}
	b.put(t, events...)
	b.run(t)
	p, err := b.Projects.ProjectByID(t.Context(), b.project.ID)
	if err != nil || !p.Off["dear"] || len(p.Off) != 1 {
		t.Fatalf("off: %v, %v", p.Off, err)
	}
	off, err := b.Projects.RulesOff(t.Context(), p.ID, p.RulesVersion)
	if err != nil || len(off) != 1 || off[0].Section != "grouping" {
		t.Errorf("off: %+v, %v", off, err)
	}
	if filed, failed := b.counts(t); filed != 30 || failed != 0 {
		t.Errorf("%d filed, %d set aside", filed, failed)
	}
	for cause, rule := range map[string]string{inbox.CauseCostly: "dear", inbox.CauseConditionFailed: "fails", inbox.CauseEmpty: "empty"} {
		if n := b.received(t, cause, rule); n != 30 {
			t.Errorf("%s counts %d for %s", rule, n, cause)
		}
	}
	list, _, err := b.Issues.Issues(t.Context(), issues.IssueQuery{Project: p.ID, Limit: 10, Order: issues.ByNewest, States: []issue.State{issue.New}})
	if err != nil || len(list) != 1 || !strings.HasPrefix(list[0].Headline, "Day ") || list[0].Events != 30 {
		t.Errorf("%d issues, %v", len(list), err)
	}
}
