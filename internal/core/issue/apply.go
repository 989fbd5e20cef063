package issue

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/release"
)

// Verb names an action.
type Verb string

// The actions.
const (
	Accept    Verb = "accept"
	Assign    Verb = "assign"
	Fixing    Verb = "fix"
	Parking   Verb = "park"
	Reopen    Verb = "reopen"
	Dismiss   Verb = "dismiss"
	CountOnly Verb = "count-only"
	Grade     Verb = "severity"
	Undo      Verb = "undo"
)

// Verbs lists all actions.
var Verbs = []Verb{Accept, Assign, Fixing, Parking, Reopen, Dismiss, CountOnly, Grade, Undo}

// Action is what a person does to an issue.
type Action struct {
	Verb   Verb
	To     string    // Assign: the person; "" takes the owner away
	Fix    Fix       // Fixing
	Park   Park      // Parking
	Grade  string    // Grade: the severity; "" is what the events say
	Before *Standing // Undo: what the newest change replaced
	Undone Kind      // Undo: what that change was
	By     string    // who does it; "" when no person does
	At     time.Time // when, UTC
}

// Apply performs an action. It returns the new standing and the entry, or a
// *fault.Error with code conflict or bad_input, and then nothing has changed.
func Apply(s Standing, a Action) (Standing, Entry, error) {
	was := s
	e := Entry{Kind: Kind(a.Verb), Before: &was}
	refuse := func(format string, args ...any) (Standing, Entry, error) {
		return was, Entry{}, fault.New(fault.Conflict, format, args...)
	}
	switch a.Verb {
	case Accept:
		switch s.State {
		case Accepted:
			return refuse("this issue is accepted already")
		case Fixed, Dismissed:
			return refuse("this issue is %s; reopen it, then it is accepted", s.State)
		}
		s = open(s)
		e.Words = "accepted"
	case Assign:
		switch {
		case a.To == "" && s.Owner == "":
			return refuse("nobody has this issue")
		case a.To == s.Owner && s.State != New && s.State != Regressed:
			return refuse("%s has this issue already", a.To)
		}
		s.Owner = a.To
		e.Words = "assigned to " + a.To
		if a.To == "" {
			e.Words, e.Tell = "taken from "+was.Owner, tell(was.Owner)
			break
		}
		e.Tell = tell(a.To, was.Owner)
		if s.State == New || s.State == Regressed {
			s = open(s)
			e.Words += ", and so accepted"
		}
	case Fixing:
		if err := a.Fix.check(); err != nil {
			return was, Entry{}, err
		}
		if s.State == Fixed && s.Fix.same(a.Fix) {
			return refuse("this issue is fixed %s already", s.Fix.Words())
		}
		s = closed(s, Fixed)
		s.Fix = a.Fix
		s.FixedAt, s.FixedBy = a.At, a.By
		e.Words = "fixed " + s.Fix.Words()
		if a.Fix.Kind == FixNow {
			e.Words = "fixed as of now"
		}
	case Parking:
		if err := a.Park.check(a.At); err != nil {
			return was, Entry{}, err
		}
		switch s.State {
		case Fixed:
			return refuse("this issue is fixed: it wakes by itself when it comes back; reopen it to park it")
		case Dismissed:
			return refuse("this issue is dismissed; reopen it to park it")
		}
		s = closed(s, Parked)
		s.Parked = a.Park
		s.Parked.At, s.Parked.By = a.At, a.By
		e.Words = "parked until " + s.Parked.Words()
	case Reopen:
		if s.State.Open() {
			return refuse("this issue is open already (%s); only a fixed, parked or dismissed one can be reopened", s.State)
		}
		s = open(s)
		e.Words = "reopened"
	case Dismiss:
		if s.State == Dismissed && !s.CountOnly {
			return refuse("this issue is dismissed already")
		}
		s = closed(s, Dismissed)
		e.Words = "dismissed"
		if was.CountOnly {
			e.Words = "dismissed; bodies of its events are kept again"
		}
	case CountOnly:
		if s.CountOnly {
			return refuse("this issue is counted only already")
		}
		s = closed(s, Dismissed)
		s.CountOnly = true
		e.Words = "dismissed and counted only: bodies of its events are not kept from now on"
	case Grade:
		if a.Grade != "" && !slices.Contains(Severities, a.Grade) {
			return was, Entry{}, fault.New(fault.BadInput, "%.60q is not a severity; use one of %s, or events for the severity of the events", a.Grade, strings.Join(Severities, ", "))
		}
		if a.Grade == s.Severity {
			return refuse("its severity is %s already", cmp.Or(a.Grade, "what the events say"))
		}
		s.Severity = a.Grade
		e.Words = "called " + a.Grade
		if a.Grade == "" {
			e.Words = "its severity is what the events say again"
		}
	case Undo:
		if a.Before == nil {
			return refuse("there is nothing to undo")
		}
		s = *a.Before
		if a.Undone == CameBack { // what came back until now says nothing any more
			s.FixedAt = a.At
		}
		e.Before = nil
		e.Words = fmt.Sprintf("undone: back to %s", Describe(s))
	default:
		return was, Entry{}, fault.New(fault.BadInput, "there is no action %q", a.Verb)
	}
	if len(e.Tell) == 0 { // one's own issue, and somebody else decided
		e.Tell = tell(was.Owner)
	}
	return s, e, nil
}

