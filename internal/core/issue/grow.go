package issue

import "firethorn/internal/core/text"

// firstGrown is the least number of users whose reaching is worth a look; after
// it each power of ten is.
const firstGrown = 10

// GrownTo is the power of ten that a number of users reached, 0 below ten.
func GrownTo(users int64) int64 {
	if users < firstGrown {
		return 0
	}
	to := int64(firstGrown)
	for to <= users/10 {
		to *= 10
	}
	return to
}

// Grow is what it means that an issue's users reached another power of ten. It
// changes nothing; entry is nil where nobody has to look: what is put away has
// conditions of its own, and what is new waits to be looked at anyway.
func Grow(s Status, to int64) *Entry {
	if s.State != Accepted {
		return nil
	}
	return &Entry{Kind: Grown, Text: "it hit " + text.Counted(to, "user") + " by now", Notify: notify(s.Owner)}
}

// Surge is what it means that an issue occurs far more often than it did.
func Surge(s Status, why string) Entry {
	return Entry{Kind: Surging, Text: "surging: " + why, Notify: notify(s.Owner)}
}
