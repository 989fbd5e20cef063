package issue

import "fmt"

// Seen is what an event does to a standing. changed is true when the state is
// another one; entry is nil when there is nothing to say.
//
// A fixed issue comes back by an event of a release that contains the fix. An
// event thrown before the fix was called one says nothing where the issue was
// known in that release then: anyone who called it fixed knew of it. Of a fix as
// of now, the time the event was thrown decides alone.
func (k ReleaseFacts) Seen(s Status, o Occurrence) (_ Status, entry *Entry, changed bool) {
	if s.State != Fixed {
		return s, nil, false
	}
	earlier := !s.FixedAt.IsZero() && !o.Thrown.After(s.FixedAt)
	if s.Kind == FixNow {
		if earlier {
			return s, &Entry{Kind: SeenEarlier, Quiet: true,
				Text: fmt.Sprintf("thrown %s, before it was called fixed; it stays fixed", moment(o.Thrown))}, false
		}
		return k.cameBack(s, o, "thrown "+moment(o.Thrown)+", after it was fixed")
	}
	if o.Release.Version == "" {
		return s, &Entry{Kind: SeenNone,
			Text: "seen in an event that names no release; it stays fixed " + s.Fix.Text()}, false
	}
	in := o.Release.Version
	answer, why := k.Holds(s.Fix, o.Release)
	switch answer {
	case Contains:
		if earlier && o.KnownBefore {
			return s, &Entry{Kind: SeenEarlier, Quiet: true, Release: in, Text: fmt.Sprintf("thrown in %s %s, before it was called fixed there, and it was known there then; it stays fixed", in, moment(o.Thrown))}, false
		}
		return k.cameBack(s, o, why)
	case Older:
		return s, &Entry{Kind: SeenOlder, Release: in, Text: fmt.Sprintf("seen in %s, which is older than the fix (%s): expected until everybody has updated", in, why)}, false
	case Apart:
		return s, &Entry{Kind: SeenApart, Release: in, Notify: notify(s.FixedBy, s.Owner), Text: fmt.Sprintf("seen in %s, which does not contain the fix (%s); it stays fixed %s", in, why, s.Fix.Text())}, false
	}
	return s, &Entry{Kind: SeenUnknown, Release: in, Text: fmt.Sprintf("seen in %s; whether it contains the fix is unknown (%s); it stays fixed %s", in, why, s.Fix.Text())}, false
}

func (k ReleaseFacts) cameBack(s Status, o Occurrence, why string) (Status, *Entry, bool) {
	was := s
	e := &Entry{Kind: CameBack, Before: &was, Release: o.Release.Version, Notify: notify(s.FixedBy, s.Owner)}
	in := o.Release.Version
	if in == "" {
		in = "an event that names no release"
	}
	e.Text = "came back in " + in
	if o.Environment != "" {
		e.Text += ", " + o.Environment
	}
	if why == "the release it was fixed in" {
		e.Text += ": " + why
	} else {
		e.Text += fmt.Sprintf(", after it was fixed %s (%s)", s.Fix.Text(), why)
	}
	if o.Since != "" {
		e.Text += "; " + o.Since
	}
	s.State = Regressed
	return s, e, true
}
