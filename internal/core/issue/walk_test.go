package issue

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"firethorn/internal/core/release"
)

// wrong says what is wrong with a standing.
func (s Status) wrong() string {
	fix, parked := s.Fix != (Fix{}), s.Parked != (Park{})
	switch {
	case fix != (s.State == Fixed || s.State == Regressed):
		return "it has a fix where it is not fixed or regressed, or none where it is"
	case parked != (s.State == Parked):
		return "it has a condition where it is not parked, or none where it is"
	case s.CountOnly && s.State != Dismissed:
		return "it is counted only, and not dismissed"
	case s.State == Fixed && s.FixedAt.IsZero():
		return "nobody knows since when it is fixed"
	case (s.Kind == FixRelease) && s.FixedIn == "", s.Kind == FixCommit && s.Commit == "":
		return "it is fixed in nothing"
	}
	for _, st := range States {
		if s.State == st {
			return ""
		}
	}
	return fmt.Sprintf("there is no state %q", s.State)
}

// A million steps of people, events and time: whatever comes, what stands fits
// together, undo gives back what was, and only an event of a release with the
// fix brings an issue back.
func TestRandomWalk(t *testing.T) {
	steps := 1_000_000
	if testing.Short() {
		steps = 50_000
	}
	rng := rand.New(rand.NewPCG(7, 11))
	versions := []string{"4.1.0", "4.2.0-rc.1", "4.2.0", "4.2.1", "4.3.0", "nightly", ""}
	people := []string{"Maren Holt", "Oke Farrow", "Sunniva Bray", ""}
	k := ReleaseFacts{Release: func(v string) release.Release {
		for i, x := range versions {
			if x == v && v != "" {
				return release.Release{Version: v, FirstSeen: monday.Add(time.Duration(i) * time.Hour)}
			}
		}
		return release.Release{Version: v}
	}}
	pick := func(list []string) string { return list[rng.IntN(len(list))] }
	type undoable struct {
		before Status
		kind   Kind
	}
	s, now := Status{State: New}, monday
	var stack []undoable
	var since Since
	seen := map[State]int{}
	for step := range steps {
		now = now.Add(time.Duration(rng.IntN(600)) * time.Second)
		was, what := s, ""
		var e *Entry
		switch n := rng.IntN(10); {
		case n < 5:
			a := Action{Verb: Verbs[rng.IntN(len(Verbs)-1)], Grade: pick(append([]string{""}, Severities...)), To: pick(people), By: pick(people), At: now,
				Fix:  Fix{Kind: []FixKind{FixRelease, FixNext, FixCommit, FixNow}[rng.IntN(4)], FixedIn: pick(versions), After: pick(versions), Commit: pick([]string{"", "8ac1f00d5eed"})},
				Park: Park{Events: int64(rng.IntN(20)), Users: int64(rng.IntN(5)), NextRelease: rng.IntN(2) == 0, After: pick(versions)}}
			switch a.Fix.Kind { // as callers make it
			case FixNext, FixCommit, FixNow:
				a.Fix.FixedIn = ""
			}
			what = string(a.Verb)
			next, entry, err := Apply(s, a)
			if err != nil {
				if next != was {
					t.Fatalf("step %d: %s was refused (%v), and changed %+v to %+v", step, what, err, was, next)
				}
				continue
			}
			s, e = next, &entry
			if s.State == Parked {
				since = Since{}
			}
		case n < 6 && len(stack) > 0:
			last := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			what = "undo"
			next, entry, err := Apply(s, Action{Verb: Undo, Before: &last.before, Undone: last.kind, At: now})
			if last.kind == CameBack {
				last.before.FixedAt = now
			}
			if err != nil || next != last.before || entry.Before != nil {
				t.Fatalf("step %d: undo gave %+v, %v, want %+v", step, next, err, last.before)
			}
			s = next
		case n < 9:
			o := Occurrence{Release: k.Release(pick(versions)), Environment: pick([]string{"production", "staging"}), Thrown: now.Add(-time.Duration(rng.IntN(7200)) * time.Second), KnownBefore: rng.IntN(2) == 0, NewPlace: rng.IntN(20) == 0}
			what = "an event of " + o.Release.Version
			var changed bool
			s, e, changed = k.Seen(s, o)
			if changed {
				answer, _ := k.Holds(was.Fix, o.Release)
				if was.State != Fixed || s.State != Regressed || answer != Contains && was.Kind != FixNow || was.Kind == FixNow && !o.Thrown.After(was.FixedAt) {
					t.Fatalf("step %d: %s made %+v of %+v", step, what, s, was)
				}
			}
			since.Events++
			since.Users += int64(rng.IntN(2))
			if s.State == Parked {
				s, e = k.Wake(s, now, since, &o)
			}
		case n < 9+rng.IntN(2):
			what = "a rule"
			s, e = Give(s, pick(people), "a rule")
			if e != nil && (was.Owner != "" || !was.State.Open() || s.State != was.State) {
				t.Fatalf("step %d: a rule made %+v of %+v", step, s, was)
			}
		default:
			what = "time"
			s, e = k.Wake(s, now, since, nil)
			if next, out := Out(s, k.Release(pick(versions))); out != nil {
				s, e = next, out
			}
		}
		if s.Severity != was.Severity && what != "undo" && what != string(Grade) {
			t.Fatalf("step %d: %s changed the severity of %+v to %+v", step, what, was, s)
		}
		if e == nil && s != was && what != "undo" {
			t.Fatalf("step %d: %s changed %+v to %+v without a word", step, what, was, s)
		}
		if why := s.wrong(); why != "" {
			t.Fatalf("step %d: after %s of %+v: %+v: %s", step, what, was, s, why)
		}
		if (was.State == Dismissed || was.State == New || was.State == Accepted) && e != nil && what[0] == 'a' && what[1] == 'n' {
			t.Fatalf("step %d: %s has something to say of one that is %s: %+v", step, what, was.State, e)
		}
		if e != nil && e.Before != nil {
			if *e.Before != was {
				t.Fatalf("step %d: %s remembers %+v, want %+v", step, what, *e.Before, was)
			}
			stack = append(stack, undoable{was, e.Kind})
			stack = stack[max(0, len(stack)-50):]
		}
		seen[s.State]++
	}
	for _, st := range States {
		if seen[st] < steps/100 {
			t.Errorf("only %d of %d steps were in state %s", seen[st], steps, st)
		}
	}
}
