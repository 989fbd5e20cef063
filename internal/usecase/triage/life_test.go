package triage_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/retention"
)

func TestPark_WakesByProcessedEvents(t *testing.T) {
	for name, c := range map[string]struct {
		park    issue.Park
		sleeps  testbed.Event
		wakes   testbed.Event
		because string
	}{
		"events":      {issue.Park{Events: 5}, testbed.Event{Stands: 4, User: "p-1"}, testbed.Event{User: "p-1"}, "woken: 5 more events came since it was parked"},
		"users":       {issue.Park{Users: 1}, testbed.Event{Stands: 40, User: "p-1"}, testbed.Event{User: "p-2"}, "woken: 1 more user was hit since it was parked"},
		"rate":        {issue.Park{Doubled: true}, testbed.Event{Stands: 9, User: "p-1"}, testbed.Event{Stands: 4, User: "p-1"}, "woken: 13 events in 24 hours; a day brought 0.1 when it was parked"},
		"release":     {issue.Park{NextRelease: true}, testbed.Event{Release: "4.2.0"}, testbed.Event{Release: "4.2.1"}, "woken: seen in 4.2.1, a release after 4.2.0 (by semantic version)"},
		"environment": {issue.Park{NewEnvironment: true}, testbed.Event{Env: "production"}, testbed.Event{Env: "quay"}, "woken: seen in quay, where it was not seen before"},
	} {
		t.Run(name, func(t *testing.T) {
			b := testbed.Open(t, testbed.Noon)
			b.People()
			file := func(o testbed.Event) {
				b.Now = b.Now.Add(time.Minute)
				o.Function, o.At = "tideAt", b.Now
				if o.Release == "" {
					o.Release = "4.2.0"
				}
				b.File(o)
			}
			file(testbed.Event{User: "p-1", Env: "production"})
			b.Act(1, issue.Action{Verb: issue.Parking, Park: c.park})
			file(c.sleeps)
			b.State(1, issue.Parked)
			file(c.wakes)
			b.State(1, issue.New)
			if !b.InHistory(1, c.because) {
				list, _ := b.Issues.History(t.Context(), b.Issue(1).ID)
				t.Errorf("the history does not say %q, but %+v", c.because, list[0].Text)
			}
			if n := b.One("SELECT COUNT(*) FROM notice n JOIN person p ON p.id=n.person WHERE p.name='Maren Holt' AND n.kind='woken'"); n != 1 {
				t.Errorf("%d notices", n)
			}
			b.Act(1, issue.Action{Verb: issue.Undo})
			b.State(1, issue.Parked)
			b.Recounted()
		})
	}
}

func TestPark_WakesByTime(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.In("tideAt", "4.2.0")
	b.In("zoom", "4.2.0")
	for n := range int64(2) {
		b.Act(n+1, issue.Action{Verb: issue.Parking, Park: issue.Park{Until: b.Now.Add(time.Hour)}})
	}
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{2}, 1, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	if n, err := b.Status.WakeDue(t.Context()); n != 0 || err != nil {
		t.Fatalf("%d woke before their time, %v", n, err)
	}
	b.Now = b.Now.Add(time.Hour)
	if n, err := b.Status.WakeDue(t.Context()); n != 1 || err != nil {
		t.Fatalf("%d woke, %v", n, err)
	}
	b.State(1, issue.New)
	b.Followed()
	b.Recounted()
}

// What a merge brings is nothing that came since an issue was parked.
func TestPark_MovedEventsDoNotCount(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.In("tideAt", "4.2.0")
	b.File(testbed.Event{Function: "zoom", Release: "4.2.0", At: b.Now, Stands: 50, User: "p-9"})
	b.Act(1, issue.Action{Verb: issue.Parking, Park: issue.Park{Events: 10, Users: 1}})
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{2}, 1, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.In("tideAt", "4.2.0")
	b.State(1, issue.Parked)
}

