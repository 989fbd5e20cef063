package issue

import "time"

// NeedsDecision says whether an issue in this state waits for a decision
// about it.
func (s State) NeedsDecision() bool { return s == New || s == Regressed }

// Need says what a change means for whether an issue needs a decision.
type Need int

// The needs.
const (
	NeedByState Need = iota // as the new state says
	NeedNow                 // something happened that people should look at
	NeedNone                // a person decided
)

// NeededSince is since when an issue needs a decision after a change, zero when
// it needs none. since is the answer before the change; was and is are the states
// before and after.
func NeededSince(since time.Time, was, is State, need Need, now time.Time) time.Time {
	switch {
	case need == NeedNow:
		return now
	case need == NeedNone:
		return time.Time{}
	case was.NeedsDecision() == is.NeedsDecision():
		return since
	case is.NeedsDecision():
		return now
	}
	return time.Time{}
}
