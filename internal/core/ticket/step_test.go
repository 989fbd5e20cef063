package ticket

import (
	"math/rand/v2"
	"testing"
	"time"
)

var all = map[string]bool{FixedHere: true, RegressedHere: true, ClosedThere: true, ReopenedThere: true}

func TestNext(t *testing.T) {
	at := func(minute int) time.Time {
		return time.Unix(1_790_000_000, 0).Add(time.Duration(minute) * time.Minute)
	}
	open := Sides{Ours: Open, Theirs: Open, Agreed: Open, AgreedAt: at(0), OursAt: at(0), TheirsAt: at(0)}
	closed := Sides{Ours: Closed, Theirs: Closed, Agreed: Closed, AgreedAt: at(0), OursAt: at(0), TheirsAt: at(0)}
	for name, c := range map[string]struct {
		sides Sides
		want  Step
	}{
		"nothing changed":                    {open, Step{}},
		"fixed here":                         {open.Changed(Closed, at(1)), Step{There, Closed, false}},
		"regressed here":                     {closed.Changed(Open, at(1)), Step{There, Open, false}},
		"closed there":                       {open.WithRead(Closed, time.Time{}, at(1)), Step{Here, Closed, false}},
		"reopened there":                     {closed.WithRead(Open, at(1), at(2)), Step{Here, Open, false}},
		"both closed":                        {open.Changed(Closed, at(1)).WithRead(Closed, at(2), at(3)), Step{}},
		"a state that is not listed":         {open.WithRead(Unknown, at(1), at(2)), Step{}},
		"fixed here, and reopened after":     {open.Changed(Closed, at(1)).WithRead(Open, at(2), at(3)), Step{Here, Open, true}},
		"changed back there, then fixed":     {open.WithRead(Open, at(1), at(2)).Changed(Closed, at(3)), Step{There, Closed, false}},
		"fixed here, changed there before":   {open.Changed(Closed, at(3)).WithRead(Open, at(2), at(4)), Step{There, Closed, true}},
		"both in the same moment":            {open.Changed(Closed, at(2)).WithRead(Open, at(2), at(4)), Step{Here, Open, true}},
		"fixed here, a clock of the future":  {open.Changed(Closed, at(1)).WithRead(Open, at(9999), at(4)), Step{There, Closed, false}},
		"closed there, a clock of last year": {open.WithRead(Closed, at(-500_000), at(1)), Step{Here, Closed, false}},
	} {
		if got := c.sides.Next(all); got != c.want {
			t.Errorf("%s: %+v, not %+v", name, got, c.want)
		}
	}
	for follow, s := range map[string]Sides{FixedHere: open.Changed(Closed, at(1)), RegressedHere: closed.Changed(Open, at(1)),
		ClosedThere: open.WithRead(Closed, at(1), at(1)), ReopenedThere: closed.WithRead(Open, at(1), at(1))} {
		if got := s.Next(map[string]bool{follow: true}); got == (Step{}) {
			t.Errorf("%s is not followed", follow)
		}
		others := map[string]bool{FixedHere: true, RegressedHere: true, ClosedThere: true, ReopenedThere: true}
		delete(others, follow)
		if got := s.Next(others); got != (Step{}) {
			t.Errorf("%s is switched off, and %+v is done", follow, got)
		}
	}
}

// Both sides change at random, and learn of each other late or not at all: once the ticket is
// read they are equal, and neither side was ever written to without a change on the other.
func TestNext_ARandomWalkEndsEqual(t *testing.T) {
	for seed := range uint64(40) {
		rng := rand.New(rand.NewPCG(seed, 38))
		at := time.Unix(1_790_000_000, 0)
		s := Sides{Ours: Open, Theirs: Open, Agreed: Open, OursAt: at, TheirsAt: at, AgreedAt: at}
		there, thereAt, tells := Open, at, seed%2 == 0
		here, changesHere, changesThere, writtenHere, writtenThere := Open, 0, 0, 0, 0
		flip := func(x State) State { return map[State]State{Open: Closed, Closed: Open}[x] }
		read := func() {
			var changed time.Time
			if tells {
				changed = thereAt
			}
			s = s.WithRead(there, changed, at)
		}
		act := func() {
			switch step := s.Next(all); step.Write {
			case Here:
				here, writtenHere = step.State, writtenHere+1
				s = s.Changed(here, at)
			case There:
				there, thereAt, writtenThere = step.State, at, writtenThere+1
				if rng.IntN(4) > 0 { // else the answer is lost
					s = s.WithRead(there, thereAt, at)
				}
			}
		}
		for range 10_000 {
			at = at.Add(time.Duration(1+rng.IntN(600)) * time.Second)
			switch rng.IntN(5) {
			case 0:
				here, changesHere = flip(here), changesHere+1
				s = s.Changed(here, at)
			case 1:
				there, thereAt, changesThere = flip(there), at, changesThere+1
			case 2: // a webhook that arrives, or arrives again
				read()
			default: // a message is sent: the ticket is read before
				read()
				act()
			}
		}
		at = at.Add(time.Hour)
		read()
		act()
		read()
		if here != there || s.Ours != s.Theirs || s.Agreed != here || s.Next(all) != (Step{}) {
			t.Errorf("seed %d: here %s, there %s, known %+v", seed, here, there, s)
		}
		if writtenHere > changesThere || writtenThere > changesHere {
			t.Errorf("seed %d: an echo: %d written here of %d changes there, %d there of %d here", seed, writtenHere, changesThere, writtenThere, changesHere)
		}
	}
}
