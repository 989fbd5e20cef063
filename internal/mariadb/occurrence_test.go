package mariadb

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
)

// told is a report of an exception as OpenTelemetry's exporters send it.
type told struct {
	log     bool
	span    string
	parent  string
	message string
	stack   string
	user    string
	after   time.Duration
	id      string
	more    map[string]any // attributes
}

const crewStack = "TypeError: no crew\n    at assign (crew.ts:4:2)\n    at main (crew.ts:9:1)"

func (o told) json(at time.Time) json.RawMessage {
	attributes := map[string]any{}
	for k, v := range o.more {
		attributes[k] = v
	}
	if o.user != "" {
		attributes["user.id"] = o.user
	}
	x := map[string]any{"type": "TypeError", "message": o.message}
	if o.stack != "" {
		x["stack"] = o.stack
	}
	e := map[string]any{"time": at.Add(o.after).Format(time.RFC3339Nano), "severity": "error", "exceptions": []any{x}, "attributes": attributes, "resource": map[string]any{"service.version": "1"}, "trace_id": "0AF7", "span_id": o.span}
	if o.log {
		e["severity"], e["log"] = "warn", map[string]any{"body": "assigning failed"}
	} else {
		e["span"] = map[string]any{"name": "assign", "parent_span_id": o.parent}
	}
	raw, _ := json.Marshal(e) // a map of plain values
	return raw
}

// tells files reports, each call one delivery and one transaction.
func (b *bench) tells(list ...told) Filed {
	b.t.Helper()
	batch := &pipeline.Batch{Received: b.now}
	for _, o := range list {
		id := uuid.New()
		if o.id != "" {
			id = uuid.NewSHA1(uuid.Nil, []byte(o.id))
		}
		batch.IDs, batch.Events = append(batch.IDs, id), append(batch.Events, o.json(noon))
	}
	if err := b.Append(b.t.Context(), b.project.ID, batch); err != nil {
		b.t.Fatal(err)
	}
	done, err := b.File(b.t.Context(), b.filing())
	if err != nil {
		b.t.Fatal(err)
	}
	return done
}

// only reads the one event there must be, whole.
func (b *bench) only() *pipeline.Kept {
	b.t.Helper()
	list, _, err := b.Events(b.t.Context(), EventQuery{Project: b.project.ID, Limit: 10})
	if err != nil || len(list) != 1 {
		b.t.Fatalf("%d events, %v", len(list), err)
	}
	raw, err := b.EventBody(b.t.Context(), list[0])
	if err != nil {
		b.t.Fatal(err)
	}
	kept, err := pipeline.Open(raw)
	if err != nil {
		b.t.Fatal(err)
	}
	return kept
}

func TestOccurrences_OneExceptionIsOneEvent(t *testing.T) {
	span := told{span: "aa", parent: "bb", message: "no crew", stack: crewStack, more: map[string]any{"http.route": "/crew"}}
	log := told{log: true, span: "aa", message: "no crew", user: "p-1", after: 2 * time.Millisecond, more: map[string]any{"ship": "Eider"}}
	for name, deliveries := range map[string][][]told{
		"in one batch":             {{span, log}},
		"the log record behind":    {{span}, {log}},
		"the log record before":    {{log}, {span}},
		"and on the span above":    {{span, log}, {{span: "bb", message: "no crew", stack: crewStack, after: 5 * time.Millisecond}}},
		"from the log record's on": {{log}, {span, {span: "bb", message: "no crew", stack: crewStack, after: 5 * time.Millisecond}}},
	} {
		t.Run(name, func(t *testing.T) {
			b := open1(t, noon)
			for _, list := range deliveries {
				b.tells(list...)
			}
			e := b.only().Event
			if e.Log == nil || e.Log.Text() != "assigning failed" || e.Span == nil || e.Span.Name != "assign" || e.Severity != "warn" || e.Exceptions[0].Stack != crewStack {
				t.Errorf("event %+v, log %+v, span %+v", e, e.Log, e.Span)
			}
			for attribute, want := range map[string]string{"http.route": "/crew", "ship": "Eider", "user.id": "p-1"} {
				if got := e.Attributes.Text(attribute); got != want {
					t.Errorf("%s is %q, want %q", attribute, got, want)
				}
			}
			if is := b.issue(1); is.Events != 1 || is.Users != 1 {
				t.Errorf("%d events, %d users", is.Events, is.Users)
			}
			n := b.one(fmt.Sprintf("SELECT SUM(events) FROM received WHERE project=%d AND cause='joined'", b.project.ID))
			if all := len(deliveries[0]); len(deliveries) == 2 {
				all += len(deliveries[1])
				if n != int64(all-1) {
					t.Errorf("%d joined of %d", n, all)
				}
			}
			b.recounted()
		})
	}
}