// open takes up an issue.
func open(s Standing) Standing {
	return Standing{State: Accepted, Owner: s.Owner, Severity: s.Severity}
}

// closed puts an issue away, with whoever has it.
func closed(s Standing, to State) Standing {
	return Standing{State: to, Owner: s.Owner, Severity: s.Severity}
}

// Give is what a rule does that gives an issue to somebody: why is what it says
// to it. It takes an issue from nobody and leaves its state to people; entry is
// nil when somebody has it.
func Give(s Standing, to, why string) (Standing, *Entry) {
	if s.Owner != "" || to == "" || !s.State.Open() {
		return s, nil
	}
	was := s
	s.Owner = to
	return s, &Entry{Kind: Given, Words: "given to " + to + " by " + why, Before: &was, Tell: tell(to)}
}

// Severities are what a person can call an issue, the worst first.
var Severities = []string{"fatal", "error", "warning", "info", "debug"}

// check says what a fix lacks.
func (f Fix) check() error {
	switch f.Kind {
	case FixRelease:
		if f.FixedIn == "" {
			return fault.New(fault.BadInput, "say how it is fixed: in a release (--in RELEASE), in the next one (--next), by a commit (--commit HASH), or from now on (--now)")
		}
	case FixCommit:
		if f.Commit == "" {
			return fault.New(fault.BadInput, "say which commit fixes it")
		}
	case FixNext, FixNow:
	default:
		return fault.New(fault.BadInput, "a fix is in a release, in the next one, by a commit or as of now; %q is none of these", f.Kind)
	}
	return nil
}

// same says whether two fixes say the same.
func (f Fix) same(g Fix) bool {
	if f.Kind != g.Kind || f.Kind == FixNow {
		return false
	}
	return f.Kind == FixRelease && f.FixedIn == g.FixedIn || f.Kind == FixNext && f.After == g.After &&
		f.FixedIn == "" || f.Kind == FixCommit && f.Commit == g.Commit
}

// Out is what it does to a fixed issue that the fix is found in a release for
// the first time. entry is nil when that changes nothing.
func Out(s Standing, in release.Release) (Standing, *Entry) {
	if s.State != Fixed || s.FixedIn != "" || s.Kind != FixNext && s.Kind != FixCommit || in.Version == "" {
		return s, nil
	}
	was := s
	s.FixedIn = in.Version
	words := "the fix is out in " + in.Version
	if was.Kind == FixNext {
		words += ", " + firstAfter(was.After)
	}
	return s, &Entry{Kind: Released, Words: words, Release: in.Version, Tell: tell(s.FixedBy)}
}

func firstAfter(after string) string {
	if after == "" {
		return "the first release"
	}
	return "the next release after " + after
}
