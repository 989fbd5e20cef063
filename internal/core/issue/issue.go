// Package issue implements the states of an issue as a pure state machine. Inputs are actions of
// people, events, and the passing of time. Outputs are the new status and a history entry, or a
// refusal with a reason.
//
// Reading order: this file (where an issue stands), apply.go (what people do),
// fix.go and seen.go (does a release contain the fix, and what an event of it
// means), park.go (what wakes a parked one).
package issue

import (
	"slices"
	"time"

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
	Parked    State = "parked"
	Dismissed State = "dismissed"
)

// States lists all states, in the order they are shown.
var States = []State{Regressed, New, Accepted, Parked, Fixed, Dismissed}

// Open says whether there is still work to do.
func (s State) Open() bool { return s == New || s == Accepted || s == Regressed }

// Status is what people decide about an issue; it holds no counts. Two that
// are equal are the same standing.
type Status struct {
	State     State  `json:"state"`
	Owner     string `json:"owner,omitempty"` // a person's name, "" when nobody has it
	Fix              // while it is fixed or regressed
	Parked    Park   `json:"parked,omitzero"`      // while it is parked
	CountOnly bool   `json:"count_only,omitempty"` // while it is dismissed: bodies of its events are not kept
	Severity  string `json:"severity,omitempty"`   // as a person says, "" for what the events say
}

// FixKind says what a fix is in.
type FixKind string

// The kinds of fix.
const (
	FixRelease FixKind = "release" // in a release
	FixNext    FixKind = "next"    // in the next release
	FixCommit  FixKind = "commit"  // by a commit
	FixNow     FixKind = "now"     // as of when it was said
)

// Fix says in what an issue is fixed.
type Fix struct {
	Kind FixKind `json:"fix_kind,omitempty"`
	// The release; of FixNext and FixCommit the first that was found to contain it, "" until then.
	FixedIn string    `json:"fixed_in,omitempty"`
	After   string    `json:"fix_after,omitempty"`  // FixNext: the newest release then, "" when there was none
	Commit  string    `json:"fix_commit,omitempty"` // FixCommit
	FixedAt time.Time `json:"fix_at,omitzero"`      // when it was said, UTC
	FixedBy string    `json:"fix_by,omitempty"`     // whom to tell when it comes back
}

// Text says in what it is fixed, behind "fixed" and "was fixed".
func (f Fix) Text() string {
	switch {
	case f.Kind == FixCommit && f.FixedIn != "":
		return "by commit " + release.Short(f.Commit) + ", out in " + f.FixedIn
	case f.Kind == FixCommit:
		return "by commit " + release.Short(f.Commit)
	case f.Kind == FixNext && f.FixedIn == "" && f.After == "":
		return "in the first release"
	case f.Kind == FixNext && f.FixedIn == "":
		return "in the next release after " + f.After
	case f.Kind == FixNow:
		return "as of " + moment(f.FixedAt)
	}
	return "in " + f.FixedIn
}

// Describe says a standing in words: "fixed in 4.2.0, with Maren Holt".
func Describe(s Status) string {
	out := string(s.State)
	switch {
	case s.State == Fixed:
		out += " " + s.Fix.Text()
	case s.State == Regressed && s.Fix != (Fix{}):
		out += ", was fixed " + s.Fix.Text()
	case s.State == Parked:
		out += " until " + s.Parked.Text()
	case s.CountOnly:
		out += ", counted only"
	}
	if s.Severity != "" {
		out += ", called " + s.Severity
	}
	if s.Owner != "" {
		out += ", with " + s.Owner
	}
	return out
}

// Kind names what happened, in the history.
type Kind string

// What happens to an issue beside actions, whose kind is their verb.
const (
	CameBack    Kind = "regressed"
	Woken       Kind = "woken"
	Released    Kind = "released"             // the fix is out
	SeenOlder   Kind = "expected"             // in a release without the fix
	SeenApart   Kind = "seen_on_branch"       // in a release of another branch that never got the fix
	SeenUnknown Kind = "seen_unordered"       // whether the release contains the fix is unknown
	SeenNone    Kind = "seen_without_release" // in an event that names no release
	SeenEarlier Kind = "seen_before_fix"      // thrown before it was called fixed
	Given       Kind = "given"                // a rule gave it to somebody
	Grown       Kind = "grown"                // it hits ten times as many users as once
	Surging     Kind = "surging"
	Calm        Kind = "calm" // a surge is over
)

// Entry is one line of an issue's history.
type Entry struct {
	Kind    Kind     `json:"kind"`
	Text    string   `json:"words"`             // one sentence
	Before  *Status  `json:"before,omitempty"`  // what undo restores; nil where nothing changed
	Release string   `json:"release,omitempty"` // that it is about
	Notify  []string `json:"tell,omitempty"`    // who should get a notice, by name
	Quiet   bool     `json:"quiet,omitempty"`   // it is counted, and not worth a line
}

// notify lists who should get a notice, each once.
func notify(names ...string) (out []string) {
	for _, n := range names {
		if n != "" && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	return out
}

func moment(t time.Time) string { return t.UTC().Format("2006-01-02 15:04 UTC") }
