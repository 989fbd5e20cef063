package fingerprint

import (
	"net/url"
	"regexp"
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
)

func (r *Result) compute(e *event.Event, frames [][]event.Frame) {
	i, j, ok := blame.Origin(frames)
	if i < len(e.Exceptions) {
		if typ, why := blame.Type(e.Exceptions[i]); typ != "" {
			r.add("type", typ, orElse(why, "the type of the exception that is blamed"), -1, -1)
		} else if why != "" {
			r.leave("type", e.Exceptions[i].Type, why)
		}
	}
	if ok {
		r.addOrigin(e, frames, i, j)
		r.addAs(e, frames, i, j)
		r.leaveRest(e, frames, i, j)
		return
	}
	if i, j, ok := firstFrame(frames, event.Vendor); ok {
		r.addFrame(frames, i, j, "the trace has no own frame; the innermost frame of a dependency is used instead")
		r.addMessage(lastMessage(e), "without own frames the message counts, its variable parts taken out")
		return
	}
	shape := r.addMessage(lastMessage(e), "there are no frames; the message counts, its variable parts taken out")
	if shape == "" && i < len(e.Exceptions) && !r.has("type") && e.Exceptions[i].Type != "" {
		r.add("type", e.Exceptions[i].Type, "there is nothing else", -1, -1)
	}
	if host := scriptHost(frames); host != "" && hidden.MatchString(shape) {
		r.add("script", host, "the browser hides what happened in a script of another origin; where it comes from counts", -1, -1)
	}
}

// hidden is what browsers say of errors in scripts of another origin.
var hidden = regexp.MustCompile(`^(?i:script error\.?)$`)

func scriptHost(frames [][]event.Frame) string {
	for _, list := range frames {
		for _, f := range list {
			if u, err := url.Parse(f.Raw.File); err == nil && u.Host != "" {
				return strings.ToLower(u.Host)
			}
		}
	}
	return ""
}

func (r *Result) addOrigin(e *event.Event, frames [][]event.Frame, i, j int) {
	f := frames[i][j]
	if f.Pending {
		// Minified names change with each build: the file and the message hold longer.
		r.add("module", r.module(f), "the origin's file; its function is not known while symbols are missing", i, j)
		r.addMessage(lastMessage(e), "used instead of the function while symbols are missing")
		return
	}
	asks := i < len(e.Exceptions) && r.asks(frames[i], j) && !r.local(e.Exceptions[i])
	if asks {
		if module, function, ok := r.learned.Asked(f, e.Exceptions[i].Message); ok {
			const why = "the function that failed asks for others; who asked for this is known from other events, for the trace does not say"
			r.add("module", module, why, -1, -1)
			r.add("function", function, why, -1, -1)
			r.add("through", r.module(f)+" "+blame.Function(f), "the function that failed on the origin's behalf", i, j)
			return
		}
	}
	if name, ok := nativeBelow(frames[i], j); ok && f.Vanished && r.Version >= 6 {
		r.add("native", name, "the function of the runtime that failed; the engine left out who called it", -1, -1)
		r.addFrame(frames, i, j, "the nearest own function that the engine names")
		return
	}
	r.addFrame(frames, i, j, "the origin: the own function that is blamed")
	// Functions without a name of their own are numbered in Go: all of one function
	// are called alike.
	numbered := r.Version >= 6 && strings.HasSuffix(blame.Function(f), ".func") && !r.has("type")
	switch {
	case blame.Function(f) != "" && !numbered:
	case f.Statement != "" && r.Version >= 4:
		r.add("statement", f.Statement, "the origin's function is unknown; its source statement is used instead", -1, -1)
	default:
		message := ""
		if i < len(e.Exceptions) {
			message = e.Exceptions[i].Message
		}
		r.addMessage(message, "the origin has no name; the message distinguishes it")
	}
	if asks && !r.has("message") {
		// Engines that do not say who awaited leave the message alone to tell.
		r.add("message", r.wish(e.Exceptions[i].Message), "the origin acts on behalf of its callers, and the trace does not show which", -1, -1)
	}
	if k, ok := blame.Through(frames[i], j); ok && i < len(e.Exceptions) && !r.local(e.Exceptions[i]) {
		r.add("through", r.module(frames[i][k])+" "+blame.Function(frames[i][k]),
			"the function that failed on the origin's behalf", i, k)
	}
}

// asks says whether the frame at j asks something of others on behalf of a
// caller that the trace does not show.
func (r *Result) asks(frames []event.Frame, j int) bool {
	if r.Version < 6 {
		return blame.Asks(frames, j)
	}
	return r.learned.AsksBySource(frames, j)
}

func (r *Result) addFrame(frames [][]event.Frame, i, j int, why string) {
	f := frames[i][j]
	r.add("module", r.module(f), why, i, j)
	r.add("function", blame.Function(f), why, i, j)
}

func (r *Result) addMessage(message, why string) string {
	says := r.plain(message)
	r.add("message", says, why, -1, -1)
	return says
}