func TestCountOnly_KeepsNoBodies(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.In("tideAt", "4.2.0")
	b.Act(1, issue.Action{Verb: issue.CountOnly})
	before := b.One("SELECT (SELECT COUNT(*) FROM event_body)+(SELECT COUNT(*) FROM newest_body)+(SELECT COUNT(*) FROM exemplar)")
	for i := range 3 {
		b.In("tideAt", fmt.Sprintf("4.2.%d", i+1))
	}
	if after := b.One("SELECT (SELECT COUNT(*) FROM event_body)+(SELECT COUNT(*) FROM newest_body)+(SELECT COUNT(*) FROM exemplar)"); after != before || b.Issue(1).Events != 4 {
		t.Errorf("%d bodies, %d before; %d events", after, before, b.Issue(1).Events)
	}
	b.State(1, issue.Dismissed)
	b.Act(1, issue.Action{Verb: issue.Undo})
	b.In("tideAt", "4.3.0")
	if after := b.One("SELECT COUNT(*) FROM event_body"); after != 2 {
		t.Errorf("%d bodies once it is undone", after)
	}
	b.Recounted()
}

func TestDelete_RemovesAllAndKeepsTheNumber(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ctx := t.Context()
	for range 3 {
		b.In("tideAt", "4.2.0")
	}
	b.In("zoom", "4.2.0")
	id := b.Issue(1).ID
	if d, err := b.Retention.WhatGoes(ctx, id); err != nil || d != (retention.Deletion{Events: 3, Bodies: 3, Users: 1}) {
		t.Errorf("what goes: %+v, %v", d, err)
	}
	if _, err := b.Retention.Delete(ctx, id, 2, testbed.Maren); testbed.Code(err) != problem.Stale {
		t.Errorf("confirmed with another number: %v", err)
	}
	if _, err := b.Retention.Delete(ctx, id, 3, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Recounted() // on the way
	if _, err := b.Issues.Issue(ctx, b.Project, 1); testbed.Code(err) != problem.NotFound || !strings.Contains(err.Error(), "deleted by Maren Holt") {
		t.Errorf("the number says %v", err)
	}
	if err := b.Triage.Act(ctx, id, issue.Action{Verb: issue.Accept}, "", testbed.Maren, 0); testbed.Code(err) != problem.NotFound {
		t.Errorf("decided about: %v", err)
	}
	if err := b.Moves.Merge(ctx, b.Project, []int64{2}, 1, testbed.Maren); testbed.Code(err) != problem.Conflict {
		t.Errorf("merged into: %v", err)
	}
	b.In("tideAt", "4.2.0") // comes again, as a new issue
	if is := b.Issue(3); is.Events != 1 || is.State != issue.New {
		t.Errorf("what comes afterwards: %+v", is)
	}
	for more := true; more; {
		var err error
		if more, err = b.Retention.EmptyNext(ctx, b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	for _, table := range []string{"event", "event_body", "exemplar", "variant", "issue_user", "issue_day"} {
		if n := b.One("SELECT COUNT(*) FROM " + table); n != 2 {
			t.Errorf("%d rows of %s, want those of the 2 events that stay", n, table)
		}
	}
	if n := b.One("SELECT COUNT(*) FROM issue WHERE emptied=1"); n != 1 {
		t.Errorf("%d issues are emptied", n)
	}
	b.Recounted()
}

// Fixed by a commit, pushed, released, come back: the history says each.
func TestFixByCommit_FromSayingItToComingBack(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.People()
	b.Push("", nil, "a", "b")
	b.Announce("4.1.0", testbed.Hash("b"))
	b.In("tideAt", "4.1.0")
	b.Act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixCommit, Commit: testbed.Hash("c")[:10]}})
	b.In("tideAt", "4.1.0")
	b.State(1, issue.Fixed)
	b.Push("b", nil, "c", "d")
	b.Announce("4.2.0", testbed.Hash("d")[:12])
	if is := b.Issue(1); is.FixedIn != "4.2.0" || is.Commit != testbed.Hash("c") {
		t.Errorf("the fix is in %q, by %q", is.FixedIn, is.Commit)
	}
	b.In("stepZoom", "4.2.0") // the last good release is one that was seen
	b.Push("d", nil, "e", "f")
	b.Announce("4.3.0", testbed.Hash("f"))
	b.In("tideAt", "4.3.0")
	b.State(1, issue.Regressed)
	list, err := b.Issues.History(t.Context(), b.Issue(1).ID)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for i := len(list) - 1; i >= 0; i-- {
		got = append(got, list[i].Text)
	}
	want := []string{
		"first seen in 4.1.0",
		"fixed by commit cccccccccc",
		"seen in 4.1.0; whether it contains the fix is unknown (commit cccccccccc was not pushed yet); it stays fixed by commit cccccccccc",
		"commit cccccccccc was pushed: change c, by Oke Farrow",
		"the fix is out in 4.2.0",
		"came back in 4.3.0, after it was fixed by commit cccccccccc, out in 4.2.0 (ffffffffff descends from cccccccccc, by commit); since 4.2.0, the last good release: 2 commits, dddddddddd to ffffffffff",
	}
	for i, w := range want {
		if i >= len(got) || got[i] != w {
			t.Fatalf("%d: %q, want %q", i, got[i:], w)
		}
	}
	if n := b.One("SELECT COUNT(*) FROM notice n JOIN person p ON p.id=n.person WHERE p.name='Maren Holt' AND n.kind IN ('released','regressed')"); n != 2 {
		t.Errorf("%d notices for who fixed it", n)
	}
	if got := b.Versions(); got != "4.3.0 4.2.0 4.1.0" {
		t.Errorf("releases: %s", got)
	}
}

