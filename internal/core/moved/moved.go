// Package moved recognises a known bug whose function moved to another file, which changes the
// fingerprints of all its events.
//
// A new fingerprint follows a known one when both have the same type and
// function names, the text of the function is the same or nearly so, its old
// place is gone from the newer release, and no other function is in question.
//
// Input are fingerprints with their frames, and what sources say of functions
// of a name; output is which known one a new one follows. Pure.
package moved

import (
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/scope"
)

// Alike is how much of the texts of a function before and after it moved has to
// be the same (scope.Digest.Like). Contained is how much of the shorter text has
// to be in the longer one where the function is the only one of its name, before
// and after; Renamed where version control says that its file was renamed.
const (
	Alike     = 0.75
	Contained = 0.7
	Renamed   = 0.4
)

// tooShort is up to how many tokens a text has to be the same to the last: many
// short functions are nearly alike.
const tooShort = 25

// maxNamed is how many functions of one name may be looked at: beyond, nobody
// can tell which of them moved.
const maxNamed = 50

// Function is a function by where it is written and what it is called.
type Function struct{ Module, Name string }

// Origin is what a fingerprint blames, as far as that can move.
type Origin struct {
	// Stays is all of the fingerprint that does not change when functions move.
	Stays string
	At    []Function // the function that is blamed, and the one that failed on its behalf
	Text  scope.Digest
}

// OriginOf takes from a fingerprint what can move. ok is false where nothing
// can, or the text of the function is not known.
func OriginOf(r *fingerprint.Result, frames [][]event.Frame) (o Origin, ok bool) {
	if i, j, found := blame.Origin(frames); !found || frames[i][j].Pending || r.Ruling != nil {
		return o, false
	}
	module := ""
	for _, p := range r.Parts {
		switch p.What {
		case "module":
			module = p.Value
		case "function":
			o.At = append(o.At, Function{module, p.Value})
		case "through":
			before, name, cut := strings.Cut(p.Value, " ")
			if !cut {
				return o, false
			}
			o.At = append(o.At, Function{before, name})
		case "statement", "rule", "script", "native":
			return o, false
		}
	}
	if len(o.At) == 0 || o.At[0].Name == "" || module == "" {
		return o, false
	}
	o.Stays = r.Stays
	o.Text = textOf(o.At[0], frames)
	return o, !o.Text.IsZero()
}

// textOf is the digest of the frame that a function was taken from.
func textOf(fn Function, frames [][]event.Frame) scope.Digest {
	for _, list := range frames {
		for _, f := range list {
			if f.Digest != "" && blame.Function(f) == fn.Name && blame.Module(f) == fn.Module {
				return scope.ParseDigest(f.Digest)
			}
		}
	}
	return scope.Digest{}
}

// Sources says of a release which functions of a name its sources have; known
// is false where its sources are not there.
type Sources interface {
	Named(name string) (list []Placed, known bool)
}

// Placed is a function in the sources of a release.
type Placed struct {
	Module string
	Text   scope.Digest
}

// Renames says whether version control knows that a file was renamed; nil says
// of none.
type Renames func(from, to string) bool

// Step is what is asked: whether now, new in a release, is then, which an
// earlier release had.
type Step struct {
	Now, Then Origin
	Newer     Sources // of the release that now was seen in
	Older     Sources // of the release that then was seen in last
	Renames   Renames
}

// Follows says whether the function moved: From which place To which, and how
// much of its text stayed.
func (s Step) Follows() (from, to Function, like float64, ok bool) {
	if s.Now.Stays != s.Then.Stays || len(s.Now.At) != len(s.Then.At) {
		return from, to, 0, false
	}
	like = s.Now.Text.Like(s.Then.Text)
	if s.contained(like) < Renamed { // whatever else holds: sources need not be asked
		return from, to, like, false
	}
	moved := false
	for i := len(s.Now.At) - 1; i >= 0; i-- {
		if s.Now.At[i].Module == s.Then.At[i].Module {
			continue
		}
		moved, from, to = true, s.Then.At[i], s.Now.At[i]
		if !s.gone(from) {
			return from, to, like, false
		}
	}
	if !moved || !s.near(like, s.Then.At[0].Module, s.Now.At[0].Module) {
		return from, to, like, false
	}
	name := s.Now.At[0].Name
	return from, to, like, s.alone(s.Newer, name, s.Now.Text) && s.alone(s.Older, name, s.Then.Text)
}

// near says whether two texts are of one function. One that was edited as it
// moved has to be the only one of its name, before and after.
func (s Step) near(like float64, from, to string) bool {
	switch {
	case like == 1:
		return true
	case s.Renames != nil && s.Renames(from, to):
		return s.contained(like) >= Renamed
	case like >= Alike && min(s.Now.Text.Tokens, s.Then.Text.Tokens) > tooShort:
		return true
	}
	name := s.Now.At[0].Name
	return s.contained(like) >= Contained && s.single(s.Newer, name) && s.single(s.Older, name)
}

// contained is how much of the shorter text is in the longer one, by how much
// both have in common.
func (s Step) contained(like float64) float64 {
	a, b := float64(s.Now.Text.Tokens), float64(s.Then.Text.Tokens)
	return min(1, like/(1+like)*(a+b)/max(1, min(a, b)))
}

// single says whether a release has one function of that name, as far as it is known.
func (s Step) single(in Sources, name string) bool {
	list, known := in.Named(name)
	for _, p := range list {
		if p.Module != list[0].Module {
			return false
		}
	}
	return known
}

// gone says whether the newer release has no such function at that place any more.
func (s Step) gone(fn Function) bool {
	list, known := s.Newer.Named(fn.Name)
	if !known || len(list) > maxNamed {
		return false
	}
	for _, p := range list {
		if p.Module == fn.Module {
			return false
		}
	}
	return true
}

// alone says whether a release has no second function of that name with such a
// text. One function in several bundles is one.
func (s Step) alone(in Sources, name string, text scope.Digest) bool {
	list, known := in.Named(name)
	if !known {
		return true // the older release's sources may be deleted by now
	}
	if len(list) > maxNamed {
		return false
	}
	module := ""
	for _, p := range list {
		if p.Text.Like(text) < Alike {
			continue
		}
		if module != "" && p.Module != module {
			return false
		}
		module = p.Module
	}
	return true
}
