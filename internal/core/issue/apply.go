package issue

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/problem"
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
	Before *Status   // Undo: what the newest change replaced
	Undone Kind      // Undo: what that change was
	By     string    // who does it; "" when no person does
	At     time.Time // when, UTC
}

// Apply performs an action. It returns the new standing and the entry, or a
// *problem.Error with code conflict or bad_input, and then nothing has changed.
func Apply(s Status, a Action) (Status, Entry, error) {
	was := s
	e := Entry{Kind: Kind(a.Verb), Before: &was}
	refuse := func(format string, args ...any) (Status, Entry, error) {
		return was, Entry{}, problem.New(problem.Conflict, format, args...)
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
		e.Text = "accepted"
	case Assign:
		switch {
		case a.To == "" && s.Owner == "":
			return refuse("this issue has no owner")
		case a.To == s.Owner && s.State != New && s.State != Regressed:
			return refuse("%s has this issue already", a.To)
		}
		s.Owner = a.To
		e.Text = "assigned to " + a.To
		if a.To == "" {
			e.Text, e.Notify = "taken from "+was.Owner, notify(was.Owner)
			break
		}
		e.Notify = notify(a.To, was.Owner)
		if s.State == New || s.State == Regressed {
			s = open(s)
			e.Text += ", and so accepted"
		}
	case Fixing:
		if err := a.Fix.check(); err != nil {
			return was, Entry{}, err
		}
		if s.State == Fixed && s.Fix.same(a.Fix) {
			return refuse("this issue is fixed %s already", s.Fix.Text())
		}
		s = closed(s, Fixed)
		s.Fix = a.Fix
		s.FixedAt, s.FixedBy = a.At, a.By
		e.Text = "fixed " + s.Fix.Text()
		if a.Fix.Kind == FixNow {
			e.Text = "fixed as of now"
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
		e.Text = "parked until " + s.Parked.Text()
	case Reopen:
		if s.State.Open() {
			return refuse("this issue is open already (%s); only a fixed, parked or dismissed one can be reopened", s.State)
		}
		s = open(s)
		e.Text = "reopened"
	case Dismiss:
		if s.State == Dismissed && !s.CountOnly {
			return refuse("this issue is dismissed already")
		}
		s = closed(s, Dismissed)
		e.Text = "dismissed"
		if was.CountOnly {
			e.Text = "dismissed; bodies of its events are kept again"
		}
	case CountOnly:
		if s.CountOnly {
			return refuse("this issue is counted only already")
		}
		s = closed(s, Dismissed)
		s.CountOnly = true
		e.Text = "dismissed and counted only: bodies of its events are not kept from now on"
	case Grade:
		if a.Grade != "" && !slices.Contains(Severities, a.Grade) {
			return was, Entry{}, problem.New(problem.BadInput, "%.60q is not a severity; use one of %s, or events for the severity of the events", a.Grade, strings.Join(Severities, ", "))
		}
		if a.Grade == s.Severity {
			return refuse("its severity is %s already", cmp.Or(a.Grade, "what the events say"))
		}
		s.Severity = a.Grade
		e.Text = "called " + a.Grade
		if a.Grade == "" {
			e.Text = "its severity is what the events say again"
		}
	case Undo:
		if a.Before == nil {
			return refuse("there is nothing to undo")
		}
		s = *a.Before
		if a.Undone == CameBack { // what came until now says nothing any more
			s.FixedAt = a.At
		}
		e.Before = nil
		e.Text = fmt.Sprintf("undone: back to %s", Describe(s))
	default:
		return was, Entry{}, problem.New(problem.BadInput, "there is no action %q", a.Verb)
	}
	if len(e.Notify) == 0 { // one's own issue, and somebody else decided
		e.Notify = notify(was.Owner)
	}
	return s, e, nil
}

// open takes up an issue.
func open(s Status) Status {
	return Status{State: Accepted, Owner: s.Owner, Severity: s.Severity}
}

// closed closes an issue, whoever owns it.
func closed(s Status, to State) Status {
	return Status{State: to, Owner: s.Owner, Severity: s.Severity}
}

// Give assigns an issue by a rule; why is the rule's reason. It never takes an issue from
// its owner and leaves its state to people; entry is nil when the issue has an owner.
func Give(s Status, to, why string) (Status, *Entry) {
	if s.Owner != "" || to == "" || !s.State.Open() {
		return s, nil
	}
	was := s
	s.Owner = to
	return s, &Entry{Kind: Given, Text: "given to " + to + " by " + why, Before: &was, Notify: notify(to)}
}

// Severities are what a person can call an issue, the worst first.
var Severities = []string{"fatal", "error", "warning", "info", "debug"}

// check says what a fix lacks.
func (f Fix) check() error {
	switch f.Kind {
	case FixRelease:
		if f.FixedIn == "" {
			return problem.New(problem.BadInput, "say how it is fixed: in a release (--in RELEASE), in the next one (--next), by a commit (--commit HASH), or from now on (--now)")
		}
	case FixCommit:
		if f.Commit == "" {
			return problem.New(problem.BadInput, "say which commit fixes it")
		}
	case FixNext, FixNow:
	default:
		return problem.New(problem.BadInput, "a fix is in a release, in the next one, by a commit or as of now; %q is none of these", f.Kind)
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
func Out(s Status, in release.Release) (Status, *Entry) {
	if s.State != Fixed || s.FixedIn != "" || s.Kind != FixNext && s.Kind != FixCommit || in.Version == "" {
		return s, nil
	}
	was := s
	s.FixedIn = in.Version
	text := "the fix is out in " + in.Version
	if was.Kind == FixNext {
		text += ", " + firstAfter(was.After)
	}
	return s, &Entry{Kind: Released, Text: text, Release: in.Version, Notify: notify(s.FixedBy)}
}

func firstAfter(after string) string {
	if after == "" {
		return "the first release"
	}
	return "the next release after " + after
}
