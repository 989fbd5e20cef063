package ingest_test

import (
	"fmt"
	"testing"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/ingest"
)

const crewStack = "TypeError: no crew\n    at assign (crew.ts:4:2)\n    at main (crew.ts:9:1)"

func TestOccurrences_OneExceptionIsOneEvent(t *testing.T) {
	span := testbed.Report{Span: "aa", Parent: "bb", Message: "no crew", Stack: crewStack, More: map[string]any{"http.route": "/crew"}}
	log := testbed.Report{Log: true, Span: "aa", Message: "no crew", User: "p-1", After: 2 * time.Millisecond, More: map[string]any{"ship": "Eider"}}
	for name, deliveries := range map[string][][]testbed.Report{
		"in one batch":             {{span, log}},
		"the log record behind":    {{span}, {log}},
		"the log record before":    {{log}, {span}},
		"and on the span above":    {{span, log}, {{Span: "bb", Message: "no crew", Stack: crewStack, After: 5 * time.Millisecond}}},
		"from the log record's on": {{log}, {span, {Span: "bb", Message: "no crew", Stack: crewStack, After: 5 * time.Millisecond}}},
	} {
		t.Run(name, func(t *testing.T) {
			b := testbed.Open(t, testbed.Noon)
			for _, list := range deliveries {
				b.AddReports(list...)
			}
			e := b.Only().Event
			if e.Log == nil || e.Log.Text() != "assigning failed" || e.Span == nil || e.Span.Name != "assign" || e.Severity != "warn" || e.Exceptions[0].Stack != crewStack {
				t.Errorf("event %+v, log %+v, span %+v", e, e.Log, e.Span)
			}
			for attribute, want := range map[string]string{"http.route": "/crew", "ship": "Eider", "user.id": "p-1"} {
				if got := e.Attributes.Text(attribute); got != want {
					t.Errorf("%s is %q, want %q", attribute, got, want)
				}
			}
			if is := b.Issue(1); is.Events != 1 || is.Users != 1 {
				t.Errorf("%d events, %d users", is.Events, is.Users)
			}
			n := b.One(fmt.Sprintf("SELECT SUM(events) FROM received WHERE project=%d AND cause='joined'", b.Project.ID))
			if all := len(deliveries[0]); len(deliveries) == 2 {
				all += len(deliveries[1])
				if n != int64(all-1) {
					t.Errorf("%d joined of %d", n, all)
				}
			}
			b.Recounted()
		})
	}
}

func TestOccurrences_TheOneWithTheStackDecides(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.AddReports(testbed.Report{Log: true, Span: "aa", Message: "no crew"}, testbed.Report{Span: "aa", Message: "no crew", Stack: crewStack, After: time.Millisecond})
	if is := b.Issue(1); is.Place != "crew.ts:4" {
		t.Errorf("the issue is %s at %s", is.Headline, is.Place)
	}
}

// Whichever report of an exception comes first, one issue gets it.
func TestOccurrences_TieTheirFingerprints(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	log, span := testbed.Report{Log: true, Span: "aa", Message: "no crew"}, testbed.Report{Span: "aa", Message: "no crew", Stack: crewStack}
	b.AddReports(log)
	b.AddReports(span)
	later := 2 * time.Minute
	span.Span, span.After, log.Span, log.After = "bb", later, "bb", later
	b.AddReports(span)
	b.AddReports(log)
	if is := b.Issue(1); is.Events != 2 || is.Place != "crew.ts:4" || b.One("SELECT COUNT(*) FROM issue") != 1 {
		t.Errorf("%d events at %q, %d issues", is.Events, is.Place, b.One("SELECT COUNT(*) FROM issue"))
	}
	b.Recounted()
}

// Whichever reports of a bug come first, all its events are in one issue: also
// where one event begins with its log record and another with its span.
func TestOccurrences_TieTheirFingerprintsInAnyOrder(t *testing.T) {
	const stack = "TypeError: no crew\n    at assign (/srv/gangway/dist/crew.js:10:5)"
	at := func(span string) time.Duration { return time.Duration(span[0]-'a') * time.Minute }
	log := func(span string) testbed.Report {
		return testbed.Report{Span: span, Log: true, Message: "no crew", After: at(span)}
	}
	spanOf := func(span string) testbed.Report {
		return testbed.Report{Span: span, Message: "no crew", Stack: stack, After: at(span)}
	}
	for name, batches := range map[string][][]testbed.Report{
		"a log alone, beside another event's log and span":     {{log("aa"), spanOf("bb"), log("bb")}, {spanOf("aa")}},
		"the span of an event that is there, beside a new one": {{log("aa")}, {spanOf("bb"), spanOf("aa")}, {log("bb")}},
		"spans first, then a log alone":                        {{spanOf("bb")}, {log("aa"), log("bb")}, {spanOf("aa")}},
		"all at once":                                          {{log("aa"), log("bb"), spanOf("bb"), spanOf("aa")}},
		"one by one, the logs first":                           {{log("aa")}, {log("bb")}, {spanOf("aa")}, {spanOf("bb")}},
	} {
		t.Run(name, func(t *testing.T) {
			b := testbed.Open(t, testbed.Noon)
			for _, batch := range append(batches, []testbed.Report{log("cc"), spanOf("cc")}, []testbed.Report{spanOf("dd")}, []testbed.Report{log("ee")}) {
				b.AddReports(batch...)
			}
			if n := b.One("SELECT COUNT(*) FROM issue"); n != 1 {
				t.Errorf("they are in %d issues", n)
			}
			b.Recounted()
		})
	}
}

