package blame

import (
	"testing"

	"firethorn/internal/core/event"
)

// printed is an exception of a test with its frames.
type printed struct {
	typ, message, relation string
	parent                 int
	frames                 []event.Frame
}

func marked(list []printed) (exceptions []event.Exception, frames [][]event.Frame) {
	for i, x := range list {
		e := event.Exception{Type: x.typ, Message: x.message, Relation: x.relation}
		if i > 0 {
			e.Parent = &x.parent
		}
		exceptions, frames = append(exceptions, e), append(frames, x.frames)
	}
	return exceptions, frames
}

func own(list ...string) (out []event.Frame) {
	for _, f := range list {
		out = append(out, at(f, "bosun/x.py", event.Own))
	}
	return out
}

func golang(list ...string) (out []event.Frame) {
	for _, f := range list {
		kind, file := event.Own, "bosun/main.go"
		if taking[f] || logging.MatchString(f) {
			kind, file = event.Runtime, "/usr/local/go/src/x.go"
		}
		out = append(out, at(f, file, kind))
	}
	return out
}

func TestMark_FollowsWhatAnExceptionCameFrom(t *testing.T) {
	for name, c := range map[string]struct {
		list  []printed
		want  string
		plain string // as versions before 6 have it
	}{
		"raised on purpose while handling: it wraps": {[]printed{{typ: "BerthTaken", frames: own("assign", "main")}, {typ: "KeyError", relation: "context", frames: own("find", "assign")}}, "find", "find"},
		"a mistake made while handling":              {[]printed{{typ: "AttributeError", frames: own("assign", "main")}, {typ: "KeyError", relation: "context", frames: own("find", "assign")}}, "assign", "find"},
		"raised in what was called to clean up":      {[]printed{{typ: "LockLost", frames: own("unlock", "assign", "main")}, {typ: "KeyError", relation: "context", frames: own("find", "assign")}}, "unlock", "find"},
		"one member alone":                           {[]printed{{typ: "ExceptionGroup", frames: own("main")}, {typ: "ValueError", relation: "member", frames: own("sail")}}, "sail", "main"},
		"the member that was not called off": {[]printed{{typ: "ExceptionGroup", frames: own("main")}, {typ: "asyncio.CancelledError", relation: "member", frames: own("moor")},
			{typ: "ValueError", relation: "member", frames: own("sail")}}, "sail", "main"},
		"members that are alike": {[]printed{{typ: "AggregateError", frames: own("main")}, {typ: "ValueError", relation: "member", frames: own("sail")}, {typ: "ValueError", relation: "member", frames: own("sail")}}, "sail", "main"},
		"members that differ":    {[]printed{{typ: "AggregateError", frames: own("main")}, {typ: "ValueError", relation: "member", frames: own("sail")}, {typ: "ValueError", relation: "member", frames: own("moor")}}, "main", "main"},
		"tasks that run together": {[]printed{{typ: "ExceptionGroup", message: "unhandled errors in a TaskGroup (2 sub-exceptions)", frames: own("main")}, {typ: "ValueError", relation: "member", frames: own("sail")},
			{typ: "KeyError", relation: "member", frames: own("moor")}}, "sail", "main"},
		"a cause that does not say who called":       {[]printed{{typ: "BookingError", frames: own("loadFares")}, {typ: "HttpError", relation: "cause", frames: own("checkAnswer")}}, "loadFares", "checkAnswer"},
		"a cause that says it":                       {[]printed{{typ: "BookingError", frames: own("showFares")}, {typ: "HttpError", relation: "cause", frames: own("checkAnswer", "loadFares")}}, "loadFares", "loadFares"},
		"whoever takes a stack":                      {[]printed{{frames: golang("debug.Stack", "main.send", "main.assign", "main.main")}}, "main.assign", "main.send"},
		"a logger, and what calls it":                {[]printed{{frames: golang("slog.(*Logger).Error", "main.logTrouble", "main.assign", "main.main")}}, "main.assign", "main.logTrouble"},
		"a trace that begins in a logger of its own": {[]printed{{frames: golang("main.(*Logger).Report", "main.assign")}}, "main.assign", "main.(*Logger).Report"},
		"who only logs, where nobody else is":        {[]printed{{frames: golang("debug.Stack", "main.main")}}, "main.main", "main.main"},
		"whoever calls a logger, under a plain name": {[]printed{{frames: golang("slog.(*Logger).Error", "main.assign", "main.main")}}, "main.assign", "main.assign"},
	} {
		t.Run(name, func(t *testing.T) {
			exceptions, frames := marked(c.list)
			Mark(exceptions, frames, nil)
			if i, j, ok := Origin(frames); !ok || frames[i][j].Function != c.want {
				t.Errorf("blames %v of %d", frames[i][j].Function, i)
			}
			AgainPlainly(exceptions, frames, nil)
			if i, j, ok := Origin(frames); !ok || frames[i][j].Function != c.plain {
				t.Errorf("before version 6: blames %v of %d", frames[i][j].Function, i)
			}
		})
	}
}
