package mariadb

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
)

func (b *bench) act(number int64, a issue.Action) {
	b.t.Helper()
	if err := b.Act(b.t.Context(), b.issue(number).ID, a, "", maren, 0); err != nil {
		b.t.Fatal(err)
	}
}

func (b *bench) state(number int64, want issue.State) {
	b.t.Helper()
	if st := b.issue(number).State; st != want {
		b.t.Errorf("issue %d is %s, want %s", number, st, want)
	}
}

// people adds who is told of things.
func (b *bench) people() (marenID, okeID int64) {
	b.t.Helper()
	var ids [2]int64
	for i, a := range []Actor{maren, oke} {
		p, err := b.AddPerson(b.t.Context(), a.Name, strings.ToLower(strings.Fields(a.Name)[0])+"@marrowsound.example", false)
		if err != nil {
			b.t.Fatal(err)
		}
		ids[i] = p.ID
	}
	return ids[0], ids[1]
}

func TestPark_WakesByWhatIsFiled(t *testing.T) {
	for name, c := range map[string]struct {
		park    issue.Park
		sleeps  occur
		wakes   occur
		because string
	}{
		"events":      {issue.Park{Events: 5}, occur{stands: 4, user: "p-1"}, occur{user: "p-1"}, "woken: 5 more events came since it was parked"},
		"users":       {issue.Park{Users: 1}, occur{stands: 40, user: "p-1"}, occur{user: "p-2"}, "woken: 1 more user was hit since it was parked"},
		"rate":        {issue.Park{Doubled: true}, occur{stands: 9, user: "p-1"}, occur{stands: 4, user: "p-1"}, "woken: 13 events in 24 hours; a day brought 0.1 when it was parked"},
		"release":     {issue.Park{NextRelease: true}, occur{release: "4.2.0"}, occur{release: "4.2.1"}, "woken: seen in 4.2.1, a release after 4.2.0 (by semantic version)"},
		"environment": {issue.Park{NewEnvironment: true}, occur{env: "production"}, occur{env: "quay"}, "woken: seen in quay, where it was not seen before"},
	} {
		t.Run(name, func(t *testing.T) {
			b := open1(t, noon)
			b.people()
			file := func(o occur) {
				b.now = b.now.Add(time.Minute)
				o.function, o.at = "tideAt", b.now
				if o.release == "" {
					o.release = "4.2.0"
				}
				b.file(o)
			}
			file(occur{user: "p-1", env: "production"})
			b.act(1, issue.Action{Verb: issue.Parking, Park: c.park})
			file(c.sleeps)
			b.state(1, issue.Parked)
			file(c.wakes)
			b.state(1, issue.New)
			if !b.said(1, c.because) {
				list, _ := b.History(t.Context(), b.issue(1).ID)
				t.Errorf("the history does not say %q, but %+v", c.because, list[0].Words)
			}
			if n := b.one("SELECT COUNT(*) FROM notice n JOIN person p ON p.id=n.person WHERE p.name='Maren Holt' AND n.kind='woken'"); n != 1 {
				t.Errorf("%d notices", n)
			}
			b.act(1, issue.Action{Verb: issue.Undo})
			b.state(1, issue.Parked)
			b.recounted()
		})
	}
}

func TestPark_WakesByTime(t *testing.T) {
	b := open1(t, noon)
	b.in("tideAt", "4.2.0")
	b.in("zoom", "4.2.0")
	for n := range int64(2) {
		b.act(n+1, issue.Action{Verb: issue.Parking, Park: issue.Park{Until: b.now.Add(time.Hour)}})
	}
	if err := b.Merge(t.Context(), b.project, []int64{2}, 1, maren); err != nil {
		t.Fatal(err)
	}
	if n, err := b.WakeDue(t.Context()); n != 0 || err != nil {
		t.Fatalf("%d woke before their time, %v", n, err)
	}
	b.now = b.now.Add(time.Hour)
	if n, err := b.WakeDue(t.Context()); n != 1 || err != nil {
		t.Fatalf("%d woke, %v", n, err)
	}
	b.state(1, issue.New)
	b.followed()
	b.recounted()
}

// What a merge brings is nothing that came since an issue was parked.
func TestPark_MovedEventsDoNotCount(t *testing.T) {
	b := open1(t, noon)
	b.in("tideAt", "4.2.0")
	b.file(occur{function: "zoom", release: "4.2.0", at: b.now, stands: 50, user: "p-9"})
	b.act(1, issue.Action{Verb: issue.Parking, Park: issue.Park{Events: 10, Users: 1}})
	if err := b.Merge(t.Context(), b.project, []int64{2}, 1, maren); err != nil {
		t.Fatal(err)
	}
	b.in("tideAt", "4.2.0")
	b.state(1, issue.Parked)
}

