package issue

import (
	"fmt"
	"strings"
	"time"

	"firethorn/internal/core/release"
)

// History knows commits: which descends from which, and which make one change
// twice. Nil knows of none.
type History interface {
	release.Ancestry
	// Applied is a commit of tip's history that makes the change of another one and
	// is not undone there; where it is, undone is the commit that undoes it.
	Applied(tip, commit string) (by, undone string)
	// Lacks is a commit of another one's history that tip's history holds
	// neither itself nor as the same change again; "" when there is none.
	Lacks(tip, other string) string
}

// Answer says whether a release contains a fix.
type Answer int

// The answers.
const (
	Unknown Answer = iota // it is unknown
	Older                 // it was made before the fix
	Apart                 // it is of a branch that never got the fix
	Contains
)

// ReleaseFacts is what is known of a project's releases.
type ReleaseFacts struct {
	Policy  release.Policy
	Commits History
	Release func(version string) release.Release // that is known, or a bare one
}

// Holds says whether a release contains a fix, and why. FixNow is not decided
// by releases: it is Unknown here.
func (k ReleaseFacts) Holds(f Fix, in release.Release) (Answer, string) {
	in = release.Resolved(in, k.Commits)
	switch f.Kind {
	case FixRelease, "": // what was said before there were kinds is in a release
		return k.inRelease(f, in)
	case FixNext:
		return k.inNext(f, in)
	case FixCommit:
		return k.byCommit(f, in)
	}
	return Unknown, "it was fixed at a time, not in a release"
}

// inRelease decides by the order of releases alone: what was fixed in one is
// fixed in every later one, also where each is cut on a branch of its own.
func (k ReleaseFacts) inRelease(f Fix, in release.Release) (Answer, string) {
	fixed := release.Resolved(k.Release(f.FixedIn), k.Commits)
	o := release.Compare(in, fixed, k.Policy, k.Commits)
	switch {
	case in.Version == fixed.Version:
		return Contains, "the release it was fixed in"
	case in.Commit != "" && in.Commit == fixed.Commit:
		return Contains, "both were built from " + release.Short(in.Commit)
	case o.By == release.BySame:
		return Contains, o.Why
	case o.Apart && k.Commits.Lacks(in.Commit, fixed.Commit) == "":
		return Contains, "they were built on different branches, and every change of " + f.FixedIn + " was made on that of " + in.Version + " again"
	case o.Apart && (o.By == release.ByNothing || o.Compare < 0 && in.FirstSeen.After(fixed.FirstSeen)):
		return Apart, fmt.Sprintf("%s and %s were built on different branches, and %s does not descend from %s", in.Version, f.FixedIn, release.Short(in.Commit), release.Short(fixed.Commit))
	case o.By == release.ByNothing || o.Compare == 0:
		return Unknown, o.Why
	case o.Compare < 0:
		return Older, o.Why
	}
	return Contains, o.Why
}

func (k ReleaseFacts) inNext(f Fix, in release.Release) (Answer, string) {
	if f.FixedIn != "" { // that one is known by now
		return k.inRelease(f, in)
	}
	if f.After == "" || release.OtherPackage(release.Parse(in.Version), release.Parse(f.After)) {
		if in.FirstSeen.After(f.FixedAt) {
			return Contains, "the first release since then"
		}
		return Older, "it was known before the fix"
	}
	after := release.Resolved(k.Release(f.After), k.Commits)
	if in.Commit != "" && in.Commit == after.Commit {
		return Older, fmt.Sprintf("it was built from %s, as %s was", release.Short(in.Commit), f.After)
	}
	o := release.Compare(in, after, k.Policy, k.Commits)
	switch {
	case o.By == release.ByNothing:
		return Unknown, o.Why
	case o.Compare <= 0:
		return Older, o.Why
	}
	return Contains, o.Why
}

// byCommit asks whether a release's history holds the fix as it stands there.
func (k ReleaseFacts) byCommit(f Fix, in release.Release) (Answer, string) {
	fix := release.Short(f.Commit)
	if sameCommit(in.Commit, f.Commit) {
		return Contains, "it was built from " + fix
	}
	if k.Commits == nil || in.Commit == "" || !k.Commits.Has(in.Commit) || !k.Policy.ByCommit() {
		if f.FixedIn == "" {
			return Unknown, fmt.Sprintf("the commit of %s is unknown here, and so is a release with %s", in.Version, fix)
		}
		return k.inRelease(f, in)
	}
	if !k.Commits.Has(f.Commit) {
		return Unknown, fmt.Sprintf("commit %s was not pushed yet", fix)
	}
	by, undone := k.Commits.Applied(in.Commit, f.Commit)
	switch {
	case by == f.Commit:
		return Contains, fmt.Sprintf("%s descends from %s, by commit", release.Short(in.Commit), fix)
	case by != "":
		return Contains, fmt.Sprintf("its history holds %s, which makes the same change as %s", release.Short(by), fix)
	case undone != "":
		return Apart, fmt.Sprintf("its history holds %s, which takes %s back", release.Short(undone), fix)
	case k.Commits.Contains(f.Commit, in.Commit):
		return Older, fmt.Sprintf("%s was made after %s, by commit", fix, release.Short(in.Commit))
	}
	return Apart, fmt.Sprintf("%s was built on a branch without %s", release.Short(in.Commit), fix)
}

// sameCommit says whether two names are of one commit, one of them perhaps short.
func sameCommit(a, b string) bool {
	const least = 7
	short, long := a, b
	if len(short) > len(long) {
		short, long = long, short
	}
	return a == b && a != "" || len(short) >= least && strings.HasPrefix(long, short)
}

// Occurrence is an event as the state machine sees it.
type Occurrence struct {
	Release     release.Release // Version "" when the event names none
	Environment string
	Thrown      time.Time // by the service's clock
	KnownBefore bool      // the issue had been seen in this release before
	NewPlace    bool      // it had never been seen in this environment before
	Since       string    // what lies between the last good release and this one, in words; "" when that is not known
}
