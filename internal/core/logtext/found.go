package logtext

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strings"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/stacktrace"
)

// headIn finds where in a record's message the exception's own line begins:
// "assigning failed: TypeError: no crew".
var headIn = regexp.MustCompile(`(?:^|[\s:>(])((?:Uncaught |Unhandled exception\. |panic: |PHP Fatal error: +Uncaught )?[A-Za-z_$][\w$.\\]*(?:Error|Exception|Throwable|Rejection)(?: \[[\w$]+\])?(?:: .*)?)$`)

// headText is the part of a line without a role that a trace begins with.
func headText(text string) string {
	if !strings.Contains(text, "Error") && !strings.Contains(text, "Exception") &&
		!strings.Contains(text, "Throwable") && !strings.Contains(text, "Rejection") &&
		!strings.Contains(text, "panic: ") {
		return text
	}
	if m := headIn.FindStringSubmatch(text); m != nil {
		return m[1]
	}
	if i := strings.Index(text, "panic: "); i > 0 {
		return text[i:]
	}
	return text
}

// event makes the event of a trace; nil when nothing of it can be read.
func (t *trace) event() *event.Event {
	lines := t.lines
	for len(lines) > 0 && strings.TrimSpace(lines[len(lines)-1]) == "" {
		lines = lines[:len(lines)-1]
	}
	text := strings.Join(lines, "\n")
	if !holdsTrace(text) {
		return nil
	}
	r := t.record
	if r == nil {
		r = &record{}
	}
	r = &record{when: r.when, severity: r.severity, logger: r.logger,
		text: strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(t.message), ":")), fields: r.fields, stack: text}
	if r.text == "" {
		r.text = lines[0]
	}
	return r.exceptionEvent()
}

// exceptionEvent makes an event of a record that reports an exception; nil
// when it reports none.
func (r *record) exceptionEvent() *event.Event {
	if r.stack == "" {
		return nil
	}
	e := r.event()
	x := event.Exception{Stack: r.stack}
	// The text itself says type and message better than fields do, whose names
	// loggers use for other things as well; they stand in where it does not.
	if t := stacktrace.Read(r.stack, 1); len(t.Exceptions) == 0 || t.Exceptions[0].Type == "" &&
		t.Exceptions[0].Message == "" {
		x.Type, x.Message = r.typ, r.message
	}
	if e.Severity == "" {
		e.Severity = "error"
	}
	e.Exceptions = []event.Exception{x}
	return e
}

// messageEvent makes an event of a record that is only a message; nil when it
// says nothing.
func (r *record) messageEvent(text string) *event.Event {
	if strings.TrimSpace(text) == "" {
		return nil
	}
	e := r.event()
	e.Message = text
	return e
}

func (r *record) event() *event.Event {
	e := &event.Event{Severity: r.severity, Scope: r.logger, Attributes: event.Attributes{}, Log: &event.Log{}}
	if !r.when.IsZero() {
		e.Time = r.when.Format(time.RFC3339Nano)
	}
	if r.text != "" {
		e.Log.Body, _ = json.Marshal(r.text) // a text encodes
	}
	e.TraceID, e.SpanID = r.id(traceNames), r.id(spanNames)
	for name, v := range r.fields {
		e.Attributes[name] = v
	}
	return e
}

func (r *record) id(names []string) string {
	for _, n := range names {
		if v, ok := r.fields[n]; ok {
			delete(r.fields, n)
			return strings.ToLower(fmt.Sprint(v))
		}
	}
	return ""
}
