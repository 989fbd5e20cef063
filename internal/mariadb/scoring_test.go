package mariadb

import (
	"fmt"
	"testing"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/surge"
)

// current holds the stored impact of every issue against what it is made from now.
func (b *bench) current(what string) {
	b.t.Helper()
	for {
		more, err := b.Rescore(b.t.Context(), b.project.ID)
		if err != nil {
			b.t.Fatal(err)
		}
		if !more {
			break
		}
	}
	list, _, err := b.Issues(b.t.Context(), IssueQuery{Project: b.project.ID, States: issue.States, Order: ByImpact, Limit: 100})
	if err != nil || len(list) == 0 {
		b.t.Fatal(len(list), err)
	}
	for _, is := range list {
		if is.Impact != is.Score.Tenths() {
			b.t.Errorf("%s: issue %d is stored with %d, its parts are %.1f: %+v", what, is.Number, is.Impact, is.Score.Points, is.Score.Parts)
		}
	}
	b.recounted()
}

func (b *bench) part(number int64, name string) impact.Summand {
	b.t.Helper()
	for _, p := range b.issue(number).Score.Parts {
		if p.Name == name {
			return p
		}
	}
	b.t.Fatalf("there is no part %s", name)
	return impact.Summand{}
}

func TestImpact_IsKeptCurrent(t *testing.T) {
	b := open1(t, noon)
	basis := func() {
		t.Helper()
		if err := b.RefreshBasis(t.Context(), b.project.ID); err != nil {
			t.Fatal(err)
		}
	}
	var many []occur
	for i := range 60 {
		many = append(many, occur{function: "tideAt", user: fmt.Sprint("p-", i), release: "4.1.0", at: noon})
	}
	b.file(append(many, occur{function: "getJSON", user: "p-1", release: "4.1.0", at: noon.Add(-10 * 24 * time.Hour)})...)
	b.current("filed")
	if p := b.part(1, "newest"); p.Points != 0 {
		t.Errorf("before the newest release is known: %+v", p)
	}
	basis()
	b.current("once users were counted")
	if p := b.part(1, "share"); p.Words != "100 % of 60 active users" || p.Points != p.Most {
		t.Errorf("share: %+v", p)
	}
	if p := b.part(1, "newest"); p.Points != p.Most {
		t.Errorf("newest: %+v", p)
	}
	b.file(occur{function: "placeBerths", user: "p-9", release: "4.2.0", at: noon})
	if _, err := b.Announce(t.Context(), b.project, "5.0.0", "", Actor{Kind: "token", Name: "ci"}); err != nil {
		t.Fatal(err)
	}
	basis()
	b.current("in the next release")
	if p, q := b.part(1, "newest"), b.part(3, "newest"); p.Points != 0 || q.Points == 0 || q.Words != "new in 4.2.0, the newest release" {
		t.Errorf("newest: %+v and %+v", p, q)
	}
	// Time takes momentum, then the days of the window.
	b.now = noon.Add(5 * 24 * time.Hour)
	for range 20 {
		b.file(occur{function: "getJSON", user: "p-1", at: b.now}, occur{function: "getJSON", user: "p-2", at: b.now})
	}
	if p := b.part(2, "momentum"); p.Points == 0 {
		t.Errorf("momentum: %+v", p)
	}
	for _, day := range []float64{5.1, 5.6, 6, 7, 8.5, 13, 14.9, 30} {
		before := b.issue(1)
		b.now = noon.Add(time.Duration(day * 24 * float64(time.Hour)))
		b.current(fmt.Sprintf("after %v days", day))
		if is := b.issue(1); is.Impact > before.Impact {
			t.Errorf("after %v days of silence its impact grows from %d to %d", day, before.Impact, is.Impact)
		}
	}
	if is := b.issue(1); is.WindowUsers != 0 || is.WindowEvents != 0 || is.Users != 60 {
		t.Errorf("window %d users, %d events", is.WindowUsers, is.WindowEvents)
	}
	basis()
	if s, err := b.Scoring(t.Context(), b.project.ID); err != nil || s.Active != 0 || s.Stale == 0 {
		t.Errorf("%+v, %v", s, err)
	}
	b.current("without active users")
	// What people say.
	b.act(1, issue.Action{Verb: issue.Grade, Grade: "fatal"})
	if p := b.part(1, "severity"); p.Points != p.Most || p.Words != "fatal, set by hand" {
		t.Errorf("severity: %+v", p)
	}
	b.current("called fatal")
	w, err := impact.Default.With(map[string]float64{"severity": 1000, "share": 0})
	if err != nil {
		t.Fatal(err)
	}
	before, after, all, err := b.Try(t.Context(), b.project.ID, w, 2)
	if err != nil || all != 3 || len(after) != 2 || after[0].Issue.Number != 1 || len(before) != 2 || before[0].Score.Points >= after[0].Score.Points {
		t.Errorf("tried: %+v, %+v of %d, %v", before, after, all, err)
	}
	if err := b.SetScoring(t.Context(), b.project.ID, w, surge.Default); err != nil {
		t.Fatal(err)
	}
	b.current("by other weights")
	if is := b.issue(1); is.Score.Points != after[0].Score.Points {
		t.Errorf("tried %.1f, became %.1f", after[0].Score.Points, is.Score.Points)
	}
}

func TestSurge_BeginsAndEnds(t *testing.T) {
	b := open1(t, noon)
	b.people()
	look := func() {
		t.Helper()
		if err := b.LookForSurges(t.Context(), b.project.ID); err != nil {
			t.Fatal(err)
		}
	}
	var week []occur
	for h := range 24 * 7 {
		week = append(week, occur{function: "tideAt", user: fmt.Sprint("p-", h%9), at: noon.Add(-time.Duration(h+2) * time.Hour)})
	}
	b.file(week...)
	b.act(1, issue.Action{Verb: issue.Assign, To: oke.Name})
	look()
	if is := b.issue(1); !is.SurgeSince.IsZero() {
		t.Fatalf("one an hour is a surge: %s", is.SurgeWords)
	}
	burst := func(n, users int) {
		var list []occur
		for i := range n {
			list = append(list, occur{function: "tideAt", user: fmt.Sprint("q-", i%users), at: b.now.Add(-time.Duration(i) * time.Second)})
		}
		b.file(list...)
		look()
	}
	burst(100, 1)
	if is := b.issue(1); !is.SurgeSince.IsZero() {
		t.Errorf("one user in a loop is a surge: %s", is.SurgeWords)
	}
	b.now = noon.Add(2 * time.Minute)
	burst(60, 20)
	is := b.issue(1)
	if is.SurgeSince.IsZero() || is.SurgeWords != "160 events in the last hour, where 1.0 are usual" {
		t.Fatalf("surge: %s, %q", is.SurgeSince, is.SurgeWords)
	}
	notices, _, err := b.Notices(t.Context(), 2, 0, true, 0, 1)
	if err != nil || len(notices) != 1 || notices[0].Words != "surging: 160 events in the last hour, where 1.0 are usual" {
		t.Errorf("%+v, %v", notices, err)
	}
	look() // it is said once
	b.now = noon.Add(3 * time.Hour)
	look()
	h, err := b.History(t.Context(), is.ID)
	if err != nil || h[0].Kind != string(issue.Calm) || h[0].Words != "the surge is over, after 2 hours" || h[1].Kind != string(issue.Surging) || h[2].Kind == string(issue.Surging) {
		t.Errorf("%+v, %v", h[:3], err)
	}
	b.current("after the surge")
}
