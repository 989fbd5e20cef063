package fingerprint

import (
	"fmt"
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
)

// maxStatement bounds a statement in a headline, in bytes.
const maxStatement = 80

// describe fills headline, place, message and origin.
func (r *Result) describe(e *event.Event, frames [][]event.Frame) {
	x, i, j := event.Exception{}, 0, 0
	i, j, r.HasOrigin = blame.Origin(frames)
	if len(e.Exceptions) > 0 {
		x = e.Exceptions[i] // the one the event is blamed on; the reported one where none is
	}
	r.Type, r.Message = x.Type, x.Message
	if r.Message == "" {
		r.Message = e.Message
	}
	name := x.Type
	if name == "" && x.Thrown != "" {
		name = "thrown " + x.Thrown
	}
	if says, _ := blame.Type(x); len(e.Exceptions) == 0 || !r.HasOrigin &&
		(x.Type == "" || says == "" && r.Message != "") {
		name = oneLine(r.shaped(r.Message))
	}
	r.Headline = name
	if r.HasOrigin {
		f := frames[i][j]
		r.Origin = event.Position{Function: f.Called(), File: f.File, Line: f.Line, Column: f.Column}
		path := blame.Module(f)
		base := path[strings.LastIndexByte(path, '/')+1:]
		r.Place = fmt.Sprintf("%s:%d", f.File, f.Line)
		switch {
		case f.Line == 0:
			r.Place = f.File
		case f.Pending:
			r.Place = fmt.Sprintf("%s:%d:%d", path, f.Line, f.Column)
		}
		switch {
		case f.Called() != "" && name != "" && !f.Pending: // a minified name says nothing
			r.Headline = name + " in " + f.Called()
		case f.Statement != "" && name != "" && path != "":
			r.Headline = name + " in " + base + ": " + event.TrimText(f.Statement, maxStatement)
		case name != "" && path != "":
			r.Headline = name + " in " + base
		}
	}
	if r.Headline == "" {
		r.Headline = oneLine(r.Message)
	}
	r.Headline = event.TrimText(r.Headline, 250)
}

func oneLine(s string) string {
	s, _, _ = strings.Cut(strings.TrimSpace(s), "\n")
	return s
}