func TestCountOnly_KeepsNoBodies(t *testing.T) {
	b := open1(t, noon)
	b.in("tideAt", "4.2.0")
	b.act(1, issue.Action{Verb: issue.CountOnly})
	before := b.one("SELECT (SELECT COUNT(*) FROM event_body)+(SELECT COUNT(*) FROM newest_body)+(SELECT COUNT(*) FROM exemplar)")
	for i := range 3 {
		b.in("tideAt", fmt.Sprintf("4.2.%d", i+1))
	}
	if after := b.one("SELECT (SELECT COUNT(*) FROM event_body)+(SELECT COUNT(*) FROM newest_body)+(SELECT COUNT(*) FROM exemplar)"); after != before || b.issue(1).Events != 4 {
		t.Errorf("%d bodies, %d before; %d events", after, before, b.issue(1).Events)
	}
	b.state(1, issue.Dismissed)
	b.act(1, issue.Action{Verb: issue.Undo})
	b.in("tideAt", "4.3.0")
	if after := b.one("SELECT COUNT(*) FROM event_body"); after != 2 {
		t.Errorf("%d bodies once it is undone", after)
	}
	b.recounted()
}

func TestDelete_RemovesAllAndKeepsTheNumber(t *testing.T) {
	b := open1(t, noon)
	ctx := t.Context()
	for range 3 {
		b.in("tideAt", "4.2.0")
	}
	b.in("zoom", "4.2.0")
	id := b.issue(1).ID
	if d, err := b.WhatGoes(ctx, id); err != nil || d != (Deletion{Events: 3, Bodies: 3, Users: 1}) {
		t.Errorf("what goes: %+v, %v", d, err)
	}
	if _, err := b.Delete(ctx, id, 2, maren); code(err) != fault.Stale {
		t.Errorf("confirmed with another number: %v", err)
	}
	if _, err := b.Delete(ctx, id, 3, maren); err != nil {
		t.Fatal(err)
	}
	b.recounted() // on the way
	if _, err := b.Issue(ctx, b.project, 1); code(err) != fault.NotFound || !strings.Contains(err.Error(), "deleted by Maren Holt") {
		t.Errorf("the number says %v", err)
	}
	if err := b.Act(ctx, id, issue.Action{Verb: issue.Accept}, "", maren, 0); code(err) != fault.NotFound {
		t.Errorf("decided about: %v", err)
	}
	if err := b.Merge(ctx, b.project, []int64{2}, 1, maren); code(err) != fault.Conflict {
		t.Errorf("merged into: %v", err)
	}
	b.in("tideAt", "4.2.0") // comes again, as a new issue
	if is := b.issue(3); is.Events != 1 || is.State != issue.New {
		t.Errorf("what comes afterwards: %+v", is)
	}
	for more := true; more; {
		var err error
		if more, err = b.EmptyNext(ctx, b.project.ID); err != nil {
			t.Fatal(err)
		}
	}
	for _, table := range []string{"event", "event_body", "exemplar", "variant", "issue_user", "issue_day"} {
		if n := b.one("SELECT COUNT(*) FROM " + table); n != 2 {
			t.Errorf("%d rows of %s, want those of the 2 events that stay", n, table)
		}
	}
	if n := b.one("SELECT COUNT(*) FROM issue WHERE emptied=1"); n != 1 {
		t.Errorf("%d issues are emptied", n)
	}
	b.recounted()
}

// hash makes a commit's hash of a letter.
func hash(letter string) string { return strings.Repeat(letter, 40) }

// push adds a line of commits, the oldest first, the first on top of another.
func (b *bench) push(on string, messages map[string]string, letters ...string) []string {
	b.t.Helper()
	var list []commits.Commit
	var closing []Closing
	for i, l := range letters {
		c := commits.Commit{Hash: hash(l), Author: "Oke Farrow", Email: "oke@marrowsound.example", Committed: noon.Add(time.Duration(i) * time.Minute), Authored: noon, Subject: "change " + l, Files: 1, Patch: hash(l)}
		if on != "" {
			c.Parents = []string{hash(on)}
		}
		on = l
		list = append(list, c)
		if m := messages[l]; m != "" {
			fixes, bad := commits.Trailers("change\n\n"+m, b.project.Name)
			c.Fixes = fixes
			closing = append(closing, Closing{c, bad})
		}
	}
	if err := b.AddCommits(b.t.Context(), b.project.ID, list); err != nil {
		b.t.Fatal(err)
	}
	told, err := b.CommitsCame(b.t.Context(), b.project, closing, Actor{Kind: "token", Name: "build"})
	if err != nil {
		b.t.Fatal(err)
	}
	return told
}

func (b *bench) announce(version, commit string) {
	b.t.Helper()
	b.now = b.now.Add(time.Hour)
	if _, err := b.Announce(b.t.Context(), b.project, version, commit, maren); err != nil {
		b.t.Fatal(err)
	}
}