func TestTrailers_FixIssuesOfTheirOwnProjectAlone(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.People()
	if _, _, err := b.Projects.CreateProject(t.Context(), projects.NewProject{Name: "gangway", KeepDays: 30}); err != nil {
		t.Fatal(err)
	}
	b.In("tideAt", "4.1.0")
	b.In("zoom", "4.1.0")
	told := b.Push("", map[string]string{"a": "Firethorn-Fixes: quayside/1", "b": "Firethorn-Fixes: gangway/1, 77\nFirethorn-Fixes: <b>"}, "a", "b", "c")
	text := strings.Join(told, "\n")
	for _, want := range []string{"commit aaaaaaaaaa says it fixes quayside/1: done", "fixes gangway/1, which is an issue of another project: nothing was changed", "fixes quayside/77: there is no issue quayside/77", `says it fixes "<b>", which names no issue`} {
		if !strings.Contains(text, want) {
			t.Errorf("it does not say %q, but\n%s", want, text)
		}
	}
	b.State(1, issue.Fixed)
	b.State(2, issue.New)
	if is := b.Issue(1); is.FixedBy != "Oke Farrow" || is.Kind != issue.FixCommit {
		t.Errorf("fixed by %q, %s", is.FixedBy, is.Kind)
	}
	b.Act(1, issue.Action{Verb: issue.Reopen})
	b.Push("", map[string]string{"a": "Firethorn-Fixes: quayside/1"}, "a") // sent again
	b.State(1, issue.Accepted)
}

func TestFixInNext_GetsItsRelease(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.In("tideAt", "4.1.0")
	b.Act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNext}})
	b.In("zoom", "4.0.9") // an older line goes on
	if is := b.Issue(1); is.FixedIn != "" || is.After != "4.1.0" {
		t.Errorf("%+v", is.Fix)
	}
	b.In("zoom", "4.1.1") // heard of by an event of another issue
	if is := b.Issue(1); is.FixedIn != "4.1.1" || !b.InHistory(1, "the fix is out in 4.1.1, the next release after 4.1.0") {
		t.Errorf("%+v", is.Fix)
	}
	b.In("tideAt", "4.1.1")
	b.State(1, issue.Regressed)
}

// What was deleted cannot be brought back by taking a regrouping back.
func TestDelete_StandsInTheWayOfARegroupingsUndo(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.In("tideAt", "4.2.0")
	b.In("zoom", "4.2.0")
	b.Rule("grouping: [{name: one, when: 'true', replace: all}]")
	b.Regroup()
	b.Followed()
	var left *issues.Issue
	for n := range int64(4) {
		if is, err := b.Issues.Issue(t.Context(), b.Project, n+1); err == nil {
			left = is
		}
	}
	if _, err := b.Retention.Delete(t.Context(), left.ID, left.Events, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Again()
	if _, err := b.Regrouping.UndoRegroup(t.Context(), b.Project, testbed.Oke); testbed.Code(err) != problem.Conflict || !strings.Contains(err.Error(), "was deleted since") {
		t.Errorf("it is taken back: %v", err)
	}
	b.Recounted()
}