func TestOccurrences_WhatIsNotOneStaysApart(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.AddReports(
		testbed.Report{Log: true, Span: "aa", Message: "no crew"}, testbed.Report{Log: true, Span: "aa", Message: "no crew", After: time.Millisecond}, // two calls of the logger
		testbed.Report{Span: "c1", Parent: "bb", Message: "no tide", Stack: crewStack}, testbed.Report{Span: "c2", Parent: "bb", Message: "no tide", Stack: crewStack, After: time.Second}, // two tries
		testbed.Report{Span: "dd", Message: "no berth", Stack: crewStack}, testbed.Report{Span: "dd", Message: "no berth", Stack: crewStack, After: 2 * time.Second})
	b.AddReports(testbed.Report{Span: "dd", Message: "no berth", Stack: crewStack, After: 4 * time.Second})
	if n := b.One("SELECT COUNT(*) FROM event"); n != 7 {
		t.Errorf("%d events of 7", n)
	}
	b.Recounted()
}

func TestOccurrences_ARepeatOfAJoinedReportIsARepeat(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	span, log := testbed.Report{ID: "s", Span: "aa", Message: "no crew", Stack: crewStack}, testbed.Report{ID: "l", Log: true, Span: "aa", Message: "no crew", User: "p-1"}
	b.AddReports(span)
	b.AddReports(log)
	b.Now = testbed.Noon.Add(3 * time.Hour)
	if err := b.Ingest.ForgetOccurrences(t.Context()); err != nil {
		t.Fatal(err)
	}
	if n := b.One("SELECT COUNT(*) FROM occurrence"); n != 0 {
		t.Errorf("%d reports are remembered after three hours", n)
	}
	if done := b.AddReports(log, span); done.Repeats != 2 || done.Events != 0 {
		t.Errorf("sent again: %+v", done)
	}
	b.Only()
	b.Recounted()
}

func TestOccurrences_AreBounded(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for range 3 {
		var list []testbed.Report
		for range 40 { // each apart from the others
			list = append(list, testbed.Report{Log: true, Span: "aa", Message: "no crew"})
		}
		b.AddReports(list...)
	}
	if n := b.One("SELECT COUNT(*) FROM occurrence"); n != int64(ingest.MaxReports) {
		t.Errorf("%d reports are remembered of one trace and message, want %d", n, int64(ingest.MaxReports))
	}
	if n := b.One("SELECT COUNT(*) FROM event"); n != 120 {
		t.Errorf("%d events of 120", n)
	}
}

func TestEventsOfTrace(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.AddReports(testbed.Report{Span: "bb", Message: "later", After: time.Minute}, testbed.Report{Span: "aa", Message: "no crew"})
	other, _, err := b.Projects.CreateProject(t.Context(), projects.NewProject{Name: "gangway", KeepDays: 30})
	if err != nil {
		t.Fatal(err)
	}
	first := b.Project
	b.Project = other
	b.AddReports(testbed.Report{Span: "cc", Message: "no gate", After: time.Second})
	b.Project = first
	p, err := b.Accounts.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false)
	if err == nil {
		err = b.Accounts.SetRole(t.Context(), p, accounts.NewRole{Project: other.ID, Role: access.Viewer})
	}
	if err != nil {
		t.Fatal(err)
	}
	list, err := b.Events.EventsOfTrace(t.Context(), "0aF7", sight.All, 10)
	if err != nil || len(list) != 3 || list[0].Project != "quayside" || list[1].Project != "gangway" || list[2].Project != "quayside" {
		t.Fatalf("%+v, %v", list, err)
	}
	if list, err = b.Events.EventsOfTrace(t.Context(), "0af7", sight.OfPerson(p.ID, access.Viewer), 10); err != nil || len(list) != 1 {
		t.Errorf("of one project: %d, %v", len(list), err)
	}
	if list, err = b.Events.EventsOfTrace(t.Context(), "0af8", sight.All, 10); err != nil || len(list) != 0 {
		t.Errorf("of another trace: %d, %v", len(list), err)
	}
}
