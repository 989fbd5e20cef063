// Package likeness measures how similar two errors are by their traces and messages, and explains why.
// It serves similar issues and the review of grouping.
//
// Input are events with readable, marked frames; a Sketch is what of one is
// compared. Pure.
package likeness

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"unicode"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
)

// Sketch is what of an event is compared with others.
type Sketch struct {
	Type    string `json:"type,omitempty"`    // of the exception that is blamed
	Message string `json:"message,omitempty"` // its form, variable parts taken out
	Module  string `json:"module,omitempty"`  // of the origin
	Origin  string `json:"origin,omitempty"`  // the function that is blamed
	// Own functions on the stack from the innermost on, each once: "src/fares.ts format"
	Own     []string `json:"own,omitempty"`
	Vendor  []string `json:"vendor,omitempty"`  // dependencies' functions, where there is no own one
	OwnKey  []string `json:"said,omitempty"`    // the application's own key
	Itself  bool     `json:"itself,omitempty"`  // the mistake is the origin's own: who called it does not matter
	Instead bool     `json:"instead,omitempty"` // it stands instead of the computed one

	// What conditions of rules see, where it is another text: types and
	// functions are compared without what compilers number.
	RawType string `json:"raw_type,omitempty"`
	Called  string `json:"called,omitempty"`
}

// Conditions are the type and the origin as conditions of rules see them.
func (s Sketch) Conditions() (typ, function string) {
	return cmp.Or(s.RawType, s.Type), cmp.Or(s.Called, s.Origin)
}

const (
	maxFrames  = 30
	maxVendor  = 10
	maxMessage = 300
	maxWords   = 12
)

// Of sketches an event; said is the application's own key, filled in.
func Of(e *event.Event, frames [][]event.Frame, said []string) Sketch {
	i, j, ok := blame.Origin(frames)
	s := Sketch{OwnKey: said, Instead: e.Grouping != nil && len(e.Grouping.Replace) > 0}
	message := e.Message
	if i < len(e.Exceptions) {
		if s.Type, _ = blame.Type(e.Exceptions[i]); s.Type == "" {
			s.Type = e.Exceptions[i].Type
		}
		if raw := e.Exceptions[i].Type; raw != s.Type {
			s.RawType = raw
		}
		s.Itself = blame.Local(e.Exceptions[i])
		if m := e.Exceptions[i].Message; m != "" {
			message = m
		}
	}
	shape, _ := blame.PlainCodes(message)
	s.Message = event.TrimText(strings.TrimSpace(shape), maxMessage)
	if ok {
		s.Module, s.Origin = blame.Module(frames[i][j]), blame.Function(frames[i][j])
		if called := frames[i][j].Called(); called != s.Origin {
			s.Called = called
		}
	}
	for k := len(frames) - 1; k >= 0; k-- { // the deepest cause tells most
		for _, f := range frames[k] {
			place := strings.TrimSpace(blame.Module(f) + " " + blame.Function(f))
			switch {
			case place == "" || f.Pending:
			case f.Kind == event.Own && len(s.Own) < maxFrames && !slices.Contains(s.Own, place):
				s.Own = append(s.Own, place)
			case f.Kind == event.Vendor && len(s.Vendor) < maxVendor && !slices.Contains(s.Vendor, place):
				s.Vendor = append(s.Vendor, place)
			}
		}
	}
	if len(s.Own) > 0 {
		s.Vendor = nil
	}
	return s
}

// Place is the origin as one text, "" where none is known.
func (s Sketch) Place() string { return strings.TrimSpace(s.Module + " " + s.Origin) }

// Words are the words of the message's form, in order, each once.
func (s Sketch) Words() []string {
	var out []string
	for _, w := range strings.FieldsFunc(strings.ToLower(s.Message), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' && r != '<' && r != '>'
	}) {
		if len(w) > 2 && w[0] != '<' && !slices.Contains(out, w) && len(out) < maxWords {
			out = append(out, w)
		}
	}
	return out
}

// Features are hashes of what a sketch has, by which others that have some of
// it are found.
func (s Sketch) Features() []int64 {
	var out []int64
	add := func(kind, value string) {
		if value == "" {
			return
		}
		h := fnv.New64a()
		_, _ = h.Write([]byte(kind + "\x00" + value)) // into memory
		if n := int64(h.Sum64()); !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	add("origin", s.Place())
	add("message", s.Message)
	for _, f := range s.frames() {
		add("frame", f)
	}
	for _, w := range s.Words() {
		add("word", w)
	}
	if s.Message == "" && len(s.frames()) == 0 {
		add("type", s.Type)
	}
	return out
}

func (s Sketch) frames() []string {
	if len(s.Own) > 0 {
		return s.Own
	}
	return s.Vendor
}

// Likeness is how alike two sketches are, from 0 to 1, and what of them is.
type Likeness struct {
	Score   float64
	Trace   float64 // of the traces alone; 0 where one has none
	Reasons []string
}

// The shares of a score. What one of both lacks does not count.
const (
	traceShare   = 0.55
	messageShare = 0.25
	typeShare    = 0.20
)

// Compare says how alike a and b are.
func Compare(a, b Sketch) Likeness {
	var l Likeness
	var sum, of float64
	if fa, fb := a.frames(), b.frames(); len(fa) > 0 && len(fb) > 0 {
		both := 0
		l.Trace, both = overlap(fa, fb)
		sum, of = sum+traceShare*l.Trace, of+traceShare
		if p := a.Place(); p != "" && p == b.Place() {
			l.Reasons = append(l.Reasons, "the same origin: "+p)
		}
		if both > 0 {
			l.Reasons = append(l.Reasons, fmt.Sprintf("%d of %d functions on the stack", both, max(len(fa), len(fb))))
		}
	} else if len(fa)+len(fb) > 0 {
		of += traceShare / 2 // one says where it was, the other does not
	}
	if a.Message != "" && b.Message != "" {
		m := dice(a.Words(), b.Words())
		if a.Message == b.Message {
			m = 1
			l.Reasons = append(l.Reasons, "the same message form: "+event.TrimText(a.Message, 80))
		} else if n := shared(a.Words(), b.Words()); n > 0 {
			l.Reasons = append(l.Reasons,
				fmt.Sprintf("%d of %d words of the message", n, max(len(a.Words()), len(b.Words()))))
		}
		sum, of = sum+messageShare*m, of+messageShare
	}
	if a.Type != "" || b.Type != "" {
		if a.Type == b.Type {
			sum += typeShare
			l.Reasons = append(l.Reasons, "the same type: "+a.Type)
		}
		of += typeShare
	}
	if of > 0 {
		l.Score = sum / of
	}
	return l
}

// overlap is the share of functions that both have, the innermost counting
// most, and how many those are.
func overlap(a, b []string) (share float64, both int) {
	weight := map[string]float64{}
	for _, list := range [][]string{a, b} {
		for i, f := range list {
			weight[f] = max(weight[f], 1/float64(2+i))
		}
	}
	var common, all float64
	for f, w := range weight {
		all += w
		if slices.Contains(a, f) && slices.Contains(b, f) {
			common += w
			both++
		}
	}
	return common / all, both
}

func shared(a, b []string) (n int) {
	for _, w := range a {
		if slices.Contains(b, w) {
			n++
		}
	}
	return n
}

func dice(a, b []string) float64 {
	if len(a)+len(b) == 0 {
		return 0
	}
	return 2 * float64(shared(a, b)) / float64(len(a)+len(b))
}
