package logtext

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/stacktrace"
)

// The names that loggers of Node, Go, Java and Python have for the parts of a
// record, the more particular first. Dots represent objects in objects too.
var (
	timeNames     = []string{"time", "@timestamp", "timestamp", "ts", "asctime", "datetime", "date", "t", "instant"}
	severityNames = []string{"level", "severity", "log.level", "levelname", "lvl", "severity_text", "level_name",
		"loglevel"}
	textNames   = []string{"msg", "message", "event", "body", "text"}
	loggerNames = []string{"logger", "logger_name", "loggerName", "log.logger", "name", "channel", "module"}
	traceNames  = []string{"trace_id", "traceId", "trace.id", "dd.trace_id", "otelTraceID", "traceID"}
	spanNames   = []string{"span_id", "spanId", "span.id", "dd.span_id", "otelSpanID", "spanID"}
	stackNames  = []string{"err.stack", "error.stack", "error.stack_trace", "exception.stacktrace", "stack_trace",
		"stacktrace", "thrown.extendedStackTrace", "exception.stack", "exc_info", "exc_text", "traceback",
		"errorVerbose", "error.stacktrace", "stack", "exception", "err", "error"}
	typeNames = []string{"err.type", "error.type", "exception.type", "thrown.name", "err.name", "error.name",
		"exc_type", "exception.class", "error.class", "exception_class"}
	messageNames = []string{"err.message", "error.message", "exception.message", "thrown.message",
		"thrown.localizedMessage", "exc_value", "exception_message", "err", "error", "exception"}
)

// numberLevels are severities as Node's loggers number them.
var numberLevels = map[int]event.Severity{10: "trace", 20: "debug", 30: "info", 40: "warn", 50: "error", 60: "fatal"}

const maxFields = 200

// matters are parts of words. Every record has one of them that reports
// an error or a trace: most records have none, and are not read.
var matters = []string{"rr", "RR", "atal", "ATAL", "rit", "RIT", "anic", "ANIC", "merg", "MERG", "lert", "LERT", "ever",
	"EVER", "tack", "xcep", "hrow", "race", "ail", "AIL", ":50", ":60", ": 50", ": 60", "\\n"}

func mayMatter(text string) bool {
	for _, w := range matters {
		if strings.Contains(text, w) {
			return true
		}
	}
	return false
}

// jsonRecord reads a record that is a JSON object; nil when the line is none.
func jsonRecord(text string) *record {
	trimmed := strings.TrimSpace(text)
	if !strings.HasPrefix(trimmed, "{") || !strings.HasSuffix(trimmed, "}") {
		return nil
	}
	if !mayMatter(trimmed) {
		return &record{severity: "info"}
	}
	d := json.NewDecoder(strings.NewReader(trimmed))
	d.UseNumber()
	var in map[string]any
	if d.Decode(&in) != nil || d.More() {
		return nil
	}
	flat := map[string]any{}
	flatten(flat, "", in, 0)
	return recordOf(flat)
}

// recordOf reads a record's fields; nil when they are of something else.
func recordOf(fields map[string]any) *record {
	r := &record{fields: fields}
	r.when = r.time()
	r.severity = severityOf(r.first(severityNames, anything))
	r.text = fmt.Sprint(orEmpty(r.first(textNames, isText)))
	r.logger = fmt.Sprint(orEmpty(r.first(loggerNames, isText)))
	r.exception()
	if r.severity == "" && r.text == "" && r.stack == "" {
		return nil // some other JSON
	}
	return r
}

func flatten(out map[string]any, prefix string, in map[string]any, depth int) {
	for k, v := range in {
		if m, ok := v.(map[string]any); ok && depth < 5 {
			flatten(out, prefix+k+".", m, depth+1)
		} else if v != nil && len(out) < maxFields {
			out[prefix+k] = v
		}
	}
}

func anything(any) bool { return true }
func isText(v any) bool { s, ok := v.(string); return ok && s != "" }

func orEmpty(v any) any {
	if v == nil {
		return ""
	}
	return v
}

// first takes the first field of the names that fits away from the others.
func (r *record) first(names []string, fits func(any) bool) any {
	for _, n := range names {
		if v, ok := r.fields[n]; ok && fits(v) {
			delete(r.fields, n)
			return v
		}
	}
	return nil
}

// time reads when a record was written: a text, or a number of seconds,
// milliseconds, microseconds or nanoseconds since 1970, as its size says.
func (r *record) time() time.Time {
	if s, ok := r.fields["instant.epochSecond"]; ok {
		seconds, _ := strconv.ParseInt(fmt.Sprint(s), 10, 64)
		nanos, _ := strconv.ParseInt(fmt.Sprint(orEmpty(r.fields["instant.nanoOfSecond"])), 10, 64)
		delete(r.fields, "instant.epochSecond")
		delete(r.fields, "instant.nanoOfSecond")
		return time.Unix(seconds, nanos).UTC()
	}
	switch v := r.first(timeNames, anything).(type) {
	case string:
		if t := timeOf(v); !t.IsZero() {
			return t
		}
		return numberTime(v)
	case json.Number:
		return numberTime(v.String())
	}
	return time.Time{}
}

func numberTime(text string) time.Time {
	f, err := strconv.ParseFloat(text, 64)
	if err != nil || f < 1e8 || f > 1e19 {
		return time.Time{}
	}
	for _, unit := range []struct{ most, perSecond float64 }{{1e11, 1}, {1e14, 1e3}, {1e17, 1e6}, {1e20, 1e9}} {
		if f < unit.most {
			whole, part := math.Modf(f / unit.perSecond)
			return time.Unix(int64(whole), int64(math.Round(part*1e6))*1000).UTC()
		}
	}
	return time.Time{}
}

func severityOf(v any) event.Severity {
	switch v := v.(type) {
	case string:
		if s, ok := levels[strings.ToLower(strings.TrimSpace(v))]; ok {
			return s
		}
		name, _, _ := strings.Cut(v, "+") // Go's "ERROR+4"
		if n, err := strconv.Atoi(v); err == nil {
			return numberLevels[n]
		}
		return levels[strings.ToLower(name)]
	case json.Number:
		n, err := v.Int64()
		if err != nil {
			return ""
		}
		return numberLevels[int(n)]
	}
	return ""
}

// exception finds what a record says of an exception: a field that holds a
// trace, or a message that does.
func (r *record) exception() {
	holds := func(v any) bool {
		s, ok := v.(string)
		return ok && strings.Contains(s, "\n") && holdsTrace(s)
	}
	if s, ok := r.first(stackNames, holds).(string); ok {
		r.stack = s
	} else if holds(r.text) {
		r.stack = r.text
		r.text, _, _ = strings.Cut(r.text, "\n")
	}
	if r.stack == "" {
		return
	}
	r.typ, _ = r.first(typeNames, isText).(string)
	r.message, _ = r.first(messageNames, isText).(string)
}

func holdsTrace(text string) bool {
	t := stacktrace.Read(text, 1)
	for _, x := range t.Exceptions {
		if len(x.Frames) > 0 {
			return true
		}
	}
	return false
}

// structured reads a JSON record.
func (p *Parser) structured(r *record, offset int64) {
	r.offset = offset
	e := r.exceptionEvent()
	if e == nil && r.severity.Number() >= 17 {
		e = r.messageEvent(r.text)
	}
	if e != nil {
		p.found = append(p.found, Found{e, offset, !r.when.IsZero()})
	}
}
