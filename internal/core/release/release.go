// Package release orders the releases of a project. Two semantic versions
// are ordered by https://semver.org section 11; anything else by the time
// the release was first seen. The reason for an order is part of the answer.
package release

import (
	"fmt"
	"time"

	"github.com/Masterminds/semver/v3"
)

// Release is one release as far as ordering needs it.
type Release struct {
	Version   string
	FirstSeen time.Time
}

// ByVersion is the reason for an order by semantic version.
const ByVersion = "by semantic version"

// Compare orders a and b: -1 when a comes before b, 0 when they are the same,
// 1 when a comes after; why says what decided.
func Compare(a, b Release) (order int, why string) {
	if a.Version == b.Version {
		return 0, "it is the same release"
	}
	va, errA := semver.NewVersion(a.Version)
	vb, errB := semver.NewVersion(b.Version)
	if errA == nil && errB == nil {
		if c := va.Compare(vb); c != 0 {
			return c, ByVersion
		}
	}
	if a.FirstSeen.IsZero() || b.FirstSeen.IsZero() {
		return unknownFirst(a, b), "a release nothing was heard of yet comes last"
	}
	return a.FirstSeen.Compare(b.FirstSeen), fmt.Sprintf("%q and %q are not both semantic versions; by when they were first seen", a.Version, b.Version)
}

func unknownFirst(a, b Release) int {
	switch {
	case a.FirstSeen.IsZero() && b.FirstSeen.IsZero():
		return 0
	case a.FirstSeen.IsZero():
		return 1
	}
	return -1
}
