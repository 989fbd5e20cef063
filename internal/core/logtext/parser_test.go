package logtext

import (
	"fmt"
	"strings"
	"testing"

	"firethorn/internal/core/event"
)

// TestRecords_OfCommonLoggers reads records with a trace as loggers of Node,
// Go, Java and Python write them.
func TestRecords_OfCommonLoggers(t *testing.T) {
	const js = `Error: no tide\n    at tideAt (/srv/tides.js:4:9)\n    at main (/srv/tides.js:9:1)`
	const java = `com.marrow.CrewException: no crew\n\tat com.marrow.Crew.assign(Crew.java:7)\n`
	const python = `Traceback (most recent call last):\n  File \"crew.py\", line 3, in assign\n    x\nValueError: no crew`
	for name, c := range map[string]struct {
		line                           string
		severity                       event.Severity
		when, logger, said, place, has string
	}{
		"numbers for levels, milliseconds": {`{"level":50,"time":1763996342123,"pid":7,"hostname":"gate-1","err":{"type":"Error","message":"no tide","stack":"` + js + `","code":"ETIDE"},"msg":"drawing failed","trace_id":"AB01"}`,
			"error", "2025-11-24T14:59:02.123Z", "", "drawing failed", "tideAt:4", "err.code"},
		"the stack beside the message": {`{"level":"error","message":"drawing failed","stack":"` + js + `","timestamp":"2026-11-23T04:39:02.123Z","service":"tides"}`, "error", "2026-11-23T04:39:02.123Z", "", "drawing failed", "tideAt:4", "service"},
		"Go with seconds": {`{"level":"error","ts":1763996342.5,"logger":"crew","caller":"crew/crew.go:7","msg":"assigning failed","error":"no crew","stacktrace":"main.assign\n\t/srv/bosun/crew.go:7\nmain.main\n\t/srv/bosun/main.go:3"}`,
			"error", "2025-11-24T14:59:02.5Z", "crew", "assigning failed", "assign:7", "caller"},
		"Go as text":          {`time=2026-11-23T04:39:02.123Z level=ERROR+2 msg="assigning failed" crew=c-7 stack="goroutine 7 [running]:\nmain.assign(0x1)\n\t/srv/bosun/crew.go:7 +0x1d"`, "error", "2026-11-23T04:39:02.123Z", "", "assigning failed", "assign:7", "crew"},
		"Java":                {`{"@timestamp":"2026-11-23T04:39:02.123+01:00","level":"ERROR","logger_name":"com.marrow.Crew","thread_name":"main","message":"assigning failed","stack_trace":"` + java + `"}`, "error", "2026-11-23T03:39:02.123Z", "com.marrow.Crew", "assigning failed", "assign:7", "thread_name"},
		"Java with objects":   {`{"instant":{"epochSecond":1763996342,"nanoOfSecond":123000000},"level":"FATAL","loggerName":"com.marrow.Crew","message":"assigning failed","thrown":{"name":"com.marrow.CrewException","message":"no crew","extendedStackTrace":"` + java + `"}}`, "fatal", "2025-11-24T14:59:02.123Z", "com.marrow.Crew", "assigning failed", "assign:7", ""},
		"dots in names":       {`{"@timestamp":"2026-11-23T04:39:02.123Z","log.level":"error","message":"assigning failed","error.type":"com.marrow.CrewException","error.message":"no crew","error.stack_trace":"` + java + `","trace.id":"AB01"}`, "error", "2026-11-23T04:39:02.123Z", "", "assigning failed", "assign:7", ""},
		"Python":              {`{"asctime":"2026-11-23 04:39:02,123","levelname":"CRITICAL","name":"crew","message":"assigning failed","exc_info":"` + python + `"}`, "fatal", "2026-11-23T04:39:02.123Z", "crew", "assigning failed", "assign:3", ""},
		"Python, a structure": {`{"event":"assigning failed","level":"error","timestamp":"2026-11-23T04:39:02.123Z","exception":"` + python + `","ship":"Eider"}`, "error", "2026-11-23T04:39:02.123Z", "", "assigning failed", "assign:3", "ship"},
		"a trace in the text": {`{"severity":"ERROR","time":"2026-11-23T04:39:02.123Z","message":"assigning failed\n` + python + `"}`, "error", "2026-11-23T04:39:02.123Z", "", "assigning failed", "assign:3", ""},
	} {
		t.Run(name, func(t *testing.T) {
			found := read(`{"level":"info","msg":"before"}`, c.line, "something else")
			if len(found) != 1 {
				t.Fatalf("%d found", len(found))
			}
			e := found[0].Event
			if e.Severity != c.severity || e.Time != c.when || e.Scope != c.logger || e.Log.Text() != c.said || !found[0].Timed || found[0].Offset != 32 {
				t.Errorf("severity %s, time %s, logger %s, said %q, at %d", e.Severity, e.Time, e.Scope, e.Log.Text(), found[0].Offset)
			}
			if got := told(e.Exceptions[0].Stack); !strings.Contains(got, c.place) {
				t.Errorf("trace %s", got)
			}
			if c.has != "" && e.Attributes[c.has] == nil {
				t.Errorf("no %s among %v", c.has, e.Attributes.Names())
			}
			if strings.Contains(c.line, "AB01") && e.TraceID != "ab01" {
				t.Errorf("trace %q", e.TraceID)
			}
		})
	}
}

