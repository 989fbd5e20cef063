// Package issue is the life of an issue: a pure state machine. An action or
// an event goes in; the new state and an entry for the history come out, or
// a refusal in words.
package issue

import (
	"fmt"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/release"
)

// State is where an issue stands.
type State string

// The states that issues have.
const (
	New       State = "new"
	Accepted  State = "accepted"
	Fixed     State = "fixed"
	Regressed State = "regressed"
	Dismissed State = "dismissed"
)

// States lists all states, in the order they are shown.
var States = []State{Regressed, New, Accepted, Fixed, Dismissed}

// Open says whether somebody still has to do something.
func (s State) Open() bool { return s == New || s == Accepted || s == Regressed }

// Standing is what people decide about an issue; it holds no counts.
type Standing struct {
	State   State  `json:"state"`
	Owner   string `json:"owner,omitempty"` // a person's name, "" when nobody has it
	FixedIn string `json:"fixed_in,omitempty"`
}

// Verb names an action.
type Verb string

// The actions.
const (
	Accept  Verb = "accept"
	Assign  Verb = "assign"
	Fix     Verb = "fix"
	Reopen  Verb = "reopen"
	Dismiss Verb = "dismiss"
	Undo    Verb = "undo"
)

// Action is what a person does to an issue.
type Action struct {
	Verb    Verb
	To      string    // Assign: the person; "" takes the owner away
	Release string    // Fix: the release it is fixed in
	Before  *Standing // Undo: what the last action changed
}

// Entry is one line of an issue's history.
type Entry struct {
	Kind    string    `json:"kind"`              // the verb, "regressed", "seen_in_older_release", "first_seen"
	Words   string    `json:"words"`             // one sentence
	Before  *Standing `json:"before,omitempty"`  // human actions: what undo restores
	Release string    `json:"release,omitempty"` // "regressed": the release in which it came back
}

// Apply performs an action. It returns the new standing and the entry, or a
// *fault.Error with code conflict or bad_input.
func Apply(s Standing, a Action) (Standing, Entry, error) {
	before := s
	e := Entry{Kind: string(a.Verb), Before: &before}
	switch a.Verb {
	case Accept:
		if s.State == Accepted {
			return s, e, fault.New(fault.Conflict, "this issue is accepted already")
		}
		s.State, s.FixedIn = Accepted, ""
		e.Words = "accepted"
	case Assign:
		s.Owner = a.To
		e.Words = "assigned to " + a.To
		if a.To == "" {
			e.Words = "taken from " + before.Owner
			break
		}
		if s.State == New || s.State == Regressed {
			s.State = Accepted
			e.Words += ", and so accepted"
		}
	case Fix:
		if a.Release == "" {
			return s, e, fault.New(fault.BadInput, "say in which release it is fixed: fix ID --in RELEASE")
		}
		s.State, s.FixedIn = Fixed, a.Release
		e.Words = "fixed in " + a.Release
	case Reopen:
		if s.State.Open() {
			return s, e, fault.New(fault.Conflict, "this issue is open already (%s); only a fixed or dismissed one can be reopened", s.State)
		}
		s.State, s.FixedIn = Accepted, ""
		e.Words = "reopened"
	case Dismiss:
		if s.State == Dismissed {
			return s, e, fault.New(fault.Conflict, "this issue is dismissed already")
		}
		s.State, s.FixedIn = Dismissed, ""
		e.Words = "dismissed"
	case Undo:
		if a.Before == nil {
			return s, e, fault.New(fault.Conflict, "there is nothing to undo")
		}
		s = *a.Before
		e.Before = nil
		e.Words = fmt.Sprintf("undone: back to %s", Describe(s))
	default:
		return s, e, fault.New(fault.BadInput, "there is no action %q", a.Verb)
	}
	return s, e, nil
}

// Describe says a standing in words: "fixed in 4.2.0, with Maren Holt".
func Describe(s Standing) string {
	out := string(s.State)
	if s.State == Fixed {
		out += " in " + s.FixedIn
	}
	if s.Owner != "" {
		out += ", with " + s.Owner
	}
	return out
}

// Seen is what an event in a release does to a standing; policy is by what the
// project orders releases. changed is true when the issue regressed; entry is
// nil when there is nothing to say.
func Seen(s Standing, in, fixedIn release.Release, policy release.Policy) (_ Standing, entry *Entry, changed bool) {
	if s.State != Fixed {
		return s, nil, false
	}
	if in.Version == "" {
		return s, &Entry{Kind: "seen_without_release", Words: "seen in an event that names no release; it stays fixed in " + s.FixedIn}, false
	}
	order := release.Compare(in, fixedIn, policy)
	switch {
	case order.By == release.ByNothing:
		return s, &Entry{Kind: "seen_in_unordered_release", Words: fmt.Sprintf("seen in %s; whether that contains the fix of %s cannot be told (%s); it stays fixed", in.Version, s.FixedIn, order.Why)}, false
	case order.Compare < 0:
		return s, &Entry{Kind: "seen_in_older_release", Words: fmt.Sprintf("seen in %s, which is older than %s (%s); it stays fixed", in.Version, s.FixedIn, order.Why)}, false
	}
	e := &Entry{Kind: "regressed", Release: in.Version, Words: fmt.Sprintf("came back in %s, which contains the fix of %s (%s)", in.Version, s.FixedIn, order.Why)}
	if order.By == release.BySame {
		e.Words = fmt.Sprintf("came back in %s, the release it was fixed in", in.Version)
	}
	s.State = Regressed
	return s, e, true
}
