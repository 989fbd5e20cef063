// Package fingerprint computes the fingerprint that decides which issue an event belongs to, and
// explains what it was made from. Two events with the same cause get the same fingerprint, regardless
// of browser, release, call depth and position.
//
// Input is an event and its readable frames; output is a Result: the key, the
// key of the variant, the headline and the place, and the reasons. Pure and
// versioned: Version grows with each change of stack parsing, symbolication,
// function names, scrubbing or of this package that changes a key.
package fingerprint

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/shape"
)

// The grouping versions that this package computes. Version is the newest,
// which new projects have; Oldest the oldest one that projects can stay at.
//
//	2  functions that fail on behalf of their callers are found out
//	3  codes in which letters and digits are mixed are taken out of messages
//	4  functions have the names from their original source, or the statement stands in
//	5  messages are parsed by a grammar: ids in paths and words are removed
//	6  contexts, members, outer callers, loggers and helpers are judged by traces and sources
const (
	Version = 6
	Oldest  = 2
)

// Versions says what each grouping version brought, the oldest first.
var Versions = []struct {
	Number int
	Text   string
}{
	{2, "functions that fail on behalf of their callers are recognised by the number of callers"},
	{3, "codes that mix letters and digits (7fKq2xPd) are removed from messages"},
	{4, "functions have the names from their original source; if none can be determined, the source statement is used"},
	{5, "messages are parsed by a grammar: ids in paths, addresses and words are removed, field names are kept"},
	{6, "helpers are found by their source; errors raised while handling another, members of aggregates and logging functions no longer mislead; ids of all kinds are alike; the deployment directory does not count"},
}

// Key is the first half of a SHA-256.
type Key [16]byte

// Part is one thing the fingerprint was made from, or that was left out of it.
type Part struct {
	// "type", "module", "function", "through", "message", "script", "application", "rule"; of what
	// was left out also "position", "own frames" …
	What  string `json:"what"`
	Value string `json:"value"`          // as it was used
	Why   string `json:"why"`            // why it counts, or does not
	From  string `json:"from,omitempty"` // the frame or text it was taken from: "format src/fares.ts:15"
}

// Result is a computed fingerprint and everything derived from it.
type Result struct {
	Key         Key
	Variant     Key  // what can only ever move together
	Base        Key  // without what the application added; Key when it added nothing
	Provisional bool // symbols that may still come can change it
	Parts       []Part
	Left        []Part // what was looked at and left out
	Headline    string // "TypeError in tideAt"
	Place       string // "src/timetable/tides.ts:48", "" when not known
	Type        string // of the exception that the event is blamed on; "" for none
	Message     string // of the exception, or the event's own
	Origin      event.Position
	HasOrigin   bool
	// Caller is the function that called the origin, "" where it makes no
	// difference. Events of several callers are variants of their own: when the
	// origin turns out to fail on behalf of them, they can be distinguished.
	Caller string
	// CallerName is what that function is called: by how many names there are, a
	// helper is found out, for callers move to other files as well.
	CallerName string
	Looked     bool // the origin that Compute gives was looked through
	// Version is the grouping version it was computed by.
	Version int
	// As are the fingerprints that the event would have had in engines that leave
	// frames out; Stays is what of its own does not change when functions move.
	As    []Key
	Stays string
	// Ruling is what a rule of the project says, nil where none does.
	Ruling *Ruling

	frames  [][]event.Frame
	learned *blame.Helpers
	at      [][2]int // the frames that were used
	extra   string   // what the variant is bound to beside the parts
}

// Compute makes the fingerprint of e by a grouping version; its frames are
// given as symbolicate.Event returns them, one marked by package blame.
func Compute(version int, e *event.Event, frames [][]event.Frame) Result {
	return ComputeWith(version, e, frames, nil)
}

// ComputeWith is Compute with what was learned of many events: who asks a
// function that fails on behalf of others, where the trace itself does not say.
func ComputeWith(version int, e *event.Event, frames [][]event.Frame, learned *blame.Helpers) Result {
	r := Result{frames: frames, learned: learned, Version: version}
	r.describe(e, frames)
	if g := e.Grouping; g != nil && len(g.Replace) > 0 {
		for _, v := range g.Replace {
			r.add("application", fill(v, e), "the application's own key "+v+" replaces the computed one", -1,
				-1)
		}
	} else {
		r.compute(e, frames)
		if g != nil && len(g.Extend) > 0 {
			r.Base = r.hash("")
			for _, v := range g.Extend {
				r.add("application", fill(v, e), "the application's own key "+v+" is added", -1, -1)
			}
		}
	}
	r.Key, r.Stays = r.hash(""), r.stays()
	if r.Base == (Key{}) {
		r.Base = r.Key
	}
	r.extra = r.pendingRaw(e, frames)
	if e.Grouping == nil || len(e.Grouping.Replace) == 0 {
		if i, j, ok := r.askedBy(e, frames); ok && r.extra == "" {
			r.Caller, r.CallerName = r.module(frames[i][j])+" "+blame.Function(frames[i][j]),
				blame.Function(frames[i][j])
			r.extra = "by " + r.Caller
		}
	}
	if len(r.As) > 0 {
		r.extra += " whole" // what it is where frames are left out is noted once for each variant
	}
	r.Variant = r.hash(r.extra)
	return r
}

// Own is the fingerprint as it is computed, without the application's word.
func (r *Result) Own(e *event.Event) Key {
	if e.Grouping == nil || len(e.Grouping.Replace) == 0 {
		return r.Base
	}
	alone := *e
	alone.Grouping = nil
	plain := Compute(r.Version, &alone, r.frames)
	return plain.Key
}