// TestHeads_OfTextRecords reads what stands before a message.
func TestHeads_OfTextRecords(t *testing.T) {
	for text, want := range map[string]string{
		"2026-11-23 04:39:02,123 ERROR [main] c.m.Crew - no crew":             "04:39:02.123 error c.m.Crew|no crew",
		"2026-11-23T04:39:02.123+01:00 ERROR 7 --- [main] c.m.Crew : no crew": "03:39:02.123 error c.m.Crew|no crew",
		"2026-11-23 04:39:02,123 - crew - ERROR - no crew":                    "04:39:02.123 error |no crew",
		"ERROR:crew:no crew":                                                        "00:00:00 error crew|no crew",
		"[2026-11-23 04:39:02] production.ERROR: no crew":                           "04:39:02  |production.ERROR: no crew",
		"2026/11/23 04:39:02 no crew":                                               "04:39:02  |no crew",
		"2026/11/23 04:39:02 [error] 7#7: *1 no crew":                               "04:39:02 error |7#7: *1 no crew",
		"[23-Nov-2026 04:39:02 UTC] PHP Fatal error:  Uncaught Crew: no in a.php:3": "04:39:02  |PHP Fatal error:  Uncaught Crew: no in a.php:3",
		"04:39:02.123 [main] ERROR c.m.Crew -- no crew":                             "00:00:00 error |c.m.Crew -- no crew",
		"[ERROR] no crew":                                                           "00:00:00 error |no crew",
		"ERRORS: none":                                                              "none",
		"no crew":                                                                   "none",
		"10:30 to Marrow":                                                           "none",
	} {
		r, rest := textRecord(text)
		got := "none"
		if r != nil {
			got = fmt.Sprintf("%s %s %s|%s", r.when.Format("15:04:05.999"), r.severity, r.logger, rest)
		}
		if got != want {
			t.Errorf("%s\n got %s\nwant %s", text, got, want)
		}
	}
}

