package alert

import (
	"strconv"
	"strings"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/query"
	"firethorn/internal/core/rules"
)

// Seen is an event with what is known of it and its issue, for searches in rules.
type Seen struct {
	Event      *event.Event
	Frames     [][]event.Frame
	Attributes []attributes.Named
	Headline   string
	Place      string
	Issue      rules.IssueFacts
	Before     func(a, b string) bool // of releases, in the project's order; nil: not known
	// Saved gives the search that members share under a name; "" where there is none.
	Saved func(name string) string
}

// Matches says whether the event fits a search. One that cannot be read fits nothing.
func (s Seen) Matches(search string) bool { return s.matches(search, 0) }

// maxSaved is how deep saved searches may name others.
const maxSaved = 4

func (s Seen) matches(search string, depth int) bool {
	tree, err := query.Parse(search)
	if err != nil || depth > maxSaved {
		return false
	}
	saved := func(name string) bool {
		found := ""
		if s.Saved != nil {
			found = s.Saved(name)
		}
		return found != "" && s.matches(found, depth+1)
	}
	return query.Matches(tree, query.Subject{Before: s.Before, Texts: s.texts, Values: s.values, Saved: saved})
}

func (s Seen) texts() []string {
	out := []string{s.Headline, s.Place, s.Event.Message}
	for _, x := range s.Event.Exceptions {
		out = append(out, x.Type, x.Message)
	}
	return out
}

// values are those of a field or an attribute; absent ones have none.
func (s Seen) values(name string) []string {
	one := func(text string) []string {
		if text == "" {
			return nil
		}
		return []string{text}
	}
	switch name {
	case "state":
		out := []string{s.Issue.State, "all"}
		if s.Issue.State == "new" || s.Issue.State == "accepted" || s.Issue.State == "regressed" {
			out = append(out, "open")
		}
		return out
	case "owner":
		return one(s.Issue.Owner)
	case "severity":
		return one(string(s.Event.Severity))
	case "handled":
		if s.Event.Handled == nil {
			return nil
		}
		return one(strconv.FormatBool(*s.Event.Handled))
	case "events":
		return one(strconv.FormatInt(s.Issue.Events, 10))
	case "users":
		return one(strconv.FormatInt(s.Issue.Users, 10))
	case "impact":
		return one(strconv.FormatFloat(s.Issue.Impact, 'f', -1, 64))
	case "release":
		return one(s.Event.Release())
	case "environment":
		return one(s.Event.Environment())
	case "place":
		return one(s.Place)
	case "headline":
		return one(s.Headline)
	case "message":
		return s.messages()
	case "session":
		return one(s.Event.Attributes.Text("session.id"))
	case "trace":
		return one(s.Event.TraceID)
	case "user":
		_, identity := s.Event.Identity()
		return one(identity)
	}
	return s.more(name)
}

func (s Seen) messages() (out []string) {
	if s.Event.Message != "" {
		out = append(out, s.Event.Message)
	}
	for _, x := range s.Event.Exceptions {
		out = append(out, x.Message)
	}
	return out
}

// more are fields of the trace, and attributes.
func (s Seen) more(name string) (out []string) {
	switch name {
	case "type":
		for _, x := range s.Event.Exceptions {
			out = append(out, x.Type)
		}
		return out
	case "file", "function":
		i, j, ok := blame.Origin(s.Frames)
		if !ok {
			return nil
		}
		if name == "file" {
			return []string{s.Frames[i][j].File}
		}
		return []string{s.Frames[i][j].Called()}
	}
	for _, a := range s.Attributes {
		if a.Name == name {
			out = append(out, a.Value.String())
		}
	}
	return out
}

// Blamed are type and message of the exception that holds the origin, which the issue's headline
// names, and its innermost own frames, maxFrames at most; of an event without own frames, the first
// exception.
func Blamed(e *event.Event, frames [][]event.Frame, maxFrames int) (exception string, own []string) {
	at, _, ok := blame.Origin(frames)
	if !ok {
		at = 0
	}
	if at < len(e.Exceptions) {
		x := e.Exceptions[at]
		exception = strings.TrimSuffix(x.Type+": "+x.Message, ": ")
	}
	if at < len(frames) {
		own = ownFrames(frames[at], maxFrames)
	}
	return exception, own
}

func ownFrames(frames []event.Frame, maxFrames int) (out []string) {
	for _, f := range frames {
		if f.Kind != event.Own || len(out) == maxFrames {
			continue
		}
		line := f.Called()
		if f.File != "" {
			line += " (" + f.File
			if f.Line > 0 {
				line += ":" + strconv.Itoa(int(f.Line))
			}
			if f.Line > 0 && f.Column > 0 && f.WhyRaw != "" { // all of a minified file is one line
				line += ":" + strconv.Itoa(int(f.Column))
			}
			line += ")"
		}
		out = append(out, strings.TrimSpace(line))
	}
	return out
}
