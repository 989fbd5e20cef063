package ticket

import "time"

// State says whether a ticket, or its issue, is open.
type State string

// The states. Unknown is a state of the tracker that its description does not list.
const (
	Unknown State = ""
	Open    State = "open"
	Closed  State = "closed"
)

// Sides are the two sides of a ticket as they are known: the issues here and the ticket there.
type Sides struct {
	Ours, Theirs     State
	OursAt, TheirsAt time.Time // when they changed last
	Agreed           State     // what both were when they were equal last
	AgreedAt         time.Time
}

// Side is one of the two.
type Side string

// The sides. Nowhere: nothing is to be done.
const (
	Nowhere Side = ""
	Here    Side = "here"
	There   Side = "there"
)

// Step is what brings the sides together: State is to be written on a side. Both says that
// both changed since they agreed, and the later change wins.
type Step struct {
	Write Side
	State State
	Both  bool
}

// Next says which side follows the other. A side follows what changed since both agreed; when
// both did, the later change wins, and the ticket does where they changed in the same moment.
// What may not follow stays as it is.
func (s Sides) Next(follow map[string]bool) Step {
	if s.Ours == s.Theirs || s.Theirs == Unknown {
		return Step{}
	}
	ours := s.Ours != s.Agreed || s.OursAt.After(s.AgreedAt)
	theirs := s.Theirs != s.Agreed || s.TheirsAt.After(s.AgreedAt)
	step := Step{There, s.Ours, ours && theirs}
	if !ours || theirs && !s.OursAt.After(s.TheirsAt) {
		step.Write, step.State = Here, s.Theirs
	}
	if !follow[cause(step)] {
		return Step{}
	}
	return step
}

// cause is what a step follows, as descriptions call it.
func cause(s Step) string {
	switch {
	case s.Write == There && s.State == Closed:
		return FixedHere
	case s.Write == There:
		return RegressedHere
	case s.State == Closed:
		return ClosedThere
	}
	return ReopenedThere
}

// WithRead takes in what the tracker says of a ticket: its state, and when it changed last, where
// the tracker says that. at is when it was read.
func (s Sides) WithRead(state State, changed, at time.Time) Sides {
	switch {
	case state != s.Theirs:
		s.TheirsAt = at
		if !changed.IsZero() && changed.Before(at) && changed.After(s.TheirsAt.Add(-maxLate)) {
			s.TheirsAt = changed
		}
	case changed.After(s.TheirsAt) && !changed.After(at):
		s.TheirsAt = changed // it changed and changed back
	}
	s.Theirs = state
	return s.settled(at)
}

// maxLate is how far back a change there may lie that is learned of now: older ones are a
// clock that is wrong.
const maxLate = 48 * time.Hour

// Changed takes in a change here.
func (s Sides) Changed(state State, at time.Time) Sides {
	if state != s.Ours {
		s.Ours, s.OursAt = state, at
	}
	return s.settled(at)
}

// settled notes when both sides agree.
func (s Sides) settled(at time.Time) Sides {
	if s.Ours == s.Theirs && (s.Agreed != s.Ours || s.OursAt.After(s.AgreedAt) || s.TheirsAt.After(s.AgreedAt)) {
		s.Agreed, s.AgreedAt = s.Ours, at
	}
	return s
}