func TestMessages_FromErrorOn(t *testing.T) {
	found := read(before, failed, "    because nobody is there", other, "2026-11-23 04:39:05,000 WARN [main] c.Crew - low", `{"level":"error","msg":"no gate","gate":7}`, `{"level":"warn","msg":"gate"}`, "2026-11-23 04:39:06,000 ERROR [main] c.Crew - sunk")
	var got []string
	for _, f := range found {
		got = append(got, fmt.Sprintf("%s %q %d", f.Event.Severity, f.Event.Message, f.Offset))
	}
	want := []string{`error "assigning failed\n    because nobody is there" 62`, `error "no gate" 268`, `error "sunk" 341`}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// A record that reads as if a trace followed is a message when none does, also
// when it stands between another trace's head and frame.
func TestMessages_ThatReadLikeTheHeadOfATrace(t *testing.T) {
	bare := "2026-11-23 04:39:04,000 ERROR [main] bosun.Crew - TypeError: no tide"
	for name, lines := range map[string][]string{
		"and no more":            {bare},
		"before other records":   {bare, other, other},
		"before one that does":   {bare, other, failed + ": TypeError: no crew", other, "    at assign (crew.js:4:2)"},
		"between head and frame": {failed + ": TypeError: no crew", "2026-11-23 04:39:04,000 ERROR [main] bosun.Crew - no tide", "    at assign (crew.js:4:2)", other},
	} {
		messages, want := 0, len(traces(read(lines...)))
		for _, f := range read(lines...) {
			if f.Event.Message != "" {
				messages++
				if !strings.HasSuffix(f.Event.Message, "no tide") {
					t.Errorf("%s: message %q", name, f.Event.Message)
				}
			}
		}
		if messages != 1 || want != strings.Count(strings.Join(lines, ""), "crew.js") {
			t.Errorf("%s: %d messages, %d traces", name, messages, want)
		}
	}
}

// What a program said last comes out although others go on.
func TestLanes_ThatFellSilentEnd(t *testing.T) {
	p := New()
	for _, l := range []string{"panic: no crew", "", "goroutine 1 [running]:", "main.assign()", "\t/srv/crew.go:7 +0x1d"} {
		p.Line("bosun-1 | "+l, 0)
	}
	n := 0
	for i := range 3 * silent {
		n += len(p.Line("gangway-1 | gate open", int64(i)))
	}
	if n != 1 {
		t.Errorf("%d traces came out", n)
	}
}

// Many containers beside each other do not cut a trace.
func TestLanes_CountTheirOwnLines(t *testing.T) {
	var lines []string
	for _, l := range strings.Split("TypeError: no crew\n    at assign (crew.js:4:2)\n    at main (crew.js:9:1)", "\n") {
		lines = append(lines, "gangway-1 | "+l)
		for i := range 2 * farAway {
			lines = append(lines, fmt.Sprintf("quayside-%d | 12 requests", i%20))
		}
	}
	if got := traces(read(lines...)); len(got) != 1 || got[0] != "javascript | TypeError assign:4 main:9" {
		t.Errorf("%v", got)
	}
}

func TestTraces_KeepTheirRecord(t *testing.T) {
	found := read(before, failed+": TypeError: no crew", "    at assign (crew.js:4:2)", other, "    at main (crew.js:9:1)", other)
	if len(found) != 1 {
		t.Fatalf("%d found", len(found))
	}
	e := found[0].Event
	if e.Time != "2026-11-23T04:39:02.123Z" || e.Scope != "bosun.Crew" || e.Log.Text() != "assigning failed" || e.Exceptions[0].Stack != "TypeError: no crew\n    at assign (crew.js:4:2)\n    at main (crew.js:9:1)" || found[0].Offset != int64(len(before)+1) {
		t.Errorf("%+v, log %q, at %d", e, e.Log.Text(), found[0].Offset)
	}
}

// TestPrefixed_FramesThatAreRecords reads a trace each line of which has the
// head of a record.
func TestPrefixed_FramesThatAreRecords(t *testing.T) {
	head := "2026-11-23 04:39:02,123 ERROR "
	found := read(head+"TypeError: no crew", head+"    at assign (crew.js:4:2)", other, head+"    at main (crew.js:9:1)", head+"no gate")
	if got := traces(found); len(got) != 1 || got[0] != "javascript | TypeError assign:4 main:9" || len(found) != 2 || found[1].Event.Message != "no gate" {
		t.Errorf("%v of %d", got, len(found))
	}
}

func TestOddLines(t *testing.T) {
	p := New()
	for i, l := range []string{"\x00\xff\xfe\x01", strings.Repeat("x", 1<<20), "{", "{}", `{"a":`, "}", strings.Repeat("{", 1000), strings.Repeat("\tat a.B.c(B.java:7)", 10_000), `{"level":"error"}`, `{"log":"half`, "| | |", "\r", ""} {
		if found := p.Line(l, int64(i)); len(found) > 0 {
			t.Errorf("%.40q tells %+v", l, found[0].Event)
		}
	}
	if found := p.Flush(); len(found) > 0 {
		t.Errorf("in the end: %+v", found[0].Event)
	}
}

func TestOldest_IsTheFirstLineThatIsNeededAgain(t *testing.T) {
	p := New()
	if _, ok := p.Oldest(); ok {
		t.Error("nothing was read")
	}
	p.Line(failed, 100)
	p.Line("TypeError: no crew", 200)
	p.Line("    at assign (crew.js:4:2)", 300)
	if o, ok := p.Oldest(); !ok || o != 100 {
		t.Errorf("in a trace: %d", o)
	}
	if found := p.Flush(); len(found) != 1 {
		t.Errorf("%d found", len(found))
	}
	if _, ok := p.Oldest(); ok {
		t.Error("all is told")
	}
}

func TestLanes_AreBounded(t *testing.T) {
	p := New()
	n := 0
	for i := range 3 * maxLanes {
		n += len(p.Line(fmt.Sprintf("gate-%d | panic: no crew", i), 0))
		n += len(p.Line(fmt.Sprintf("gate-%d | goroutine 1 [running]:", i), 0))
		n += len(p.Line(fmt.Sprintf("gate-%d | main.assign()", i), 0))
		n += len(p.Line(fmt.Sprintf("gate-%d | \t/srv/crew.go:7 +0x1d", i), 0))
	}
	if len(p.lanes) > maxLanes {
		t.Errorf("%d lanes are held", len(p.lanes))
	}
	if n += len(p.Flush()); n != 3*maxLanes {
		t.Errorf("%d traces of %d", n, 3*maxLanes)
	}
}

func FuzzParser(f *testing.F) {
	f.Add(failed + "\nTypeError: x\n    at f (a.js:1:2)\n" + other)
	f.Add(`{"level":50,"err":{"stack":"Error: x\n    at f (a.js:1:2)"}}`)
	for _, log := range hostileLogs(400, 20) {
		f.Add(log)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, x := range read(strings.Split(text, "\n")...) {
			if x.Event.Message == "" && len(x.Event.Exceptions) == 0 || x.Offset < 0 || x.Offset > int64(len(text)) {
				t.Fatalf("%q tells %+v", text, x)
			}
		}
	})
}

func BenchmarkParser(b *testing.B) {
	lines := []string{before, other, `{"level":30,"time":1763996342123,"pid":7,"msg":"gate open","gate":{"name":"north"}}`, "plain words of a program that has no logger", "time=2026-11-23T04:39:02.123Z level=INFO msg=\"gate open\" gate=north"}
	size := 0
	for _, l := range lines {
		size += len(l) + 1
	}
	b.SetBytes(int64(size))
	for b.Loop() {
		p := New()
		for _, l := range lines {
			p.Line(l, 0)
		}
	}
}