// Fixed by a commit, pushed, released, come back: the history says each.
func TestFixByCommit_FromSayingItToComingBack(t *testing.T) {
	b := open1(t, noon)
	b.people()
	b.push("", nil, "a", "b")
	b.announce("4.1.0", hash("b"))
	b.in("tideAt", "4.1.0")
	b.act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixCommit, Commit: hash("c")[:10]}})
	b.in("tideAt", "4.1.0")
	b.state(1, issue.Fixed)
	b.push("b", nil, "c", "d")
	b.announce("4.2.0", hash("d")[:12])
	if is := b.issue(1); is.FixedIn != "4.2.0" || is.Commit != hash("c") {
		t.Errorf("the fix is in %q, by %q", is.FixedIn, is.Commit)
	}
	b.in("stepZoom", "4.2.0") // the last good release is one that was seen
	b.push("d", nil, "e", "f")
	b.announce("4.3.0", hash("f"))
	b.in("tideAt", "4.3.0")
	b.state(1, issue.Regressed)
	list, err := b.History(t.Context(), b.issue(1).ID)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for i := len(list) - 1; i >= 0; i-- {
		got = append(got, list[i].Words)
	}
	want := []string{
		"first seen in 4.1.0",
		"fixed by commit cccccccccc",
		"seen in 4.1.0; whether that contains the fix cannot be told (commit cccccccccc was not pushed yet); it stays fixed by commit cccccccccc",
		"commit cccccccccc was pushed: change c, by Oke Farrow",
		"the fix is out in 4.2.0",
		"came back in 4.3.0, after it was fixed by commit cccccccccc, out in 4.2.0 (ffffffffff descends from cccccccccc, by commit); since 4.2.0, the last good release: 2 commits, dddddddddd to ffffffffff",
	}
	for i, w := range want {
		if i >= len(got) || got[i] != w {
			t.Fatalf("%d: %q, want %q", i, got[i:], w)
		}
	}
	if n := b.one("SELECT COUNT(*) FROM notice n JOIN person p ON p.id=n.person WHERE p.name='Maren Holt' AND n.kind IN ('released','regressed')"); n != 2 {
		t.Errorf("%d notices for who fixed it", n)
	}
	if got := b.versions(); got != "4.3.0 4.2.0 4.1.0" {
		t.Errorf("releases: %s", got)
	}
}

func TestTrailers_FixIssuesOfTheirOwnProjectAlone(t *testing.T) {
	b := open1(t, noon)
	b.people()
	if _, _, err := b.CreateProject(t.Context(), "gangway", 30); err != nil {
		t.Fatal(err)
	}
	b.in("tideAt", "4.1.0")
	b.in("zoom", "4.1.0")
	told := b.push("", map[string]string{"a": "Firethorn-Fixes: quayside/1", "b": "Firethorn-Fixes: gangway/1, 77\nFirethorn-Fixes: <b>"}, "a", "b", "c")
	text := strings.Join(told, "\n")
	for _, want := range []string{"commit aaaaaaaaaa says it fixes quayside/1: done", "fixes gangway/1, which is an issue of another project: nothing was changed", "fixes quayside/77: there is no issue quayside/77", `says it fixes "<b>", which names no issue`} {
		if !strings.Contains(text, want) {
			t.Errorf("it does not say %q, but\n%s", want, text)
		}
	}
	b.state(1, issue.Fixed)
	b.state(2, issue.New)
	if is := b.issue(1); is.FixedBy != "Oke Farrow" || is.Kind != issue.FixCommit {
		t.Errorf("fixed by %q, %s", is.FixedBy, is.Kind)
	}
	b.act(1, issue.Action{Verb: issue.Reopen})
	b.push("", map[string]string{"a": "Firethorn-Fixes: quayside/1"}, "a") // sent again
	b.state(1, issue.Accepted)
}

func TestFixInNext_GetsItsRelease(t *testing.T) {
	b := open1(t, noon)
	b.in("tideAt", "4.1.0")
	b.act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNext}})
	b.in("zoom", "4.0.9") // an older line goes on
	if is := b.issue(1); is.FixedIn != "" || is.After != "4.1.0" {
		t.Errorf("%+v", is.Fix)
	}
	b.in("zoom", "4.1.1") // heard of by an event of another issue
	if is := b.issue(1); is.FixedIn != "4.1.1" || !b.said(1, "the fix is out in 4.1.1, the next release after 4.1.0") {
		t.Errorf("%+v", is.Fix)
	}
	b.in("tideAt", "4.1.1")
	b.state(1, issue.Regressed)
}

// What was deleted cannot be brought back by taking a regrouping back.
func TestDelete_StandsInTheWayOfARegroupingsUndo(t *testing.T) {
	b := open1(t, noon)
	b.in("tideAt", "4.2.0")
	b.in("zoom", "4.2.0")
	b.rule("grouping: [{name: one, when: 'true', replace: all}]")
	b.regroup()
	b.followed()
	var left *Issue
	for n := range int64(4) {
		if is, err := b.Issue(t.Context(), b.project, n+1); err == nil {
			left = is
		}
	}
	if _, err := b.Delete(t.Context(), left.ID, left.Events, maren); err != nil {
		t.Fatal(err)
	}
	b.again()
	if _, err := b.UndoRegroup(t.Context(), b.project, oke); code(err) != fault.Conflict || !strings.Contains(err.Error(), "was deleted since") {
		t.Errorf("it is taken back: %v", err)
	}
	b.recounted()
}
