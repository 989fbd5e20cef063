// Package grouping fingerprints events with a project's settings: its grouping version, its frame
// rules and its grouping rules.
//
// Input is an event with readable frames; output is the fingerprint, and what
// rules could not answer. Pure.
package grouping

import (
	"encoding/hex"
	"time"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/symbolicate"
)

// Method is how a project's events are grouped. The zero Method is the newest
// version without rules.
type Method struct {
	Version int             // 0: the newest
	Rules   *rules.Set      // nil: none
	Off     map[string]bool // grouping rules that are switched off
	Learned *blame.Helpers  // what was learned of many events; nil in the service
}

// Print fingerprints an event whose frames are readable, marked by this
// method's frame rules.
func (m Method) Print(e *event.Event, thrown time.Time, frames [][]event.Frame) (fingerprint.Result, []rules.Trouble) {
	if m.version() < 6 {
		blame.AgainPlainly(e.Exceptions, frames, m.Learned)
	}
	print := fingerprint.ComputeWith(m.version(), e, frames, m.Learned)
	if m.Rules == nil || len(m.Rules.Grouping) == 0 {
		return print, nil
	}
	facts := rules.NewFacts(e, thrown, func() [][]event.Frame { return frames }).WithPrint(func() string {
		own := print.Own(e)
		return hex.EncodeToString(own[:])
	})
	ruling, trouble := m.Rules.Group(facts, m.off)
	return print.Under(ruling), trouble
}

func (m Method) version() int {
	if m.Version == 0 {
		return fingerprint.Version
	}
	return m.Version
}

func (m Method) off(rule string) bool { return m.Off[rule] }

// Kinds are the frame rules, in the order in which they decide.
func (m Method) Kinds() []symbolicate.KindRule { return Kinds(m.Rules) }

// Kinds are the frame rules of a rules file; nil has none.
func Kinds(set *rules.Set) (out []symbolicate.KindRule) {
	if set == nil {
		return nil
	}
	for _, r := range set.Frames {
		out = append(out, symbolicate.KindRule{Name: r.Name, Path: r.Path, Module: r.Module, Function: r.Function,
			Kind: r.Kind, LookThrough: r.LookThrough})
	}
	return out
}
