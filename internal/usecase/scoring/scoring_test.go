package scoring_test

import (
	"fmt"
	"testing"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/surge"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
)

func TestImpact_IsKeptCurrent(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	inputs := func() {
		t.Helper()
		if err := b.Scoring.RefreshInputs(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	var many []testbed.Event
	for i := range 60 {
		many = append(many, testbed.Event{Function: "tideAt", User: fmt.Sprint("p-", i), Release: "4.1.0", At: testbed.Noon})
	}
	b.File(append(many, testbed.Event{Function: "getJSON", User: "p-1", Release: "4.1.0", At: testbed.Noon.Add(-10 * 24 * time.Hour)})...)
	b.Current("filed")
	if p := b.Part(1, "newest"); p.Points != 0 {
		t.Errorf("before the newest release is known: %+v", p)
	}
	inputs()
	b.Current("once users were counted")
	if p := b.Part(1, "share"); p.Text != "100 % of 60 active users" || p.Points != p.Max {
		t.Errorf("share: %+v", p)
	}
	if p := b.Part(1, "newest"); p.Points != p.Max {
		t.Errorf("newest: %+v", p)
	}
	b.File(testbed.Event{Function: "placeBerths", User: "p-9", Release: "4.2.0", At: testbed.Noon})
	if _, err := b.Status.Announce(t.Context(), b.Project, "5.0.0", "", accounts.Actor{Kind: "token", Name: "ci"}); err != nil {
		t.Fatal(err)
	}
	inputs()
	b.Current("in the next release")
	if p, q := b.Part(1, "newest"), b.Part(3, "newest"); p.Points != 0 || q.Points == 0 || q.Text != "new in 4.2.0, the newest release" {
		t.Errorf("newest: %+v and %+v", p, q)
	}
	// Time takes momentum, then the days of the window.
	b.Now = testbed.Noon.Add(5 * 24 * time.Hour)
	for range 20 {
		b.File(testbed.Event{Function: "getJSON", User: "p-1", At: b.Now}, testbed.Event{Function: "getJSON", User: "p-2", At: b.Now})
	}
	if p := b.Part(2, "momentum"); p.Points == 0 {
		t.Errorf("momentum: %+v", p)
	}
	for _, day := range []float64{5.1, 5.6, 6, 7, 8.5, 13, 14.9, 30} {
		before := b.Issue(1)
		b.Now = testbed.Noon.Add(time.Duration(day * 24 * float64(time.Hour)))
		b.Current(fmt.Sprintf("after %v days", day))
		if is := b.Issue(1); is.Impact > before.Impact {
			t.Errorf("after %v days of silence its impact grows from %d to %d", day, before.Impact, is.Impact)
		}
	}
	if is := b.Issue(1); is.WindowUsers != 0 || is.WindowEvents != 0 || is.Users != 60 {
		t.Errorf("window %d users, %d events", is.WindowUsers, is.WindowEvents)
	}
	inputs()
	if s, err := b.Scoring.Scoring(t.Context(), b.Project.ID); err != nil || s.Active != 0 || s.Stale == 0 {
		t.Errorf("%+v, %v", s, err)
	}
	b.Current("without active users")
	// What people say.
	b.Act(1, issue.Action{Verb: issue.Grade, Grade: "fatal"})
	if p := b.Part(1, "severity"); p.Points != p.Max || p.Text != "fatal, set by hand" {
		t.Errorf("severity: %+v", p)
	}
	b.Current("called fatal")
	w, err := impact.Default.With(map[string]float64{"severity": 1000, "share": 0})
	if err != nil {
		t.Fatal(err)
	}
	before, after, all, err := b.Scoring.Try(t.Context(), b.Project.ID, w, 2)
	if err != nil || all != 3 || len(after) != 2 || after[0].Issue.Number != 1 || len(before) != 2 || before[0].Score.Points >= after[0].Score.Points {
		t.Errorf("tried: %+v, %+v of %d, %v", before, after, all, err)
	}
	if err := b.Scoring.SetScoring(t.Context(), b.Project.ID, w, surge.Default); err != nil {
		t.Fatal(err)
	}
	b.Current("by other weights")
	if is := b.Issue(1); is.Score.Points != after[0].Score.Points {
		t.Errorf("tried %.1f, became %.1f", after[0].Score.Points, is.Score.Points)
	}
}

func TestSurge_BeginsAndEnds(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.People()
	look := func() {
		t.Helper()
		if err := b.Scoring.LookForSurges(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	var week []testbed.Event
	for h := range 24 * 7 {
		week = append(week, testbed.Event{Function: "tideAt", User: fmt.Sprint("p-", h%9), At: testbed.Noon.Add(-time.Duration(h+2) * time.Hour)})
	}
	b.File(week...)
	b.Act(1, issue.Action{Verb: issue.Assign, To: testbed.Oke.Name})
	look()
	if is := b.Issue(1); !is.SurgeSince.IsZero() {
		t.Fatalf("one an hour is a surge: %s", is.SurgeText)
	}
	burst := func(n, users int) {
		var list []testbed.Event
		for i := range n {
			list = append(list, testbed.Event{Function: "tideAt", User: fmt.Sprint("q-", i%users), At: b.Now.Add(-time.Duration(i) * time.Second)})
		}
		b.File(list...)
		look()
	}
	burst(100, 1)
	if is := b.Issue(1); !is.SurgeSince.IsZero() {
		t.Errorf("one user in a loop is a surge: %s", is.SurgeText)
	}
	b.Now = testbed.Noon.Add(2 * time.Minute)
	burst(60, 20)
	is := b.Issue(1)
	if is.SurgeSince.IsZero() || is.SurgeText != "160 events in the last hour, where 1.0 are usual" {
		t.Fatalf("surge: %s, %q", is.SurgeSince, is.SurgeText)
	}
	notices, _, err := b.Status.Notices(t.Context(), 2, sight.All, true, 0, 1)
	if err != nil || len(notices) != 1 || notices[0].Text != "surging: 160 events in the last hour, where 1.0 are usual" {
		t.Errorf("%+v, %v", notices, err)
	}
	look() // it is said once
	b.Now = testbed.Noon.Add(3 * time.Hour)
	look()
	h, err := b.Issues.History(t.Context(), is.ID)
	if err != nil || h[0].Kind != string(issue.Calm) || h[0].Text != "the surge is over, after 2 hours" || h[1].Kind != string(issue.Surging) || h[2].Kind == string(issue.Surging) {
		t.Errorf("%+v, %v", h[:3], err)
	}
	b.Current("after the surge")
}