func TestOccurrences_TheOneWithTheStackDecides(t *testing.T) {
	b := open1(t, noon)
	b.tells(told{log: true, span: "aa", message: "no crew"}, told{span: "aa", message: "no crew", stack: crewStack, after: time.Millisecond})
	if is := b.issue(1); is.Place != "crew.ts:4" {
		t.Errorf("the issue is %s at %s", is.Headline, is.Place)
	}
}

// Whichever report of an exception comes first, one issue gets it.
func TestOccurrences_TieTheirFingerprints(t *testing.T) {
	b := open1(t, noon)
	log, span := told{log: true, span: "aa", message: "no crew"}, told{span: "aa", message: "no crew", stack: crewStack}
	b.tells(log)
	b.tells(span)
	later := 2 * time.Minute
	span.span, span.after, log.span, log.after = "bb", later, "bb", later
	b.tells(span)
	b.tells(log)
	if is := b.issue(1); is.Events != 2 || is.Place != "crew.ts:4" || b.one("SELECT COUNT(*) FROM issue") != 1 {
		t.Errorf("%d events at %q, %d issues", is.Events, is.Place, b.one("SELECT COUNT(*) FROM issue"))
	}
	b.recounted()
}

func TestOccurrences_WhatIsNotOneStaysApart(t *testing.T) {
	b := open1(t, noon)
	b.tells(
		told{log: true, span: "aa", message: "no crew"}, told{log: true, span: "aa", message: "no crew", after: time.Millisecond}, // two calls of the logger
		told{span: "c1", parent: "bb", message: "no tide", stack: crewStack}, told{span: "c2", parent: "bb", message: "no tide", stack: crewStack, after: time.Second}, // two tries
		told{span: "dd", message: "no berth", stack: crewStack}, told{span: "dd", message: "no berth", stack: crewStack, after: 2 * time.Second})
	b.tells(told{span: "dd", message: "no berth", stack: crewStack, after: 4 * time.Second})
	if n := b.one("SELECT COUNT(*) FROM event"); n != 7 {
		t.Errorf("%d events of 7", n)
	}
	b.recounted()
}

func TestOccurrences_ARepeatOfAJoinedReportIsARepeat(t *testing.T) {
	b := open1(t, noon)
	span, log := told{id: "s", span: "aa", message: "no crew", stack: crewStack}, told{id: "l", log: true, span: "aa", message: "no crew", user: "p-1"}
	b.tells(span)
	b.tells(log)
	b.now = noon.Add(3 * time.Hour)
	if err := b.ForgetOccurrences(t.Context()); err != nil {
		t.Fatal(err)
	}
	if n := b.one("SELECT COUNT(*) FROM occurrence"); n != 0 {
		t.Errorf("%d reports are remembered after three hours", n)
	}
	if done := b.tells(log, span); done.Repeats != 2 || done.Events != 0 {
		t.Errorf("sent again: %+v", done)
	}
	b.only()
	b.recounted()
}

func TestOccurrences_AreBounded(t *testing.T) {
	b := open1(t, noon)
	for range 3 {
		var list []told
		for range 40 { // each apart from the others
			list = append(list, told{log: true, span: "aa", message: "no crew"})
		}
		b.tells(list...)
	}
	if n := b.one("SELECT COUNT(*) FROM occurrence"); n != mostReports {
		t.Errorf("%d reports are remembered of one trace and message, want %d", n, mostReports)
	}
	if n := b.one("SELECT COUNT(*) FROM event"); n != 120 {
		t.Errorf("%d events of 120", n)
	}
}

func TestEventsOfTrace(t *testing.T) {
	b := open1(t, noon)
	b.tells(told{span: "bb", message: "later", after: time.Minute}, told{span: "aa", message: "no crew"})
	other, _, err := b.CreateProject(t.Context(), "gangway", 30)
	if err != nil {
		t.Fatal(err)
	}
	first := b.project
	b.project = other
	b.tells(told{span: "cc", message: "no gate", after: time.Second})
	b.project = first
	list, err := b.EventsOfTrace(t.Context(), "0aF7", 0, 10)
	if err != nil || len(list) != 3 || list[0].Project != "quayside" || list[1].Project != "gangway" || list[2].Project != "quayside" {
		t.Fatalf("%+v, %v", list, err)
	}
	if list, err = b.EventsOfTrace(t.Context(), "0af7", other.ID, 10); err != nil || len(list) != 1 {
		t.Errorf("of one project: %d, %v", len(list), err)
	}
	if list, err = b.EventsOfTrace(t.Context(), "0af8", 0, 10); err != nil || len(list) != 0 {
		t.Errorf("of another trace: %d, %v", len(list), err)
	}
}