// askedBy is the frame that called the origin, where it may have asked for
// what failed.
func (r *Result) askedBy(e *event.Event, frames [][]event.Frame) (i, j int, ok bool) {
	i, j, ok = blame.Origin(frames)
	if !ok || i >= len(e.Exceptions) || frames[i][j].Pending || r.local(e.Exceptions[i]) {
		return 0, 0, false
	}
	j, ok = blame.CallerOf(frames[i], j)
	return i, j, ok
}

// Through computes the fingerprint of an event whose origin was found to fail
// on behalf of its callers: who called it is blamed. The variant stays that of
// first, and so does what a rule said. It marks frames again.
func (r Result) Through(e *event.Event, frames [][]event.Frame) Result {
	i, j, ok := r.askedBy(e, frames)
	if !ok || r.Caller == "" {
		return r
	}
	for k := range frames[i] {
		frames[i][k].Origin = k == j
	}
	next := Compute(r.Version, e, frames).Under(r.Ruling)
	next.Variant, next.Caller, next.Looked = r.Variant, r.Caller, true
	return next
}

// FoundOut says whether a function with so many different callers fails on
// their behalf.
func FoundOut(e *event.Event, frames [][]event.Frame, callers int) bool {
	i, j, ok := blame.Origin(frames)
	return ok && i < len(frames) && blame.Enough(callers, blame.Hinted(frames[i][j]), false)
}

func (r *Result) add(what, value, why string, i, j int) {
	p := Part{What: what, Value: value, Why: why}
	if i >= 0 {
		f := r.frames[i][j]
		p.From = strings.TrimSpace(fmt.Sprintf("%s %s:%d", f.Called(), f.File, f.Line))
		r.at = append(r.at, [2]int{i, j})
	}
	r.Parts = append(r.Parts, p)
}

func (r *Result) leave(what, value, why string) {
	r.Left = append(r.Left, Part{What: what, Value: value, Why: why})
}

func (r *Result) has(what string) bool {
	return slices.ContainsFunc(r.Parts, func(p Part) bool { return p.What == what })
}

func (r *Result) used(i, j int) bool { return slices.Contains(r.at, [2]int{i, j}) }

// local says whether an exception reports a mistake in the very function that failed.
func (r *Result) local(x event.Exception) bool {
	if r.Version < 6 {
		return blame.Local(x)
	}
	return blame.Itself(x)
}

// module is where a frame's function is written.
func (r *Result) module(f event.Frame) string {
	if r.Version < 6 {
		return blame.Module(f)
	}
	return blame.ModuleBelowRoot(f)
}

// plain is a message in one form for all engines, its variable parts taken out.
func (r *Result) plain(message string) (says string) {
	switch {
	case r.Version < 3:
		says, _ = blame.Plain(message)
	case r.Version < 5:
		says, _ = blame.PlainCodes(message)
	case r.Version < 6:
		says, _ = blame.PlainShape(message)
	default:
		says, _ = blame.PlainIDs(message)
	}
	return says
}

// shaped is a message with its variable parts taken out, in the engine's own words.
func (r *Result) shaped(message string) string {
	switch {
	case r.Version < 3:
		return blame.Shape(message)
	case r.Version < 5:
		return blame.ShapeCodes(message)
	}
	return shape.Of(message)
}

// wish is what a message says was asked for.
func (r *Result) wish(message string) string {
	switch {
	case r.Version < 5:
		return blame.Wish(message)
	case r.Version < 6:
		return blame.WishShape(message)
	}
	return blame.WishIDs(message)
}

// leaveRest says what of a trace with an origin was left out, in few words.
func (r *Result) leaveRest(e *event.Event, frames [][]event.Frame, i, j int) {
	f := frames[i][j]
	if f.Line > 0 {
		r.leave("position", fmt.Sprintf("%s:%d", f.File, f.Line), "lines and columns move with every release")
	}
	if m := r.Message; m != "" && !r.has("message") {
		r.leave("message", event.TrimText(oneLine(m), 200), "it differs from browser to browser and from one occurrence to the next, and the origin says more")
	}
	count := map[event.Kind]int{}
	for a := range frames {
		for b, g := range frames[a] {
			if (a != i || b != j) && !r.used(a, b) {
				count[g.Kind]++
			}
		}
	}
	for _, k := range []struct {
		kind event.Kind
		why  string
	}{{event.Own, "how the origin was reached does not change what went wrong there"}, {event.Vendor, "dependencies are not at fault where own code is"}, {event.Runtime, "the runtime is not at fault"}} {
		if n := count[k.kind]; n > 0 {
			r.leave(string(k.kind)+" frames", strconv.Itoa(n), k.why)
		}
	}
	for k, x := range e.Exceptions {
		if k != i && x.Type != "" {
			r.leave("exception", x.Type, "another exception of the chain is blamed: the same cause comes bare and wrapped")
		}
	}
}

func firstFrame(frames [][]event.Frame, kind event.Kind) (i, j int, ok bool) {
	for i := len(frames) - 1; i >= 0; i-- {
		for j, f := range frames[i] {
			if f.Kind == kind {
				return i, j, true
			}
		}
	}
	return 0, 0, false
}

func lastMessage(e *event.Event) string {
	for i := len(e.Exceptions) - 1; i >= 0; i-- {
		if e.Exceptions[i].Message != "" {
			return e.Exceptions[i].Message
		}
	}
	return e.Message
}

func orElse(s, or string) string {
	if s == "" {
		return or
	}
	return s
}
